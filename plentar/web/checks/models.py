"""What the blower and control pages show."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

from plentar.core.control_circuit import CallCurrent, call_currents, room_amps
from plentar.core.errors import PlentarError
from plentar.core.hypotheses import model_of
from plentar.core.judging import Situation, judge
from plentar.core.nameplate import Nameplate
from plentar.core.network.solve import Drive
from plentar.core.network.wiring import wire
from plentar.core.observations import CHECKS, sign_of
from plentar.core.places import find_point, place_words
from plentar.core.readings import Reading, standing
from plentar.core.thermostat_map import TERMINALS, MapNote, MapRow, check_map
from plentar.core.verdicts import Band, Grade, Verdict, grade
from plentar.formats.unit_json import kept_nameplate
from plentar.store import calls
from plentar.store.models import Call, Observation
from plentar.store.models import Reading as ReadingRow
from plentar.web.kept import core_reading

__all__ = ["ROWS", "BlowerRow", "ChecksScreen"]

ROWS: tuple[tuple[str, frozenset[str]], ...] = (
    ("G", frozenset({"G"})),
    ("W", frozenset({"W"})),
    ("W and G", frozenset({"W", "G"})),
    ("nothing", frozenset()),
)
FELT = ("jumper-runs", "jumper-still", "hums", "stiff", "side-play", "loose-hub")


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowerRow:
    """One row of the four: what a healthy unit does, what was seen, whether that agrees."""

    name: str
    calls: frozenset[str]
    blower_runs: bool
    strips_heat: bool
    seen_blower: bool | None
    seen_strips: bool | None
    is_set: bool

    @property
    def agrees(self) -> bool | None:
        """Whether all that was seen is as it should be; None before anything was."""
        seen = [(self.seen_blower, self.blower_runs), (self.seen_strips, self.strips_heat)]
        known = [a == b for a, b in seen if a is not None]
        return all(known) if known else None


class ChecksScreen:
    """Blower, interlock and control side of one call."""

    def __init__(
        self, call: Call, readings: Sequence[ReadingRow], observations: Sequence[Observation], moment: datetime
    ) -> None:
        self.call, self.moment = call, moment
        self.plate: Nameplate = kept_nameplate(call.unit.nameplate)
        self._rows = [row for row in calls.standing_readings(readings) if self._knows(row.point)]
        self.observations = observations
        self.standing = {(row.kind, row.about): row for row in observations}

    def _knows(self, point: str) -> bool:
        try:
            find_point(self.plate, point)
        except PlentarError:
            return False
        return True

    def state_of(self, kind: str, about: str = "") -> str:
        """How something stands: found, fine, undone, or nothing yet."""
        row = self.standing.get((kind, about))
        return row.state if row is not None else ""

    @cached_property
    def readings(self) -> list[Reading]:
        """The call's standing readings as core values, oldest first."""
        return [core_reading(row) for row in self._rows]

    @property
    def blower_rows(self) -> list[BlowerRow]:
        """The four rows."""
        on = frozenset(self.call.condition["calls"])
        seen = {"found": True, "fine": False}
        rows = []
        for name, wanted in ROWS:
            runs, heat = healthy(self.plate, wanted)
            rows.append(
                BlowerRow(
                    name=name,
                    calls=wanted,
                    blower_runs=runs,
                    strips_heat=heat,
                    seen_blower=seen.get(self.state_of("row-blower", name)),
                    seen_strips=seen.get(self.state_of("row-strips", name)),
                    is_set=on & {"W", "W2", "G"}
                    == (wanted | {"W2"} if "W" in wanted and "W2" in self.plate.calls else wanted),
                )
            )
        return rows

    @property
    def felt(self) -> list[tuple[str, str, bool]]:
        """Heard and felt: kind, words, found."""
        signs = [sign_of(kind) for kind in FELT]
        return [(sign.kind, sign.words, self.state_of(sign.kind) == "found") for sign in signs if sign is not None]

    @property
    def relay_points(self) -> list[tuple[str, str, list[Verdict]]]:
        """The blower relay's contacts off-circuit: point, words, what was read and how it is judged."""
        relay = self.plate.blower.relay
        if relay is None:
            return []
        return [self._ohms(c.id) for c in wire(self.plate).contacts if c.id.startswith(f"{relay.id}.")]

    def _ohms(self, part: str) -> tuple[str, str, list[Verdict]]:
        point = f"ohms:{part}"
        situation = Situation(plate=self.plate, readings=standing(self.readings))
        verdicts = [judge(situation, reading) for reading in self.readings if reading.point == point]
        return point, place_words(self.plate, part), verdicts[-2:]

    @property
    def coil_points(self) -> list[tuple[str, str, list[Verdict]]]:
        """Every coil and heater: point, words, what was read."""
        return [self._ohms(b.id) for b in wire(self.plate).branches if b.id.endswith(".coil")]

    @property
    def rectifier_points(self) -> list[tuple[str, str, str]]:
        """Each rectifier board: its AC input, its DC output, its name."""
        return [
            (
                f"volts:{d.id}.rectifier.1:board.c",
                f"dc_volts:{d.id}.coil.1:{d.id}.coil.2",
                place_words(self.plate, d.id),
            )
            for d in self.plate.devices
            if d.kind == "dc-relay"
        ]

    @property
    def capacitor(self) -> Verdict | None:
        """The run capacitor as last measured, against its label."""
        row = self.standing.get(("capacitor", ""))
        return None if row is None else judge_capacitor(self.plate, float(json.loads(row.note)["microfarads"]))

    @property
    def starts(self) -> tuple[int, int]:
        """Good starts of all tried."""
        tried = [row for row in self.observations if row.kind == "start" and row.state in ("found", "fine")]
        return sum(row.state == "fine" for row in tried), len(tried)

    @cached_property
    def currents(self) -> tuple[CallCurrent, ...]:
        """Control current call by call."""
        return call_currents(self.plate, self.readings)

    @property
    def room_amps(self) -> float:
        """What the control side may draw."""
        return room_amps(self.plate)

    @property
    def conductors(self) -> list[tuple[str, str]]:
        """The hunt: each conductor and whether it is cleared, found or left."""
        words = {"fine": "cleared", "found": "shorted"}
        names = ["R", *self.plate.calls, "O"]
        return [(name, words.get(self.state_of("hunt", name), "left to test")) for name in dict.fromkeys(names)]

    @property
    def map_rows(self) -> dict[str, dict[str, Any]]:
        """The thermostat's conductors as last kept, by terminal."""
        row = self.standing.get(("map", ""))
        return {entry["thermostat"]: entry for entry in json.loads(row.note)} if row is not None else {}

    @property
    def map_notes(self) -> tuple[MapNote, ...] | None:
        """What is wrong with the landings; None before any were kept."""
        rows = [MapRow(**entry) for entry in self.map_rows.values()]
        return check_map(self.plate, rows) if rows else None

    @property
    def map_terminals(self) -> tuple[str, ...]:
        """The thermostat's terminals."""
        return TERMINALS

    @property
    def checks(self) -> tuple[str, ...]:
        """The kinds these pages may keep."""
        return tuple(sign.kind for sign in CHECKS)


