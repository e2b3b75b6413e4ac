"""What is read off a port between its samples: only where a model or close samples say what happens there."""

import numpy as np
import pytest

import earshot as es
from earshot.network.network import Network


def resonator(hertz, places, q, ohms):
    """Admittance of series resonators side by side: each with its frequency, Q and resistance."""
    x = np.asarray(hertz)[:, None] / np.asarray(places)
    return (1.0 / (np.asarray(ohms) * (1.0 + 1j * np.asarray(q) * (x - 1.0 / x)))).sum(axis=1)


def network(hertz, admittance, spans=None):
    return Network(np.asarray(hertz), admittance[:, None, None], ("feed",), np.array([50.0 + 0j]), "made", spans)


@pytest.mark.parametrize("seed", range(40))
def test_nothing_is_read_between_lone_frequencies(seed):
    random = np.random.default_rng(seed)
    hertz = np.sort(random.uniform(50e6, 500e6, random.integers(4, 12)))
    made = network(hertz, resonator(hertz, random.uniform(6e7, 4e8, 3), random.uniform(3, 60, 3), [40, 90, 20]), ())
    assert len(made.resonances()) == len(made.bandwidth(vswr=2)) == 0
    # A measured sweep as coarse as that says nothing either, rather than a resistance below zero.
    sweep = network(hertz, made.admittance[:, 0, 0])
    assert (sweep.resonances()["R_ohm"] > 0.0).all()


@pytest.mark.parametrize("seed", range(40))
def test_a_band_is_read_off_its_rational_model(seed):
    random = np.random.default_rng(seed)
    place, q, ohms = random.uniform(120e6, 180e6), random.uniform(4.0, 60.0), random.uniform(30.0, 90.0)
    # As coarse as the rational model allows, with lone frequencies beside it that are to change nothing.
    band = np.linspace(100e6, 200e6, int(random.integers(9, 40)))
    hertz = np.union1d(band, [30e6, 400e6, 900e6])
    made = network(hertz, resonator(hertz, [place], [q], [ohms]), ((100e6, 200e6),))
    found = made.resonances()
    assert found["frequency_Hz"].to_list() == pytest.approx([place], rel=1e-6)
    assert found["R_ohm"].to_list() == pytest.approx([ohms], rel=1e-4)
    assert found["Q"].to_list() == pytest.approx([q], rel=1e-3)
    limit = 3.0
    bands = made.bandwidth(vswr=limit)
    # |Γ| of a series resonator is within the limit where its reactance is: Pozar (2012), sec. 6.1.
    r = ohms / 50.0
    room = (limit - 1.0) ** 2 / (limit + 1.0) ** 2
    inside = room * (r + 1.0) ** 2 - (r - 1.0) ** 2
    if inside <= 0.0:
        assert bands.empty
        return
    x = np.sqrt(inside / (1.0 - room)) / (r * q)
    edges = place * (np.sqrt(1.0 + 0.25 * x * x) + 0.5 * x * np.array([-1.0, 1.0]))
    edges = np.clip(edges, band[0], band[-1])
    assert bands[["from_Hz", "to_Hz"]].to_numpy()[0] == pytest.approx(edges, rel=1e-5)


def test_a_solved_dipole_at_lone_frequencies_and_over_a_band(dipole):
    lone = es.solve(dipole, [f"{f} MHz" for f in (120, 140, 160, 200, 260, 330)])
    assert lone.network.resonances().empty
    assert lone.network.bandwidth(vswr=2).empty
    band = es.solve(dipole, [es.band("130 MHz", "170 MHz", 17), "400 MHz"])
    fine = es.solve(dipole, [es.band("130 MHz", "170 MHz", 801), "400 MHz"])
    for one, two in zip(
        band.network.resonances().to_dict("list").values(),
        fine.network.resonances().to_dict("list").values(),
        strict=True,
    ):
        assert one == (pytest.approx(two, rel=1e-4) if isinstance(one[0], float) else two)
    assert band.network.bandwidth(vswr=2)["width_Hz"][0] == pytest.approx(
        fine.network.bandwidth(vswr=2)["width_Hz"][0], rel=1e-3
    )


def test_figures_join_no_lone_frequencies(dipole):
    answer = es.solve(dipole, [es.band("140 MHz", "160 MHz", 11), "300 MHz", "400 MHz"])
    for draw in (es.plots.vswr, es.plots.impedance, es.plots.return_loss):
        lines = [line for line in draw(answer).axes[0].get_lines() if len(line.get_xdata()) > 2]
        assert all(max(line.get_xdata()) < 161 for line in lines)
    with pytest.raises(es.UsageError, match="in a band that was solved"):
        es.plots.vswr(answer, at="350 MHz")
    table = es.compare({"it": answer.network}, frequency="350 MHz")
    assert table["it"][["R", "X", "VSWR", "return loss"]].isna().all()


def test_the_frequency_that_was_asked_is_found_again():
    found = es.band("433.05 MHz", "434.79 MHz", 175)
    assert 433.4e6 in set(found)
    random = np.random.default_rng(1)
    for _ in range(200):
        low, step, count = random.integers(1, 5000), random.integers(1, 40), int(random.integers(3, 400))
        band = es.band(f"{low / 10} MHz", f"{(low + step * (count - 1)) / 10} MHz", count)
        assert list(band) == [float(f"{(low + step * i) / 10:.10g}e6") for i in range(count)]
