"""What the call screen sends."""

from flask_wtf import FlaskForm
from wtforms import BooleanField, FileField, HiddenField, SelectMultipleField, StringField
from wtforms.validators import UUID, InputRequired, Length, Optional, Regexp

from plentar.core.causes.faults import COMPLAINTS
from plentar.web.fields import optional_id

__all__ = [
    "AcceptForm",
    "AirForm",
    "AmendForm",
    "CloseForm",
    "ConditionForm",
    "MarkForm",
    "ObservationForm",
    "PhotoForm",
    "ReadingForm",
    "SignForm",
    "UndoForm",
    "WithdrawForm",
]


class ReadingForm(FlaskForm):  # type: ignore[misc]
    """One reading: a number as typed, at a point, under an id the client made."""

    reading_id = HiddenField(validators=[InputRequired(), UUID()])
    point = HiddenField(validators=[InputRequired(), Length(max=160)])
    value = StringField("Reading", [Length(max=40, message="this is longer than any meter's display")])
    mode = HiddenField(validators=[Optional(), Regexp(r"(low impedance)?\Z")])
    hand = HiddenField(validators=[Optional(), Regexp(r"(at rest|driven)?\Z")])
    supersedes = optional_id()
    reason = StringField("Why the first reading was wrong", [Length(max=200)])


class ConditionForm(FlaskForm):  # type: ignore[misc]
    """One switch of the condition strip: `feed-1=off`, `W=on`; the id is made by the page.

    A call that stood before it was tapped: `W=on@300` for so many seconds, `W=on@came` where nobody timed it.
    """

    switch_id = optional_id()
    switch = HiddenField(
        validators=[InputRequired(), Length(max=80), Regexp(r"[A-Za-z0-9-]+=[a-z ]+(@(\d{1,5}|came))?\Z")]
    )


class ObservationForm(FlaskForm):  # type: ignore[misc]
    """One thing looked at, heard or done: a sign's kind, what it is pinned to, how it was found."""

    observation_id = HiddenField(validators=[InputRequired(), UUID()])
    kind = HiddenField(validators=[InputRequired(), Length(max=40)])
    about = StringField("Where", [Length(max=80)])
    state = HiddenField(validators=[InputRequired(), Regexp(r"(fine|found|undone)\Z")])
    note = StringField("Note", [Length(max=400, message="notes are limited to 400 characters")])


class MarkForm(FlaskForm):  # type: ignore[misc]
    """What is written on a part: the filter's size, a date."""

    mark_id = HiddenField(validators=[InputRequired(), UUID()])
    what = HiddenField(validators=[InputRequired(), Regexp(r"(size|date)\Z")])
    about = StringField("On", [Length(max=80)])
    words = StringField("Text on the part", [Length(max=60, message="at most 60 characters")])


class PhotoForm(FlaskForm):  # type: ignore[misc]
    """One photograph, pinned to a part."""

    photo_id = HiddenField(validators=[InputRequired(), UUID()])
    part = StringField("Pinned to", [Length(max=80)])
    note = StringField("Note", [Length(max=400)])
    photo = FileField("Photo")


class AcceptForm(FlaskForm):  # type: ignore[misc]
    """A cause the technician accepts, with what caused it in turn."""

    cause_id = HiddenField(validators=[InputRequired(), UUID()])
    faults = HiddenField(validators=[Length(max=600)])
    title = StringField("Fault", [Length(max=200)])
    cause = StringField("Root cause", [Length(max=400)])
    cause_not_found = BooleanField("Root cause not found")
    consequence = StringField("Resulting damage", [Length(max=400)])


class AirForm(FlaskForm):  # type: ignore[misc]
    """Return and supply air, where, and with which filter."""

    air_id = HiddenField(validators=[InputRequired(), UUID()])
    return_degf = StringField("Return", [Length(max=20)])
    supply_degf = StringField("Supply", [Length(max=20)])
    altitude_feet = StringField("Altitude", [Length(max=20)])
    filter = StringField("Filter", [Regexp(r"(as found|clean)\Z")])


class CloseForm(FlaskForm):  # type: ignore[misc]
    """What was done, on leaving, and why in spite of what stands against it."""

    close_id = optional_id()
    outcome = StringField("Done", [Length(max=1000)])
    reason = StringField("Reason", [Length(max=400)])


class UndoForm(FlaskForm):  # type: ignore[misc]
    """The event that is taken back: the newest of whoever asks, as their page showed it."""

    event_id = HiddenField(validators=[InputRequired(), UUID()])


class AmendForm(FlaskForm):  # type: ignore[misc]
    """What a call was begun with, set right."""

    amend_id = optional_id()
    complaints = SelectMultipleField("Complaint", choices=list(COMPLAINTS))
    words = StringField("Customer's description", [Length(max=400, message="at most 400 characters")])
    at_risk = StringField("Infant, elderly or medical need in the home?", [Length(max=200)])
    outdoor = StringField("Outdoor", [Length(max=20)])
    indoor = StringField("Indoor", [Length(max=20)])
    degrees = HiddenField()


class WithdrawForm(FlaskForm):  # type: ignore[misc]
    """Why a call with nothing on it is taken back."""

    withdraw_id = optional_id()
    reason = StringField("Why", [InputRequired(), Length(max=400)])


class SignForm(FlaskForm):  # type: ignore[misc]
    """A signature: whose, by name, and the strokes where it was drawn, as JSON."""

    sign_id = optional_id()
    role = HiddenField(validators=[InputRequired(), Regexp(r"(owner|technician)\Z")])
    name = StringField("Name", [Length(max=120)])
    strokes = HiddenField(validators=[Length(max=60_000, message="this is not a signature. Clear it and sign again")])
