"""Potentials between levels, and strips in cross-section, against reference values and closed forms."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import ellipk, ellipkm1

import earshot as es
from earshot.layers import Spectrum, Strip, between_levels, coupled_strips, strip_line, strip_waves
from earshot.media.bessel import bessel_orders

CASES = json.loads((Path(__file__).parent / "levels.json").read_text())["cases"]
WAVE = 0.3
HERTZ = 299_792_458.0 / WAVE


def _stack(thicknesses, permittivities, losses=None, **more):
    losses = losses or [0.0] * len(thicknesses)
    layers = zip(thicknesses, permittivities, losses, strict=True)
    return es.Stack([es.Layer(d, es.Dielectric("layer", e, t)) for d, e, t in layers], **more)


def test_potentials_between_levels():
    """Every open case, to 1e-6: the reference has as many digits."""
    rows = {"xx": 0, "phi": 1, "zz": 2, "zx": 3}
    cases = [c for c in CASES if c["id"].startswith("G_")]
    for c in cases:
        p = c["parameters"]
        spectrum = Spectrum(_stack([WAVE * d for d in p["thickness_lambda0"]], p["eps_r"], p["tan_delta"]), HERTZ)
        found = between_levels(spectrum, p["z_lambda0"] * WAVE, p["z_source_lambda0"] * WAVE, p["rho_lambda0"] * WAVE)
        wanted = complex(*c["value"])
        assert abs(found[rows[c["id"].split("_")[4]]][0] - wanted) < 1e-6 * abs(wanted), c["id"]
    assert len(cases) == 126


@settings(max_examples=12, deadline=None)
@given(
    st.floats(1.0, 9.0), st.floats(1.0, 9.0), st.floats(0.01, 0.08), st.floats(0.01, 0.08), st.floats(0.05, 0.95),
    st.floats(0.05, 0.95), st.floats(0.02, 3.0),
)  # fmt: skip
def test_potentials_are_the_same_both_ways(one, two, low, high, a, b, rho):
    spectrum = Spectrum(_stack([low * WAVE, high * WAVE], [one, two], [0.01, 0.002]), HERTZ)
    z, source = a * low * WAVE, (low + b * high) * WAVE
    there, back = (between_levels(spectrum, *x, [rho * WAVE]) for x in ((z, source), (source, z)))
    for row in range(3):
        assert there[row] == pytest.approx(back[row], rel=1e-7, abs=1e-7)
    on_level = between_levels(spectrum, low * WAVE, low * WAVE, [rho * WAVE])
    # A hair apart is as good as together.
    near = between_levels(spectrum, low * WAVE, low * WAVE * (1.0 + 1e-7), [rho * WAVE])
    for row in range(2):
        assert on_level[row] == pytest.approx(near[row], rel=1e-4, abs=1e-5)


def _strips(p):
    sizes = zip(p["strip_levels_z_mm"], p["strip_width_mm"], strict=True)
    return [Strip(1e-3 * z, 1e-3 * w) for z, w in sizes]


def test_bound_waves_at_frequencies():
    """Under a superstrate, a lid, inverted, and two on two levels: effective permittivities to 1e-6."""
    cases = [c for c in CASES if "full-wave" in c["quantity"]]
    for c in cases:
        p = c["parameters"]
        board = _stack([1e-3 * d for d in p["thickness_mm"]], p["eps_r"], metal_on=1, lid="lid" in p["top"])
        found = strip_waves(board, _strips(p), 1e9 * p["f_GHz"])
        assert found.effective_permittivities == pytest.approx(c["value"], rel=1e-6), c["id"]
        if len(c["value"]) == 1:
            line = strip_line(board, 1e-3 * p["strip_width_mm"][0], 1e9 * p["f_GHz"])
            assert line.effective_permittivity == pytest.approx(c["value"][0], rel=1e-6), c["id"]
    assert len(cases) == 8


@pytest.mark.parametrize("seed", range(8))
def test_waves_at_low_frequency_are_those_of_charges_alone(seed):
    """Of one to three strips on random boards, on faces and within: permittivities, and the matrix of impedances."""
    rng = np.random.default_rng(seed)
    count = int(rng.integers(1, 4))
    board = _stack(rng.uniform(5e-4, 2e-3, count), rng.uniform(1.0, 8.0, count))
    strips, x = [], 0.0
    for _ in range(int(rng.integers(1, 4))):
        width = rng.uniform(5e-4, 4e-3)
        strips.append(Strip(float(rng.choice(board.faces[1:])), width, x + 0.5 * width))
        x += width + rng.uniform(3e-4, 3e-3)
    found, still = strip_waves(board, strips, "10 MHz"), coupled_strips(board, strips)
    assert found.effective_permittivities == pytest.approx(still.effective_permittivities, rel=1e-4)
    assert np.abs(found.impedance - still.impedance).max() < 5e-4 * np.abs(still.impedance).max()
    assert found.impedance == pytest.approx(found.impedance.T, rel=1e-3)


@pytest.mark.parametrize("lid", [False, True])
def test_waves_with_loss(lid):
    """In one dielectric between planes all are as slow and as weak as in it; over a plane the fields' share tells."""
    made = es.Dielectric("d", 2.2, 0.01)
    board = es.Stack([es.Layer("1 mm", made), es.Layer("1 mm", made if lid else es.Dielectric("air", 1.0))], lid=lid)
    strips = [Strip("1 mm", "1 mm", x) for x in ("-0.8 mm", "0.8 mm")]
    waves = strip_waves(board, strips, "5 GHz")
    k0 = 2 * np.pi * 5e9 / 299_792_458.0
    if lid:
        assert waves.indices == pytest.approx(np.sqrt(2.2 * (1 - 0.01j)), rel=1e-8)
        even, odd = coupled_strips(board, strips, lid=True).even_and_odd
        assert waves.even_and_odd == pytest.approx((even, odd), rel=3e-4)
    # α = ½ β tanδ q, q = ε dlnε_eff/dε, the share of the field's energy that is in the dielectric.
    more = _stack([1e-3, 1e-3], [2.2 * 1.0001, 2.2 * 1.0001 if lid else 1.0], lid=lid)
    plain = _stack([1e-3, 1e-3], [2.2, 2.2 if lid else 1.0], lid=lid)
    slow, slower = (strip_waves(x, strips, "5 GHz").effective_permittivities for x in (plain, more))
    share = (slower / slow - 1.0) / 1e-4
    want = 0.5 * k0 * np.sqrt(slow) * 0.01 * share * 20 * np.log10(np.e)
    assert waves.losses == pytest.approx(want, rel=2e-3)
    assert list(waves.table().columns) == ["effective_permittivity", "loss_dB_per_m", "I_1_A", "I_2_A"]


