"""Places of a unit and points to read, taken apart here and nowhere else.

A *place* is written `OWNER.PART.END`: `seq-a.pole-1.load`, `strip-a.element.1`, `feed-1.l1`, `fuse`. Its owner is the
name somebody gave a part, or one of the names below that every unit has; what follows is the part's own and no name. A
*point* is written `FUNCTION:PLACE:PLACE`, `FUNCTION:PLACE`, or `amps:PLACE+PLACE` for several conductors in one jaw.
"""

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

__all__ = [
    "CAPACITOR", "EARTH", "FRAME_END", "GROUND", "Place", "Spot", "amps_at", "frame_of", "line_volts", "ohms_at",
    "partner_of", "place_of", "point_at", "spot_of", "volts_at",
]  # fmt: skip

# The unit's frame, and what its equipment ground ties it to.
GROUND, EARTH = "ground", "panel.ground"
# A part's path to the frame from either of its ends: `strip-a.element.to-ground-1`.
FRAME_END = "to-ground"
# The motor's run capacitor.
CAPACITOR = "blower.capacitor"
LEGS = ("l1", "l2")


@dataclass(frozen=True, slots=True)
class Place:
    """One place: whose it is, which part of it, which end of that; empty where the name ends before."""

    owner: str
    part: str = ""
    end: str = ""

    def __str__(self) -> str:
        return ".".join(piece for piece in (self.owner, self.part, self.end) if piece)

    @property
    def whole_part(self) -> str:
        """The part without its end: `seq-a.pole-1`."""
        return f"{self.owner}.{self.part}" if self.part else self.owner

    @property
    def kind(self) -> str:
        """What kind of part it is, whatever its number: `strip-b.link` is a link, `seq-a.pole-2` a pole."""
        return self.part.partition("-")[0] if self.part else self.owner

    @property
    def is_leg(self) -> bool:
        """True for a feed's, a branch's or the panel's own terminal."""
        return self.part in LEGS

    @property
    def leg(self) -> str:
        """`l1` or `l2`, where the place is on a leg ahead of the circuits; else nothing."""
        return self.part if self.part in LEGS else self.end if self.end in LEGS else ""

    @property
    def is_to_frame(self) -> bool:
        """True for a part's path to the frame."""
        return self.end.startswith(FRAME_END)

    @property
    def is_element(self) -> bool:
        """True for an element as a whole."""
        return self.part == "element" and not self.end

    @property
    def is_coil(self) -> bool:
        """True for a coil or heater as a whole."""
        return self.part == "coil" and not self.end

    @property
    def is_motor(self) -> bool:
        """True for the blower's winding, or one tap's."""
        return self.owner == "blower" and (self.part == "motor" or self.part.startswith("motor-"))

    @property
    def tap(self) -> str:
        """The tap of a winding, or nothing."""
        return self.part.partition("-")[2] if self.is_motor else ""

    @property
    def is_control(self) -> bool:
        """True on the 24 V side."""
        return (
            self.owner in ("board", "thermostat", "outdoor-thermostat")
            or (self.owner == "transformer" and self.part in ("r", "c"))
            or self.part in ("coil", "rectifier", "auxiliary")
        )


@lru_cache(maxsize=2048)
def place_of(text: str) -> Place:
    """Take a place apart.

    Example:
        >>> place_of("seq-a.pole-1.load")
        Place(owner='seq-a', part='pole-1', end='load')
        >>> place_of("feed-1.l1").is_leg, place_of("fuse").whole_part, str(place_of("strip-a.element.1"))
        (True, 'fuse', 'strip-a.element.1')
    """
    owner, _, rest = text.partition(".")
    part, _, end = rest.partition(".")
    return Place(owner, part, end)


def frame_of(part: str, end: Literal["1", "2"] = "1") -> str:
    """Return the path of a part to the frame from one of its ends, 1 the one toward leg 1."""
    return f"{part}.{FRAME_END}-{end}"


def partner_of(contact: str) -> str:
    """Return the other contact of a change-over pole: NO's is NC, and the reverse.

    Example:
        >>> partner_of("blower-relay.no"), partner_of("blower-relay.nc-2")
        ('blower-relay.nc', 'blower-relay.no-2')
    """
    owner, _, name = contact.rpartition(".")
    return f"{owner}.{'nc' if name.startswith('no') else 'no'}{name[2:]}"


def point_at(function: str, *places: str) -> str:
    """Spell a point: a meter's function and where its probes are."""
    return ":".join((function, *places))


def volts_at(a: str, b: str) -> str:
    """Spell alternating volts between two places."""
    return point_at("volts", a, b)


def line_volts(supply: str) -> str:
    """Spell volts between both legs of a feed, a branch or whatever has them.

    Example:
        >>> line_volts("feed-1"), volts_at("feed-1.l1", GROUND), amps_at("strip-a", "strip-a.return")
        ('volts:feed-1.l1:feed-1.l2', 'volts:feed-1.l1:ground', 'amps:strip-a+strip-a.return')
    """
    return volts_at(f"{supply}.l1", f"{supply}.l2")


def amps_at(*conductors: str) -> str:
    """Spell a clamp around one conductor, or around several at once."""
    return point_at("amps", "+".join(conductors))


def ohms_at(*places: str) -> str:
    """Spell ohms of a part with its leads off, or between two terminals in circuit."""
    return point_at("ohms", *places)


@dataclass(frozen=True, slots=True)
class Spot:
    """A point taken apart: the meter's function, and where; several conductors only for a clamp."""

    function: str
    places: tuple[str, ...]
    conductors: tuple[str, ...] = ()

    @property
    def is_ohms(self) -> bool:
        """True for ohms or continuity, of a part or between two places."""
        return self.function == "ohms"

    @property
    def is_volts(self) -> bool:
        """True for volts of either kind."""
        return self.function in ("volts", "dc_volts")

    @property
    def part(self) -> str:
        """The one place of a clamp or of a part's ohms; nothing between two."""
        return self.places[0] if len(self.places) == 1 else ""

    @property
    def is_to_ground(self) -> bool:
        """True for volts from a place to the frame."""
        return len(self.places) == 2 and self.places[1] == GROUND


@lru_cache(maxsize=2048)
def spot_of(point: str) -> Spot:
    """Take a point apart; whether a unit has it is another question.

    Example:
        >>> spot_of("volts:feed-1.l1:ground")
        Spot(function='volts', places=('feed-1.l1', 'ground'), conductors=())
        >>> spot_of("amps:strip-a+strip-a.return").conductors
        ('strip-a', 'strip-a.return')
    """
    function, _, rest = point.partition(":")
    places = tuple(rest.split(":")) if rest else ()
    return Spot(function, places, tuple(rest.split("+")) if function == "amps" and len(places) == 1 else ())
