"""A nameplate as a form: the inputs' names are the paths of the unit file's fields, so an error finds its input.

Kilowatts stand in the form, watts in the file. An empty input is an unknown: left out where the plate allows it,
replaced by a usual figure and noted as assumed where the circuit needs a number.
"""

import re
from collections.abc import Collection, Mapping
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
# What is gone with a part of another kind.
OF_A_DEVICE = re.compile(
    r"\.(coil_ohms|holding_amps|rectifier|auxiliary(_from|\..*)?|poles\[\d+\]\.(rated_amps|o\w+_window\..*))\Z"
)
OF_A_PSC = re.compile(r"blower\.(relay\..*|taps|capacitor_microfarads|switched_by(_pole)?|plain_wire_to|rated_amps)\Z")
UNREAD = re.compile(
    r"\.(opens|lugs\..*|disconnect\..*|conductor\.(insulation_degc|terminals_degc|ambient_degf|carrying|cable)"
    r"|lead_(size|degc)|outdoor_amps)\Z"
)
OF_AN_ECM = re.compile(r"blower\.(ecm_calls|rated_amps)\Z")
MOST_ROWS, MOST_POLES = 8, 5


@dataclass(slots=True, kw_only=True)
class PlateForm:
    """What stands in the form, as typed, with what is wrong with it; `plate` once it can be a circuit."""

    texts: dict[str, str]
    problems: dict[str, str] = field(default_factory=dict)
    plate: Nameplate | None = None
    # The figure that stands in where the circuit needs one and nobody read it.
    assumed: dict[str, str] = field(default_factory=dict)

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

    def order_of(self, row: str) -> list[str]:
        """The parts of a rung from L1 to L2, as typed."""
        return [part for part in re.split(r"[\s,–-]+", self.text(f"{row}.order")) if part]

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
    _follow_kinds(found, form)
    _count_poles(found, form)
    verb, _, target = action.partition(":")
    if verb == "add":
        _add(found, target)
    elif verb == "remove":
        _remove(found, target)
    elif verb in ("swap", "link", "second-pole"):
        _reorder(found, verb, target)
    if verb == "kit":
        _take_kit(found, kit)
    document = _document(found)
    if verb == "layout":
        _lay_out(found, document, form.get("kit_kilowatts", ""), form.get("limits", ""))
        document = _document(found)
    if not found.problems:
        try:
            found.plate = nameplate_from_json(document)
            found.assumed = plate_form_of(found.plate).assumed
        except NameplateError as error:
            found.problems[error.field] = render(error.message)
    return found


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
        raise ReadingError("no plate has both this and a part inside it")


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


def _drop(form: PlateForm, start: str, belonged: re.Pattern[str] = re.compile("")) -> None:
    for path in [path for path in form.texts if path.startswith(start) and belonged.search(path)]:
        del form.texts[path]


def _follow_kinds(form: PlateForm, sent: Mapping[str, str]) -> None:
    """Drop what belonged to a part of another kind, and give the new one what it cannot be without."""
    for i in form.rows("devices"):
        at = f"devices[{i}]"
        was, kind = sent.get(f"was:{at}", ""), form.text(f"{at}.kind")
        if was and was != kind:
            _drop(form, at, OF_A_DEVICE)
            # Nothing can be fed by an auxiliary pole that is gone.
            for j in form.rows("devices"):
                if form.text(f"devices[{j}].fed_by") == form.text(f"{at}.id"):
                    form.texts[f"devices[{j}].fed_by"] = form.text(f"{at}.fed_by")
    was, kind = sent.get("was:blower", ""), form.text("blower.kind")
    if was and was != kind:
        _drop(form, "blower", OF_A_PSC if was == "psc" else OF_AN_ECM)
    if kind == "ecm":
        _drop(form, "blower", re.compile(r"blower\.(relay\..*|switched_by(_pole)?|plain_wire_to)\Z"))
        form.texts["blower.ecm_calls"] = form.text("blower.ecm_calls") or "G, W"
    elif kind == "psc" and not form.rows("blower.relay.contacts") and not form.text("blower.switched_by"):
        _give_relay(form)


def _give_relay(form: PlateForm) -> None:
    """Give a motor the usual relay: COM to it, NC to the first strip of its feed, NO to that strip's switched leg."""
    feed = form.text("blower.supplied_by")
    strip = next((i for i in form.rows("circuits") if form.text(f"circuits[{i}].supplied_by") == feed), None)
    order = form.text(f"circuits[{strip}].order")
    switched = "L1" if order.startswith("pole") else "L2"
    landed = {
        "com": "blower",
        "no": switched,
        "nc": form.text(f"circuits[{strip}].id") if strip is not None else "none",
    }
    form.texts |= {"blower.relay.id": "blower-relay", "blower.relay.fed_by": "G"}
    form.texts |= {f"blower.relay.contacts[0].{name}": there for name, there in landed.items()}
    form.texts["blower.fixed_leg"] = "L2" if switched == "L1" else "L1"


def _count_poles(form: PlateForm, sent: Mapping[str, str]) -> None:
    """Give each device as many poles as were counted on it."""
    for i in form.rows("devices"):
        rows = f"devices[{i}].poles"
        wanted, have = sent.get(f"count:devices[{i}]", ""), len(form.rows(rows))
        if not wanted.isascii() or not wanted.isdigit() or not 1 <= int(wanted) <= MOST_POLES or not have:
            continue
        for gone in range(int(wanted), have):
            _drop(form, f"{rows}[{gone}].")
        for more in range(have, int(wanted)):
            taken = {form.text(f"{rows}[{j}].number") for j in form.rows(rows)}
            _copy_row(form, rows, more - 1, more, number=next(str(n) for n in range(1, 9) if str(n) not in taken))


