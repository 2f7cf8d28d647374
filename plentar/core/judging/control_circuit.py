"""Control current call by call: against the transformer and its fuse, and whether each call added what it should."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.anywhere import expected_at
from plentar.core.judging.control import added_band, judge_control_amps
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, Verdict, grade
from plentar.core.message import Text, message
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import amps_at

__all__ = ["CallCurrent", "call_currents", "rows_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class CallCurrent:
    """One row: which calls are on, the current that should and does flow, and what the last call added."""

    calls: frozenset[str]
    name: Text
    expected_amps: float
    whole: Verdict | None
    added: Verdict | None


def rows_of(plate: Nameplate) -> tuple[tuple[Text, frozenset[str]], ...]:
    """Return the rows of the test in order: nothing, fan, heat pump, heat, all."""
    # Stages together: the second is never called without the first.
    heat = plate.heat_calls
    rows: list[tuple[Text, frozenset[str]]] = [
        (message("control_circuit.nothing"), frozenset[str]()),
        (message("control_circuit.fan"), frozenset({"G"})),
    ]
    if "Y" in plate.calls:
        rows.append((message("control_circuit.heat-pump"), frozenset({"Y", "G"})))
    return (*rows, (message("control_circuit.heat"), heat), (message("control_circuit.all"), frozenset(plate.calls)))


def call_currents(
    plate: Nameplate, readings: Sequence[Reading], limits: Limits = DEFAULT_LIMITS
) -> tuple[CallCurrent, ...]:
    """Return every row with what was last read under its calls, judged.

    Args:
        plate: The unit.
        readings: The call's readings, oldest first; those of `amps:control` count.
        limits: The shop's limits.
    Source:
        docs/trade.md, section 3, control current, and section 5, "call added, amps unchanged".
    """
    newest: dict[frozenset[str], Reading] = {}
    for reading in readings:
        if reading.point == amps_at("control") and reading.condition.control == "from unit":
            # The last reading under a set of calls stands; a separate source feeds nothing through R.
            newest[frozenset(name for name, _ in reading.condition.calls)] = reading
    situation = Situation(plate=plate, readings=readings, limits=limits)
    found: list[CallCurrent] = []
    feeds = tuple((feed.id, "live") for feed in plate.feeds)
    for name, calls in rows_of(plate):
        # Ten minutes: every chain has run through and every heater is warm.
        condition = Condition(feeds=feeds, calls=tuple((call, 600.0) for call in sorted(calls)))  # type: ignore[arg-type]
        expected = expected_at(plate, condition, amps_at("control"), limits)[-1][0]
        found.append(
            CallCurrent(
                calls=calls,
                name=name,
                expected_amps=expected,
                whole=judge_control_amps(situation, newest[calls]) if calls in newest else None,
                added=None,
            )
        )
    return tuple(_with_added(situation, found, newest))


def _with_added(
    situation: Situation, rows: Sequence[CallCurrent], newest: Mapping[frozenset[str], Reading]
) -> list[CallCurrent]:
    """Hold what each row adds to nothing called against what its coils and heaters should add."""
    # Each row is held against nothing called, so that a thermostat's own draw falls out.
    idle = rows[0]
    found = [idle]
    for _, row in pairwise([idle, *rows[1:]]):
        reading, base = newest.get(row.calls), newest.get(idle.calls)
        # Without the idle row a sum cannot be taken apart.
        if reading is None or base is None:
            found.append(row)
            continue
        added, expected = reading.value - base.value, row.expected_amps - idle.expected_amps
        # A difference of two small readings: both last digits may err, one up, one down.
        uncertainty = reading.counts_uncertainty + base.counts_uncertainty
        band = added_band(situation, expected)
        verdict = Verdict(
            grade=grade(added, uncertainty, band),
            value=added,
            uncertainty=uncertainty,
            unit="A",
            expected=expected,
            band=band,
            because=message("control_circuit.coils-heaters-should-add-about", expected=expected),
        )
        # Less than a clamp can show, or less than the smallest coil of the call would add, is no change.
        least = situation.limits.number("unchanged_amps"), situation.limits.number("unchanged_ratio") * expected
        if added < max(least):
            verdict = changed(
                verdict,
                Grade.FAIL,
                "amps unchanged",
                message("control_circuit.what-was-added-did-not"),
            )
        elif verdict.grade is not Grade.PASS:
            verdict = changed(
                verdict,
                verdict.grade,
                "draws too much",
                message("control_circuit.coils-turns-may-be-shorted", because=verdict.because),
            )
        found.append(
            CallCurrent(calls=row.calls, name=row.name, expected_amps=row.expected_amps, whole=row.whole, added=verdict)
        )
    return found
