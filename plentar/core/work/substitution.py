"""Part check: may this part stand in for that one, line by line, each with its margin."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from plentar.core.circuit.places import terminal_words
from plentar.core.errors import NameplateError
from plentar.core.judging.control import room_amps
from plentar.core.judging.timing import stages_of
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.limits.verdicts import Grade, grade
from plentar.core.limits.windows import AT_ONCE
from plentar.core.message import Text, joined, message
from plentar.core.unit.electrical import expected_element_amps
from plentar.core.unit.kinds import KINDS
from plentar.core.unit.nameplate import Nameplate, Pole, SwitchingDevice, Window
from plentar.core.unit.place import place_of
from plentar.core.unit.points import part_words
from plentar.core.work.ledger import leads_of

__all__ = ["PART_KINDS", "CheckLine", "Part", "check_part", "kind_words", "parts_needed", "worst_of"]

PART_KINDS: tuple[str, ...] = (*KINDS, "blower-relay", "limit", "element")
# What holds each kind in at 24 V where nothing is printed [A].
BLOWER_RELAY_HOLDING_AMPS = 0.18
USUAL_HOLDING_AMPS = {kind.id: kind.holding_amps for kind in KINDS.values()} | {
    "blower-relay": BLOWER_RELAY_HOLDING_AMPS
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part on the shelf, as its label gives it; None where it gives nothing.

    `rating` tells what its contacts are rated for; `coil` what drives it; `tab_inches` its coil tabs; `tabs` how many
    push-on ends each of its power terminals takes; `price` what one costs.
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
    tabs: int | None = None
    price: float | None = None

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
            "tabs",
            "price",
        ):
            value = getattr(self, name)
            if value is not None and not 0 < value < 1e6:
                raise NameplateError(f"expected a figure above zero, got {value}", field=name)


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckLine:
    """One line of the check: what was held against what, with the margin in words."""

    name: Text
    grade: Grade
    words: Text
    changes: Text = field(default="")


def kind_words(kind: str) -> Text:
    """Return a part's kind as it is said: `dc-relay` is DC heat relay."""
    return KINDS[kind].words if kind in KINDS else kind.replace("-", " ")


def worst_of(lines: Sequence[CheckLine]) -> Grade:
    """Return the worst verdict of the lines: fail, then marginal or not proven, then pass."""
    return max((line.grade for line in lines), key=lambda worst: (worst.severity, worst is Grade.MARGINAL))


def parts_needed(plate: Nameplate, device_id: str, part: Part) -> int:
    """Return how many of a part stand in for one device by their poles: one, or two where one has too few.

    Two relays for one blower relay would be two armatures where the interlock needs one.
    """
    if plate.blower.relay is not None and device_id == plate.blower.relay.id:
        return 1
    need = _poles_needed(plate.device(device_id))
    return 2 if part.kind in KINDS and part.poles < need <= 2 * part.poles else 1


