"""Part check: may this part stand in for that one, line by line, each with its margin."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from plentar.core.errors import NameplateError
from plentar.core.judging.control import room_amps
from plentar.core.judging.timing import stages_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, grade
from plentar.core.limits.windows import AT_ONCE
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.kinds import KINDS
from plentar.core.unit.nameplate import Nameplate, Pole, SwitchingDevice, Window
from plentar.core.unit.points import part_words

__all__ = ["PART_KINDS", "CheckLine", "Part", "check_part", "kind_words", "worst_of"]

PART_KINDS: tuple[str, ...] = (*KINDS, "blower-relay", "limit", "element")
# What holds each kind in at 24 V where nothing is printed [A].
BLOWER_RELAY_HOLDING_AMPS = 0.18
USUAL_HOLDING_AMPS = {kind.id: kind.holding_amps for kind in KINDS.values()} | {
    "blower-relay": BLOWER_RELAY_HOLDING_AMPS
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part on the shelf, as its label gives it; None where it gives nothing.

    `rating` tells what its contacts are rated for; `coil` what drives it; `tab_inches` its coil tabs.
    """

    name: str
    kind: str
    poles: int = 1
    rated_amps: float | None = None
    rating: Literal["resistive", "motor", ""] = ""
    coil_volts: float | None = 24.0
    coil: Literal["AC", "DC", "heater", ""] = ""
    holding_amps: float | None = None
    on_window: Window | None = None
    off_window: Window | None = None
    tab_inches: float | None = None
    opens_degf: float | None = None
    rated_watts: float | None = None
    rated_volts: float | None = None

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise NameplateError("give the part a name", field="name")
        if self.kind not in PART_KINDS:
            raise NameplateError(f"expected one of {', '.join(PART_KINDS)}, got {self.kind!r}", field="kind")
        if not 1 <= self.poles <= 6:
            raise NameplateError(f"expected 1 to 6 poles, got {self.poles}", field="poles")
        for name in (
            "rated_amps",
            "coil_volts",
            "holding_amps",
            "tab_inches",
            "opens_degf",
            "rated_watts",
            "rated_volts",
        ):
            value = getattr(self, name)
            if value is not None and not 0 < value < 1e6:
                raise NameplateError(f"expected a figure above zero, got {value}", field=name)


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckLine:
    """One line of the check: what was held against what, with the margin in words."""

    name: str
    grade: Grade
    words: str
    changes: str = field(default="")


def kind_words(kind: str) -> str:
    """Return a part's kind as it is said: `dc-relay` is DC heat relay."""
    return KINDS[kind].words if kind in KINDS else kind.replace("-", " ")


def worst_of(lines: Sequence[CheckLine]) -> Grade:
    """Return the worst verdict of the lines: fail, then marginal or not proven, then pass."""
    return max((line.grade for line in lines), key=lambda worst: (worst.severity, worst is Grade.MARGINAL))


def check_part(plate: Nameplate, device_id: str, part: Part, limits: Limits = DEFAULT_LIMITS) -> tuple[CheckLine, ...]:
    """Hold a part against the device it is to replace.

    Args:
        plate: The unit.
        device_id: The sequencer, contactor or heat relay to replace, or the blower relay's id.
        part: The candidate.
        limits: The shop's limits.
    Raises:
        NameplateError: The unit has no such device.
    Source:
        docs/trade.md, section 6: each check with its margin; never fit a blower relay as a heat contact.
    """
    relay = plate.blower.relay
    if relay is not None and device_id == relay.id:
        return tuple(_blower_lines(plate, part, limits))
    device = plate.device(device_id)
    lines = [_kind_line(device, part)]
    lines += _contact_lines(plate, device, part, limits)
    lines.append(_poles_line(device, part))
    lines += _coil_lines(device, part)
    lines += _timing_lines(plate, device, part, limits)
    lines.append(_control_line(plate, device, part, limits))
    lines.append(_tabs_line(device, part))
    return tuple(lines)


def _line(name: str, result: Grade, words: str, changes: str = "") -> CheckLine:
    return CheckLine(name=name, grade=result, words=words, changes=changes)


def _capital(words: str) -> str:
    return f"{words[0].upper()}{words[1:]}"


