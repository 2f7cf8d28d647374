"""What a call holds beside its readings."""

from collections.abc import Sequence
from dataclasses import dataclass

from plentar.core.diagnosis import Observation
from plentar.core.observations import sign_of
from plentar.formats.stamps import condition_from_json
from plentar.store.models import AcceptedCause, Photo, WorkItem
from plentar.store.models import Observation as ObservationRow

__all__ = ["Gathered"]


@dataclass(slots=True, kw_only=True)
class Gathered:
    """What a call holds beside its readings."""

    observations: Sequence[ObservationRow] = ()
    photos: Sequence[Photo] = ()
    accepted: Sequence[AcceptedCause] = ()
    work: Sequence[WorkItem] = ()

    @property
    def standing(self) -> dict[tuple[str, str], ObservationRow]:
        """The newest observation of each kind and place."""
        return {(row.kind, row.about): row for row in self.observations}

    @property
    def found(self) -> list[ObservationRow]:
        """The signs that stand as found."""
        return [row for row in self.standing.values() if row.state == "found" and sign_of(row.kind) is not None]

    @property
    def signs(self) -> list[Observation]:
        """Everything seen that speaks for or against a cause, the four-row blower test included."""
        seen = [(row.kind, row.about, row.condition) for row in self.found]
        rows = {"row-blower": ("blower-runs", "blower-still"), "row-strips": ("strips-heat", "strips-cold")}
        for row in self.standing.values():
            if row.kind in rows and row.state in ("found", "fine"):
                seen.append((rows[row.kind][row.state == "fine"], "", row.condition))
        return [Observation(kind=kind, about=about, condition=condition_from_json(c)) for kind, about, c in seen]

    @property
    def causes(self) -> list[AcceptedCause]:
        """The accepted causes that were not taken back."""
        return [row for row in self.accepted if row.withdrawn_at is None]
