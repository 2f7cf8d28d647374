"""Judging readings off the run sheet: ohms of parts, volts and amps anywhere, held against what the circuit predicts.

Limits of ohms are the field guide's, section 3; what a place should show with current or volts on it follows from the
network of a healthy unit under the condition the reading was taken under.
"""

import math
from dataclasses import replace
from functools import lru_cache

import numpy as np

from plentar.core.diagnosis import GHOST_OHMS, spread_of
from plentar.core.hypotheses import OPEN_OHMS, Prediction, drives_of, model_of
from plentar.core.nameplate import Nameplate
from plentar.core.network.wiring import wire
from plentar.core.places import FRAME
from plentar.core.points import Point
from plentar.core.readings import Condition, Reading
from plentar.core.rules import Rules
from plentar.core.verdicts import Band, Grade, Verdict, grade

__all__ = ["expected_at", "judge_anywhere", "judge_control_amps", "judge_ohms"]

OPEN_FROM_OHMS = 1e6
CLOSED_OHMS, BURNT_OHMS = 1.0, 5.0
CHECK_LEADS = "Ohms count only with the part's own leads off: a parallel path reads low."


def expected_at(plate: Nameplate, condition: Condition, point_id: str, rules: Rules) -> list[tuple[float, float]]:
    """Return what a healthy unit may show at a point, each with its spread: several while poles are still moving.

    Infinite spread marks a floating place, where only a ghost voltage stands.
    """
    found = []
    for drive, _ in drives_of(plate, condition, rules):
        shown, softness = _healthy(plate, point_id, drive)
        spread = spread_of(point_id, Prediction(np.array([shown]), np.array([softness])), knows_supply=True)[0]
        found.append((shown, math.inf if softness > GHOST_OHMS else float(spread)))
    return found


@lru_cache(maxsize=4096)
def _healthy(plate: Nameplate, point_id: str, drive: object) -> tuple[float, float]:
    prediction = model_of(plate).predict(point_id, drive)  # type: ignore[arg-type]
    return float(prediction.shown[0]), float(prediction.softness[0])


def judge_anywhere(plate: Nameplate, reading: Reading, point: Point, rules: Rules) -> Verdict:
    """Judge volts between any two terminals, or amps around any conductor, against what the circuit predicts."""
    choices = expected_at(plate, reading.condition, point.id, rules)
    shown, spread = choices[-1]
    base = Verdict(
        grade=Grade.NOT_PROVEN,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit=point.unit,
        expected=shown if math.isfinite(spread) else None,
    )
    trap = _wrong_function(plate, point)
    if trap:
        return _made(base, Grade.NOT_PROVEN, "wrong function", trap[0], trap[1])
    if math.isinf(spread):
        return _made(
            base,
            Grade.NOT_PROVEN,
            "floating",
            "One of the two hangs on nothing here: what the meter shows is a ghost.",
            "Read it again in low-impedance mode, or across a part.",
        )
    margin = 3.0 * spread + 0.3
    band = Band(
        marginal_low=shown - 1.3 * margin,
        pass_low=shown - margin,
        pass_high=shown + margin,
        marginal_high=shown + 1.3 * margin,
        source="circuit",
    )
    result = grade(reading.value, reading.meter_uncertainty, band)
    words = f"A healthy unit shows {shown:.1f} {point.unit} here, {reading.condition.spoken}."
    if result is Grade.PASS:
        return _made(base, result, "", words, band=band)
    if any(math.isinf(other) or abs(reading.value - value) <= 3.0 * other + 0.3 for value, other in choices[:-1]):
        return _made(base, Grade.NOT_PROVEN, "", "Poles may still be on their way: this says nothing yet.", band=band)
    return _made(base, result, "not as it should be", words, "See what the suspects make of it.", band=band)


