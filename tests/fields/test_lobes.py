"""Every lobe is seen, whatever its width, and the figures made of lobes are those of the whole sphere."""

import math

import numpy as np
import pytest
from scipy.optimize import brentq

import earshot as es
from earshot import arrays
from earshot.fields import lobes
from earshot.fields.directions import unit_vectors

HERTZ = 299.792458e6
GROUNDS = [es.perfect_plane(), *(es.earth(n) for n in ("sea", "meadow", "city", "dry sand", "marsh", "fresh water"))]


def short(upright, height, ground):
    """A dipole a fiftieth of a wavelength long: what it sends is known in closed form, in one azimuth."""
    end = (0, 0, 0.01) if upright else (0, 0.01, 0)
    wire = es.Wire("w", [tuple(-x for x in end), end], radius=1e-5)
    antenna = es.Antenna("short", [wire], [es.Port("f", "w")]).moved((0, 0, height))
    return antenna if ground is None else antenna.over(ground)


@pytest.mark.parametrize("part", range(10))
def test_the_peak_over_ground_at_any_height(part):
    """Twelve random heights each, against plane-wave factors every 0.02 degrees."""
    random = np.random.default_rng(part)
    for _ in range(12):
        ground, upright = GROUNDS[random.integers(7)], bool(random.integers(2))
        height = 10.0 ** random.uniform(-1, math.log10(200))
        beam = es.solve(short(upright, height, ground), HERTZ).drive().far_field()
        elevation = np.radians(np.arange(0.01, 90.0, 0.02))
        theta = math.pi / 2 - elevation
        if ground == es.perfect_plane():
            tm, te = np.ones(len(theta)), -np.ones(len(theta))
        else:
            tm, te = ground.reflected(theta, HERTZ)
        late = np.exp(-4j * math.pi * height * np.sin(elevation))
        # Across a level dipole; it sends nothing that is higher anywhere else.
        level = np.abs(np.sin(theta) * (1 + tm * late)) ** 2 if upright else np.abs(1 + te * late) ** 2
        found = float(beam.gain(*beam.peak))
        phi = 0.0
        at_peak = float(beam.gain(theta[level.argmax()], phi))
        assert 10 * math.log10(found / at_peak) > -1e-4
        # The best sample is no more than a hundredth of a degree beside the top.
        slack = 1.0 + (4 * math.pi * height * math.radians(0.011)) ** 2
        assert found <= at_peak * slack * 1.001
        lobes = beam.take_off("0 deg")
        tops = np.flatnonzero((level[1:-1] > level[:-2]) & (level[1:-1] >= level[2:])) + 1
        strong = tops[level[tops] > 0.3 * level.max()]
        for top in strong:
            near = np.abs(lobes["elevation_deg"] - math.degrees(elevation[top])).min()
            assert near < 0.03 + 0.1 / height


