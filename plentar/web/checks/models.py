"""What the blower and control pages show."""

from plentar.core.circuit.places import place_words
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.events import Noted
from plentar.core.evidence.signs import sign_of
from plentar.core.judging.control import room_amps
from plentar.core.judging.thermostat_map import TERMINALS
from plentar.core.limits.verdicts import Verdict
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import ohms_at, place_of, point_at, volts_at
from plentar.core.unit.points import part_words
from plentar.core.visit import CAPACITOR, Visit
from plentar.screen.event_lines import Shown, shown
from plentar.store.models import Call
from plentar.words import render

__all__ = ["FELT", "WATCHED", "ChecksScreen"]

FELT = ("jumper-runs", "jumper-still", "hums", "stiff", "side-play", "loose-hub", "wheel-free")
# What a clamp that is watched may show, and what each is pinned to.
WATCHED = ("watched-steady", "watched-dropped", "watched-tripped")


class ChecksScreen:
    """Blower, interlock and control side of one call."""

    def __init__(self, call: Call, visit: Visit, person: str) -> None:
        self.call, self.visit, self.person = call, visit, person
        self.plate: Nameplate = visit.plate

    @property
    def felt(self) -> list[tuple[str, str, bool]]:
        """Heard and felt: kind, words, found."""
        signs = [sign_of(kind) for kind in FELT]
        return [(s.kind, render(s.words), self.visit.state_of(s.kind) == "found") for s in signs if s is not None]

    @property
    def watched(self) -> list[tuple[str, str, str, bool]]:
        """What a clamp that was watched may have shown: kind, what it is about, its name, found."""
        several = len(self.plate.circuits) > 1
        lines = [
            ("watched-steady", "", ""),
            *(("watched-dropped", circuit.id, circuit.name) for circuit in self.plate.circuits),
            *([("watched-dropped", "", "Something")] if several else []),
            *(("watched-tripped", feed.id, render(part_words(feed.id))) for feed in self.plate.feeds),
        ]
        return [(kind, about, name, self.visit.state_of(kind, about) == "found") for kind, about, name in lines]

    @property
    def notes(self) -> list[Shown[Noted]]:
        """What was kept from the interlock bench, and other notes of the call."""
        return shown(self.visit.record, Noted)

    @property
    def relay_points(self) -> list[tuple[str, str, list[Verdict]]]:
        """The blower relay's contacts off-circuit: point, words, what was read and how it is judged."""
        relay = self.plate.blower.relay
        if relay is None:
            return []
        return [self._ohms(c.id) for c in wire(self.plate).contacts if c.owner == relay.id]

    def _ohms(self, part: str) -> tuple[str, str, list[Verdict]]:
        point = ohms_at(part)
        standing = [entry for entry in self.visit.standing if entry.reading.point == point]
        verdicts = [self.visit.judged_one(entry).verdict for entry in standing[-2:]]
        return point, render(place_words(self.plate, part)), verdicts

    @property
    def coil_points(self) -> list[tuple[str, str, list[Verdict]]]:
        """Every coil and heater: point, words, what was read."""
        return [self._ohms(b.id) for b in wire(self.plate).branches if place_of(b.id).is_coil]

    @property
    def rectifier_points(self) -> list[tuple[str, str, str]]:
        """Each rectifier board: its AC input, its DC output, its name."""
        return [
            (
                volts_at(f"{d.id}.rectifier.1", "board.c"),
                point_at("dc_volts", f"{d.id}.coil.1", f"{d.id}.coil.2"),
                render(place_words(self.plate, d.id)),
            )
            for d in self.plate.devices
            if d.of_kind.is_rectified
        ]

    @property
    def capacitor_refusal(self) -> str:
        """Why the capacitor may not be measured in the unit now."""
        return render(self.visit.refusal(CAPACITOR, self.person)) if self.plate.blower.kind == "psc" else ""

    @property
    def room_amps(self) -> float:
        """What the control side may draw."""
        return room_amps(self.plate)

    @property
    def conductors(self) -> list[tuple[str, str]]:
        """The hunt: each conductor and whether it is cleared, found or left."""
        words = {"fine": "cleared", "found": "shorted"}
        names = ["R", *self.plate.calls, "O"]
        return [(name, words.get(self.visit.state_of("hunt", name), "left to test")) for name in dict.fromkeys(names)]

    @property
    def map_rows(self) -> dict[str, dict[str, str]]:
        """The thermostat's conductors as last kept, by terminal."""
        kept = self.visit.record.map
        wires = kept.wires if kept is not None else ()
        return {w.thermostat: {"board": w.board, "colour": w.colour, "jumpered_to": w.jumpered_to} for w in wires}

    @property
    def map_unseen(self) -> list[str]:
        """What of R, C and the unit's calls nobody has looked at."""
        return [name for name in ("R", "C", *self.plate.calls) if name not in self.map_rows]

    @property
    def map_terminals(self) -> tuple[str, ...]:
        """The thermostat's terminals."""
        return TERMINALS
