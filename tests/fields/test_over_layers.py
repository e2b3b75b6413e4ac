"""Near fields over layers, and plane waves on them."""

import math
from dataclasses import replace

import numpy as np
import pytest

import earshot as es
from earshot.constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, SPEED_OF_LIGHT, WAVE_IMPEDANCE
from earshot.fields.near import near_field

FREQUENCY = 2.35e9
WAVE = SPEED_OF_LIGHT / FREQUENCY
K = 2 * math.pi / WAVE
COVERED = es.Stack([es.Layer("1.6 mm", es.Dielectric("glass", 4.4)), es.Layer("0.8 mm", es.Dielectric("lid", 2.2))], 1)


def board(medium):
    pin = es.Wire("pin", [(6e-3, 3e-3, 0), (6e-3, 3e-3, 1.6e-3)], radius=0.5e-3)
    sheet = es.Sheet("patch", es.shapes.plate("29 mm", "38 mm", centre=(0, 0, 1.6e-3)))
    return es.solve(es.Antenna("patch", [pin], [es.Port("feed", "pin", at=0)], medium, sheets=[sheet]), FREQUENCY)


@pytest.fixture(scope="module")
def glass():
    return board(es.substrate("1.6 mm", 4.4))


def test_over_a_layer_of_air_it_is_that_of_currents_and_images():
    driven = board(es.Stack(es.Layer("1.6 mm", "air"))).drive()
    points = np.array([[10, 12, 3.6], [30, 0, 1.8], [50, 20, 1.6], [6, 4, 1.7], [0, 0, 30]]) / 1000
    mirror = np.array([1.0, 1.0, -1.0])
    flow = driven.flow
    # The probe and its image are wires over a plane; the metal in free space is seen from over and under it.
    pin = near_field(replace(flow, medium=es.perfect_plane(), sheets=None), points)
    alone = replace(flow, medium=es.free_space(), ends=0.0 * flow.ends)
    over, under = near_field(alone, points), near_field(alone, points * mirror)
    e, h = pin.e + over.e - under.e * mirror, pin.h + over.h + under.h * mirror
    got = driven.near_field(points)
    for found, wanted in ((got.e, e), (got.h, h)):
        assert np.all(np.linalg.norm(found - wanted, axis=1) < 1e-3 * np.linalg.norm(wanted, axis=1))


@pytest.mark.parametrize("medium", [es.substrate("1.6 mm", 4.4), COVERED])
def test_far_off_it_is_the_far_field(medium):
    driven = board(medium).drive()
    theta, phi, r = 0.6, 1.0, 25 * WAVE
    outward = np.array([math.sin(theta) * math.cos(phi), math.sin(theta) * math.sin(phi), math.cos(theta)])
    near = driven.near_field(r * outward[None])
    e_theta, e_phi = driven.far_field().field(theta, phi)
    along = np.array([math.cos(theta) * math.cos(phi), math.cos(theta) * math.sin(phi), -math.sin(theta)])
    across = np.array([-math.sin(phi), math.cos(phi), 0.0])
    assert abs(near.e[0] @ along) * r == pytest.approx(abs(e_theta), rel=3e-3)
    assert abs(near.e[0] @ across) * r == pytest.approx(abs(e_phi), rel=3e-3)
    assert np.linalg.norm(near.h) * WAVE_IMPEDANCE == pytest.approx(np.linalg.norm(near.e), rel=1e-3)


def test_maxwell_holds_close_over_the_layers(glass):
    """curl E = -jωµ0 H and curl H = jωε0 E by differences, 2 mm over the board and beside the patch."""
    place, step, omega = np.array([0.03, 0.012, 3.6e-3]), 2e-4, 2 * math.pi * FREQUENCY
    beside = [place + sign * step * axis for axis in np.eye(3) for sign in (1, -1)]
    got = glass.drive().near_field([place, *beside])

    def curl(f):
        dx, dy, dz = ((f[1 + 2 * i] - f[2 + 2 * i]) / (2 * step) for i in range(3))
        return np.array([dy[2] - dz[1], dz[0] - dx[2], dx[1] - dy[0]])

    e, h = got.e[0], got.h[0]
    assert np.linalg.norm(curl(got.e) / (-1j * omega * MAGNETIC_CONSTANT) - h) < 2e-3 * np.linalg.norm(h)
    assert np.linalg.norm(curl(got.h) / (1j * omega * ELECTRIC_CONSTANT) - e) < 2e-3 * np.linalg.norm(e)


def test_on_the_metal_the_field_is_square_to_it(glass):
    got = glass.drive().near_field([(0.012, 0.01, 2.2e-3), (-0.01, 0.0, 2.2e-3)])
    assert np.all(np.linalg.norm(got.e[:, :2], axis=1) < 0.35 * np.abs(got.e[:, 2]))


@pytest.mark.parametrize("medium", [es.substrate("1.6 mm", 4.4, 0.01), COVERED])
def test_open_circuit_voltage_over_layers_is_the_transmitted_field(medium):
    answer = board(medium)
    scale = 4 * math.pi / (1j * K * WAVE_IMPEDANCE)
    for theta, phi in ((0.0, 0.0), (0.9, 2.0)):
        sent = answer.drive(es.amperes(1)).far_field().field(theta, phi)
        for e_theta, e_phi in ((1, 0), (0, 1), (0.6, 0.8j)):
            wave = es.plane_wave(math.degrees(theta), math.degrees(phi), e_theta, e_phi)
            got = es.receive(answer, wave, terminations={"feed": es.circuits.open_circuit()}).voltages[0]
            assert abs(got - scale * (sent[0] * e_theta + sent[1] * e_phi)) < 1e-6 * abs(scale) * np.linalg.norm(sent)


@pytest.mark.parametrize(
    ("ask", "says"),
    [
        (lambda d: d.near_field([(0.006, 0.0032, 1e-3)]), "lies inside a wire"),
        (lambda d: d.near_field([(0.001, 0.001, 1.6e-3)]), "lies on a sheet"),
        (lambda d: d.near_field(es.fields.line_of_points((0, 0, 0.01), (0, 0, 1), 500)), "500 different heights"),
        (lambda d: d.power_through_box((-1, -1, 0), (1, 1, 0)), "leave no room"),
    ],
)
def test_what_has_no_near_field_is_told(glass, ask, says):
    with pytest.raises(es.UsageError, match=says):
        ask(glass.drive())


def test_no_points_have_no_field(glass):
    assert glass.drive().near_field(np.zeros((0, 3))).e.shape == (0, 3)


def test_a_wave_from_below_is_refused(glass):
    with pytest.raises(es.UsageError, match="from below the plane"):
        es.scatter(glass.antenna, es.plane_wave("120 deg", 0, 1), FREQUENCY)
