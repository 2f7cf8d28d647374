"""The run sheet: a line a step, with its state and what stands there in a few words."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from plentar.core.evidence.signs import GROUPS, SignGroup, sign_of
from plentar.core.limits.verdicts import Grade
from plentar.core.unit.nameplate import Nameplate
from plentar.core.visit import Visit
from plentar.core.work.safety import SafeLine
from plentar.screen.kept import Kept
from plentar.words import render
from plentar.words.figures import apart, degrees

__all__ = ["STEPS", "LookGroup", "RunSheetStep", "StepPart", "look_groups", "read_step", "run_sheet", "safe_step"]

# Nine steps; the parts of one are panels and places of their own, and keep their addresses.
STEPS = (
    ("arrive", "Arrive", (("complaint", "Complaint"), ("nameplate", "Nameplate"))),
    ("look", "Look", (("look", "Look"),)),
    ("safe", "Safe", (("safe", "Safe"),)),
    ("read", "Read", (("supply", "Supply"), ("heat-call", "Heat call"), ("strips", "Strips"), ("trace", "Trace"))),
    ("time-air", "Time and air", (("timing", "Timing"), ("air", "Air"))),
    ("blower-control", "Blower and control", (("blower", "Blower, interlock"), ("control", "Control circuit"))),
    ("circuit", "Circuit", (("circuit", "Feed and wire"), ("heat-pump", "Weather"))),
    ("fix", "Fix", (("fix", "Fix"),)),
    ("finish", "Finish", (("prove", "Proof"), ("hand-over", "Papers"))),
)
# What a plain call can do without is folded until something was done there, a complaint is about it, or the advice or
# a finding points there.
FOLDED = ("time-air", "blower-control", "circuit")
CONCERNS = {
    "seasonal check": FOLDED,
    "blower dead": ("blower-control",),
    "blower never stops": ("blower-control",),
    "blower cuts in and out": ("blower-control", "time-air"),
    "cooling fights heat": ("blower-control",),
    "heat will not stop": ("blower-control",),
    "thermostat blank or restarting": ("blower-control",),
    "control fuse blows": ("blower-control",),
    "breaker trips or hot": ("circuit",),
    "cold in defrost or on cold nights": ("circuit", "time-air"),
    "not enough heat": ("time-air",),
}
WORST_FIRST = (Grade.FAIL, Grade.MARGINAL, Grade.NOT_PROVEN, Grade.PASS)
WORST_STATE = ("fail", "marginal", "not-proven", "pass", "open")
State = tuple[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class StepPart:
    """One panel of a step, with its state and what stands there in a few words."""

    id: str
    name: str
    state: str
    note: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RunSheetStep:
    """One line of the run sheet; its state is the worst of its parts'. A folded one stands under *More*."""

    id: str
    name: str
    parts: tuple[StepPart, ...]
    is_folded: bool = False

    @property
    def state(self) -> str:
        """The worst of what its parts say; open while none says anything."""
        return min((part.state for part in self.parts), key=WORST_STATE.index)

    @property
    def note(self) -> str:
        """What its parts say in a few words."""
        return " · ".join(part.note for part in self.parts if part.note)

    @property
    def opens_at(self) -> StepPart:
        """The part a tap on the step leads to: the first where something is still to be done."""
        return next((part for part in self.parts if part.state in ("open", "not-proven")), self.parts[0])


@dataclass(frozen=True, slots=True, kw_only=True)
class LookGroup:
    """Lines of the look-over seen in one glance: nothing (else) found, some looked at by themselves, or neither."""

    group: SignGroup
    is_seen: bool
    is_touched: bool
    has_found: bool


def run_sheet(visit: Visit, latest: Mapping[str, Kept], safe_lines: Sequence[SafeLine]) -> list[RunSheetStep]:
    """Return the run sheet of a call.

    Args:
        latest: The newest standing reading of each point.
        safe_lines: The Safe list as it stands for whoever looks.
    """
    fixed = {
        "complaint": ("pass", " · ".join(visit.complaints)),
        "nameplate": ("pass", _plate_note(visit.plate)),
        "safe": safe_step(visit, safe_lines),
        "look": _look_step(visit),
        "timing": _timing_step(visit),
        "air": _air_step(visit),
        "blower": _seen_step(visit, "row-blower"),
        "control": ("not-proven", "wires saved") if visit.record.map else ("open", ""),
        "circuit": _circuit_step(visit),
        "heat-pump": _weather_step(visit),
        "fix": _fix_step(visit),
        "prove": _prove_step(visit),
        "hand-over": ("pass" if visit.record.closed is not None else "open", "report"),
    }
    wanted = {step for complaint in visit.complaints for step in CONCERNS.get(complaint, ())}
    advised = visit.next_test.test.step if visit.next_test is not None else ""
    steps = []
    for step_id, name, parts in STEPS:
        rows = []
        for part_id, part_name in parts:
            state, note = fixed[part_id] if part_id in fixed else read_step(visit, latest, part_id)
            rows.append(StepPart(id=part_id, name=part_name, state=state, note=note))
        if step_id == "finish" and not visit.is_repaired and not visit.record.epoch[1]:
            # Nothing was repaired: there is nothing to prove, the papers come first.
            rows.reverse()
        is_idle = all(row.state == "open" for row in rows) and advised not in [row.id for row in rows]
        is_folded = step_id in FOLDED and step_id not in wanted and is_idle
        steps.append(RunSheetStep(id=step_id, name=name, parts=tuple(rows), is_folded=is_folded))
    return steps


