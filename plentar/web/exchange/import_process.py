"""An import in a process of its own, with a limit on its memory: whatever a file holds, the server goes on answering.

    python -m plentar.web.exchange.import_process < JOB

The job comes as JSON on standard input, with the database's URL in it, so that no password stands in the process list;
what became of it goes as JSON to standard output.
"""

import json
import resource
import subprocess
import sys
from collections.abc import Mapping
from datetime import datetime
from pathlib import Path
from typing import Any
from uuid import UUID

from plentar.core.errors import BusyError, ReadingError
from plentar.formats.alone import alone
from plentar.formats.bundle import WEB_BOUNDS
from plentar.store.shop_rows import ConflictsError, Problem

__all__ = ["import_apart"]

# Three times what the largest file of the web needs; address space, of which a third is libraries.
MOST_BYTES = 1 << 30
# A file of 64 MB takes two to three minutes.
MOST_SECONDS = 900
TOO_LARGE = "it needs more memory than an import may use"


def import_apart(url: str, *, shop_id: UUID, person_id: UUID, path: Path, name: str, now: datetime) -> dict[str, int]:
    """Import a file that came through the web; return how many rows of each kind were new.

    Raises:
        ReadingError: It was refused whole; `problems` of a `ConflictsError` list the first hundred.
        BusyError: Another import is going on.
    """
    job = {
        "url": url,
        "shop": str(shop_id),
        "person": str(person_id),
        "path": str(path),
        "name": name,
        "now": now.isoformat(),
    }
    with alone("imports", wait_seconds=0.0, field="file"):
        try:
            done = subprocess.run(
                [sys.executable, "-m", "plentar.web.exchange.import_process"],
                input=json.dumps(job).encode(),
                capture_output=True,
                check=False,
                timeout=MOST_SECONDS,
            )
        except subprocess.TimeoutExpired as error:
            raise ReadingError("it took too long. Import it with `plentar import`", field="file") from error
    try:
        answer: Mapping[str, Any] = json.loads(done.stdout)
    except ValueError as error:
        # Ended by its limit, or by the system for want of memory.
        raise ReadingError(TOO_LARGE, field="file") from error
    if "problems" in answer:
        raise ConflictsError([Problem(*problem) for problem in answer["problems"]])
    if "busy" in answer:
        raise BusyError(answer["busy"])
    if "why" in answer:
        raise ReadingError(answer["why"], field="file")
    return dict(answer["taken"])


def _answer(job: Mapping[str, Any]) -> dict[str, Any]:
    from sqlalchemy.exc import SQLAlchemyError

    from plentar.core.errors import PlentarError
    from plentar.store.database import make_engine, make_sessions
    from plentar.store.models import Person, Shop
    from plentar.web.exchange.export_file import import_shop
    from plentar.words import render

    engine = make_engine(job["url"], threads=1)
    try:
        with make_sessions(engine).begin() as db:
            shop_id = UUID(job["shop"])
            person = db.get_one(Person, (shop_id, UUID(job["person"])))
            taken = import_shop(
                db,
                db.get_one(Shop, shop_id),
                Path(job["path"]),
                datetime.fromisoformat(job["now"]),
                name=job["name"],
                person=person,
                bounds=WEB_BOUNDS,
            )
        return {"taken": taken}
    except ConflictsError as error:
        return {"problems": [[p.file, p.line, p.field, p.words] for p in error.problems]}
    except PlentarError as error:
        return {"why": render(error.message)}
    except MemoryError:
        return {"why": TOO_LARGE}
    except SQLAlchemyError:
        return {"busy": "the database did not answer. Import it again in a moment"}
    finally:
        engine.dispose()


def _main() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (MOST_BYTES, MOST_BYTES))
    sys.stdout.write(json.dumps(_answer(json.loads(sys.stdin.read()))))


if __name__ == "__main__":
    _main()
