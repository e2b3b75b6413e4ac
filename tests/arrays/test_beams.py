"""Ideal arrays against closed forms: nulls, widths, lobes, directivity, steering, squint, and all ways of summing."""

import math

import numpy as np
import pytest
from scipy.special import j0

import earshot as es
from earshot import arrays

HERTZ = 5.8e9
WAVE = 299792458.0 / HERTZ
K = 2 * math.pi / WAVE


def level(array, weights, theta, phi=0.0):
    beam = array.beam(HERTZ, weights)
    theta = np.asarray(theta, float)
    return beam.intensity(theta, phi) / beam.intensity(*beam.peak)


def isotropic(layout):
    return arrays.Array(layout, arrays.isotropic())


@pytest.mark.parametrize("count", [2, 8, 21])
def test_a_uniform_line_has_the_nulls_and_width_of_the_books(count):
    array = isotropic(arrays.line(count, WAVE / 2))
    nulls = np.arcsin(2 * np.arange(1, count // 2 + 1) / count)
    assert level(array, array.uniform(), nulls).max() < 1e-20
    beam = array.beam(HERTZ)
    # Along the x-z plane, where the beam is, sin(n ψ/2)/(n sin ψ/2) is down to the root of a half.
    width = math.radians(beam.beamwidth("E")) if count > 2 else 2 * math.asin(0.5)
    psi = 0.5 * math.pi * math.sin(width / 2)
    assert abs(math.sin(count * psi) / (count * math.sin(psi))) == pytest.approx(math.sqrt(0.5), rel=1e-6)


@pytest.mark.parametrize(("name", "options"), [("chebyshev", {"side_lobe": 20}), ("chebyshev", {"side_lobe": 45})])
def test_chebyshev_lobes_are_all_at_their_level(name, options):
    array = isotropic(arrays.line(15, WAVE / 2))
    theta = np.linspace(0, math.pi / 2, 20001)
    power = 10 * np.log10(level(array, array.tapered(name, **options), theta))
    tops = power[1:-1][(power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:])]
    assert len(tops) >= 6
    assert np.abs(tops + options["side_lobe"]).max() < 1e-3


def test_taylor_lobes_begin_at_their_level_and_fall():
    array = isotropic(arrays.line(60, WAVE / 2))
    power = 10 * np.log10(level(array, array.tapered("taylor", side_lobe=30, orders=6), np.linspace(0, 1.5, 40001)))
    tops = power[1:-1][(power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:])]
    assert tops[0] == pytest.approx(-30, abs=0.6)
    assert (np.diff(tops[6:16]) < 0).all()


def test_a_round_taylor_taper_has_its_level():
    whole = arrays.hexagon(28, WAVE / 2)
    array = isotropic(whole.chosen(np.linalg.norm(whole.positions, axis=1) < 12 * WAVE))
    theta = np.linspace(0, 0.6, 3001)
    power = 10 * np.log10(level(array, array.tapered("taylor", round_=True, side_lobe=30, orders=5), theta, 0.3))
    tops = power[1:-1][(power[1:-1] > power[:-2]) & (power[1:-1] >= power[2:])]
    assert tops.max() == pytest.approx(-30, abs=1.5)


@pytest.mark.parametrize(
    "layout", [arrays.line(7, 0.31 * WAVE), arrays.ring(9, 0.8 * WAVE), arrays.scattered(12, 0.2, 0.2, 0.4 * WAVE)]
)
def test_directivity_of_isotropic_elements_is_the_double_sum(layout):
    array = isotropic(layout)
    random = np.random.default_rng(2)
    weights = arrays.Weights(random.normal(size=len(layout)) + 1j * random.normal(size=len(layout)))
    way = arrays.direction("50 deg", "20 deg")
    wanted = arrays.isotropic_directivity(layout.positions, weights.values, HERTZ, way)
    found = array.beam(HERTZ, weights).directivity(math.radians(50), math.radians(20))
    assert float(found) == pytest.approx(wanted, rel=1e-9)


def test_a_full_ring_is_a_bessel_function():
    array, radius = isotropic(arrays.ring(40, 1.5 * WAVE)), 1.5 * WAVE
    theta = np.linspace(0, math.pi / 2, 50)
    beam = array.beam(HERTZ)
    ratio = beam.intensity(theta, 0.4) / beam.intensity(0.0, 0.0)
    assert np.allclose(ratio, j0(K * radius * np.sin(theta)) ** 2, atol=1e-8)


