"""Ways in beside the password: the link that works once, and passkeys by the browser's own means."""

import json
from ipaddress import ip_address
from typing import Any
from urllib.parse import urlsplit
from uuid import UUID

from flask import abort, current_app, g, jsonify, redirect, render_template, session, url_for
from flask.typing import ResponseReturnValue
from webauthn import (
    base64url_to_bytes,
    generate_authentication_options,
    generate_registration_options,
    options_to_json,
    verify_authentication_response,
    verify_registration_response,
)
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    PublicKeyCredentialDescriptor,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from plentar.core.errors import ReadingError
from plentar.formats.json_in import read_json
from plentar.store import audit, people, sign_ins, ways_in
from plentar.store.models import Person
from plentar.store.shop_models import OneTimeLink
from plentar.web.audit import note
from plentar.web.serving.access import login_required, now
from plentar.web.serving.network import device_words, network
from plentar.web.serving.paths import origin
from plentar.web.signin.entry import known_device, let_in, where_to
from plentar.web.signin.forms import PasskeyForm, WelcomeForm
from plentar.web.signin.views import ADDRESS_GUESSES, bp, checked, show_you

__all__: list[str] = []

RELYING_NAME = "Plentar"
# What an authenticator with a certificate chain answers, and room to spare.
MOST_CREDENTIAL_BYTES = 64_000
# Of one network address in ten minutes: every page of the sign-in may ask one.
CHALLENGES = 120
REFUSAL = "that passkey opens nothing here"
# What a made-up answer of a browser can make of the library.
BAD_ANSWERS = (WebAuthnException, ValueError, TypeError, KeyError, AttributeError)


def _relying_id() -> str:
    """Return the name keys are made for.

    Raises:
        ReadingError: The page was opened by a number: keys belong to names.
    """
    host = urlsplit(origin()).hostname or ""
    try:
        ip_address(host)
    except ValueError:
        return host
    raise ReadingError("passkeys need a name: open this page as localhost or by its own address", field="credential")


def _registration(person: Person) -> str:
    known = [PublicKeyCredentialDescriptor(id=row.credential_id) for row in ways_in.list_passkeys(g.db, person)]
    options = generate_registration_options(
        rp_id=_relying_id(),
        rp_name=RELYING_NAME,
        user_id=person.id.bytes,
        user_name=person.email,
        user_display_name=person.name,
        exclude_credentials=known,
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.REQUIRED, user_verification=UserVerificationRequirement.REQUIRED
        ),
    )
    return _asked(options, person)


def _asked(options: Any, person: Person | None = None) -> str:
    """Return what is asked of the browser as JSON; its challenge is good for one answer of this session.

    Args:
        options: What is asked.
        person: Whose passkey is being made; None while somebody signs in.
    """
    asked: str = options_to_json(options)
    session["challenge"] = json.loads(asked)["challenge"]
    ways_in.keep_challenge(g.db, options.challenge, person, now())
    return asked


def _challenge(person: Person | None) -> bytes:
    """Return what this session's browser was asked, and use it up: kept here it answers once, within five minutes.

    Raises:
        ReadingError: It was used, is too old, or was asked of somebody else.
    """
    try:
        challenge = base64url_to_bytes(session.pop("challenge", ""))
    except ValueError as error:
        raise ReadingError(REFUSAL, field="credential") from error
    is_open = ways_in.use_challenge(g.db, challenge, person, now())
    # Used up whatever comes of the answer.
    g.db.commit()
    if not is_open:
        raise ReadingError("that took more than five minutes, or was sent twice: try once more", field="credential")
    return challenge


def _keep_passkey(person: Person, credential: str, name: str) -> None:
    """Keep a new passkey once all of it holds: challenge, origin, and that its owner was asked.

    Raises:
        ReadingError: It does not.
    """
    challenge = _challenge(person)
    try:
        verified = verify_registration_response(
            credential=read_json(credential or "", field="credential", most_bytes=MOST_CREDENTIAL_BYTES),
            expected_challenge=challenge,
            expected_rp_id=_relying_id(),
            expected_origin=origin(),
            require_user_verification=True,
        )
    except BAD_ANSWERS as error:
        raise ReadingError("that passkey could not be checked: try once more", field="credential") from error
    ways_in.add_passkey(
        g.db,
        person,
        credential_id=verified.credential_id,
        public_key=verified.credential_public_key,
        sign_count=verified.sign_count,
        name=name or device_words(),
        now=now(),
    )
    audit.note(g.db, "passkey made", person.name, shop_id=person.shop_id, person=person, at=now())


def _as_json(body: str) -> ResponseReturnValue:
    return current_app.response_class(body, mimetype="application/json")


def _why(error: ReadingError) -> ResponseReturnValue:
    return jsonify(why=str(error.message)), 422


# Coming in by a passkey.


@bp.post("/sign-in/passkey/options")
def passkey_asked() -> ResponseReturnValue:
    """Say what a browser's passkey must answer."""
    if not sign_ins.take_guess(g.db, [(f"asked:{network()}", CHALLENGES)], now()):
        return _why(ReadingError("too many tries: wait ten minutes", field="credential"))
    try:
        options = generate_authentication_options(
            rp_id=_relying_id(), user_verification=UserVerificationRequirement.REQUIRED
        )
    except ReadingError as error:
        return _why(error)
    return _as_json(_asked(options))


