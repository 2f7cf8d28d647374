"""A nameplate as a form: the inputs' names are the paths of the unit file's fields, so an error finds its input.

Kilowatts stand in the form, watts in the file. An empty input is an unknown: left out where the plate allows it,
replaced by a usual figure and noted as assumed where the circuit needs a number.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any

from plentar.core.errors import NameplateError, ReadingError
from plentar.core.unit.kinds import KINDS
from plentar.core.unit.kit import (
    USUAL_BLOWER_AMPS,
    USUAL_TRANSFORMER_VA,
    USUAL_WATTS,
    USUAL_WIRE_FEET,
    Kit,
    split_watts,
)
from plentar.core.unit.nameplate import Nameplate
from plentar.formats.numbers import parse_number
from plentar.formats.unit_json import UNIT_FORMAT, nameplate_from_json, nameplate_to_json
from plentar.words import say

__all__ = ["DEEDS", "PlateForm", "plate_form_of", "plate_form_read"]

_STEP = re.compile(r"([a-z_]+)|\[(\d+)\]")
_NAME = re.compile(r"[a-z_]+(\[\d{1,2}\])?(\.[a-z_]+(\[\d{1,2}\])?){0,4}\Z")
_UNIT_BEHIND = re.compile(r"\s*(kW|VA|V|A|ft|s|Ω|µF|uF|tons?)\Z")
# fmt: off
NUMBERS = (
    "nominal_volts", "tons", "minimum_circuit_amps", "maximum_device_amps", "breaker_amps", "length_feet",
    "unit_device_amps", "rated_amps", "rated_watts", "rated_volts", "coil_ohms", "holding_amps", "min_seconds",
    "max_seconds", "capacitor_microfarads", "on_delay_seconds", "off_delay_seconds", "va", "primary_volts", "fuse_amps",
)
# fmt: on
LISTS = ("order", "taps", "ecm_calls", "poles")
WHOLE = ("number", "switched_by_pole")
ROOTS = {entry.name for entry in fields(Nameplate)} - {"assumed"}
DEEDS = ("layout", "add", "remove", "kit")


@dataclass(slots=True, kw_only=True)
class PlateForm:
    """What stands in the form, as typed, with what is wrong with it; `plate` once it can be a circuit."""

    texts: dict[str, str]
    problems: dict[str, str] = field(default_factory=dict)
    plate: Nameplate | None = None

    def text(self, path: str) -> str:
        """What is typed at a path."""
        return self.texts.get(path, "")

    def rows(self, name: str) -> range:
        """The rows of a list: `feeds`, `devices[0].poles`."""
        found = [int(m[1]) for key in self.texts if (m := re.match(re.escape(name) + r"\[(\d+)\]", key))]
        return range(max(found) + 1 if found else 0)

    def ids(self, *lists: str) -> list[str]:
        """The ids of the parts of some lists."""
        return [self.text(f"{name}[{i}].id") for name in lists for i in self.rows(name)]

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
        *LISTS,
        "com",
        "no",
        "nc",
        "fed_by",
        "device",
        "supplied_by",
        "size",
        "auxiliary_from",
        "plain_wire_to",
    }


def plate_form_of(plate: Nameplate) -> PlateForm:
    """Return the form filled with a plate; what is assumed stays empty."""
    texts: dict[str, str] = {}
    _flatten("", nameplate_to_json(plate), texts)
    for path in ("format", *plate.assumed):
        texts.pop(path, None)
    return PlateForm(texts={k: v for k, v in texts.items() if not k.startswith("assumed")}, plate=plate)


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


def plate_form_read(form: Mapping[str, str], deed: str = "", kit: Kit | None = None) -> PlateForm:
    """Return what a form holds, after one deed: `layout`, `add:feeds`, `remove:circuits[1]`, `kit`.

    A kit fills its own fields, its strips and its label's circuit, and nothing else. What cannot be read keeps its text
    and gets a message; nothing typed is lost.
    """
    texts = {name: value.strip()[:200] for name, value in form.items() if _is_plate_path(name)}
    found = PlateForm(texts=texts)
    verb, _, target = deed.partition(":")
    if verb == "add":
        _add_row(found, target)
    elif verb == "remove":
        _remove_row(found, target)
    if verb == "kit":
        _take_kit(found, kit)
    document = _document(found)
    if verb == "layout":
        _lay_out(found, document, form.get("kit_kilowatts", ""), form.get("limits", ""))
        document = _document(found)
    if not found.problems:
        try:
            found.plate = nameplate_from_json(document)
        except NameplateError as error:
            found.problems[error.field] = say(error.message)
    return found


def _is_plate_path(name: str) -> bool:
    root = re.match(r"[a-z_]+", name)
    return root is not None and root[0] in ROOTS and _NAME.match(name) is not None


def _document(form: PlateForm) -> dict[str, Any]:
    document: dict[str, Any] = {"format": UNIT_FORMAT}
    for path, typed in form.texts.items():
        try:
            value = _value(path.rpartition(".")[2], typed)
        except ReadingError as error:
            form.problems[path] = say(error.message)
            continue
        if value is not None:
            _put(document, path, value)
    _tidy(document)
    _assume(document, form)
    return document


def _value(leaf: str, typed: str) -> Any:
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
        if isinstance(step, int):
            while len(here) <= step:
                here.append({})
        if following is None:
            here[step] = value
        elif isinstance(step, int):
            here = here[step]
        else:
            here = here.setdefault(step, [] if isinstance(following, int) else {})


def _tidy(document: dict[str, Any]) -> None:
    """Leave out what means nothing: a conductor without a size, a window without times, a part of no kind."""
    for feed in document.get("feeds", []):
        if "size" not in feed.get("conductor", {}):
            feed.pop("conductor", None)
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
    for i, feed in enumerate(document.get("feeds", [])):
        path = f"feeds[{i}].conductor.length_feet"
        # A size without a length is worth keeping for the wire check.
        if "conductor" in feed and "length_feet" not in feed["conductor"] and path not in form.problems:
            feed["conductor"]["length_feet"] = USUAL_WIRE_FEET
            assumed.append(path)
    for part, name, figure in (
        ("blower", "rated_amps", USUAL_BLOWER_AMPS),
        ("transformer", "va", USUAL_TRANSFORMER_VA),
    ):
        body = document.setdefault(part, {})
        if name not in body and f"{part}.{name}" not in form.problems:
            body[name] = figure
            assumed.append(f"{part}.{name}")
    document["assumed"] = assumed


def _copy_row(form: PlateForm, name: str, source: int, target: int, **changes: str) -> None:
    start = f"{name}[{source}]"
    for path in [path for path in form.texts if path.startswith(start)]:
        form.texts[f"{name}[{target}]{path.removeprefix(start)}"] = form.texts[path]
    for leaf, value in changes.items():
        form.texts[f"{name}[{target}].{leaf}"] = value


def _next_id(taken: list[str], stem: str, *, letters: bool) -> str:
    marks = "abcdefghij" if letters else [str(n) for n in range(1, 10)]
    return next((f"{stem}-{mark}" for mark in marks if f"{stem}-{mark}" not in taken), f"{stem}-{len(taken) + 1}")


def _add_row(form: PlateForm, name: str) -> None:
    """Add a row like the last one, under the next free name."""
    count = len(form.rows(name))
    if name not in ("feeds", "branches", "circuits", "devices") or count >= 8:
        return
    stems = {"feeds": ("feed", False), "branches": ("branch", False), "circuits": ("strip", True)}
    if name == "devices":
        stem = form.text(f"devices[{count - 1}].id").rpartition("-")[0] or "seq"
        new = _next_id(form.ids("devices"), stem, letters=True)
    else:
        new = _next_id(form.ids(name), stems[name][0], letters=stems[name][1])
    if count:
        _copy_row(form, name, count - 1, count, id=new)
    else:
        form.texts[f"{name}[0].id"] = new
        if name == "branches":
            form.texts["branches[0].feed"] = form.ids("feeds")[0] if form.ids("feeds") else ""
            form.texts["branches[0].kind"] = "breaker"
    if name == "circuits":
        form.texts[f"circuits[{count}].poles"] = ""


def _remove_row(form: PlateForm, target: str) -> None:
    matched = re.fullmatch(r"(feeds|branches|circuits|devices)\[(\d+)\]", target)
    if not matched:
        return
    name, gone = matched[1], int(matched[2])
    kept: dict[str, str] = {}
    for path, typed in form.texts.items():
        row = re.match(rf"{name}\[(\d+)\]", path)
        if row is None or int(row[1]) < gone:
            kept[path] = typed
        elif int(row[1]) > gone:
            kept[f"{name}[{int(row[1]) - 1}]{path[row.end() :]}"] = typed
    form.texts = kept


def _lay_out(form: PlateForm, document: dict[str, Any], kit: str, limits: str) -> None:
    """Set the kit's circuits from its kilowatts and the limits counted, with poles and devices enough for them."""
    try:
        count = int(parse_number(limits, "plain")) if limits.strip() else None
        if kit.strip():
            shares = [f"{watts / 1000:.6g}" for watts in split_watts(1000 * parse_number(kit, "plain"), count)]
        elif count is not None:
            shares = [form.text(f"circuits[{i}].rated_watts") for i in range(len(split_watts(USUAL_WATTS, count)))]
        else:
            raise NameplateError("give the kit's kilowatts, or the limits counted", field="kit_watts")
    except (ReadingError, NameplateError) as error:
        form.problems["limits" if error.field == "limits" else "kit_watts"] = say(error.message)
        return
    while len(form.rows("circuits")) > len(shares):
        _remove_row(form, f"circuits[{len(form.rows('circuits')) - 1}]")
    while len(form.rows("circuits")) < len(shares):
        _add_row(form, "circuits")
    for i, share in enumerate(shares):
        form.texts[f"circuits[{i}].rated_watts"] = share
        if not form.text(f"circuits[{i}].poles"):
            _give_pole(form, i)
    _drop_idle_devices(form)