@pytest.mark.parametrize(("element", "gain"), [
    (arrays.cosine(0.5), 4.0), (arrays.cosine(2), 10.0), (arrays.half_wave_dipole("y"), 1.6409),
    (arrays.isotropic(), 1.0),
])  # fmt: skip
def test_elements_radiate_one_watt_and_have_their_directivity(element, gain):
    beam = arrays.Array(arrays.Layout([[0, 0, 0]]), element).beam(HERTZ)
    assert beam.radiated == pytest.approx(1.0, rel=2e-3)
    assert float(beam.gain(0.0, 0.0)) == pytest.approx(gain, rel=1e-4)


def test_steering_by_phase_squints_and_by_delay_does_not():
    array = arrays.Array(arrays.grid(12, 8, WAVE / 2), arrays.cosine())
    by_phase = array.steered(frequency=HERTZ, theta="30 deg", phi="0 deg")
    by_delay = array.steered(frequency=HERTZ, theta="30 deg", phi="0 deg", delays=True)
    assert (by_delay.delays >= 0).all()
    factor = np.exp(1j * K * array.layout.positions @ arrays.direction("30 deg", "0 deg"))
    for weights in (by_phase, by_delay):
        assert abs(weights.at(HERTZ) @ factor) == pytest.approx(len(array))
    lower = 0.9 * HERTZ
    peaks = [math.degrees(array.beam(lower, w).peak[0]) for w in (by_phase, by_delay)]
    # sin θ goes as one over the frequency; the element pulls both towards its own beam a little.
    assert peaks[0] > peaks[1] + 2.5
    assert peaks[1] == pytest.approx(30, abs=1.0)


def test_end_fire_and_its_increased_directivity():
    """Ten elements a quarter wave apart: 10 and, increased, 1.805 times that, nearly (Balanis 2016, sec. 6.8.2)."""
    array = isotropic(arrays.line(10, WAVE / 4))
    ordinary = array.beam(HERTZ, array.end_fire(frequency=HERTZ))
    more = array.beam(HERTZ, array.end_fire(frequency=HERTZ, increased=True))
    assert float(ordinary.directivity(math.pi / 2, 0)) == pytest.approx(10, rel=0.03)
    assert float(more.directivity(math.pi / 2, 0)) == pytest.approx(17.9, rel=0.03)


def test_difference_beams_and_nulls():
    array = arrays.Array(arrays.grid(10, 6, WAVE / 2), arrays.cosine())
    weights = array.steered(array.tapered("taylor"), frequency=HERTZ, theta="15 deg", phi="90 deg")
    off = array.beam(HERTZ, array.difference(weights, "y"))
    assert off.intensity(math.radians(15), math.pi / 2) < 1e-20
    ways = [arrays.direction("40 deg", "90 deg"), arrays.direction("35 deg", "10 deg")]
    quiet = array.beam(HERTZ, array.with_nulls(weights, ways, HERTZ))
    kept = array.beam(HERTZ, weights)
    for theta, phi in ((40, 90), (35, 10)):
        assert quiet.intensity(math.radians(theta), math.radians(phi)) < 1e-20
    assert float(quiet.gain(*quiet.peak) / kept.gain(*kept.peak)) > 0.9


def test_two_beams_at_once():
    array = arrays.Array(arrays.grid(16, 4, WAVE / 2), arrays.cosine())
    both = sum((array.steered(frequency=HERTZ, theta=t, phi="0 deg") for t in ("20 deg", "-25 deg")),
               start=arrays.Weights(np.zeros(64) + 1e-12))  # fmt: skip
    beam = array.beam(HERTZ, both)
    lobes = [float(beam.intensity(math.radians(abs(t)), 0 if t > 0 else math.pi)) for t in (20, -25)]
    assert min(lobes) > 0.7 * max(lobes)
    assert min(lobes) > 3 * float(beam.intensity(0.0, 0.0))


