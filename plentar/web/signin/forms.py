"""The sign-in form and the one that changes a password."""

from flask_wtf import FlaskForm
from wtforms import HiddenField, PasswordField, SelectField, StringField
from wtforms.validators import EqualTo, InputRequired, Length, Optional

__all__ = ["PasskeyForm", "PasswordForm", "SignInForm", "UnitsForm", "WelcomeForm"]

LEAST_PASSWORD = 10


class SignInForm(FlaskForm):  # type: ignore[misc]
    """Address and password; `next` is the page that was wanted."""

    email = StringField("E-mail", [InputRequired("type your e-mail address"), Length(max=254)])
    password = PasswordField("Password", [InputRequired("type your password"), Length(max=200)])
    next = HiddenField()


class PasswordForm(FlaskForm):  # type: ignore[misc]
    """The old password once where there is one, the new one twice."""

    old = PasswordField("Password now", [Length(max=200)])
    new = PasswordField(
        "New password",
        [
            InputRequired("type a new password"),
            Length(min=LEAST_PASSWORD, max=200, message=f"at least {LEAST_PASSWORD} characters, at most 200"),
        ],
    )
    again = PasswordField("New password again", [EqualTo("new", "the two are not the same")])


class WelcomeForm(FlaskForm):  # type: ignore[misc]
    """Who somebody is who came by a link, and the way in they choose: a password, or the passkey just made."""

    name = StringField("Your name", [InputRequired("type your name"), Length(max=120)])
    new = PasswordField(
        "Password",
        [
            Optional(),
            Length(min=LEAST_PASSWORD, max=200, message=f"at least {LEAST_PASSWORD} characters, at most 200"),
        ],
    )
    again = PasswordField("Password again", [EqualTo("new", "the two are not the same")])
    credential = HiddenField(validators=[Length(max=20_000)])


class UnitsForm(FlaskForm):  # type: ignore[misc]
    """The units a person reads."""

    degrees = SelectField("Temperatures", choices=["F", "C"])
    wire = SelectField("Wire", choices=["gauge", "area"])


class PasskeyForm(FlaskForm):  # type: ignore[misc]
    """What a browser's passkey answered."""

    credential = HiddenField(validators=[Length(max=20_000)])
    name = StringField("Name", [Length(max=60)])
    next = HiddenField()
