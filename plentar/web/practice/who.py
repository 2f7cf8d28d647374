"""Who practises: the signed-in person's own learner, or somebody of a class who came by its code."""

from collections.abc import Iterator

from flask import abort, g, session

from plentar.store import practice
from plentar.store.practice_models import Learner
from plentar.web.serving.access import now

__all__ = ["CLASS_KEY", "candidates", "in_class", "learner", "zone"]

# Where a class's learner's secret stands in the signed session cookie.
CLASS_KEY = "class"


def learner() -> Learner:
    """Return who asks; nobody at all is sent away."""
    known: Learner | None = g.get("learner")
    if known is None:
        known = next(candidates(), None)
    if known is None:
        abort(404)
    g.learner = known
    return known


def candidates() -> Iterator[Learner]:
    """Give whoever the browser may practise as: the signed-in person, and somebody of a class."""
    if g.person is not None:
        yield practice.learner_of(g.db, g.person, now())
    found = in_class()
    if found is not None:
        yield found


def in_class() -> Learner | None:
    """Return the learner of a class this browser came in as, while that class is open."""
    held = session.get(CLASS_KEY)
    return practice.learner_by_token(g.db, held) if isinstance(held, str) else None


def zone() -> str:
    """Return the time zone moments are shown in."""
    return g.person.shop.time_zone if g.person is not None else "UTC"
