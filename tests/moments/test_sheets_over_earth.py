"""Sheets, with wires and feet, above real earth: limits, power, receiving, and a tube against the wire it is."""

import math

import numpy as np
import pytest
from models import ONE_METRE

import earshot as es
from earshot import shapes
from earshot.constants import ELECTRIC_CONSTANT

HERTZ = 299792458.0


def body(seed, medium):
    """A plate with a mast on it, a tube and a wire, at random places above the earth."""
    rng = np.random.default_rng(seed)
    low, side, lean = rng.uniform(0.06, 0.3), rng.uniform(0.2, 0.4), rng.uniform(-0.1, 0.1, 2)
    sheets = [
        es.Sheet("plate", shapes.plate(side, 0.7 * side, centre=(0, 0, low))),
        es.Sheet("tube", shapes.cylinder(0.1, 0.2, base=(0.35, 0.1, 0.08), axis=(0.3, 0, 1))),
    ]
    wires = [
        es.Wire("mast", [(0.02, 0, low), (*lean, low + rng.uniform(0.15, 0.25))], radius=1e-3),
        es.Wire("aside", [(-0.35, -0.2, low), (-0.35, 0.2, low + 0.1)], radius=2e-3),
    ]
    return es.Antenna("body", wires, [es.Port("foot", "mast", at=0), es.Port("feed", "aside")], medium, sheets=sheets)


def z_of(antenna):
    return es.solve(antenna, ONE_METRE).network.z().values[0]


@pytest.mark.parametrize("seed", [0, 4])
def test_limits_are_free_space_and_the_plane(seed):
    free, plane = z_of(body(seed, es.free_space())), z_of(body(seed, es.perfect_plane()))
    thin = z_of(body(seed, es.materials.Earth("almost air", 1.0 + 1e-6, 0.0)))
    metal = z_of(body(seed, es.materials.Earth("metal", 1.0, 1e10 * 2 * math.pi * HERTZ * ELECTRIC_CONSTANT)))
    assert np.abs(thin - free).max() < 1e-6 * np.abs(free).max()
    assert np.abs(metal - plane).max() < 5e-4 * np.abs(plane).max()
    assert np.abs(plane - free).max() > 0.05 * np.abs(free).max()


@pytest.mark.parametrize(("height", "axis"), [(0.08, "x"), (0.3, "z"), (0.25, (1, 0, 1))])
def test_a_tube_over_meadow_is_changed_as_the_wire_is(height, axis):
    """What the earth adds to the impedance of a fat dipole, as a sheet and as a wire."""
    way = {"x": (1, 0, 0), "z": (0, 0, 1)}.get(axis, axis) if isinstance(axis, str) else axis
    way = np.array(way, float) / np.linalg.norm(way)
    start, stop = (np.array([0, 0, height]) + s * 0.225 * way for s in (-1, 1))
    port = es.Port("feed", "tube", (0, 0, height), 0.02, across=tuple(way))

    def added(make):
        over, free = (z_of(make(medium))[0, 0] for medium in (es.earth("meadow"), es.free_space()))
        return over - free

    tube = es.Sheet("tube", shapes.cylinder(0.02, 0.45, base=tuple(start), axis=tuple(way)))
    wire = es.Wire("wire", [tuple(start), tuple(stop)], radius=0.01)
    sheet = added(lambda medium: es.Antenna("tube", [], [port], medium, sheets=[tube]))
    line = added(lambda medium: es.Antenna("wire", [wire], [es.Port("feed", "wire", gap=0.02)], medium))
    assert abs(sheet - line) < 0.01 * abs(line) + 0.1


def test_power_above_the_earth_and_into_it_is_what_goes_in():
    driven = es.solve(body(1, es.earth("meadow")), ONE_METRE).drive({"foot": es.volts(1)}, terminations={"feed": 50})
    budget = driven.budget()["power_W"]
    out = driven.power_through_box((-1.0, -1.0, 0.0), (1.0, 1.0, 0.9))
    assert out == pytest.approx(budget["accepted"] - budget["what closes port 'feed'"], rel=0.01)
    assert 0.1 < budget["radiated"] / budget["accepted"] < 0.9


@pytest.mark.parametrize("seed", range(2))
def test_receiving_is_sending_turned_round(seed):
    rng, solution = np.random.default_rng(seed), es.solve(body(seed, es.earth("marsh")), ONE_METRE)
    theta, phi = math.acos(rng.uniform(0.05, 1)), rng.uniform(0, 2 * math.pi)
    both = dict.fromkeys(("foot", "feed"), es.circuits.open_circuit())
    for number, (port, other) in enumerate((("foot", "feed"), ("feed", "foot"))):
        driven = solution.drive({port: es.amperes(1)}, terminations={other: es.circuits.open_circuit()})
        sent = driven.far_field().field(theta, phi)
        for e in ((1, 0), (0.3, 1j)):
            wave = es.plane_wave(math.degrees(theta), math.degrees(phi), *e)
            got = es.receive(solution, wave, terminations=both).voltages[number]
            want = 4 * math.pi / (2j * math.pi * es.constants.WAVE_IMPEDANCE) * (sent[0] * e[0] + sent[1] * e[1])
            assert got == pytest.approx(want, rel=1e-5)


def test_far_off_the_near_field_is_the_far_field():
    driven = es.solve(body(2, es.earth("meadow")), ONE_METRE).drive({"feed": es.volts(1)}, terminations={"foot": 50})
    near = driven.near_field([(96.0, 76.8, 102.4)])
    field = driven.far_field().field(math.acos(0.64), math.atan2(0.48, 0.6))
    assert np.linalg.norm(near.e) * 160.0 == pytest.approx(np.hypot(*np.abs(field)), rel=1e-2)


@pytest.mark.parametrize(
    ("sheet", "says"),
    [
        (
            shapes.plate(0.2, 0.2, centre=(0, 0, 0.1), axis="x"),
            "touches the earth at .* raise it, or take a perfect plane",
        ),
        (shapes.plate(0.2, 0.2, centre=(0, 0, 0.05), axis="x"), r"reaches 0\.05 m under the earth"),
        (shapes.plate(0.2, 0.2, centre=(0, 0, 1e-4)), "is 0.0001 m above the earth .* raise it"),
    ],
)
def test_what_the_check_finds_over_earth(sheet, says):
    rod = es.Wire("rod", [(0, 0.3, 0.5), (0, 0.3, 0.9)], radius=1e-3)
    antenna = es.Antenna("x", [rod], [es.Port("feed", "rod")], es.earth("meadow"), sheets=[es.Sheet("s", sheet)])
    with pytest.raises(es.ModelError, match=says):
        es.solve(antenna, ONE_METRE)
