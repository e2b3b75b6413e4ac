"""Paths between two stations: closed forms, the exact fields over earth, the way back, and evenness."""

import math
from dataclasses import replace

import numpy as np
import pytest

import earshot as es
from earshot import reach
from earshot.fields.near import near_field
from earshot.media.surroundings import FreeSpace

C = 299792458.0
HERTZ = 150e6
WAVE = C / HERTZ


def short_dipole(upright, height=0.0, medium=None):
    half = 0.005 * WAVE
    ends = [(0, 0, height - half), (0, 0, height + half)] if upright else [(0, -half, height), (0, half, height)]
    given = {} if medium is None else {"medium": medium}
    antenna = es.Antenna("short", [es.Wire("rod", ends, radius="0.1 mm")], [es.Port("feed", on="rod", at=0.5)], **given)
    return es.solve(antenna, HERTZ, errors=False).drive()


def test_free_space_and_two_rays_over_a_perfect_plane_are_closed_forms():
    rng = np.random.default_rng(1)
    for _ in range(40):
        (x, y), (low, high) = rng.uniform(20, 4e4, 2), rng.uniform(0.5, 80, 2)
        hertz = rng.uniform(30e6, 6e9)
        upright = bool(rng.integers(2))
        way = "vertical" if upright else "horizontal"
        one, two = (reach.Station(n, at, h, polarisation=way) for n, at, h in (("a", (0, 0), low), ("b", (x, y), high)))
        found = reach.path(reach.flat(), one, two, hertz, earth="perfect plane", roundness=math.inf)
        k, d = 2 * math.pi * hertz / C, math.hypot(x, y)
        direct, bounced = math.hypot(d, high - low), math.hypot(d, high + low)
        assert abs(found.free_space - 20 * math.log10(2 * k * direct)) < 1e-9
        rays = np.exp(-1j * k * direct) / direct + (1 if upright else -1) * np.exp(-1j * k * bounced) / bounced
        want = -20 * math.log10(abs(rays) / (2 * k))
        assert abs(found.loss - want) < 1e-6 * max(1.0, 10 ** ((want - found.free_space) / 20))
        assert found.terrain == 0.0


@pytest.mark.parametrize("upright", [True, False])
@pytest.mark.parametrize("ground", ["meadow", "sea"])
def test_over_earth_it_is_the_exact_field(upright, ground):
    """Antennas 2 and 9 wavelengths up, 50 to 3,000 apart: rays and the wave along the ground against the integrals."""
    sent = short_dipole(upright, 2 * WAVE, es.earth(ground))
    heard = short_dipole(upright).far_field()
    one = reach.Station("sender", (0, 0), 0.0, antenna=sent.far_field())
    alone = replace(sent.flow, medium=FreeSpace())
    for away, high in ((50, 2), (300, 9), (3000, 2)):
        place = np.array([[away * WAVE, 0.0, high * WAVE]])
        part = 2 if upright else 1
        exact = np.abs(sent.near_field(place).e[0, part] / near_field(alone, place).e[0, part])
        two = reach.Station("listener", (away * WAVE, 0.0), high * WAVE, antenna=heard)
        found = reach.path(reach.flat(), one, two, HERTZ, earth=ground, roundness=math.inf)
        assert abs(found.ground + 20 * math.log10(exact)) < 0.05


@pytest.mark.parametrize("seed", range(6))
def test_the_way_back_is_the_same(seed, hills):
    rng = np.random.default_rng(seed)
    terrain = hills(seed)
    beam = es.solve(es.antennas.yagi("150 MHz").antenna, HERTZ, errors=False).drive().far_field()
    for antenna in (None, beam):
        at = rng.uniform(500, 11500, (2, 2))
        one = reach.Station("one", tuple(at[0]), rng.uniform(0.5, 30), antenna=antenna, bearing=rng.uniform(0, 360),
                            tilt=rng.uniform(-30, 30), roll=rng.uniform(-90, 90))  # fmt: skip
        two = reach.Station("two", tuple(at[1]), rng.uniform(0.5, 30), antenna=antenna, polarisation="horizontal")
        two = replace(two, polarisation="vertical") if antenna is None else two
        there = reach.path(terrain, one, two, HERTZ, roughness="0.3 m")
        back = reach.path(terrain, two, one, HERTZ, roughness="0.3 m")
        assert abs(there.loss - back.loss) < 1e-9
        assert abs(there.recommended - back.recommended) < 1e-9
        assert abs(there.gap - back.gap) < 1e-9


