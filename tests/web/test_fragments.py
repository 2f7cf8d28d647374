"""A visit's fragments drawn without a server come out as those the server sends."""

import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from flask import Flask, template_rendered
from flask.testing import FlaskClient
from jinja2 import Template

from plentar.screen.fragments import environment
from tests.application import ShopOf

HTMX = {"HX-Request": "true"}
OF_A_SERVER = ("request", "session", "g", "config", "url_for", "csrf_token", "get_flashed_messages", "asset")
PLACES = (
    "?point=amps:strip-a", "?panel=complaint", "?panel=nameplate", "?panel=safe", "?panel=look", "?panel=air",
    "?panel=hand-over", "/timing", "/blower", "/control", "/fix", "/fix/prove",
)  # fmt: skip


@contextmanager
def drawn(app: Flask) -> Iterator[list[tuple[str, dict[str, Any]]]]:
    """What is drawn meanwhile: each template with what it shows."""
    seen: list[tuple[str, dict[str, Any]]] = []

    def note(_: Flask, template: Template, context: dict[str, Any], **__: object) -> None:
        seen.append((template.name or "", dict(context)))

    with template_rendered.connected_to(note, app):
        yield seen


def plain(body: str) -> str:
    """A fragment without what is new at every drawing."""
    body = re.sub(r'(name="csrf_token"\s+value=)"[^"]*"', r"\1", body)
    body = re.sub(r'name="safe-[^"]*"', "", body)
    return re.sub(r'(name="\w+_id"\s+value=)"[0-9a-f-]{36}"', r"\1", body)


@pytest.mark.parametrize("place", PLACES)
def test_each_step_is_drawn_without_a_server_as_the_server_draws_it(
    app: Flask, client: FlaskClient, shop: ShopOf, place: str
) -> None:
    """No Flask in the environment: addresses and token are handed in, and the bytes are the same."""
    client.post(f"{shop.url}/condition", data={"switch": "W=on"})
    client.get(f"{shop.url}/report")
    with drawn(app) as seen:
        body = client.get(shop.url + place, headers=HTMX).text
    name, context = next(entry for entry in seen if entry[0] == "call/_changed.html")
    addresses = app.url_map.bind("localhost")
    alone = environment(url_for=lambda endpoint, **values: addresses.build(endpoint, values), csrf_token=lambda: "")
    shown = {key: value for key, value in context.items() if key not in OF_A_SERVER}
    with app.test_request_context():  # the steps' own addresses are still asked of the room
        mine = alone.get_template(name).render(shown)
    assert plain(mine) == plain(body)
