"""A nameplate being filled in: its figures by path, as typed, and what adding, removing and laying out change in them.

A plate half filled is no circuit yet, so it can't be a `Nameplate`; every change a person makes to one is made here.
Paths are those of the unit file: `circuits[0].rated_watts`. Kilowatts stand in the draft, watts in the file.
"""

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from plentar.core.errors import NameplateError
from plentar.core.unit.kinds import KINDS, MOST_POLES
from plentar.core.unit.kit import USUAL_WATTS, Kit, split_watts

__all__ = ["PlateDraft", "add_part", "count_poles", "follow_kinds", "lay_out", "remove_part", "reorder", "take_kit"]

# Fields to clear when a part's kind changes.
OF_A_DEVICE = re.compile(
    r"\.(coil_ohms|holding_amps|rectifier|auxiliary(_from|\..*)?|poles\[\d+\]\.(rated_amps|o\w+_window\..*))\Z"
)
OF_A_PSC = re.compile(r"blower\.(relay\..*|taps|capacitor_microfarads|switched_by(_pole)?|plain_wire_to|rated_amps)\Z")
UNREAD = re.compile(
    r"\.(opens|lugs\..*|disconnect\..*|conductor\.(insulation_degc|terminals_degc|ambient_degf|carrying|cable)"
    r"|lead_(size|degc)|outdoor_amps)\Z"
)
OF_AN_ECM = re.compile(r"blower\.(ecm_calls|rated_amps)\Z")
MOST_ROWS = 8
# An electronic blower has a tap for each call of the thermostat; most units use these two.
USUAL_ECM_CALLS = ("G", "W")


@dataclass(slots=True, kw_only=True)
class PlateDraft:
    """What is typed of a plate, by path."""

    texts: dict[str, str]

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


def _drop(draft: PlateDraft, start: str, belonged: re.Pattern[str] = re.compile("")) -> None:
    for path in [path for path in draft.texts if path.startswith(start) and belonged.search(path)]:
        del draft.texts[path]


def follow_kinds(draft: PlateDraft, before: Mapping[str, str]) -> None:
    """Drop what belonged to a part of another kind, and give the new one what it cannot be without.

    Args:
        before: Of which kind a part was, by its path: `devices[0]`, `blower`.
    """
    for i in draft.rows("devices"):
        at = f"devices[{i}]"
        was, kind = before.get(at, ""), draft.text(f"{at}.kind")
        if was and was != kind:
            _drop(draft, at, OF_A_DEVICE)
            # Nothing can be fed by an auxiliary pole that is gone.
            for j in draft.rows("devices"):
                if draft.text(f"devices[{j}].fed_by") == draft.text(f"{at}.id"):
                    draft.texts[f"devices[{j}].fed_by"] = draft.text(f"{at}.fed_by")
    was, kind = before.get("blower", ""), draft.text("blower.kind")
    if was and was != kind:
        _drop(draft, "blower", OF_A_PSC if was == "psc" else OF_AN_ECM)
    if kind == "ecm":
        _drop(draft, "blower", re.compile(r"blower\.(relay\..*|switched_by(_pole)?|plain_wire_to)\Z"))
        draft.texts["blower.ecm_calls"] = draft.text("blower.ecm_calls") or ", ".join(USUAL_ECM_CALLS)
    elif kind == "psc" and not draft.rows("blower.relay.contacts") and not draft.text("blower.switched_by"):
        _give_relay(draft)


def _give_relay(draft: PlateDraft) -> None:
    """Give a motor the usual relay: COM to it, NC to the first strip of its feed, NO to that strip's switched leg."""
    feed = draft.text("blower.supplied_by")
    strip = next((i for i in draft.rows("circuits") if draft.text(f"circuits[{i}].supplied_by") == feed), None)
    order = draft.text(f"circuits[{strip}].order")
    switched = "L1" if order.startswith("pole") else "L2"
    landed = {
        "com": "blower",
        "no": switched,
        "nc": draft.text(f"circuits[{strip}].id") if strip is not None else "none",
    }
    draft.texts |= {"blower.relay.id": "blower-relay", "blower.relay.fed_by": "G"}
    draft.texts |= {f"blower.relay.contacts[0].{name}": there for name, there in landed.items()}
    draft.texts["blower.fixed_leg"] = "L2" if switched == "L1" else "L1"


