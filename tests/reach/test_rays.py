"""Rays among buildings: closed forms, the exact wedge, a plate by the method of moments, reciprocity, continuity."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.special import jv

import earshot as es
from earshot import reach
from earshot.constants import wavelength, wavenumber
from earshot.kernels.rays import MIRRORED
from earshot.media.walls import slab
from earshot.reach.rays import Setting
from earshot.reach.wedge import Bend, bent

OPEN = reach.Scene(())
METAL = reach.Wall.of("perfect conductor")


@pytest.fixture(scope="module")
def yard():
    """Some houses, one with a yard, one in an L, one by a screen."""
    brick, wood = reach.Wall.of("brick"), reach.Wall.of("wood", "0.15 m")
    return reach.Scene((
        reach.building("hall", [(30, -8), (44, -8), (44, 9), (30, 9)], 7, brick, holes=[[(34, -3), (40, -3), (40, 4)]]),
        reach.building("ell", [(5, 15), (17, 15), (17, 20), (10, 20), (10, 27), (5, 27)], "6 m", wood),
        reach.building("shed", [(12, -20), (19, -22), (20, -17), (13, -15)], 4.0, brick),
        reach.screen("fence", [(-5, -3, 0), (-5, 6, 0), (-5, 6, 2.5), (-5, -3, 2.5)], wood),
    ))  # fmt: skip


def fields(scene, station, frequency, ends, **limits):
    """Of all rays to places together (n, 3)."""
    given = {"earth": "perfect plane", "order": 3, "walls": 2, "edges": True} | limits
    own = Setting.of(scene, station, frequency, *given.values())
    met, found = own.found(np.asarray(ends, float))
    whole = np.zeros((len(ends), 3), complex)
    np.add.at(whole, met.to, found.field)
    return whole, met, found


@settings(max_examples=40, deadline=None)
@given(
    st.floats(1e8, 1e10), st.floats(0.5, 40), st.floats(0.5, 40), st.floats(15, 3000), st.sampled_from(["vertical",
    "horizontal"]),
)  # fmt: skip
def test_two_rays_over_a_perfect_plane(frequency, near, far, away, way):
    one, two = (
        reach.Station("a", (3, 5), near, polarisation=way),
        reach.Station("b", (3, 5 + away), far, polarisation=way),
    )
    found = reach.rays(OPEN, one, two, frequency, earth="perfect plane", order=1)
    k, direct, other = wavenumber(frequency), math.hypot(away, near - far), math.hypot(away, near + far)
    sign = 1.0 if way == "vertical" else -1.0
    field = np.exp(-1j * k * direct) / direct + sign * np.exp(-1j * k * other) / other
    assert abs(found.loss + 20 * math.log10(max(abs(field), 1e-14) / (2 * k))) < 1e-5 / max(abs(field) * direct, 1e-3)
    assert abs(found.free_space - 20 * math.log10(2 * k * direct)) < 1e-9


def test_rays_over_earth_are_the_reflected_ray_of_paths():
    one, two = reach.Station("a", (0, 0), 12.0), reach.Station("b", (150, 0), 9.0)
    found = reach.rays(OPEN, one, two, "5.8 GHz", earth="meadow")
    land = reach.path(reach.flat(), one, two, "5.8 GHz", earth="meadow", roundness=math.inf)
    assert abs(found.loss - land.loss) < 0.05  # that one has the wave along the ground as well


def _layer(cosine, permittivity, thickness, frequency, te):
    """Reflection and transmission of a layer by matching fields at both faces: four equations."""
    k = wavenumber(frequency)
    inner = np.sqrt(permittivity - (1 - cosine**2))
    # Of E along the faces, and, in the plane of incidence, of H there, whose sense is that of E along the normal.
    one, two = (cosine, inner) if te else (cosine, inner / permittivity)
    go = np.exp(-1j * k * inner * thickness)
    # 1 + r = a + b; one (1 - r) = two (a - b); a go + b / go = t; two (a go - b / go) = one t
    rows = np.array([
        [-1, 1, 1, 0], [one, two, -two, 0], [0, go, 1 / go, -1], [0, two * go, -two / go, -one],
    ], complex)  # fmt: skip
    r, _, _, t = np.linalg.solve(rows, np.array([1, one, 0, 0], complex))
    return r, t


@settings(max_examples=60, deadline=None)
@given(st.floats(0.02, 1.0), st.floats(1.05, 12), st.floats(0, 0.3), st.floats(0.003, 0.5), st.floats(2e8, 1e10))
def test_a_slab_is_the_layer_by_matching(cosine, real, sigma, thickness, frequency):
    eps = complex(real, -sigma / (2 * math.pi * frequency * 8.8541878128e-12))
    found = slab(np.array([cosine]), eps, thickness, frequency)
    air = np.exp(1j * wavenumber(frequency) * thickness * cosine)
    for te, r, t in ((True, found.te[0], found.te_through[0]), (False, found.tm[0], found.tm_through[0])):
        exact, through = _layer(cosine, eps, thickness, frequency, te)
        assert abs(r - exact) < 1e-9
        assert abs(t - through * air) < 1e-9
    lossless = slab(np.array([cosine]), complex(real), thickness, frequency)
    assert abs(abs(lossless.tm[0]) ** 2 + abs(lossless.tm_through[0]) ** 2 - 1) < 1e-9
    assert abs(abs(lossless.te[0]) ** 2 + abs(lossless.te_through[0]) ** 2 - 1) < 1e-9


def _series(distance, place, source, n, soft):
    """A plane wave on a perfect wedge of so much air, nπ, exactly (Balanis 2012, sec. 11.6)."""
    whole = np.zeros(len(place), complex)
    for m in range(int(n * (10 * distance + 60)) + 1):
        v = m / n
        shape = np.sin(v * place) * math.sin(v * source) if soft else np.cos(v * place) * math.cos(v * source)
        whole += 2 / n * (1 if m == 0 else 2) * jv(v, 2 * np.pi * distance) * np.exp(0.5j * np.pi * v) * shape
    return whole


@pytest.mark.parametrize("n", [1.2, 1.5, 1.8, 2.0])
@pytest.mark.parametrize("distance", [2.0, 6.0, 30.0])
def test_the_perfect_wedge_against_its_exact_series(n, distance):
    rng = np.random.default_rng(int(100 * n + distance))
    place = np.radians(np.linspace(0.37, 180 * n - 0.41, 301))
    for source in np.radians(rng.uniform(12, 180 * n - 12, 4)):
        for soft in (True, False):
            sense, k = (-1.0 if soft else 1.0), 2 * np.pi
            one = np.ones_like(place)
            ray = bent(Bend(source * one, place, n * np.pi * one, one, distance * one), k, sense, sense)
            found = ray * np.exp(-1j * k * distance) / math.sqrt(distance)
            for angle, sees, sign in (
                (place - source, np.abs(place - source) < np.pi, 1.0),
                (place + source, place + source < np.pi, sense),
                (2 * n * np.pi - place - source, place + source > (2 * n - 1) * np.pi, sense),
            ):
                found = found + sign * np.where(sees, np.exp(1j * k * distance * np.cos(angle)), 0)
            exact = _series(distance, place, source, n, soft)
            strong = np.abs(exact) > 0.05
            off = 20 * np.log10(np.abs(found[strong]) / np.abs(exact[strong]))
            assert np.abs(off).max() < 0.2
            assert np.abs(found - exact).max() < 0.005


def test_behind_a_long_screen_is_the_edge_of_p526():
    # So long and high that only its top edge counts. What a perfect screen mirrors has opposite signs in both senses of
    # polarisation: their mean is the edge that mirrors nothing, Fresnel's integral.
    wall = reach.Scene((reach.screen("wall", [(50, -4e3, 0), (50, 4e3, 0), (50, 4e3, 300), (50, -4e3, 300)], METAL),))
    ends = np.array([[100.0, 0.0, 300.0 + z] for z in (-12, -8, -3, -1, 1, 3, 8, 12)])
    both = []
    for way in ("vertical", "horizontal"):
        sent = reach.Station("a", (0, 0), 300.0, polarisation=way)
        whole, met, _ = fields(wall, sent, "1 GHz", ends, order=1, walls=0)
        assert (np.bincount(met.to) >= 1).all()
        both.append(whole)
    away = np.linalg.norm(ends - [0, 0, 300], axis=1)
    mean = 0.5 * np.abs(both[0][:, 2] * away / 100.0 + both[1][:, 1])
    nu = reach.diffraction.edge_parameter(-0.5 * (ends[:, 2] - 300) * 100 / away, away / 2, away / 2, wavelength(1e9))
    free = 20 * np.log10(wavelength(1e9) / (4 * math.pi * away))
    np.testing.assert_allclose(free - 20 * np.log10(mean), reach.diffraction.edge_loss(nu), atol=0.15)


def test_rays_are_the_same_both_ways(yard):
    rng = np.random.default_rng(3)
    dipole = es.solve(es.antennas.dipole("1.5 GHz"), "1.5 GHz").drive().far_field()
    for _ in range(8):
        places = [(*rng.uniform(-15, 28, 2), rng.uniform(1.0, 9.0)) for _ in range(2)]
        free = yard.holder(np.array(places)) < 0
        if not free.all() or math.dist(*places) < 3.0:
            continue
        one, two = (
            reach.Station(name, p[:2], p[2], dipole, bearing=rng.uniform(0, 360), tilt=rng.uniform(-80, 80))
            for name, p in zip("ab", places, strict=True)
        )
        there, back = (reach.rays(yard, *pair, "1.5 GHz", order=3) for pair in ((one, two), (two, one)))
        np.testing.assert_allclose(there.length, back.length, rtol=1e-9)
        assert abs(there.loss - back.loss) < 1e-9 * max(1.0, 10 ** ((there.loss - there.mean_loss) / 20))


def test_mirrored_rays_obey_the_law_of_reflection_and_lengths_are_exact(yard):
    one, two = reach.Station("a", (-2.0, -9.0), 3.0), reach.Station("b", (22.0, 3.0), 1.7)
    found = reach.rays(yard, one, two, "2.4 GHz", order=4)
    assert len(set(found.bounces.tolist())) == 5
    for n in range(len(found.length)):
        line = found.line(n)
        legs = np.diff(line, axis=0)
        if (found.met.kinds[n] <= 0).all():
            assert abs(np.linalg.norm(legs, axis=1).sum() - found.length[n]) < 1e-9
        ways = legs / np.linalg.norm(legs, axis=1)[:, None]
        if (found.met.kinds[n] <= 0).all():
            np.testing.assert_allclose(found.leaving[n], ways[0], atol=1e-9)
            np.testing.assert_allclose(found.arriving[n], ways[-1], atol=1e-9)
        for m in range(len(ways) - 1):
            if found.met.kinds[n, m] == MIRRORED:
                face = found.met.numbers[n, m]
                normal = [0, 0, 1] if face == len(yard.faces.offsets) else yard.faces.normals[face]
                np.testing.assert_allclose(ways[m] @ normal, -(ways[m + 1] @ normal), atol=1e-9)
                np.testing.assert_allclose(np.cross(ways[m], normal), np.cross(ways[m + 1], normal), atol=1e-9)


def test_no_jump_as_edges_come_into_sight():
    hall = reach.building("hall", [(100, -20), (130, -20), (130, 15), (100, 15)], 8, reach.Wall.of("concrete"))
    for height, way in ((2.0, "vertical"), (6.0, "horizontal"), (11.0, "vertical")):
        y = np.linspace(-50, 60, 3001)
        ends = np.stack([np.full_like(y, 160.0), y, np.full_like(y, height)], axis=1)
        whole, met, _ = fields(reach.Scene((hall,)), reach.Station("a", (0, 0), 10.0, polarisation=way), "1.5 GHz",
                               ends, earth="meadow")  # fmt: skip
        level = 20 * np.log10(np.linalg.norm(whole, axis=1))
        rays = np.bincount(met.to, minlength=len(y))
        assert np.ptp(rays) > 10  # they do come and go
        # What is left is where several edges hide one another in the deepest shadow.
        assert np.abs(np.diff(level)[np.diff(rays) != 0]).max() < (0.2 if height > 8 else 1.0)


def test_a_plate_by_the_method_of_moments():
    wave, half, high = wavelength(1e9), 2.5 * wavelength(1e9), 5e4
    middle = np.array([0.0, 0.1 * wave, 1.5 * wave])
    half_rod = np.array([0, 0.235 * wave, 0])
    rod = es.Wire("rod", [middle - half_rod, middle + half_rod], radius=0.002 * wave)
    plate = es.Sheet("plate", es.shapes.plate(2 * half, 0.8 * 2 * half))
    lone, whole = (
        es.solve(es.Antenna("t", wires=[rod], ports=[es.Port("feed", "rod")], sheets=sheets), 1e9).drive().far_field()
        for sheets in ([], [plate])
    )
    angle = np.radians(np.arange(0.25, 360, 1.0))
    theta, phi = np.abs((angle + np.pi) % (2 * np.pi) - np.pi), np.where(np.sin(angle) >= 0, 0.0, np.pi)
    e_theta, e_phi = whole.currents.far_field(theta, phi)
    exact = 10 * np.log10(2 * np.pi / (es.constants.WAVE_IMPEDANCE * whole.incident)
                          * (np.abs(e_theta) ** 2 + np.abs(e_phi) ** 2))  # fmt: skip
    # Its z is the scene's x, high up: the ground is left out.
    y, z = half, 0.8 * half
    board = reach.screen("plate", [(0, -y, high - z), (0, y, high - z), (0, y, high + z), (0, -y, high + z)], METAL)
    station = reach.Station("rod", (1.5 * wave, 0), high, lone, bearing=0, tilt=0, roll=90)
    np.testing.assert_allclose(station.turned, [[0, 0, 1], [1, 0, 0], [0, 1, 0]], atol=1e-12)
    station = reach.Station("rod", (1.5 * wave, 0), high + 0.1 * wave - station.middle[2], lone, bearing=0, roll=90)
    far = 2e3
    ends = np.array([1.5 * wave, 0, high + 0.1 * wave]) + far * np.stack(
        [np.cos(angle), np.sin(angle), 0 * angle], axis=1
    )
    own = Setting.of(reach.Scene((board,)), station, 1e9, "perfect plane", 2, 0, True)
    met, found = own.found(ends)
    above = ~((met.kinds == MIRRORED) & (met.numbers == 1)).any(axis=1)
    field = np.zeros((len(ends), 3), complex)
    np.add.at(field, met.to[above], found.field[above])
    off = 20 * np.log10(np.linalg.norm(field, axis=1) * 4 * np.pi * far / wave) - exact
    strong = exact > exact.max() - 20
    assert np.median(np.abs(off[strong])) < 0.3
    assert np.percentile(np.abs(off[strong]), 90) < 1.0
