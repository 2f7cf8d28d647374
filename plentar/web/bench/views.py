"""The interlock bench. All of it stands in the address, so the back button undoes and a link shows the same bench."""

from collections.abc import Mapping
from urllib.parse import parse_qsl, urlencode
from uuid import UUID, uuid4

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from wtforms import HiddenField, validators
from wtforms.validators import InputRequired, Length

from plentar.core.circuit.interlock import (
    CALLS,
    FAMILIES,
    LANDINGS,
    BenchVerdict,
    RelayWiring,
    judge_wiring,
    plan_replacement,
    wiring_of,
)
from plentar.core.errors import NameplateError, PlentarError
from plentar.screen.drawings.relay_bench import draw_bench
from plentar.web.call_layout.documents import attached
from plentar.web.call_layout.visits import own_call, read_visit
from plentar.web.call_layout.writing import keep_one
from plentar.web.serving.access import login_required
from plentar.words import render

__all__ = ["bp"]

bp = Blueprint("bench", __name__, url_prefix="/bench")
LANDING_WORDS = {
    "L1": "L1",
    "L2": "L2",
    "strip": "strip",
    "high": "high tap",
    "low": "low tap",
    "none": "nothing",
}
NAMES = ("none", "W", "G", "WG")
PRESETS = (
    ("right", "Correct", {"no": "L2", "nc": "strip"}),
    ("a", "Plain wire to the strip", {"com": "strip", "no": "L2", "nc": "strip"}),
    ("b", "COM on the leg", {"com": "L2", "nc": "strip", "blower_on": "no"}),
    ("d", "NC left open", {"no": "L2"}),
    ("e", "Fixed lead and NO swapped", {"no": "L1", "nc": "strip", "fixed": "L2"}),
)
STATE_CHOICES = (
    ("", "both make and break"),
    ("nc dead", "NC never makes"),
    ("nc welded", "NC welded"),
    ("no dead", "NO never makes"),
    ("no welded", "NO welded"),
)


class BenchScreen:
    """One state of the bench."""

    def __init__(self, asked: Mapping[str, str]) -> None:
        state = asked.get("state", "")
        # The call it was opened from goes along, so that what was found can be kept there.
        self.call_id = asked.get("call_id", "")[:40]
        self.wiring = RelayWiring(
            com=asked.get("com", "none"),  # type: ignore[arg-type]
            no=asked.get("no", "L2" if not asked else "none"),  # type: ignore[arg-type]
            nc=asked.get("nc", "strip" if not asked else "none"),  # type: ignore[arg-type]
            fixed=asked.get("fixed", "L1"),  # type: ignore[arg-type]
            blower_on=asked.get("blower_on", "com"),  # type: ignore[arg-type]
            state=(state,) if state else (),
        )
        self.verdict: BenchVerdict = judge_wiring(self.wiring)
        self.picked = asked.get("pick", "")
        shown = asked.get("call", "W")
        self.shown = NAMES.index(shown) if shown in NAMES else 1
        self.drawing = draw_bench(self.wiring, self.verdict.outcomes[self.shown], self.picked)
        families = {family.id: family for family in FAMILIES}
        self.old = families.get(asked.get("old", ""), FAMILIES[0])
        self.new = families.get(asked.get("new", ""), FAMILIES[0])
        self.plan = plan_replacement(self.old, self.new)

    def link(self, **changes: str) -> str:
        """Return the query of this bench with something changed."""
        wiring = self.wiring
        query = {
            "com": wiring.com,
            "no": wiring.no,
            "nc": wiring.nc,
            "fixed": wiring.fixed,
            "blower_on": wiring.blower_on,
            "state": wiring.state[0] if wiring.state else "",
            "call": NAMES[self.shown],
            "old": self.old.id,
            "new": self.new.id,
            **({"call_id": self.call_id} if self.call_id else {}),
        }
        return "?" + urlencode({**query, **changes})

    @property
    def note(self) -> str:
        """The bench in a line: what is landed where, and what that does."""
        wiring = self.wiring
        ends = (("COM", "com", wiring.com), ("NO", "no", wiring.no), ("NC", "nc", wiring.nc))
        landed = [
            f"{name} on {'the blower' if wiring.blower_on == end and place == 'none' else LANDING_WORDS[place]}"
            for name, end, place in ends
        ]
        state = f"; {dict(STATE_CHOICES)[wiring.state[0]]}" if wiring.state else ""
        fixed = f"fixed lead on {wiring.fixed}"
        return f"Interlock wiring: {', '.join([*landed, fixed])}{state}. {render(self.verdict.sentence)}"

    def landed(self, place: str) -> str:
        """Return the query with the picked terminal landed on a place."""
        return self.link(**{self.picked: place})


def _screen() -> BenchScreen:
    return BenchScreen(request.args.to_dict())


@bp.get("/interlock")
@login_required
def interlock() -> ResponseReturnValue:
    """Show the bench; a landing that cannot be is told and the right one shown instead."""
    problem = None
    try:
        screen = _screen()
    except NameplateError as error:
        problem, screen = error, BenchScreen({})
    return _shown(screen, problem), 422 if problem else 200


def _shown(screen: BenchScreen, problem: PlentarError | None) -> str:
    view = "bench/_interlock.html" if request.headers.get("HX-Request") else "bench/interlock.html"
    return render_template(
        view,
        bench=screen,
        new_id=lambda: str(uuid4()),
        problem=problem,
        landings=[(name, LANDING_WORDS[name]) for name in LANDINGS],
        presets=PRESETS,
        states=STATE_CHOICES,
        families=FAMILIES,
        calls=list(zip(NAMES, CALLS, strict=True)),
    )


@bp.get("/calls/<uuid:call_id>")
@login_required
def of_call(call_id: UUID) -> ResponseReturnValue:
    """Open the bench as this unit's own relay is landed."""
    wiring = wiring_of(read_visit(own_call(call_id)).plate)
    ends = ("com", "no", "nc", "fixed", "blower_on") if wiring is not None else ()
    landed = {name: getattr(wiring, name) for name in ends}
    return redirect(url_for("bench.interlock", **landed, call_id=call_id))


class KeepForm(FlaskForm):  # type: ignore[misc]
    """What was landed on the bench, to be kept in the call it was opened from."""

    item_id = HiddenField(validators=[InputRequired(), validators.UUID()])
    query = HiddenField(validators=[InputRequired(), Length(max=400)])


@bp.post("/calls/<uuid:call_id>")
@login_required
def keep(call_id: UUID) -> ResponseReturnValue:
    """Keep the bench in the call: its landings and what they do, as a note."""
    form = KeepForm()
    if not form.validate():
        abort(400)
    try:
        bench = BenchScreen(dict(parse_qsl(form.query.data.lstrip("?"))))
        keep_one(call_id, form.item_id.data, "note", {"words": bench.note})
    except PlentarError as error:
        g.db.rollback()
        return _shown(BenchScreen(request.args.to_dict() | {"call_id": str(call_id)}), error), 422
    return redirect(url_for("checks.page", call_id=call_id, page="blower"))


@bp.get("/interlock.svg")
@login_required
def interlock_svg() -> ResponseReturnValue:
    """Send the drawing by itself."""
    body = render_template("bench/drawing.svg", d=_screen().drawing)
    return attached(body, "image/svg+xml", "interlock.svg")


@bp.get("/interlock/card")
@login_required
def card() -> ResponseReturnValue:
    """Show the wire card: every lead by function, from the old relay to the new, for the cabinet door."""
    return render_template("bench/card.html", bench=_screen(), landing_words=LANDING_WORDS)
