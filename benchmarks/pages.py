"""How large pages are, how soon they are there, and how fast they answer: python benchmarks/pages.py.

A change is timed from the call to the end of all that follows from it, drawing in space included, and told beside what
the same drive and its figures take in Earshot.
"""

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

import earshot as es
from earshot import arrays

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))
from browser import browser

DEMO = Path(es.__file__).parent / "demo"
CHANGES = """(() => {
  const took = [];
  for (let k = 0; k < 24; k++) {
    const began = performance.now();
    earshot.set((s) => { s.drives[0][0].turn += 7; s.drives[0][0].size *= 1.01; });
    took.push(performance.now() - began);
  }
  return took.slice(4);
})()"""
PAINT = "performance.getEntriesByName('first-paint')[0].startTime"


def many_dipoles() -> es.arrays.SolvedArray:
    """Sixty-four rods over a plane."""
    layout = arrays.grid(8, 8, "0.18 m")
    rod = es.antennas.dipole("868 MHz").antenna.rotated("90 deg", "y").raised("85 mm").over(es.perfect_plane())
    return arrays.SolvedArray(es.solve(arrays.repeated(rod, layout), "868 MHz"), layout, 868e6)


def in_earshot(solution: es.answers.Solution, hertz: float) -> float:
    """Seconds of one drive of all ports with its figures."""
    sources = {port.name: es.watts(1.0, 7.0 * n) for n, port in enumerate(solution.antenna.ports)}
    began = time.perf_counter()
    driven = solution.drive(sources, hertz)
    driven.ports_table()
    driven.far_field().summary()
    return time.perf_counter() - began


def main() -> None:
    """Measure three pages."""
    models = {
        "tag receiver": lambda: es.run(DEMO / "tag_receiver.toml"),
        "panel, 18 ports": lambda: es.run(DEMO / "mainland_panel.toml"),
        "64 ports": many_dipoles,
    }
    print(f"{'page':<18}{'MB':>6}{'written':>9}{'paint':>8}{'ready':>8}{'a change':>10}{'worst':>8}{'in Earshot':>12}")
    with tempfile.TemporaryDirectory() as folder, browser() as open_page:
        for name, make in models.items():
            model = make()
            began = time.perf_counter()
            path = es.report({name: model}, Path(folder) / "page.html")
            written = time.perf_counter() - began
            page = open_page(path)
            took = np.array(page(CHANGES))
            solution = model.solution
            own = in_earshot(solution, float(solution.solved[-1]))
            paint, ready = page(PAINT) / 1e3, page("earshot.ready") / 1e3
            print(
                f"{name:<18}{path.stat().st_size / 1e6:>6.1f}{written:>7.1f} s{paint:>6.2f} s{ready:>6.2f} s"
                f"{np.median(took):>7.0f} ms{took.max():>5.0f} ms{1e3 * own:>9.0f} ms"
            )


if __name__ == "__main__":
    main()
