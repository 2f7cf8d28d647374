"""Sign in, sign out, switch the theme."""

from flask import Blueprint, g, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue
from werkzeug.exceptions import BadRequest

from plentar.store import people
from plentar.web.access import THEMES, now
from plentar.web.signin.forms import SignInForm

__all__ = ["bp"]

bp = Blueprint("signin", __name__)


@bp.get("/sign-in")
def page() -> ResponseReturnValue:
    """Show the form; someone signed in goes straight on."""
    if g.person is not None:
        return redirect(url_for("today.page"))
    return render_template("signin/page.html", form=SignInForm(formdata=None, next=request.args.get("next", "")))


@bp.post("/sign-in")
def sign_in() -> ResponseReturnValue:
    """Let the person in, or say what is wrong beside the form; too many tries wait."""
    form = SignInForm()
    if not form.validate():
        return render_template("signin/page.html", form=form), 422
    keys = [f"email:{form.email.data.strip().lower()}", f"from:{request.remote_addr}"]
    if people.too_many_failures(g.db, keys, now()):
        return render_template("signin/page.html", form=form, problem="Too many tries. Wait ten minutes."), 429
    person = people.verify_sign_in(g.db, email=form.email.data, password=form.password.data)
    if person is None:
        people.add_failure(g.db, keys, now())
        g.keep_on_error = True
        problem = "No such e-mail address and password together."
        return render_template("signin/page.html", form=form, problem=problem), 422
    people.forget_failures(g.db, keys[0])
    # The token survives, so that a form left open in another tab can still be sent.
    token = session.get("csrf_token")
    session.clear()
    session.update(person_id=str(person.id), **({"csrf_token": token} if token else {}))
    session.permanent = True
    return redirect(_own_path(form.next.data) or url_for("today.page"))


@bp.post("/sign-out")
def sign_out() -> ResponseReturnValue:
    """Forget the session."""
    session.clear()
    return redirect(url_for("signin.page"))


@bp.post("/theme")
def set_theme() -> ResponseReturnValue:
    """Keep the look in a cookie and come back to the same page."""
    wanted = request.form.get("theme", "")
    if wanted not in THEMES:
        raise BadRequest
    response = redirect(_own_path(request.form.get("next")) or url_for("today.page"))
    response.set_cookie("theme", wanted, max_age=365 * 86400, samesite="Lax", httponly=True, secure=request.is_secure)
    return response


def _own_path(path: str | None) -> str | None:
    """Return the path if it leads to this application and nowhere else."""
    is_plain = bool(path) and path is not None and all(c.isprintable() for c in path)
    if path and is_plain and path.startswith("/") and not path.startswith(("//", "/\\")):
        return path
    return None