@pytest.mark.parametrize("part", range(5))
def test_the_peak_and_the_side_lobe_of_large_arrays(part):
    """Eight random arrays each, against a dense FFT of their weights over u and v."""
    random = np.random.default_rng(100 + part)
    for _ in range(8):
        counts = random.integers(8, 64, 2)
        spacing = random.uniform(0.4, 0.75)
        array = arrays.Array(arrays.grid(int(counts[0]), int(counts[1]), spacing), arrays.cosine(0.5))
        kind = random.integers(3)
        base = array.tapered("taylor", side_lobe=28) if kind else array.uniform()
        theta, phi = random.uniform(0, 0.7), random.uniform(0, 2 * math.pi)
        weights = array.steered(base, frequency=HERTZ, theta=math.degrees(theta), phi=math.degrees(phi))
        weights = weights.quantised(int(random.integers(2, 4))) if kind == 2 else weights
        beam = array.beam(HERTZ, weights)
        n = 1024
        padded = np.zeros((n, n), complex)
        padded[: counts[1], : counts[0]] = weights.at(HERTZ).reshape(counts[1], counts[0])
        field = np.fft.ifft2(padded, norm="forward")
        steps = np.arange(-int(n * spacing), int(n * spacing) + 1)
        v, u = np.meshgrid(steps / (n * spacing), steps / (n * spacing), indexing="ij")
        up = np.sqrt(np.maximum(1.0 - u * u - v * v, 0.0))
        level = np.abs(field[np.ix_(steps % n, steps % n)]) ** 2 * up
        way = unit_vectors(np.array(beam.peak[0]), np.array(beam.peak[1]))
        waves = np.exp(2j * math.pi * array.layout.positions @ way)
        here = float(abs(waves @ weights.at(HERTZ)) ** 2 * way[2])
        assert 10 * math.log10(here / level.max()) > -1e-3
        wide = 1.3 if kind == 0 else 1.8
        apart = (np.abs(u - way[0]) > wide / (counts[0] * spacing)) | (
            np.abs(v - way[1]) > wide / (counts[1] * spacing)
        )
        wanted = 10 * math.log10(level[apart].max() / here)
        # An equal beam, as a grating lobe may be, is no side lobe.
        if wanted < -0.06:
            assert beam.side_lobe[0] > wanted - 0.05
        beside = beam.all_lobes()["level_dB"]
        assert (beside <= 1e-6).all()
        assert beside[1:].max() < max(wanted, -13.0) + 0.1


@pytest.mark.parametrize("seed", range(24))
def test_every_lobe_is_a_top_and_every_top_a_lobe(seed):
    """Of rows and heaps of lying and standing rods: ridges aslant, rings, cones; against samples every half degree."""
    random = np.random.default_rng(200 + seed)
    rod = short(bool(random.integers(2)), float(random.uniform(0.2, 1.2)), None if seed % 2 else es.perfect_plane())
    count = int(random.integers(2, 6))
    if seed % 3:
        layout = arrays.line(count, float(random.uniform(0.4, 1.3)), axis="xyz"[random.integers(2 + seed % 2)])
    else:
        layout = arrays.Layout(random.uniform(-0.8, 0.8, (count, 3)) * [1, 1, seed % 2])
    solution = es.solve(arrays.repeated(rod, layout), HERTZ)
    turns = random.uniform(-180, 180) * np.arange(count)
    ports = [port.name for port in solution.antenna.ports]
    beam = solution.drive({p: es.amperes(0.01, float(t)) for p, t in zip(ports, turns, strict=True)}).far_field()
    lobes = beam.all_lobes()
    lobes = lobes[lobes["level_dB"] > -25.0]
    at = unit_vectors(np.radians(lobes["theta_deg"].to_numpy()), np.radians(lobes["phi_deg"].to_numpy()))

    def round_(way, off):
        """The most at an angle off a direction, dBi."""
        side = np.cross(way, [0.0, 0.0, 1.0] if abs(way[2]) < 0.9 else [1.0, 0.0, 0.0])
        side /= np.linalg.norm(side)
        turn = np.linspace(0.0, 2.0 * math.pi, 48, endpoint=False)[:, None]
        ring = math.cos(off) * way + math.sin(off) * (np.cos(turn) * side + np.sin(turn) * np.cross(way, side))
        ring = ring[ring[:, 2] >= 0.0] if beam.half_space else ring
        return 10 * np.log10(beam.gain(np.arccos(ring[:, 2]), np.arctan2(ring[:, 1], ring[:, 0]))).max()

    for way, level in zip(at, lobes["gain_dBi"], strict=True):
        assert round_(way, 0.3 * beam.step) < level + 0.02
    theta = np.radians(np.arange(1.0, 89.25 if beam.half_space else 179.25, 0.5))
    level = 10 * np.log10(beam.gain(theta[:, None], np.radians(np.arange(0.0, 360.0, 0.5))) + 1e-30)
    inner, tops = level[1:-1], np.ones((len(theta) - 2, 720), bool)
    for i in range(3):
        for j in (-1, 0, 1):
            if (i, j) != (1, 0):
                tops &= inner > np.roll(level, j, axis=1)[i : len(theta) - 2 + i]
    for i, j in np.argwhere(tops & (inner > lobes["gain_dBi"].max() - 20.0)):
        way = unit_vectors(theta[i + 1], np.radians(0.5 * j)).ravel()
        near = np.degrees(np.arccos(np.clip(at @ way, -1.0, 1.0))).min()
        # A ring, or a ridge along which it hardly falls, is one lobe; what hardly stands out is none.
        alike = np.abs(lobes["gain_dBi"] - inner[i, j]).min() < 0.06
        assert near < 1.5 or alike or round_(way, math.radians(5.0)) > inner[i, j] - 0.2


