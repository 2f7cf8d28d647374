"""One call from complaint to signature, so that every part of a paper has something in it: a pole that stays open."""

from collections.abc import Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from io import BytesIO

from PIL import Image, ImageDraw

from plentar.core.evidence.events import (
    Action,
    Approved,
    Caused,
    Checked,
    Closed,
    Fitted,
    Landed,
    LedgerLead,
    Observed,
    Photographed,
    PowerBack,
    RepairSettled,
    Signed,
    Switched,
)
from plentar.core.evidence.reading import Condition
from plentar.core.unit.nameplate import Nameplate
from plentar.core.unit.place import GROUND, amps_at, line_volts, volts_at
from plentar.core.work.ledger import leads_of
from plentar.core.work.proof import BEFORE_POWER

__all__ = ["PLACE", "READINGS", "photo_of_a_burnt_pole", "worked_actions"]

PLACE = "Tamarisk Court 26"
# Point, what was read before, what after; under a heat call.
READINGS = (
    (line_volts("feed-1"), 239.1, 238.6),
    (amps_at("strip-a"), 20.6, 20.5),
    (amps_at("strip-b"), 0.0, 20.3),
    (amps_at("blower"), 2.3, 2.3),
)
POLE = volts_at("seq-a.pole-2.load", "seq-a.pole-2.line")
STROKES = (
    ((90, 190), (140, 80), (190, 200), (240, 110), (290, 190), (360, 150), (430, 190)),
    ((480, 90), (470, 210), (560, 150), (640, 190), (760, 120), (880, 170)),
)

# An action with the minute of the call it was done at, and the reading it is where it is one: point and value.
Dated = tuple[float, Action | tuple[str, float]]


def _before() -> Iterator[Dated]:
    yield 2, Observed(sign="heat-marked", about="seq-a", state="found", note="brown round pole 2")
    yield 3, Photographed(part="seq-a", note="pole 2 as found")
    yield 4, Switched(what="W", state="on")
    for minute, (point, before, _) in enumerate(READINGS):
        yield 11 + minute, (point, before)
    yield 16, (POLE, 238.4)
    yield 17, (POLE, 238.1)
    yield (
        18,
        Caused(
            faults=("seq-a.pole-2.open",),
            title="Pole 2 of Seq A does not close",
            cause="its contact burnt away over the years",
            share=0.98,
        ),
    )
    yield 20, Approved(who="D. Ferrand", what="a new two-pole sequencer, fitted today")
    yield 21, Switched(what="W", state="off")


def _work(plate: Nameplate) -> Iterator[Dated]:
    dead = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead")
    rows = tuple(LedgerLead(lead=end.lead, before=end.terminal, after=end.terminal) for end in leads_of(plate, "seq-a"))
    yield 34, Landed(part="seq-a", rows=rows, condition=dead)
    yield 35, Fitted(name="Sequencer, 2 poles, 24 V", minutes=25, price=84.5, choice="replaced the failed one only")
    yield 36, Fitted(name="Push-on ends, heat-rated, 4", minutes=5, price=6.0)
    for number, (line, _) in enumerate(BEFORE_POWER):
        yield 37 + 0.1 * number, Checked(line=line)
    yield 39, PowerBack()


def _after() -> Iterator[Dated]:
    yield 40, Switched(what="W", state="on")
    for minute, (point, _, after) in enumerate(READINGS):
        yield 47 + minute, (point, after)
    yield 52, (POLE, 0.08)
    yield 53, (volts_at("feed-1.l1", GROUND), 119.6)
    yield 55, RepairSettled(is_proven=True, readings=6)
    yield 57, Signed(role="technician", name="Teodor Brask")
    yield 58, Signed(role="owner", name="D. Ferrand", strokes=STROKES)
    yield 60, Closed(outcome="Sequencer A replaced wire for wire; both strips heat again.")


def worked_actions(
    plate: Nameplate, began: datetime
) -> Iterator[tuple[datetime, Action | tuple[str, float], Condition]]:
    """Give the call's actions in order, each with its moment and the condition it was done under."""
    live = Condition(feeds=(("feed-1", "live"),))
    since: float | None = None
    for minute, action in (*_before(), *_work(plate), *_after()):
        if isinstance(action, Switched):
            since = minute if action.state == "on" else None
        calls = (("W", 60 * (minute - since)),) if since is not None else ()
        seconds = 60 * (minute - since) if since is not None else 60.0
        yield began + timedelta(minutes=minute), action, replace(live, calls=calls, seconds_since_change=seconds)


def photo_of_a_burnt_pole() -> BytesIO:
    """Draw what a camera would have seen: a two-pole part in a cabinet, brown round its lower pole."""
    picture = Image.new("RGB", (960, 720), "#b9b4a6")
    draw = ImageDraw.Draw(picture)
    for row in range(0, 720, 24):
        draw.line((0, row, 960, row), fill="#b1ac9e")
    draw.rectangle((270, 110, 690, 610), fill="#2d2f33", outline="#17181a", width=6)
    draw.rectangle((310, 150, 650, 340), fill="#3c3f45")
    draw.rectangle((310, 380, 650, 570), fill="#3c3f45")
    for radius in range(150, 0, -6):
        share = 1 - radius / 150
        shade = (int(60 + 70 * share), int(63 - 8 * share), int(69 - 46 * share))
        draw.ellipse((560 - radius, 475 - 0.7 * radius, 560 + radius, 475 + 0.7 * radius), fill=shade)
    for y in (245, 475):
        for x in (370, 590):
            draw.rectangle((x - 26, y - 40, x + 26, y + 40), fill="#c9b37a", outline="#7c6a38", width=4)
    draw.rectangle((564, 435, 616, 515), fill="#4a2e1a", outline="#24150b", width=4)
    for start, end, ink in (((370, 205), (330, 0), "#9c1f1f"), ((590, 205), (650, 0), "#1f2a6b"),
                            ((370, 515), (300, 720), "#9c1f1f"), ((590, 515), (640, 720), "#3a2416")):  # fmt: skip
        draw.line((*start, *end), fill=ink, width=20)
    file = BytesIO()
    picture.save(file, "PNG")
    file.seek(0)
    return file
