"""Three short screens for the first lead of a new shop: a meter, the rules that differ most, the people."""

from flask import abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import ReadingError
from plentar.core.limits.table import LIMITS
from plentar.formats.meter_form import rows_of, usual_ranges
from plentar.store import places
from plentar.web.serving.access import lead_required, now
from plentar.web.shop.forms import MeterForm, PersonForm
from plentar.web.shop.meters import keep_meter, show_meter
from plentar.web.shop.people import bp, invite
from plentar.web.shop.rules import keep_rule, rule_rows

__all__: list[str] = []

STEPS = ("meter", "rules", "people")
# What shops set otherwise: how much an element may stray, what a supply may sag, how long a pole may take.
FIRST_RULES = ("element_amps_ratio", "sag_ratio", "on_seconds")


def _next(step: str) -> ResponseReturnValue:
    number = STEPS.index(step) + 1
    if number < len(STEPS):
        return redirect(url_for("shop.begin", step=STEPS[number]))
    shop = g.db.merge(g.person.shop)
    shop.set_up_at = shop.set_up_at or now()
    return redirect(url_for("today.page"))


@bp.get("/begin/<step>")
@lead_required
def begin(step: str) -> ResponseReturnValue:
    """Show one of the three screens."""
    if step not in STEPS:
        abort(404)
    if step == "meter":
        # The usual meter with a usual name: who has that one goes on at once.
        form = MeterForm(formdata=None, version="1", name="Clamp meter")
        return show_meter(form, rows_of(usual_ranges(), spare=0), None, begin=True)
    if step == "rules":
        return _rules()
    return render_template("shop/begin_people.html", form=PersonForm(formdata=None))


def _rules(problem: ReadingError | None = None, name: str = "", code: int = 200) -> ResponseReturnValue:
    rows = [row for _, group in rule_rows(problem, name) for row in group if row.limit.name in FIRST_RULES]
    return render_template("shop/begin_rules.html", rows=rows, opened=name), code


@bp.post("/begin/<step>")
@lead_required
def go_on(step: str) -> ResponseReturnValue:
    """Keep what the screen has and go to the next; a button goes on without."""
    if step not in STEPS:
        abort(404)
    if request.form.get("skip"):
        if step == "meter" and places.first_meter(g.db, shop_id=g.person.shop_id) is None:
            # No call can begin without one: the way on leads over a meter.
            return begin("meter")
        return _next(step)
    if step == "meter":
        return keep_meter(None, begin=True) or _next(step)
    if step == "rules":
        name = request.form.get("name", "")
        if name not in LIMITS:
            abort(404)
        try:
            keep_rule(name)
        except ReadingError as error:
            return _rules(error, name, 422)
        return redirect(url_for("shop.begin", step="rules"))
    form = PersonForm()
    try:
        person, link = invite(form)
    except ReadingError:
        return render_template("shop/begin_people.html", form=form), 422
    return render_template("shop/begin_people.html", form=PersonForm(formdata=None), link=link, link_for=person)