def count_poles(draft: PlateDraft, counted: Mapping[str, str]) -> None:
    """Give each device as many poles as were counted on it, by its path; what is no number of poles changes nothing."""
    for i in draft.rows("devices"):
        rows = f"devices[{i}].poles"
        wanted, have = counted.get(f"devices[{i}]", ""), len(draft.rows(rows))
        if not wanted.isascii() or not wanted.isdigit() or not 1 <= int(wanted) <= MOST_POLES or not have:
            continue
        for gone in range(int(wanted), have):
            _drop(draft, f"{rows}[{gone}].")
        for more in range(have, int(wanted)):
            taken = {draft.text(f"{rows}[{j}].number") for j in draft.rows(rows)}
            _copy_row(draft, rows, more - 1, more, number=next(str(n) for n in range(1, 9) if str(n) not in taken))


def add_part(draft: PlateDraft, target: str) -> None:
    """Add a row like the last one; a feed comes with a strip on it, or, as `feeds:blower`, for blower and control."""
    name, _, use = target.partition(":")
    count = len(draft.rows(name))
    _add_row(draft, name)
    # A row is like the last one as it is built; what was read on that one was not read on this.
    _drop(draft, f"{name}[{count}]", UNREAD)
    if name == "shared" and count < len(draft.rows("shared")):
        for i in draft.rows("feeds"):
            draft.texts[f"feeds[{i}].behind"] = draft.text(f"feeds[{i}].behind") or draft.text(f"shared[{count}].id")
    if name != "feeds" or len(draft.rows(name)) == count:
        return
    feed = draft.text(f"feeds[{count}].id")
    if use == "blower":
        draft.texts |= {"blower.supplied_by": feed, "transformer.supplied_by": feed}
    else:
        strips = len(draft.rows("circuits"))
        _add_row(draft, "circuits")
        if len(draft.rows("circuits")) > strips:
            draft.texts[f"circuits[{strips}].supplied_by"] = feed
            _give_pole(draft, strips)


def remove_part(draft: PlateDraft, target: str) -> None:
    """Take a row off with all that hangs on it: a feed with its strips, a strip with what is landed on it."""
    name = target.partition("[")[0]
    gone = draft.text(f"{target}.id")
    if name == "feeds" and len(draft.rows("feeds")) > 1 and gone:
        rest = next(feed for feed in draft.ids("feeds") if feed != gone)
        branches = [
            draft.text(f"branches[{i}].id") for i in draft.rows("branches") if draft.text(f"branches[{i}].feed") == gone
        ]
        behind = {gone, *branches}
        for branch in branches:
            _remove_row(draft, f"branches[{draft.ids('branches').index(branch)}]")
        strips = [
            draft.text(f"circuits[{i}].id")
            for i in draft.rows("circuits")
            if draft.text(f"circuits[{i}].supplied_by") in behind
        ]
        # All strips hang on it: they stay, on the feed that is left.
        if len(strips) < len(draft.rows("circuits")):
            for strip in strips:
                remove_part(draft, f"circuits[{draft.ids('circuits').index(strip)}]")
        for path in [path for path in draft.texts if path.endswith("supplied_by") and draft.texts[path] in behind]:
            draft.texts[path] = rest
        # What it alone hung behind goes with it.
        _remove_row(draft, target)
        for shared in set(draft.ids("shared")) - {draft.text(f"feeds[{i}].behind") for i in draft.rows("feeds")}:
            _remove_row(draft, f"shared[{draft.ids('shared').index(shared)}]")
        return
    if name == "shared" and gone:
        for path in [path for path in draft.texts if path.endswith(".behind") and draft.texts[path] == gone]:
            draft.texts[path] = ""
    elif name == "circuits" and gone:
        device = draft.text(f"{target}.device")
        for path, there in list(draft.texts.items()):
            if there == gone and path.startswith("blower.relay.contacts"):
                draft.texts[path] = "none"
            elif there == gone and path == "blower.plain_wire_to":
                draft.texts[path] = ""
        _remove_row(draft, target)
        _drop_idle_devices(draft, {device})
        return
    _remove_row(draft, target)


