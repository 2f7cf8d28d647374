"""A nameplate as a form: the inputs' names are the paths of the unit file's fields, so an error finds its input.

Kilowatts stand in the form, watts in the file. An empty input is an unknown: left out where the plate allows it,
replaced by a usual figure and noted as assumed where the circuit needs a number.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.unit.kit import USUAL_BLOWER_AMPS, USUAL_TRANSFORMER_VA, USUAL_WATTS, USUAL_WIRE_FEET, Kit
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.plate_draft import (
    PlateDraft,
    add_part,
    count_poles,
    follow_kinds,
    lay_out,
    remove_part,
    reorder,
    take_kit,
)
from plentar.formats.numbers import degrees_typed, parse_number
from plentar.formats.unit_json import UNIT_FORMAT, nameplate_from_json, nameplate_to_json
from plentar.words import render

__all__ = ["PLATE_CHANGES", "PlateForm", "plate_form_of", "plate_form_read"]

_STEP = re.compile(r"([a-z][a-z0-9_]*)|\[(\d+)\]")
_NAME = re.compile(r"[a-z_]+(\[\d{1,2}\])?(\.[a-z][a-z0-9_]*(\[\d{1,2}\])?){0,4}\Z")
_UNIT_BEHIND = re.compile(r"\s*(kW|VA|V|A|ft|s|Ω|µF|uF|tons?|W|h|°C|Btu/h|Btu/°F|sq ft)\Z")
# fmt: off
NUMBERS = (
    "nominal_volts", "tons", "minimum_circuit_amps", "maximum_device_amps", "breaker_amps", "length_feet",
    "unit_device_amps", "rated_amps", "rated_watts", "rated_volts", "coil_ohms", "holding_amps", "min_seconds",
    "max_seconds", "capacitor_microfarads", "on_delay_seconds", "off_delay_seconds", "va", "primary_volts", "fuse_amps",
    "outdoor_amps", "lead_degc", "at_47_btu_per_hour", "at_17_btu_per_hour", "watts_at_47", "watts_at_17",
    "design_btu_per_hour", "area_square_feet", "mass_btu_per_degf", "heat_btu_per_hour", "hours",
)
# fmt: on
LISTS = ("order", "taps", "ecm_calls", "poles")
# Below zero too, with their unit or without.
DEGREES = (
    "ambient_degf", "lockout_degf", "stage_degf", "design_outdoor_degf", "design_indoor_degf", "held_degf",
    "swing_degf", "indoor_degf", "outdoor_degf",
)  # fmt: skip
WHOLE = ("number", "switched_by_pole", "carrying", "insulation_degc", "terminals_degc")
ROOTS = {entry.name for entry in fields(Nameplate)} - {"assumed"}
WITH_PARTS = ("feeds", "branches", "shared", "devices", "circuits", "blower", "transformer", "heat_pump", "house")
PLATE_CHANGES = ("layout", "add", "remove", "kit", "kind", "swap", "link", "second-pole")


@dataclass(slots=True, kw_only=True)
class PlateForm(PlateDraft):
    """What stands in the form, as typed, with what is wrong with it; `plate` once it can be a circuit."""

    problems: dict[str, str] = field(default_factory=dict)
    plate: Nameplate | None = None
    # The figure that stands in where the circuit needs one and nobody read it.
    assumed: dict[str, str] = field(default_factory=dict)

    def has_problem(self, *roots: str) -> bool:
        """Tell whether something is wrong in a part of the plate."""
        return any(path.startswith(root) for path in self.problems for root in roots)

    def problem(self, path: str) -> str:
        """The message for an input: its own, or one about something inside it that has no input."""
        return self.problems.get(path, "")

    @property
    def stray_problems(self) -> list[str]:
        """Messages about what has no input of its own."""
        return [words for path, words in self.problems.items() if path not in self.texts and not _has_input(path)]


def _has_input(path: str) -> bool:
    return path.rpartition(".")[2] in {
        *NUMBERS,
        *DEGREES,
        *WHOLE,
        *LISTS,
        "com",
        "no",
        "nc",
        "fed_by",
        "device",
        "supplied_by",
        "size",
        "behind",
        "smallest",
        "largest",
        "auxiliary_from",
        "plain_wire_to",
    }


def plate_form_of(plate: Nameplate) -> PlateForm:
    """Return the form filled with a plate; what is assumed stays empty."""
    texts: dict[str, str] = {}
    _flatten("", nameplate_to_json(plate), texts)
    # What nobody read stands as empty; a relay without delays has none printed.
    silent = [path for path, typed in texts.items() if path.endswith("_delay_seconds") and typed == "0"]
    usual = {path: texts.get(path, "") for path in plate.assumed}
    for path in ("format", *plate.assumed, *silent):
        texts.pop(path, None)
    shown = {path: typed for path, typed in texts.items() if not path.startswith("assumed")}
    return PlateForm(texts=shown, plate=plate, assumed=usual)


def _flatten(path: str, value: Any, texts: dict[str, str]) -> None:
    leaf = path.rpartition(".")[2]
    if isinstance(value, dict):
        for name, inner in value.items():
            _flatten(f"{path}.{name}" if path else name, inner, texts)
    elif isinstance(value, list) and value and isinstance(value[0], dict):
        for i, inner in enumerate(value):
            _flatten(f"{path}[{i}]", inner, texts)
    elif isinstance(value, list):
        texts[path] = (" – " if leaf == "order" else ", ").join(map(str, value))
    elif isinstance(value, bool):
        texts[path] = "yes" if value else ""
    elif leaf == "rated_watts":
        texts[path] = f"{value / 1000:.6g}"
    else:
        texts[path] = f"{value:.10g}" if isinstance(value, float) else str(value)


def plate_form_read(form: Mapping[str, str], action: str = "", kit: Kit | None = None) -> PlateForm:
    """Return what a form holds, after one action: `layout`, `add:feeds`, `remove:circuits[1]`, `swap:circuits[0]:1`.

    `was:devices[0]` and `was:blower` tell of which kind a part was when the form was filled: with another kind goes
    what belonged to the old part. `count:devices[0]` tells how many poles it has. A kit fills its own fields, its
    strips and its label's circuit, and nothing else. What cannot be read keeps its text and gets a message; nothing
    typed is lost.
    """
    texts = {name: value.strip()[:200] for name, value in form.items() if _is_plate_path(name)}
    found = PlateForm(texts=texts)
    follow_kinds(found, _beside(form, "was:"))
    count_poles(found, _beside(form, "count:"))
    verb, _, target = action.partition(":")
    if verb == "add":
        add_part(found, target)
    elif verb == "remove":
        remove_part(found, target)
    elif verb in ("swap", "link", "second-pole"):
        reorder(found, verb, target)
    elif verb == "kit" and kit is None:
        found.problems["kit"] = "choose a heat kit first"
    elif verb == "kit" and kit is not None:
        take_kit(found, kit)
    elif verb == "layout":
        _lay_out(found, form.get("kit_kilowatts", "").strip(), form.get("limits", "").strip())
    document = _document(found)
    if not found.problems:
        try:
            found.plate = nameplate_from_json(document)
            found.assumed = plate_form_of(found.plate).assumed
        except NameplateError as error:
            found.problems[error.field] = render(error.message)
    return found


def _beside(form: Mapping[str, str], before: str) -> dict[str, str]:
    """Return what the form says beside the plate, by the path it is about."""
    return {name.removeprefix(before): value for name, value in form.items() if name.startswith(before)}


def _lay_out(found: PlateForm, kilowatts: str, limits: str) -> None:
    field_name = "limits"
    try:
        count = int(parse_number(limits, "plain")) if limits else None
        field_name = "kit_watts"
        lay_out(found, 1000 * parse_number(kilowatts, "plain") if kilowatts else None, count)
    except ReadingError as error:
        found.problems[field_name] = render(error.message)
    except NameplateError as error:
        found.problems["limits" if error.field == "limits" else "kit_watts"] = render(error.message)


def _is_plate_path(name: str) -> bool:
    root = re.match(r"[a-z_]+", name)
    # What has parts has no text of its own.
    return root is not None and root[0] in ROOTS and name not in WITH_PARTS and _NAME.match(name) is not None


def _document(form: PlateForm) -> dict[str, Any]:
    document: dict[str, Any] = {"format": UNIT_FORMAT}
    for path, typed in form.texts.items():
        try:
            value = _value(path.rpartition(".")[2], typed)
            if value is not None:
                _put(document, path, value)
        except ReadingError as error:
            form.problems[path] = render(error.message)
    _tidy(document)
    _assume(document, form)
    return document


def _value(leaf: str, typed: str) -> Any:
    if leaf in DEGREES:
        return degrees_typed(typed, leaf) if typed else None
    if leaf in NUMBERS or leaf in WHOLE:
        if not typed:
            return None
        value = parse_number(_UNIT_BEHIND.sub("", typed), "plain")
        if leaf in WHOLE:
            return int(value) if value == int(value) else value
        return value * 1000 if leaf == "rated_watts" else value
    if leaf in LISTS:
        parts = [part for part in re.split(r"[\s,–-]+", typed) if part]
        return [int(p) if p.isascii() and p.isdigit() else p for p in parts] if leaf == "poles" else parts
    if leaf == "grounded_common":
        return typed == "yes"
    if leaf in ("maker", "model", "serial", "built"):
        return typed
    return typed or None


def _put(document: dict[str, Any], path: str, value: Any) -> None:
    here: Any = document
    steps = [m[1] or int(m[2]) for m in _STEP.finditer(path)]
    for step, following in zip(steps, [*steps[1:], None], strict=True):
        _require_kind(here, list if isinstance(step, int) else dict)
        if isinstance(step, int):
            while len(here) <= step:
                here.append({})
        if following is None:
            here[step] = value
        elif isinstance(step, int):
            here = here[step]
        else:
            here = here.setdefault(step, [] if isinstance(following, int) else {})


def _require_kind(here: object, kind: type) -> None:
    if not isinstance(here, kind):
        raise ReadingError("this can't be combined with a part inside it")


def _tidy(document: dict[str, Any]) -> None:
    """Leave out what means nothing: a conductor without a size, a window without times, a part of no kind."""
    for feed in [*document.get("feeds", []), *document.get("shared", [])]:
        if "size" not in feed.get("conductor", {}):
            feed.pop("conductor", None)
        if "kind" not in feed.get("disconnect", {}):
            feed.pop("disconnect", None)
        if not feed.get("lugs"):
            feed.pop("lugs", None)
    if not document.get("heat_pump"):
        document.pop("heat_pump", None)
    house = document.get("house", {})
    if not house.get("steady"):
        house.pop("steady", None)
    # How tight a house is and what it is held at tell nothing by themselves.
    if not set(house) - {"build", "held_degf", "design_indoor_degf"}:
        document.pop("house", None)
    for device in document.get("devices", []):
        for pole in [*device.get("poles", []), device.get("auxiliary") or {}]:
            for name in ("on_window", "off_window"):
                if not {"min_seconds", "max_seconds"} <= set(pole.get(name, {})):
                    pole.pop(name, None)
        if "number" not in device.get("auxiliary", {}):
            device.pop("auxiliary", None)
    blower = document.get("blower", {})
    if not blower.get("relay", {}).get("contacts"):
        blower.pop("relay", None)
    if "switched_by" not in blower:
        blower.pop("switched_by_pole", None)


def _assume(document: dict[str, Any], form: PlateForm) -> None:
    """Put usual figures where the circuit needs one and nobody could read it."""
    assumed = []
    volts = document.get("nominal_volts", 240.0)
    for i, circuit in enumerate(document.get("circuits", [])):
        for name, usual in (("rated_watts", USUAL_WATTS), ("rated_volts", 240.0 if volts <= 240 else volts)):
            if name not in circuit and f"circuits[{i}].{name}" not in form.problems:
                circuit[name] = usual
                assumed.append(f"circuits[{i}].{name}")
    wired = [(f"{name}[{i}]", feed) for name in ("feeds", "shared") for i, feed in enumerate(document.get(name, []))]
    for at, feed in wired:
        path = f"{at}.conductor.length_feet"
        # A size without a length is worth keeping for the wire check.
        if "conductor" in feed and "length_feet" not in feed["conductor"] and path not in form.problems:
            feed["conductor"]["length_feet"] = USUAL_WIRE_FEET
            assumed.append(path)
    for i, device in enumerate(document.get("devices", [])):
        contacts = [(f"poles[{j}]", pole) for j, pole in enumerate(device.get("poles", []))]
        contacts += [("auxiliary", device["auxiliary"])] if "auxiliary" in device else []
        # What a contact carries at the most stands on the part; the usual figure stands in.
        assumed += [
            f"devices[{i}].{at}.rated_amps"
            for at, contact in contacts
            if "rated_amps" not in contact and f"devices[{i}].{at}.rated_amps" not in form.problems
        ]
    if "rated_amps" not in document.get("blower", {}).get("relay", {"rated_amps": 0}):
        assumed += ["blower.relay.rated_amps"] if "blower.relay.rated_amps" not in form.problems else []
    for part, name, figure in (
        ("blower", "rated_amps", USUAL_BLOWER_AMPS),
        ("transformer", "va", USUAL_TRANSFORMER_VA),
    ):
        body = document.setdefault(part, {})
        if name not in body and f"{part}.{name}" not in form.problems:
            body[name] = figure
            assumed.append(f"{part}.{name}")
    document["assumed"] = assumed
