"""Volts across a contact, limit or link, and what a silent pole means by the clock."""

from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.situation import Situation, changed
from plentar.core.limits.table import Limits
from plentar.core.limits.verdicts import Band, Grade, Verdict, grade
from plentar.core.limits.windows import Patience, closing, opening
from plentar.core.message import Text, message
from plentar.core.unit.kinds import Kind
from plentar.core.unit.nameplate import HeatingCircuit
from plentar.core.unit.place import point_at, spot_of
from plentar.core.unit.points import Point, piece_words, rung_terminals

__all__ = ["judge_contact", "patience", "still_opening"]

# Cold and at full load a good one drops a third more than in the middle; two thirds more is on its way to failing.
SEMICONDUCTOR_SHARES = (4 / 3, 5 / 3)


def judge_contact(situation: Situation, reading: Reading, point: Point) -> Verdict:
    """Judge line volts across one part of a rung under its call.

    Source:
        docs/trade.md, section 3, A closed contact; section 5: zero volts is closed only if current flows.
    """
    circuit = situation.plate.circuit(point.subject)
    limits = situation.limits
    # The probes' two places name the part between them.
    part = next(part for part, *ends in rung_terminals(circuit) if set(ends) == set(spot_of(point.id).places))
    base = Verdict(grade=Grade.NOT_PROVEN, value=reading.value, uncertainty=reading.meter_uncertainty, unit="V")
    call = situation.plate.call_of(circuit.device)
    if not reading.condition.is_called(call):
        if part == "pole" and reading.value <= limits.band("closed_contact_volts").marginal_high:
            closed = _closed_uncalled(situation, reading, circuit, base)
            if closed is not None:
                return closed
        return changed(
            base,
            Grade.NOT_PROVEN,
            "",
            message("contacts.across-only-reading-called-tells", part=piece_words(part), call=call),
            message("contacts.call-read-again", call=call),
        )
    kind = situation.plate.device(circuit.device).of_kind
    band = _closed_band(limits, kind, part)
    base = changed(base, Grade.NOT_PROVEN, "", "", band=band, expected=kind.drop_volts if part == "pole" else 0.0)
    supply = situation.supply(circuit.supplied_by, reading)
    # The share is coarse enough for the service's own volts where nobody has read them yet.
    line = supply.value if supply is not None else situation.plate.nominal_volts
    # All of the line across one part: it is the one that is open, since the rest of the rung passed it on.
    if reading.value >= limits.number("open_contact_ratio") * line and line > 0:
        # Only a pole is late by nature: a link or a limit has no reason to wait.
        waiting = patience(situation, circuit, reading.condition) if part == "pole" else None
        if waiting is not None:
            return changed(base, *waiting)
        return changed(
            base,
            Grade.FAIL,
            "open under call",
            message("contacts.line-volts-stand-across-open", part=piece_words(part)),
            _replace_step(part),
        )
    # Between a drop and the line: something carries current it cannot carry for long.
    if reading.value > band.marginal_high:
        words = message("contacts.drops-volts-should-pass", part=piece_words(part))
        return changed(base, Grade.FAIL, "high resistance", words, _replace_step(part))
    # Near zero means closed only while current flows: across two opens in series neither shows its volts.
    amps = situation.carries_current(circuit, reading)
    if amps is not None and amps.value >= limits.number("dead_below_amps"):
        return _closed(situation, reading, base, part, amps, kind)
    if grade(reading.value, reading.meter_uncertainty, band) is not Grade.PASS and reading.value >= band.pass_high:
        return _burning(base)
    # Without the strip's amps these zero volts may mean a closed contact or no supply.
    if amps is None:
        words = message("contacts.near-zero-means-closed-only")
        return changed(base, Grade.NOT_PROVEN, "", words, message("contacts.clamp", circuit=circuit.name))
    words = message("contacts.near-zero-but-no-current")
    return changed(base, Grade.NOT_PROVEN, "", words, message("contacts.read-across-next-part-rung"))


def _closed_uncalled(situation: Situation, reading: Reading, circuit: HeatingCircuit, base: Verdict) -> Verdict | None:
    """Judge a pole that carries its strip with the thermostat not calling; None where nothing is known to flow.

    Off-delays, defrost and outdoor thermostats call as well: stuck it is only with nothing at its heater, and after
    twice its off-time.

    Source:
        docs/trade.md, section 3, pole off-time; section 5: zero volts is closed only if current flows.
    """
    limits, plate = situation.limits, situation.plate
    amps = situation.carries_current(circuit, reading)
    if amps is None or amps.value < limits.number("contact_least_amps"):
        return None
    device = plate.device(circuit.device)
    heater = f"{device.id}.coil"
    volts = situation.alike(point_at(device.of_kind.coil_function, f"{heater}.1", f"{heater}.2"), reading)
    drive = device.of_kind.drive_words
    if volts is None:
        said = message("contacts.closed-uncalled", amps=amps.value)
        return changed(base, Grade.NOT_PROVEN, "closed", said, message("contacts.read-at-its-heater", drive=drive))
    if volts.value + volts.meter_uncertainty >= limits.number("dead_volts"):
        said = message("contacts.closed-and-driven", volts=volts.value, drive=drive)
        return changed(base, Grade.NOT_PROVEN, "closed", said, message("contacts.find-what-calls"))
    left = still_opening(situation, circuit, reading.condition, twice=True)
    if left > 0:
        said = message("contacts.closed-may-open", drive=drive)
        return changed(base, Grade.NOT_PROVEN, "closed", said, message("contacts.wait-s-more", left_seconds=left))
    return changed(
        base,
        Grade.FAIL,
        "stuck closed",
        message("contacts.stuck-closed", amps=amps.value, drive=drive),
        _replace_step("pole"),
    )


