"""Metal that crosses, touches or nearly touches is found wherever it is and however its mesh falls."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import shapes
from earshot.description.distances import distances, triangle_distances


def with_sheets(*surfaces, wire=None, medium=None):
    wire = wire or es.Wire("far", [(0, 0, 9), (0, 0, 9.3)], radius="1 mm")
    media = [] if medium is None else [medium]
    sheets = [es.Sheet(f"s{i}", s) for i, s in enumerate(surfaces)]
    return es.Antenna("t", [wire], [es.Port("feed", wire.name)], *media, sheets=sheets)


def turned(antenna, seed):
    random = np.random.default_rng(seed)
    axis = random.normal(size=3)
    return antenna.rotated(float(random.uniform(0, 2 * math.pi)), axis.tolist()).moved(random.normal(size=3).tolist())


def says(antenna, frequency="300 MHz"):
    return " ".join(f"{f.level}: {f}" for f in es.check(antenna, frequency))


@pytest.mark.parametrize("seed", range(24))
def test_sheets_that_cross_are_found_on_and_off_their_grids(seed):
    random = np.random.default_rng(seed)
    # Symmetrical about the line where they cross, or anywhere.
    aside = (0.0, 0.0) if seed % 2 else random.uniform(-0.1, 0.1, 2)
    one = shapes.plate(*random.uniform(0.4, 1.0, 2))
    sizes = random.uniform(0.4, 1.0, 2)
    two = [
        shapes.plate(*sizes, axis="x", centre=(aside[0], 0, aside[1])),
        shapes.disk(sizes[0], axis="y", centre=(0, *aside)),
    ]
    assert "pass through one another" in says(turned(with_sheets(one, two[seed % 3 == 0]), seed))


@pytest.mark.parametrize("seed", range(12))
def test_sheets_that_meet_at_an_edge_or_stand_apart_are_not(seed):
    random = np.random.default_rng(seed)
    width, depth, up = random.uniform(0.4, 1.0, 3)
    standing = shapes.plate(0.8 * depth, up, axis="x", centre=(0.2 * width * (seed % 2), 0, up / 2))
    at_rim = shapes.plate(depth, up, axis="x", centre=(width / 2, 0, up / 2))
    above = shapes.plate(width, depth, centre=(0, 0, 0.1))
    for other in (standing, at_rim, above):
        assert "stop" not in says(turned(with_sheets(shapes.plate(width, depth), other), seed))


@pytest.mark.parametrize("seed", range(20))
def test_a_wire_that_crosses_itself_is_found(seed):
    random = np.random.default_rng(seed)
    # Out, aside, and back over the first piece: the crossing pieces have one between them.
    share, slant = random.uniform(0.2, 0.8), random.uniform(0.3, 1.0)
    points = [(0, 0, 0), (1, 0, 0), (1, slant, 0), (2 * share - 1, -slant, 0)]
    wire = es.Wire("w", points, radius="2 mm")
    assert "crosses itself" in says(turned(with_sheets(wire=wire), seed), "150 MHz")
    bent = es.Wire("w", [*points[:3], (2 * share - 1, 0.2 * slant, 0)], radius="2 mm")
    assert "itself" not in says(turned(with_sheets(wire=bent), seed), "150 MHz")


@pytest.mark.parametrize("seed", range(30))
def test_a_wire_too_near_a_plane_or_a_plate_is_told(seed):
    random = np.random.default_rng(seed)
    radius = 10.0 ** random.uniform(-3.5, -2.0)
    height = radius * random.uniform(1.1, 4.0)
    wire = es.Wire("w", [(-0.2, 0.01, height), (0.21, 0.03, height)], radius=radius)
    near = "which the kernel leaves out"
    wanted = height < 2.0 * radius
    assert (near in says(with_sheets(wire=wire, medium=es.perfect_plane()), "100 MHz")) == wanted
    assert (near in says(with_sheets(shapes.plate(1, 1), wire=wire), "100 MHz")) == wanted
    low = es.Wire("w", [(-0.2, 0.01, 0.5 * radius), (0.21, 0.03, 3 * radius)], radius=radius)
    assert "stop" in says(with_sheets(wire=low, medium=es.perfect_plane()), "100 MHz")
    assert "touches a sheet" in says(with_sheets(shapes.plate(1, 1), wire=low), "100 MHz")


def test_a_wire_that_passes_a_rim_between_its_ends_is_told():
    # Near for a thousandth of its length only.
    plate = shapes.plate(0.2, 0.2, axis="x", centre=(0.1, 0.1015, 0.1))
    wire = es.Wire("w", [(-0.3, 0, 0.1), (0.7, 0, 0.1)], radius="1 mm")
    assert "m from a sheet" in says(with_sheets(plate, wire=wire))


def test_distances_are_those_of_the_nearest_point():
    random = np.random.default_rng(2)
    corners, points = random.normal(size=(40, 3, 3)), random.normal(size=(60, 3))
    u, v = (x.ravel() for x in np.meshgrid(*2 * (np.linspace(0, 1, 60),)))
    u, v = u[u + v <= 1], v[u + v <= 1]
    inside = (
        corners[:, 0, None]
        + u[:, None] * (corners[:, 1] - corners[:, 0])[:, None]
        + v[:, None] * (corners[:, 2] - corners[:, 0])[:, None]
    )
    sampled = np.linalg.norm(inside[None] - points[:, None, None], axis=-1).min(axis=-1)
    exact = triangle_distances(corners[None], points[:, None])
    assert (exact <= sampled + 1e-12).all()
    assert np.abs(exact - sampled).max() < 0.06
    assert distances(corners, points) == pytest.approx(exact.min(axis=1))


def test_power_that_does_not_balance_is_said(run, tmp_path):
    (tmp_path / "low.toml").write_text(
        'title = "low"\nfrequency = "30 MHz"\nmedium = "perfect plane"\n[wire.w]\nradius = "10 mm"\n'
        'points = ["-2.4 m, 0, 12 mm", "2.4 m, 0, 12 mm"]\n[port.feed]\non = "w"\n'
    )
    status, out, err = run("solve", tmp_path / "low.toml")
    assert status == 0
    assert "which the kernel leaves out" in err
    efficiency = float(next(line for line in out.splitlines() if line.startswith("efficiency")).split()[1]) / 100
    assert (abs(efficiency - 1.0) > 0.02) == ("power does not balance" in err)
