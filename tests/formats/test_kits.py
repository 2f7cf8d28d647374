"""The shop's heat kits: CSV both ways, bad cells by line and column, and what one fills in on a nameplate."""

import io

import pytest
from flask.testing import FlaskClient

from plentar.core.errors import ReadingError
from plentar.core.unit.kit import Kit
from plentar.core.unit.patterns import PATTERNS
from plentar.demo.scenario import KITS
from plentar.formats.kits_csv import KITS as KIT_LABELS
from plentar.formats.plate_form import plate_form_of, plate_form_read
from tests.application import ShopOf

HEADER = "model,kilowatts_240,kilowatts_208,strips,minimum_circuit_amps,maximum_device_amps\n"


def test_kits_go_out_and_come_back_the_same() -> None:
    """CSV and JSON: every figure, an unknown one stays unknown, nothing a spreadsheet takes for a formula."""
    odd = Kit(model="=K-9", kilowatts_240=9.6, strips=3)
    whole = [*KITS, odd]
    assert KIT_LABELS.read(KIT_LABELS.write(whole)) == whole
    assert [KIT_LABELS.from_json(KIT_LABELS.to_json(kit)) for kit in whole] == whole
    assert "'=K-9" in KIT_LABELS.write(whole)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "expected a header with model"),
        ("a,b\n1,2\n", "expected a header with model"),
        (HEADER, "no kits in this file"),
        (HEADER + "VK-5,five,,1,,\n", "line 2, kilowatts_240: expected a number"),
        (HEADER + "VK-5,5,,0,,\n", "line 2, limits: expected 1 to 6 heating circuits, got 0"),
        (HEADER + "VK-5,5,6,1,,\n", "line 2, kilowatts_208: expected more than 0 and no more than at 240 V"),
        (HEADER + "VK-5,5,,1,5580,\n", "line 2, minimum_circuit_amps: expected above 0 and up to 300 A"),
        (HEADER + ",5,,1,,\n", "line 2, model"),
        (HEADER + "VK-5,5,,1.5,,\n", "line 2, strips"),
    ],
)
def test_a_bad_table_is_told_by_line_and_column(text: str, told: str) -> None:
    """Nothing of it is kept."""
    with pytest.raises(ReadingError) as caught:
        KIT_LABELS.read(text)
    assert str(caught.value.message).startswith(told)


def test_a_kit_fills_its_own_fields_and_nothing_else() -> None:
    """Three strips of 5 kW at 240 V on a plate that had two of 4.8; its label gives no MCA, so that is unknown now."""
    plate = PATTERNS["two-strip-sequencer"]()
    before = plate_form_of(plate).texts | {"minimum_circuit_amps": "60", "circuits[0].rated_watts": "4.8", "tons": "3"}
    kit = Kit(model="K", kilowatts_240=15.0, strips=3, maximum_device_amps=90.0)
    form = plate_form_read(before, "kit", kit)
    assert form.problems == {}
    assert form.plate is not None
    assert [circuit.rated_watts for circuit in form.plate.circuits] == [5000.0] * 3
    assert {circuit.rated_volts for circuit in form.plate.circuits} == {240.0}
    assert (form.text("minimum_circuit_amps"), form.text("maximum_device_amps")) == ("", "90")
    own = ("circuits", "devices", "minimum_circuit", "maximum_device")
    kept = {path: text for path, text in before.items() if not path.startswith(own)}
    assert {path: form.text(path) for path in kept} == kept
    assert plate_form_read(before, "kit", None).problem("kit") == "choose a heat kit first"


def test_kits_are_taken_in_and_stand_on_the_nameplate(lead: FlaskClient, shop: ShopOf) -> None:
    """A CSV of the shop's own: listed, offered on the plate; a bad one is told beside its file."""
    bad = lead.post("/kits", data={"file": (io.BytesIO(b"a,b\n1,2\n"), "kits.csv")})
    assert bad.status_code == 422
    assert "expected a header with model" in bad.text
    good = HEADER + "ZZ-10,10,7.5,2,55.8,60\n"
    assert lead.post("/kits", data={"file": (io.BytesIO(good.encode()), "kits.csv")}).status_code == 302
    assert "ZZ-10" in lead.get("/parts").text
    assert lead.get("/kits.csv").text.splitlines()[1] == "ZZ-10,10,7.5,2,55.8,60"
    page = lead.get(f"/units/{shop.unit_id}/nameplate").text
    assert 'value="ZZ-10"' in page