def _kind_line(device: SwitchingDevice, part: Part) -> CheckLine:
    if part.kind == "blower-relay":
        return _line(
            "Kind", Grade.FAIL, "Never fit a blower relay as a heat contact: made for a motor, it burns on a strip."
        )
    if part.kind in ("limit", "element"):
        return _line("Kind", Grade.FAIL, f"A {part.kind} switches nothing.")
    if part.kind == device.kind:
        return _line("Kind", Grade.PASS, f"{_capital(device.of_kind.words)} for {device.of_kind.words}.")
    words = f"{_capital(KINDS[part.kind].words)} in place of: {device.of_kind.words}."
    if KINDS[part.kind].is_thermal == device.of_kind.is_thermal:
        how = "after its heater has warmed, as before" if device.of_kind.is_thermal else "at once, as before"
        return _line("Kind", Grade.MARGINAL, words, f"It moves {how}.")
    how = "after its heater has warmed" if KINDS[part.kind].is_thermal else "at once, all together"
    return _line("Kind", Grade.MARGINAL, words, f"Its poles now move {how}.")


def _contact_lines(plate: Nameplate, device: SwitchingDevice, part: Part, limits: Limits) -> list[CheckLine]:
    lines = []
    for pole in device.poles:
        loads = [c for c in plate.circuits if c.device == device.id and pole.number in c.poles]
        if not loads:
            continue
        amps = sum(float(expected_element_amps(c.rated_watts, c.rated_volts, plate.nominal_volts)) for c in loads)
        name = f"Contact, {' and '.join(c.name for c in loads)}"
        if part.rated_amps is None:
            lines.append(_line(name, Grade.NOT_PROVEN, f"{amps:.1f} A to switch; the part's rating is not known."))
            continue
        if any(plate.rating_is_assumed(c.id) for c in loads):
            words = f"Some {amps:.0f} A to switch if the strip is of the usual size: its rating is not known."
            lines.append(_line(name, Grade.NOT_PROVEN, words))
            continue
        share = amps / part.rated_amps
        result = grade(share, 0.0, limits.band("contact_load_ratio"))
        words = f"{amps:.1f} A on {part.rated_amps:g} A, {100 * share:.0f} %."
        if part.rating == "motor":
            result, words = Grade.FAIL, f"{words} Its rating is a motor's, not a heater's."
        lines.append(_line(name, result, words))
    return lines


def _poles_line(device: SwitchingDevice, part: Part) -> CheckLine:
    need = len(device.poles) + (device.auxiliary is not None)
    if part.poles < need:
        return _line("Poles", Grade.FAIL, f"{need} needed, {part.poles} there.")
    spare = part.poles - need
    words = f"{need} needed, {part.poles} there."
    return _line("Poles", Grade.PASS, words, f"{spare} spare: no lead may be landed there." if spare else "")


def _coil_lines(device: SwitchingDevice, part: Part) -> list[CheckLine]:
    lines = []
    if part.coil_volts is None:
        lines.append(_line("Coil volts", Grade.NOT_PROVEN, "Not on the label."))
    elif abs(part.coil_volts - 24.0) > 3:
        lines.append(_line("Coil volts", Grade.FAIL, f"{part.coil_volts:g} V on a 24 V control."))
    else:
        lines.append(_line("Coil volts", Grade.PASS, f"{part.coil_volts:g} V."))
    is_dc, was_dc = part.coil == "DC", device.of_kind.is_rectified
    if is_dc and not was_dc:
        lines.append(
            _line("Coil kind", Grade.FAIL, "A DC coil on 24 VAC hums and burns: it needs its own rectifier board.")
        )
    elif was_dc and part.coil in ("AC", "heater"):
        words = "An AC part on a rectified supply stays out or burns: take the 24 VAC ahead of the rectifier."
        lead = f"{part_words(device.id)}'s coil lead"
        changes = f"{lead} moves from the board's output to its 24 VAC input; the board stays unused."
        lines.append(_line("Coil kind", Grade.MARGINAL, words, changes))
    elif not part.coil:
        lines.append(_line("Coil kind", Grade.NOT_PROVEN, "AC or DC is not on the label."))
    else:
        lines.append(_line("Coil kind", Grade.PASS, f"{part.coil} as before."))
    return lines


