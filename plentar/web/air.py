"""A measurement of the air as any form sends it: two temperatures and what makes them one."""

from collections.abc import Mapping
from uuid import UUID, uuid5

from plentar.core.errors import ReadingError
from plentar.formats.numbers import parse_number
from plentar.web.writing import Draft

__all__ = ["air_drafts"]


def air_drafts(form: Mapping[str, str]) -> list[Draft]:
    """Return a measurement of the air: two temperatures and what makes them one.

    Raises:
        ReadingError: A figure that is none; `field` names the input.
    """
    first = UUID(form["air_id"])
    figures: dict[str, float] = {"altitude_feet": 0.0}
    texts = {}
    for field in ("return_degf", "supply_degf", "altitude_feet"):
        text = form.get(field, "").strip().removesuffix("°F").removesuffix("ft").strip()
        if not text and field == "altitude_feet":
            continue
        try:
            figures[field] = parse_number(text, "plain")
        except ReadingError as error:
            raise ReadingError(f"expected a number such as 72, got “{text[:20]}”", field=field) from error
        if field != "altitude_feet" and not figures[field] <= 250:
            raise ReadingError(f"expected -20 to 250 °F, got {figures[field]:g}", field=field)
        texts[field] = text
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
