"""Rules: every figure a verdict is held against, with its default, the shop's own, and the story of its changes."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from flask import abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import ReadingError
from plentar.core.limits.table import LIMITS, Limit, Limits
from plentar.formats.numbers import parse_number
from plentar.store import limits, shops
from plentar.store.models import ShopLimit
from plentar.web.audit import note
from plentar.web.fields import checked_token, first_error
from plentar.web.serving.access import lead_required, now
from plentar.web.shop.forms import RuleForm
from plentar.web.shop.people import bp
from plentar.words import render

__all__ = ["keep_rule", "rule_rows"]

EDGES = ("marginal from", "pass from", "pass to", "marginal to")
# The core's own sections of docs/trade.md, as the page heads them.
SECTIONS = {"1": "Parts", "2": "Arithmetic", "3": "What passes", "4": "Order of work", "5": "Slips", "7": "Weather"}


@dataclass(frozen=True, slots=True, kw_only=True)
class RuleRow:
    """One limit as the page shows it: each figure's name, default and own, and who changed it."""

    limit: Limit
    own: tuple[float, ...] | None
    typed: Sequence[str] = ()
    problem: str = ""
    story: Sequence[tuple[ShopLimit, str]] = ()

    @property
    def summary(self) -> str:
        """The figures in force as they are said: `up to 3 %`, `228 to 252 V`, `1 MΩ`."""
        figures = self.own or self.limit.figures
        low, high = (figures[1], figures[2]) if self.limit.is_band else (math.nan, figures[0])
        factor, unit = _spoken_unit(self.limit.unit, [value for value in (low, high) if math.isfinite(value)])
        least, most = (f"{value * factor:.6g}" for value in (low, high))
        if math.isnan(low):
            return f"{most} {unit}"
        if math.isinf(low):
            return f"up to {most} {unit}"
        return f"{least} {unit} or more" if math.isinf(high) else f"{least} to {most} {unit}"

    @property
    def cells(self) -> list[tuple[str, str, str, bool]]:
        """Each figure: what it is called, its default, what stands in its field, whether that side is open."""
        names = EDGES if self.limit.is_band else ("",)
        now_figures = self.own or self.limit.figures
        found = []
        for number, name in enumerate(names):
            default, is_open = self.limit.figures[number], math.isinf(self.limit.figures[number])
            shown = self.typed[number] if number < len(self.typed) else _figure(now_figures[number])
            found.append((name, _figure(default), shown, is_open))
        return found


def _spoken_unit(unit: str, figures: Sequence[float]) -> tuple[float, str]:
    """Return what figures are multiplied by to be said, and the unit they are said in."""
    most = max(figures, default=0.0)
    if unit == "×" and most <= 1.5:
        return 100.0, "%"
    if unit == "Ω" and most >= 1e6:
        return 1e-6, "MΩ"
    if unit == "Ω" and most >= 1e4:
        return 1e-3, "kΩ"
    return 1.0, unit


def _typed(limit: Limit) -> list[str]:
    """Return what was typed for each of a limit's figures."""
    return [request.form.get(f"figure{number}", "")[:40] for number in range(1, len(limit.figures) + 1)]


def _figure(value: float) -> str:
    return "" if math.isinf(value) else f"{value:.10g}"


def rule_rows(problem: ReadingError | None = None, name: str = "") -> list[tuple[str, list[RuleRow]]]:
    """Return every limit under its section; one with a problem keeps what was typed."""
    story = shops.limit_story(g.db, shop_id=g.person.shop_id)
    own = dict(limits.changed_limits(g.db, shop_id=g.person.shop_id))
    groups: dict[str, list[RuleRow]] = {}
    for limit in LIMITS.values():
        is_wrong = problem is not None and limit.name == name
        row = RuleRow(
            limit=limit,
            own=own.get(limit.name),
            typed=_typed(limit) if is_wrong else (),
            problem=render(problem.message) if is_wrong and problem is not None else "",
            story=story.get(limit.name, ()),
        )
        groups.setdefault(SECTIONS.get(limit.section, "Other"), []).append(row)
    return list(groups.items())


@bp.get("/rules")
@lead_required
def rules() -> ResponseReturnValue:
    """Show every figure."""
    return render_template("shop/rules.html", groups=rule_rows())


def keep_rule(name: str) -> None:
    """Keep a shop's own figures for a limit, with who and why.

    Raises:
        ReadingError: No numbers, a pass band outside its marginal one, or no reason given.
    """
    limit, form = LIMITS[name], RuleForm()
    if not form.validate():
        raise first_error(form)
    figures = tuple(
        default if math.isinf(default) and not text.strip() else parse_number(text, "plain")
        for text, default in zip(_typed(limit), limit.figures, strict=True)
    )
    if limit.is_band and list(figures) != sorted(figures):
        raise ReadingError("the pass band must lie inside the marginal one, from low to high", field="figure")
    Limits(changed=((name, figures),))
    _set(limit, None if figures == limit.figures else figures, form.why.data.strip())


def _set(limit: Limit, figures: tuple[float, ...] | None, why: str) -> None:
    shop_id = g.person.shop_id
    before = dict(limits.changed_limits(g.db, shop_id=shop_id)).get(limit.name)
    if before == figures:
        return
    limits.set_limit(
        g.db, shop_id=shop_id, name=limit.name, figures=figures, person_id=g.person.id, moment=now(), why=why
    )
    states = {key: None if value is None else [_figure(v) for v in value] for key, value in
              (("before", before), ("after", figures))}  # fmt: skip
    note("rule", render(limit.words), **states)


@bp.post("/rules/<name>")
@lead_required
def set_rule(name: str) -> ResponseReturnValue:
    """Keep a shop's own figures for one limit."""
    if name not in LIMITS:
        abort(404)
    try:
        keep_rule(name)
    except ReadingError as error:
        return render_template("shop/rules.html", groups=rule_rows(error, name), opened=name), 422
    return redirect(url_for("shop.rules", _anchor=name))


@bp.post("/rules/<name>/default")
@lead_required
def drop_rule(name: str) -> ResponseReturnValue:
    """Go back to the default."""
    if name not in LIMITS:
        abort(404)
    checked_token()
    _set(LIMITS[name], None, "back to the default")
    return redirect(url_for("shop.rules", _anchor=name))
