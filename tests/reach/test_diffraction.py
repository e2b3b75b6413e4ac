"""Diffraction over edges and round a smooth earth, against integrals, series of cases, and one another."""

import math

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.special import ai_zeros, airy

from earshot.kernels.profiles import FACTS, profile_facts
from earshot.reach import diffraction

EARTH = 8.5e6


def facts_of(step, heights, near, far, wave, radius):
    out = np.empty(FACTS)
    profile_facts(step, np.asarray(heights, float), len(heights), near, far, wave, 1.0 / radius, out)
    return out


@pytest.mark.parametrize("parameter", [-2.0, -0.78, 0.0, 0.4, 1.0, 2.4, 6.0, 15.0])
def test_one_edge_is_the_fresnel_integral(parameter):
    """|(1 + j)/2 times the integral of exp(-jπt²/2) from ν on|, taken as its own numerical integral."""
    to = [quad(lambda t, f=f: f(0.5 * math.pi * t * t), 0.0, parameter, limit=800)[0] for f in (math.cos, math.sin)]
    left = (0.5 - to[0]) - 1j * (0.5 - to[1])
    want = -20.0 * math.log10(abs((1.0 + 1.0j) / 2.0 * left))
    assert abs(diffraction.edge_loss(parameter) - want) < 1e-6
    # What the recommendation gives to reckon by hand.
    if parameter > -0.7:
        by_hand = 6.9 + 20.0 * math.log10(math.sqrt((parameter - 0.1) ** 2 + 1.0) + parameter - 0.1)
        assert abs(by_hand - want) < 0.25


@pytest.mark.parametrize("seed", range(12))
def test_a_lone_screen_is_bullingtons_edge(seed):
    """On flat ground far below, one screen: its own ν, at its own place, in the way or not."""
    rng = np.random.default_rng(seed)
    count, total, wave = 401, rng.uniform(2e3, 2e4), rng.uniform(0.05, 3.0)
    heights, n = np.full(count, -5e3), int(rng.integers(20, 380))
    near, far = rng.uniform(5, 60, 2)
    d = total * n / (count - 1)
    ray = near + (far - near) * d / total
    over = rng.uniform(-1.0, 2.0) * math.sqrt(wave * d * (total - d) / total)
    heights[n] = ray + over
    found = facts_of(total / (count - 1), heights, near, far, wave, math.inf)
    assert abs(found[2] - diffraction.edge_parameter(over, d, total - d, wave)) < 1e-9 * max(1.0, abs(found[2]))
    assert abs(found[3] - d) < 1e-6 * total
    assert abs(found[5] + over / math.sqrt(wave * d * (total - d) / total)) < 1e-9
    loss = float(diffraction.edge_loss(found[2])) if found[2] > -0.78 else 0.0
    whole = loss + (1.0 - math.exp(-max(loss, 0.0) / 6.0)) * (10.0 + 0.02 * total / 1e3)
    assert abs(diffraction.terrain_loss(found[2], np.array(total)) - whole) < 0.02


def test_facts_are_the_same_from_either_end():
    rng = np.random.default_rng(3)
    for _ in range(60):
        heights = np.cumsum(rng.normal(0, 4, 300))
        near, far = heights[0] + rng.uniform(1, 60), heights[-1] + rng.uniform(1, 60)
        step, wave = rng.uniform(5, 90), rng.uniform(0.05, 3.0)
        one = facts_of(step, heights, near, far, wave, EARTH)
        two = facts_of(step, heights[::-1].copy(), far, near, wave, EARTH)
        np.testing.assert_allclose(two[[1, 0, 2, 4, 5]], one[[0, 1, 2, 4, 5]], rtol=0, atol=1e-8 * max(1, abs(one[2])))
        assert abs(two[3] + one[3] - 299 * step) < 1e-6 * 299 * step


def test_a_straight_slope_is_its_own_smooth_surface():
    heights = 20.0 + 0.03 * 25.0 * np.arange(201)
    found = facts_of(25.0, heights, heights[0] + 30, heights[-1] + 8, 0.3, EARTH)
    np.testing.assert_allclose(found[:2], [heights[0], heights[-1]], rtol=0, atol=1e-6)