def reorder(draft: PlateDraft, verb: str, target: str) -> None:
    """Swap two neighbours of a rung, or put its link or its second pole in or out."""
    row, _, place = target.partition(":")
    path = f"{row}.order"
    order = draft.order_of(row)
    if verb == "swap" and place.isascii() and place.isdigit() and int(place) + 1 < len(order):
        at = int(place)
        order[at], order[at + 1] = order[at + 1], order[at]
    elif verb == "link":
        order = [part for part in order if part != "link"] if "link" in order else [*order[:1], "link", *order[1:]]
    elif verb == "second-pole" and "pole" in order:
        is_double = order.count("pole") > 1
        order = [part for part in order if part != "pole"]
        order = [*order, "pole"] if is_double else ["pole", *order, "pole"]
        draft.texts[f"{row}.poles"] = ""
    draft.texts[path] = " – ".join(order)
    if draft.text(f"{row}.poles") == "" and (matched := re.fullmatch(r"circuits\[(\d+)\]", row)):
        _give_pole(draft, int(matched[1]))


def _copy_row(draft: PlateDraft, name: str, source: int, target: int, **changes: str) -> None:
    start = f"{name}[{source}]"
    for path in [path for path in draft.texts if path.startswith(start)]:
        draft.texts[f"{name}[{target}]{path.removeprefix(start)}"] = draft.texts[path]
    for leaf, value in changes.items():
        draft.texts[f"{name}[{target}].{leaf}"] = value


def _next_id(taken: list[str], stem: str, *, letters: bool) -> str:
    marks = "abcdefghij" if letters else [str(n) for n in range(1, 10)]
    return next((f"{stem}-{mark}" for mark in marks if f"{stem}-{mark}" not in taken), f"{stem}-{len(taken) + 1}")


def _add_row(draft: PlateDraft, name: str) -> None:
    """Add a row like the last one, under the next free name."""
    count = len(draft.rows(name))
    if name not in ("feeds", "branches", "shared", "circuits", "devices") or count >= MOST_ROWS:
        return
    stems = {
        "feeds": ("feed", False),
        "branches": ("branch", False),
        "shared": ("sub-panel", False),
        "circuits": ("strip", True),
    }
    if name == "devices":
        stem = draft.text(f"devices[{count - 1}].id").rpartition("-")[0] or "seq"
        new = _next_id(draft.ids("devices"), stem, letters=True)
    else:
        new = _next_id(draft.ids(name), stems[name][0], letters=stems[name][1])
    if count:
        _copy_row(draft, name, count - 1, count, id=new)
    else:
        draft.texts[f"{name}[0].id"] = new
        if name == "branches":
            draft.texts["branches[0].feed"] = draft.ids("feeds")[0] if draft.ids("feeds") else ""
            draft.texts["branches[0].kind"] = "breaker"
    if name == "circuits":
        draft.texts[f"circuits[{count}].poles"] = ""


def _remove_row(draft: PlateDraft, target: str) -> None:
    matched = re.fullmatch(r"(feeds|branches|shared|circuits|devices)\[(\d+)\]", target)
    if not matched:
        return
    name, gone = matched[1], int(matched[2])
    kept: dict[str, str] = {}
    for path, typed in draft.texts.items():
        row = re.match(rf"{name}\[(\d+)\]", path)
        if row is None or int(row[1]) < gone:
            kept[path] = typed
        elif int(row[1]) > gone:
            kept[f"{name}[{int(row[1]) - 1}]{path[row.end() :]}"] = typed
    draft.texts = kept