def test_a_wave_that_planes_carry_off_is_none_of_the_strips():
    """In air close under a lid its wave is quicker than that between the planes, which sees the ceramic as well."""
    board = _stack([1e-3, 1.8e-3, 0.2e-3], [9.0, 1.0, 1.0], metal_on=2, lid=True)
    waves = strip_waves(board, [Strip("2.8 mm", "0.5 mm")], "1 GHz")
    assert len(waves.indices) == 0
    with pytest.raises(es.UsageError, match="0 of 1 are bound to the strips at 1 GHz"):
        _ = waves.impedance
    still = coupled_strips(board, waves.strips, lid=True)
    assert strip_line(board, "0.5 mm", "1 GHz").impedance.real == pytest.approx(still.impedance[0, 0], rel=1e-9)


def test_strips_of_the_reference():
    cases = [c for c in CASES if c["id"][0] in "LB" and c["id"].endswith("static")]
    for c in cases:
        p, wanted = c["parameters"], c["value"]
        stack = _stack([1e-3 * d for d in p["thickness_mm"]], p["eps_r"])
        strips = _strips(p)
        found = coupled_strips(stack, strips, lid="lid" in p["top"])
        if len(strips) == 1:
            assert found.effective_permittivities[0] == pytest.approx(wanted[0], rel=1e-5), c["id"]
            assert found.impedance[0, 0] == pytest.approx(wanted[1], rel=1e-5), c["id"]
            continue
        assert 1e12 * found.capacitance == pytest.approx(np.array(wanted[0]), rel=1e-5), c["id"]
        assert 1e9 * found.inductance == pytest.approx(np.array(wanted[1]), rel=1e-5), c["id"]
        assert found.effective_permittivities == pytest.approx(np.array(wanted[2]), rel=1e-5), c["id"]
        if len(wanted) > 3:
            assert found.even_and_odd == pytest.approx(wanted[3], rel=1e-5), c["id"]
    assert len(cases) == 7


