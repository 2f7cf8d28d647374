"""The one way anything is recorded on a call: a list of drafts in, each kept, already kept or refused.

The call's row is locked first, so what is checked still stands when it is kept, and two people never overwrite each
other: both actions are in the record, and what follows from them is folded anew.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from typing import Any, Literal
from uuid import UUID, uuid4

from flask import abort, g
from sqlalchemy import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session
from werkzeug.datastructures import FileStorage
from werkzeug.wrappers import Request

from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.events import Action, Amended, Closed, Event, Logged, Photographed, Replated, Withdrawn
from plentar.core.intake import Sender, spelled, take_in
from plentar.core.unit.nameplate import Nameplate
from plentar.core.visit import Visit
from plentar.formats.events_json import action_from_json, action_to_json, sent_part
from plentar.formats.numbers import parse_number
from plentar.formats.photos import reencode
from plentar.store import events, shops
from plentar.store.models import Call, LogSamples, Person, PhotoBytes, RejectedSubmission
from plentar.web.call_layout.visits import meter_of, read_record, remember, visit_of
from plentar.web.offline.submissions import Sent, id_of_sending, refused
from plentar.web.serving.access import now, release
from plentar.words import render

__all__ = [
    "ConflictError",
    "Draft",
    "EventAnswer",
    "keep",
    "keep_accepted",
    "keep_all",
    "keep_one",
    "own_id",
    "record_plate",
    "sent_picture",
]


# What the call's row keeps a copy of.
AMENDED = ("words", "at_risk", "outdoor_degf", "indoor_degf")


class ConflictError(PlentarError):
    """The id was used before for something else: what was kept then stands."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """One action as it is sent: `id` made by the client, `done_at` by its clock, at most `clock_seconds` wrong.

    `image` and `samples` are what is kept beside the event of a photo or a log; `action` is what the application itself
    records, which nobody can send.
    """

    id: UUID
    kind: str
    payload: Mapping[str, Any]
    done_at: datetime | None = None
    clock_seconds: float = 0.0
    image: tuple[bytes, bytes] | None = None
    samples: bytes | None = None
    action: Action | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class EventAnswer:
    """What became of one draft: its number when kept, or why it was refused and what the server has instead."""

    id: UUID
    answer: Literal["kept", "already kept", "refused"]
    seq: int | None = None
    error: PlentarError | None = None
    copy: Event | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class _Author:
    """Who did what is sent: whoever is signed in, by their phone or not; or whose phone sent it before.

    With `is_accepted` a lead takes it however uncertain its moment is.
    """

    person: Person
    phone: str = ""
    is_accepted: bool = False


def _author() -> _Author:
    sent: Sent | None = g.get("sent")
    return _Author(person=g.person, phone=str(sent.phone) if sent is not None else "")


@dataclass(slots=True)
class _Writing:
    """One transaction's writing to one locked call."""

    db: Session
    call: Call
    visit: Visit
    moment: datetime
    author: _Author
    fresh: list[tuple[Draft, Event]] = field(default_factory=list)

    def take(self, draft: Draft) -> EventAnswer:
        """Keep one draft, or say why not."""
        known = self.visit.record.event(str(draft.id))
        if known is not None:
            return self._known(draft, known)
        try:
            action = draft.action or action_from_json(draft.kind, dict(draft.payload))
            _check_beside(draft, action)
            event = self._event(draft, action)
        except PlentarError as error:
            return EventAnswer(id=draft.id, answer="refused", error=error)
        self.fresh.append((draft, event))
        self.visit = self.visit.plus(event)
        return EventAnswer(id=draft.id, answer="kept", seq=event.seq)

    def _known(self, draft: Draft, known: Event) -> EventAnswer:
        """The same thing sent again is kept already; another thing under its id is refused."""
        try:
            again = spelled(action_from_json(draft.kind, dict(draft.payload)), self.visit.plate)
            is_same = known.action.kind == draft.kind and sent_part(known.action) == sent_part(again)
        except PlentarError:
            is_same = False
        if is_same:
            return EventAnswer(id=draft.id, answer="already kept", seq=known.seq, copy=known)
        words = "this was sent before with other contents. The first version stands"
        return EventAnswer(id=draft.id, answer="refused", error=ConflictError(words, field="id"), copy=known)

    def _event(self, draft: Draft, action: Action) -> Event:
        sent: Sent | None = g.get("sent")
        told = draft.done_at or (sent.done_at if sent is not None else self.moment)
        clock_seconds = draft.clock_seconds or (sent.clock_seconds if sent is not None else 0.0)
        author = self.author
        sender = Sender(
            person=str(author.person.id),
            is_accepted=author.is_accepted,
            done_at=told.timestamp(),
            now=self.moment.timestamp(),
            clock_seconds=clock_seconds,
            phone=author.phone,
            meters=self._meters(action),
            meter=str(self.call.meter_id),
            parse=parse_number,
            words=render,
        )
        return Event(
            id=str(draft.id),
            seq=self.visit.record.seq + 1,
            action=take_in(self.visit, action, sender),
            person=str(author.person.id),
            by=author.person.name,
            # A clock that runs ahead, within its doubt, is set back to now.
            done_at=min(told, self.moment).timestamp(),
            come_at=self.moment.timestamp(),
            clock_seconds=clock_seconds,
            phone=author.phone,
        )

    def _meters(self, action: Action) -> dict[str, Any]:
        own = {str(self.call.meter_id): meter_of(self.call.meter)}
        if getattr(action, "meter", "") in ("", *own):
            return own
        return {str(row.id): meter_of(row) for row in shops.list_all_meters(self.db, shop_id=self.call.shop_id)}

    def flush(self) -> None:
        """Write what was taken in."""
        if not self.fresh:
            return
        rows = [
            {
                "id": draft.id,
                "kind": event.action.kind,
                "payload": action_to_json(event.action),
                "person_id": self.author.person.id,
                "done_at": datetime.fromtimestamp(event.done_at, tz=self.moment.tzinfo),
                "come_at": self.moment,
                "clock_seconds": event.clock_seconds,
                "phone_id": UUID(event.phone) if event.phone else None,
            }
            for draft, event in self.fresh
        ]
        # Somebody who comes although it was cancelled has begun it all the same; a plate changed in the office has not.
        is_begun = any(not event.action.is_own for _, event in self.fresh)
        not_yet = self.call.status in ("planned", "cancelled")
        changes: dict[str, Any] = {"status": "open"} if is_begun and not_yet else {}
        closing = [(event, event.action) for _, event in self.fresh if isinstance(event.action, Closed)]
        if closing:
            changes = {"status": "closed", "closed_at": self.moment, "outcome": closing[-1][1].outcome}
        for _, event in self.fresh:
            if isinstance(event.action, Amended):
                amended = event.action
                changes |= {name: getattr(amended, name) for name in AMENDED}
                changes["complaints"] = list(amended.complaints)
            elif isinstance(event.action, Withdrawn):
                changes["status"] = "withdrawn"
        events.append(self.db, self.call, rows, **changes)
        shop_id = self.call.shop_id
        photos = [
            {"shop_id": shop_id, "id": draft.id, "image": draft.image[0], "thumbnail": draft.image[1]}
            for draft, _ in self.fresh
            if draft.image is not None
        ]
        samples = [
            {"shop_id": shop_id, "id": draft.id, "samples": draft.samples}
            for draft, _ in self.fresh
            if draft.samples is not None
        ]
        for table, blobs in ((PhotoBytes, photos), (LogSamples, samples)):
            if blobs:
                self.db.execute(insert(table), blobs)


