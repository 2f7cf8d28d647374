"""What a visit is made of, and answers that are worked out once."""

from collections.abc import Callable, Sequence
from dataclasses import KW_ONLY, dataclass, field
from functools import wraps
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from plentar.core.evidence.record import Record
from plentar.core.history.past import NO_PAST, Past
from plentar.core.limits.table import DEFAULT_LIMITS, Limits
from plentar.core.unit.nameplate import Nameplate

if TYPE_CHECKING:
    from plentar.core.judging.log_levels import Floats

__all__ = ["Answer", "VisitState", "once"]

T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class VisitState:
    """Nameplate, evidence, limits and a moment [s since 1970]: everything said of a call follows from these.

    `samples_of` gives seconds and amps of a log by its id, fetched only when somebody asks what the log shows.
    `outdoor_degf`, `indoor_degf` and `price_kwh` are None where nobody gave them.
    """

    plate: Nameplate
    record: Record
    _: KW_ONLY
    limits: Limits = DEFAULT_LIMITS
    moment: float = 0.0
    complaints: Sequence[str] = ()
    samples_of: "Callable[[str], tuple[Floats, Floats]] | None" = None
    outdoor_degf: float | None = None
    indoor_degf: float | None = None
    price_kwh: float | None = None
    past: Past = NO_PAST
    # What was worked out of these, by the function that did.
    answers: dict[Callable[..., Any], Any] = field(default_factory=dict, init=False, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "complaints", tuple(self.complaints))


def once(answer: Callable[[VisitState], T]) -> Callable[[VisitState], T]:
    """Work an answer out the first time it is asked of a state, and keep it there."""

    @wraps(answer)
    def kept(visit: VisitState) -> T:
        if answer not in visit.answers:
            visit.answers[answer] = answer(visit)
        found: T = visit.answers[answer]
        return found

    return kept


class Answer(Generic[T]):
    """An answer as an attribute of the facade: asked of its function, which keeps it."""

    def __init__(self, answer: Callable[[VisitState], T]) -> None:
        self.answer = answer

    def __get__(self, visit: VisitState, _: type | None = None) -> T:
        """Return the answer for this visit."""
        return self.answer(visit)