def lay_out(draft: PlateDraft, kit_watts: float | None, limits: int | None) -> None:
    """Set the kit's circuits from its watts and the limits counted, with poles and devices enough for them.

    Args:
        kit_watts: What the whole kit draws [W]; None leaves what stands there.
        limits: Limit switches counted, one a circuit; None where nobody counted.

    Raises:
        NameplateError: Neither is given, or they can't be; `field` is `kit_watts` or `limits`.
    """
    if kit_watts is not None:
        shares = [f"{watts / 1000:.6g}" for watts in split_watts(kit_watts, limits)]
    elif limits is not None:
        shares = [draft.text(f"circuits[{i}].rated_watts") for i in range(len(split_watts(USUAL_WATTS, limits)))]
    else:
        raise NameplateError("give the kit's kilowatts, or the limits counted", field="kit_watts")
    while len(draft.rows("circuits")) > len(shares):
        _remove_row(draft, f"circuits[{len(draft.rows('circuits')) - 1}]")
    while len(draft.rows("circuits")) < len(shares):
        _add_row(draft, "circuits")
    for i, share in enumerate(shares):
        draft.texts[f"circuits[{i}].rated_watts"] = share
        if not draft.text(f"circuits[{i}].poles"):
            _give_pole(draft, i)
    _drop_idle_devices(draft)


def take_kit(draft: PlateDraft, kit: Kit) -> None:
    """Fill in what a kit's label says; a figure it does not give is unknown, whatever stood there of another kit."""
    lay_out(draft, 1000 * kit.kilowatts_240, kit.strips)
    for i in draft.rows("circuits"):
        draft.texts[f"circuits[{i}].rated_volts"] = "240"
    for name in ("minimum_circuit_amps", "maximum_device_amps"):
        amps = getattr(kit, name)
        draft.texts[name] = "" if amps is None else f"{amps:g}"


def _give_pole(draft: PlateDraft, circuit: int) -> None:
    """Land a new circuit on the last device's next pole, on a new pole of it, or on a new device like it."""
    device = draft.text(f"circuits[{circuit}].device")
    wanted = draft.text(f"circuits[{circuit}].order").count("pole") or 1
    used = {
        int(number)
        for i in draft.rows("circuits")
        if draft.text(f"circuits[{i}].device") == device
        for number in re.findall(r"\d+", draft.text(f"circuits[{i}].poles"))
    }
    if draft.text("blower.switched_by") == device:
        used.add(int(draft.text("blower.switched_by_pole") or 1))
    at = draft.ids("devices").index(device) if device in draft.ids("devices") else 0
    kind = KINDS.get(draft.text(f"devices[{at}].kind"))
    most = kind.most_poles if kind is not None else MOST_POLES
    free = [number for number in range(1, most + 1) if number not in used]
    if len(free) < wanted:
        _add_row(draft, "devices")
        at = len(draft.rows("devices")) - 1
        device = draft.text(f"devices[{at}].id")
        draft.texts[f"circuits[{circuit}].device"] = device
        free = list(range(1, wanted + 1))
    have = {draft.text(f"devices[{at}].poles[{i}].number") for i in draft.rows(f"devices[{at}].poles")}
    for number in free[:wanted]:
        if str(number) not in have:
            rows = len(draft.rows(f"devices[{at}].poles"))
            _copy_row(draft, f"devices[{at}].poles", rows - 1, rows, number=str(number))
    draft.texts[f"circuits[{circuit}].poles"] = ", ".join(map(str, free[:wanted]))


def _drop_idle_devices(draft: PlateDraft, only: Collection[str] | None = None) -> None:
    """Take away devices that no circuit, blower or chain uses any more; `only` these, where given."""
    for i in reversed(draft.rows("devices")):
        name = draft.text(f"devices[{i}].id")
        used = [draft.text(f"circuits[{c}].device") for c in draft.rows("circuits")]
        used += [draft.text("blower.switched_by"), *(draft.text(f"devices[{d}].fed_by") for d in draft.rows("devices"))]
        if name not in used and len(draft.rows("devices")) > 1 and (only is None or name in only):
            _remove_row(draft, f"devices[{i}]")
