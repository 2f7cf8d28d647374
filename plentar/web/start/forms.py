"""What the new-call page sends."""

from wtforms import HiddenField, SelectMultipleField, StringField
from wtforms.validators import Length

from plentar.core.causes.faults import COMPLAINTS
from plentar.web.fields import PlaceFields, optional_id

__all__ = ["StartForm"]

NEW = "new"


class StartForm(PlaceFields):
    """Where, which unit, what is complained of. A place or unit is either picked by id or described to be made."""

    call_id = optional_id()
    place_id = HiddenField(validators=[Length(max=40)])
    place_name = StringField("Address", [Length(max=120, message="keep it under 120 letters")])
    unit_id = StringField("Unit", [Length(max=40)])
    unit_label = StringField("Where it stands", [Length(max=120)])
    start_from = StringField("Wiring", [Length(max=60)])
    kit_kw = StringField("Kit kW", [Length(max=20)])
    kit_volts = StringField("Kit volts", [Length(max=20)])
    complaints = SelectMultipleField("Complaint", choices=list(COMPLAINTS))
    words = StringField("Customer's description", [Length(max=400, message="at most 400 characters")])
    at_risk = StringField("Infant, elderly or medical need in the home?", [Length(max=200)])
    plan = StringField("Plan")
    is_again = StringField("Schedule another")
    plan_on = StringField("Day", [Length(max=10)])
    plan_at = StringField("From", [Length(max=8)])
    window = StringField("Window", [Length(max=4)])
    technician = StringField("Technician", [Length(max=40)])
    outdoor = StringField("Outdoor", [Length(max=20)])
    indoor = StringField("Indoor", [Length(max=20)])
    degrees = HiddenField()
