"""Ohms and continuity: of a part with its own leads off, in the unit or in the hand, and between two terminals."""

import math

from plentar.core.circuit.drive import Drive, drives_of
from plentar.core.circuit.wiring import wire
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.anywhere import healthy, settled
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.table import coil_limit
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.message import Text, message
from plentar.core.unit.electrical import OPEN_OHMS
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import place_of, spot_of
from plentar.core.unit.points import Point

__all__ = ["judge_ohms"]

CHECK_LEADS = message("ohms.ohms-count-only-parts-own")
RELAY_COIL = ("relay_coil_ohms", message("ohms.general-relays-coil"))


def judge_ohms(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge ohms: of a part with its own leads off, or between two terminals with all parallel paths counting.

    Source:
        docs/trade.md, section 3: Element ohms, Element to frame, Coils by ohms, A closed contact.
    """
    plate, value = situation.plate, reading.value
    base = Verdict(grade=Grade.NOT_PROVEN, value=value, uncertainty=reading.meter_uncertainty, unit="Ω")
    opens = situation.limits.number("open_ohms")
    # Between two terminals everything that joins them counts, so the circuit says what is usual there.
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
            return changed(base, Grade.FAIL, "open", message("ohms.winding-reads-open-open"), CHECK_LEADS)
        words = message("ohms.winding-conducts-not-open-more")
        return changed(base, Grade.NOT_PROVEN, "", words)
    return _contact(situation, part, reading, base, opens)


def _in_circuit(plate: Nameplate, reading: Reading, base: Verdict, opens: float) -> Verdict:
    # Nothing called: ohms in circuit are read on a dead unit, everything at rest.
    drive = drives_of(plate, Condition())[0][0]
    expected = healthy(plate, reading.point, drive)[0]
    words = message("diagnosis.open") if expected >= opens else message("diagnosis.value", value=expected, unit="Ω")
    # By ratio, since ohms span decades; half an ohm is leads and tips.
    alike = (min(reading.value, OPEN_OHMS) + 0.5) / (min(expected, OPEN_OHMS) + 0.5)
    because = message("ohms.everything-connected-healthy-unit-reads", expected=words)
    if 0.7 <= alike <= 1.4 or (expected >= opens and reading.value >= opens):
        return changed(base, Grade.PASS, "as connected", because)
    return changed(base, Grade.NOT_PROVEN, "other than connected", because, message("ohms.lift-lead-part-read-again"))


def _to_frame(base: Verdict, opens: float, insulation_ohms: float) -> Verdict:
    if base.value >= opens:
        return changed(
            base,
            Grade.NOT_PROVEN,
            "",
            message("ohms.plain-ohmmeter-showing-open-does"),
            message("ohms.boards-thermostat-ecm-disconnected-500", insulation_ohms=insulation_ohms / 1e6),
        )
    return changed(base, Grade.FAIL, "grounded", message("ohms.any-path-from-element-frame"), message("ohms.replace"))


def _element(situation: Situation, base: Verdict, circuit_id: str, opens: float) -> Verdict:
    ohms = situation.plate.circuit(circuit_id).element_ohms
    # That it is not open holds for any rating; how many ohms are right does not.
    if situation.plate.rating_is_assumed(circuit_id) and base.value < opens:
        words = message("ohms.not-open-rating-not-known")
        return changed(base, Grade.NOT_PROVEN, "", words)
    band = situation.limits.band("element_ohms_ratio").scaled(ohms)
    words = message("ohms.v-p-gives-hot-cold", ohms=ohms)
    return _graded(base, band, ohms, words, opens)


def _coil(situation: Situation, device_id: str, base: Verdict, opens: float) -> Verdict:
    kind = next((device.of_kind for device in situation.plate.devices if device.id == device_id), None)
    # An electronic input's ohms depend on the meter's own volts.
    if kind is not None and kind.ohms_band is None:
        words = message("ohms.electronics-not-winding-ohms-tell", usual_words=kind.driven_words)
        return changed(base, Grade.NOT_PROVEN, "", words, message("ohms.read-volts-call"))
    name, words = (coil_limit(kind), kind.driven_words) if kind is not None else RELAY_COIL
    band = situation.limits.band(name)
    usual = message("ohms.usual", pass_low=band.pass_low, pass_high=band.pass_high, part=words)
    if base.value >= opens:
        return changed(base, Grade.FAIL, "open", usual, message("ohms.replace-part"))
    verdict = _graded(base, band, None, usual, opens)
    if verdict.grade is Grade.FAIL:
        return changed(verdict, Grade.FAIL, "shorted turns", verdict.because, message("ohms.replace-see-fuse"))
    return verdict


def should_be_closed(plate: Nameplate, part: str, condition: Condition) -> tuple[bool, bool]:
    """Return whether a healthy contact is closed under a condition, and whether something drives it there.

    Source:
        docs/trade.md, section 8: a driven coil only with a contact's own leads off.
    """
    # The wiring says how each contact rests.
    contact = next(contact for contact in wire(plate).contacts if contact.id == part)
    kind = contact.moved_by[0]
    # In the hand with its coil fed it must have moved; only what a coil moves can be asked that.
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
    # A triac is neither open nor closed to an ohmmeter; only a dead short of one tells.
    if _is_semiconductor(situation.plate, part) and (should_close or band.pass_high < reading.value):
        words = message("ohms.semiconductor-shows-ohmmeter-neither-closed")
        return changed(base, Grade.NOT_PROVEN, "", words, message("ohms.read-volts-across-under-call"))
    state = message("ohms.driven" if driven else "ohms.at-rest")
    if reading.value >= opens:
        if should_close:
            words = message("ohms.should-be-closed", state=state)
            return changed(base, Grade.FAIL, "open", words, message("ohms.replace-find-why"))
        return changed(base, Grade.PASS, "open", message("ohms.open-as-should-be", state=state))
    # 20 kΩ by a range of ten thousand ohms a digit would be given all its doubt and called closed.
    if base.uncertainty > band.marginal_high:
        words = message("ohms.range-cannot-tell-closed", ohms=base.uncertainty)
        return changed(base, Grade.NOT_PROVEN, "", words, message("ohms.read-on-smaller-range"))
    # Leads and tips make half an ohm: the meter's doubt is given to the contact.
    if reading.value <= band.pass_high + reading.meter_uncertainty:
        if should_close:
            return changed(base, Grade.PASS, "closed", message("ohms.closed-as-should-be", state=state))
        return changed(
            base, Grade.FAIL, "welded", message("ohms.should-be-open", state=state), message("ohms.replace-part")
        )
    # Some ohms across an idle contact are film that load burns away, or a probe on paint.
    result = Grade.MARGINAL if reading.value <= band.marginal_high else Grade.NOT_PROVEN
    return changed(base, result, "high resistance", message("ohms.neither-closed-nor-open"), CHECK_LEADS)


def _graded(base: Verdict, band: Band, expected: float | None, because: Text, opens: float) -> Verdict:
    if base.value >= opens:
        return changed(base, Grade.FAIL, "open", because, "", band=band, expected=expected)
    result = grade(base.value, base.uncertainty, band)
    kind = "" if result is Grade.PASS else "low ohms" if base.value < band.pass_high else "high ohms"
    return changed(base, result, kind, because, "" if not kind else CHECK_LEADS, band=band, expected=expected)