def test_a_side_lobe_off_the_great_circles_is_the_headline():
    # A square array of few bits, steered off both planes: what quantising sends lies in neither cut.
    array = arrays.Array(arrays.grid(24, 24, 0.5), arrays.cosine(0.5))
    weights = array.steered(array.tapered("taylor", side_lobe=35), frequency=HERTZ, theta="17 deg", phi="33 deg")
    beam = array.beam(HERTZ, weights.quantised(2))
    table = beam.summary()
    whole = table.loc["side lobe level", "value"]
    cuts = [table.loc[f"side lobe level, {plane}-plane", "value"] for plane in "EH"]
    assert whole > max(cuts) + 3.0
    assert whole == pytest.approx(beam.all_lobes()["level_dB"][1], abs=1e-9)
    assert "in all directions: elevation" in table.loc["side lobe level", "remark"]


def test_equal_beams_are_no_side_lobes(dipole):
    flat = arrays.Array(arrays.grid(6, 6, 0.5), arrays.isotropic())
    both = flat.beam(HERTZ, flat.steered(frequency=HERTZ, theta="30 deg", phi="20 deg"))
    assert both.equal_beams == 1
    assert both.side_lobe[0] < -10
    assert "1 equal beam besides the main one" in both.summary().loc["side lobe level", "remark"]
    # A ring is one lobe.
    ring = es.solve(dipole, "150 MHz").drive().far_field()
    assert (len(ring.all_lobes()), ring.side_lobe, ring.equal_beams) == (1, None, 0)
    table = ring.summary()
    assert table.loc["side lobe level, E-plane", "value"] is None or np.isnan(
        table.loc["side lobe level, E-plane", "value"]
    )
    assert "an equal beam 180 deg off" in table.loc["side lobe level, E-plane", "remark"]


@pytest.mark.parametrize("seed", range(12))
def test_front_to_back_and_side_are_of_the_directions_they_name(seed):
    random = np.random.default_rng(seed)
    ground = [None, es.perfect_plane(), es.earth("meadow")][seed % 3]
    antenna = es.antennas.yagi("150 MHz").antenna.rotated(f"{90 * (seed % 2)} deg", "x")
    antenna = antenna.rotated(float(random.uniform(0, 6)), "z").moved((0, 0, float(random.uniform(2, 9))))
    antenna = antenna if ground is None else antenna.over(ground)
    beam = es.solve(antenna, "150 MHz").drive().far_field()
    theta, phi = beam.peak
    behind = (theta, phi + math.pi) if ground is not None else (math.pi - theta, phi + math.pi)
    level = 10 * np.log10(beam.gain(theta, phi))
    if ground is not None and math.degrees(theta) < 45:
        assert beam.front_to_back is None
        return
    assert beam.front_to_back == pytest.approx(level - 10 * np.log10(beam.gain(*behind)), abs=1e-9)
    sides = [float(beam.gain(theta, phi + turn)) for turn in (math.pi / 2, -math.pi / 2)]
    if beam.front_to_side is not None:
        assert beam.front_to_side == pytest.approx(level - 10 * math.log10(max(sides)), abs=1e-6)
    assert beam.front_to_back > 5