@lru_cache(maxsize=256)
def healthy(plate: Nameplate, calls_on: frozenset[str]) -> tuple[bool, bool]:
    """Return whether a healthy unit's blower runs and whether a strip heats under some calls."""
    on = calls_on | {"W2"} if "W" in calls_on and "W2" in plate.calls else calls_on
    drive = Drive(calls=frozenset(on))
    model = model_of(plate)
    runs = float(model.predict("amps:blower", drive).shown[0]) > 0.3 * plate.blower.rated_amps
    heat = max(float(model.predict(f"amps:{circuit.id}", drive).shown[0]) for circuit in plate.circuits) > 3.0
    return runs, heat


def judge_capacitor(plate: Nameplate, microfarads: float) -> Verdict:
    """Judge a run capacitor: ±6 % of its label passes, ±10 % is marginal, field guide, section 3."""
    label = plate.blower.capacitor_microfarads
    if label is None:
        return Verdict(
            grade=Grade.NOT_PROVEN,
            value=microfarads,
            uncertainty=0.0,
            unit="µF",
            because="Its label is not on the plate.",
        )
    band = Band(
        marginal_low=0.9 * label,
        pass_low=0.94 * label,
        pass_high=1.06 * label,
        marginal_high=1.1 * label,
        source="default",
    )
    result = grade(microfarads, 0.01 * microfarads, band)
    kind = "" if result is Grade.PASS else "weak" if microfarads < label else "too large"
    because = f"Label {label:g} µF, within 6 %."
    return Verdict(
        grade=result, value=microfarads, uncertainty=0.01 * microfarads, unit="µF", band=band, kind=kind,
        expected=label, because=because,
    )  # fmt: skip
