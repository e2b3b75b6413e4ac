"""A slot-fed patch beside its two boards without the slot: python benchmarks/openings.py."""

import time

import numpy as np

import earshot as es
from earshot.constants import wavelength
from earshot.moments.formulation import OnLayers, antenna_basis, formulation
from earshot.moments.openings import sides_of

HERTZ = 5.8e9


def quickest(work, times=3):
    """What it takes, s: the best of some, after a first."""
    work()
    found = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        found.append(time.perf_counter() - start)
    return min(found)


def main():
    for density in (10, 20, 30):
        antenna = es.antennas.slot_patch(HERTZ).antenna
        basis = antenna_basis(antenna, wavelength(HERTZ), es.MeshRule(sheets_per_wavelength=density))
        parts = sides_of(basis, antenna.medium)
        whole = quickest(lambda a=antenna, b=basis: formulation(a.medium).matrix(b, HERTZ))
        alone = quickest(lambda p=parts: [OnLayers(side.stack).matrix(side.basis, HERTZ) for side in p.sides])
        matrix = np.eye(basis.size) + 0j
        solved = quickest(lambda m=matrix: np.linalg.inv(m))
        print(
            f"{basis.size} unknowns, {len(parts.own)} of the slot: filled in {whole:.2f} s, {whole / alone:.1f} times "
            f"both boards alone, {whole / solved:.1f} times an inverse"
        )


if __name__ == "__main__":
    main()