def check_part(
    plate: Nameplate, device_id: str, part: Part, limits: Limits = DEFAULT_LIMITS, *, count: int = 1
) -> tuple[CheckLine, ...]:
    """Hold a part against the device it is to replace.

    Args:
        plate: The unit.
        device_id: The sequencer, contactor or heat relay to replace, or the blower relay's id.
        part: The candidate.
        limits: The shop's limits.
        count: How many of it take the device's place: two share its poles between them.
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
    lines.append(_poles_line(device, part, count))
    if count > 1:
        lines.append(_split_line(device, part))
    lines += _coil_lines(device, part)
    lines += _timing_lines(plate, device, part, limits)
    lines.append(_control_line(plate, device, part, limits, count))
    lines.append(_tabs_line(device, part))
    lines += _adaptor_lines(plate, device, part, count)
    return tuple(lines)


def _line(name: Text, result: Grade, words: Text, changes: Text = "") -> CheckLine:
    return CheckLine(name=name, grade=result, words=words, changes=changes)


def _kind_line(device: SwitchingDevice, part: Part) -> CheckLine:
    # Made for a motor's few amps: on a strip it welds or burns within a season.
    if part.kind == "blower-relay":
        return _line("Kind", Grade.FAIL, message("substitution.never-fit-blower-relay-as"))
    if part.kind in ("limit", "element"):
        return _line("Kind", Grade.FAIL, message("substitution.switches-nothing", kind=part.kind))
    if part.kind == device.kind:
        return _line(
            "Kind",
            Grade.PASS,
            message("substitution.for", part=device.of_kind.words, device=device.of_kind.words),
        )
    words = message("substitution.place", part=KINDS[part.kind].words, device=device.of_kind.words)
    # Same way of moving, so order and interlock stay; another way changes what comes first.
    if KINDS[part.kind].is_thermal == device.of_kind.is_thermal:
        how = (
            message("substitution.after-heater-has-warmed-as")
            if device.of_kind.is_thermal
            else message("substitution.once-as-before")
        )
        return _line("Kind", Grade.MARGINAL, words, message("substitution.moves", how=how))
    how = (
        message("substitution.after-heater-has-warmed")
        if KINDS[part.kind].is_thermal
        else message("substitution.once-all-together")
    )
    return _line("Kind", Grade.MARGINAL, words, message("substitution.poles-now-move", how=how))


def _contact_lines(plate: Nameplate, device: SwitchingDevice, part: Part, limits: Limits) -> list[CheckLine]:
    lines = []
    for pole in device.poles:
        loads = [c for c in plate.circuits if c.device == device.id and pole.number in c.poles]
        if not loads:
            continue
        # At the service's volts, since that is what the contact will carry on most days.
        amps = sum(float(expected_element_amps(c.rated_watts, c.rated_volts, plate.nominal_volts)) for c in loads)
        name = message("substitution.contact", strips=joined(c.name for c in loads))
        if part.rated_amps is None:
            lines.append(
                _line(name, Grade.NOT_PROVEN, message("substitution.switch-parts-rating-not-known", amps=amps))
            )
            continue
        # A load that was guessed cannot pass a contact.
        if any(plate.rating_is_assumed(c.id) for c in loads):
            words = message("substitution.some-switch-if-strip-usual", amps=amps)
            lines.append(_line(name, Grade.NOT_PROVEN, words))
            continue
        share = amps / part.rated_amps
        result = grade(share, 0.0, limits.band("contact_load_ratio"))
        words = message("substitution.a-on-a", amps=amps, rated_amps=part.rated_amps, share=100 * share)
        # Motor amps are broken at a motor's power factor; a heater's are continuous and need the resistive rating.
        if part.rating == "motor":
            result, words = Grade.FAIL, message("substitution.rating-motors-not-heaters", load=words)
        lines.append(_line(name, result, words))
    return lines


def _poles_needed(device: SwitchingDevice) -> int:
    # The auxiliary is a pole too, if a small one.
    return len(device.poles) + (device.auxiliary is not None)


def _split_line(device: SwitchingDevice, part: Part) -> CheckLine:
    """Which poles go to which of two parts, and that two discs keep no order between them."""
    numbers = sorted(pole.number for pole in device.poles)
    first, second = numbers[: part.poles], numbers[part.poles :]
    words = message(
        "substitution.split",
        first=joined(f"{n}" for n in first),
        second=joined(
            [*(f"{n}" for n in second), *([message("substitution.the-auxiliary")] if device.auxiliary else [])]
        ),
    )
    order = (
        message("substitution.split-order") if KINDS[part.kind].is_thermal else message("substitution.split-at-once")
    )
    return _line(message("substitution.two-for-one"), Grade.MARGINAL, words, order)


def _adaptor_lines(plate: Nameplate, device: SwitchingDevice, part: Part, count: int) -> list[CheckLine]:
    """Count the piggyback adaptors: leads that share a terminal beyond its tabs, and the heaters joined of two parts.

    Source:
        docs/trade.md, section 6: a one-tab part forces a lead elsewhere.
    """
    leads = Counter(end.terminal for end in leads_of(plate, device.id))
    power = {terminal: number for terminal, number in leads.items() if not place_of(terminal).is_coil}
    crowded = max(power, key=lambda terminal: power[terminal], default="")
    # Two heaters on one pair of leads: each terminal of the first carries the harness and the bridge to the second.
    bridges = 2 * (count - 1)
    if (not crowded or power[crowded] < 2) and not bridges:
        return []
    name = message("substitution.tabs-and-adaptors")
    if part.tabs is None and power.get(crowded, 1) > 1:
        words = message("substitution.tabs-not-known", terminal=terminal_words(plate, crowded), leads=power[crowded])
        return [_line(name, Grade.NOT_PROVEN, words)]
    need = bridges + sum(max(0, number - (part.tabs or 1)) for number in power.values())
    if not need:
        words = message(
            "substitution.tabs-enough",
            tabs=part.tabs or 1,
            terminal=terminal_words(plate, crowded),
            leads=power[crowded],
        )
        return [_line(name, Grade.PASS, words)]
    return [
        _line(
            name, Grade.MARGINAL, message("substitution.adaptors", need=need), message("substitution.no-lead-elsewhere")
        )
    ]


def _poles_line(device: SwitchingDevice, part: Part, count: int = 1) -> CheckLine:
    need, there = _poles_needed(device), count * part.poles
    if there < need:
        return _line("Poles", Grade.FAIL, message("substitution.needed-there", need=need, poles=there))
    spare = there - need
    words = message("substitution.needed-there", need=need, poles=there)
    return _line("Poles", Grade.PASS, words, message("substitution.spare-no-lead-may-be", spare=spare) if spare else "")


def _coil_lines(device: SwitchingDevice, part: Part) -> list[CheckLine]:
    lines = []
    if part.coil_volts is None:
        lines.append(_line(message("substitution.coil-volts"), Grade.NOT_PROVEN, message("substitution.not-label")))
    # 24 V coils are labelled 24, 25 or 26.
    elif abs(part.coil_volts - 24.0) > 3:
        lines.append(
            _line(
                message("substitution.coil-volts"),
                Grade.FAIL,
                message("substitution.v-24-v-control", coil_volts=part.coil_volts),
            )
        )
    else:
        lines.append(
            _line(message("substitution.coil-volts"), Grade.PASS, message("substitution.v", coil_volts=part.coil_volts))
        )
    is_dc, was_dc = part.coil == "DC", device.of_kind.is_rectified
    # Without its rectifier a DC coil sees 60 Hz and heats without pulling.
    if is_dc and not was_dc:
        lines.append(_line(message("substitution.coil-kind"), Grade.FAIL, message("substitution.dc-coil-24-vac-hums")))
    elif was_dc and part.coil in ("AC", "heater"):
        words = message("substitution.ac-part-rectified-supply-stays")
        lead = message("substitution.s-coil-lead", part=part_words(device.id))
        changes = message("substitution.moves-from-boards-output-24", lead=lead)
        lines.append(_line(message("substitution.coil-kind"), Grade.MARGINAL, words, changes))
    elif not part.coil:
        lines.append(
            _line(message("substitution.coil-kind"), Grade.NOT_PROVEN, message("substitution.ac-dc-not-label"))
        )
    else:
        lines.append(
            _line(message("substitution.coil-kind"), Grade.PASS, message("substitution.as-before", coil=part.coil))
        )
    return lines


def _timing_lines(plate: Nameplate, device: SwitchingDevice, part: Part, limits: Limits) -> list[CheckLine]:
    at_once = None if part.kind in KINDS and KINDS[part.kind].is_thermal else AT_ONCE
    on, off = part.on_window or at_once, part.off_window or at_once
    if on is None or off is None:
        return [_line("Timing", Grade.NOT_PROVEN, message("substitution.no-window-printed-time-before"))]
    lines = []
    first: Pole = device.poles[0]
    was = first.on_window
    if was is not None:
        # A quarter of a minute: staging does not depend on less.
        same = abs(was.max_seconds - on.max_seconds) <= 15 and abs(was.min_seconds - on.min_seconds) <= 15
        words = message(
            "substitution.s-was-s",
            min_seconds=on.min_seconds,
            max_seconds=on.max_seconds,
            old_min_seconds=was.min_seconds,
            old_max_seconds=was.max_seconds,
        )
        lines.append(_line(message("substitution.time"), Grade.PASS if same else Grade.MARGINAL, words))
    blower = next(stage for stage in stages_of(plate, limits) if stage.id == "blower")
    carried = _carries_blower(plate, device)
    if carried:
        lines.append(
            _line(message("substitution.blower-off"), Grade.PASS, message("substitution.this-part-carries-blower-too"))
        )
    # It may still heat when even the latest blower has stopped: heat without air, every call.
    elif off.max_seconds > blower.off_window.min_seconds and off.max_seconds > blower.off_window.max_seconds:
        words = message(
            "substitution.may-heat-s-after-call",
            max_seconds=off.max_seconds,
            blower_seconds=blower.off_window.max_seconds,
        )
        lines.append(
            _line(
                message("substitution.blower-off"),
                Grade.FAIL,
                message("substitution.heat-must-not-outlast-blower", times=words),
            )
        )
    else:
        words = message(
            "substitution.off-s-blower-runs-until",
            off_seconds=off.max_seconds,
            min_seconds=blower.off_window.min_seconds,
            max_seconds=blower.off_window.max_seconds,
        )
        result = Grade.PASS if off.max_seconds <= blower.off_window.min_seconds else Grade.MARGINAL
        lines.append(_line(message("substitution.blower-off"), result, words))
    return lines


def _carries_blower(plate: Nameplate, device: SwitchingDevice) -> bool:
    if plate.blower.switched_by == device.id:
        return True
    landed = {contact.nc for contact in plate.blower.relay.contacts} if plate.blower.relay else set()
    return any(c.id in landed and c.device == device.id for c in plate.circuits)


def _control_line(plate: Nameplate, device: SwitchingDevice, part: Part, limits: Limits, count: int = 1) -> CheckLine:
    def holding(kind: str, printed: float | None) -> float:
        # Printed amps beat the usual ones; a kind nobody lists is taken for a coil of 7 VA.
        return printed if printed is not None else USUAL_HOLDING_AMPS.get(kind, 0.3)

    total = count * holding(part.kind, part.holding_amps)
    total += sum(holding(d.kind, d.holding_amps) for d in plate.devices if d.id != device.id)
    total += USUAL_HOLDING_AMPS["blower-relay"] if plate.blower.relay is not None else 0.0
    room = room_amps(plate)
    share = total / room
    result = grade(share, 0.0, limits.band("control_amps_ratio"))
    # Against a transformer nobody has read nothing passes.
    if plate.is_assumed("transformer.va"):
        result = Grade.NOT_PROVEN
    words = message("substitution.all-calls-take-control-sides", total=total, room=room, share=100 * share)
    return _line("Control", result, words)


def _tabs_line(device: SwitchingDevice, part: Part) -> CheckLine:
    usual = device.of_kind.tab_inches
    if part.tab_inches is None:
        return _line(
            message("substitution.coil-tabs"), Grade.NOT_PROVEN, message("substitution.tab-size-not-known-look")
        )
    # Tabs come in 0.187 and 0.25 in.
    if abs(part.tab_inches - usual) < 0.01:
        return _line(
            message("substitution.coil-tabs"),
            Grade.PASS,
            message("substitution.as-harness-has", tab_inches=part.tab_inches),
        )
    words = message("substitution.harness-made", tab_inches=part.tab_inches, usual=usual)
    return _line(
        message("substitution.coil-tabs"),
        Grade.MARGINAL,
        words,
        message("substitution.short-adaptor-leads-leave-harness"),
    )


def _blower_lines(plate: Nameplate, part: Part, limits: Limits) -> list[CheckLine]:
    """The blower relay: contact form, motor rating, coil."""
    relay = plate.blower.relay
    assert relay is not None  # noqa: S101 - the caller looked
    lines = []
    if part.kind != "blower-relay":
        lines.append(_line("Kind", Grade.FAIL, message("substitution.interlock-needs-change-over-contact")))
    else:
        lines.append(_line("Kind", Grade.PASS, message("substitution.change-over-relay")))
    need = len(relay.contacts)
    enough = Grade.PASS if part.poles >= need else Grade.FAIL
    lines.append(
        _line("Contacts", enough, message("substitution.change-over-needed-there", need=need, poles=part.poles))
    )
    amps = plate.blower.rated_amps
    if part.rated_amps is None:
        lines.append(
            _line(
                message("substitution.motor-rating"),
                Grade.NOT_PROVEN,
                message("substitution.motor-parts-rating-not-known", amps=amps),
            )
        )
    else:
        share = amps / part.rated_amps
        result = grade(share, 0.0, limits.band("contact_load_ratio"))
        if plate.is_assumed("blower.rated_amps"):
            result = Grade.NOT_PROVEN
        lines.append(
            _line(
                message("substitution.motor-rating"),
                result,
                message("substitution.a-on-a-2", amps=amps, rated_amps=part.rated_amps, share=100 * share),
            )
        )
    return [*lines, *_coil_lines_24(part)]


def _coil_lines_24(part: Part) -> list[CheckLine]:
    good = part.coil_volts is not None and abs(part.coil_volts - 24.0) <= 3 and part.coil in ("AC", "")
    reason = "substitution.coil-of-kind" if part.coil else "substitution.coil"
    words = message(reason, volts=part.coil_volts or 0, kind=part.coil)
    return [_line("Coil", Grade.PASS if good else Grade.FAIL, words)]
