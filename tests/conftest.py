"""Fixtures every test may ask for, and Hypothesis' one profile.

Whatever needs Flask or a database is loaded when it is asked for. See `tests/application` for what each gives.
"""

from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

import pytest
from cachetools import LRUCache
from hypothesis import HealthCheck, settings

if TYPE_CHECKING:
    from flask import Flask
    from flask.testing import FlaskClient
    from sqlalchemy import Engine
    from sqlalchemy.orm import Session

    from tests.application import ShopOf

# Machines are shared: how long an example takes says nothing of what it shows.
settings.register_profile("plentar", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("plentar")


# A server's caches hold the few units its people work on; the tests go through every unit there is.
ROOMIER = 8


@pytest.fixture(scope="session", autouse=True)
def roomy_caches() -> None:
    """Keep what was solved of a unit for the tests that come back to it."""
    from plentar.core.causes import hypotheses

    for cache in (hypotheses.MODELS, hypotheses.PAIRED, hypotheses.PREDICTED, hypotheses.VARIANTS, hypotheses.SOLVED):
        held = cache._cache
        cache._cache = LRUCache(maxsize=ROOMIER * held.maxsize, getsizeof=held.getsizeof)


@pytest.fixture(scope="session")
def database_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The throwaway database as the role that serves it."""
    from tests import application

    yield from application.database_url(tmp_path_factory)


@pytest.fixture(scope="session")
def engine(database_url: str) -> "Iterator[Engine]":
    """The owner's engine on a migrated database with the demo in it."""
    from tests import application

    yield from application.engine(database_url)


@pytest.fixture
def db(engine: "Engine") -> "Iterator[Session]":
    """A session whose work is undone at the end of the test."""
    from tests import application

    yield from application.db(engine)


@pytest.fixture(scope="session")
def app(engine: "Engine", database_url: str) -> "Iterator[Flask]":
    """The application as it is served, on the throwaway database."""
    from tests import application

    yield from application.app(engine, database_url)


@pytest.fixture
def make_shop(engine: "Engine") -> "Callable[..., ShopOf]":
    """Make a shop that stays, since the application reads it over its own connection."""
    from tests import application

    return application.make_shop(engine)


@pytest.fixture
def make_colleague(engine: "Engine") -> "Callable[[ShopOf], ShopOf]":
    """Make somebody else of a shop who stays, as the shop does."""
    from tests import application

    return application.make_colleague(engine)


@pytest.fixture
def shop(make_shop: "Callable[..., ShopOf]") -> "ShopOf":
    """One shop with a two-strip unit."""
    return make_shop()


@pytest.fixture
def client(app: "Flask", shop: "ShopOf") -> "FlaskClient":
    """A browser signed in as the shop's technician."""
    from tests import application

    return application.sign_in(app, shop)


@pytest.fixture
def lead(app: "Flask", shop: "ShopOf", engine: "Engine") -> "FlaskClient":
    """A browser signed in as the shop's one person, made a lead."""
    from tests import application

    return application.lead(app, shop, engine)


@pytest.fixture
def old_attempts_gone(engine: "Engine") -> None:
    """Clear the guesses of earlier tests, which share one network address."""
    from tests import application

    application.forget_attempts(engine)
