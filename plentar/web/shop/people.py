"""People: who works here, what they may do, and the links that let them in; the audit; the shop's name and prices."""

from datetime import datetime
from uuid import UUID

from flask import Blueprint, abort, g, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from plentar.core.errors import ReadingError
from plentar.formats.numbers import parse_number
from plentar.store import audit, people, shops, ways_in
from plentar.store.models import Person
from plentar.store.secret import new_secret
from plentar.web.audit import note
from plentar.web.fields import checked_token, first_error
from plentar.web.serving.access import lead_required, now
from plentar.web.serving.paths import whole_url
from plentar.web.shop.forms import PersonForm, PricesForm, RoleForm

__all__ = ["bp", "invite", "show_people"]

bp = Blueprint("shop", __name__, url_prefix="/shop")


@bp.get("/people")
@lead_required
def people_page() -> ResponseReturnValue:
    """List everybody, with what can be done about each."""
    return show_people()


def show_people(form: PersonForm | None = None, code: int = 200, **context: object) -> ResponseReturnValue:
    """Show the people page, with a form that was filled in or an empty one."""
    rows = shops.list_people(g.db, shop_id=g.person.shop_id)
    keys = ways_in.count_passkeys(g.db, shop_id=g.person.shop_id)
    form = form or PersonForm(formdata=None)
    return render_template("shop/people.html", people=rows, keys=keys, form=form, **context), code


def link_for(person: Person, kind: str) -> str:
    """Make a one-time link and return its address, shown once."""
    secret = new_secret()
    ways_in.make_link(g.db, person, "invite" if kind == "invite" else "reset", secret, now())
    return whole_url(url_for("signin.welcome", token=secret))


def invite(form: PersonForm) -> tuple[Person, str]:
    """Add somebody and make the link that lets them in.

    Raises:
        ReadingError: Something is missing, or the address already belongs to a person.
    """
    if not form.validate():
        raise first_error(form)
    person = shops.add_person(
        g.db, shop_id=g.person.shop_id, name=form.name.data.strip(), email=form.email.data, role=form.role.data
    )
    if person is None:
        form.email.errors = [*form.email.errors, "another person already signs in with this address"]
        raise first_error(form)
    note("invited", f"{person.name}, {person.email}", after={"role": person.role})
    return person, link_for(person, "invite")


@bp.post("/people")
@lead_required
def add_person() -> ResponseReturnValue:
    """Invite somebody: their link is shown once, to be handed on."""
    form = PersonForm()
    try:
        person, link = invite(form)
    except ReadingError:
        return show_people(form, 422)
    return show_people(link=link, link_for=person)


def _person(person_id: UUID) -> Person:
    person = shops.get_person(g.db, shop_id=g.person.shop_id, person_id=person_id)
    if person is None:
        abort(404)
    return person


@bp.post("/people/<uuid:person_id>/role")
@lead_required
def change_role(person_id: UUID) -> ResponseReturnValue:
    """Give somebody another role; the last lead stays one."""
    person, form = _person(person_id), RoleForm()
    if not form.validate():
        abort(400)
    before = person.role
    if not shops.change_role(g.db, person, form.role.data):
        return show_people(code=422, problem="A shop needs at least one lead. Make another person a lead first.")
    if before != form.role.data:
        note("role", person.name, before=before, after=form.role.data)
    return redirect(url_for("shop.people_page"))


@bp.post("/people/<uuid:person_id>/link")
@lead_required
def reset(person_id: UUID) -> ResponseReturnValue:
    """Make somebody a new link: for one who lost their way in, or never came."""
    person = _person(person_id)
    checked_token()
    has_been = bool(person.password_hash) or bool(ways_in.list_passkeys(g.db, person))
    link = link_for(person, "reset" if has_been else "invite")
    note("link made", person.name)
    return show_people(link=link, link_for=person)


@bp.post("/people/<uuid:person_id>/active")
@lead_required
def set_active(person_id: UUID) -> ResponseReturnValue:
    """Let somebody sign in no more, from now on and everywhere; or again."""
    person = _person(person_id)
    checked_token()
    goes = person.deactivated_at is None
    if goes and person.role == "lead" and not shops.other_leads(g.db, person):
        return show_people(code=422, problem="A shop needs at least one lead. Make another person a lead first.")
    people.deactivate(g.db, person, now() if goes else None)
    note("sign-in disabled" if goes else "can sign in again", person.name)
    return redirect(url_for("shop.people_page"))


@bp.get("/audit")
@lead_required
def audit_page() -> ResponseReturnValue:
    """Show who changed what, the newest first."""
    try:
        before = datetime.fromisoformat(request.args["before"]) if "before" in request.args else None
    except ValueError:
        abort(404)
    rows = audit.list_newest(g.db, shop_id=g.person.shop_id, before=before)
    return render_template("shop/audit.html", rows=rows)


@bp.get("/prices")
@lead_required
def prices() -> ResponseReturnValue:
    """Show the shop's name, clock and money."""
    shop = g.person.shop
    form = PricesForm(
        formdata=None,
        name=shop.name,
        time_zone=shop.time_zone,
        currency=shop.currency,
        tax_percent=f"{shop.tax_percent:g}",
        price_kwh="" if shop.price_kwh is None else f"{shop.price_kwh:g}",
    )
    return render_template("shop/prices.html", form=form)


@bp.post("/prices")
@lead_required
def keep_prices() -> ResponseReturnValue:
    """Keep them, and who changed what."""
    form, shop = PricesForm(), g.db.merge(g.person.shop)
    is_right = form.validate()
    values: dict[str, object] = {name: form[name].data for name in ("name", "time_zone", "currency")}
    for name, most, words in (("tax_percent", 100.0, "percent"), ("price_kwh", 10.0, "of the currency")):
        text = (form[name].data or "").strip().removesuffix("%").strip()
        try:
            number = parse_number(text, "plain") if text else None
        except ReadingError:
            number = -1.0
        if (number is not None and not (0 <= number < most)) or (name == "price_kwh" and number == 0):
            form[name].errors = [*form[name].errors, f"enter a number from 0 to below {most:g} {words}"]
            is_right = False
        values[name] = (number or 0.0) if name == "tax_percent" else number
    if not is_right:
        return render_template("shop/prices.html", form=form), 422
    before = {name: getattr(shop, name) for name in values}
    who = {"shop_id": shop.id, "person": g.person, "at": now()}
    if audit.note_changes(g.db, "prices and clock", shop.name, before, values, **who):
        for name, value in values.items():
            setattr(shop, name, value)
    return redirect(url_for("shop.prices"))
