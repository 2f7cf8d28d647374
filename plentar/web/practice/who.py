"""Who practises: the signed-in person's own learner, or somebody of a class who came by its code."""

from collections.abc import Callable, Iterator
from functools import wraps
from typing import ParamSpec

from flask import abort, g, session, url_for
from flask.typing import ResponseReturnValue

from plentar.store import practice
from plentar.store.practice_models import Learner
from plentar.web.serving.access import login_required, now

__all__ = ["CLASS_KEY", "back_url", "candidates", "in_class", "learner", "learner_required", "zone"]

P = ParamSpec("P")
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


def learner_required(view: Callable[P, ResponseReturnValue]) -> Callable[P, ResponseReturnValue]:
    """Let signed-in people through, and learners of an open class; others are sent to the sign-in."""
    for_people = login_required(view)

    @wraps(for_people)
    def guarded(*args: P.args, **kwargs: P.kwargs) -> ResponseReturnValue:
        return (for_people if in_class() is None else view)(*args, **kwargs)

    return guarded


def back_url() -> str:
    """Return where a learner comes from: the ladder, or the class's calls."""
    who = learner()
    row = practice.class_of(g.db, shop_id=who.shop_id, class_id=who.class_id) if who.class_id is not None else None
    return url_for("practice.join_page", code=row.code) if row is not None else url_for("practice.page")


def zone() -> str:
    """Return the time zone moments are shown in."""
    return g.person.shop.time_zone if g.person is not None else "UTC"