def _check_beside(draft: Draft, action: Action) -> None:
    """See that a photo has its picture and a log its samples: without them the record would show nothing.

    Raises:
        ReadingError: What belongs beside the event was not sent with it.
    """
    if isinstance(action, Photographed) and draft.image is None:
        raise ReadingError("a photo is sent with its picture", field="photo")
    if isinstance(action, Logged) and not action.is_recording and draft.samples is None:
        raise ReadingError("a log is sent with its file", field="file")


def keep(
    call_id: UUID, drafts: Sequence[Draft], author: _Author | None = None
) -> tuple[list[EventAnswer], Call, Visit]:
    """Record drafts on a call of the signed-in person's shop, each for itself.

    Returns:
        An answer a draft, in order; the call; the visit as it stands after them.
    """
    author = author or _author()
    try:
        return _kept(call_id, drafts, author, elsewhere=frozenset())
    except IntegrityError:
        # An id was used on another call of the shop: ask which, and answer those without it.
        g.db.rollback()
        ids = [draft.id for draft in drafts]
        used = events.ids_elsewhere(g.db, shop_id=g.person.shop_id, call_id=call_id, ids=ids)
        if not used:
            raise
        return _kept(call_id, drafts, author, elsewhere=frozenset(used))


def _kept(
    call_id: UUID, drafts: Sequence[Draft], author: _Author, *, elsewhere: frozenset[UUID]
) -> tuple[list[EventAnswer], Call, Visit]:
    call = events.lock_call(g.db, shop_id=g.person.shop_id, call_id=call_id)
    if call is None:
        abort(404)
    g.call = call
    moment = now()
    writing = _Writing(g.db, call, visit_of(call, read_record(g.db, call), moment), moment, author)
    answers = []
    for draft in drafts:
        if draft.id in elsewhere:
            error = ConflictError("this id is already used on another call", field="id")
            answers.append(EventAnswer(id=draft.id, answer="refused", error=error))
        else:
            answers.append(writing.take(draft))
    writing.flush()
    if writing.fresh:
        g.after_commit = [partial(remember, call, writing.visit.record)]
    return answers, call, writing.visit