LAYOUTS = {
    "line": arrays.line(40, 0.7 * WAVE),
    "column": arrays.line(40, 0.5 * WAVE, "z"),
    "grid": arrays.grid(20, 17, 0.6 * WAVE, 0.55 * WAVE, skew="20 deg"),
    "hexagon": arrays.hexagon(7, 0.6 * WAVE).moved((0.1, 0.02, 0.3)),
    "thinned": arrays.thinned(arrays.grid(30, 30, 0.5 * WAVE), 0.4, seed=3),
    "turned": arrays.grid(9, 8, 0.5 * WAVE).turned("30 deg", "x"),
    "ring": arrays.ring(300, 6 * WAVE),
    "scattered": arrays.scattered(300, 0.8, 0.7, 0.4 * WAVE, seed=1),
    "cylinder": arrays.cylinder(12, 5, 2 * WAVE, 0.6 * WAVE),
}


@pytest.mark.parametrize("name", LAYOUTS)
def test_every_way_of_summing_agrees_with_the_direct_sum(name):
    layout = LAYOUTS[name]
    random = np.random.default_rng(5)
    weights = random.normal(size=len(layout)) + 1j * random.normal(size=len(layout))
    ways = random.normal(size=(2000, 3))
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    wanted = np.exp(1j * K * ways @ layout.positions.T) @ weights
    ways_of = ["auto", "direct", "scattered"] + (["lattice"] if layout.lattice is not None else [])
    for how in ways_of:
        found = arrays.array_factor(layout.positions, weights, ways, K, layout.lattice, how)
        assert np.abs(found - wanted).max() < 1e-6 * np.abs(wanted).max()
    if layout.lattice is not None:
        # Weights that are a product go another way.
        even = arrays.array_factor(layout.positions, np.ones(len(layout)), ways, K, layout.lattice, "lattice")
        assert np.abs(even - np.exp(1j * K * ways @ layout.positions.T).sum(axis=1)).max() < 1e-6 * len(layout)


def test_grating_lobes_are_where_they_are_predicted():
    array = arrays.Array(arrays.grid(16, 16, 0.9 * WAVE), arrays.cosine(0.5))
    way = arrays.direction("30 deg", "0 deg")
    (lobe,) = arrays.grating_lobes(array, way, HERTZ).to_dict("records")
    assert lobe["u"] == pytest.approx(0.5 - 1 / 0.9)
    beam = array.beam(HERTZ, array.steered(frequency=HERTZ, theta="30 deg", phi="0 deg"))
    there = beam.intensity(math.radians(lobe["theta_deg"]), math.radians(lobe["phi_deg"]))
    here = beam.intensity(math.radians(30), 0.0)
    assert 10 * math.log10(there / here) == pytest.approx(lobe["level_dB"], abs=1e-6)
    close = arrays.Array(arrays.grid(16, 16, 0.5 * WAVE), arrays.cosine(0.5))
    assert arrays.grating_lobes(close, way, HERTZ).empty


def test_figures_of_a_beam():
    array = arrays.Array(arrays.grid(12, 12, WAVE / 2), arrays.cosine())
    flat = arrays.beam_figures(array, array.tapered("taylor", side_lobe=30), frequency=HERTZ)
    tapered = 10 * math.log10(flat["taper_efficiency"])
    even = arrays.beam_figures(array, frequency=HERTZ)
    assert flat["directivity_dBi"] - even["directivity_dBi"] == pytest.approx(tapered, abs=0.1)
    assert even["side_lobe_E_dB"] == pytest.approx(-13.1, abs=0.4)
    steered = arrays.beam_figures(array, array.steered(frequency=HERTZ, theta="40 deg", phi="0 deg"), frequency=HERTZ)
    assert steered["peak_theta_deg"] == pytest.approx(39.3, abs=0.8)
    # cos² of the element's power and the aperture seen at a slant: about cos² in directivity.
    assert 1.0 < steered["scan_loss_dB"] < 3.0
    assert steered["grating_lobes"] == 0


def test_elements_turned_outward_keep_their_polarisation():
    """On a cylinder each element faces out; along its axis of facing only that one is at its best."""
    layout = arrays.arc(4, WAVE, "360 deg")
    array = arrays.Array(layout, arrays.cosine(2))
    only = arrays.Weights([0, 1, 0, 0])
    beam = array.beam(HERTZ, only)
    assert math.degrees(beam.peak[1]) == pytest.approx(90, abs=0.01)
    assert math.degrees(beam.peak[0]) == pytest.approx(90, abs=0.01)
    # Its x axis stands upright: the field is along θ.
    e_theta, e_phi = beam.field(np.array([math.pi / 2]), np.array([math.pi / 2]))
    assert abs(e_phi[0]) < 1e-9 * abs(e_theta[0])


