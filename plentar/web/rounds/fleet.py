"""Like units of a round against each other, and the owner's report of it."""

import csv
import io
from dataclasses import dataclass
from statistics import median
from typing import Any
from uuid import UUID

from flask import g, render_template
from flask.typing import ResponseReturnValue

from plentar.core.history.series import Series, SeriesValue, series_of
from plentar.core.history.survival import chance_within
from plentar.core.rounds.outliers import LEAST_LIKE, Outlier, outliers_of
from plentar.core.unit.nameplate import Nameplate
from plentar.formats.labels_csv import safe_cell
from plentar.formats.parts_csv import PARTS
from plentar.formats.unit_json import kept_nameplate
from plentar.screen.drawings.years_rail import scale_of
from plentar.store import history, rounds, stock
from plentar.store.models import Call
from plentar.store.shop_models import Round
from plentar.web.call_layout.documents import attached, laid_out
from plentar.web.call_layout.unit_history import lives_of_shop, past_readings
from plentar.web.call_layout.visits import shop_limits
from plentar.web.rounds.views import bp, own_round
from plentar.web.serving.access import login_required, now

__all__: list[str] = []

RAIL_WIDTH = 304.0
# Built within so many years of each other, units have run alike.
ALIKE_YEARS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip:
    """One strip of one unit this season: its ratio, last season's, and whether it stands apart."""

    call: Call
    name: str
    ratio: float
    amps: float
    before: float | None
    x: float
    outlier: Outlier | None
    advice: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class UnitGroup:
    """Units of one circuit and age: their strips on one scale, those that stand apart first."""

    words: str
    strips: tuple[Strip, ...]
    passing: tuple[float, float]
    marginal: tuple[float, float]
    middle: float
    is_enough: bool


def _series(plate: Nameplate, rows: list[Any]) -> dict[str, Series]:
    found = series_of(plate, past_readings(rows), shop_limits())
    return {entry.part: entry for entry in found if entry.id.endswith(".amps")}


