"""A measurement of the air as any form sends it: two temperatures and what makes them one."""

from collections.abc import Mapping
from uuid import UUID, uuid5

from plentar.core.errors import ReadingError
from plentar.formats.numbers import degrees_typed, parse_number
from plentar.web.call_layout.writing import Draft
from plentar.words.figures import degrees

__all__ = ["air_drafts"]


# What judging takes for air: beyond it a thermometer stands in the flame or is broken.
LEAST_DEGF, MOST_DEGF = -20.0, 250.0


def _feet(text: str) -> float:
    try:
        return parse_number(text, "plain")
    except ReadingError as error:
        raise ReadingError(f"expected a number such as 5200, got “{text[:20]}”", field="altitude_feet") from error


def air_drafts(form: Mapping[str, str]) -> list[Draft]:
    """Return a measurement of the air: two temperatures and what makes them one.

    Raises:
        ReadingError: A figure that is none; `field` names the input.
    """
    first, sign = UUID(form["air_id"]), form.get("degrees", "°F")
    figures: dict[str, float] = {"altitude_feet": 0.0}
    texts = {}
    for field in ("return_degf", "supply_degf", "altitude_feet"):
        text = form.get(field, "").strip().removesuffix("ft").strip()
        if field == "altitude_feet":
            if text:
                figures[field] = _feet(text)
            continue
        figures[field] = degrees_typed(text, field, sign)
        if not LEAST_DEGF <= figures[field] <= MOST_DEGF:
            raise ReadingError(
                f"expected {degrees(LEAST_DEGF)} to {degrees(MOST_DEGF)}, got {degrees(figures[field])}", field=field
            )
        # What was typed stays as it was; the unit behind it is the input's, where none was typed.
        texts[field] = f"{text} {sign}" if text[-1:].isdigit() and sign != "°F" else text
    drafts = []
    names = {}
    for side in ("return", "supply"):
        names[side] = uuid5(first, side)
        payload = {"point": f"degf:{side}", "typed": texts[f"{side}_degf"]}
        drafts.append(Draft(id=names[side], kind="reading", payload=payload))
    whole = {
        "return_reading": str(names["return"]),
        "supply_reading": str(names["supply"]),
        "altitude_feet": figures["altitude_feet"],
        "filter": form.get("filter", "as found"),
    }
    return [*drafts, Draft(id=first, kind="air", payload=whole)]
