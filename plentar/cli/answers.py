"""Commands that answer from the core: what a unit should show, what a call says, what a log or a wire is worth."""

from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING

import click

from plentar.cli.base import calls_named, fail, read_json, read_unit, show
from plentar.cli.group import main
from plentar.core.errors import PlentarError, ReadingError
from plentar.core.evidence.reading import Condition
from plentar.core.message import Message
from plentar.formats.unit_json import nameplate_from_json, nameplate_schema
from plentar.words import render

if TYPE_CHECKING:
    from plentar.core.practice.policies import Policy


@main.command()
@click.argument("unit")
@click.option("--on", default="", help="Calls that are on, such as W,G.")
@click.option("--fault", "faults", multiple=True, help="Fault id; may be repeated.")
@click.option("--power", type=click.Choice(["live", "isolated"]), default="live")
def predict(unit: str, on: str, faults: tuple[str, ...], power: str) -> None:
    """Print what a meter reads everywhere on UNIT.json."""
    from plentar.core.causes.prediction import predict as run

    plate = read_unit(unit)
    try:
        whole = run(plate, calls_named(plate, on), faults, isolated=power == "isolated")
    except PlentarError as error:
        fail(unit, error)
    show(
        {
            "format": "plentar.prediction/1",
            "on": sorted(calls_named(plate, on)),
            "faults": list(faults),
            "power": power,
            **asdict(whole),
        }
    )


@main.command()
@click.argument("call")
def diagnose(call: str) -> None:
    """Print the causes behind the readings of CALL.json and the next best tests."""
    from plentar.core.causes.next_test import next_tests
    from plentar.formats.call_json import call_from_json, diagnosis_to_json, visit_of

    try:
        document = call_from_json(read_json(call))
    except PlentarError as error:
        fail(call, error)
    if document.unit_file is not None:
        plate = read_unit(str(Path(call).parent / document.unit_file))
    else:
        try:
            plate = nameplate_from_json(document.unit)
        except PlentarError as error:
            error.field = ".".join(part for part in ("unit", error.field) if part)
            fail(call, error)
    try:
        visit = visit_of(document, plate)
        found = visit.diagnosis
    except PlentarError as error:
        fail(call, error)
    if found is None:
        fail(call, ReadingError("expected at least one reading or observation", field="readings"))
    readings = visit.readings
    last = readings[-1].condition if readings else Condition()
    taken = [(r.point, r.condition.on) for r in visit.readings_now]
    tests = () if visit.stop else next_tests(found, last, taken=taken, school=document.school)
    show(diagnosis_to_json(found, tests, visit=visit))


@main.command()
@click.argument("unit")
def faults(unit: str) -> None:
    """List every fault UNIT.json can have."""
    from plentar.core.causes.faults import faults_of

    fields = ("id", "title", "part", "kind", "weight", "repair", "proof")
    found = [
        {name: render(value) if isinstance(value := getattr(fault, name), Message) else value for name in fields}
        for fault in faults_of(read_unit(unit))
    ]
    show({"format": "plentar.faults/1", "faults": found})


@main.command()
@click.argument("unit")
def sizing(unit: str) -> None:
    """Print each feed of UNIT.json against its breaker and wire by three schools, as JSON; check your local code."""
    from plentar.formats.sizing_json import sizing_to_json

    plate = read_unit(unit)
    try:
        show(sizing_to_json(plate))
    except PlentarError as error:
        fail(unit, error)


@main.command("heat-pump")
@click.argument("unit")
@click.option("--outdoor", type=float, required=True, help="Outdoors, °F.")
@click.option("--indoor", type=float, help="Indoor temperature now, °F; shows how long recovery takes.")
@click.option("--dead", multiple=True, help="A strip that does not work; may be repeated.")
@click.option("--emergency", is_flag=True, help="Strips only, heat pump off.")
def heat_pump(unit: str, outdoor: float, indoor: float | None, dead: tuple[str, ...], emergency: bool) -> None:
    """Hold the heat of UNIT.json against the weather: balance point, what the strips must carry, how long it takes."""
    from plentar.core.judging.weather import weather_of
    from plentar.formats.sizing_json import weather_to_json

    plate = read_unit(unit)
    try:
        for strip in dead:
            plate.circuit(strip)
        found = weather_of(plate, outdoor, indoor_degf=indoor, dead=dead, is_emergency=emergency)
        show(weather_to_json(found))
    except PlentarError as error:
        fail(unit, error)