def keep_all(call_id: UUID, drafts: Sequence[Draft], author: _Author | None = None) -> Visit:
    """Record drafts, all of them or none.

    Raises:
        PlentarError: The first that was refused.
    """
    answers, _, visit = keep(call_id, drafts, author)
    for answer in answers:
        if answer.error is not None:
            g.db.rollback()
            g.pop("call", None)
            g.pop("after_commit", None)
            refused(answer.error)
            if answer.error.field == "clock_seconds":
                # Only its moment is in doubt: a lead may still take it.
                g.refused_drafts = [
                    {"id": str(draft.id), "kind": draft.kind, "payload": dict(draft.payload)} for draft in drafts
                ]
            raise answer.error
    return visit


def keep_accepted(rejected: RejectedSubmission) -> Visit:
    """Record what was set aside because its moment is uncertain, in the name of whoever sent it.

    Raises:
        PlentarError: Something else stands against it.
    """
    author = _Author(person=rejected.person, phone=str(rejected.phone_id or ""), is_accepted=True)
    sent = Request.from_values(method="POST", data=rejected.body, content_type=rejected.content_type)
    drafts = [
        Draft(
            id=UUID(kept["id"]),
            kind=kept["kind"],
            payload=kept["payload"],
            done_at=rejected.done_at,
            clock_seconds=rejected.clock_seconds,
            image=sent_picture(sent.files) if kept["kind"] == Photographed.kind else None,
        )
        for kept in rejected.drafts or ()
    ]
    return keep_all(rejected.call_id, drafts, author)


def keep_one(call_id: UUID, event_id: str, kind: str, payload: Mapping[str, Any], **beside: Any) -> Visit:
    """Record one action of a plain form under the id the form carries.

    Raises:
        PlentarError: It was refused; the id is none.
    """
    try:
        made = UUID(event_id or "")
    except ValueError as error:
        raise ReadingError("this form has expired. Press the button again", field="id") from error
    return keep_all(call_id, [Draft(id=made, kind=kind, payload=payload, **beside)])


def own_id(text: str | None) -> str:
    """Return the id a form carries; for one that does not, the sending's own, or a new one."""
    return text or str(id_of_sending() or uuid4())


def sent_picture(files: Mapping[str, FileStorage]) -> tuple[bytes, bytes]:
    """Return the picture of a form and its thumbnail, encoded anew.

    Raises:
        ReadingError: None was chosen, or it is no picture.
    """
    sent = files.get("photo")
    if sent is None or not sent.stream.read(1):
        raise ReadingError("choose a photo first", field="photo")
    sent.stream.seek(0)
    release()
    return reencode(sent.stream)


def record_plate(call_id: UUID, plate: Nameplate) -> None:
    """Note on an open call that its unit's plate was changed: a feed nobody knew of is live until shown otherwise."""
    changed = Replated(feeds=tuple(feed.id for feed in plate.feeds), calls=plate.calls)
    keep(call_id, [Draft(id=uuid4(), kind=changed.kind, payload={}, action=changed)])
