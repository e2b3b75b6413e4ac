"""What solving costs, as ratios within one run: python benchmarks/speed.py [unknowns ...].

Fill of the matrix against the LU factorisation that follows it, and a 1° sphere of far field against the whole solve;
the median of five, on the same threads. Prints a table in Markdown.
"""

import statistics
import sys
import time

import numpy as np

import earshot as es
from earshot import arrays
from earshot.constants import wavenumber
from earshot.fields.directions import unit_vectors
from earshot.meshing.mesh import mesh
from earshot.meshing.sheet_mesh import sheet_mesh
from earshot.moments.earth import table_for as earth_kernels
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.layered import layered
from earshot.moments.matrix import WireMatrix
from earshot.moments.printed import tables_for
from earshot.moments.response import respond
from earshot.moments.sheet_basis import sheet_basis
from earshot.moments.sheet_matrix import fill_sheet_matrix
from earshot.moments.wire_basis import wire_basis

HERTZ = 299_792_458.0


def rows_of_rods(unknowns: int) -> es.Antenna:
    """Half-wave rods of radius 0.001 wavelengths in rows 0.3 wavelengths apart, about 54 unknowns each."""
    count = max(1, round(unknowns / 54))
    places = [(0.3 * (i % 8), 0.35 * (i // 8)) for i in range(count)]
    wires = [es.Wire(f"rod {i}", [(x, y, -0.24), (x, y, 0.24)], radius=1e-3) for i, (x, y) in enumerate(places)]
    return es.Antenna("rods", wires, [es.Port("feed", on="rod 0")])


def seconds(work) -> float:
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def measure(unknowns: int, repeats: int = 5) -> list[float]:
    antenna = rows_of_rods(unknowns)
    basis = wire_basis(mesh(antenna, 1.0))
    matrix = WireMatrix(basis, HERTZ, False)
    # Loaded after earshot, as in a solve, so that its idle threads sleep.
    from scipy import linalg

    field = es.solve(antenna, HERTZ).drive().far_field()
    angles = np.radians(np.arange(0.5, 180))[:, None], np.radians(np.arange(0, 360))
    field.intensity(*angles)
    fills, factors, solves, spheres = [], [], [], []
    for _ in range(repeats):
        full = np.empty((matrix.basis.size, matrix.basis.size), complex)
        fills.append(seconds(lambda full=full: matrix.fill(full)))
        factors.append(seconds(lambda full=full: linalg.lu_factor(full.T, overwrite_a=True, check_finite=False)))
    for _ in range(repeats):
        solves.append(seconds(lambda: es.solve(antenna, HERTZ)))
        spheres.append(seconds(lambda: field.intensity(*angles)))
    fill, factor, solve, sphere = (statistics.median(x) for x in (fills, factors, solves, spheres))
    return [float(basis.size), fill, factor, solve, sphere, fill / factor, sphere / solve]


def plates(side: float, repeats: int = 5) -> list[float]:
    """Fill of the matrix of a square plate, its side in wavelengths, against the LU that follows it."""
    from scipy import linalg

    basis = sheet_basis(
        sheet_mesh(es.Antenna("plate", sheets=[es.Sheet("p", es.shapes.plate(side, side))]), 1.0, es.MeshRule())
    )
    fills, factors = [], []
    for _ in range(repeats):
        matrix = np.zeros((basis.size, basis.size), complex)
        fills.append(seconds(lambda full=matrix: fill_sheet_matrix(basis, HERTZ, full)))
        factors.append(seconds(lambda full=matrix: linalg.lu_factor(full.T, overwrite_a=True, check_finite=False)))
    fill, factor = statistics.median(fills), statistics.median(factors)
    return [float(basis.size), fill, factor, fill / factor]


def panel(columns: int, rows: int) -> list[float]:
    """A panel of probed patches: table, fill with probes, fill of as many triangles in free space, and LU."""
    from scipy import linalg

    pitch, level = 0.031, 1.575e-3
    places = [(pitch * i, pitch * j) for i in range(columns) for j in range(rows)]
    sheets = [
        es.Sheet(f"patch{n}", es.shapes.plate(0.0159, 0.02, centre=(x, y, level)), density=0.5)
        for n, (x, y) in enumerate(places)
    ]
    pins = [
        es.Wire(f"pin{n}", [(x + 0.003, y, 0), (x + 0.003, y, level)], radius=6.5e-4) for n, (x, y) in enumerate(places)
    ]
    ports = [es.Port(f"port{n}", pin.name, at=0) for n, pin in enumerate(pins)]
    board = es.substrate(level, 2.2)
    basis = antenna_basis(es.Antenna("panel", pins, ports, board, sheets=sheets), 299792458.0 / 5.8e9, es.MeshRule())
    assert basis.sheets is not None
    times: list[list[float]] = [[], [], [], []]
    for n in range(3):
        hertz = 5.8e9 + n
        times[0].append(seconds(lambda at=hertz: tables_for(layered(basis, board), board, at)))
        matrices: list = []
        times[1].append(seconds(lambda at=hertz, into=matrices: into.append(formulation(board).matrix(basis, at))))
        free = np.zeros((basis.sheets.size, basis.sheets.size), complex)
        times[2].append(seconds(lambda at=hertz, into=free: fill_sheet_matrix(basis.sheets, at, into)))
        times[3].append(
            seconds(lambda full=matrices[0]: linalg.lu_factor(full.T, overwrite_a=True, check_finite=False))
        )
    table, fill, plain, factor = map(statistics.median, times)
    return [float(basis.size), table, fill, plain, factor, fill / plain, (table + fill + factor) / factor]


def over_earth(unknowns: int) -> list[float]:
    """A long bent wire over a meadow: table, solve in free space, solve over earth, the latter over the former."""
    wire = es.Wire("bent", [(0, 0, 1), (0, 0, 6), (10, 3, 6), (20, 0, 4)], radius=1e-3)
    antenna = es.Antenna("bent", [wire], [es.Port("feed", "bent", at=0.3)], es.earth("meadow"))
    rule = es.MeshRule(per_wavelength=0.39 * unknowns)
    times: list[list[float]] = [[], [], []]
    basis = antenna_basis(antenna, 10.0, rule)
    for n in range(6):
        hertz = 30e6 + n
        alone, standing = antenna.over(es.free_space()), antenna
        times[0].append(seconds(lambda at=hertz + 0.5: earth_kernels(basis, es.earth("meadow").at(at), wavenumber(at))))
        times[1].append(seconds(lambda at=hertz, of=alone: respond(of, basis, at)))
        times[2].append(seconds(lambda at=hertz, of=standing: respond(of, basis, at)))
    table, free, earth = (statistics.median(t[1:]) for t in times)
    return [float(basis.size), table, free, earth, earth / free]


def beams() -> list[tuple[str, float]]:
    """Sums over an array of 28 x 36 on a 1° sphere, and what goes with it, s."""
    wave = HERTZ / 5.8e9
    array = arrays.Array(arrays.grid(36, 28, wave / 2), arrays.cosine())
    weights = array.steered(array.tapered("taylor"), frequency=5.8e9, theta="20 deg", phi="30 deg")
    theta, phi = np.radians(np.arange(0, 181))[:, None], np.radians(np.arange(0, 361))
    ways = unit_vectors(*np.broadcast_arrays(theta, phi)).reshape(-1, 3)
    places, lattice, k = array.layout.positions, array.layout.lattice, 2 * np.pi / wave
    even = weights.at(5.8e9)
    uneven = even * (1 + 0.1 * np.random.default_rng(0).normal(size=len(even)))
    large = arrays.Array(arrays.grid(100, 100, wave / 2), arrays.isotropic()).beam(5.8e9)
    errors = arrays.Errors(0.5, "5 deg", 0.01)
    work = {
        "direct sum": lambda: arrays.array_factor(places, even, ways, k, lattice, "direct"),
        "sum of a tapered, steered beam": lambda: arrays.array_factor(places, even, ways, k, lattice),
        "sum of any weights": lambda: arrays.array_factor(places, uneven, ways, k, lattice),
        "whole beam": lambda: array.beam(5.8e9, weights).intensity(theta, phi),
        "10,000 elements": lambda: large.intensity(theta, phi),
        "1,000 trials": lambda: arrays.trials(array, weights, errors, frequency=5.8e9, count=1000),
    }
    found = []
    for name, one in work.items():
        one()
        found.append((name, statistics.median(seconds(one) for _ in range(5))))
    return found


def band() -> float:
    """A band of a ten-dipole log-periodic array, ten gaps, against the solves it takes: what fitting costs on top."""
    array = es.antennas.log_periodic("150 MHz")
    es.solve(array)
    ratios = []
    for _ in range(5):
        start = time.perf_counter()
        answer = es.solve(array, es.band("150 MHz", "300 MHz", 101))
        ratios.append((time.perf_counter() - start) / answer.seconds)
    return statistics.median(ratios)


def main() -> None:
    print("| unknowns | fill, s | LU, s | solve, s | 1° sphere, s | fill / LU | sphere / solve |")
    print("|---|---|---|---|---|---|---|")
    for unknowns in [int(word) for word in sys.argv[1:]] or [500, 1000, 2000, 4000]:
        n, *times, fill, sphere = measure(unknowns)
        print(f"| {n:.0f} | " + " | ".join(f"{t:.3f}" for t in times) + f" | {fill:.2f} | {sphere:.2f} |")
    print("\n| unknowns of a plate | fill, s | LU, s | fill / LU |\n|---|---|---|---|")
    for side in (1.5, 2.3, 3.7):
        n, fill, factor, ratio = plates(side)
        print(f"| {n:.0f} | {fill:.3f} | {factor:.3f} | {ratio:.2f} |")
    print("\n| unknowns of a panel | table, s | fill, s | in free space, s | LU, s | fill / free | all / LU |")
    print("|---|---|---|---|---|---|---|")
    for columns, rows in ((1, 3), (3, 6)):
        n, *times, over_free, whole = panel(columns, rows)
        print(f"| {n:.0f} | " + " | ".join(f"{t:.3f}" for t in times) + f" | {over_free:.2f} | {whole:.2f} |")
    print("\n| unknowns over a meadow | table, s | free space, s | earth, s | earth / free |\n|---|---|---|---|---|")
    for unknowns in (1000, 3000):
        n, *times, ratio = over_earth(unknowns)
        print(f"| {n:.0f} | " + " | ".join(f"{t:.3f}" for t in times) + f" | {ratio:.2f} |")
    print("\n| arrays | s | direct sum / it |\n|---|---|---|")
    times = beams()
    for name, time_ in times:
        print(f"| {name} | {time_:.4f} | {times[0][1] / time_:.1f} |")
    print(f"\nband of ten gaps, whole / its solves: {band():.2f}")


if __name__ == "__main__":
    main()