def groups_of(row: Round) -> list[UnitGroup]:
    """Return a round's like units, each strip against all others of its group."""
    shop_id = row.shop_id
    calls = [call for call in rounds.calls_of(g.db, shop_id=shop_id, round_id=row.id) if call.status == "closed"]
    unit_ids = [call.unit_id for call in calls]
    before = rounds.seasons_before(g.db, shop_id=shop_id, unit_ids=unit_ids, before=row.made_at)
    ids = [call.id for call in calls] + list(before.values())
    by_call: dict[UUID, list[Any]] = {}
    for reading in history.readings_of(g.db, shop_id=shop_id, call_ids=ids):
        by_call.setdefault(reading.call_id, []).append(reading)
    fleets: dict[tuple[Any, ...], list[tuple[Call, Nameplate]]] = {}
    for call in calls:
        plate = kept_nameplate(call.unit.nameplate)
        year = int(plate.built[:4]) if plate.built[:4].isdigit() else 0
        key = (plate.model, len(plate.circuits), plate.circuits[0].rated_watts, year // ALIKE_YEARS)
        fleets.setdefault(key, []).append((call, plate))
    found = [_group(members, by_call, before) for members in fleets.values()]
    return sorted((group for group in found if group is not None), key=lambda group: -len(group.strips))


def _group(members: list[tuple[Call, Nameplate]], by_call: dict[UUID, list[Any]], before: Any) -> UnitGroup | None:
    now_marks: dict[str, SeriesValue] = {}
    then: dict[str, float] = {}
    owner: dict[str, tuple[Call, str]] = {}
    band = shop_limits().band("element_amps_ratio")
    for call, plate in members:
        this = _series(plate, by_call.get(call.id, []))
        last = _series(plate, by_call.get(before.get(call.unit_id), []))
        for part, series in this.items():
            key = f"{call.unit_id}:{part}"
            now_marks[key] = series.marks[-1]
            owner[key] = call, plate.circuit(part).name
            if part in last:
                then[key] = last[part].marks[-1].ratio
    if not now_marks:
        return None
    ratios = {key: mark.ratio for key, mark in now_marks.items()}
    apart = {outlier.id: outlier for outlier in outliers_of(ratios, then)}
    low, high = scale_of(band, *ratios.values())

    def x(value: float) -> float:
        return round(2 + (min(max(value, low), high) - low) / (high - low) * (RAIL_WIDTH - 4), 1)

    strips = [
        Strip(
            call=owner[key][0],
            name=owner[key][1],
            ratio=ratio,
            amps=now_marks[key].value,
            before=then.get(key),
            x=x(ratio),
            outlier=apart.get(key),
            advice=_advice(owner[key][0]) if key in apart else "",
        )
        for key, ratio in ratios.items()
    ]
    strips.sort(key=lambda strip: (-abs(strip.outlier.score) if strip.outlier else 0.0, strip.call.scheduled_at))
    plate = members[0][1]
    years = sorted({member.built[:4] for _, member in members if member.built})
    built = f", built {years[0]}{'–' + years[-1] if years[-1] != years[0] else ''}" if years else ""
    count = f"{len(members)} unit{'s' if len(members) > 1 else ''}"
    return UnitGroup(
        words=f"{plate.maker} {plate.model}, {len(plate.circuits)} strips{built}: {count}",
        strips=tuple(strips),
        passing=(x(band.pass_low), x(band.pass_high)),
        marginal=(x(band.marginal_low), x(band.marginal_high)),
        middle=x(median(ratios.values())),
        is_enough=len(ratios) >= LEAST_LIKE,
    )


def _advice(call: Call) -> str:
    """Return what replacing an element now costs and spares, as far as the shop's own records say."""
    plate = kept_nameplate(call.unit.nameplate)
    life = lives_of_shop(g.db, call.shop_id, now()).get("element")
    parts = [PARTS.from_json(row.label) for row in stock.list_parts(g.db, shop_id=call.shop_id)]
    price = next((part.price for part in parts if part.kind == "element" and part.price), None)
    built = plate.built[:4]
    if life is None or not built.isdigit():
        chance = "chance of failing this season: not enough records"
    else:
        share = chance_within(life, now().year - int(built))
        chance = f"{100 * share:.0f} % of this age fail within a year"
    return f"{chance}; the part costs {price:.2f}" if price else chance


@bp.get("/<uuid:round_id>/outliers")
@login_required
def outliers(round_id: UUID) -> ResponseReturnValue:
    """Show like units against each other, those that stand apart first."""
    row = own_round(round_id)
    return render_template("rounds/outliers.html", round=row, groups=groups_of(row), width=RAIL_WIDTH)


def _report_rows(row: Round) -> list[dict[str, Any]]:
    apart: dict[UUID, list[Strip]] = {}
    strips: dict[UUID, list[Strip]] = {}
    for group in groups_of(row):
        for strip in group.strips:
            strips.setdefault(strip.call.id, []).append(strip)
            if strip.outlier is not None:
                apart.setdefault(strip.call.id, []).append(strip)
    found = []
    for call in rounds.calls_of(g.db, shop_id=row.shop_id, round_id=row.id):
        found.append(
            {
                "call": call,
                "strips": sorted(strips.get(call.id, ()), key=lambda strip: strip.name),
                "apart": apart.get(call.id, []),
            }
        )
    return found


@bp.get("/<uuid:round_id>/report.pdf")
@login_required
def report_pdf(round_id: UUID) -> ResponseReturnValue:
    """Send the owner's report of a round."""
    row = own_round(round_id)
    html = render_template("rounds/report_pdf.html", round=row, rows=_report_rows(row), shop=g.person.shop)
    return attached(laid_out(html), "application/pdf", "round.pdf")


@bp.get("/<uuid:round_id>/report.csv")
@login_required
def report_csv(round_id: UUID) -> ResponseReturnValue:
    """Send the same as a table: one strip a line."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(("place", "unit", "done", "strip", "amps_at_rated_volts", "ratio", "ratio_before", "stands_apart"))
    for entry in _report_rows(own_round(round_id)):
        call = entry["call"]
        done = call.closed_at.isoformat() if call.closed_at else ""
        for strip in entry["strips"] or [None]:
            cells = [safe_cell(call.unit.place.name), safe_cell(call.unit.label), done]
            if strip is not None:
                apart = strip.outlier.by if strip.outlier else ""
                before = "" if strip.before is None else f"{strip.before:.4f}"
                cells += [safe_cell(strip.name), f"{strip.amps:.2f}", f"{strip.ratio:.4f}", before, apart]
            writer.writerow(cells)
    return attached(out.getvalue(), "text/csv", "round.csv")
