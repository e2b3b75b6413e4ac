"""What scans of a cell without end cost, in solves of the same cell alone, as ratios within this run.

python benchmarks/cells.py [DENSITY]: a probe-fed patch of the mainland panel; some 560 unknowns at 0.5.
"""

from __future__ import annotations

import sys
import time
from importlib import resources
from pathlib import Path

import numpy as np

import earshot as es
from earshot import cells
from earshot.files.design_file import alone


def main() -> None:
    """Print the fill, the solve alone, and scans one by one and along a cut."""
    with resources.as_file(resources.files("earshot.demo") / "mainland_panel.toml") as file:
        antenna = alone(es.read_design(Path(file)).design).antenna
    rule = es.MeshRule(density=2.0 * float(sys.argv[1])) if len(sys.argv) > 1 else es.MeshRule()
    hertz, cell = 5.8e9, cells.Cell(antenna, cells.rectangular("31 mm"))
    es.solve(antenna, hertz, rule=rule, errors=False)
    cells.scan(cell, [[0.0, 0.0]], hertz, rule=rule)
    solution = es.solve(antenna, 1.0000001 * hertz, rule=rule, errors=False)
    fill, whole = solution.record.seconds["fill"], solution.seconds
    print(f"{solution.unknowns} unknowns; alone: fill {fill:.2f} s, solve {whole:.2f} s")
    for words, work in (
        ("1 scan", lambda f: cells.scan(cell, [[0.1, 0.0]], f, rule=rule)),
        ("61 scans", lambda f: cells.scan(cell, cells.towards(np.linspace(-60, 60, 61), 30.0), f, rule=rule)),
        ("a cut of 401", lambda f: cells.scan_cut(cell, 30.0, f, to=60.0, rule=rule)),
    ):
        start = time.perf_counter()
        found = work(1.0000002 * hertz if words == "1 scan" else hertz * (1.0 + 1e-7 * len(words)))
        took = time.perf_counter() - start
        allowed = 15.0 * whole + 61.0 * fill
        print(
            f"{words}: {took:.1f} s, {took / whole:.0f} solves alone, {int(found.solved.sum())} solved"
            + (f"; 15 solves and 61 fills are {allowed:.1f} s" if words == "61 scans" else "")
        )


if __name__ == "__main__":
    main()
