"""Lattices and the sums over them."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import erfc

import earshot as es
from earshot.cells import Lattice, disk, rectangular, skewed, towards, triangular, zone
from earshot.media.lattice_sums import LayerSum, OpenSum

K = 2.0 * np.pi
NEAR = np.array([(p, q) for p in (-1, 0, 1) for q in (-1, 0, 1)])
SIZES = st.floats(0.25, 0.9)
SCANS = st.floats(-1.4, 1.4)


def _clear(lattice, scan):
    _, waves = lattice.waves(K * scan, 3.0 * K)
    return np.abs(np.linalg.norm(waves, axis=1) / K - 1.0).min() > 1e-3


@settings(max_examples=15, deadline=None)
@given(SIZES, SIZES, st.floats(-35.0, 35.0), SCANS, SCANS)
def test_the_split_does_not_matter(a, b, skew, u, v):
    lattice, scan = skewed(a, b, skew), np.array([u, v])
    if not _clear(lattice, scan):
        return
    axes = np.linspace(-a, a, 4), np.linspace(-b, b, 3), np.array([-0.6, -0.05, 0.0, 0.3, 2.0])
    found = [OpenSum(lattice, K, NEAR, axes, split).at(K * scan) for split in (None, 2.0, 3.5)]
    size = np.abs(found[0]).max()
    assert max(np.abs(x - found[0]).max() for x in found[1:]) < 1e-9 * size


@settings(max_examples=5, deadline=None)
@given(SIZES, SIZES, st.floats(-20.0, 20.0), st.floats(-0.6, 0.6), st.floats(-0.6, 0.6))
def test_against_brute_force(a, b, skew, u, v):
    """A sum that fades out slowly over a hundred wavelengths."""
    lattice, scan = skewed(a, b, skew), np.array([u, v])
    _, waves = lattice.waves(K * scan, 3.0 * K)
    # Beside an onset it fades out too slowly for that.
    if np.abs(np.linalg.norm(waves, axis=1) / K - 1.0).min() < 0.2:
        return
    place = np.array([0.3 * a, -0.4 * b, 0.2])
    numbers = lattice.within(130.0)
    cells = lattice.places(numbers)
    r = np.sqrt(((place[:2] - cells) ** 2).sum(axis=1) + place[2] ** 2)
    fading = 0.5 * erfc(4.5 * (np.linalg.norm(cells, axis=1) / 60.0 - 1.0))
    terms = np.exp(-1j * K * r) / r * np.exp(-1j * K * cells @ scan) * fading
    out = (np.abs(numbers) <= 1).all(axis=1)
    found = OpenSum(lattice, K, NEAR, tuple(place[:, None])).at(K * scan)[0, 0, 0]
    assert abs(terms[~out].sum() - found) < 1e-8 * max(abs(found), 1.0)


@settings(max_examples=10, deadline=None)
@given(SIZES, SIZES, SCANS, SCANS)
def test_sums_by_a_window_are_ewalds(a, b, u, v):
    lattice, scan = rectangular(a, b), np.array([u, v])
    if not _clear(lattice, scan):
        return
    axes = np.linspace(-a, a, 4), np.linspace(-b, b, 5)

    def kernels(rho):
        return (np.exp(-1j * K * rho) / rho)[None]

    def spectra(k):
        square = k.real**2 - 1.0
        return 1.0 / np.where(square > 0.0, np.sqrt(np.abs(square)), 1j * np.sqrt(np.abs(square)))[None]

    wanted = OpenSum(lattice, K, NEAR, (*axes, np.zeros(1))).at(K * scan)[..., 0]
    for radius in (None, 1.5, 2.2):
        found = LayerSum(lattice, K, NEAR, axes, kernels, spectra, 0.1, radius).at(K * scan)[0]
        assert np.abs(found - wanted).max() < 1e-8 * np.abs(wanted).max()


@pytest.mark.parametrize("off", [1e-12, 1e-7, 1e-6, 4e-6, 1.7e-5, 1e-4, 1e-3])
def test_beside_a_cell_that_is_left_out(off):
    """Where its own term would be without end: as smooth there as anywhere."""
    lattice = rectangular(0.5)
    axes = np.array([0.5, 0.5 + off]), np.zeros(1), np.zeros(1)
    for split in (None, 2.0, 3.0):
        here, aside = OpenSum(lattice, K, NEAR, axes, split).at(K * np.array([0.2, 0.1]))[:, 0, 0]
        slope = OpenSum(lattice, K, NEAR, (np.array([0.5, 0.51]), *axes[1:]), split).at(K * np.array([0.2, 0.1]))
        assert abs(aside - here) < 2.0 * abs(slope[1, 0, 0] - slope[0, 0, 0]) / 0.01 * off + 2e-9


def test_lattices():
    assert triangular("10 mm").steps == pytest.approx(np.array([[0.01, 0], [0.005, 0.00866025]]), abs=1e-7)
    assert skewed("10 mm", "10 mm", "45 deg").steps[1] == pytest.approx([0.01, 0.01])
    one = skewed(0.3, 0.2, 15.0)
    assert one.reciprocal @ one.steps.T == pytest.approx(2.0 * np.pi * np.eye(2), abs=1e-9)
    assert one.area == pytest.approx(0.06)
    assert len(one.within(1.0)) == sum(
        np.hypot(*(np.array([p, q]) @ one.steps)) <= 1.0 for p in range(-9, 10) for q in range(-9, 10)
    )
    for steps in ([[1, 0], [2, 0]], [[1, 0], [np.nan, 1]], [[0, 0], [1, 0]], [[1, 0, 0], [0, 1, 0]]):
        with pytest.raises(es.UsageError, match="lattice"):
            Lattice(steps)
    for wrong in (-1, 0, "0 mm"):
        with pytest.raises(es.UsageError, match="above zero"):
            rectangular(wrong)
    assert "lattice of (300 mm, 0 m)" in str(one)


def test_directions():
    assert towards(30.0, [0.0, 90.0]) == pytest.approx(np.array([[0.5, 0], [0, 0.5]]), abs=1e-12)
    assert np.linalg.norm(disk(5), axis=1).max() < 1.0
    assert len(disk(5)) == 1 + 6 * 15
    lattice = rectangular(0.5)
    assert zone(lattice, 299_792_458.0, (4, 2)).shape == (4, 2, 2)
    with pytest.raises(es.UsageError, match="radius"):
        disk(4, radius=0.0)
