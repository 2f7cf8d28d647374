"""Ohms and continuity: of a part with its own leads off, in the unit or in the hand, and between two terminals."""

import math

from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.anywhere import healthy, settled
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.table import coil_limit
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of, spot_of
from plentar.core.unit.points import Point

__all__ = ["judge_ohms"]

CHECK_LEADS = "Ohms count only with the part's own leads off: a parallel path reads low."
RELAY_COIL = ("relay_coil_ohms", "a general relay's coil")


def judge_ohms(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge ohms: of a part with its own leads off, or between two terminals with all parallel paths counting."""
    plate, value = situation.plate, reading.value
    base = Verdict(grade=Grade.NOT_PROVEN, value=value, uncertainty=reading.meter_uncertainty, unit="Ω")
    opens = situation.limits.number("open_ohms")
    if point.terminals and len(point.terminals) == 2:
        return _in_circuit(plate, reading, base, opens)
    part = spot_of(point.id).part
    place = place_of(part)
    if place.is_to_frame:
        return _to_frame(base, opens, situation.limits.number("insulation_ohms"))
    if place.is_element:
        return _element(situation, base, place.owner, opens)
    if place.is_coil:
        return _coil(situation, place.owner, base, opens)
    if place.is_motor:
        if value >= opens:
            return changed(base, Grade.FAIL, "open", "A winding that reads open is open.", CHECK_LEADS)
        words = "A winding that conducts is not open; more it does not tell."
        return changed(base, Grade.NOT_PROVEN, "", words)
    return _contact(situation, part, reading, base, opens)


def _in_circuit(plate: Nameplate, reading: Reading, base: Verdict, opens: float) -> Verdict:
    drive = drives_of(plate, Condition())[0][0]
    expected = healthy(plate, reading.point, drive)[0]
    words = "open" if expected >= opens else f"{expected:.1f} Ω"
    alike = (min(reading.value, OPEN_OHMS) + 0.5) / (min(expected, OPEN_OHMS) + 0.5)
    because = f"With everything connected a healthy unit reads {words} here; parallel paths count."
    if 0.7 <= alike <= 1.4 or (expected >= opens and reading.value >= opens):
        return changed(base, Grade.PASS, "as connected", because)
    return changed(base, Grade.NOT_PROVEN, "other than connected", because, "Lift a lead of the part and read again.")


def _to_frame(base: Verdict, opens: float, insulation_ohms: float) -> Verdict:
    if base.value >= opens:
        return changed(
            base,
            Grade.NOT_PROVEN,
            "",
            "A plain ohmmeter showing open does not prove the insulation.",
            "With boards, thermostat and ECM disconnected, a 500 V DC test must show above "
            f"{insulation_ohms / 1e6:g} MΩ.",
        )
    return changed(base, Grade.FAIL, "grounded", "Any path from element to frame is a grounded element.", "Replace it.")


def _element(situation: Situation, base: Verdict, circuit_id: str, opens: float) -> Verdict:
    ohms = situation.plate.circuit(circuit_id).element_ohms
    if situation.plate.rating_is_assumed(circuit_id) and base.value < opens:
        words = "Not open; its rating is not known, so its ohms are not either."
        return changed(base, Grade.NOT_PROVEN, "", words)
    band = situation.limits.band("element_ohms_ratio").scaled(ohms)
    words = f"V²/P gives {ohms:.2f} Ω hot; cold it may read a few percent lower."
    return _graded(base, band, ohms, words, opens)


def _coil(situation: Situation, device_id: str, base: Verdict, opens: float) -> Verdict:
    kind = next((device.of_kind for device in situation.plate.devices if device.id == device_id), None)
    if kind is not None and kind.ohms_band is None:
        words = f"Electronics, not a winding: ohms of {kind.usual_words} tell nothing."
        return changed(base, Grade.NOT_PROVEN, "", words, "Read its volts with the call on.")
    name, words = (coil_limit(kind), kind.usual_words) if kind is not None else RELAY_COIL
    band = situation.limits.band(name)
    usual = f"{band.pass_low:g} to {band.pass_high:g} Ω is usual for {words}."
    if base.value >= opens:
        return changed(base, Grade.FAIL, "open", usual, "Replace the part.")
    verdict = _graded(base, band, None, usual, opens)
    if verdict.grade is Grade.FAIL:
        kilo = kind is not None and kind.reads_in_kilohms and base.value < 2.0
        warning = "Was that on a kΩ range? 0.64 on one is 640 Ω." if kilo else ""
        step = "Replace it, and see to the fuse."
        return changed(verdict, Grade.FAIL, "shorted turns", verdict.because, step, warning=warning)
    return verdict


def should_be_closed(plate: Nameplate, part: str, condition: Condition) -> tuple[bool, bool]:
    """Return whether a healthy contact is closed under a condition, and whether something drives it there."""
    contact = next(contact for contact in wire(plate).contacts if contact.id == part)
    kind = contact.moved_by[0]
    if condition.in_hand == "driven" and kind in ("thermal", "relay"):
        return not contact.is_closed_at_rest, True
    if condition.control == "separate source" and not condition.in_hand:
        drive: Drive = drives_of(plate, condition)[-1][0]
        is_closed = settled(plate, drive).closed[part]
        return is_closed, is_closed != contact.is_closed_at_rest
    return contact.is_closed_at_rest, False


def _is_semiconductor(plate: Nameplate, part: str) -> bool:
    owner = place_of(part).owner
    return any(device.id == owner and math.isfinite(device.of_kind.leak_ohms) for device in plate.devices)


def _contact(situation: Situation, part: str, reading: Reading, base: Verdict, opens: float) -> Verdict:
    should_close, driven = should_be_closed(situation.plate, part, reading.condition)
    band = situation.limits.band("contact_ohms")
    if _is_semiconductor(situation.plate, part) and (should_close or band.pass_high < reading.value):
        words = "A semiconductor shows an ohmmeter neither closed nor open: only one shorted through shows."
        return changed(base, Grade.NOT_PROVEN, "", words, "Read volts across it under a call, and without one.")
    state = "driven" if driven else "at rest"
    if reading.value >= opens:
        if should_close:
            words = f"{state.capitalize()} it should be closed."
            return changed(base, Grade.FAIL, "open", words, "Replace it; find why.")
        return changed(base, Grade.PASS, "open", f"Open {state}, as it should be.")
    if reading.value <= band.pass_high + reading.meter_uncertainty:
        if should_close:
            return changed(base, Grade.PASS, "closed", f"Closed {state}, as it should be.")
        return changed(base, Grade.FAIL, "welded", f"{state.capitalize()} it should be open.", "Replace the part.")
    result = Grade.MARGINAL if reading.value <= band.marginal_high else Grade.NOT_PROVEN
    return changed(base, result, "high resistance", "Neither closed nor open.", CHECK_LEADS)


def _graded(base: Verdict, band: Band, expected: float | None, because: str, opens: float) -> Verdict:
    if base.value >= opens:
        return changed(base, Grade.FAIL, "open", because, "", band=band, expected=expected)
    result = grade(base.value, base.uncertainty, band)
    kind = "" if result is Grade.PASS else "low ohms" if base.value < band.pass_high else "high ohms"
    return changed(base, result, kind, because, "" if not kind else CHECK_LEADS, band=band, expected=expected)
