"""What is seen, heard and smelled: the look-over's items and signs, in words, and which faults each speaks for.

A sign never proves; it makes some faults likelier by a factor. Signs of a running unit (blower, glow) are instead held
against the solved circuit and need nothing here.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from plentar.core.evidence.reading import Condition
from plentar.core.said import Words, said

__all__ = ["BLOWER_RELAY", "CHECKS", "LOOK", "SIGNS", "Observation", "Sign", "sign_of"]

# The blower's relay, whatever it is called on a unit.
BLOWER_RELAY = "blower-relay"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sign:
    """One thing to look or listen for; `about` says what it needs to be pinned to.

    `speaks` pairs a piece of a fault's id, its part's own name left out, with how many times likelier the sign makes
    that fault; with a part named, only faults of that part.
    """

    kind: str
    words: Words
    about: Literal["part", "strip", "feed", ""] = ""
    speaks: tuple[tuple[str, float], ...] = ()
    seen_running: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Observation:
    """Something seen, heard or smelled: one of the kinds below, what it is about, and under which condition."""

    kind: str
    about: str = ""
    condition: Condition = field(default_factory=Condition)


# docs/trade.md, section 4, step 4, in its order.
LOOK = (
    Sign(kind="heat-marked", words=said("signs.heat-marked-melted-insulation"), about="part", speaks=((".", 4.0),)),
    Sign(
        kind="loose-push-on",
        words=said("signs.loose-push-terminal"),
        about="part",
        speaks=((".loose", 8.0), (".off", 6.0), (".burnt", 2.0)),
    ),
    Sign(
        kind="cut-strands",
        words=said("signs.cut-conductor-strands"),
        about="part",
        speaks=((".loose", 4.0), (".off", 2.0)),
    ),
    Sign(
        kind="discoloured-lug",
        words=said("signs.discoloured-lug-bus"),
        about="feed",
        speaks=((".lug-", 6.0), (".breaker", 3.0)),
    ),
    Sign(
        kind="rust-carbon",
        words=said("signs.rust-carbon"),
        about="part",
        speaks=((".open", 2.0), (".mechanism", 3.0), (".burnt", 3.0), (".welded", 2.0)),
    ),
    Sign(
        kind="foil-near-strips",
        words=said("signs.foil-insulation-near-strips"),
        about="strip",
        speaks=((".grounded", 5.0),),
    ),
    Sign(
        kind="filter-dirty",
        words=said("signs.filter-clogged"),
        speaks=(("air.little", 6.0), (".limit.", 2.5), (".link.open", 2.0)),
    ),
    Sign(
        kind="coil-dirty",
        words=said("signs.indoor-coil-dirty"),
        speaks=(("air.little", 5.0), (".limit.", 2.0), (".link.open", 1.5)),
    ),
    Sign(
        kind="wheel-dirty",
        words=said("signs.blower-wheel-dirty"),
        speaks=(("air.little", 5.0), (".limit.", 2.0), (".link.open", 1.5)),
    ),
    Sign(kind="cover-missing", words=said("signs.cover-missing"), speaks=(("air.little", 2.0),)),
    Sign(kind="rubbed-wires", words=said("signs.rubbed-wires"), speaks=((".shorted", 4.0), (".grounded", 4.0))),
    Sign(kind="splices", words="Splices", about="part", speaks=((".off", 2.0), (".loose", 2.0))),
    Sign(kind="label-missing", words=said("signs.heat-kit-label-missing")),
)
SIGNS = (
    Sign(kind="blower-runs", words=said("signs.blower-seen-running"), seen_running=True),
    Sign(kind="blower-still", words=said("signs.blower-seen-standing-still"), seen_running=True),
    Sign(kind="strips-heat", words=said("signs.strip-seen-heating"), seen_running=True),
    Sign(kind="strips-cold", words=said("signs.every-strip-seen-cold"), seen_running=True),
    Sign(kind="glows", words=said("signs.strip-glows"), about="strip", seen_running=True),
    Sign(
        kind="breaker-off",
        words=said("signs.breaker-found-off"),
        speaks=((".breaker.off", 30.0), ("shorted", 4.0), (".weak", 6.0)),
    ),
    Sign(kind="hums", words=said("signs.blower-hums-does-not-turn"), speaks=(("seized", 20.0), ("capacitor", 15.0))),
    Sign(
        kind="clicks",
        words=said("signs.clicking-off"),
        speaks=((".limit.cycling", 6.0), ("erratic", 6.0), ("air.little", 4.0), ("wrong-tap-low", 3.0)),
    ),
    Sign(
        kind="smell", words=said("signs.hot-burnt-smell"), speaks=((".loose", 3.0), (".burnt", 3.0), (".shorted", 2.0))
    ),
)
# docs/trade.md, section 4, steps 11 and 12: what the blower's and the control side's own checks find.
CHECKS = (
    Sign(
        kind="jumper-runs",
        words=said("signs.motor-runs-jumper"),
        speaks=((BLOWER_RELAY, 6.0),),
    ),
    Sign(
        kind="jumper-still",
        words=said("signs.motor-stands-still-jumper"),
        speaks=(("blower.motor", 25.0), ("blower.lead", 6.0)),
    ),
    Sign(kind="stiff", words=said("signs.wheel-turns-stiffly-hand"), speaks=(("seized", 20.0),)),
    Sign(kind="side-play", words=said("signs.side-play-shaft"), speaks=(("seized", 4.0),)),
    Sign(kind="loose-hub", words=said("signs.wheels-hub-loose-shaft"), speaks=(("air.little", 6.0),)),
    Sign(kind="capacitor-out", words=said("signs.run-capacitor-out-band"), speaks=(("capacitor", 40.0),)),
    Sign(kind="bad-start", words=said("signs.start-failed"), speaks=(("erratic", 12.0), ("cycling", 2.0))),
    Sign(
        kind="conductor-shorted",
        words=said("signs.conductor-shorted"),
        about="part",
        speaks=((".shorted", 40.0), (".grounded", 10.0)),
    ),
)
_BY_KIND: Mapping[str, Sign] = {sign.kind: sign for sign in (*LOOK, *SIGNS, *CHECKS)}


def sign_of(kind: str) -> Sign | None:
    """Return the sign of this kind, if there is one."""
    return _BY_KIND.get(kind)
