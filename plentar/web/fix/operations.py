"""What the fix page keeps."""

from collections.abc import Mapping
from dataclasses import asdict
from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.ledger import LedgerRow, check_ledger, leads_of
from plentar.core.proof import BEFORE_POWER
from plentar.formats.numbers import parse_number
from plentar.store import calls, evidence
from plentar.store.models import WorkItem
from plentar.web.fix.models import FixScreen
from plentar.web.kept import still_open

__all__ = ["keep_approval", "keep_check", "keep_ledger", "keep_part", "keep_temporary", "power_back", "settle_proof"]


def _keep(
    db: Session,
    screen: FixScreen,
    item_id: UUID,
    kind: str,
    about: str,
    data: dict[str, Any],
    person_id: UUID,
    moment: datetime,
    due_on: date | None = None,
) -> None:
    still_open(screen.call, kind)
    row = WorkItem(
        id=item_id,
        shop_id=screen.call.shop_id,
        call_id=screen.call.id,
        person_id=person_id,
        at=moment,
        kind=kind,
        about=about,
        data=data,
        due_on=due_on,
    )
    evidence.append(db, row)
    calls.open_call(db, screen.call)


def keep_ledger(
    db: Session,
    screen: FixScreen,
    *,
    item_id: UUID,
    part: str,
    form: Mapping[str, str],
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep a part's ledger, lead by lead.

    Raises:
        ReadingError: A part without leads, a terminal it does not have.
    """
    rows = []
    for end in leads_of(screen.plate, part):
        before = form.get(f"before:{end.lead}", end.terminal)
        rows.append(
            LedgerRow(
                lead=end.lead,
                before=before,
                after=form.get(f"after:{end.lead}", before),
                colour=form.get(f"colour:{end.lead}", "").strip()[:20],
                size=form.get(f"size:{end.lead}", "").strip()[:10],
                end_state=form.get(f"end:{end.lead}", "sound")[:20],
            )
        )
    check_ledger(screen.plate, part, rows)
    _keep(db, screen, item_id, "ledger", part, {"rows": [asdict(row) for row in rows]}, person_id, moment)


def _figure(typed: str | None, field: str) -> float | None:
    text = (typed or "").strip().lstrip("$")
    if not text:
        return None
    try:
        return parse_number(text, "plain")
    except ReadingError as error:
        raise ReadingError(f"expected a number such as 45, got “{text[:12]}”", field=field) from error


def keep_part(
    db: Session,
    screen: FixScreen,
    *,
    item_id: UUID,
    name: str,
    minutes: str | None,
    price: str | None,
    choice: str | None,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep a part used.

    Raises:
        ReadingError: Minutes or price are no numbers.
    """
    data = {
        "name": name.strip(),
        "minutes": _figure(minutes, "minutes"),
        "price": _figure(price, "price"),
        "choice": (choice or "").strip(),
    }
    _keep(db, screen, item_id, "part", "", data, person_id, moment)


def keep_temporary(
    db: Session,
    screen: FixScreen,
    *,
    item_id: UUID,
    circuit: str,
    how: str,
    tag: str,
    due_on: date | None,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Keep a temporary measure: it shows up on Today when it is due.

    Raises:
        ReadingError: A stage the unit does not have, no date, a date gone by.
    """
    if circuit not in {c.id for c in screen.plate.circuits}:
        raise ReadingError("pick the stage that is off", field="circuit")
    if due_on is None:
        raise ReadingError("say until when, as a date", field="due")
    if due_on < moment.date():
        raise ReadingError("that day is gone", field="due")
    left, whole = screen.left_to_heat(circuit)
    data = {"how": how.strip(), "tag": tag.strip(), "left_watts": left, "whole_watts": whole}
    _keep(db, screen, item_id, "temporary", circuit, data, person_id, moment, due_on)


def keep_approval(
    db: Session, screen: FixScreen, *, item_id: UUID, who: str, what: str, person_id: UUID, moment: datetime
) -> None:
    """Keep the owner's approval of extra work."""
    _keep(db, screen, item_id, "approval", "", {"who": who.strip(), "what": what.strip()}, person_id, moment)


def keep_check(db: Session, screen: FixScreen, *, item_id: UUID, name: str, person_id: UUID, moment: datetime) -> None:
    """Tick one line of the list before power.

    Raises:
        ReadingError: No such line.
    """
    if name not in {entry for entry, _ in BEFORE_POWER}:
        raise ReadingError("there is no such line on this list", field="check")
    _keep(db, screen, item_id, "check", name, {}, person_id, moment)


def settle_proof(
    db: Session, screen: FixScreen, *, item_id: UUID, reason: str, person_id: UUID, moment: datetime
) -> None:
    """Note that the repair is proven or, with a reason, that it stays unproven: either lets the call be closed.

    Raises:
        ReadingError: Readings are missing and no reason is given.
    """
    done, of = screen.proven
    if done == of and screen.ledger_is_sound:
        _keep(db, screen, item_id, "proven", "", {"readings": of}, person_id, moment)
        return
    if not reason.strip():
        left = next((row.proof.item.words for row in screen.proof if not row.proof.is_proven), "the ledger")
        raise ReadingError(f"not proven yet: {left[0].lower()}{left[1:]}. Read it, or say why not", field="reason")
    _keep(db, screen, item_id, "unproven", "", {"reason": reason.strip()[:400]}, person_id, moment)


def power_back(db: Session, screen: FixScreen, *, item_id: UUID, person_id: UUID, moment: datetime) -> None:
    """Note that power goes back on: readings from now on are the proof.

    Raises:
        ReadingError: The list before power is not done, or the ledger has a lead where it must not be.
    """
    left = [words for _, words, done in screen.checklist if not done]
    if left:
        raise ReadingError(f"not yet: {left[0].lower()}", field="power")
    _keep(db, screen, item_id, "power-back", "", {"ledger_sound": screen.ledger_is_sound}, person_id, moment)
