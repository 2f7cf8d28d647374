"""What the shop's pages send."""

from zoneinfo import available_timezones

from flask_wtf import FlaskForm
from wtforms import BooleanField, DateField, HiddenField, IntegerField, RadioField, SelectChoice, StringField
from wtforms.validators import DataRequired, InputRequired, Length, NumberRange, Optional, Regexp, ValidationError

from plentar.store.people import EMAIL

__all__ = ["MeterForm", "PersonForm", "PricesForm", "RoleForm", "RuleForm"]

ROLES = [SelectChoice("technician", "Technician"), SelectChoice("lead", "Lead")]


class PersonForm(FlaskForm):  # type: ignore[misc]
    """Somebody to invite."""

    name = StringField("Name", [InputRequired("enter a name"), Length(max=120)])
    email = StringField(
        "E-mail",
        [
            InputRequired("enter an e-mail address"),
            Length(max=254),
            Regexp(EMAIL, message="this is not an e-mail address"),
        ],
    )
    role = RadioField("Role", choices=ROLES, default="technician")


class RoleForm(FlaskForm):  # type: ignore[misc]
    """Another role for somebody."""

    role = RadioField("Role", choices=ROLES)


class MeterForm(FlaskForm):  # type: ignore[misc]
    """A meter; its ranges are rows of inputs that formats/meter_form reads."""

    version = HiddenField(validators=[Optional(), Regexp(r"\d{1,9}\Z")])
    name = StringField("Name", [InputRequired("enter a name for the meter"), Length(max=120)])
    has_low_impedance = BooleanField("Has a low-impedance mode")
    calibrated_on = DateField("Calibrated on", [Optional()])
    calibration_months = IntegerField(
        "Calibration valid, months", [Optional(), NumberRange(1, 120, message="between 1 and 120 months")]
    )


class RuleForm(FlaskForm):  # type: ignore[misc]
    """A shop's own figures of a limit come as fields `figure1` on; why it was changed, in words."""

    why = StringField(
        "Why",
        [DataRequired("enter a reason"), Length(max=400)],
    )


class PricesForm(FlaskForm):  # type: ignore[misc]
    """What the shop is called, its clock, and the money on its papers."""

    name = StringField("Shop", [InputRequired("enter a name"), Length(max=120)])
    time_zone = StringField("Time zone", [InputRequired("enter a time zone, such as America/Chicago"), Length(max=60)])
    currency = StringField("Currency", [Regexp(r"[A-Z]{3}\Z", message="enter three capital letters, such as USD")])
    tax_percent = StringField("Tax, %", [Length(max=12)])
    price_kwh = StringField("Price per kWh", [Length(max=12)])

    def validate_time_zone(self, field: StringField) -> None:
        """Refuse what is no zone of the time zone database."""
        if field.data not in available_timezones():
            raise ValidationError("unknown time zone. Example: America/Chicago")
