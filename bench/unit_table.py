"""The unit's table: how large a row is, how long it takes to solve and to read; the example its version is named by.

python -m bench.unit_table            sizes and times of the example units' rows
python -m bench.unit_table --keep     write the example and print its version, to be said in core/causes/table.py
"""

import argparse
import time

from plentar.core.causes.catalogue import catalogue
from plentar.core.causes.hypotheses import model_of
from plentar.core.causes.keeping import drives_of_table, packed_row
from plentar.core.causes.same_circuit import circuit_of
from plentar.core.causes.table import unpack
from plentar.core.unit.patterns import PATTERNS
from tests.core.test_unit_table import EXAMPLE, example_row, version_of


def main() -> None:
    """Write the example, or print a line a unit."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--keep", action="store_true")
    if asked.parse_args().keep:
        EXAMPLE.write_bytes(example_row())
        print(version_of(EXAMPLE.read_bytes()))
        return
    for name, pattern in PATTERNS.items():
        circuit = circuit_of(pattern())
        drives = drives_of_table(circuit)
        begun = time.perf_counter()
        rows = [packed_row(circuit, drive) for drive in drives]
        solved = time.perf_counter() - begun
        begun = time.perf_counter()
        read = [unpack(row) for row in rows]
        took = (time.perf_counter() - begun) / len(rows)
        whole = sum(row.size for row in read if row is not None)
        places = len({test.point for test in catalogue(circuit)})
        print(
            f"{name:22} {len(model_of(circuit).hypotheses):4} hypotheses, {places:3}"
            f" places, {len(drives)} drives: {sum(map(len, rows)) / 1e6:.2f} MB kept, {whole / 1e6:.1f} MB unpacked,"
            f" {solved:.1f} s to solve, {1000 * took:.1f} ms a row to unpack"
        )


if __name__ == "__main__":
    main()
