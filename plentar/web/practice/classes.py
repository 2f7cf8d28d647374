"""An instructor's cases and classes: made from any unit and faults, given by a code, results as CSV."""

import csv
import io
import json
import secrets
from dataclasses import replace
from datetime import timedelta
from uuid import UUID, uuid4

from flask import abort, g, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue

from plentar.core.causes.faults import COMPLAINTS, faults_of
from plentar.core.errors import PlentarError, ReadingError
from plentar.core.practice.case import Case, Hidden
from plentar.core.practice.ladder import case_of, ladder
from plentar.formats.case_json import case_from_json, case_to_json
from plentar.formats.json_in import read_json
from plentar.formats.labels_csv import safe_cell
from plentar.formats.unit_json import kept_nameplate
from plentar.store import practice, sign_ins
from plentar.store.practice_models import Learner, PracticeClass
from plentar.store.secret import hash_of, new_secret
from plentar.web.call_layout.documents import attached
from plentar.web.fields import checked_token
from plentar.web.practice.views import begin_case, bp
from plentar.web.practice.who import CLASS_KEY, in_class
from plentar.web.serving.access import lead_required, now
from plentar.web.serving.network import network
from plentar.web.serving.paths import whole_url

__all__: list[str] = []

# Letters and digits nobody mistakes for one another when a code is read out.
CODE_LETTERS = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
CODE_LENGTH = 6
MOST_FILE_BYTES = 200_000
# A code that is passed round lets in no more than a large room holds.
MOST_LEARNERS = 200
# How long a class is open: an evening's, a course's; the longest school year.
USUAL_DAYS, MOST_DAYS = 14, 366
# Of one network address in ten minutes: a class of forty behind one router opens the link once or twice each, and a
# guesser would need some seven million tries for one code.
CODE_TRIES = 120


def _page(
    problem: PlentarError | None = None, typed: str = "", preview: Case | None = None, code: int = 200
) -> ResponseReturnValue:
    shop_id = g.person.shop_id
    body = render_template(
        "practice/classes.html",
        cases=practice.list_cases(g.db, shop_id=shop_id),
        classes=practice.classes_of(g.db, shop_id=shop_id),
        ladder=ladder(),
        real_calls=practice.calls_with_causes(g.db, shop_id=shop_id),
        problem=problem,
        typed=typed,
        preview=preview,
        preview_json=json.dumps(case_to_json(preview), indent=1, ensure_ascii=False) if preview else "",
    )
    return body, code


@bp.get("/classes")
@lead_required
def classes_page() -> ResponseReturnValue:
    """Show the shop's cases and classes."""
    return _page()


def _case_sent() -> Case:
    sent = request.files.get("file")
    text = sent.stream.read(MOST_FILE_BYTES + 1).decode("utf-8", "replace") if sent else request.form.get("case", "")
    if not text.strip():
        raise ReadingError("choose a case's file", field="file")
    if len(text) > MOST_FILE_BYTES:
        raise ReadingError("a case file is about 10 kB. This file is larger", field="file")
    return case_from_json(read_json(text, field="file", most_bytes=MOST_FILE_BYTES))


@bp.post("/classes/cases")
@lead_required
def save_case() -> ResponseReturnValue:
    """Look at a case's file first; keep it once it was looked at."""
    checked_token()
    try:
        case = _case_sent()
    except PlentarError as error:
        return _page(problem=error, typed=request.form.get("case", ""), code=422)
    if request.form.get("do") != "keep":
        return _page(preview=case)
    practice.save_case(g.db, shop_id=g.person.shop_id, title=case.title, document=case_to_json(case), now=now())
    return redirect(url_for("practice.classes_page"), 303)


@bp.get("/classes/from-call/<uuid:call_id>")
@lead_required
def case_from_call(call_id: UUID) -> ResponseReturnValue:
    """Look at a case made of a real call: its circuit, its fault, its weather; no place, words, people or photos."""
    found = practice.cause_of(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if found is None:
        abort(404)
    call, faults = found
    plate = kept_nameplate(call.unit.nameplate)
    known = {fault.id for fault in faults_of(plate)}
    # Two at once are joined; what this plate no longer has is left out.
    hidden = [name for joined in faults[:1] for name in joined.split("+") if name in known]
    complaint = next((name for name in call.complaints if name in COMPLAINTS), "no heat")
    try:
        case = Case(
            id=f"call-{str(call.id)[:8]}",
            title=f"A call of ours: {complaint}",
            # Who made it and which one it was says where it stands.
            plate=replace(plate, serial="", maker="", model=""),
            hidden=tuple(Hidden(fault=name) for name in hidden),
            complaint=complaint,
            skills=("open-closed",),
            level=3,
            outdoor_degf=call.outdoor_degf,
            indoor_degf=call.indoor_degf,
        )
    except PlentarError as error:
        return _page(problem=error, code=422)
    return _page(preview=case)


@bp.get("/classes/cases/<uuid:item_id>.json")
@lead_required
def case_file(item_id: UUID) -> ResponseReturnValue:
    """Send one of the shop's cases as its file."""
    row = practice.case_of(g.db, shop_id=g.person.shop_id, case_id=item_id)
    if row is None:
        abort(404)
    body = json.dumps(row.document, indent=2, ensure_ascii=False)
    return attached(body, "application/json", "case.json")


@bp.post("/classes")
@lead_required
def make_class() -> ResponseReturnValue:
    """Make a class of some cases; its code is shown on the page."""
    checked_token()
    name = request.form.get("name", "").strip()[:120]
    shop_id = g.person.shop_id
    own = {str(case.id) for case in practice.list_cases(g.db, shop_id=shop_id)}
    wanted = [case for case in request.form.getlist("cases") if case in own or case_of(case) is not None]
    if not name or not wanted:
        field = "name" if not name else "cases"
        words = "enter a name for the class" if not name else "choose at least one case"
        return _page(problem=ReadingError(words, field=field), typed=name, code=422)
    days = request.form.get("days", "").strip() or str(USUAL_DAYS)
    if not (days.isascii() and days.isdigit()) or not 1 <= int(days) <= MOST_DAYS:
        problem = ReadingError(f"expected 1 to {MOST_DAYS} days, got {days[:20]!r}", field="days")
        return _page(problem=problem, typed=name, code=422)
    code = "".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_LENGTH))
    row = PracticeClass(
        shop_id=shop_id,
        id=uuid4(),
        name=name,
        code=code,
        case_ids=wanted,
        made_at=now(),
        open_until=now() + timedelta(days=int(days)),
    )
    g.db.add(row)
    g.db.flush()
    return redirect(url_for("practice.class_page", item_id=row.id), 303)


