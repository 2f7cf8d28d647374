"""What is seen, heard and smelled: the look-over's items and signs, in words.

A sign never proves; it makes some faults likelier by a factor. Signs of a running unit (blower, glow) are instead held
against the solved circuit and need nothing here.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from plentar.core.evidence.reading import Condition
from plentar.core.message import Text, message

__all__ = ["CHECKS", "GROUPS", "LOOK", "SIGNS", "Observation", "Sign", "SignGroup", "sign_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Sign:
    """One thing to look or listen for; `about` says what it is pinned to, always or, where `may_float`, if known.

    Which faults it makes likelier, and how much, the faults' own rows say; `any_fault` is what it does to every other
    fault of the part it is pinned to.
    """

    kind: str
    words: Text
    about: Literal["part", "strip", "feed", ""] = ""
    any_fault: float = 1.0
    seen_running: bool = False
    may_float: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Observation:
    """Something seen, heard or smelled: one of the kinds below, what it is about, and under which condition."""

    kind: str
    about: str = ""
    condition: Condition = field(default_factory=Condition)


# docs/trade.md, section 4, step 4, in its order.
LOOK = (
    Sign(kind="heat-marked", words=message("signs.heat-marked-melted-insulation"), about="part", any_fault=4.0),
    Sign(kind="loose-push-on", words=message("signs.loose-push-terminal"), about="part"),
    Sign(kind="cut-strands", words=message("signs.cut-conductor-strands"), about="part"),
    Sign(kind="discoloured-lug", words=message("signs.discoloured-lug-bus"), about="feed"),
    Sign(kind="rust-carbon", words=message("signs.rust-carbon"), about="part"),
    Sign(kind="foil-near-strips", words=message("signs.foil-insulation-near-strips"), about="strip"),
    Sign(kind="filter-dirty", words=message("signs.filter-clogged")),
    Sign(kind="coil-dirty", words=message("signs.indoor-coil-dirty")),
    Sign(kind="wheel-dirty", words=message("signs.blower-wheel-dirty")),
    Sign(kind="cover-missing", words=message("signs.cover-missing")),
    Sign(kind="rubbed-wires", words=message("signs.rubbed-wires")),
    Sign(kind="plain-wire", words=message("signs.plain-wire")),
    Sign(kind="splices", words="Splices", about="part"),
    Sign(kind="label-missing", words=message("signs.heat-kit-label-missing")),
)
SIGNS = (
    Sign(kind="blower-runs", words=message("signs.blower-seen-running"), seen_running=True),
    Sign(kind="blower-still", words=message("signs.blower-seen-standing-still"), seen_running=True),
    Sign(kind="strips-heat", words=message("signs.strip-seen-heating"), seen_running=True),
    Sign(kind="strips-cold", words=message("signs.every-strip-seen-cold"), seen_running=True),
    Sign(kind="glows", words=message("signs.strip-glows"), about="strip", seen_running=True),
    Sign(kind="breaker-off", words=message("signs.breaker-found-off")),
    # What the customer points at: wrong once in ten times.
    Sign(kind="breaker-trips", words=message("signs.breaker-trips"), about="feed", any_fault=9.0),
    Sign(kind="hums", words=message("signs.blower-hums-does-not-turn")),
    Sign(kind="clicks", words=message("signs.clicking-off")),
    Sign(kind="smell", words=message("signs.hot-burnt-smell")),
)
# docs/trade.md, section 4, steps 11 and 12: what the blower's and the control side's own checks find.
CHECKS = (
    Sign(kind="jumper-runs", words=message("signs.motor-runs-jumper")),
    Sign(kind="jumper-still", words=message("signs.motor-stands-still-jumper")),
    Sign(kind="stiff", words=message("signs.wheel-turns-stiffly-hand")),
    Sign(kind="side-play", words=message("signs.side-play-shaft")),
    Sign(kind="loose-hub", words=message("signs.wheels-hub-loose-shaft")),
    Sign(kind="wheel-free", words=message("signs.wheel-turns-freely")),
    Sign(kind="capacitor-out", words=message("signs.run-capacitor-out-band")),
    Sign(kind="capacitor-fine", words=message("signs.run-capacitor-in-band")),
    Sign(kind="landing-wrong", words=message("signs.landing-wrong"), about="part", any_fault=60.0),
    Sign(kind="air-little", words=message("signs.air-little")),
    Sign(kind="air-enough", words=message("signs.air-enough")),
    Sign(kind="stays-cold", words=message("signs.strip-stays-cold"), about="strip", seen_running=True),
    Sign(kind="heat-was-on", words=message("signs.heat-was-on")),
    Sign(kind="bad-start", words=message("signs.start-failed")),
    Sign(kind="conductor-shorted", words=message("signs.conductor-shorted"), about="part"),
    Sign(kind="log-cycles", words=message("signs.log-cycles")),
    Sign(kind="watched-steady", words=message("signs.watched-steady")),
    Sign(kind="watched-dropped", words=message("signs.watched-dropped"), about="strip", may_float=True),
    Sign(kind="watched-tripped", words=message("signs.watched-tripped"), about="feed", may_float=True),
    Sign(kind="starts-good-10", words=message("signs.starts-good", count=10)),
    Sign(kind="starts-good-20", words=message("signs.starts-good", count=20)),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class SignGroup:
    """Lines of the look-over that are seen in one glance; `sign` says that they were, and that nothing was found.

    One glance is less than a look at each: papers say which of the two it was, and a line nobody touched nothing.
    """

    sign: Sign
    lines: tuple[Sign, ...]


def _group(kind: str, words: Text, *lines: str) -> SignGroup:
    return SignGroup(
        sign=Sign(kind=f"group-{kind}", words=words), lines=tuple(line for line in LOOK if line.kind in lines)
    )


# docs/trade.md, section 4, step 4, by where one stands and what one sees from there.
GROUPS = (
    _group(
        "wires", message("signs.group-wires"), "heat-marked", "loose-push-on", "cut-strands", "rubbed-wires",
        "plain-wire", "splices",
    ),
    _group("lugs", message("signs.group-lugs"), "discoloured-lug", "rust-carbon"),
    _group("air", message("signs.group-air"), "foil-near-strips", "filter-dirty", "coil-dirty", "wheel-dirty"),
    _group("cabinet", message("signs.group-cabinet"), "cover-missing", "label-missing"),
)  # fmt: skip
_BY_KIND: Mapping[str, Sign] = {sign.kind: sign for sign in (*LOOK, *SIGNS, *CHECKS, *(group.sign for group in GROUPS))}


def sign_of(kind: str) -> Sign | None:
    """Return the sign of this kind, if there is one."""
    return _BY_KIND.get(kind)
