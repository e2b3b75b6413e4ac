"""Near fields against the exact field of a sinusoidal current, Maxwell's equations, and power."""

import math

import numpy as np
import pytest
from models import ONE_METRE, dipole, monopole

import earshot as es
from earshot.constants import MAGNETIC_CONSTANT, WAVE_IMPEDANCE
from earshot.fields.currents import Currents
from earshot.fields.near import near_field
from earshot.meshing.mesh import mesh

HERTZ = 299_792_458.0
K = 2 * math.pi


def sinusoid(length, radius=1e-6):
    """A prescribed sinusoidal current of 1 A at its greatest, on a very thin wire."""
    grid = mesh(dipole(length, radius), 1.0, es.MeshRule(per_wavelength=800, growth=None))
    ends = np.sin(K * (length / 2 - np.abs(grid.nodes[grid.ends][:, :, 2]))).astype(complex)
    return Currents(grid, ends, HERTZ)


def test_sinusoidal_current_against_the_exact_expression():
    """Balanis 2016, eq. 8-53 to 8-58: three spherical waves from the ends and the middle."""
    length = 0.5
    points = np.array([[0.05, 0, 0.1], [0.3, 0, 0.4], [0.01, 0, -0.2], [2.0, 0, 1.0], [0.02, 0, 0.27]])
    found = near_field(sinusoid(length), points)
    x, z = points[:, 0], points[:, 2]
    r = np.hypot(x, z)
    r1, r2 = np.hypot(x, z - length / 2), np.hypot(x, z + length / 2)
    w, w1, w2 = (np.exp(-1j * K * d) / d for d in (r, r1, r2))
    cosine = math.cos(K * length / 2)
    ez = -1j * WAVE_IMPEDANCE / (4 * math.pi) * (w1 + w2 - 2 * cosine * w)
    ex = 1j * WAVE_IMPEDANCE / (4 * math.pi * x) * ((z - length / 2) * w1 + (z + length / 2) * w2 - 2 * z * cosine * w)
    hy = 1j / (4 * math.pi * x) * (r1 * w1 + r2 * w2 - 2 * cosine * r * w)
    size = np.hypot(abs(ex), abs(ez))
    assert (np.hypot(abs(found.e[:, 0] - ex), abs(found.e[:, 2] - ez)) / size).max() < 1e-3
    assert (abs(found.h[:, 1] - hy) / abs(hy)).max() < 1e-3


def test_solved_field_obeys_curl_e():
    """H from the sum agrees with curl E / -jωµ, by central differences."""
    driven = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive()
    place, step = np.array([0.03, 0.02, 0.11]), 2e-4
    e = {
        (axis, sign): driven.near_field(place + sign * step * np.eye(3)[axis]).e
        for axis in range(3)
        for sign in (1, -1)
    }
    slope = [(e[axis, 1] - e[axis, -1]) / (2 * step) for axis in range(3)]
    curl = np.array(
        [slope[1][2] - slope[2][1], slope[2][0] - slope[0][2], slope[0][1] - slope[1][0]]
    )  # fmt: skip
    h = driven.near_field(place).h
    exact = curl / (-1j * 2 * math.pi * HERTZ * MAGNETIC_CONSTANT)
    assert np.linalg.norm(h - exact) < 1e-3 * np.linalg.norm(h)


def test_power_leaves_a_box():
    driven = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive()
    assert driven.power_through_box((-0.1, -0.12, -0.35), (0.13, 0.1, 0.3)) == pytest.approx(driven.accepted, rel=0.01)
    whip = es.solve(monopole(0.24, 1e-3), ONE_METRE).drive()
    assert whip.power_through_box((-0.1, -0.1, 0), (0.1, 0.1, 0.4)) == pytest.approx(whip.accepted, rel=0.01)


def test_far_away_it_is_the_far_field():
    driven = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive()
    r, theta = 400.0, np.radians([30.0, 60.0, 90.0])
    points = r * np.stack([np.sin(theta), 0 * theta, np.cos(theta)], axis=1)
    near = driven.near_field(points)
    e_theta, _ = driven.far_field().field(theta, 0.0)
    tangential = near.e[:, 0] * np.cos(theta) - near.e[:, 2] * np.sin(theta)
    np.testing.assert_allclose(tangential * r * np.exp(1j * K * r), e_theta, rtol=2e-3)
    np.testing.assert_allclose(near.magnitude("S"), driven.far_field().intensity(theta, 0.0) / r**2, rtol=1e-3)


def test_tangential_field_on_the_wire_is_what_was_impressed():
    """Along the surface: the voltage across the gap, and next to nothing on the metal beside it."""
    radius = 5e-3
    driven = es.solve(dipole(0.47, radius), ONE_METRE, rule=es.MeshRule(per_wavelength=200, port_share=16)).drive(
        es.volts(1)
    )
    z = np.linspace(-0.15, 0.15, 1201)
    along = driven.near_field(np.stack([0 * z + 1.02 * radius, 0 * z, z], axis=1)).e[:, 2]
    gap = np.abs(z) < 6 * radius
    # The incident field is +V/gap where the scattered field is -V/gap: a voltage of -1 across the gap.
    assert np.trapezoid(along[gap], z[gap]) == pytest.approx(-1.0, abs=0.01)
    assert np.abs(np.trapezoid(along[z > 6 * radius], z[z > 6 * radius])) < 0.01
    # Averaged over a radius, as the tests of a radius-long segment are, nothing is left on bare metal.
    smooth = np.convolve(along, np.ones(20) / 20, mode="same")
    assert np.abs(smooth[np.abs(z) > 8 * radius]).max() < 0.01 * np.abs(along).max()


def test_points_are_named_and_metal_is_refused():
    driven = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive()
    with pytest.raises(es.UsageError, match=r"\(0, 0, 0\.1\) m lies 0\.001 m inside metal"):
        driven.near_field([(0, 0, 0.1), (1, 0, 0)])
    both = driven.near_field([(0, 0, 0.1), (1, 0, 0)], in_metal="zero").magnitude()
    assert both[0] == 0 < both[1]
    with pytest.raises(es.UsageError, match="must hold x, y, z"):
        driven.near_field([(0, 1)])
    grid = es.fields.plane_of_points((0.1, 0, -0.5), (1, 0, 0), (0, 0, 1), (5, 7))
    labelled = driven.near_field(grid).to_dataset()
    assert labelled["Ez"].shape == (5, 7)
    assert labelled["power_density"].attrs["units"] == "W/m2"
    box = es.fields.box_of_points((0.1, -0.1, -0.1), (0.2, 0.1, 0.1), (2, 3, 4))
    assert driven.near_field(box).magnitude("H").shape == (2, 3, 4)
    line = driven.near_field(es.fields.line_of_points(("10 cm", 0, 0), ("1 m", 0, 0), 4))
    assert np.all(np.diff(line.magnitude("E", rms=True)) < 0)
    np.testing.assert_allclose(line.magnitude("H"), math.sqrt(2) * line.magnitude("H", rms=True))


def test_contours_of_a_limit_lie_where_the_field_has_it():
    driven = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive(es.watts(10))
    field = driven.near_field(es.fields.plane_of_points((0.3, 0, -1), (3, 0, 0), (0, 0, 2), (61, 41)))
    lines = field.contour(10.0, "E", rms=True)
    assert lines
    along = driven.near_field(np.concatenate(lines)).magnitude("E", rms=True)
    np.testing.assert_allclose(along, 10.0, rtol=0.01)
    with pytest.raises(es.UsageError, match="not a plane"):
        driven.near_field([(1, 0, 0)]).contour(1.0)