def test_nothing_jumps_as_a_hill_comes_into_the_way():
    """A ridge rises by hand's breadths between two masts: every step costs a little."""
    losses, gaps = [], []
    for top in np.arange(14.0, 34.0, 0.05):
        terrain = reach.made_up(
            lambda x, y, top=top: top * np.exp(-(((x - 3000) / 500) ** 2)) + 0 * y, "8 km", "1 km", "40 m"
        )
        one, two = (reach.Station(n, at, 25.0) for n, at in (("a", (200, 500)), ("b", (7600, 480))))
        found = reach.path(terrain, one, two, "868 MHz")
        losses.append(found.loss)
        gaps.append(found.gap)
    assert gaps[0] > 0.35 > -0.35 > gaps[-1]
    assert np.abs(np.diff(losses)).max() < 0.5
    assert losses[-1] - losses[0] > 15.0


def test_nothing_jumps_as_an_antenna_goes_away_over_a_round_earth():
    one = reach.Station("a", (0, 0), 20.0)
    loss = [
        reach.path(reach.flat(), one, reach.Station("b", (float(d), 0), 2.0), "150 MHz").loss
        for d in np.geomspace(2e3, 7e4, 400)
    ]
    assert np.abs(np.diff(loss)).max() < 0.5
    assert loss[-1] > 150.0


def test_heights_that_clear_the_zone_do(hills):
    rng = np.random.default_rng(11)
    for seed in range(5):
        at = rng.uniform(500, 11500, (2, 2))
        one, two = (reach.Station(n, tuple(p), 3.0) for n, p in zip("ab", at, strict=True))
        terrain = hills(seed)
        first, _ = reach.path(terrain, one, two, "868 MHz").clearing_heights()
        if first > 0.0:
            found = reach.path(terrain, replace(one, height=first), two, "868 MHz")
            assert abs(found.gap - 0.6) < 0.02


def test_an_aimed_beam_points_there_and_gains_what_it_has():
    beam = es.solve(es.antennas.yagi("150 MHz").antenna, HERTZ, errors=False).drive().far_field()
    gain = 10 * math.log10(float(beam.realized_gain(*beam.peak)))
    rng = np.random.default_rng(2)
    for _ in range(6):
        own, other = (tuple(p) for p in rng.uniform([0, 0, 5], [2e4, 2e4, 900], (2, 3)))
        station = reach.Station("a", own[:2], own[2], antenna=beam).aimed(other, own, HERTZ)
        goal = np.subtract(other, own)
        field = station.field((goal / np.linalg.norm(goal))[None], HERTZ)
        assert abs(10 * math.log10(float((np.abs(field) ** 2).sum())) - gain) < 1e-3
        # Its rods lie level, as drawn.
        assert abs(field[0, 2]) < 0.05 * np.abs(field).max()


def test_antennas_over_ground_are_taken_by_their_currents():
    """A dipole solved over meadow, and one in free space at that height with almost its currents: one path."""
    over, alone = short_dipole(True, 3.0, es.earth("meadow")).far_field(), short_dipole(True).far_field()
    listener = reach.Station("b", (900.0, 0), 5.0)
    one = reach.path(reach.flat(), reach.Station("a", (0, 0), 0.0, antenna=over), listener, HERTZ)
    two = reach.path(reach.flat(), reach.Station("a", (0, 0), 3.0, antenna=alone), listener, HERTZ)
    assert abs(one.ground - two.ground) < 1e-6
    assert one.ends == pytest.approx(two.ends)
    with pytest.raises(es.UsageError, match="was driven at 150 MHz"):
        reach.path(reach.flat(), reach.Station("a", (0, 0), 1.0, antenna=alone), listener, "151 MHz")