@bp.post("/sign-in/passkey")
def sign_in_by_passkey() -> ResponseReturnValue:
    """Let its owner in when the answer holds: challenge, origin, owner asked, used more often than ever before."""
    form = PasskeyForm()
    keys = [(f"from:{network()}", ADDRESS_GUESSES)]
    if not form.validate() or not sign_ins.take_guess(g.db, keys, now()):
        return _why(ReadingError("too many tries: wait ten minutes", field="credential"))
    g.db.commit()
    refusal = ReadingError(REFUSAL, field="credential")
    try:
        challenge = _challenge(None)
        answer = read_json(form.credential.data or "", field="credential", most_bytes=MOST_CREDENTIAL_BYTES)
        row = ways_in.find_passkey(g.db, base64url_to_bytes(answer["id"]))
        if row is None or row.person.deactivated_at is not None:
            return _why(refusal)
        verified = verify_authentication_response(
            credential=answer,
            expected_challenge=challenge,
            expected_rp_id=_relying_id(),
            expected_origin=origin(),
            credential_public_key=row.public_key,
            credential_current_sign_count=row.sign_count,
            require_user_verification=True,
        )
    except ReadingError as error:
        return _why(error)
    except BAD_ANSWERS:
        return _why(refusal)
    ways_in.note_passkey_used(g.db, row, verified.new_sign_count, now())
    sign_ins.give_back(g.db, keys, now())
    to = where_to(row.person, form.next.data)
    return let_in(row.person, known_device(), jsonify(to=to), how="passkey")


# One's own passkeys.


@bp.post("/you/passkeys/options")
@login_required
def own_passkey_asked() -> ResponseReturnValue:
    """Say what a browser needs to make a passkey for whoever is signed in."""
    try:
        return _as_json(_registration(g.person))
    except ReadingError as error:
        return _why(error)


@bp.post("/you/passkeys")
@login_required
def keep_own_passkey() -> ResponseReturnValue:
    """Keep a new passkey of one's own."""
    form = PasskeyForm()
    try:
        checked(form)
        _keep_passkey(g.person, form.credential.data, form.name.data or "")
    except ReadingError as error:
        return _why(error)
    return jsonify(to=url_for("signin.you"))


@bp.post("/you/passkeys/<uuid:passkey_id>/remove")
@login_required
def remove_own_passkey(passkey_id: UUID) -> ResponseReturnValue:
    """Take one of one's own passkeys away, but for the last way in."""
    checked(PasskeyForm())
    answer = ways_in.remove_passkey(g.db, g.person, passkey_id)
    if answer == "none":
        abort(404)
    if answer == "last":
        return show_you(422, problem="That is your last way in: set a password first, or make another passkey.")
    note("passkey removed", g.person.name)
    return redirect(url_for("signin.you"))


@bp.post("/you/password/remove")
@login_required
def remove_own_password() -> ResponseReturnValue:
    """Come in by passkeys alone from now on."""
    checked(PasskeyForm())
    if not ways_in.remove_password(g.db, g.person):
        return show_you(422, problem="That is your last way in: make a passkey first.")
    note("password removed", g.person.name)
    return redirect(url_for("signin.you"))


# The link that works once.


def _link(token: str) -> OneTimeLink:
    """Return a link that still works; tries are counted, and whatever opens nothing is a 404."""
    if not sign_ins.take_guess(g.db, [(f"welcome:{network()}", ADDRESS_GUESSES)], now()):
        abort(429)
    g.db.commit()
    link = ways_in.find_link(g.db, token) if len(token) <= 64 else None
    if link is None:
        abort(404)
    return link


def _spent(link: OneTimeLink) -> str:
    if link.used_at is not None:
        return "This link was used already. Whoever gave it to you can make another."
    if link.expires_at <= now() or link.person.deactivated_at is not None:
        return "This link is too old. Whoever gave it to you can make another."
    return ""


@bp.get("/welcome/<token>")
def welcome(token: str) -> ResponseReturnValue:
    """Greet somebody who comes by a link: their name, and a way in of their own."""
    link = _link(token)
    if words := _spent(link):
        return render_template("signin/spent.html", words=words), 410
    form = WelcomeForm(formdata=None, name=link.person.name)
    return render_template("signin/welcome.html", form=form, link=link, token=token)


@bp.post("/welcome/<token>/passkey")
def welcome_passkey_asked(token: str) -> ResponseReturnValue:
    """Say what a browser needs to make a passkey for whoever holds the link."""
    link = _link(token)
    if words := _spent(link):
        return jsonify(why=words), 422
    try:
        return _as_json(_registration(link.person))
    except ReadingError as error:
        return _why(error)


@bp.post("/welcome/<token>")
def take_up(token: str) -> ResponseReturnValue:
    """Use the link up: a password or a passkey is kept, earlier sign-ins end, and its holder is in."""
    link, form = _link(token), WelcomeForm()
    if words := _spent(link):
        return render_template("signin/spent.html", words=words), 410
    problem, is_right = "", form.validate()
    person = link.person
    if is_right and not form.new.data and not form.credential.data:
        is_right, problem = False, "Choose a password, or make a passkey."
    if is_right and form.credential.data:
        try:
            _keep_passkey(person, form.credential.data, "")
        except ReadingError as error:
            is_right, problem = False, str(error.message)
    if not is_right:
        g.db.rollback()
        return render_template("signin/welcome.html", form=form, link=link, token=token, problem=problem), 422
    if not ways_in.use_link(g.db, link, now()):
        g.db.rollback()
        return render_template("signin/spent.html", words="This link was used already."), 410
    person.name = form.name.data.strip()
    if form.new.data:
        people.change_password(g.db, person, form.new.data, now())
    else:
        sign_ins.end_all(g.db, person, now())
    return let_in(person, "", redirect(where_to(person, None)), how=f"{link.kind} link")
