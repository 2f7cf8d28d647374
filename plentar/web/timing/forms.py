"""What the timing page sends."""

from flask_wtf import FlaskForm
from wtforms import BooleanField, FileField, HiddenField, StringField
from wtforms.validators import UUID, InputRequired, Length, Regexp

__all__ = ["LogForm", "SimulateForm", "StampForm"]


class StampForm(FlaskForm):  # type: ignore[misc]
    """One tap of the stopwatch: `call`, `call:fan`, `drop`, `on:strip-a`, `off:blower`, `undo:on:strip-a`."""

    stamp_id = HiddenField(validators=[InputRequired(), UUID()])
    what = HiddenField(
        validators=[InputRequired(), Length(max=60), Regexp(r"(undo:)?(call|call:fan|drop|(on|off):[a-z0-9-]+)\Z")]
    )


class LogForm(FlaskForm):  # type: ignore[misc]
    """A logged current as a file."""

    log_id = HiddenField(validators=[InputRequired(), UUID()])
    file = FileField("CSV file")
    clamp = StringField("Clamp around", [InputRequired(), Length(max=80)])
    called = StringField("Heat called at", [Length(max=20)])
    dropped = StringField("and dropped at", [Length(max=20)])
    clocks = BooleanField("The clocks went back while it logged")


class SimulateForm(FlaskForm):  # type: ignore[misc]
    """The simulated meter: what it is around, what is wrong, how fast time runs."""

    log_id = HiddenField(validators=[InputRequired(), UUID()])
    clamp = StringField("Clamp around", [InputRequired(), Length(max=80)])
    fault = StringField("Fault", [Length(max=120)])
    speed = StringField("Speed", [InputRequired(), Regexp(r"(1|10|60)\Z")])
