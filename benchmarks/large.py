"""Large antennas by both ways: python benchmarks/large.py [PICTURE].

Panels of patches with their trees of strips on the default board at 5.8 GHz, of 2,000 to 130,000 unknowns, fast, the
largest as fine as a single patch; the smaller of them dense; plates in free space and beams over meadow by both; panels
of single patches, a port each; and iterations against the board and the mesh. Every solve runs in a process of its
own, so that the memory is its own. Prints tables in Markdown; draws time and memory when told where.
"""

import json
import subprocess
import sys
import time

import earshot as es
from earshot import arrays

WAVE = 299792458.0 / 5.8e9
TREES = [(1, 2, 1), (1, 4, 1), (2, 4, 1), (4, 4, 1), (4, 8, 1), (8, 8, 1)]
"""Rows and columns of a tree, and how many of it side by side."""


def panel(rows: int, columns: int, times: int) -> es.Antenna:
    """Trees side by side, a port each."""
    one = es.antennas.corporate_panel("5.8 GHz", rows=rows, columns=columns).antenna
    return one if times == 1 else arrays.repeated(one, arrays.line(times, 1.75 * WAVE, axis="x"))


def patches(count: int, thickness: str = "0.02 lambda") -> es.Antenna:
    """Single patches in a square."""
    one = es.antennas.patch("5.8 GHz", thickness=thickness).antenna
    return arrays.repeated(one, arrays.grid(count, count, 0.6 * WAVE, 0.6 * WAVE))


def plate(side: float) -> es.Antenna:
    """A plate so many wavelengths wide, fed across its middle."""
    own = es.Sheet("plate", es.shapes.plate(side * WAVE, side * WAVE))
    port = es.Port("feed", on="plate", at=(0.02 * WAVE, 0.01 * WAVE, 0.0), across="x")
    return es.Antenna("plate", sheets=[own], ports=[port])


def beams(count: int) -> es.Antenna:
    """Yagis in a square, a wavelength over meadow."""
    one = es.antennas.yagi("5.8 GHz").antenna.raised(WAVE)
    one = es.Antenna("yagi", one.wires, one.ports, es.earth("meadow"))
    return arrays.repeated(one, arrays.grid(count, count, 1.4 * WAVE, 0.9 * WAVE))


def solved(kind: str, numbers: list[float], method: str, density: float) -> dict[str, float]:
    """What a solve takes: unknowns, triangles' seconds, fill and factors, solution, pattern, GB, iterations."""
    import psutil

    from earshot.answers.prepare import estimate, prepare

    made = {"panel": panel, "plate": plate, "beams": beams, "patches": patches}[kind]
    antenna = made(*(n if kind == "plate" or isinstance(n, str) else int(n) for n in numbers))
    rule = es.MeshRule(density=density)
    warm = es.antennas.patch("5.8 GHz").antenna
    es.solve(warm, 5.8e9, method=method).drive().far_field().summary()
    start, before = time.perf_counter(), psutil.Process().memory_info().rss
    told = estimate(prepare(antenna, 5.8e9, rule, method=method), 5.8e9)
    meshed = time.perf_counter() - start
    answer = es.solve(antenna, 5.8e9, rule=rule, method=method, errors=False)
    start = time.perf_counter()
    answer.drive({p.name: es.watts(1.0) for p in antenna.ports}).far_field().summary()
    pattern, taken = time.perf_counter() - start, answer.record.seconds
    peak = getattr(psutil.Process().memory_info(), "peak_wset", 0) or _peak()
    way = answer.record.ways[5.8e9]
    return {
        "unknowns": answer.unknowns, "ports": len(antenna.ports), "mesh": meshed, "fill": taken["fill"],
        "factorise": taken["factorise"], "solve": taken["solve"], "pattern": pattern, "GB": (peak - before) / 1e9,
        "told_GB": told.bytes / 1e9, "told_s": told.seconds,
        "iterations": int(way.split()[0]) if "iterations" in way else 0,
    }  # fmt: skip


def _peak() -> int:
    import resource

    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def apart(*given: object) -> dict[str, float]:
    """The same in a process of its own."""
    done = subprocess.run([sys.executable, __file__, "--one", json.dumps(given)], check=True, capture_output=True)
    found: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return found


def table(title: str, rows: list[dict[str, float]]) -> None:
    names = list(rows[0])
    print(f"\n{title}\n\n| {' | '.join(names)} |\n|{' --: |' * len(names)}")
    for row in rows:
        print("|", " | ".join(f"{row[n]:.3g}" if n != "unknowns" else f"{row[n]:,.0f}" for n in names), "|", flush=True)


def drawn(place: str, fast: list[dict[str, float]], dense: list[dict[str, float]]) -> None:
    """Time and memory against unknowns."""
    import matplotlib

    matplotlib.use("Agg")
    from matplotlib import pyplot

    from earshot.views.plots import style

    with style.look():
        figure, axes = pyplot.subplots(1, 2, figsize=(12.8, 6.0))
        for ax, name, unit in ((axes[0], "time", "s"), (axes[1], "memory", "GB")):
            for rows, label, mark in ((dense, "dense", "s"), (fast, "fast", "o")):
                values = [r["GB"] if unit == "GB" else r["fill"] + r["factorise"] + r["solve"] for r in rows]
                ax.loglog([r["unknowns"] for r in rows], values, marker=mark, label=label)
            ax.set_xlabel("unknowns")
            ax.set_ylabel(f"{name}, {unit}")
            ax.legend()
        figure.suptitle("Panels of patches with their trees, one frequency, two cores")
        figure.savefig(place)


def main() -> None:
    """Solve all of them."""
    if sys.argv[1:2] == ["--one"]:
        print(json.dumps(solved(*json.loads(sys.argv[2]))))
        return
    fast = [apart("panel", tree, "fast", 1.0) for tree in TREES]
    fast.append(apart("panel", TREES[-1], "fast", 2.0))
    table("Panels with their trees, fast", fast)
    dense = [apart("panel", tree, "dense", 1.0) for tree in TREES[:3]]
    table("The same, dense", dense)
    if len(sys.argv) > 1:
        drawn(sys.argv[1], fast, dense)
    for title, kind, sizes, density, most in (
        ("Plates in free space", "plate", (3, 4.5, 6, 9, 12.5), 1.0, 7.0),
        ("Beams over meadow", "beams", (4, 6), 3.0, 9.0),
    ):
        table(f"{title}, fast", [apart(kind, [n], "fast", density) for n in sizes])
        table(f"{title}, dense", [apart(kind, [n], "dense", density) for n in sizes if n < most])
    table("Panels of single patches, a port each, fast", [apart("patches", [n], "fast", 1.0) for n in (2, 4, 8, 16)])
    rows = []
    for thickness in ("0.005 lambda", "0.01 lambda", "0.02 lambda", "0.04 lambda"):
        for density in (0.7, 1.0, 1.6):
            found = apart("patches", [3, thickness], "fast", density)
            rows.append({"thickness": float(thickness.split()[0]), "density": density, **found})
    table("Iterations against the board's thickness, wavelengths, and how fine the mesh is", rows)


if __name__ == "__main__":
    main()
