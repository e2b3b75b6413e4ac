"""What studies cost, as ratios within one run: python benchmarks/studies.py.

Tries over two processes against one, at one thread each; effects of ten values against one solve of the same antenna; a
search by slopes against one without.
Prints a table in Markdown.
"""

import multiprocessing
import os
import statistics
import time

import numpy as np
from scipy.optimize import minimize
from threadpoolctl import threadpool_limits

import earshot as es
from earshot import studies
from earshot.files.design_text import as_file
from earshot.studies.asking import asked_of
from earshot.studies.optimising import begun
from earshot.studies.sensitivity import derivatives


def seconds(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def over_processes(file, words: str, tries: int = 200) -> tuple[float, float]:
    """Seconds of one try, and how many times as fast two processes are at that many."""
    changes = [f"{words} in {tries}"]
    studies.vary(file, [f"{words} in 3"])
    os.environ["EARSHOT_THREADS"] = "1"
    with threadpool_limits(1):
        alone = seconds(lambda: studies.vary(file, changes))
    del os.environ["EARSHOT_THREADS"]
    return alone / tries, alone / seconds(lambda: studies.vary(file, changes, processes=2))


def _counted(number: int) -> int:
    return sum(i * i for i in range(number))


def plain_processes(number: int = 20_000_000) -> float:
    """The same of a plain loop: what two processes of this machine come to at best."""
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        pool.map(_counted, [1, 1])
        return seconds(lambda: [_counted(number) for _ in range(2)]) / seconds(
            lambda: pool.map(_counted, [number] * 2, chunksize=1)
        )


def ten_effects(per_wavelength: float = 360) -> tuple[int, float]:
    """Unknowns, and effects of ten values over one solve: the middle of five, each after its own."""
    file, rule = as_file(es.antennas.yagi("150 MHz", elements=12)), es.MeshRule(per_wavelength=per_wavelength)
    names = list(dict(file.design.given))[:10]
    solution, ratios = es.solve(file.design, [150e6], rule=rule), []
    for _ in range(5):
        # A fresh file: nothing that it worked out before is there.
        times, fresh = [time.perf_counter()], asked_of(as_file(file.design))
        solution = es.solve(file.design, [150e6], rule=rule)
        times.append(time.perf_counter())
        derivatives(fresh, solution, names, "beam")
        times.append(time.perf_counter())
        once, effects = np.diff(times)
        ratios.append(effects / once)
    return solution.unknowns, statistics.median(ratios)


def seven_rods() -> tuple[int, float, float]:
    """Solves of a search by slopes, what it came to, and what a simplex came to in five times as many."""
    file = as_file(es.antennas.yagi("150 MHz", elements=7))
    names = [name for name in dict(file.design.given) if name not in ("rod", "gap")]
    band = "from 148.5 MHz to 151.5 MHz"
    wishes, goals = [f"most gain {band}"], [f"VSWR <= 1.5 {band}", f"F/B >= 20 {band}"]
    found = studies.optimise(file, names, wishes, goals)
    trials, aims, first = begun(file, names, wishes, goals, None, 10_000, None)

    def cost(shares) -> float:
        try:
            return min(aims.cost_of(trials.at(first.values * (1.0 + shares))), 1e3)
        except es.EarshotError:
            return 1e3

    simplex = minimize(cost, np.zeros(len(names)), method="Nelder-Mead", options={"maxfev": 5 * found.solves})
    return found.solves, float(found.tries["cost"].min()), float(simplex.fun)


if __name__ == "__main__":
    print("| what | ratio |\n|---|---|")
    rods, patch = as_file(es.antennas.yagi("150 MHz", elements=3)), as_file(es.antennas.patch("5.8 GHz"))
    for name, file, words in (
        ("rods", rods, "driven = 0.90 m to 0.98 m"), ("a patch", patch, "length = 15.2 mm to 16.6 mm"),
    ):  # fmt: skip
        each, ratio = over_processes(file, words)
        print(f"| 200 tries of {name}, {each:.2g} s each, one process over two | {ratio:.2f} |")
    print(f"| a plain loop twice, one process over two | {plain_processes():.2f} |")
    solves, slopes, simplex = seven_rods()
    what = f"cost of seven rods after {solves} solves by slopes, and of a simplex after five times as many"
    print(f"| {what} | {slopes:.2f}, {simplex:.2f} |")
    unknowns, ratio = ten_effects()
    print(f"| ten effects over one solve, {unknowns} unknowns | {ratio:.2f} |")