@main.command()
@click.argument("unit")
@click.option("--on", default="", help="Calls that are on, such as W,G.")
@click.option("--fault", "fault_ids", multiple=True, help="Fault id; may be repeated.")
def netlist(unit: str, on: str, fault_ids: tuple[str, ...]) -> None:
    """Print the settled circuit of UNIT.json as a SPICE deck."""
    from plentar.core.causes.faults import changes_of
    from plentar.core.circuit.drive import Drive
    from plentar.formats.netlist import netlist as run

    plate = read_unit(unit)
    try:
        changes = changes_of(plate, fault_ids)
        title = f"{Path(unit).name}, on {on or 'nothing'}, {' and '.join(fault_ids) or 'healthy'}"
        click.echo(run(plate, Drive(calls=calls_named(plate, on)), changes, title), nl=False)
    except PlentarError as error:
        fail(unit, error)


@main.command()
@click.argument("log")
@click.option("--unit", "unit_path", required=True, help="The unit's file.")
@click.option(
    "--clamp", default="", help="What the clamp was around: a feed, a strip or blower. Default: the first feed."
)
@click.option("--volts", type=float, help="Supply volts found under load. Default: nominal.")
@click.option("--called", type=float, help="Time of the call for heat, in seconds on the log's clock.")
@click.option("--dropped", type=float, help="Time the call ended, in seconds on the log's clock.")
@click.option("--control", type=float, help="Control volts during the run.")
@click.option("--clocks-went-back", is_flag=True, help="The log contains one hour twice because the clocks went back.")
def stages(
    log: str,
    unit_path: str,
    clamp: str,
    volts: float | None,
    called: float | None,
    dropped: float | None,
    control: float | None,
    clocks_went_back: bool,
) -> None:
    """Find the stages in LOG.csv, a logged current, and judge them."""
    from plentar.core.judging.log import analyse_log
    from plentar.formats.current_csv import count_lines, read_current_csv
    from plentar.formats.stages_json import analysis_to_json

    plate = read_unit(unit_path)
    try:
        with Path(log).open("rb") as file:
            rows = count_lines(file)
            chunks = iter(lambda: file.read(65_536), b"")
            read = read_current_csv(chunks, rows=rows, clocks_went_back=clocks_went_back)
        found = analyse_log(
            plate,
            read.seconds,
            read.amps,
            clamp=clamp,
            supply_volts=volts,
            called_seconds=read.called_seconds if called is None else called,
            dropped_seconds=read.dropped_seconds if dropped is None else dropped,
            control_volts=control,
        )
    except OSError as error:
        fail(log, ValueError(f"cannot be read: {error.strerror}"))
    except PlentarError as error:
        fail(log, error)
    show(analysis_to_json(found))


@main.command()
@click.argument("case")
@click.option("--policy", type=click.Choice(["next", "fixed", "random", "unsafe"]), default="next", show_default=True)
@click.option("--seed", type=int, default=1, show_default=True, help="Seed of the random numbers.")
def practice(case: str, policy: "Policy", seed: int) -> None:
    """Work the practice CASE.json by a policy: readings, what each won and cost, what was named, the score."""
    from plentar.core.practice.policies import play_case
    from plentar.formats.case_json import case_from_json, played_to_json

    try:
        read = case_from_json(read_json(case))
        show(played_to_json(read, play_case(read, policy, seed=seed)))
    except PlentarError as error:
        fail(case, error)


@main.command()
@click.argument("kind", type=click.Choice(["unit", "call", "sizing", "heat-pump", "shop", "case"]))
def schema(kind: str) -> None:
    """Print the JSON Schema of a file KIND, or of what a command of that name prints."""
    from plentar.formats.bundle import manifest_schema
    from plentar.formats.call_json import call_schema
    from plentar.formats.case_json import case_schema
    from plentar.formats.sizing_json import sizing_schema, weather_schema

    kinds = {"unit": nameplate_schema, "call": call_schema, "sizing": sizing_schema, "heat-pump": weather_schema}
    kinds |= {"shop": manifest_schema, "case": case_schema}
    show(kinds[kind]())


@main.command()
def limits() -> None:
    """Print every limit with its default and where it is from, as docs/limits.md has them."""
    from plentar.formats.limits_page import limits_page

    click.echo(limits_page(), nl=False)
