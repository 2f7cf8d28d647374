"""Control current call by call: against the transformer and its fuse, and whether each call added what it should."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from plentar.core.judging_places import expected_at
from plentar.core.nameplate import Nameplate
from plentar.core.readings import Condition, Reading
from plentar.core.rules import DEFAULT_RULES, Rules
from plentar.core.verdicts import Band, Grade, Verdict, grade

__all__ = ["CallCurrent", "call_currents", "room_amps", "rows_of"]

# Field guide, section 3: each call adds at most 1.5 times its expected holding current, marginal to twice.
ADDED_PASS, ADDED_MARGINAL = 1.5, 2.0
HEATED_SECONDS = 60.0
UNCHANGED_AMPS = 0.03


@dataclass(frozen=True, slots=True, kw_only=True)
class CallCurrent:
    """One row: which calls are on, the current that should and does flow, and what the last call added."""

    calls: frozenset[str]
    name: str
    expected_amps: float
    whole: Verdict | None
    added: Verdict | None


def rows_of(plate: Nameplate) -> tuple[tuple[str, frozenset[str]], ...]:
    """Return the rows of the test in order: nothing, fan, heat pump, heat, all."""
    heat = frozenset(call for call in ("W", "W2") if call in plate.calls)
    rows = [("nothing", frozenset[str]()), ("fan", frozenset({"G"}))]
    if "Y" in plate.calls:
        rows.append(("heat pump", frozenset({"Y", "G"})))
    return (*rows, ("heat", heat), ("all", frozenset(plate.calls)))


def room_amps(plate: Nameplate) -> float:
    """Return what the control side may draw: the smaller of VA / 24 and the fuse [A]."""
    room = plate.transformer.va / 24.0
    return min(room, plate.transformer.fuse_amps) if plate.transformer.fuse_amps else room


def call_currents(
    plate: Nameplate, readings: Sequence[Reading], rules: Rules = DEFAULT_RULES
) -> tuple[CallCurrent, ...]:
    """Return every row with what was last read under its calls, judged.

    Args:
        plate: The unit.
        readings: The call's readings, oldest first; those of `amps:control` count.
        rules: The shop's limits.
    Source:
        Field guide, section 3, control current, and section 5, "call added, amps unchanged".
    """
    newest: dict[frozenset[str], Reading] = {}
    for reading in readings:
        if reading.point == "amps:control":
            newest[frozenset(name for name, _ in reading.condition.calls)] = reading
    found: list[CallCurrent] = []
    feeds = tuple((feed.id, "live") for feed in plate.feeds)
    for name, calls in rows_of(plate):
        condition = Condition(feeds=feeds, calls=tuple((call, 600.0) for call in sorted(calls)))  # type: ignore[arg-type]
        expected = expected_at(plate, condition, "amps:control", rules)[-1][0]
        found.append(
            CallCurrent(
                calls=calls,
                name=name,
                expected_amps=expected,
                whole=_whole(plate, newest.get(calls)),
                added=None,
            )
        )
    return tuple(_with_added(found, newest))


def _whole(plate: Nameplate, reading: Reading | None) -> Verdict | None:
    if reading is None:
        return None
    room = room_amps(plate)
    band = Band.at_most(0.8 * room, room, "nameplate")
    result = grade(reading.value, reading.meter_uncertainty, band)
    seconds = min((s for _, s in reading.condition.calls if s is not None), default=None)
    base = Verdict(
        grade=result,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        band=band,
        kind="" if result is Grade.PASS else "overloaded",
        because=f"{plate.transformer.va:g} VA and the fuse leave {room:.2f} A.",
    )
    if plate.is_assumed("transformer.va"):
        return _as(base, Grade.NOT_PROVEN, "", "The transformer's VA is not known.")
    if seconds is not None and seconds < HEATED_SECONDS:
        return _as(base, Grade.NOT_PROVEN, "", f"Only {seconds:.0f} s called: a heater draws more until it is warm.")
    return base


def _with_added(rows: Sequence[CallCurrent], newest: Mapping[frozenset[str], Reading]) -> list[CallCurrent]:
    """Hold what each row adds to nothing called against what its coils and heaters should add."""
    idle = rows[0]
    found = [idle]
    for _, row in pairwise([idle, *rows[1:]]):
        reading, base = newest.get(row.calls), newest.get(idle.calls)
        if reading is None or base is None:
            found.append(row)
            continue
        added, expected = reading.value - base.value, row.expected_amps - idle.expected_amps
        uncertainty = reading.counts_uncertainty + base.counts_uncertainty
        band = Band.at_most(ADDED_PASS * expected, ADDED_MARGINAL * expected, "circuit")
        verdict = Verdict(
            grade=grade(added, uncertainty, band),
            value=added,
            uncertainty=uncertainty,
            unit="A",
            expected=expected,
            band=band,
            because=f"Its coils and heaters should add about {expected:.2f} A.",
        )
        if added < max(UNCHANGED_AMPS, 0.25 * expected):
            verdict = _as(verdict, Grade.FAIL, "amps unchanged", "What was added did not pull in, or was on already.")
        elif verdict.grade is not Grade.PASS:
            verdict = _as(verdict, verdict.grade, "draws too much", f"{verdict.because} A coil's turns may be shorted.")
        found.append(
            CallCurrent(calls=row.calls, name=row.name, expected_amps=row.expected_amps, whole=row.whole, added=verdict)
        )
    return found


def _as(verdict: Verdict, result: Grade, kind: str, because: str) -> Verdict:
    return replace(verdict, grade=result, kind=kind, because=because)
