"""What compiles nearly all kernels, in two halves: python tests/first_kernels.py 0 (or 1). No answer is looked at."""

import sys

import numpy as np

import earshot as es
from earshot import reach

ABOVE = np.array([[0.02, 0.01, 0.05]])
COARSE = es.MeshRule(density=0.5)
MEADOW = es.earth("meadow")


def ask(antenna, frequency, **how):
    """Solve, and look from far and near."""
    driven = es.solve(antenna, frequency, rule=COARSE, errors=False, **how).drive()
    driven.far_field().summary()
    _ = driven.near_field(ABOVE).e


def wires_and_places():
    """Wires in the open and over earth, and rays among houses."""
    rod = es.antennas.dipole("868 MHz").antenna
    ask(rod, "868 MHz")
    ask(rod.raised("0.4 m").over(MEADOW), "868 MHz")
    line = es.arrays.repeated(rod, es.arrays.line(3, "0.17 m"))
    es.solve(line, "868 MHz").drive({"e1_feed": es.watts(1)}).far_field().summary()
    house = reach.building("house", [(-6, 10), (6, 10), (6, 20), (-6, 20)], 7, reach.Wall.of("brick"))
    here, there = reach.Station("here", (0, 0), 2.0), reach.Station("there", (0, 40), 3.0)
    reach.rays(reach.Scene((house,)), here, there, "2.4 GHz", earth="meadow", order=2)


def metal():
    """Sheets in the open and over earth, and boards of all kinds, dense and fast."""
    plates = es.antennas.bow_tie("868 MHz").antenna
    ask(plates, "868 MHz")
    ask(plates.raised("0.4 m").over(MEADOW), "868 MHz")
    ask(es.antennas.slot_patch("5.8 GHz").antenna, "5.8 GHz")
    patch = es.antennas.patch("5.8 GHz").antenna
    ask(patch, "5.8 GHz")
    ask(patch, "5.8 GHz", method="fast")
    rod = es.Wire("rod", [(-0.01, 0, 0.02), (0.01, 0, 0.02)], radius="0.3 mm")
    ask(patch.with_(rod), "5.8 GHz")


if __name__ == "__main__":
    (wires_and_places, metal)[int(sys.argv[1])]()
