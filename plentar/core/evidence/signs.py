"""What is seen, heard and smelled: the look-over's items and signs, in words, and which faults each speaks for.

A sign never proves; it makes some faults likelier by a factor. Signs of a running unit (blower, glow) are instead held
against the solved circuit and need nothing here.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from plentar.core.evidence.reading import Condition

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
    words: str
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
    Sign(kind="heat-marked", words="Heat-marked or melted insulation", about="part", speaks=((".", 4.0),)),
    Sign(
        kind="loose-push-on",
        words="Loose push-on terminal",
        about="part",
        speaks=((".loose", 8.0), (".off", 6.0), (".burnt", 2.0)),
    ),
    Sign(kind="cut-strands", words="Cut conductor strands", about="part", speaks=((".loose", 4.0), (".off", 2.0))),
    Sign(
        kind="discoloured-lug",
        words="Discoloured lug or bus",
        about="feed",
        speaks=((".lug-", 6.0), (".breaker", 3.0)),
    ),
    Sign(
        kind="rust-carbon",
        words="Rust or carbon",
        about="part",
        speaks=((".open", 2.0), (".mechanism", 3.0), (".burnt", 3.0), (".welded", 2.0)),
    ),
    Sign(
        kind="foil-near-strips", words="Foil or insulation near the strips", about="strip", speaks=((".grounded", 5.0),)
    ),
    Sign(
        kind="filter-dirty",
        words="Filter clogged",
        speaks=(("air.little", 6.0), (".limit.", 2.5), (".link.open", 2.0)),
    ),
    Sign(
        kind="coil-dirty",
        words="Indoor coil dirty",
        speaks=(("air.little", 5.0), (".limit.", 2.0), (".link.open", 1.5)),
    ),
    Sign(
        kind="wheel-dirty",
        words="Blower wheel dirty",
        speaks=(("air.little", 5.0), (".limit.", 2.0), (".link.open", 1.5)),
    ),
    Sign(kind="cover-missing", words="Cover missing", speaks=(("air.little", 2.0),)),
    Sign(kind="rubbed-wires", words="Rubbed wires", speaks=((".shorted", 4.0), (".grounded", 4.0))),
    Sign(kind="splices", words="Splices", about="part", speaks=((".off", 2.0), (".loose", 2.0))),
    Sign(kind="label-missing", words="Heat kit label missing"),
)
SIGNS = (
    Sign(kind="blower-runs", words="Blower seen running", seen_running=True),
    Sign(kind="blower-still", words="Blower seen standing still", seen_running=True),
    Sign(kind="strips-heat", words="A strip seen heating", seen_running=True),
    Sign(kind="strips-cold", words="Every strip seen cold", seen_running=True),
    Sign(kind="glows", words="Strip glows", about="strip", seen_running=True),
    Sign(
        kind="breaker-off", words="Breaker found off", speaks=((".breaker.off", 30.0), ("shorted", 4.0), (".weak", 6.0))
    ),
    Sign(kind="hums", words="Blower hums, does not turn", speaks=(("seized", 20.0), ("capacitor", 15.0))),
    Sign(
        kind="clicks",
        words="Clicking on and off",
        speaks=((".limit.cycling", 6.0), ("erratic", 6.0), ("air.little", 4.0), ("wrong-tap-low", 3.0)),
    ),
    Sign(kind="smell", words="Hot or burnt smell", speaks=((".loose", 3.0), (".burnt", 3.0), (".shorted", 2.0))),
)
# docs/trade.md, section 4, steps 11 and 12: what the blower's and the control side's own checks find.
CHECKS = (
    Sign(
        kind="jumper-runs",
        words="Motor runs on a jumper",
        speaks=((BLOWER_RELAY, 6.0),),
    ),
    Sign(
        kind="jumper-still",
        words="Motor stands still on a jumper",
        speaks=(("blower.motor", 25.0), ("blower.lead", 6.0)),
    ),
    Sign(kind="stiff", words="Wheel turns stiffly by hand", speaks=(("seized", 20.0),)),
    Sign(kind="side-play", words="Side play in the shaft", speaks=(("seized", 4.0),)),
    Sign(kind="loose-hub", words="Wheel's hub loose on the shaft", speaks=(("air.little", 6.0),)),
    Sign(kind="capacitor-out", words="Run capacitor out of its band", speaks=(("capacitor", 40.0),)),
    Sign(kind="bad-start", words="A start that failed", speaks=(("erratic", 12.0), ("cycling", 2.0))),
    Sign(
        kind="conductor-shorted",
        words="Conductor shorted",
        about="part",
        speaks=((".shorted", 40.0), (".grounded", 10.0)),
    ),
)
_BY_KIND: Mapping[str, Sign] = {sign.kind: sign for sign in (*LOOK, *SIGNS, *CHECKS)}


def sign_of(kind: str) -> Sign | None:
    """Return the sign of this kind, if there is one."""
    return _BY_KIND.get(kind)
