"""Networks made from matrices, and the rational fit of many entries."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import earshot as es
from earshot.network.network import admittance_of, scattering
from earshot.network.rational import fit, sweep


@given(st.integers(1, 6), st.integers(0, 10**6))
def test_scattering_and_admittance_are_each_others_inverse(ports, seed):
    rng = np.random.default_rng(seed)
    y = rng.normal(size=(2, ports, ports)) + 1j * rng.normal(size=(2, ports, ports))
    y = 0.01 * (y + np.swapaxes(y, 1, 2)) + 0.05 * np.eye(ports)
    references = rng.uniform(10, 300, ports) + 0j
    np.testing.assert_allclose(admittance_of(scattering(y, references), references), y, rtol=1e-7, atol=1e-10)


def test_a_short_has_no_admittance():
    with pytest.raises(np.linalg.LinAlgError):
        admittance_of(np.array([[[-1.0 + 0j]]]), np.array([50.0 + 0j]))


def resonator(x, entries):
    """A matrix of entries that share three resonances."""
    poles = np.array([0.5, 0.8, 1.1]) * (1 + 0.01j)
    weights = np.random.default_rng(3).normal(size=(3, entries))
    terms = x[:, None] / (x[:, None] ** 2 - poles**2)
    return 1j * (terms @ weights)


@pytest.mark.parametrize("entries", [1, 4, 100])
def test_a_fit_finds_shared_resonances_however_many_entries(entries):
    taken, everywhere = np.linspace(0.4, 1.2, 14), np.linspace(0.4, 1.2, 301)
    model = fit(taken, resonator(taken, entries))
    exact = resonator(everywhere, entries)
    assert np.abs(model(everywhere) - exact).max() < 1e-6 * np.abs(exact).max()


def test_many_entries_need_no_more_samples_than_few():
    wanted = np.linspace(0.4e8, 1.2e8, 201)
    counts = []
    for entries in (4, 64):
        taken = []

        def sample(hertz, entries=entries, taken=taken):
            taken.append(hertz)
            return resonator(np.array([hertz / 1e8]), entries)[0]

        found = sweep(wanted, sample, lambda _, y: y / 100, 1e-4)
        exact = resonator(wanted / 1e8, entries)
        assert np.abs(found.values - exact).max() < 1e-2
        counts.append(len(taken))
    assert counts[1] <= counts[0] + 4


def test_a_trace_is_what_a_meter_without_phase_sees():
    network = es.Network(np.linspace(1e8, 2e8, 21), np.full((21, 1, 1), 1 / 75 + 0j), ("feed",), np.array([50 + 0j]))
    trace = es.Trace(network.frequencies, np.abs(network.reflection().values[:, 0]), 50, "meter")
    assert trace.ports == ("measured",)
    np.testing.assert_allclose(trace.vswr(), network.vswr())
    np.testing.assert_allclose(trace.return_loss(), network.return_loss())
    ours, theirs = trace.bandwidth(return_loss=10), network.bandwidth(return_loss=10)
    assert ours["width_Hz"].tolist() == theirs["width_Hz"].tolist()
    with pytest.raises(es.UsageError, match="give one limit"):
        trace.bandwidth()
