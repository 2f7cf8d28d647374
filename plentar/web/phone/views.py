"""The shell a phone starts without signal, its key, the day's calls drawn ahead, what was set aside."""

import secrets
from datetime import datetime, time, timedelta
from pathlib import Path
from uuid import UUID
from zoneinfo import ZoneInfo

from flask import Blueprint, Response, abort, current_app, g, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm

from plentar.core.causes.faults import COMPLAINTS
from plentar.store import calls, phones
from plentar.web.audit import note
from plentar.web.call_layout.visits import meter_of, own_call, read_visit
from plentar.web.call_layout.writing import keep_accepted
from plentar.web.offline.bundle import bundle_of, dead_list, fresh_of, version_of
from plentar.web.serving.access import lead_required, login_required, now
from plentar.web.serving.assets import build_of

__all__ = ["bp"]

bp = Blueprint("phone", __name__)
# Scripts and styles a page needs; the shell brings them along by the names they are asked for.
STYLES = ("dist/app.css",)
FONTS = ("dist/fonts/next.woff2", "dist/fonts/mono.woff2")
# Planned for later, a call can be opened without signal too; forty of them are some five megabytes.
AHEAD_DAYS, MOST_CALLS = 8, 40
ICONS = ("mark.svg", "icon-192.png", "icon-512.png")


@bp.get("/phone")
@login_required
def page() -> ResponseReturnValue:
    """Show how ready this phone is without signal, and make it so."""
    return render_template("phone/page.html")


@bp.get("/phone/shell")
def shell() -> ResponseReturnValue:
    """Send the empty page that a phone fills from what it keeps: nobody's data are in it."""
    return render_template("phone/shell.html", person=None)


@bp.get("/manifest.webmanifest")
def manifest() -> ResponseReturnValue:
    """Send what makes the application one a phone can install."""
    icons = [
        {"src": url_for("static", filename=f"icon-{n}.png"), "sizes": f"{n}x{n}", "type": "image/png"}
        for n in (192, 512)
    ]
    return jsonify(
        name="Plentar",
        short_name="Plentar",
        start_url=url_for("today.page"),
        display="standalone",
        background_color="#f5f1e8",
        theme_color="#1b2430",
        icons=icons,
    )


@bp.get("/sw.js")
def worker() -> ResponseReturnValue:
    """Send the service worker, with the names of everything the shell is made of."""
    folder = Path(str(current_app.static_folder))
    asset = current_app.jinja_env.globals["asset"]
    scripts = sorted(path.name for path in folder.glob("*.js"))
    names = [*STYLES, *FONTS, *ICONS, "dist/htmx.min.js", "dist/phone.js", *scripts]
    shell_entry = {"url": url_for("phone.shell"), "revision": build_of(current_app)}
    manifest = [shell_entry, *({"url": asset(name), "revision": None} for name in names)]  # type: ignore[operator]
    code = (folder / "dist/sw.js").read_text()
    head = f"self.__SHELL={current_app.json.dumps(manifest)};\n"
    return Response(head + code, mimetype="text/javascript")


@bp.post("/phone/key")
@login_required
def key() -> ResponseReturnValue:
    """Give this phone its keys: one that seals what it sends, one that opens what it keeps when the PIN is lost."""
    if not FlaskForm().validate():
        abort(400)
    try:
        phone_id = UUID(request.form.get("phone", ""))
    except ValueError:
        abort(400)
    phone = phones.register(
        g.db,
        g.person,
        phone_id=phone_id,
        sign_in=g.known.sign_in,
        seal_key=secrets.token_bytes(32),
        unlock_key=secrets.token_bytes(32),
        now=now(),
    )
    if phone is None:
        return {"phone": "ended"}, 403
    return {"seal": phone.seal_key.hex(), "unlock": phone.unlock_key.hex()}


@bp.get("/phone/aboard")
@login_required
def aboard() -> ResponseReturnValue:
    """List what a phone takes along: the calls of today and the week, units and wirings to begin others on."""
    zone = ZoneInfo(g.person.shop.time_zone)
    start = datetime.combine(now().astimezone(zone).date(), time(), zone)
    rows = calls.list_between(g.db, shop_id=g.person.shop_id, start=start, end=start + timedelta(days=AHEAD_DAYS))[
        :MOST_CALLS
    ]
    listed = [
        {
            "id": str(call.id),
            "version": version_of(call),
            "place": call.unit.place.name,
            "at": round(1000 * call.scheduled_at.timestamp()),
            "complaint": call.complaint,
            "by": call.technician.name,
            "mine": call.technician_id == g.person.id,
        }
        for call in rows
        if call.status != "closed"
    ]
    fresh = fresh_of([call.unit for call in rows])
    return {
        "calls": listed,
        "fresh": fresh,
        "complaints": list(COMPLAINTS),
        "person": {"id": str(g.person.id), "name": g.person.name},
        "now": now().isoformat(),
    }


@bp.get("/phone/aboard/<uuid:call_id>")
@login_required
def bundle(call_id: UUID) -> ResponseReturnValue:
    """Send one call drawn ahead."""
    return jsonify(bundle_of(own_call(call_id)))


@bp.get("/phone/dead/<uuid:call_id>")
@login_required
def dead(call_id: UUID) -> ResponseReturnValue:
    """Send what a phone must hold before it may call a unit dead by itself."""
    call = own_call(call_id)
    return jsonify(dead_list(read_visit(call), meter_of(call.meter), str(g.person.id)))


@bp.post("/calls/<uuid:call_id>/aside/<uuid:rejected_id>/accept")
@lead_required
def accept(call_id: UUID, rejected_id: UUID) -> ResponseReturnValue:
    """Record what was set aside because the phone's clock was too far off, in the name of whoever sent it."""
    if not FlaskForm().validate():
        abort(400)
    row = phones.rejected_by_id(g.db, shop_id=g.person.shop_id, call_id=call_id, rejected_id=rejected_id)
    if row is None or row.drafts is None:
        abort(404)
    keep_accepted(row)
    phones.see_rejected(g.db, g.person, call_id=call_id, rejected_id=rejected_id, now=now())
    note("late entry accepted", f"{row.person.name}: {', '.join(value for _, value in row.fields[:2])}")
    return redirect(url_for("call.page", call_id=call_id))


@bp.post("/calls/<uuid:call_id>/aside/<uuid:rejected_id>")
@login_required
def see(call_id: UUID, rejected_id: UUID) -> ResponseReturnValue:
    """Note that somebody has looked at what was set aside; it stays on record."""
    if not FlaskForm().validate():
        abort(400)
    if not phones.see_rejected(g.db, g.person, call_id=call_id, rejected_id=rejected_id, now=now()):
        abort(404)
    return redirect(url_for("call.page", call_id=call_id))