def test_the_reflection_on_a_round_earth_is_where_both_angles_are_alike():
    rng = np.random.default_rng(5)
    near, far, total = rng.uniform(1, 300, 200), rng.uniform(1, 300, 200), rng.uniform(500, 3e4, 200)
    found = diffraction.over_bulge(near, far, total, 0.3, EARTH)
    seen = total < math.sqrt(2 * EARTH) * (np.sqrt(near) + np.sqrt(far))
    one = (near - found.at**2 / (2 * EARTH)) / found.at
    two = (far - (total - found.at) ** 2 / (2 * EARTH)) / (total - found.at)
    assert seen.sum() > 150
    np.testing.assert_allclose(one[seen], two[seen], rtol=0, atol=1e-9)


@pytest.mark.parametrize("vertical", [True, False])
def test_round_the_earth_losses_grow_evenly(vertical):
    """On no side of the horizon does it jump, it grows beyond, and each more height gains."""
    ground = complex(13.0, -5e-3 / (2 * math.pi * 150e6 * 8.854e-12))
    total = np.linspace(3e3, 9e4, 4000)
    level = diffraction.smooth_earth(np.full(4000, 20.0), np.full(4000, 12.0), total, 150e6, EARTH, ground, vertical)
    assert np.abs(np.diff(level)).max() < 0.5
    assert (np.diff(level[total > 4.2e4]) > 0).all()
    heights = np.linspace(1.0, 400.0, 500)
    gained = diffraction.beyond_horizon(heights, heights, np.full(500, 2e5), 150e6, EARTH, ground, vertical)
    assert (np.diff(gained) <= 1e-9).all()


def test_round_the_earth_by_the_whole_residue_series():
    """Far beyond the horizon, high above it in wavelengths, the first residue of a perfect conductor, level waves.

    Attenuation per distance is that of the first zero of the Airy function: 8.686 |a1| (k/2a²)^(1/3) sin 60 degrees.
    """
    f, radius = 300e6, EARTH
    k = 2 * math.pi * f / 299792458.0
    total = np.array([2e5, 3e5])
    level = diffraction.beyond_horizon(np.full(2, 50.0), np.full(2, 50.0), total, f, radius, complex(1, -1e9), False)
    per_metre = 20 / math.log(10) * 2.33810741 * math.sin(math.pi / 3) * (k / (2.0 * radius**2)) ** (1 / 3)
    # What is not exponential is the spreading along the surface, one over the square root, in place of one over r.
    want = per_metre * 1e5 - 10 * math.log10(1.5)
    assert abs(np.diff(level)[0] - want) < 0.005 * want


def residue_series(total, near, far, hertz, permittivity, vertical):
    """Loss beyond free space over a smooth earth by 30 residues (Fock 1945), dB: the Airy functions themselves."""
    k = 2 * math.pi * hertz / 299792458.0
    m = (k * EARTH / 2) ** (1 / 3)
    q = -1j * m * np.sqrt(permittivity - 1) / (permittivity if vertical else 1)

    def outgoing(t):
        a, slope_a, b, slope_b = airy(t)
        return b - 1j * a, slope_b - 1j * slope_a

    # From a perfect conductor's zeros on, as the conductor is made what it is.
    zeros = -ai_zeros(30)[0] * np.exp(-1j * math.pi / 3)
    for inverse in np.linspace(0, 1 / q, 60)[1:]:
        for _ in range(8):
            value, slope = outgoing(zeros)
            zeros = zeros - (slope * inverse - value) / (zeros * value * inverse - slope)
    x, heights, own = m * total / EARTH, (k * near / m, k * far / m), outgoing(zeros)[0]
    terms = np.exp(-1j * x * zeros) / (zeros - q**2)
    for height in heights:
        terms = terms * outgoing(zeros - height)[0] / own
    return -20 * math.log10(2 * math.sqrt(math.pi * x) * abs(terms.sum()))


@pytest.mark.parametrize("vertical", [True, False])
@pytest.mark.parametrize("ground", [(13.0, 5e-3), (80.0, 5.0)])
def test_beyond_the_horizon_it_is_the_residue_series(ground, vertical):
    rng = np.random.default_rng(4)
    for _ in range(8):
        hertz, (near, far) = 10 ** rng.uniform(7.6, 9.0), rng.uniform(5, 100, 2)
        total = 1.25 * math.sqrt(2 * EARTH) * (math.sqrt(near) + math.sqrt(far)) * rng.uniform(1, 2)
        permittivity = complex(ground[0], -ground[1] / (2 * math.pi * hertz * 8.854e-12))
        found = diffraction.beyond_horizon(
            np.array(near), np.array(far), np.array(total), hertz, EARTH, permittivity, vertical
        )
        # What the recommendation says of its own formulas.
        assert abs(float(found) - residue_series(total, near, far, hertz, permittivity, vertical)) < 2.0