def _own_class(item_id: UUID) -> PracticeClass:
    row = practice.class_of(g.db, shop_id=g.person.shop_id, class_id=item_id)
    if row is None:
        abort(404)
    return row


@bp.get("/classes/<uuid:item_id>")
@lead_required
def class_page(item_id: UUID) -> ResponseReturnValue:
    """Show a class: its code, who came, how each call went."""
    row = _own_class(item_id)
    rows = practice.learners_of_class(g.db, row)
    link = whole_url(url_for("practice.join_page", code=row.code))
    return render_template(
        "practice/class.html", row=row, rows=rows, link=link, titles=_titles(row), is_over=row.open_until <= now()
    )


def _titles(row: PracticeClass) -> dict[str, str]:
    """Return what a class's cases are called, in their order."""
    own = {str(case.id): case.title for case in practice.list_cases(g.db, shop_id=row.shop_id)}
    known = own | {case.id: case.title for case in ladder()}
    return {name: known.get(name, "a case that is gone") for name in map(str, row.case_ids)}


@bp.post("/classes/<uuid:item_id>/close")
@lead_required
def close_class(item_id: UUID) -> ResponseReturnValue:
    """Close a class: its code lets nobody in any more, and whoever is in is out."""
    checked_token()
    row = _own_class(item_id)
    row.closed_at = now()
    return redirect(url_for("practice.class_page", item_id=row.id), 303)


@bp.get("/classes/<uuid:item_id>.csv")
@lead_required
def class_csv(item_id: UUID) -> ResponseReturnValue:
    """Send a class's results as CSV, a line a run."""
    row = _own_class(item_id)
    titles = _titles(row)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(
        ["learner", "case", "began", "ended", "points", "found", "fine_parts", "minutes", "hints", "unsafe"]
    )
    for who, run in practice.learners_of_class(g.db, row):
        if run is None:
            continue
        score = run.score or {}
        figures = [score.get(name, "") for name in ("points", "found", "fine_parts", "minutes", "hints", "unsafe")]
        ended = run.ended_at.isoformat() if run.ended_at else ""
        case = titles.get(run.case_id, run.case_id)
        writer.writerow([safe_cell(who.name), safe_cell(case), run.began_at.isoformat(), ended, *figures])
    return attached(out.getvalue(), "text/csv", "class.csv")


# Whoever comes by a code: no account, no shop.


def _class_of(code: str) -> PracticeClass:
    """Return the open class of a code; tries are counted, and a code that opens nothing is a 404."""
    keys = [(f"class:{network()}", CODE_TRIES)]
    if not sign_ins.take_guess(g.db, keys, now()):
        abort(429)
    g.db.commit()
    row = practice.class_by_code(g.db, code, now())
    if row is None:
        abort(404)
    sign_ins.give_back(g.db, keys, now())
    return row


@bp.get("/join/<code>")
def join_page(code: str) -> ResponseReturnValue:
    """Ask a name of whoever comes by a class's code; who is in already sees the class's calls."""
    row = _class_of(code)
    who = in_class()
    if who is None or who.class_id != row.id:
        return render_template("practice/join.html", row=row, problem="", typed="")
    runs = practice.runs_of(g.db, who)
    return render_template("practice/class_calls.html", row=row, titles=_titles(row), runs=runs, learner=who)


@bp.post("/join/<code>")
def join(code: str) -> ResponseReturnValue:
    """Come into a class under a name."""
    checked_token()
    row = _class_of(code)
    name = request.form.get("name", "").strip()[:80]
    if not name:
        return render_template("practice/join.html", row=row, problem="type a name", typed=""), 422
    if practice.count_learners(g.db, row) >= MOST_LEARNERS:
        problem = f"this class is full ({MOST_LEARNERS} learners)"
        return render_template("practice/join.html", row=row, problem=problem, typed=name), 422
    token = new_secret()
    who = Learner(shop_id=row.shop_id, id=uuid4(), class_id=row.id, name=name, token_hash=hash_of(token), made_at=now())
    g.db.add(who)
    session[CLASS_KEY] = token
    return redirect(url_for("practice.join_page", code=row.code), 303)


@bp.post("/join/<code>/cases/<case_id>")
def begin_in_class(code: str, case_id: str) -> ResponseReturnValue:
    """Begin one of the class's calls."""
    checked_token()
    row, who = _class_of(code), in_class()
    if who is None or who.class_id != row.id or case_id not in row.case_ids:
        abort(404)
    return begin_case(who, case_id)
