"""Both sides of every edge of the limits, the page they are printed on, and that every figure is used."""

import math
import subprocess
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import psychrolib
import pytest
from hypothesis import given
from hypothesis import strategies as st

from plentar.core.errors import ReadingError
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.air import air_factor
from plentar.core.judging.situation import Situation
from plentar.core.judging.timing import judge_off, judge_on, stages_of
from plentar.core.judging.verdict import judge
from plentar.core.limits.table import DEFAULT_LIMITS, LIMITS, Limits, coil_limit
from plentar.core.limits.verdicts import Grade, Verdict, grade
from plentar.core.limits.windows import closing, opening
from plentar.core.unit.kinds import KINDS
from plentar.core.unit.nameplate import Nameplate, Window
from plentar.core.unit.patterns import PATTERNS
from plentar.formats.limits_page import limits_page

ROOT = Path(__file__).parents[2]
BANDS = sorted(name for name, row in LIMITS.items() if row.is_band)
TWO = PATTERNS["two-strip-sequencer"]()
HEAT = Condition(
    feeds=(("feed-1", "live"),), calls=(("W", 900.0), ("W2", 900.0), ("G", 900.0)), seconds_since_change=900.0
)
DEAD = Condition(feeds=(("feed-1", "proven dead"),), control="proven dead", seconds_since_change=900.0)
IDLE = Condition(feeds=(("feed-1", "live"),), seconds_since_change=900.0)


@pytest.mark.parametrize("name", BANDS)
def test_a_band_passes_inside_warns_between_and_fails_outside(name: str) -> None:
    """A millionth either side of each of the four edges."""
    band = DEFAULT_LIMITS.band(name)
    edges = [
        (band.marginal_low, Grade.FAIL, Grade.MARGINAL),
        (band.pass_low, Grade.MARGINAL, Grade.PASS),
        (band.pass_high, Grade.PASS, Grade.MARGINAL),
        (band.marginal_high, Grade.MARGINAL, Grade.FAIL),
    ]
    for edge, below, above in edges:
        if math.isfinite(edge) and edge:
            step = abs(edge) * 1e-6
            assert (grade(edge - step, 0.0, band), grade(edge + step, 0.0, band)) == (below, above), edge


def one(point: str, condition: Condition, plate: Nameplate = TWO, **others: float) -> Callable[[float], Verdict]:
    """Judge a value at a point beside readings that stand, which `others` names by their point without punctuation."""
    stand = [
        Reading(point=name, value=value, condition=condition)
        for name, value in (("volts:feed-1.l1:feed-1.l2", others.get("volts")), ("amps:strip-a", others.get("strip")))
        if value is not None
    ]

    def verdict(value: float) -> Verdict:
        reading = Reading(point=point, value=value, condition=condition)
        return judge(Situation(plate=plate, readings=(*stand, reading)), reading)

    return verdict


CONTACT = "volts:seq-a.pole-1.line:seq-a.pole-1.load"
WYE = PATTERNS["wye-contactor"]()
# Which verdict a figure ends in: the limit, a way to judge a value, and what one of the limit's units is there.
JUDGED: dict[str, tuple[Callable[[float], Verdict], float]] = {
    "supply_240_volts": (one("volts:feed-1.l1:feed-1.l2", HEAT), 1.0),
    "supply_208_volts": (one("volts:feed-1.l1:feed-1.l2", HEAT, WYE), 1.0),
    "element_amps_ratio": (one("amps:strip-a", HEAT, volts=240.0), 240.0 / TWO.circuits[0].element_ohms),
    "element_ohms_ratio": (one("ohms:strip-a.element", DEAD), TWO.circuits[0].element_ohms),
    "control_volts": (one("volts:seq-a.coil.1:seq-a.coil.2", HEAT), 1.0),
    "closed_contact_volts": (one(CONTACT, HEAT, volts=240.0, strip=20.8), 1.0),
    "closed_contact_ohms": (one(CONTACT, HEAT, volts=240.0, strip=5.0), 5.0),
    "capacitor_ratio": (one("microfarads:blower.capacitor", DEAD), TWO.blower.capacitor_microfarads or 0.0),
}


