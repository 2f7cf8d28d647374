"""What is still to be read before the leading cause is acted on: what it rests on alone, and what it may hide."""

from collections.abc import Collection
from dataclasses import dataclass

from plentar.core.causes.catalogue import Test, catalogue
from plentar.core.causes.diagnosis import Diagnosis
from plentar.core.unit.place import ohms_at, place_of

__all__ = ["Precaution", "before_accepting"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Precaution:
    """A test that comes before a repair, and whether it is the one reading everything rests on, taken once more."""

    test: Test
    is_again: bool


def before_accepting(diagnosis: Diagnosis, taken: Collection[tuple[str, frozenset[str]]]) -> Precaution | None:
    """Return the test to be done before the leading cause is accepted, if there is one.

    Args:
        diagnosis: What is known.
        taken: What was read on the unit as it is, with its calls.
    Source:
        docs/trade.md, section 5: one in fifty readings is simply wrong; section 4, step 15: the reason a breaker was
        found off is known before power goes back on, and a short shows to an ohmmeter.
    """
    plate, lead = diagnosis.model.plate, diagnosis.first
    tests = {(test.point, test.drive.calls): test for test in catalogue(plate)}
    place = diagnosis.once_more(taken)
    if place is not None and place in tests:
        return Precaution(test=tests[place], is_again=True)
    leading = [diagnosis.model.fault(name) for name in (lead.faults if lead else ())]
    for off in (fault for fault in leading if fault is not None and fault.shows == "until-set"):
        feed = plate.feed_of(place_of(off.part).owner)
        place = (ohms_at(f"{feed}.l1", f"{feed}.l2"), frozenset[str]())
        if place not in taken:
            return Precaution(test=tests[place], is_again=False)
    return None
