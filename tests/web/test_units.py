"""Units a person reads: °C and mm² on that person's pages, what is typed there, and papers that stay as they are."""

from collections.abc import Callable
from uuid import uuid4

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import Engine, text

from plentar.core.errors import ReadingError
from plentar.core.limits.verdicts import Band, Grade, Verdict
from plentar.formats.numbers import degf_typed, parse_number
from plentar.screen.event_lines import in_display
from plentar.web.call_layout.air import air_drafts
from plentar.words import ENGLISH
from plentar.words.figures import PLAIN, DisplayUnits, chosen, shown_in
from tests.application import ShopOf, flat, sign_in

CELSIUS = DisplayUnits(is_celsius=True)


@pytest.fixture
def reader(app: Flask, make_shop: Callable[..., ShopOf]) -> tuple[FlaskClient, ShopOf]:
    shop = make_shop()
    client = sign_in(app, shop)
    assert client.post("/you/units", data={"degrees": "C", "wire": "area"}).status_code == 302
    return client, shop


def weather_of(engine: Engine, shop: ShopOf) -> tuple[float, float]:
    with engine.connect() as connection:
        row = connection.execute(
            text("select outdoor_degf, indoor_degf from call where id = :i"), {"i": shop.call_id}
        ).one()
    return row.outdoor_degf, row.indoor_degf


def test_what_is_typed_in_celsius_is_kept_in_fahrenheit_and_read_in_celsius(
    engine: Engine, reader: tuple[FlaskClient, ShopOf]
) -> None:
    """-5 °C is 23 °F by hand, and 20 °C is 68 °F; an input that is sent again unread changes neither."""
    client, shop = reader
    address = f"/calls/{shop.call_id}/heat-pump/weather"
    sent = {"item_id": str(uuid4()), "outdoor": "-5", "indoor": "20", "degrees": "°C"}
    assert client.post(address, data=sent).status_code in (200, 302)
    assert weather_of(engine, shop) == pytest.approx((23.0, 68.0))
    page = flat(client.get(f"/calls/{shop.call_id}?panel=complaint").text)
    assert "-5 °C" in page
    assert "23 °F" in page, "the input spells what is kept with its own unit"
    client.post(address, data=sent | {"item_id": str(uuid4()), "outdoor": "23 °F", "indoor": "68 °F"})
    assert weather_of(engine, shop) == pytest.approx((23.0, 68.0))


def test_a_paper_reads_the_same_whoever_made_it(reader: tuple[FlaskClient, ShopOf]) -> None:
    """The report says °F to its reader, whatever its maker chose for their own pages; the next page is theirs again."""
    client, shop = reader
    sent = {"item_id": str(uuid4()), "outdoor": "-5", "indoor": "20", "degrees": "°C"}
    client.post(f"/calls/{shop.call_id}/heat-pump/weather", data=sent)
    paper = flat(client.get(f"/calls/{shop.call_id}/report").text)
    assert "23 °F" in paper
    assert "°C" not in paper
    assert "-5 °C" in flat(client.get(f"/calls/{shop.call_id}?panel=complaint").text)


def test_another_person_reads_fahrenheit_on_the_same_server(
    app: Flask, make_shop: Callable[..., ShopOf], reader: tuple[FlaskClient, ShopOf]
) -> None:
    """A request begins with its own person's units, not with those of the request before it."""
    reader[0].get("/you")
    other = make_shop()
    page = flat(sign_in(app, other).get(f"/calls/{other.call_id}?panel=air").text)
    assert 'Return <span class="text-soft">°F' in page


def test_air_typed_in_celsius_is_the_same_air() -> None:
    """-3 °C is 26.6 °F; what was typed stays as it was, with the unit of its input behind it."""
    form = {"air_id": str(uuid4()), "return_degf": "-3", "supply_degf": "70 °F", "degrees": "°C", "filter": "clean"}
    typed = [str(draft.payload["typed"]) for draft in air_drafts(form) if draft.kind == "reading"]
    assert typed == ["-3 °C", "70 °F"]
    assert [parse_number(text, "degf") for text in typed] == pytest.approx([26.6, 70.0])
    with pytest.raises(ReadingError, match=r"got 266 °F"):
        air_drafts(form | {"supply_degf": "130"})


@pytest.mark.parametrize(
    ("typed", "sign", "kept"),
    [
        ("32", "°F", 32.0),
        ("0", "°C", 32.0),
        ("0 °C", "°F", 32.0),
        ("32 °F", "°C", 32.0),
        ("−40", "°C", -40.0),
        ("5 f", None, 5.0),
    ],
)
def test_a_unit_behind_the_number_counts_before_the_inputs(typed: str, sign: str | None, kept: float) -> None:
    """Nought Celsius is 32 °F; at −40 both scales meet."""
    assert degf_typed(typed, "outdoor", sign) == pytest.approx(kept)


def test_what_no_thermometer_shows_is_refused_in_the_readers_degrees() -> None:
    """200 °C outdoors is a slip, and the message speaks of °C."""
    with shown_in(CELSIUS), pytest.raises(ReadingError, match=r"°C, got 200 °C"):
        degf_typed("200", "outdoor", "°C")
    assert chosen() == PLAIN


def test_a_rise_is_a_difference_and_keeps_its_verdict() -> None:
    """45 °F of rise is 25 °C of rise, not 7 °C; the band moves with it, the verdict stays."""
    band = Band(marginal_low=18.0, pass_low=27.0, pass_high=54.0, marginal_high=72.0, source="default")
    verdict = Verdict(grade=Grade.PASS, value=45.0, uncertainty=1.8, unit="°F", band=band, expected=36.0)
    assert in_display(verdict) is verdict
    with shown_in(CELSIUS):
        told = in_display(verdict)
    assert (told.value, told.uncertainty, told.expected, told.unit) == (25.0, 1.0, 20.0, "°C")
    assert told.band is not None
    assert (told.band.pass_low, told.band.marginal_high) == (15.0, 40.0)
    assert told.grade is Grade.PASS


def test_no_sentence_of_the_catalogue_says_a_degree_by_itself() -> None:
    """A sentence that spelled °F out would say it to whoever chose °C."""
    for name, template in ENGLISH.templates.items():
        assert "°F" not in str(template), name