def safe_step(visit: Visit, safe_lines: Sequence[SafeLine]) -> State:
    """Return how far the Safe list is, as a state and a few words."""
    if visit.lockout.is_dead:
        return "pass", "verified dead"
    if any(state != "live" for state in visit.lockout.feeds.values()):
        done = sum(line.is_done for line in safe_lines)
        return "not-proven", f"off, not verified · {done} of {len(safe_lines)}"
    return "open", "live"


def _look_step(visit: Visit) -> State:
    looked = [action for (sign, _), (_, action) in visit.record.seen.items() if sign_of(sign) is not None]
    looked = [action for action in looked if action.state != "undone"]
    found = [action for action in looked if action.state == "found"]
    if not looked:
        return "open", ""
    # A group seen at a glance is no line looked at.
    groups = look_groups(visit)
    seen = sum(entry.is_seen for entry in groups)
    fine = len(looked) - len(found) - seen
    told = [f"{len(found)} found", f"{fine} fine", *([f"{seen} seen"] if seen else [])]
    whole = all(entry.is_seen or entry.is_touched for entry in groups)
    return ("marginal" if found else "pass" if whole else "not-proven"), ", ".join(told)


def _timing_step(visit: Visit) -> State:
    runs = visit.runs
    if not runs:
        return "open", ""
    worst = runs[-1][2].grade
    return worst.value.replace(" ", "-"), f"{len(runs)} run{'s' if len(runs) > 1 else ''}"


def _air_step(visit: Visit) -> State:
    air = visit.air
    if air is None:
        return "open", ""
    flow = f" · {air.cfm:.0f} CFM" if air.cfm else ""
    return air.rise.grade.value.replace(" ", "-"), f"{apart(air.rise.value)}{flow}"


def _seen_step(visit: Visit, kind: str) -> State:
    rows = [key for key, (_, action) in visit.record.seen.items() if key[0] == kind and action.state != "undone"]
    return ("not-proven", f"{len(rows)} seen") if rows else ("open", "")


def _circuit_step(visit: Visit) -> State:
    wrong = [part for part in visit.path if part.defects]
    if wrong:
        return "fail", render(wrong[0].name) + (f" and {len(wrong) - 1} more" if len(wrong) > 1 else "")
    unread = sum(bool(part.missing) for part in visit.path)
    return ("open", f"{unread} not read") if unread else ("pass", "")


def _weather_step(visit: Visit) -> State:
    weather = visit.weather
    if weather is None or (visit.plate.heat_pump is None and visit.plate.house is None):
        return "open", ""
    short = weather.short_watts
    kilowatts = f"{short[1] / 1000:.1f} kW short" if short is not None and short[1] > 0 else "enough"
    return weather.grade.value.replace(" ", "-"), f"{degrees(weather.outdoor_degf)}, {kilowatts}"


def _fix_step(visit: Visit) -> State:
    causes = visit.record.causes
    return ("pass", causes[-1][1].title) if causes else ("open", "")


def _prove_step(visit: Visit) -> State:
    settled = visit.record.settled
    if visit.record.awaits_proof:
        return "not-proven", "repair to prove"
    if settled is None:
        return "open", ""
    return ("pass", "proven") if settled[1].is_proven else ("not-proven", "left unproven")


def _plate_note(plate: Nameplate) -> str:
    ratings = [f"{circuit.rated_watts / 1000:g}" for circuit in plate.circuits]
    same = len(set(ratings)) == 1
    split = f"{len(ratings)} × {ratings[0]} kW" if same else f"{' + '.join(ratings)} kW"
    return f"{split} · {render(plate.devices[0].of_kind.words)}"


def read_step(visit: Visit, latest: Mapping[str, Kept], step_id: str) -> State:
    """Return what was read of a step: the worst verdict, and the first few numbers."""
    own = [entry for entry in latest.values() if entry.point.step == step_id]
    kept = [entry for entry in own if entry.point.id in visit.latest_now]
    if not kept:
        return "open", f"before: {_brief(own[0])}" if own else ""
    worst = min((entry.verdict.grade for entry in kept), key=WORST_FIRST.index)
    note = " · ".join(f"{_brief(entry)}" for entry in kept[:3])
    return worst.value.replace(" ", "-"), note


def look_groups(visit: Visit) -> list[LookGroup]:
    """Return the look-over by what is seen in one glance."""
    state = visit.state_of
    touched = {sign for (sign, _), (_, action) in visit.record.seen.items() if action.state != "undone"}
    found = {action.sign for _, action in visit.record.found}
    return [
        LookGroup(
            group=group,
            is_seen=state(group.sign.kind) == "fine",
            is_touched=any(line.kind in touched for line in group.lines),
            has_found=any(line.kind in found for line in group.lines),
        )
        for group in GROUPS
    ]


def _brief(kept: Kept) -> str:
    short = render(kept.point.label).replace("Strip ", "").replace("Supply", "").replace(" at the board", "")
    return f"{short} {kept.verdict.value:.1f} {kept.point.unit}".strip()
