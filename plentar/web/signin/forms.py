"""The sign-in form."""

from flask_wtf import FlaskForm
from wtforms import HiddenField, PasswordField, StringField
from wtforms.validators import InputRequired, Length

__all__ = ["SignInForm"]


class SignInForm(FlaskForm):  # type: ignore[misc]
    """Address and password; `next` is the page that was wanted."""

    email = StringField("E-mail", [InputRequired("type your e-mail address"), Length(max=254)])
    password = PasswordField("Password", [InputRequired("type your password"), Length(max=200)])
    next = HiddenField()