@settings(max_examples=10, deadline=None)
@given(st.floats(0.05, 6.0), st.floats(1.0, 10.0), st.floats(0.2, 5.0))
def test_a_strip_half_way_between_planes(ratio, permittivity, spacing):
    """In closed form (Cohn 1954): 30π/√ε K(k')/K(k), k = tanh(πw/2b)."""
    stack = _stack([0.5e-3 * spacing] * 2, [permittivity] * 2)
    found = coupled_strips(stack, [Strip(0.5e-3 * spacing, 1e-3 * ratio * spacing)], lid=True)
    rest = 1.0 / np.cosh(0.5 * np.pi * ratio) ** 2
    wanted = 29.97924580 * np.pi / np.sqrt(permittivity) * ellipk(rest) / ellipkm1(rest)
    assert found.impedance[0, 0] == pytest.approx(wanted, rel=1e-5)
    assert found.effective_permittivities[0] == pytest.approx(permittivity, rel=1e-9)


def test_strips_beside_one_another():
    """Two alike are symmetric, couple less the farther they are, and far apart are strips alone at low frequency."""
    stack = _stack([1.6e-3], [4.4])

    def pair(apart):
        return coupled_strips(stack, [Strip("1.6 mm", "3 mm", x) for x in (-0.5 * apart, 0.5 * apart)])

    gaps = [pair(x) for x in (3.2e-3, 4e-3, 8e-3, 60e-3)]
    split = [one - two for one, two in (x.even_and_odd for x in gaps)]
    assert (np.diff(split) < 0.0).all()
    alone = strip_line(stack, "3 mm", "10 MHz")
    assert gaps[-1].even_and_odd == pytest.approx([alone.impedance.real] * 2, rel=5e-3)
    assert gaps[-1].effective_permittivities == pytest.approx([alone.effective_permittivity] * 2, rel=2e-3)
    assert gaps[0].impedance == pytest.approx(gaps[0].impedance.T, rel=1e-9)
    assert list(gaps[0].table()["C_pF_per_m"] > 0.0) == [True, False, True]
    three = coupled_strips(stack, [Strip("1.6 mm", "1 mm", x) for x in (-2e-3, 0.0, 2e-3)])
    assert (np.diff(three.effective_permittivities) <= 1e-9).all()
    assert three.capacitance.sum(axis=1).min() > 0.0


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (lambda s: coupled_strips(s, []), "strips"),
        (lambda s: coupled_strips(s, [Strip(2e-3, 1e-3)]), "between the planes"),
        (lambda s: coupled_strips(s, [Strip(1.6e-3, 1e-3)], lid=True), "between the planes"),
        (lambda s: coupled_strips(s, [Strip(1e-3, 1e-3), Strip(1e-3, 1e-3, 0.5e-3)]), "touch"),
        (lambda s: coupled_strips(s, [Strip(1e-3, 1e-3)]).even_and_odd, "two strips"),
        (lambda s: coupled_strips(s, ["strip"]), "not a Strip"),
        (lambda _: Strip(1e-3, 0), "above zero"),
        (
            lambda _: coupled_strips(_stack([1e-3], [2.0], open_below=True), [Strip(5e-4, 1e-3)]),
            "neither a plane nor a lid",
        ),
        (lambda s: strip_waves(s, [Strip(2e-3, 1e-3)], 1e9), "between the planes"),
        (lambda s: strip_waves(s, [Strip(1e-3, 1e-3)], -1e9), "above zero"),
        (lambda s: strip_waves(s, [Strip(1e-3, 1e-3)], 1e9).even_and_odd, "two strips"),
        (lambda s: between_levels(Spectrum(s, 1e9), 2e-3, 0.0, 0.1), "not in the layers"),
        (lambda s: between_levels(Spectrum(s, 1e9), 1e-3, 0.0, 0.0), "above zero"),
    ],
)
def test_what_cannot_be_is_told(wrong, words):
    with pytest.raises(es.UsageError, match=words):
        wrong(_stack([1.6e-3], [4.4]))


