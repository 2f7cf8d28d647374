"""The unit's table in the database: fetched by whoever needs a row, filled behind by one thread a worker."""

import logging
import threading
from collections import deque
from datetime import timedelta

from flask import g, has_request_context
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from plentar.core.causes.keeping import drives_of_table, packed_row
from plentar.core.causes.table import VERSION, drive_key
from plentar.core.causes.table import circuit_key as key_of
from plentar.core.causes.table_store import look_anew
from plentar.core.circuit.drive import Drive
from plentar.core.unit.nameplate import Nameplate
from plentar.store import unit_tables
from plentar.web.serving.access import now

__all__ = ["KeptTables"]

# Rows of a version that no server runs any more: longer than the longest upgrade, shorter than anybody notices them.
OLD_VERSION = timedelta(days=7)
# A unit is met once a season: what was kept for one that is gone does not stay for years.
OLD = timedelta(days=200)
# At most this many circuits wait to be solved: more than a day of calls meets.
MOST_WAITING = 400
# Who reads has the processor first: between two rows the thread that fills waits this long.
BREATH_SECONDS = 0.2


class KeptTables:
    """The store of `core.causes.hypotheses`, over this process's database connections."""

    def __init__(self, sessions: sessionmaker[Session], *, in_background: bool = True) -> None:
        self.sessions, self.in_background = sessions, in_background
        self._waiting: deque[tuple[Nameplate, Drive]] = deque()
        self._known: set[tuple[str, str]] = set()
        self._lock = threading.Lock()
        self._has_work = threading.Event()
        self._thread: threading.Thread | None = None

    def fetch(self, circuit: str) -> dict[str, bytes]:
        """Return the rows kept of a circuit, by the connection of the request where there is one."""
        if has_request_context() and g.get("db") is not None:
            return unit_tables.get_rows(g.db, version=VERSION, circuit=circuit)
        with self.sessions() as db:
            return unit_tables.get_rows(db, version=VERSION, circuit=circuit)

    def missed(self, circuit: Nameplate, drive: Drive) -> None:
        """Note what is to be filled: this drive first, then the others that a call is read under."""
        with self._lock:
            for wanted in (drive, *drives_of_table(circuit)):
                name = (key_of(circuit), drive_key(wanted))
                if name not in self._known and len(self._waiting) < MOST_WAITING:
                    self._known.add(name)
                    self._waiting.append((circuit, wanted))
            if self.in_background and self._thread is None:
                # Begun where it is first needed: a thread does not live through the fork of a worker.
                self._thread = threading.Thread(target=self._run, daemon=True, name="fill unit tables")
                self._thread.start()
        self._has_work.set()

    @property
    def waiting(self) -> int:
        """How many rows are still to be filled."""
        return len(self._waiting)

    def fill_one(self) -> bool:
        """Solve and keep the row that waits longest; tell whether there was one.

        Raises:
            SQLAlchemyError: It could not be kept; the next miss asks for it again.
        """
        with self._lock:
            if not self._waiting:
                return False
            circuit, drive = self._waiting.popleft()
        packed, moment = packed_row(circuit, drive), now()
        names = key_of(circuit), drive_key(drive)
        try:
            with self.sessions.begin() as db:
                unit_tables.put_row(
                    db, version=VERSION, packed=packed, made_at=moment, circuit=names[0], drive=names[1]
                )
                if not self._waiting:
                    ages = {"others_before": moment - OLD_VERSION, "all_before": moment - OLD}
                    unit_tables.drop_old_rows(db, version=VERSION, **ages)
        except SQLAlchemyError:
            with self._lock:
                self._known.discard(names)
            raise
        look_anew(names[0], drive)
        return True

    def _run(self) -> None:
        while True:
            self._has_work.wait()
            self._has_work.clear()
            try:
                while self.fill_one():
                    self._has_work.wait(BREATH_SECONDS)
            except SQLAlchemyError as error:
                # Kept or not, every answer is the same: the next miss tries again.
                logging.getLogger(__name__).warning("no row kept: %s", type(error).__name__)
