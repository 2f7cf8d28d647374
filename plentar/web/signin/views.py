"""Sign in, sign out, see and end one's own sign-ins, change the password, switch the theme."""

from uuid import UUID

from flask import Blueprint, abort, current_app, g, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue
from flask_wtf import FlaskForm
from werkzeug.exceptions import BadRequest

from plentar.store import audit, people, sign_ins, ways_in
from plentar.web.serving.access import THEMES, login_required, now
from plentar.web.serving.network import network
from plentar.web.serving.paths import own_path
from plentar.web.signin.entry import end_this, known_device, let_in, where_to
from plentar.web.signin.forms import PasswordForm, SignInForm, UnitsForm

__all__ = ["ADDRESS_GUESSES", "bp", "checked", "show_you"]

bp = Blueprint("signin", __name__)

# Of a person from devices they never used, and of one they did: a slip or two of many fingers in gloves, no dictionary.
PERSON_GUESSES = DEVICE_GUESSES = 8
# Of one network address over all people: a shop behind one router may slip more often than one person.
ADDRESS_GUESSES = 40
WAIT_SECONDS = 600
TOO_MANY = "Too many attempts. Wait ten minutes, or use a device you signed in on before."


@bp.get("/sign-in")
def page() -> ResponseReturnValue:
    """Show the form; someone signed in goes straight on."""
    if g.person is not None:
        return redirect(url_for("today.page"))
    return render_template("signin/page.html", form=SignInForm(formdata=None, next=request.args.get("next", "")))


@bp.post("/sign-in")
def sign_in() -> ResponseReturnValue:
    """Let the person in, or say what is wrong beside the form; too many guesses wait, a known device does not."""
    form = SignInForm()
    if not form.validate():
        return render_template("signin/page.html", form=form), 422
    device = known_device()
    keys = _keys(form.email.data, device)
    if not sign_ins.take_guess(g.db, keys, now()):
        return _too_many(form)
    # Counted before it is looked at, and the count stands whatever comes of it.
    g.db.commit()
    person = people.verify_sign_in(g.db, email=form.email.data, password=form.password.data)
    if person is None:
        problem = "No such e-mail address and password together."
        return render_template("signin/page.html", form=form, problem=problem), 422
    sign_ins.give_back(g.db, keys, now())
    return let_in(person, device, redirect(where_to(person, form.next.data)), how="password")


def _keys(email: str, device: str) -> list[tuple[str, int]]:
    """Return what a guess counts under: a known device for itself, anything else for its person and its address."""
    email = email.strip().lower()
    if sign_ins.is_known_device(g.db, email, device):
        return [(f"device:{email}:{device}", DEVICE_GUESSES)]
    return [(f"person:{email}", PERSON_GUESSES), (f"from:{network()}", ADDRESS_GUESSES)]


def _too_many(form: SignInForm) -> ResponseReturnValue:
    body = render_template("signin/page.html", form=form, problem=TOO_MANY)
    return body, 429, {"Retry-After": str(WAIT_SECONDS)}


@bp.post("/sign-out")
def sign_out() -> ResponseReturnValue:
    """End this sign-in, here and on the server."""
    end_this()
    session.clear()
    return redirect(url_for("signin.page"))


@bp.get("/you")
@login_required
def you() -> ResponseReturnValue:
    """Show where one is signed in, and the form that changes the password."""
    return show_you()


def show_you(code: int = 200, form: PasswordForm | None = None, **context: object) -> ResponseReturnValue:
    """Show one's own page, with a form that was filled in or an empty one."""
    body = render_template(
        "signin/you.html",
        form=form or PasswordForm(formdata=None),
        open_ones=sign_ins.list_open(g.db, g.person, now()),
        this=g.known.sign_in,
        passkeys=ways_in.list_passkeys(g.db, g.person),
        **context,
    )
    return body, code


@bp.post("/you/sign-ins/<uuid:sign_in_id>/end")
@login_required
def end_one(sign_in_id: UUID) -> ResponseReturnValue:
    """End one of one's own sign-ins; its device is not known any more."""
    checked(FlaskForm())
    if not sign_ins.end(g.db, g.person, sign_in_id, now(), forget_device=True):
        abort(404)
    return redirect(url_for("signin.you"))


@bp.post("/you/sign-ins/end")
@login_required
def end_others() -> ResponseReturnValue:
    """End every sign-in but this one."""
    checked(FlaskForm())
    sign_ins.end_all(g.db, g.person, now(), but=g.known.sign_in)
    return redirect(url_for("signin.you"))


def checked(form: FlaskForm) -> None:
    """Refuse a form without its token."""
    if not form.validate():
        raise BadRequest


@bp.post("/you/password")
@login_required
def change_password() -> ResponseReturnValue:
    """Change the password: every sign-in ends, and this device is signed in anew."""
    form = PasswordForm()
    if not form.validate():
        return show_you(422, form)
    keys = [(f"password:{g.person.id}", PERSON_GUESSES)]
    if not sign_ins.take_guess(g.db, keys, now()):
        return show_you(429, form, problem=TOO_MANY)
    g.db.commit()
    if g.person.password_hash and not people.is_password(g.person, form.old.data or ""):
        form.old.errors = [*form.old.errors, "that is not your password now"]
        return show_you(422, form)
    sign_ins.give_back(g.db, keys, now())
    person = g.db.merge(g.person)
    people.change_password(g.db, person, form.new.data, now())
    audit.note(g.db, "password changed", person.name, shop_id=person.shop_id, person=person, at=now())
    return let_in(person, "", redirect(url_for("signin.you")), how="a new password")


@bp.post("/you/units")
@login_required
def set_units() -> ResponseReturnValue:
    """Keep the units a person reads."""
    form = UnitsForm()
    if not form.validate():
        raise BadRequest
    person = g.db.merge(g.person)
    person.reads_celsius, person.reads_metric_wire = form.degrees.data == "C", form.wire.data == "area"
    return redirect(url_for("signin.you"))


@bp.post("/theme")
def set_theme() -> ResponseReturnValue:
    """Keep the look in a cookie and come back to the same page."""
    wanted = request.form.get("theme", "")
    if wanted not in THEMES:
        raise BadRequest
    response = redirect(own_path(request.form.get("next")) or url_for("today.page"))
    is_secure = current_app.config["SESSION_COOKIE_SECURE"]
    response.set_cookie("theme", wanted, max_age=365 * 86400, samesite="Lax", httponly=True, secure=is_secure)
    return response
