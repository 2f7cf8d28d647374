"""The bench's calculators: what cannot be is told beside its field and keeps its text; a stranger's call is none."""

from collections.abc import Callable
from urllib.parse import parse_qsl

import pytest
from flask.testing import FlaskClient

from tests.application import ShopOf, flat, problems


@pytest.mark.parametrize(
    ("page", "query", "field"),
    [
        ("feed", "kw=5+x", "kw"),
        ("feed", "kw=5,5", "kw"),
        ("feed", "kw=" + "+".join("5" * 9), "kw"),
        ("feed", "volts=0", "volts"),
        ("feed", "metal=aluminium&size=14", "size"),
        ("feed", "size=5", "size"),
        ("feed", "feet=0", "feet"),
        ("feed", "ambient=500", "ambient"),
        ("feed", "carrying=2.5", "carrying"),
        ("feed", "breaker=47", "breaker"),
        ("feed", "lug_from=2&lug_to=14", "lug_to"),
        ("heat-pump", "outdoor=", "outdoor"),
        ("heat-pump", "outdoor=500", "outdoor"),
        ("heat-pump", "indoor=warm", "indoor"),
        ("heat-pump", "low=30000", "low"),
        ("heat-pump", "tons=400", "tons"),
        ("heat-pump", "steady=24000", "steady_hours"),
    ],
)
def test_what_cannot_be_is_told_beside_its_field(client: FlaskClient, page: str, query: str, field: str) -> None:
    """A 422 with the message at the input's id; everything typed stays."""
    answer = client.get(f"/bench/{page}?{query}")
    assert answer.status_code == 422
    body = flat(answer.text)
    assert field in problems(body)
    typed = dict(parse_qsl(query)).get(field, "")
    assert f'name="{field}" value="{typed}"' in body or f'value="{typed}" selected' in body or not typed
    svg = client.get(f"/bench/{page}.svg?{query}")
    assert svg.status_code in (200, 404)


def test_a_calculator_opens_with_what_a_call_knows_and_leads_back(client: FlaskClient, shop: ShopOf) -> None:
    """Strips, blower and breaker of the unit; what is no call of anybody leads nowhere."""
    answer = client.get(f"/bench/feed/calls/{shop.url.rpartition('/')[2]}", follow_redirects=True)
    assert answer.status_code == 200
    assert 'name="kw" value="5 5"' in answer.text
    assert f"{shop.url}/" in answer.text
    assert "/calls/../" not in client.get("/bench/feed?call_id=../../x").text
    assert client.get("/bench/heat-pump/calls/00000000-0000-0000-0000-000000000007").status_code == 404


def test_another_shops_feeds_are_not_found(client: FlaskClient, make_shop: Callable[..., ShopOf]) -> None:
    """Steps, drawings and the measure of a stranger's call."""
    other = make_shop("six-strip-chained")
    for path in ("/circuit", "/heat-pump", "/circuit.svg", "/heat-pump.svg"):
        assert client.get(other.url + path).status_code == 404
    for path in ("/circuit/interim", "/heat-pump/weather"):
        assert client.post(other.url + path, data={"feed": "feed-1", "outdoor": "3"}).status_code in (404, 422)
    drawing = client.get("/bench/feed.svg?kw=5+5").text
    assert drawing.startswith("<svg")
    assert "Feed 1, breaker" in drawing


def test_no_larger_device_is_a_measure(client: FlaskClient, shop: ShopOf) -> None:
    """What is sent over the one write path is held against what is there: no stage, no such feed, a larger breaker."""
    usual: dict[str, object] = {"how": "x", "tag": "y", "due_on": "2030-01-01"}
    wrong: list[tuple[dict[str, object], str]] = [
        ({"feed": "feed-1", "device_amps": 70.0}, "device_amps"),
        ({"feed": "feed-1", "device_amps": 47.0}, "device_amps"),
        ({"feed": "feed-9"}, "feed"),
        ({"circuit": "strip-z"}, "circuit"),
        ({}, "circuit"),
    ]
    for number, (payload, field) in enumerate(wrong):
        event = {"id": f"7c8c6f1e-1111-4222-8333-{number:012d}", "kind": "temporary", "payload": {**usual, **payload}}
        answer = client.post(f"{shop.url}/events", json={"events": [event]}).get_json()
        told = next(iter(answer.values()))[0]
        assert "refused" in told.values(), (payload, told)
        assert told["field"].endswith(field)