def test_a_solved_antenna_as_an_element_alone_is_itself():
    rod = es.Wire("rod", [(-0.0123, 0, 0.013), (0.0123, 0, 0.013)], radius="0.3 mm")
    antenna = es.Antenna("rod", [rod], [es.Port("feed", "rod", at=0.5)], es.perfect_plane())
    field = es.solve(antenna, HERTZ).drive().far_field()
    alone = arrays.Array(arrays.Layout([[0, 0, 0]]), arrays.solved_element(field)).beam(HERTZ)
    theta, phi = np.linspace(0, 1.5, 7)[:, None], np.linspace(0, 6, 5)
    assert np.allclose(alone.gain(theta, phi), field.gain(theta, phi), rtol=1e-9)
    with pytest.raises(es.UsageError, match="over 5 % off: solve it there"):
        arrays.Array(arrays.Layout([[0, 0, 0]]), arrays.solved_element(field)).beam(2 * HERTZ).gain(0.0, 0.0)
    sphere = arrays.tabulated(field.sphere("3 deg"))
    tabled = arrays.Array(arrays.Layout([[0, 0, 0]]), sphere).beam(HERTZ)
    assert np.allclose(tabled.directivity(theta, phi), field.directivity(theta, phi), rtol=3e-3, atol=1e-3)


def test_a_mask_is_met_as_well_as_chebyshev_can():
    """Of all weights, Dolph's have the lowest lobes outside a given beam: the program finds the same level."""
    array = isotropic(arrays.line(12, WAVE / 2))
    x0 = math.cosh(math.acosh(10 ** (30 / 20)) / 11)
    edge = 2 / math.pi * math.acos(1 / x0)
    u = np.concatenate([np.linspace(-1, -edge, 90), np.linspace(edge, 1, 90)])
    ways = np.stack([u, 0 * u, np.sqrt(1 - u * u)], axis=1)
    weights, excess = arrays.under_mask(array, ways, np.full(180, -30.0), frequency=HERTZ, towards=(0, 0, 1))
    assert -0.05 < excess < 0.2
    wanted = array.tapered("chebyshev", side_lobe=30)
    assert np.allclose(np.abs(weights.values), wanted.values.real, atol=0.05)
    # A notch that no taper has, and a beam off the middle.
    level = np.where(np.abs(u + 0.5) < 0.06, -55.0, -20.0)
    keep = np.abs(u - 0.25) > 0.24
    way = np.array([0.25, 0, math.sqrt(1 - 0.0625)])
    weights, excess = arrays.under_mask(array, ways[keep], level[keep], frequency=HERTZ, towards=way)
    assert excess < 0
    beam = array.beam(HERTZ, weights)
    main = float(beam.intensity(math.asin(0.25), 0.0))
    assert 10 * math.log10(float(beam.intensity(math.asin(0.5), math.pi)) / main) < -54.5
    with pytest.raises(es.UsageError, match="for 3 levels"):
        arrays.under_mask(array, ways, [1, 2, 3], frequency=HERTZ, towards=way)


def test_power_by_polarisation_adds_up():
    """Three pairs of polarisations, each the whole; a crossed pair in quadrature sends both hands, one to each side."""
    dipoles = arrays.Array(
        arrays.Layout([[0, 0, 0], [0, 0, 1e-6]], [np.eye(3), arrays.layouts.rotation("90 deg", "z")]),
        arrays.half_wave_dipole(),
    )
    field = dipoles.beam(300e6, arrays.Weights([1, 1j]))
    power = field.radiated_by_polarisation()
    for pair in (("theta", "phi"), ("rhcp", "lhcp"), ("co", "cross")):
        assert power[pair[0]] + power[pair[1]] == pytest.approx(field.radiated, rel=1e-9)
    assert power["rhcp"] == pytest.approx(power["lhcp"], rel=1e-6)
    upright = arrays.Array(arrays.line(3, 0.4), arrays.half_wave_dipole("z")).beam(300e6)
    assert upright.radiated_by_polarisation()["phi"] == pytest.approx(0.0, abs=1e-12)
