"""Quantised phases, errors, dead elements, tables in and out, chains, and what is refused."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import arrays

HERTZ = 5.8e9
WAVE = 299792458.0 / HERTZ


def panel(columns=12, rows=6):
    return arrays.Array(arrays.grid(columns, rows, WAVE / 2), arrays.cosine())


@pytest.mark.parametrize("bits", [2, 3, 4])
def test_quantisation_lobes_are_where_and_as_high_as_theory_has_them(bits):
    """A staircase of m elements a step: harmonics sin(π/mM)/sin(π(kM + 1)/mM) of the beam, M = 2^b (Miller 1964)."""
    steps, m = 2**bits, 4
    array = arrays.Array(arrays.line(8 * m * steps, WAVE / 2), arrays.isotropic())
    sine = 2.0 / (m * steps)
    weights = array.steered(frequency=HERTZ, theta=math.degrees(math.asin(sine)), phi=0.0)
    coarse = array.beam(HERTZ, weights.quantised(bits))
    lobe = sine - 2.0 / m
    main = float(coarse.intensity(math.asin(sine), 0.0))
    side = float(coarse.intensity(math.asin(-lobe), math.pi))
    ratio = math.sin(math.pi / (m * steps)) / math.sin(math.pi * (steps - 1) / (m * steps))
    assert math.sqrt(side / main) == pytest.approx(ratio, rel=1e-6)
    smooth = float(array.beam(HERTZ, weights).intensity(math.asin(sine), 0.0))
    wanted = math.sin(math.pi / steps) / (m * math.sin(math.pi / (m * steps)))
    assert main / smooth == pytest.approx(wanted**2, rel=1e-6)


def test_random_errors_raise_the_mean_pattern_by_what_theory_says():
    """Mean |F|² = |F0|² e^{-σ²} + (1 + σ_a² - e^{-σ²}) Σ|w|² (Ruze 1952), of 2,000 trials."""
    array = panel()
    weights = array.tapered("taylor", side_lobe=35)
    errors = arrays.Errors(phase="8 deg")
    trials = arrays.trials(array, weights, errors, frequency=HERTZ, count=2000, seed=4)
    envelope = trials.envelope("0 deg")
    sigma = math.radians(8)
    size, total = np.abs(weights.values), (np.abs(weights.values) ** 2).sum()
    angle = np.radians(envelope.angle.values)
    factor = np.exp(2j * math.pi / WAVE * np.outer(np.sin(angle), array.layout.positions[:, 0])) @ size
    power = np.abs(factor) ** 2 * math.exp(-(sigma**2)) + (1 - math.exp(-(sigma**2))) * total
    # Power goes the same way: that of the sum without errors, and that of as many elements alone.
    alone = array.beam(HERTZ, weights).currents.plain_sum
    sent = total * (alone * math.exp(-(sigma**2)) + 1 - math.exp(-(sigma**2)))
    wanted = 10 * np.log10(np.maximum(power * 6 * np.cos(angle) ** 2 / sent, 1e-20))
    seen = np.abs(angle) < math.radians(80)
    assert np.abs(envelope["mean"].values - wanted)[seen].max() < 0.35
    assert (envelope["p5"] <= envelope["p95"] + 1e-9).all()


def test_trials_are_repeatable_and_agree_with_beams():
    array = panel()
    weights = array.steered(array.tapered("taylor"), frequency=HERTZ, theta="25 deg", phi="40 deg")
    errors = arrays.Errors(amplitude=0.7, phase="10 deg", failed=0.03, kind="uniform")
    one, two = (arrays.trials(array, weights, errors, frequency=HERTZ, count=40, seed=9) for _ in range(2))
    assert (one.table == two.table).all(axis=None)
    for n in (0, 17):
        beam = array.beam(HERTZ, arrays.Weights(one.weights[n]))
        row = one.table.iloc[n]
        assert row["gain_dBi"] == pytest.approx(10 * math.log10(float(beam.gain(*beam.peak))), abs=0.02)
        highest = max(beam.side_lobes(plane)[0][0] for plane in "EH")
        assert row["side_lobe_dB"] > highest - 0.3
    exact = arrays.trials(array, weights, arrays.Errors(), frequency=HERTZ, count=2)
    assert exact.wanted["pointing_deg"] == pytest.approx(0.0, abs=0.02)
    percent = one.percentiles(10, 90)
    assert percent.loc["gain_dBi", "10 %"] <= percent.loc["gain_dBi", "90 %"] <= percent.loc["gain_dBi"].max()
    assert one.convergence().index[-1] == 40


def test_dead_elements_cost_their_share_of_field():
    # Half a wavelength apart, isotropic elements do not see one another: gain is (Σw)²/Σw².
    array = arrays.Array(arrays.line(72, WAVE / 2), arrays.isotropic())
    dead = array.uniform().without([0, 5, 30])
    gain = [float(array.beam(HERTZ, w).gain(0.0, 0.0)) for w in (array.uniform(), dead)]
    assert gain == pytest.approx([72, 69], rel=1e-6)


def test_tables_go_out_and_come_in(tmp_path):
    array = arrays.Array(arrays.cylinder(5, 2, WAVE, WAVE), arrays.cosine())
    array.layout.to_frame().to_csv(tmp_path / "layout.csv", index=False)
    again = es.files.read_layout(tmp_path / "layout.csv")
    assert np.allclose(again.positions, array.layout.positions)
    assert np.allclose(again.turns, array.layout.turns)
    weights = array.phased(np.arange(10) * 13.0).quantised(5, amplitude_step=0.5)
    es.write(weights.to_frame(), tmp_path / "weights.csv")
    assert np.allclose(es.files.read_weights(tmp_path / "weights.csv").values, weights.values)
    flat = arrays.grid(3, 2, WAVE)
    flat.to_frame().to_csv(tmp_path / "flat.csv", index=False)
    assert es.files.read_layout(tmp_path / "flat.csv").unturned


def test_subarrays_get_one_phase():
    layout = arrays.line(8, WAVE / 2).fed_together([0, 0, 1, 1, 2, 2, 3, 3])
    array = arrays.Array(layout, arrays.isotropic())
    assert layout.feeds == 4
    phases = np.angle(array.steered(frequency=HERTZ, theta="20 deg", phi="0 deg").values)
    assert np.allclose(phases[::2], phases[1::2])
    assert not np.allclose(phases[:2], phases[2:4])


def test_a_chain_limits_and_adds_noise():
    array = panel()
    chain = arrays.Chain(gain=30, drive=1e-3, saturated=2.0, loss=1.0, noise_figure=2.0)
    sent = np.abs(chain.output(array.uniform()).values[0]) ** 2
    linear = 1.0
    assert sent == pytest.approx(linear / (1 + (linear / 2.0) ** 2) ** 0.5 * 10**-0.1)
    assert chain.noise_temperature(100) == pytest.approx(100 + 290 * (10**0.3 - 1))
    table = arrays.link_figures(array, chain, array.uniform(), frequency=HERTZ, angles=[0.0, 30.0])
    gain = 10 * math.log10(float(array.beam(HERTZ).directivity(0.0, 0.0)))
    assert table.loc[0.0, "EIRP_dBW"] == pytest.approx(gain + 10 * math.log10(72 * sent), abs=1e-6)
    with pytest.raises(es.UsageError, match="as if they were steered already"):
        arrays.link_figures(array, chain, array.steered(frequency=HERTZ, theta="9 deg", phi=0), frequency=HERTZ)
    assert table.loc[0.0, "G_over_T_dB_per_K"] == pytest.approx(
        gain - 10 * math.log10(chain.noise_temperature(290)), abs=1e-6
    )
    assert table.loc[30.0, "EIRP_dBW"] < table.loc[0.0, "EIRP_dBW"]


LINE = arrays.line(5, WAVE / 2)
ARRAY = arrays.Array(LINE, arrays.cosine())


@pytest.mark.parametrize(
    ("work", "says"),
    [
        (lambda: arrays.Array(LINE, [arrays.isotropic()] * 3), "3 elements for 5 places"),
        (lambda: ARRAY.beam(HERTZ, arrays.Weights(np.ones(4))), "4 weights for 5 elements"),
        (lambda: ARRAY.steered(frequency=HERTZ, theta="120 deg"), "lies behind every element"),
        (lambda: arrays.line(5, 0.0), "spacing: 0.0 is not above zero"),
        (lambda: arrays.Layout([[0, 0, 0], [1, 0, 0], [1, 0, 0]]), "elements 2 and 3 are both at"),
        (lambda: ARRAY.uniform().quantised(0), "0 bits of phase"),
        (lambda: ARRAY.tapered("chebychev"), "there is no taper 'chebychev'"),
        (lambda: ARRAY.tapered("chebyshev", side_lobe=-30), "-30 dB is written 30"),
        (lambda: ARRAY.tapered("chebyshev", orders=3), "option 'orders'"),
        (lambda: ARRAY.tapered("binomial", round_=True), "is for lines"),
        (lambda: arrays.Errors(phase="-3 deg"), "give its rms"),
        (lambda: ARRAY.uniform().without([7]), "there is no element 7"),
        (lambda: ARRAY.phased([1, 2]), "2 phases for 5 elements"),
        (lambda: arrays.direction("3 deg", azimuth="4 deg"), "give theta and phi, or azimuth and elevation"),
        (lambda: arrays.Weights(np.zeros(3)), "all are zero"),
        (lambda: arrays.scattered(50, 0.1, 0.1, 0.1), "fit 0.1 apart"),
        (lambda: arrays.grating_lobes(arrays.Array(arrays.ring(5, 1.0), arrays.isotropic()),
                                      np.array([0, 0, 1.0]), HERTZ), "on no lattice"),
        (lambda: ARRAY.with_nulls(ARRAY.uniform(), np.eye(3)[[0] * 5], HERTZ), "5 nulls for 5 elements"),
        (lambda: arrays.Chain(loss=-1.0), "loss -1.0 dB is below zero"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told(work, says):
    with pytest.raises(es.UsageError, match=says):
        work()


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("theta_deg,phi_deg,gain_dBi\n0,0,1\n90,0,1\n0,180,1\n", "there is nothing at θ = 90, φ = 180"),
        ("theta_deg,gain_dBi\n0,1\n", "no column phi_deg"),
        ("theta_deg,phi_deg,gain_dBi\n0,0,\n", "row 1, gain_dBi: not a number"),
    ],
)
def test_tabulated_patterns_with_gaps_are_refused(tmp_path, text, says):
    (tmp_path / "pattern.csv").write_text(text)
    with pytest.raises(es.UsageError, match=says):
        es.files.read_pattern(tmp_path / "pattern.csv")


def test_a_tabulated_gain_is_read(tmp_path):
    rows = ["theta_deg,phi_deg,gain_dBi"]
    for theta in range(0, 91, 5):
        for phi in range(0, 360, 15):
            rows.append(f"{theta},{phi},{20 * math.log10(max(math.cos(math.radians(theta)), 1e-4)):.6f}")
    (tmp_path / "pattern.csv").write_text("\n".join(rows))
    beam = arrays.Array(arrays.Layout([[0, 0, 0]]), es.files.read_pattern(tmp_path / "pattern.csv")).beam(HERTZ)
    assert float(beam.directivity(0.0, 0.0)) == pytest.approx(6.0, rel=2e-3)
    with_gap = "\n".join(r for r in rows if not r.startswith(("40,", "45,", "50,")))
    (tmp_path / "gap.csv").write_text(with_gap)
    with pytest.raises(es.UsageError, match="gap between θ = 35 and 55 deg"):
        es.files.read_pattern(tmp_path / "gap.csv")


@pytest.mark.parametrize(
    ("axis", "along", "theta", "phi"),
    [("y", "z", 90, -30), ("z", "z", 70, 0), ("x", "z", 90, 100), ("y", "x", 25, 90), ("z", "x", 60, 200)],
)
def test_trials_look_where_a_line_sends(axis, along, theta, phi):
    """Without errors every trial is the beam itself, wherever the line lies and its elements send."""
    array = arrays.Array(arrays.line(7, 0.45 * WAVE, axis), arrays.half_wave_dipole(along))
    weights = array.steered(
        array.tapered("chebyshev", side_lobe=25), frequency=HERTZ, theta=f"{theta} deg", phi=f"{phi} deg"
    )
    beam, exact = array.beam(HERTZ, weights), arrays.trials(array, weights, arrays.Errors(), frequency=HERTZ, count=2)
    assert exact.wanted["gain_dBi"] == pytest.approx(10 * math.log10(float(beam.gain(*beam.peak))), abs=0.02)
    assert exact.wanted["pointing_deg"] == pytest.approx(0.0, abs=0.05)
    assert exact.wanted["side_lobe_dB"] < -15
    cut = exact.envelope()
    assert float(cut["nominal"].max()) == pytest.approx(exact.wanted["gain_dBi"], abs=0.02)
    assert np.allclose(10 ** (cut["p50"] / 10), 10 ** (cut["nominal"] / 10), atol=1e-5)


def test_trials_look_where_panels_and_rings_send():
    upright = arrays.grid(6, 4, WAVE / 2).turned("90 deg", "y")
    panel = arrays.Array(upright, arrays.cosine())
    flat = arrays.Array(arrays.grid(6, 4, WAVE / 2), arrays.cosine())
    one, two = (
        arrays.trials(a, a.tapered("taylor"), arrays.Errors(phase="8 deg"), frequency=HERTZ, count=30)
        for a in (panel, flat)
    )
    order = ["beamwidth_y_deg", "beamwidth_x_deg"]
    assert np.allclose(one.table[order], two.table[order[::-1]], atol=0.02)
    assert np.allclose(one.table["gain_dBi"], two.table["gain_dBi"], atol=0.02)
    assert np.allclose(one.axes[:, 2], [1, 0, 0])
    ring = arrays.Array(arrays.ring(9, 0.8 * WAVE, outward=False), arrays.half_wave_dipole("z"))
    weights = ring.steered(frequency=HERTZ, theta="90 deg", phi="40 deg")
    seen, beam = arrays.trials(ring, weights, arrays.Errors(), frequency=HERTZ, count=2), ring.beam(HERTZ, weights)
    assert seen.wanted["gain_dBi"] == pytest.approx(10 * math.log10(float(beam.gain(*beam.peak))), abs=0.02)
    assert math.degrees(math.atan2(*seen.axes[1::-1, 2])) == pytest.approx(40.0, abs=0.5)
    weights = flat.steered(frequency=HERTZ, theta="25 deg", phi="210 deg")
    cut = arrays.trials(flat, weights, arrays.Errors(), frequency=HERTZ, count=2).envelope()
    assert cut.attrs["phi_deg"] == pytest.approx(30.0, abs=2.0)
    assert float(cut.angle[int(cut["nominal"].values.argmax())]) == pytest.approx(-24.0, abs=2.0)


def test_side_lobes_of_few_elements_follow_the_element():
    """Lobes so wide that the element falls across them, one of them at the horizon's edge of the lattice's phases."""
    array = arrays.Array(arrays.grid(3, 6, 0.6 * WAVE), arrays.cosine())
    exact = arrays.trials(array, array.uniform(), arrays.Errors(), frequency=HERTZ, count=2)
    beam = array.beam(HERTZ)
    highest = max(beam.side_lobes(plane)[0][0] for plane in "EH")
    assert exact.wanted["side_lobe_dB"] == pytest.approx(highest, abs=0.08)
