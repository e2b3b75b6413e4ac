"""Two levels of a board beside one of as many unknowns, and the tables of three: python benchmarks/levels.py."""

import time

import numpy as np

import earshot as es
from earshot.constants import wavelength
from earshot.layers import Spectrum, level_tables
from earshot.moments.formulation import antenna_basis
from earshot.moments.layered import layered
from earshot.moments.printed import fill_metal, tables_for

HERTZ = 2.3e9
STACK = es.Stack(
    [es.Layer("1.588 mm", es.Dielectric("board", 2.2)), es.Layer("5 mm", es.Dielectric("foam", 1.07))], metal_on=1
)
LOWER = es.Sheet("lower", es.shapes.plate(40e-3, 50e-3, centre=(0, 0, 1.588e-3)))
UPPER = es.Sheet("upper", es.shapes.plate(44e-3, 54e-3, centre=(0, 0, 6.588e-3)))


def fill(sheets, most):
    """Unknowns of a mesh of about so many, and what their matrix takes, s: the best of five."""
    antenna = es.Antenna("board", medium=STACK, sheets=sheets)
    for density in range(10, 90, 2):
        basis = antenna_basis(antenna, wavelength(HERTZ), es.MeshRule(sheets_per_wavelength=density))
        if basis.size >= most:
            break
    parts, times = layered(basis, STACK), []
    tables_for(parts, STACK, HERTZ)
    for _ in range(5):
        matrix = np.zeros((basis.size, basis.size), np.complex128)
        start = time.perf_counter()
        fill_metal(parts, STACK, HERTZ, matrix)
        times.append(time.perf_counter() - start)
    return basis.size, min(times)


def main():
    (one, alone), (two, both) = fill([LOWER], 3000), fill([LOWER, UPPER], 3000)
    ratio = both / alone * (one / two) ** 2
    print(f"one level, {one} unknowns: {alone:.2f} s; two levels, {two}: {both:.2f} s; as many to as many {ratio:.2f}")
    three = es.Stack([es.Layer(f"{d} mm", es.Dielectric(f"{d}", e)) for d, e in ((1.6, 4.4), (3, 1.07), (0.8, 2.8))])
    start = time.perf_counter()
    level_tables(Spectrum(three, HERTZ), (1, 2, 3), 3.0 * wavelength(HERTZ), 5e-3)
    print(f"tables of three levels, to three wavelengths: {time.perf_counter() - start:.2f} s")


if __name__ == "__main__":
    main()
