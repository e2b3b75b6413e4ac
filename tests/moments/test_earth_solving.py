"""Wires over real earth: what must hold whatever the numbers are."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.constants import ELECTRIC_CONSTANT, SPEED_OF_LIGHT
from earshot.moments.earth import earth_block

FREQUENCY = 150e6
WAVE = SPEED_OF_LIGHT / FREQUENCY
K = 2 * math.pi / WAVE


def dipole(medium, height=0.35, tilt=0.0, turn=0.0):
    half = 0.24 * WAVE * np.array(
        [math.cos(tilt) * math.cos(turn), math.cos(tilt) * math.sin(turn), math.sin(tilt)]
    )  # fmt: skip
    middle = np.array([0, 0, height * WAVE])
    wire = es.Wire("rod", [tuple(middle - half), tuple(middle + half)], radius="2 mm")
    return es.Antenna("dipole", [wire], [es.Port("feed", "rod", at=0.5)], medium)


def drooping(medium):
    corners = [(-0.2, -0.1, 0.25), (0, 0, 0.4), (0.2, -0.1, 0.25)]
    wire = es.Wire("vee", [tuple(WAVE * x for x in c) for c in corners], radius="1 mm")
    return es.Antenna("vee", [wire], [es.Port("feed", "vee", at=0.25)], medium)


def impedance(antenna, rule=None):
    return es.solve(antenna, FREQUENCY, rule=rule).network.z().values[0, 0, 0]


def test_earth_of_air_is_free_space():
    for antenna in (
        dipole(es.materials.Earth("air", 1.0, 0.0), tilt=0.7),
        drooping(es.materials.Earth("air", 1.0, 0.0)),
    ):
        assert impedance(antenna) == pytest.approx(impedance(antenna.over(es.free_space())), rel=1e-6)


def test_kernels_of_the_best_earth_tend_to_images():
    rho, zeta = np.array([1e-3, 0.4, 2.0, 9.0]), np.array([0.5, 0.2, 3.0, 0.3])
    image = np.exp(-1j * np.hypot(rho, zeta)) / np.hypot(rho, zeta)
    off = [np.abs(es.layers.reflection(complex(1, -size), rho, zeta).gv - image).max() for size in (1e6, 1e8, 1e10)]
    assert off[0] / off[1] == pytest.approx(10, rel=0.01)
    assert off[1] / off[2] == pytest.approx(10, rel=0.01)
    assert np.allclose(es.layers.reflection(complex(1, -1e10), rho, zeta).ga, -image, rtol=1e-4)


@pytest.mark.parametrize("make", [lambda m: dipole(m, 0.3, math.pi / 2), lambda m: dipole(m, 0.3, 0.6), drooping])
def test_the_best_earth_is_a_perfect_plane(make):
    wanted = impedance(make(es.perfect_plane()))
    earth = es.materials.Earth("metal", 1.0, 1e10 * 2 * math.pi * FREQUENCY * ELECTRIC_CONSTANT)
    assert impedance(make(earth)) == pytest.approx(wanted, rel=3e-4)


def test_blocks_that_are_not_mirrored_are_symmetric():
    antenna = drooping(es.earth("marsh"))
    basis = es.solve(antenna, FREQUENCY).response.basis
    every = np.arange(basis.size)
    whole = earth_block(basis, antenna.medium.at(FREQUENCY), FREQUENCY, every, every)
    assert np.abs(whole - whole.T).max() < 1e-5 * np.abs(whole).max()
    part = earth_block(basis, antenna.medium.at(FREQUENCY), FREQUENCY, [1, 5], [2, 7, 9])
    assert np.allclose(part, whole[np.ix_([1, 5], [2, 7, 9])], rtol=1e-12)


def test_turning_about_the_vertical_changes_nothing():
    earth = es.earth("meadow")
    assert impedance(dipole(earth, tilt=0.5, turn=1.1)) == pytest.approx(impedance(dipole(earth, tilt=0.5)), rel=1e-5)


@pytest.mark.parametrize("tilt", [0.0, 0.8, math.pi / 2])
def test_power_into_the_earth_and_above_it_is_what_goes_in(tilt):
    driven = es.solve(dipole(es.earth("meadow"), 0.3, tilt), FREQUENCY).drive()
    # Gauss rings over the surface, out to where the wave along it has gone.
    x, w = np.polynomial.legendre.leggauss(60)
    s = 0.5 * (x + 1)
    rho, weights = 60 * WAVE * s**4, 0.5 * w * 60 * WAVE * 4 * s**3
    phi = 2 * math.pi * np.arange(16) / 16
    points = np.stack(np.broadcast_arrays(rho[:, None] * np.cos(phi), rho[:, None] * np.sin(phi), 0.0), axis=-1)
    down = -driven.near_field(points).poynting[..., 2].mean(axis=1) * 2 * math.pi * rho @ weights
    above = driven.far_field().radiated
    assert down + above == pytest.approx(driven.accepted, rel=0.01)
    assert driven.budget().loc["earth (remainder)", "power_W"] == pytest.approx(down, rel=0.02)


def test_what_leaves_a_box_on_the_earth_is_what_goes_in():
    driven = es.solve(dipole(es.earth("meadow"), 0.3), FREQUENCY).drive()
    assert driven.power_through_box((-2, -2, 0), (2, 2, 1.6)) == pytest.approx(driven.accepted, rel=5e-3)
    with pytest.raises(es.UsageError, match="is in the earth"):
        driven.power_through_box((-2, -2, -1), (2, 2, 1.6))


def test_bent_wires_converge_under_refinement():
    earth = es.earth("meadow")
    base = WAVE * np.array([(0, 0, 0.02), (0, 0, 0.15), (0.15, 0, 0.15)])
    ell = es.Wire("ell", [tuple(p) for p in base], radius="1 mm")
    ell = es.Antenna("ell", [ell], [es.Port("feed", "ell", at=0.2)], earth)
    for antenna in (ell, drooping(earth)):
        z = [impedance(antenna, es.MeshRule(per_wavelength=n)) for n in (60, 120, 240)]
        assert abs(z[2] - z[1]) < 4e-3 * abs(z[2])
        assert abs(z[1] - z[0]) < 8e-3 * abs(z[2])


def test_reciprocity_with_a_plane_wave():
    answer = es.solve(dipole(es.earth("sea"), 0.3, 0.6), FREQUENCY)
    for theta, phi in ((0.4, 0.3), (1.3, 2.0)):
        sent = answer.drive(es.amperes(1)).far_field().field(theta, phi)
        for e in ((1, 0), (0.3, 1j)):
            wave = es.plane_wave(math.degrees(theta), math.degrees(phi), *e)
            got = es.receive(answer, wave, terminations={"feed": es.circuits.open_circuit()}).voltages[0]
            want = 4 * math.pi / (1j * K * es.constants.WAVE_IMPEDANCE) * (sent[0] * e[0] + sent[1] * e[1])
            assert got == pytest.approx(want, rel=1e-5)


def test_near_field_far_off_is_the_far_field():
    driven = es.solve(dipole(es.earth("meadow"), 0.3, 0.6), FREQUENCY).drive()
    theta, r = 0.9, 200 * WAVE
    near = driven.near_field([(r * math.sin(theta), 0, r * math.cos(theta))])
    e_theta, e_phi = driven.far_field().field(theta, 0.0)
    assert np.linalg.norm(near.e) * r == pytest.approx(math.hypot(abs(e_theta), abs(e_phi)), rel=2e-3)


def test_two_antennas_share_one_earth():
    earth = es.earth("meadow")
    both = dipole(earth).prefixed("a ") + dipole(earth, tilt=math.pi / 2).moved((0.4 * WAVE, 0, 0)).prefixed("b ")
    z = es.solve(both, FREQUENCY).network.z().values[0]
    assert z[0, 1] == pytest.approx(z[1, 0], rel=1e-9)
    assert np.linalg.eigvalsh(z.real).min() > 0


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda e: dipole(e, 0.1, math.pi / 2), "under the surface of the earth"),
        (lambda e: dipole(e, 0.0), "touches the earth"),
        (lambda e: dipole(e, 0.003), "less than 4 radii"),
    ],
)
def test_what_cannot_stand_over_earth_is_told(make, says):
    with pytest.raises(es.ModelError, match=says):
        es.solve(make(es.earth("meadow")), FREQUENCY)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: es.earth("meadows"), "did you mean 'meadow'"),
        (lambda: es.materials.Earth("mine", 0.5, 0.0), "permittivity 0.5 is below 1"),
        (lambda: es.materials.Earth("mine", 5, -1.0), "conductivity -1.0 is below 0"),
        (lambda: es.solve(dipole(es.free_space()), FREQUENCY).drive(1.0), "1.0 is not a source"),
    ],
)
def test_earth_that_cannot_be_is_told(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def test_lobes_and_resistances_over_earth():
    driven = es.solve(dipole(es.earth("meadow"), 1.5), FREQUENCY).drive()
    lobes = driven.far_field().take_off("90 deg")
    # A level dipole at height h has its lobes where sin(elevation) is about (2n + 1)/4h, in wavelengths.
    assert sorted(lobes["elevation_deg"])[0] == pytest.approx(math.degrees(math.asin(1 / 6)), abs=0.7)
    assert sorted(lobes["elevation_deg"])[1] == pytest.approx(30, abs=1.5)
    assert lobes["gain_dBi"].is_monotonic_decreasing
    parts = driven.resistances()
    assert parts["whole"] == pytest.approx(driven.ports_table()["active_impedance_ohm"].iloc[0].real, rel=1e-9)
    assert parts.drop("whole").sum() == pytest.approx(parts["whole"], rel=1e-9)
    assert driven.far_field().below.startswith("meadow")
