"""Convergence over uniform and graded meshes; power balance."""

import itertools
import json
import math
from pathlib import Path

import numpy as np
import pytest
from models import ONE_METRE, dipole, horizontal, loop, monopole

import earshot as es

REFERENCE = next(
    c for c in json.loads((Path(__file__).parent / "wire.json").read_text())["cases"] if c["id"] == "dip_0.48_0.001"
)["value"]["g6a"]


def errors(antenna, rule, want):
    """Segments, and relative errors of G and of B (as a share of |Y|)."""
    answer = es.solve(antenna, ONE_METRE, rule=rule)
    y = answer.network.y().values[0, 0, 0]
    return len(answer.mesh), abs(y.real / want.real - 1), abs(y.imag - want.imag) / abs(want)


def test_uniform_and_graded_meshes_converge(capsys):
    antenna, want = dipole(0.48, 1e-3), complex(REFERENCE["G"], REFERENCE["B"])
    rules = [es.MeshRule(per_wavelength=n / 0.48, growth=None) for n in (8, 20, 40, 80, 160, 400)]
    uniform = [errors(antenna, rule, want) for rule in rules]
    assert [row[0] for row in uniform] == [8, 20, 40, 80, 160, 400]
    rules = [es.MeshRule(per_wavelength=p, growth=g) for p, g in ((20, 1.5), (40, 1.0), (80, 0.5), (160, 0.3))]
    graded = [errors(antenna, rule, want) for rule in rules]
    with capsys.disabled():
        print("\n0.48 wavelength dipole, radius 0.001: segments: error of G, of B against |Y|")
        for name, rows in (("uniform", uniform), ("graded", graded)):
            print(f"  {name:8s}" + ", ".join(f"{n}: {g:.2%} {b:.2%}" for n, g, b in rows))
    for rows in (uniform, graded):
        assert all(later[1] < row[1] and later[2] < row[2] for row, later in itertools.pairwise(rows))
    worst = {n: max(g, b) for n, g, b in uniform}
    assert worst[20] < 0.06
    assert worst[40] < 0.035
    assert worst[160] < 0.015
    assert graded[1][0] <= 40
    assert max(graded[1][1:]) < 0.01


def test_no_breakdown_at_segments_shorter_than_the_radius():
    """Segments from four radii down to a quarter: the admittance settles instead of running away."""
    antenna, radius = dipole(0.47, 0.01), 0.01
    found = {}
    for share in (4, 2, 1, 0.5, 0.25):
        rule = es.MeshRule(per_wavelength=1 / (share * radius), growth=None)
        found[share] = 1 / es.solve(antenna, ONE_METRE, rule=rule).network.z().values[0, 0, 0]
    best = 1 / es.solve(
        antenna, ONE_METRE, rule=es.MeshRule(per_wavelength=120, finest=0.05, growth=0.3)
    ).network.z().values[0, 0, 0]  # fmt: skip
    left = [abs(y - best) / abs(best) for y in found.values()]
    assert all(later < earlier for earlier, later in itertools.pairwise(left))
    assert left[-1] < 0.01


@pytest.mark.parametrize(
    "antenna",
    [dipole(0.48, 1e-3), dipole(0.47, 0.02), dipole(1.3, 0.02), monopole(0.25, 0.02), horizontal(0.48, 1e-3, 0.1),
     loop(1.0, 0.0025), loop(0.3, 0.0005)],
)  # fmt: skip
def test_lossless_power_balance(antenna):
    beam = es.solve(antenna, ONE_METRE).drive().far_field()
    assert beam.efficiency == pytest.approx(1.0, abs=1e-3)


def test_evidence_tells_a_coarse_mesh_from_a_good_one():
    antenna = dipole(0.48, 1e-3)
    good = es.evidence(es.solve(antenna, ONE_METRE))
    coarse = es.evidence(es.solve(antenna, ONE_METRE, rule=es.MeshRule(per_wavelength=25, growth=None)))
    change = {e: {f.name: f.error for f in e.figures}["R at dipole"] for e in (good, coarse)}
    assert change[good] < 0.2 < 1.0 < change[coarse]
    assert good.residual < 0.5 * coarse.residual
    assert abs(good.balance) < 1e-3
    # The balance alone would not have told.
    assert abs(coarse.balance) < 1e-3


@pytest.mark.parametrize("demo", ["hut_roof", "mainland_guide"])
def test_demonstrations_with_sheets_converge(demo, demo_path):
    """Three meshes, each with half as many unknowns again or more: what is left goes down, to a per cent and less."""
    design = es.read_design(demo_path.with_name(f"{demo}.toml")).design
    rules = [
        es.MeshRule(sheets_per_wavelength=n, edge=e, around=a)
        for n, e, a in ((7, 0.2, 24), (10, 0.1, 24), (16, 0.05, 48))
    ]
    solutions = [es.solve(design, rule=rule) for rule in rules]
    z = [s.network.z().values[0, 0, 0] for s in solutions]
    gains = [10 * math.log10(float(f.gain(*f.peak))) for f in (s.drive().far_field() for s in solutions)]
    print(demo, [s.unknowns for s in solutions], np.round(z, 2), np.round(gains, 3))
    assert solutions[1].unknowns < 0.7 * solutions[2].unknowns
    assert abs(z[1] - z[2]) < min(0.02 * abs(z[2]), abs(z[0] - z[2]))
    assert abs(gains[1] - gains[2]) < 0.05
