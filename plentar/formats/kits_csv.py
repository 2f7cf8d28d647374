"""A shop's heat kits as CSV, both ways, and each kit's label as JSON for the store."""

from pydantic import TypeAdapter

from plentar.core.unit.kit import Kit
from plentar.formats.labels_csv import Labels

__all__ = ["KITS"]

KITS = Labels(
    adapter=TypeAdapter(Kit),
    plural="kits",
    columns=(
        "model",
        "kilowatts_240",
        "kilowatts_208",
        "strips",
        "minimum_circuit_amps",
        "maximum_device_amps",
    ),
    words=("model",),
    needed=("model", "kilowatts_240", "strips"),
    most=2000,
)
