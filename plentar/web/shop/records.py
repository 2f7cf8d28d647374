"""The shop's records as files, and the erasing of people's data: by hand, and after the days the shop keeps it."""

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from uuid import UUID

from flask import Response, abort, current_app, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import ReadingError
from plentar.formats.bundle import readings_csv
from plentar.store import audit, places, privacy
from plentar.store.database import allow
from plentar.store.shop_rows import ConflictsError
from plentar.web.audit import note
from plentar.web.exchange.export_file import export_shop, tidy_rows
from plentar.web.exchange.import_process import import_apart
from plentar.web.fields import checked_token
from plentar.web.serving.access import lead_required, now, release
from plentar.web.shop.people import bp

__all__: list[str] = []

CHUNK = 1 << 16


@bp.get("/records")
@lead_required
def records() -> ResponseReturnValue:
    """Show what can be taken out and in, and how long what is kept."""
    return _shown()


def _shown(code: int = 200, **context: Any) -> ResponseReturnValue:
    kinds = {"words": "What customers said and wrote", "photos": "Photos", "signatures": "Signatures"}
    return render_template("shop/records.html", kinds=kinds, retention=g.person.shop.retention, **context), code


@bp.post("/export")
@lead_required
def export_bundle() -> ResponseReturnValue:
    """Send the whole shop as one bundle."""
    checked_token()
    with tempfile.NamedTemporaryFile(suffix=".zip", delete=False) as file:
        path = Path(file.name)
    try:
        export_shop(g.db, g.person.shop, path, now())
        note("exported", "the whole shop")
        return _sent_and_gone(path, "application/zip", f"plentar-{now():%Y-%m-%d}.zip")
    except BaseException:
        path.unlink(missing_ok=True)
        raise


@bp.post("/import")
@lead_required
def import_bundle() -> ResponseReturnValue:
    """Import an export file, all of it or nothing."""
    checked_token()
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        return _shown(422, problem=ReadingError("choose an export file first", field="file"))
    who, moment = g.person, now()
    release()
    with tempfile.NamedTemporaryFile(suffix=".zip") as file:
        upload.save(file)
        file.flush()
        try:
            taken = import_apart(
                current_app.config["PLENTAR_DATABASE_URL"],
                shop_id=who.shop_id,
                person_id=who.id,
                path=Path(file.name),
                name=upload.filename,
                now=moment,
            )
        except ConflictsError as error:
            return _shown(422, problem=error, problems=error.problems)
        except ReadingError as error:
            return _shown(422, problem=error)
    return _shown(taken=taken)


@bp.get("/readings.csv")
@lead_required
def all_readings() -> ResponseReturnValue:
    """Send all readings as one tidy table: written first, so that a slow line holds no transaction open."""
    allow(g.db)
    with tempfile.NamedTemporaryFile("w", suffix=".csv", encoding="utf-8", newline="", delete=False) as file:
        path = Path(file.name)
        try:
            file.writelines(readings_csv(tidy_rows(g.db, g.person.shop)))
        except BaseException:
            path.unlink(missing_ok=True)
            raise
    return _sent_and_gone(path, "text/csv", "readings.csv")


def _sent_and_gone(path: Path, kind: str, name: str) -> Response:
    """Send a file by pieces and remove it, sent or not."""

    def chunks() -> Iterator[bytes]:
        try:
            with path.open("rb") as whole:
                while data := whole.read(CHUNK):
                    yield data
        finally:
            path.unlink(missing_ok=True)

    size = path.stat().st_size
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Content-Length": str(size)}
    answer = Response(chunks(), mimetype=kind, headers=headers)
    answer.call_on_close(lambda: path.unlink(missing_ok=True))
    return answer


@bp.post("/retention")
@lead_required
def keep_retention() -> ResponseReturnValue:
    """Keep how many days each kind of personal data stays, and erase what is older now."""
    checked_token()
    found: dict[str, int] = {}
    for name in privacy.KINDS:
        text = request.form.get(f"days-{name}", "").strip()
        if not text:
            continue
        if not (text.isascii() and text.isdigit()) or not 0 < int(text) <= privacy.LONGEST_DAYS:
            problem = ReadingError("enter whole days, at least 1, or leave blank", field=f"days-{name}")
            return _shown(422, problem=problem, typed=request.form)
        found[name] = int(text)
    shop = g.db.merge(g.person.shop)
    who = {"shop_id": shop.id, "person": g.person, "at": now()}
    audit.note_changes(g.db, "how long it is kept", shop.name, {"days": shop.retention}, {"days": found}, **who)
    shop.retention = found
    count = privacy.due_for_erasing(g.db, shop_id=shop.id, retention=found, now=now())
    if count:
        note("erased", f"{count} calls past their retention time")
    return redirect(url_for("shop.records"))


@bp.post("/places/<uuid:place_id>/forget")
@lead_required
def forget_place(place_id: UUID) -> ResponseReturnValue:
    """Erase what is kept of a place's people: typed in words, so that no finger does it by chance."""
    place = places.get_place(g.db, shop_id=g.person.shop_id, place_id=place_id)
    if place is None:
        abort(404)
    checked_token()
    if request.form.get("sure", "").strip().lower() != "erase":
        return redirect(url_for("place.page", place_id=place_id, unsure=1))
    privacy.forget(g.db, shop_id=g.person.shop_id, place_id=place_id, at=now(), person=g.person)
    return redirect(url_for("place.page", place_id=place_id))