def _take_kit(form: PlateForm, kit: Kit | None) -> None:
    """Fill in what a kit's label says; a figure it does not give is unknown, whatever stood there of another kit."""
    if kit is None:
        form.problems["kit"] = "pick a kit of the list first"
        return
    _lay_out(form, {}, f"{kit.kilowatts_240:g}", str(kit.strips))
    for i in form.rows("circuits"):
        form.texts[f"circuits[{i}].rated_volts"] = "240"
    for name in ("minimum_circuit_amps", "maximum_device_amps"):
        amps = getattr(kit, name)
        form.texts[name] = "" if amps is None else f"{amps:g}"


def _give_pole(form: PlateForm, circuit: int) -> None:
    """Land a new circuit on the last device's next pole, on a new pole of it, or on a new device like it."""
    device = form.text(f"circuits[{circuit}].device")
    wanted = form.text(f"circuits[{circuit}].order").count("pole") or 1
    used = {
        int(number)
        for i in form.rows("circuits")
        if form.text(f"circuits[{i}].device") == device
        for number in re.findall(r"\d+", form.text(f"circuits[{i}].poles"))
    }
    if form.text("blower.switched_by") == device:
        used.add(int(form.text("blower.switched_by_pole") or 1))
    at = form.ids("devices").index(device) if device in form.ids("devices") else 0
    kind = KINDS.get(form.text(f"devices[{at}].kind"))
    most = kind.most_poles if kind is not None else 5
    free = [number for number in range(1, most + 1) if number not in used]
    if len(free) < wanted:
        _add_row(form, "devices")
        at = len(form.rows("devices")) - 1
        device = form.text(f"devices[{at}].id")
        form.texts[f"circuits[{circuit}].device"] = device
        free = list(range(1, wanted + 1))
    have = {form.text(f"devices[{at}].poles[{i}].number") for i in form.rows(f"devices[{at}].poles")}
    for number in free[:wanted]:
        if str(number) not in have:
            rows = len(form.rows(f"devices[{at}].poles"))
            _copy_row(form, f"devices[{at}].poles", rows - 1, rows, number=str(number))
    form.texts[f"circuits[{circuit}].poles"] = ", ".join(map(str, free[:wanted]))


def _drop_idle_devices(form: PlateForm) -> None:
    """Take away devices that no circuit, blower or chain uses any more."""
    for i in reversed(form.rows("devices")):
        name = form.text(f"devices[{i}].id")
        used = [form.text(f"circuits[{c}].device") for c in form.rows("circuits")]
        used += [form.text("blower.switched_by"), *(form.text(f"devices[{d}].fed_by") for d in form.rows("devices"))]
        if name not in used and len(form.rows("devices")) > 1:
            _remove_row(form, f"devices[{i}]")


def with_identity(plate: Nameplate, *, serial: str = "", built: str = "") -> Nameplate:
    """Return a plate copied from a like unit, with what belongs to that unit alone taken off."""
    return replace(plate, serial=serial, built=built)
