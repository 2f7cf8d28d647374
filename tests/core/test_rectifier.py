"""The rectifier's linear equivalent, checked once against diodes in a transient deck of a general circuit simulator."""

import re
import subprocess
from pathlib import Path

import pytest

from plentar.core.circuit.wiring import RECTIFIER

INPUT_VOLTS, COIL_OHMS = 24.0, 560.0


def measured(folder: Path, *, farads: float) -> tuple[float, float]:
    """Return mean and r.m.s. coil volts behind a bridge of four silicon diodes on 24 VAC, after it has settled."""
    peak = INPUT_VOLTS * 2**0.5
    lines = [
        "* bridge",
        f"Vin s b sin(0 {peak} 60)",
        "Rs s a 1",
        "Rb b 0 1e6",
        ".model d1n d(is=1e-9 n=1.8 rs=0.1 cjo=20p)",
        "D1 a p d1n",
        "D2 b p d1n",
        "D3 m a d1n",
        "D4 m b d1n",
        f"Rcoil p m {COIL_OHMS}",
        f"Cs p m {max(farads, 1e-12)}",
        ".control",
        "tran 50u 0.6 0.4",
        "let coil = v(p)-v(m)",
        "meas tran mean avg coil",
        "meas tran whole rms coil",
        ".endc",
        ".end",
    ]
    path = folder / "bridge.cir"
    path.write_text("\n".join(lines) + "\n")
    done = subprocess.run(["/usr/bin/ngspice", "-b", str(path)], check=False, capture_output=True, text=True)
    found = dict(re.findall(r"^(mean|whole)\s+=\s+([-+.\de]+)", done.stdout, re.MULTILINE))
    return float(found["mean"]), float(found["whole"])


@pytest.mark.parametrize(("kind", "farads"), [("smoothed", 100e-6), ("unsmoothed", 0.0)])
def test_the_equivalent_gives_the_bridges_direct_volts_and_ripple(kind: str, farads: float, tmp_path: Path) -> None:
    """Mean over input within 6 %, and what an AC function shows of it within 0.06 of the mean."""
    mean, whole = measured(tmp_path, farads=farads)
    ratio, ripple = RECTIFIER[kind]
    assert ratio == pytest.approx(mean / INPUT_VOLTS, rel=0.06)
    assert ripple == pytest.approx((whole**2 - mean**2) ** 0.5 / mean, abs=0.06)