def test_pairs_of_strips_as_parts():
    """Sizes for impedances, and back; a quarter wave of them couples as its modes say; without loss."""
    board = es.substrate("1.6 mm", 4.4)
    width, gap = es.circuits.strip_pair_sizes(board, 61.0, 41.0)
    pair = es.circuits.strip_pair(board, width, gap, "17 mm")
    assert (pair.even.impedance, pair.odd.impedance) == pytest.approx((61.0, 41.0), rel=2e-4)
    assert pair.even.velocity < pair.odd.velocity < 1.0
    hertz = np.linspace(0.1e9, 4e9, 40)
    s = pair.scattering(hertz, 50.0)
    assert np.abs(s @ np.swapaxes(s.conj(), 1, 2) - np.eye(4)).max() < 1e-9
    most = np.abs(s[:, pair.ports.index("in"), pair.ports.index("coupled")]).max()
    assert most == pytest.approx((61.0 - 41.0) / (61.0 + 41.0), rel=0.03)
    # With its dispersion it is the same at low frequency, slower above, and known about its own frequency.
    low, high = (es.circuits.strip_pair(board, width, gap, "17 mm", f) for f in ("50 MHz", "4 GHz"))
    for still, one, other in zip((pair.even, pair.odd), (low.even, low.odd), (high.even, high.odd), strict=True):
        assert one.characteristic(50e6) == pytest.approx(still.impedance, rel=2e-4)
        assert one.propagation(60e6).imag == pytest.approx(still.propagation(60e6).imag, rel=2e-4)
        assert other.propagation(4e9).imag > still.propagation(4e9).imag
        assert other.characteristic(4e9) > still.impedance
    waves = es.layers.strip_waves(
        board, [es.layers.Strip(board.level, width), es.layers.Strip(board.level, width, width + gap)], 3e9
    )
    beta = sorted(kind.propagation(3e9).imag for kind in (high.even, high.odd))
    assert beta == pytest.approx(sorted(waves.indices.real * 2 * np.pi * 3e9 / 299792458), rel=1e-5)
    with pytest.raises(es.UsageError, match="worked out round"):
        high.scattering(np.array([9e9]), 50.0)
    lossy = es.circuits.strip_pair(es.substrate("1.6 mm", "glass epoxy"), width, gap, "17 mm", "3 GHz")
    assert min(lossy.even.propagation(3e9).real, lossy.odd.propagation(3e9).real) > 0.5
    for wrong, words in (
        (lambda: es.circuits.strip_pair(board, "3 mm", 0, "17 mm"), "gap"),
        (lambda: es.circuits.strip_pair_sizes(board, 40.0, 50.0), "below even"),
        (lambda: es.circuits.strip_pair_sizes(board, 900.0, 2.0), "no width and gap"),
    ):
        with pytest.raises(es.UsageError, match=words):
            wrong()


FED = """
title = "patch through a pair"
frequency = "2.4 GHz"
[[layer]]
thickness = "1.6 mm"
of = "glass epoxy"
[sheet.patch]
plate = { width = "29 mm", depth = "38 mm", centre = "0, 0, 1.6 mm" }
density = 0.4
[wire.pin]
radius = "0.6 mm"
points = ["8 mm, 0, 0", "8 mm, 0, 1.6 mm"]
[port.feed]
on = "pin"
at = 0
[circuit]
inputs = ["in", "aside"]
[circuit.part.pair]
strip_pair = { width = "2.6 mm", gap = "0.5 mm", length = "17 mm" }
nodes = ["in", "aside", "feed", "end"]
[circuit.part.rest]
to_ground = "50 ohm"
nodes = ["end"]
"""


def test_a_pair_in_a_design_file(tmp_path):
    place = tmp_path / "pair.toml"
    place.write_text(FED)
    assert es.read_design(place).title == "patch through a pair"
    place.write_text(FED.replace('gap = "0.5 mm"', 'gap = "-1 mm"'))
    with pytest.raises(es.DesignFileError, match="gap"):
        es.read_design(place)
    place.write_text(FED.replace('[[layer]]\nthickness = "1.6 mm"\nof = "glass epoxy"\n', ""))
    with pytest.raises(es.DesignFileError, match="no layers"):
        es.read_design(place)


@pytest.mark.parametrize("count", [1, 2, 3, 7, 24, 60])
def test_all_orders_at_once_are_bessel_functions(count):
    from scipy.special import jv

    x = np.concatenate([np.geomspace(1e-12, 1.0, 200), np.linspace(0.1, 400.0, 2000), count + np.array([-1e-9, 1e-9])])
    assert np.abs(bessel_orders(count, x) - jv(np.arange(count)[:, None], x)).max() < 1e-13
