"""What no change of description may change, and what symmetry fixes."""

import dataclasses
import math

import numpy as np
import pytest
from models import dipole, horizontal, monopole, pair

import earshot as es

HERTZ = 299_792_458.0
BENT = es.Antenna(
    "bent",
    [
        es.Wire("leg", [(0.05, 0.02, 0.01), (0.1, 0.12, 0.2), (0.3, 0.1, 0.22)], radius=2e-3),
        es.Wire("arm", [(0.3, 0.1, 0.22), (0.32, 0.3, 0.4)], radius=3e-3),
        es.Wire("stub", [(0.3, 0.1, 0.22), (0.4, 0.0, 0.3)], radius=1e-3),
    ],
    [es.Port("a", on="leg", at=0.3), es.Port("b", on="arm", at=0.6)],
)


def z(antenna, frequency=HERTZ):
    return es.solve(antenna, frequency).network.z().values[0]


def same(one, two, tolerance=1e-8):
    assert np.abs(one - two).max() <= tolerance * np.abs(one).max()


def test_scaling():
    same(z(BENT), z(BENT.scaled(3.7), HERTZ / 3.7))


def test_moving_and_turning():
    same(z(BENT), z(BENT.moved((1.2, "-30 cm", 5)).rotated("37 deg", axis=(1, 2, 3), about=(0.1, 0, 0))))


def test_renaming():
    wires = [dataclasses.replace(w) for w in BENT.wires]
    wires = [es.Wire(f"x{w.name}", w.points, radius=w.radius) for w in wires]
    ports = [es.Port(p.name, on=f"x{p.on}", at=p.at) for p in BENT.ports]
    same(z(BENT), z(es.Antenna("other", wires[::-1], ports)))


def test_reversing():
    wires = [es.Wire(w.name, w.points[::-1], radius=w.radius) for w in BENT.wires]
    ports = [es.Port(p.name, on=p.on, at=1 - p.at) for p in BENT.ports]
    same(z(BENT), z(es.Antenna("reversed", wires, ports)))


def test_splitting_at_a_corner_and_at_a_node_of_the_mesh():
    leg = BENT.wires[0]
    halves = [
        es.Wire("leg", leg.points[:2], radius=leg.radius),
        es.Wire("rest", leg.points[1:], radius=leg.radius),
    ]
    port = es.Port("a", on="leg", at=f"{0.3 * leg.length!r} m")
    same(z(BENT), z(BENT.with_(*halves, port)))

    whole = dipole(0.48, 1e-3)
    node = float(es.solve(whole, HERTZ).mesh.arc[10, 1]) - 0.24
    wires = [
        es.Wire("dipole", [(0, 0, node), (0, 0, 0.24)], radius=1e-3),
        es.Wire("rest", [(0, 0, -0.24), (0, 0, node)], radius=1e-3),
    ]
    split = whole.with_(*wires, es.Port("dipole", on="dipole", at=f"{-node!r} m"))
    same(z(whole), z(split))


def test_passivity_and_reciprocity():
    matrix = z(BENT)
    assert np.linalg.eigvalsh(matrix.real).min() > 0
    same(matrix, matrix.T, 1e-12)


def test_images():
    """Horizontal over a perfect plane is Z11 - Z12 of the pair, vertical Z11 + Z12."""
    over = z(horizontal(0.48, 1e-3, 0.2))[0, 0]
    beside = z(pair(0.48, 1e-3, 6, dx=0.4))
    assert over == pytest.approx(beside[0, 0] - beside[0, 1], rel=1e-8)
    upright = z(dipole(0.48, 1e-3, z=0.3).over(es.perfect_plane()))[0, 0]
    stacked = z(pair(0.48, 1e-3, 6, dz=0.6))
    assert upright == pytest.approx(stacked[0, 0] + stacked[0, 1], rel=1e-8)


def test_monopole_is_half_its_dipole_with_twice_the_directivity():
    foot, whole = es.solve(monopole(0.24, 1e-3), HERTZ), es.solve(dipole(0.48, 1e-3), HERTZ)
    assert foot.network.z().values[0, 0, 0] == pytest.approx(whole.network.z().values[0, 0, 0] / 2, rel=1e-6)
    one, two = foot.drive().far_field(), whole.drive().far_field()
    assert one.directivity(*one.peak) == pytest.approx(2 * two.directivity(*two.peak), rel=1e-6)


def test_directivity_averages_to_one():
    beam = es.solve(BENT, HERTZ).drive({"a": es.watts(1)}).far_field()
    sphere = beam.sphere("2 deg")
    theta = np.radians(sphere.theta.values)
    ratio = 10 ** (sphere.directivity.values[:, :-1] / 10)
    average = np.trapezoid(ratio.mean(axis=1) * np.sin(theta), theta) / 2
    assert average == pytest.approx(1.0, abs=1e-3)


def test_two_half_drives_are_one_whole_drive():
    """Everything after the solve is linear: fields of two drives add up to the field of both."""
    answer = es.solve(BENT, HERTZ)
    angles = (np.array([0.3, 1.1, 2.0]), np.array([0.1, 2.0, 4.0]))
    both = answer.drive({"a": es.volts(1), "b": es.volts(2, phase="40 deg")}).far_field().field(*angles)
    turn = 2 * np.exp(1j * math.radians(40))
    one = answer.drive({"a": es.volts(1), "b": es.volts(0)}).far_field().field(*angles)
    two = answer.drive({"a": es.volts(0), "b": es.volts(1)}).far_field().field(*angles)
    np.testing.assert_allclose(both, np.array(one) + turn * np.array(two), rtol=1e-10)
