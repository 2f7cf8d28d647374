"""What the timing page does: stamp a tap, take in a log, run the simulated meter."""

from datetime import datetime, timedelta
from typing import IO, Any
from uuid import UUID

from sqlalchemy.orm import Session

from plentar.core.errors import ReadingError
from plentar.core.faults import fault_by_id
from plentar.formats.current_csv import read_current_csv
from plentar.formats.numbers import parse_number
from plentar.formats.packed import pack
from plentar.formats.stamps import condition_at, condition_to_json, switch
from plentar.store import calls, evidence
from plentar.store.models import CurrentLogRow, Observation
from plentar.web.kept import still_open
from plentar.web.timing.models import HIDDEN, LogScreen, TimingScreen, hidden_fault

__all__ = ["keep_log", "keep_recording", "simulate", "stamp"]

CHUNK = 65_536


def stamp(db: Session, screen: TimingScreen, *, stamp_id: UUID, what: str, person_id: UUID, moment: datetime) -> None:
    """Keep one tap; the first also makes the heat call, the drop ends it.

    Raises:
        ReadingError: The call is closed, no run is going, a stage the unit does not have.
    """
    still_open(screen.call, "what")
    is_undo = what.startswith("undo:")
    deed, _, stage = what.removeprefix("undo:").partition(":")
    run = screen.current
    if deed == "call" and not is_undo:
        if run is not None and run.dropped_at is None:
            raise ReadingError("a run is going: drop its call first", field="what")
        number = screen.next_number
    elif run is None:
        raise ReadingError("no run is going: make the call first", field="what")
    else:
        number = run.number
    if stage and stage not in {entry.id for entry in screen.stages}:
        raise ReadingError("this unit has no such stage", field="what")
    if deed == "off" and run is not None and run.dropped_at is None and not is_undo:
        raise ReadingError("drop the call first; a strip that goes off by itself belongs in a log", field="what")
    row = Observation(
        id=stamp_id,
        shop_id=screen.call.shop_id,
        call_id=screen.call.id,
        person_id=person_id,
        at=moment,
        kind=f"run-{deed}",
        about=f"{number}:{stage}" if stage else str(number),
        state="undone" if is_undo else "done",
        note="",
        condition=condition_to_json(condition_at(screen.call.condition, moment)),
    )
    if not evidence.append(db, row):
        return
    if deed in ("call", "drop"):
        is_on = (deed == "call") != is_undo
        condition = screen.call.condition
        for call in ("W", "W2"):
            if call in screen.plate.calls:
                condition = switch(condition, screen.plate, call, "on" if is_on else "off", moment)
        calls.set_condition(db, screen.call, condition)


def _seconds(typed: str | None, field: str) -> float | None:
    text = (typed or "").strip()
    if not text:
        return None
    minutes, colon, rest = text.partition(":")
    try:
        return (
            60 * parse_number(minutes, "plain") + parse_number(rest, "plain") if colon else parse_number(text, "plain")
        )
    except ReadingError as error:
        raise ReadingError(f"expected seconds or m:ss on the log's clock, got “{text[:20]}”", field=field) from error


def keep_log(
    db: Session,
    screen: TimingScreen,
    *,
    log_id: UUID,
    stream: IO[bytes] | None,
    filename: str,
    clamp: str,
    called: str | None,
    dropped: str | None,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Read a file and keep it whole, or not at all.

    Raises:
        ReadingError: No file, a clamp the unit does not have, a file that is no log; `field` names the input.
    """
    still_open(screen.call, "file")
    if stream is None:
        raise ReadingError("choose the file the meter made", field="file")
    _known_clamp(screen, clamp)
    called_seconds, dropped_seconds = _seconds(called, "called"), _seconds(dropped, "dropped")
    try:
        log = read_current_csv(iter(lambda: stream.read(CHUNK), b""))
    except ReadingError as error:
        raise ReadingError(error.message, field="file") from error
    called_seconds = log.called_seconds if called_seconds is None else called_seconds
    dropped_seconds = log.dropped_seconds if dropped_seconds is None else dropped_seconds
    if called_seconds is not None and dropped_seconds is not None and dropped_seconds <= called_seconds:
        raise ReadingError("the call was dropped before it was made", field="dropped")
    row = _row(screen, log_id, filename[:100] or "log", clamp, "csv", person_id, moment)
    row.found, row.samples = log.found, pack(log.seconds, log.amps)
    row.called_seconds, row.dropped_seconds = called_seconds, dropped_seconds
    row.supply_volts = screen.supply_volts(clamp)
    evidence.append(db, row)
    calls.open_call(db, screen.call)


def _known_clamp(screen: TimingScreen, clamp: str) -> None:
    if clamp not in {name for name, _ in screen.clamps}:
        raise ReadingError("pick what the clamp was around", field="clamp")


def _row(
    screen: TimingScreen, log_id: UUID, name: str, clamp: str, source: str, person_id: UUID, moment: datetime
) -> CurrentLogRow:
    settings: dict[str, Any] = {}
    return CurrentLogRow(
        id=log_id,
        shop_id=screen.call.shop_id,
        call_id=screen.call.id,
        person_id=person_id,
        at=moment,
        name=name,
        clamp=clamp,
        source=source,
        found="",
        samples=b"",
        settings=settings,
    )


def simulate(
    db: Session,
    screen: TimingScreen,
    *,
    log_id: UUID,
    clamp: str,
    fault: str,
    speed: int,
    person_id: UUID,
    moment: datetime,
) -> None:
    """Start the simulated meter.

    Raises:
        ReadingError: A clamp or a fault the unit does not have, or the call is closed.
    """
    still_open(screen.call, "clamp")
    _known_clamp(screen, clamp)
    seed = log_id.int % 100_000
    chosen = hidden_fault(screen.plate, seed) if fault == HIDDEN else fault
    if chosen:
        fault_by_id(screen.plate, chosen)
    row = _row(screen, log_id, "simulated", clamp, "simulated", person_id, moment)
    row.settings = {
        "faults": [chosen] if chosen else [],
        "seed": seed,
        "speed": speed,
        "hidden": fault == HIDDEN,
    }
    row.called_seconds, row.dropped_seconds = 5.0, 420.0
    row.recording_since = moment
    evidence.append(db, row)
    calls.open_call(db, screen.call)


def keep_recording(screen: LogScreen) -> None:
    """Stop the meter and keep what it has logged.

    Raises:
        ReadingError: Too little to keep.
    """
    seconds, amps = screen.samples
    if seconds.size < 3:
        raise ReadingError("nothing logged yet: wait a second", field="log")
    row = screen.row
    row.found = f"{seconds.size:,} samples at 2 a second"
    row.samples = pack(seconds, amps)
    if row.dropped_seconds is not None and row.dropped_seconds > float(seconds[-1]):
        row.dropped_seconds = None
    row.recording_since = None


def started_at(screen: LogScreen) -> datetime:
    """Return when the log's clock began."""
    seconds, _ = screen.samples
    return screen.row.at - timedelta(seconds=float(seconds[-1]) if seconds.size else 0.0)