@pytest.mark.parametrize("name", sorted(JUDGED))
def test_the_verdict_turns_at_the_tables_edges(name: str) -> None:
    """Through the whole way from a reading to its verdict."""
    judged, unit = JUDGED[name]
    band = DEFAULT_LIMITS.band(name)
    for edge, low, high in (
        (band.marginal_low, {Grade.FAIL}, {Grade.MARGINAL}),
        (band.pass_low, {Grade.MARGINAL}, {Grade.PASS}),
        (band.pass_high, {Grade.PASS}, {Grade.MARGINAL}),
        (band.marginal_high, {Grade.MARGINAL}, {Grade.FAIL}),
    ):
        if math.isfinite(edge):
            below, above = judged(edge * unit * (1 - 1e-6)), judged(edge * unit * (1 + 1e-6))
            assert ({below.grade}, {above.grade}) == (low, high), (edge, below.spoken, above.spoken)


@pytest.mark.parametrize(
    ("value", "half", "expected", "kind"),
    [
        pytest.param(7.5, 0.449, Grade.PASS, "", id="half the band is enough in its middle"),
        pytest.param(7.5, 0.451, Grade.NOT_PROVEN, "meter too coarse", id="a hair more is not"),
        pytest.param(7.4, 0.56, Grade.NOT_PROVEN, "meter too coarse", id="a sound one, beside its label"),
        pytest.param(7.4, 0.449, Grade.MARGINAL, "weak", id="a finer meter could tell: it lies near an edge"),
        pytest.param(6.9, 0.56, Grade.MARGINAL, "weak", id="outside the band the part is in doubt, not the meter"),
        pytest.param(6.0, 0.56, Grade.FAIL, "weak", id="far outside any meter tells"),
    ],
)
def test_a_meter_wider_than_the_band_is_told_apart_from_a_part_in_doubt(
    value: float, half: float, expected: Grade, kind: str
) -> None:
    """A run capacitor of 7.5 µF passes within 6 %, which is 0.45 µF either way; a house meter's doubt is 0.56."""
    plate = replace(TWO, blower=replace(TWO.blower, capacitor_microfarads=7.5))
    reading = Reading(point="microfarads:blower.capacitor", value=value, condition=DEAD, meter_uncertainty=half)
    found = judge(Situation(plate=plate, readings=(reading,)), reading)
    assert (found.grade, found.kind) == (expected, kind)


def spoken(judged: Callable[[float], Verdict], value: float) -> tuple[str, str]:
    """What is said just below and just above a value."""
    return judged(value * (1 - 1e-6)).kind, judged(value * (1 + 1e-6)).kind


@pytest.mark.parametrize(
    ("name", "judged", "unit", "kinds"),
    [
        pytest.param(
            "dead_below_amps", one("amps:strip-a", HEAT, volts=240.0), 1.0, ("dead", "low current"), id="dead"
        ),
        pytest.param(
            "half_dead_from_ratio",
            JUDGED["element_amps_ratio"][0],
            JUDGED["element_amps_ratio"][1],
            ("low current", "half dead"),
            id="half from",
        ),
        pytest.param(
            "half_dead_to_ratio",
            JUDGED["element_amps_ratio"][0],
            JUDGED["element_amps_ratio"][1],
            ("half dead", "low current"),
            id="half to",
        ),
        pytest.param(
            "dead_volts", one("volts:feed-1.l1:feed-1.l2", DEAD), 1.0, ("dead", "still live"), id="dead volts"
        ),
        pytest.param("open_contact_ratio", one(CONTACT, HEAT, volts=240.0), 240.0, ("", "open"), id="open contact"),
        pytest.param("blower_idle_amps", one("amps:blower", HEAT, volts=240.0), 1.0, ("", ""), id="blower"),
        pytest.param("open_ohms", one("ohms:seq-a.pole-1", DEAD), 1.0, ("high resistance", "open"), id="open ohms"),
    ],
)
def test_single_figures_turn_what_is_said(
    name: str, judged: Callable[[float], Verdict], unit: float, kinds: tuple[str, str]
) -> None:
    """A figure that is no band still has two sides."""
    found = spoken(judged, LIMITS[name].figures[0] * unit)
    assert found[0] != found[1], found
    for expected, said in zip(kinds, found, strict=True):
        assert expected in said