def _timing_lines(plate: Nameplate, device: SwitchingDevice, part: Part, limits: Limits) -> list[CheckLine]:
    at_once = None if part.kind in KINDS and KINDS[part.kind].is_thermal else AT_ONCE
    on, off = part.on_window or at_once, part.off_window or at_once
    if on is None or off is None:
        return [_line("Timing", Grade.NOT_PROVEN, "No window printed: time it before it is trusted.")]
    lines = []
    first: Pole = device.poles[0]
    was = first.on_window
    if was is not None:
        same = abs(was.max_seconds - on.max_seconds) <= 15 and abs(was.min_seconds - on.min_seconds) <= 15
        words = f"On {on.min_seconds:g} to {on.max_seconds:g} s, was {was.min_seconds:g} to {was.max_seconds:g} s."
        lines.append(_line("On time", Grade.PASS if same else Grade.MARGINAL, words))
    blower = next(stage for stage in stages_of(plate, limits) if stage.id == "blower")
    carried = _carries_blower(plate, device)
    if carried:
        lines.append(_line("Blower off", Grade.PASS, "This part carries the blower too: both stop together."))
    elif off.max_seconds > blower.off_window.min_seconds and off.max_seconds > blower.off_window.max_seconds:
        words = (
            f"May heat to {off.max_seconds:g} s after the call, the blower stops by {blower.off_window.max_seconds:g}."
        )
        lines.append(_line("Blower off", Grade.FAIL, f"Heat must not outlast the blower. {words}"))
    else:
        words = f"Off by {off.max_seconds:g} s; the blower runs until {blower.off_window.min_seconds:g} to "
        words += f"{blower.off_window.max_seconds:g} s."
        result = Grade.PASS if off.max_seconds <= blower.off_window.min_seconds else Grade.MARGINAL
        lines.append(_line("Blower off", result, words))
    return lines


def _carries_blower(plate: Nameplate, device: SwitchingDevice) -> bool:
    if plate.blower.switched_by == device.id:
        return True
    landed = {contact.nc for contact in plate.blower.relay.contacts} if plate.blower.relay else set()
    return any(c.id in landed and c.device == device.id for c in plate.circuits)


def _control_line(plate: Nameplate, device: SwitchingDevice, part: Part, limits: Limits) -> CheckLine:
    def holding(kind: str, printed: float | None) -> float:
        return printed if printed is not None else USUAL_HOLDING_AMPS.get(kind, 0.3)

    total = holding(part.kind, part.holding_amps)
    total += sum(holding(d.kind, d.holding_amps) for d in plate.devices if d.id != device.id)
    total += USUAL_HOLDING_AMPS["blower-relay"] if plate.blower.relay is not None else 0.0
    room = room_amps(plate)
    share = total / room
    result = grade(share, 0.0, limits.band("control_amps_ratio"))
    if plate.is_assumed("transformer.va"):
        result = Grade.NOT_PROVEN
    words = f"All calls on take {total:.2f} A of the control side's {room:.2f} A, {100 * share:.0f} %."
    return _line("Control", result, words)


def _tabs_line(device: SwitchingDevice, part: Part) -> CheckLine:
    usual = device.of_kind.tab_inches
    if part.tab_inches is None:
        return _line("Coil tabs", Grade.NOT_PROVEN, "Tab size not known: look before the old part is out.")
    if abs(part.tab_inches - usual) < 0.01:
        return _line("Coil tabs", Grade.PASS, f"{part.tab_inches:g} in, as the harness has.")
    words = f"{part.tab_inches:g} in on a harness made for {usual:g} in."
    return _line(
        "Coil tabs", Grade.MARGINAL, words, "Short adaptor leads; leave the harness uncut, so the original fits again."
    )


def _blower_lines(plate: Nameplate, part: Part, limits: Limits) -> list[CheckLine]:
    """The blower relay: contact form, motor rating, coil."""
    relay = plate.blower.relay
    assert relay is not None  # noqa: S101 - the caller looked
    lines = []
    if part.kind != "blower-relay":
        lines.append(_line("Kind", Grade.FAIL, "The interlock needs a change-over contact: COM, NO and NC."))
    else:
        lines.append(_line("Kind", Grade.PASS, "Change-over relay."))
    need = len(relay.contacts)
    enough = Grade.PASS if part.poles >= need else Grade.FAIL
    lines.append(_line("Contacts", enough, f"{need} change-over needed, {part.poles} there."))
    amps = plate.blower.rated_amps
    if part.rated_amps is None:
        lines.append(_line("Motor rating", Grade.NOT_PROVEN, f"{amps:g} A of motor; the part's rating is not known."))
    else:
        share = amps / part.rated_amps
        result = grade(share, 0.0, limits.band("contact_load_ratio"))
        if plate.is_assumed("blower.rated_amps"):
            result = Grade.NOT_PROVEN
        lines.append(_line("Motor rating", result, f"{amps:g} A on {part.rated_amps:g} A, {100 * share:.0f} %."))
    return [*lines, *_coil_lines_24(part)]


def _coil_lines_24(part: Part) -> list[CheckLine]:
    good = part.coil_volts is not None and abs(part.coil_volts - 24.0) <= 3 and part.coil in ("AC", "")
    words = f"{part.coil_volts or 0:g} V {part.coil}".strip() + "."
    return [_line("Coil", Grade.PASS if good else Grade.FAIL, words)]