def _wrong_function(plate: Nameplate, point: Point) -> tuple[str, str] | None:
    """Return why this function cannot answer at this place, and what to do instead."""
    rectified = set(wire(plate).dc_terminals)
    at_coil = bool(rectified & set(point.terminals))
    if point.quantity == "volts" and at_coil:
        return ("AC function on a rectified coil proves nothing, high or low.", "Switch the meter to DC volts.")
    if point.quantity == "dc_volts" and not at_coil:
        return ("The DC function reads zero on an AC circuit.", "Switch the meter to AC volts.")
    return None


def judge_control_amps(plate: Nameplate, reading: Reading, rules: Rules) -> Verdict:
    """Judge the control current: pass below 80 % of the smaller of transformer and fuse, field guide, section 3."""
    transformer = plate.transformer
    capacity = min(transformer.va / 24.0, transformer.fuse_amps or math.inf)
    band = Band.at_most(0.8 * capacity, capacity, "nameplate")
    result = grade(reading.value, reading.meter_uncertainty, band)
    expected = expected_at(plate, reading.condition, reading.point, rules)[-1][0]
    words = (
        f"{transformer.va:g} VA gives {transformer.va / 24:.2f} A at 24 V; the calls on now should take about "
        f"{expected:.2f} A."
    )
    base = Verdict(
        grade=result,
        value=reading.value,
        uncertainty=reading.meter_uncertainty,
        unit="A",
        expected=expected,
        band=band,
    )
    if plate.is_assumed("transformer.va"):
        words = f"The transformer's VA is not known: {transformer.va:g} assumed."
        return _made(base, Grade.NOT_PROVEN, "", words, "Read it off the transformer.")
    step = "" if result is Grade.PASS else "Take one conductor off at a time until it falls: that one is shorted."
    return _made(base, result, "" if result is Grade.PASS else "overloaded", words, step)


def judge_ohms(plate: Nameplate, reading: Reading, point: Point) -> Verdict:
    """Judge ohms: of a part with its own leads off, or between two terminals with all parallel paths counting."""
    value = reading.value
    base = Verdict(grade=Grade.NOT_PROVEN, value=value, uncertainty=reading.meter_uncertainty, unit="Ω")
    if point.terminals and len(point.terminals) == 2:
        return _in_circuit(plate, reading, base)
    part = point.id.partition(":")[2]
    if part.endswith(FRAME):
        return _to_frame(base)
    if part.endswith(".element"):
        ohms = plate.circuit(part.partition(".")[0]).element_ohms
        if plate.rating_is_assumed(part.partition(".")[0]) and value < OPEN_FROM_OHMS:
            return _made(base, Grade.NOT_PROVEN, "", "Not open; its rating is not known, so its ohms are not either.")
        band = Band(marginal_low=0.83, pass_low=0.88, pass_high=1.09, marginal_high=1.14, source="default").scaled(ohms)
        return _graded(base, band, ohms, f"V²/P gives {ohms:.2f} Ω hot; cold it may read a few percent lower.")
    if part.endswith(".coil"):
        return _coil(plate, part.partition(".")[0], base)
    if "motor" in part:
        if value >= OPEN_FROM_OHMS:
            return _made(base, Grade.FAIL, "open", "A winding that reads open is open.", CHECK_LEADS)
        return _made(base, Grade.NOT_PROVEN, "", "A winding that conducts is not open; more it does not tell.")
    return _contact(plate, part, reading, base)


def _in_circuit(plate: Nameplate, reading: Reading, base: Verdict) -> Verdict:
    expected = _healthy(plate, reading.point, next(iter(drives_of(plate, Condition())))[0])[0]
    words = "open" if expected >= OPEN_FROM_OHMS else f"{expected:.1f} Ω"
    alike = (min(reading.value, OPEN_OHMS) + 0.5) / (min(expected, OPEN_OHMS) + 0.5)
    because = f"With everything connected a healthy unit reads {words} here; parallel paths count."
    if 0.7 <= alike <= 1.4 or (expected >= OPEN_FROM_OHMS and reading.value >= OPEN_FROM_OHMS):
        return _made(base, Grade.PASS, "as connected", because)
    return _made(base, Grade.NOT_PROVEN, "other than connected", because, "Lift a lead of the part and read again.")