def test_co_polar_is_one_thing_behind_and_beside_the_beam(dipole):
    beam = es.solve(es.antennas.yagi("150 MHz").antenna, "150 MHz").drive().far_field()
    for plane in "EH":
        cut = beam.cut(plane, step="0.5 deg")
        co, behind = cut["gain_co"].values, np.abs(np.abs(cut.angle.values) - 180) < 3
        assert np.abs(np.diff(co[behind & (cut.angle.values > 0)])).max() < 0.1
        assert cut["gain_cross"].values[behind].max() < co[behind].min() - 60


@pytest.mark.parametrize("ground", [es.perfect_plane(), es.earth("sea")])
def test_over_ground_co_polar_is_vertical_or_horizontal(ground):
    upright = es.solve(
        es.antennas.dipole("150 MHz").antenna.rotated("90 deg", "x").moved((0, 0, 2)).over(ground), "150 MHz"
    )
    beam = upright.drive().far_field()
    assert beam.co_polar == "theta"
    ring = beam.cut(elevation="20 deg")
    assert np.allclose(ring["gain_co"], ring["gain_theta"])
    assert (ring["gain_cross"] < ring["gain_co"] - 60).all()
    level = es.solve(es.antennas.dipole("150 MHz").antenna.moved((0, 0, 6)).over(ground), "150 MHz").drive().far_field()
    ring = level.cut(elevation="20 deg")
    which = "gain_phi" if level.co_polar == "phi" else "gain_theta"
    assert np.allclose(ring["gain_co"], ring[which]) or level.co_polar == "Ludwig 3"


def test_the_least_of_a_sector_is_not_where_samples_fell():
    upright = es.antennas.dipole("150 MHz").antenna.rotated("90 deg", "x").moved((0, 0, 1))
    over = {"plane": upright.over(es.perfect_plane()), "sea": upright.over(es.earth("sea"))}
    for name, antenna in over.items():
        beam = es.solve(antenna, "150 MHz").drive().far_field()
        found = [beam.sector((1, 0, 0.1), f"{half} deg")["least"] for half in (20.0, 20.01, 20.02, 20.05)]
        assert np.ptp(found) < 0.2 or max(found) < -100.0
        assert (found[0] < -100.0) == (name == "sea")


@pytest.mark.parametrize("seed", range(12))
def test_the_ring_of_a_dipole_is_one_lobe_however_it_is_held(seed):
    random = np.random.default_rng(seed)
    axis = np.eye(3)[seed] if seed < 3 else random.normal(size=3)
    half = random.uniform(0.1, 0.3) * axis / np.linalg.norm(axis)
    wire = es.Wire("rod", [(-half).tolist(), half.tolist()], radius="1 mm")
    field = es.solve(es.Antenna("rod", [wire], [es.Port("feed", "rod")]), "299.792458 MHz").drive().far_field()
    assert (field.equal_beams, field.side_lobe, len(field.all_lobes())) == (0, None, 1)


@pytest.mark.parametrize("seed", range(12))
def test_widths_are_where_the_level_falls_through(seed):
    """Both edges against a root finder, of lobes of any width and lean, at any level; none where it never falls."""
    rng = np.random.default_rng(seed)
    size, lean, value = rng.uniform(0.5, 40.0), rng.uniform(-0.2, 0.2), rng.uniform(-12.0, -0.2)

    def level(along):
        x = size * np.sin(along)
        return 20 * np.log10(np.abs(np.sinc(x / math.pi)) + 1e-9) + lean * along * np.abs(along)

    step = min(math.radians(5), math.pi / (8 * size))
    along = np.arange(0, math.pi, step / 2)
    edges = []
    for side in (1, -1):
        below = np.flatnonzero(level(side * along) <= value)
        if len(below):
            a, b = along[below[0] - 1], along[below[0]]
            edges.append(brentq(lambda x, side=side: level(side * x) - value, a, b, xtol=1e-13))
    width = lobes.beamwidth(level, step, value)
    if len(edges) < 2:
        assert width is None
    else:
        assert width == pytest.approx(math.degrees(sum(edges)), abs=1e-6)
