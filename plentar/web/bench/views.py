"""The interlock bench. All of it stands in the address, so the back button undoes and a link shows the same bench."""

from collections.abc import Mapping
from urllib.parse import urlencode

from flask import Blueprint, Response, render_template, request
from flask.typing import ResponseReturnValue

from plentar.core.circuit.interlock import (
    CALLS,
    FAMILIES,
    LANDINGS,
    BenchVerdict,
    RelayWiring,
    judge_wiring,
    plan_replacement,
)
from plentar.core.errors import NameplateError
from plentar.screen.drawings.relay_bench import draw_bench
from plentar.web.access import login_required

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
    ("right", "The right one", {"no": "L2", "nc": "strip"}),
    ("a", "Plain wire to the strip", {"com": "strip", "no": "L2", "nc": "strip"}),
    ("b", "COM on the leg", {"com": "L2", "nc": "strip", "blower_on": "no"}),
    ("d", "NC left open", {"no": "L2"}),
    ("e", "Fixed lead and NO exchanged", {"no": "L1", "nc": "strip", "fixed": "L2"}),
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
        }
        return "?" + urlencode({**query, **changes})

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
    view = "bench/_interlock.html" if request.headers.get("HX-Request") else "bench/interlock.html"
    body = render_template(
        view,
        bench=screen,
        problem=problem,
        landings=[(name, LANDING_WORDS[name]) for name in LANDINGS],
        presets=PRESETS,
        states=STATE_CHOICES,
        families=FAMILIES,
        calls=list(zip(NAMES, CALLS, strict=True)),
    )
    return body, 422 if problem else 200


@bp.get("/interlock.svg")
@login_required
def interlock_svg() -> ResponseReturnValue:
    """Send the drawing by itself."""
    body = render_template("bench/drawing.svg", d=_screen().drawing)
    headers = {"Content-Disposition": 'attachment; filename="interlock.svg"'}
    return Response(body, mimetype="image/svg+xml", headers=headers)


@bp.get("/interlock/card")
@login_required
def card() -> ResponseReturnValue:
    """Show the wire card: every lead by function, from the old relay to the new, for the cabinet door."""
    return render_template("bench/card.html", bench=_screen(), landing_words=LANDING_WORDS)