@pytest.mark.parametrize("side", ["on", "off"])
@pytest.mark.parametrize("is_printed", [False, True])
def test_a_pole_is_late_and_never_at_the_tables_seconds(side: str, is_printed: bool) -> None:
    """The same figures judge the stopwatch, whether the window is printed or not."""
    plate = TWO
    window = Window(min_seconds=20.0, max_seconds=60.0) if is_printed else None
    poles = tuple(replace(p, on_window=window, off_window=window) for p in plate.devices[0].poles)
    plate = replace(plate, devices=(replace(plate.devices[0], poles=poles), *plate.devices[1:]))
    names = ("late_ratio", "never_ratio") if is_printed else (f"late_{side}_seconds", f"never_{side}_seconds")
    unit = 60.0 if is_printed else 1.0
    late, never = (LIMITS[name].figures[0] * unit for name in names)
    usual = 60.0 if is_printed else LIMITS[f"{side}_seconds"].figures[0]
    patience = (closing if side == "on" else opening)(plate, plate.devices[0].id, plate.devices[0].poles[0])
    assert (patience.max_seconds, patience.late_seconds, patience.never_seconds) == (usual, late, never)
    stage = next(stage for stage in stages_of(plate) if stage.id == "strip-a")

    def judged(seconds: float) -> Verdict:
        return judge_on(stage, seconds, 900.0) if side == "on" else judge_off(stage, seconds, 900.0, 900.0)

    for edge, below, above in ((usual, Grade.PASS, Grade.MARGINAL), (late, Grade.MARGINAL, Grade.FAIL)):
        found = [judged(edge * share).grade for share in (1 - 1e-6, 1 + 1e-6)]
        assert found == [below, above], edge


def test_every_figure_is_asked_for_by_name() -> None:
    """A limit nobody reads would be a promise in the documents only."""
    code = "\n".join(
        path.read_text() for path in (ROOT / "plentar").rglob("*.py") if path.name != "table.py" and path.is_file()
    )
    built = {"supply_240_volts", "supply_208_volts", *map(coil_limit, KINDS.values())} | {
        f"{w}_{s}_seconds" for w in ("late", "never") for s in ("on", "off")
    }
    assert [name for name in LIMITS if f'"{name}"' not in code and name not in built] == []


def test_the_page_of_limits_is_the_table() -> None:
    """docs/limits.md is what `plentar limits` prints."""
    assert (ROOT / "docs/limits.md").read_text() == limits_page()


@pytest.mark.parametrize(
    ("name", "figures"),
    [
        ("no_such_limit", (1.0,)),
        ("dead_volts", (1.0, 2.0)),
        ("control_volts", (18.0, 17.0, 30.0, 32.0)),
        ("dead_volts", (math.nan,)),
    ],
)
def test_figures_a_shop_cannot_have(name: str, figures: tuple[float, ...]) -> None:
    """Refused with the limit's name as field."""
    with pytest.raises(ReadingError) as told:
        Limits(changed=((name, figures),))
    assert told.value.field == name


@given(feet=st.floats(-1000, 14000), degf=st.floats(0, 120))
def test_the_airs_weight_is_the_handbooks(feet: float, degf: float) -> None:
    """Our own formula against a library of moist-air properties, which the application itself does not carry."""
    psychrolib.SetUnitSystem(psychrolib.IP)
    pressure = psychrolib.GetStandardAtmPressure(feet)
    ratio = psychrolib.GetHumRatioFromRelHum(degf, 0.4, pressure)
    density = psychrolib.GetMoistAirDensity(degf, ratio, pressure)
    assert air_factor(feet, degf) == pytest.approx(1.08 * density / 0.075, rel=0.005)


BLOCKED = """
import sys
class Blocked:
    def find_spec(self, name, path=None, target=None):
        if name.partition(".")[0] in {"numpy", "psychrolib"}:
            raise ImportError(name + " is not on a phone")
sys.meta_path.insert(0, Blocked())
from plentar.core.evidence.reading import Condition, Reading
from plentar.core.judging.situation import Situation
from plentar.core.judging.verdict import judge
from plentar.core.unit.patterns import PATTERNS
from plentar.core.unit.points import test_points
import plentar.core.evidence.record, plentar.core.evidence.runs, plentar.core.visit, plentar.core.intake
import plentar.core.work.safety
plate = PATTERNS["four-strip-chained"]()
condition = Condition(feeds=(("feed-1", "live"), ("feed-2", "live")), calls=(("W", 900.0),), seconds_since_change=900.0)
for point in test_points(plate):
    reading = Reading(point=point.id, value=20.0, condition=condition)
    judge(Situation(plate=plate, readings=(reading,)), reading)
print("judged without them")
"""


def test_judging_needs_no_numpy() -> None:
    """Unit, evidence, limits, judging and work run where numpy and psychrolib cannot be had."""
    done = subprocess.run([sys.executable, "-c", BLOCKED], check=False, capture_output=True, text=True)
    assert done.stdout.strip() == "judged without them", done.stderr