def _add(form: PlateForm, target: str) -> None:
    """Add a row like the last one; a feed comes with a strip on it, or, as `feeds:blower`, for blower and control."""
    name, _, use = target.partition(":")
    count = len(form.rows(name))
    _add_row(form, name)
    # A row is like the last one as it is built; what was read on that one was not read on this.
    _drop(form, f"{name}[{count}]", UNREAD)
    if name == "shared" and count < len(form.rows("shared")):
        for i in form.rows("feeds"):
            form.texts[f"feeds[{i}].behind"] = form.text(f"feeds[{i}].behind") or form.text(f"shared[{count}].id")
    if name != "feeds" or len(form.rows(name)) == count:
        return
    feed = form.text(f"feeds[{count}].id")
    if use == "blower":
        form.texts |= {"blower.supplied_by": feed, "transformer.supplied_by": feed}
    else:
        strips = len(form.rows("circuits"))
        _add_row(form, "circuits")
        if len(form.rows("circuits")) > strips:
            form.texts[f"circuits[{strips}].supplied_by"] = feed
            _give_pole(form, strips)


def _remove(form: PlateForm, target: str) -> None:
    """Take a row off with all that hangs on it: a feed with its strips, a strip with what is landed on it."""
    name = target.partition("[")[0]
    gone = form.text(f"{target}.id")
    if name == "feeds" and len(form.rows("feeds")) > 1 and gone:
        rest = next(feed for feed in form.ids("feeds") if feed != gone)
        branches = [
            form.text(f"branches[{i}].id") for i in form.rows("branches") if form.text(f"branches[{i}].feed") == gone
        ]
        behind = {gone, *branches}
        for branch in branches:
            _remove_row(form, f"branches[{form.ids('branches').index(branch)}]")
        strips = [
            form.text(f"circuits[{i}].id")
            for i in form.rows("circuits")
            if form.text(f"circuits[{i}].supplied_by") in behind
        ]
        # All strips hang on it: they stay, on the feed that is left.
        if len(strips) < len(form.rows("circuits")):
            for strip in strips:
                _remove(form, f"circuits[{form.ids('circuits').index(strip)}]")
        for path in [path for path in form.texts if path.endswith("supplied_by") and form.texts[path] in behind]:
            form.texts[path] = rest
        # What it alone hung behind goes with it.
        _remove_row(form, target)
        for shared in set(form.ids("shared")) - {form.text(f"feeds[{i}].behind") for i in form.rows("feeds")}:
            _remove_row(form, f"shared[{form.ids('shared').index(shared)}]")
        return
    if name == "shared" and gone:
        for path in [path for path in form.texts if path.endswith(".behind") and form.texts[path] == gone]:
            form.texts[path] = ""
    elif name == "circuits" and gone:
        device = form.text(f"{target}.device")
        for path, there in list(form.texts.items()):
            if there == gone and path.startswith("blower.relay.contacts"):
                form.texts[path] = "none"
            elif there == gone and path == "blower.plain_wire_to":
                form.texts[path] = ""
        _remove_row(form, target)
        _drop_idle_devices(form, {device})
        return
    _remove_row(form, target)


def _reorder(form: PlateForm, verb: str, target: str) -> None:
    """Swap two neighbours of a rung, or put its link or its second pole in or out."""
    row, _, place = target.partition(":")
    path = f"{row}.order"
    order = form.order_of(row)
    if verb == "swap" and place.isascii() and place.isdigit() and int(place) + 1 < len(order):
        at = int(place)
        order[at], order[at + 1] = order[at + 1], order[at]
    elif verb == "link":
        order = [part for part in order if part != "link"] if "link" in order else [*order[:1], "link", *order[1:]]
    elif verb == "second-pole" and "pole" in order:
        is_double = order.count("pole") > 1
        order = [part for part in order if part != "pole"]
        order = [*order, "pole"] if is_double else ["pole", *order, "pole"]
        form.texts[f"{row}.poles"] = ""
    form.texts[path] = " – ".join(order)
    if form.text(f"{row}.poles") == "" and (matched := re.fullmatch(r"circuits\[(\d+)\]", row)):
        _give_pole(form, int(matched[1]))


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
    if name not in ("feeds", "branches", "shared", "circuits", "devices") or count >= MOST_ROWS:
        return
    stems = {
        "feeds": ("feed", False),
        "branches": ("branch", False),
        "shared": ("sub-panel", False),
        "circuits": ("strip", True),
    }
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
    matched = re.fullmatch(r"(feeds|branches|shared|circuits|devices)\[(\d+)\]", target)
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
        form.problems["limits" if error.field == "limits" else "kit_watts"] = render(error.message)
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


def _drop_idle_devices(form: PlateForm, only: Collection[str] | None = None) -> None:
    """Take away devices that no circuit, blower or chain uses any more; `only` these, where given."""
    for i in reversed(form.rows("devices")):
        name = form.text(f"devices[{i}].id")
        used = [form.text(f"circuits[{c}].device") for c in form.rows("circuits")]
        used += [form.text("blower.switched_by"), *(form.text(f"devices[{d}].fed_by") for d in form.rows("devices"))]
        if name not in used and len(form.rows("devices")) > 1 and (only is None or name in only):
            _remove_row(form, f"devices[{i}]")


def with_identity(plate: Nameplate, *, serial: str = "", built: str = "") -> Nameplate:
    """Return a plate copied from a like unit, with what belongs to that unit alone taken off."""
    return replace(plate, serial=serial, built=built)
