"""The room of a call: run sheet, board, working panel and condition strip, which stay around every step."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Protocol
from uuid import UUID, uuid4

from flask import g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.causes.faults import COMPLAINTS
from plentar.core.errors import PlentarError
from plentar.core.evidence.signs import SIGNS
from plentar.core.intake import places_of
from plentar.core.visit import Visit
from plentar.core.work.safety import opened_choices
from plentar.screen.call import CallScreen, View
from plentar.store import calls, phones, plans
from plentar.store.models import Call, RejectedSubmission
from plentar.store.shop_models import FollowUp, PartOrder
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.offline.submissions import is_late, refused
from plentar.web.serving.access import is_narrow

__all__ = [
    "StepView",
    "context_of",
    "is_fragment",
    "is_kept",
    "register_step",
    "rejected_of",
    "room_of",
    "sent_on",
    "show_step",
    "step_shown",
    "step_url",
    "steps",
]


class StepScreen(Protocol):
    """What a step's template shows: at least whose call it is, and the visit."""

    @property
    def call(self) -> Call:
        """The call."""

    @property
    def visit(self) -> Visit:
        """What follows from its evidence."""


@dataclass(frozen=True, slots=True, kw_only=True)
class StepView:
    """What one step puts into the room: its place on the run sheet, its template and what that template shows.

    `board` is the template of a board of its own, where the step has one; `part` the part it is open at.
    """

    panel: str
    template: str
    shows: "StepScreen"
    url: str
    board: str = ""
    part: str = ""


# How each step that is a place of its own shows itself in the room: a switch flipped there leaves one there.
_steps: dict[str, Callable[[UUID], ResponseReturnValue]] = {}
_addresses: dict[str, tuple[str, dict[str, Any]]] = {}


def register_step(panel: str, show: Callable[[UUID], ResponseReturnValue], endpoint: str, **values: Any) -> None:
    """Say how a step shows itself for a call, and by which endpoint it is linked."""
    _steps[panel] = show
    _addresses[panel] = endpoint, values


def step_url(panel: str, call_id: UUID) -> str:
    """Return the address of a step that is a place of its own; nothing where it is a panel of the call's page."""
    if panel not in _addresses:
        return ""
    endpoint, values = _addresses[panel]
    return url_for(endpoint, call_id=call_id, **values)


def step_shown(panel: str, call_id: UUID) -> ResponseReturnValue | None:
    """Return a step as it shows itself now; nothing where it is none."""
    show = _steps.get(panel)
    return show(call_id) if show is not None else None


def room_of(
    call_id: UUID, selected: str | None = None, view: View | None = None, *, visit: Visit | None = None
) -> CallScreen[Call]:
    """Return a call's screen as of now; another shop's call is a 404."""
    call = own_call(call_id)
    url = url_for("call.page", call_id=call_id)
    person = str(g.person.id)
    view = replace(view or View(), is_narrow=is_narrow())
    return CallScreen(call, visit or read_visit(call), url=url, person=person, selected=selected, view=view)


def is_fragment() -> bool:
    """Tell whether a part of the page is asked for, not all of it."""
    return bool(request.headers.get("HX-Request")) and not request.headers.get("HX-History-Restore-Request")


def sent_on(url: str) -> ResponseReturnValue:
    """Send the page on to another place, whether it asked for a part of itself or for all."""
    return ("", 204, {"HX-Redirect": url}) if request.headers.get("HX-Request") else redirect(url)


def is_kept(answer: ResponseReturnValue) -> bool:
    """Tell whether an answer says that a form was kept, with somebody waiting for what comes next."""
    return not is_late() and not (isinstance(answer, tuple) and answer[1] == 422)


@dataclass(frozen=True, slots=True, kw_only=True)
class Owed:
    """What is open at a call's place: parts waited for, follow-ups, and the visit it comes back for."""

    orders: Sequence[PartOrder]
    follow_ups: Sequence[FollowUp]
    came_for: Call | None


def _owed(call: Call) -> Owed:
    """Return what is open at a call's place; asked for by the one panel that shows it."""
    shop_id, before = call.shop_id, call.returns_to_id
    return Owed(
        orders=plans.list_orders(g.db, shop_id=shop_id, unit_id=call.unit_id),
        follow_ups=plans.list_follow_ups(g.db, shop_id=shop_id, place_id=call.unit.place_id),
        came_for=calls.get_for_shop(g.db, shop_id=shop_id, call_id=before) if before is not None else None,
    )


def context_of(screen: CallScreen[Call], **pad: object) -> dict[str, object]:
    """Return what the room's templates show; what is None of `pad` is left out."""
    problem = pad.get("problem")
    if isinstance(problem, PlentarError):
        refused(problem)
    context: dict[str, object] = {
        "screen": screen,
        "step": None,
        "panel": "reading",
        "version": screen.visit.record.seq,
        "new_id": lambda: str(uuid4()),
        "places_of": lambda screen, about: places_of(screen.plate, about),
        "opened_choices": opened_choices,
        "tuple_of": lambda names: tuple(names.split(",")),
        "signs": SIGNS,
        "step_url": step_url,
        "all_complaints": tuple(COMPLAINTS),
        # Asked for where it is shown: no other panel pays for it.
        "owed": _owed(screen.call) if pad.get("panel") == "complaint" else None,
        # Drawn ahead for a phone that will have no signal.
        "aboard": g.get("aboard", False),
        "rejected_of": rejected_of,
    }
    return context | {name: value for name, value in pad.items() if value is not None}


def rejected_of(call: Call) -> Sequence[RejectedSubmission]:
    """Return what came home to a call and could not be kept, while nobody has looked at it."""
    return phones.list_rejected(g.db, shop_id=call.shop_id, call_id=call.id) if call.rejected_submissions else ()


def steps() -> Mapping[str, Callable[[UUID], ResponseReturnValue]]:
    """Return how each step that is a place of its own shows itself."""
    return _steps


def show_step(step: StepView, problem: PlentarError | None = None, code: int = 200) -> ResponseReturnValue:
    """Show a step in its room: the whole page, or what a tap changes of it; with a problem, all that was typed."""
    if is_late() and problem is None:
        # Nobody looks at it.
        return "", code
    screen = room_of(step.shows.call.id, request.values.get("point"), View(step=step.panel), visit=step.shows.visit)
    view = "call/_changed.html" if is_fragment() else "call/page.html"
    if g.get("aboard"):
        view = "call/_pad.html"
    context = context_of(screen, panel=step.panel, step=step, problem=problem)
    return render_template(view, **context, typed=request.form if problem is not None else {}), code