def _to_frame(base: Verdict) -> Verdict:
    if base.value >= OPEN_FROM_OHMS:
        return _made(
            base,
            Grade.NOT_PROVEN,
            "",
            "A plain ohmmeter showing open does not prove the insulation.",
            "With boards, thermostat and ECM disconnected, a 500 V DC test must show above 1 MΩ.",
        )
    return _made(base, Grade.FAIL, "grounded", "Any path from element to frame is a grounded element.", "Replace it.")


def _coil(plate: Nameplate, device_id: str, base: Verdict) -> Verdict:
    kind = next((device.kind for device in plate.devices if device.id == device_id), "relay")
    low, high, name = {
        "contactor": (6.0, 25.0, "a 24 V contactor coil"),
        "ac-relay": (6.0, 150.0, "a 24 V relay coil"),
        "sequencer": (20.0, 120.0, "a sequencer's heater"),
        "dc-relay": (200.0, 1200.0, "a DC heat relay's coil"),
    }.get(kind, (30.0, 150.0, "a general relay's coil"))
    if base.value >= OPEN_FROM_OHMS:
        return _made(base, Grade.FAIL, "open", f"{low:g} to {high:g} Ω is usual for {name}.", "Replace the part.")
    band = Band(marginal_low=0.6 * low, pass_low=low, pass_high=high, marginal_high=OPEN_FROM_OHMS, source="default")
    verdict = _graded(base, band, None, f"{low:g} to {high:g} Ω is usual for {name}.")
    if verdict.grade is Grade.FAIL:
        kilo = kind == "dc-relay" and base.value < 2.0
        warning = "Was that on a kΩ range? 0.64 on one is 640 Ω." if kilo else ""
        return _made(
            verdict, Grade.FAIL, "shorted turns", verdict.because, "Replace it, and see to the fuse.", warning=warning
        )
    return verdict


def _contact(plate: Nameplate, part: str, reading: Reading, base: Verdict) -> Verdict:
    contact = next(contact for contact in wire(plate).contacts if contact.id == part)
    kind, _, device = contact.driver.partition(":")
    driven = False
    if kind in ("thermal", "relay") and reading.condition.control == "separate source":
        relay = plate.blower.relay
        fed_by = relay.fed_by if relay is not None and device == relay.id else plate.call_of(device)
        driven = reading.condition.is_called(fed_by)
    should_close = contact.is_closed_at_rest != driven
    state = "driven" if driven else "at rest"
    if reading.value >= OPEN_FROM_OHMS:
        if should_close:
            return _made(
                base, Grade.FAIL, "open", f"{state.capitalize()} it should be closed.", "Replace it; find why."
            )
        return _made(base, Grade.PASS, "open", f"Open {state}, as it should be.")
    if reading.value <= CLOSED_OHMS + reading.meter_uncertainty:
        if should_close:
            return _made(base, Grade.PASS, "closed", f"Closed {state}, as it should be.")
        return _made(base, Grade.FAIL, "welded", f"{state.capitalize()} it should be open.", "Replace the part.")
    result = Grade.MARGINAL if reading.value <= BURNT_OHMS else Grade.NOT_PROVEN
    return _made(base, result, "high resistance", "Neither closed nor open.", CHECK_LEADS)


def _graded(base: Verdict, band: Band, expected: float | None, because: str) -> Verdict:
    if base.value >= OPEN_FROM_OHMS:
        return _made(base, Grade.FAIL, "open", because, "", band=band, expected=expected)
    result = grade(base.value, base.uncertainty, band)
    kind = "" if result is Grade.PASS else "low ohms" if base.value < band.pass_high else "high ohms"
    return _made(base, result, kind, because, "" if not kind else CHECK_LEADS, band=band, expected=expected)


def _made(base: Verdict, result: Grade, kind: str, because: str, next_step: str = "", **changes: object) -> Verdict:
    return replace(base, grade=result, kind=kind, because=because, next_step=next_step, **changes)  # type: ignore[arg-type]
