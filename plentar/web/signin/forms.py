"""The sign-in form and the one that changes a password."""

from flask_wtf import FlaskForm
from wtforms import HiddenField, PasswordField, StringField
from wtforms.validators import EqualTo, InputRequired, Length

__all__ = ["PasswordForm", "SignInForm"]

LEAST_PASSWORD = 10


class SignInForm(FlaskForm):  # type: ignore[misc]
    """Address and password; `next` is the page that was wanted."""

    email = StringField("E-mail", [InputRequired("type your e-mail address"), Length(max=254)])
    password = PasswordField("Password", [InputRequired("type your password"), Length(max=200)])
    next = HiddenField()


class PasswordForm(FlaskForm):  # type: ignore[misc]
    """The old password once, the new one twice."""

    old = PasswordField("Password now", [InputRequired("type the password you have now"), Length(max=200)])
    new = PasswordField(
        "New password",
        [
            InputRequired("type a new password"),
            Length(min=LEAST_PASSWORD, max=200, message=f"at least {LEAST_PASSWORD} characters, at most 200"),
        ],
    )
    again = PasswordField("New password again", [EqualTo("new", "the two are not the same")])
