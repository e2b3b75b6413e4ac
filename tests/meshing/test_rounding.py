"""Round sheets as triangles: every vertex on the surface or pushed out of it as it should be, however often divided."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import shapes
from earshot.meshing.mesh import MeshRule
from earshot.meshing.sheet_mesh import sheet_mesh

NONE = np.zeros(0, np.int64)


def some_surface(rng):
    a, b, c = rng.uniform(0.05, 0.5, 3)
    way = dict(zip(("axis", "base"), (tuple(rng.normal(size=3)), tuple(rng.normal(size=3))), strict=True))
    return [
        lambda: shapes.sphere(a),
        lambda: shapes.cylinder(a, b, **way, ends=str(rng.choice(["open", "closed", "first", "last"]))),
        lambda: shapes.cone(a, rng.choice([0.0, 0.3 * a, c]), b, **way),
        lambda: shapes.paraboloid(a, b),
        lambda: shapes.disk(a),
        lambda: shapes.annulus(a, 0.5 * a),
    ][rng.integers(6)]()


@pytest.mark.parametrize("seed", range(40))
def test_places_lie_on_the_surface_and_stay_there_when_halved(seed):
    rng = np.random.default_rng(seed)
    surface = some_surface(rng)
    antenna = es.Antenna("a", sheets=[es.Sheet("s", surface)])
    mesh = sheet_mesh(antenna, rng.uniform(0.2, 2.0), MeshRule(around=int(rng.integers(12, 40))))
    size = np.linalg.norm(np.ptp(mesh.places, axis=0))
    assert surface.distances(mesh.places).max() < 1e-6 * size
    finer = mesh.halved(NONE)
    assert len(finer) == 4 * len(mesh)
    assert (finer.places[: len(mesh.places)] == mesh.places).all()
    assert surface.distances(finer.places).max() < 1e-6 * size
    # With half the chords' length about a quarter of the push.
    push, less = (np.linalg.norm(m.vertices - m.places, axis=1).mean() for m in (mesh, finer))
    assert less < 0.4 * push + 1e-12
    coarse, fine = mesh.areas.sum(), finer.areas.sum()
    assert fine == pytest.approx(coarse, rel=0.03)


def volume(mesh):
    a, b, c = (mesh.vertices[mesh.triangles[:, i]] for i in range(3))
    return abs(np.einsum("ij,ij->", a, np.cross(b, c))) / 6


@pytest.mark.parametrize("around", [12, 24, 48])
def test_a_ball_has_its_volume(around):
    mesh = sheet_mesh(es.Antenna("a", sheets=[es.Sheet("s", shapes.sphere(0.5))]), 3.0, MeshRule(around=around))
    want = math.pi / 6 * 0.125
    assert volume(mesh) == pytest.approx(want, rel=4e-3)
    assert volume(mesh.halved(NONE)) == pytest.approx(want, rel=4e-4)


@pytest.mark.parametrize("seed", range(12))
def test_metal_is_where_it_is_drawn_round_every_foot(seed):
    rng = np.random.default_rng(seed)
    diameter, thin = rng.uniform(0.2, 0.6), rng.uniform(5e-4, 3e-3)
    towards = rng.normal(size=3)
    towards /= np.linalg.norm(towards)
    wire = es.Wire("mast", [tuple(towards * diameter / 2), tuple(towards * diameter)], radius=thin)
    ball = es.Sheet("ball", shapes.sphere(diameter))
    antenna = es.Antenna("a", [wire], [es.Port("feed", "mast", at=0)], sheets=[ball])
    mesh = sheet_mesh(antenna, 1.0, MeshRule())
    for finer in (mesh, mesh.halved(NONE)):
        off = np.linalg.norm(finer.vertices - wire.corners[0], axis=1)
        assert off.min() < 1e-9
        # Its neighbours are triangles of a few radii, which lie hardly deeper: no crater, no hill.
        near = finer.vertices[off < 6 * thin]
        assert len(near) > 6
        assert np.abs(np.linalg.norm(near, axis=1) - diameter / 2).max() < 0.05 * thin + 20 * thin**2 / diameter
