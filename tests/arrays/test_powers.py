"""Gain, directivity and EIRP of arrays without coupling: power that is sent is what comes out, whatever the array."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import arrays
from earshot.arrays.plain_power import PlainPower

HERTZ = 1e9
WAVE = 299792458 / HERTZ


def layout_of(random):
    spacing = WAVE * random.uniform(0.1, 1.3)
    kinds = [
        lambda: arrays.line(int(random.integers(1, 30)), spacing, "xyz"[random.integers(3)]),
        lambda: arrays.grid(int(random.integers(1, 9)), int(random.integers(1, 9)), spacing, skew="12 deg"),
        lambda: arrays.hexagon(int(random.integers(1, 4)), spacing),
        lambda: arrays.arc(int(random.integers(2, 12)), WAVE * random.uniform(0.3, 2), "300 deg"),
        lambda: arrays.scattered(int(random.integers(2, 12)), 4 * WAVE, 3 * WAVE, 0.1 * WAVE, int(random.integers(99))),
    ]
    return kinds[random.integers(len(kinds))]()


def element_of(random, known=[]):  # noqa: B006 - solved once
    if not known:
        wire = es.Wire("w", [(-0.07, 0, 0), (0.07, 0, 0)], radius="0.1 mm", metal="steel")
        antenna = es.Antenna("lossy", [wire], [es.Port("f", "w")])
        known.append(arrays.solved_element(es.solve(antenna, HERTZ).drive().far_field()))
    made = [
        arrays.isotropic,
        lambda: arrays.cosine(0.5 * int(random.integers(0, 9))),
        lambda: arrays.half_wave_dipole("xyz"[random.integers(3)]),
        lambda: arrays.two_slots(0.3 * WAVE, 0.4 * WAVE),
        lambda: known[0],
    ]
    return made[random.integers(len(made))]()


def weights_of(array, random):
    own = arrays.Weights(random.uniform(0.0, 1.0, len(array)) + 1e-3)
    if random.random() < 0.7:
        turned = random.uniform(-1.0, 1.0, len(array))
        own = own.times(np.exp(1j * math.pi * random.uniform(0, 1) * turned))
    return own.quantised(3) if random.random() < 0.2 else own


@pytest.mark.parametrize("part", range(10))
def test_gain_is_never_above_directivity(part):
    """Fifty random arrays each: layouts, elements and weights."""
    random = np.random.default_rng(part)
    for _ in range(50):
        element = element_of(random)
        array = arrays.Array(layout_of(random), element)
        weights = weights_of(array, random)
        beam = array.beam(HERTZ, weights)
        gain, directivity = float(beam.gain(*beam.peak)), float(beam.directivity(*beam.peak))
        assert 10 * math.log10(gain / directivity) <= 1e-6
        assert gain == pytest.approx(directivity * element.efficiency, rel=1e-9)
        # What is radiated is there, by another rule of integration.
        nodes, own = np.polynomial.legendre.leggauss(2 * math.ceil(beam.currents.reach) + 61)
        low = 0.0 if beam.half_space else -1.0
        cosines, share = low + 0.5 * (1 - low) * (nodes + 1), 0.5 * (1 - low) * own
        phi = 2 * math.pi * np.arange(2 * len(nodes)) / (2 * len(nodes))
        sphere = beam.intensity(np.arccos(cosines)[:, None], phi).mean(axis=1) @ share * 2 * math.pi
        sent = float((np.abs(weights.values) ** 2).sum())
        # Elements turned aside end, or change their polarisation, at places that no rule of integration knows of.
        abrupt = 1e-6 if array.layout.unturned else 1e-2
        assert sphere == pytest.approx(element.efficiency * sent, rel=abrupt)


@pytest.mark.parametrize("seed", range(12))
def test_eirp_is_power_times_gain(seed):
    random = np.random.default_rng(seed)
    element = element_of(random)
    array = arrays.Array(arrays.grid(int(random.integers(2, 7)), int(random.integers(1, 6)), 0.6 * WAVE), element)
    chain = arrays.Chain(gain=20, drive=1e-2, saturated=float(random.uniform(0.1, 10)), loss=0.5, noise_figure=3)
    table = arrays.link_figures(
        array, chain, arrays.Weights(random.uniform(0.1, 1, len(array))), frequency=HERTZ, angles=[-20.0, 0.0, 35.0]
    )
    limit = 4 * math.pi * 1.0
    for angle, row in table.iterrows():
        way = math.radians(abs(angle)), 0.0 if angle >= 0 else math.pi
        gain = 10 ** (row["EIRP_dBW"] / 10) / row["sent_W"]
        top = max(float(array.beam(HERTZ, arrays.Weights(w)).directivity(*way)) for w in _steered(array, way))
        # Reached by no more than weights alike, give or take their taper; and never beyond what is radiated.
        assert gain <= top * element.efficiency * 1.6 + limit * 1e-9
    one = arrays.Weights(random.uniform(0.1, 1, len(array)))
    flat = arrays.link_figures(array, arrays.Chain(), one, frequency=HERTZ, angles=[0.0])
    sent, gain = flat["sent_W"][0.0], float(array.beam(HERTZ, one).gain(0.0, 0.0))
    if gain < 1e-9:
        # A dipole that points to where the array faces.
        return
    assert 10 * math.log10(sent * gain) == pytest.approx(flat["EIRP_dBW"][0.0], abs=1e-6)
    room = arrays.Chain().noise_temperature(290.0)
    assert flat["G_over_T_dB_per_K"][0.0] == pytest.approx(10 * math.log10(gain / room), abs=1e-6)


def _steered(array, way):
    yield array.steered(frequency=HERTZ, theta=math.degrees(way[0]), phi=math.degrees(way[1])).values


@pytest.mark.parametrize("seed", range(20))
def test_power_of_many_weights_at_once_is_that_of_each(seed):
    random = np.random.default_rng(seed)
    array = arrays.Array(layout_of(random), element_of(random))
    if np.abs(array.layout.turns - array.layout.turns[0]).max() > 1e-12:
        return
    weights = random.normal(size=(4, len(array))) + 1j * random.normal(size=(4, len(array)))
    found = PlainPower(array, HERTZ)(weights)
    wanted = [(np.abs(w) ** 2).sum() * array.beam(HERTZ, arrays.Weights(w)).currents.plain_sum for w in weights]
    assert found == pytest.approx(np.array(wanted), rel=1e-6)


def test_an_aperture_does_not_beat_its_area():
    # 36.5 dBi was stated of a panel whose area allows 35.0.
    array = arrays.Array(arrays.grid(24, 24, 0.45 * WAVE), arrays.cosine(0.5))
    beam = array.beam(HERTZ)
    side = 24 * 0.45 * WAVE
    limit = 10 * math.log10(4 * math.pi * side**2 / WAVE**2)
    assert 10 * math.log10(float(beam.gain(*beam.peak))) < limit + 0.3
    many = arrays.trials(array, array.uniform(), arrays.Errors(phase="5 deg"), frequency=HERTZ, count=20)
    assert many.table["gain_dBi"].max() < limit + 0.3