def still_opening(situation: Situation, circuit: HeatingCircuit, condition: Condition, *, twice: bool = False) -> float:
    """Return for how many seconds more a pole may still be on its way open; 0 once it should be, or nobody knows.

    With `twice` until it counts as stuck, which nobody may say without a clock.
    """
    plate, since = situation.plate, condition.seconds_since_change
    if not plate.device(circuit.device).of_kind.is_thermal or (since is None and not twice):
        return 0.0
    poles = [plate.device(circuit.device).pole(number) for number in circuit.poles]
    windows = [opening(plate, circuit.device, pole, situation.limits) for pole in poles]
    # With a pole in each leg the circuit is off when the first one has opened.
    return max(0.0, min(w.never_seconds if twice else w.max_seconds for w in windows) - (since or 0.0))


def _closed_band(limits: Limits, kind: Kind, part: str) -> Band:
    """Return what a closed part may drop [V]: a semiconductor its own, whatever it carries; metal next to nothing."""
    if part == "pole" and kind.drop_volts > 0:
        # A semiconductor drops its volt whatever it carries, and a metal contact's millivolts do not judge it.
        passes, marginal = (share * kind.drop_volts for share in SEMICONDUCTOR_SHARES)
        return Band.at_most(passes, marginal, source="default")
    return limits.band("closed_contact_volts")


def _closed(situation: Situation, reading: Reading, base: Verdict, part: str, amps: Reading, kind: Kind) -> Verdict:
    """Judge a closed contact that carries current: by its volts from 10 A on, by its ohms below."""
    limits = situation.limits
    # Below ten amps a burnt contact's drop sinks under any meter's last digit; its ohms still tell.
    if amps.value >= limits.number("contact_least_amps") or (part == "pole" and kind.drop_volts > 0):
        band = _closed_band(limits, kind, part)
    else:
        band = limits.band("closed_contact_ohms").scaled(amps.value)
        # A meter that cannot tell good from burning says so, instead of passing everything.
        if reading.meter_uncertainty > band.marginal_high:
            words = message("contacts.this-meter-cannot-tell-good", amps=amps.value, part=piece_words(part))
            return changed(base, Grade.NOT_PROVEN, "", words, band=band)
    base = changed(base, Grade.NOT_PROVEN, "", "", band=band)
    # Near a band edge the meter cannot tell closed from beginning to burn.
    result = grade(reading.value, reading.meter_uncertainty, band)
    if result is Grade.FAIL:
        words = message("contacts.drops-volts-should-pass", part=piece_words(part))
        return changed(base, result, "high resistance", words, _replace_step(part))
    # Marginal below the pass edge is the meter's doubt; above it, it is the contact's.
    if result is Grade.MARGINAL and reading.value >= band.pass_high:
        return _burning(base)
    return changed(base, result, "closed", message("contacts.closed-carrying-current"))


def _burning(base: Verdict) -> Verdict:
    return changed(
        base,
        Grade.MARGINAL,
        "burning",
        message("contacts.drop-this-large-under-load"),
        message("contacts.look-power-off-plan-replace"),
    )


def _replace_step(part: str) -> Text:
    return message(
        {"limit": "contacts.replace-limit", "link": "contacts.replace-link"}.get(part, "contacts.replace-part")
    )


def patience(
    situation: Situation, circuit: HeatingCircuit, condition: Condition
) -> tuple[Grade, str, Text, Text] | None:
    """Return what a silent circuit means by the clock, or None once it should long have closed.

    Source:
        docs/trade.md, section 5, patience clock: before the maximum nothing, then marginal, late, did not close.
    """
    plate = situation.plate
    seconds = condition.call_seconds(plate.call_of(circuit.device))
    # A call whose beginning was not seen has no clock to wait by.
    if seconds is None:
        return None
    poles = [plate.device(circuit.device).pole(number) for number in circuit.poles]
    # With a pole in each leg the circuit lives when the slower one has made.
    slowest = max((closing(plate, circuit.device, pole, situation.limits) for pole in poles), key=_latest)
    if seconds < slowest.max_seconds:
        return (
            Grade.NOT_PROVEN,
            "",
            message("contacts.called-s-ago-this-pole", seconds=seconds, max_seconds=slowest.max_seconds),
            message("contacts.wait-s-more", left_seconds=slowest.max_seconds - seconds),
        )
    words = message("contacts.called-s-ago-window-s", seconds=seconds, max_seconds=slowest.max_seconds)
    # Late is not dead: a weak heater or low volts still get there, and the next look would find it closed.
    if seconds <= slowest.late_seconds:
        return (Grade.MARGINAL, "late", words, message("contacts.give-little-more"))
    if seconds < slowest.never_seconds:
        return (Grade.FAIL, "late", words, message("contacts.s-counts-as-did-not", never_seconds=slowest.never_seconds))
    return None


def _latest(window: Patience) -> float:
    return window.max_seconds
