"""Scenes: what is read from files, materials, maps over squares, the command, and what is refused."""

import json
import math

import numpy as np
import pytest

from earshot import reach
from earshot.errors import EarshotError, UsageError
from earshot.views.commands.app import main

FILES = ("hamlet_place.toml", "hamlet.geojson", "chapel.obj", "mainland_patch.toml")
BRICK = reach.Wall.of("brick")
HOUSE = [(0, 0), (10, 0), (10, 8), (0, 8)]
CUBE = """v 0 0 0\nv 4 0 0\nv 4 4 0\nv 0 4 0\nv 0 0 3\nv 4 0 3\nv 4 4 3\nv 0 4 3
f 1 2 6 5\nf 2 3 7 6\nf 3 4 8 7\nf 4 1 5 8\nf 5 6 7 8\nf 4 3 2 1\n"""


@pytest.fixture
def hamlet(tmp_path):
    from importlib import resources

    for name in FILES:
        (tmp_path / name).write_bytes((resources.files("earshot.demo") / name).read_bytes())
    return tmp_path / "hamlet_place.toml"


def run(capsys, *words):
    status = main([str(w) for w in words])
    told = capsys.readouterr()
    return status, told.out, told.err


def plain(path, text="", **keys):
    """A small place of one house from footprints."""
    feature = {"type": "Feature", "properties": {"name": "house", "height": 5} | keys,
               "geometry": {"type": "Polygon", "coordinates": [[*HOUSE, HOUSE[0]]]}}  # fmt: skip
    (path / "houses.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    (path / "place.toml").write_text(
        'title = "yard"\nfrequency = "2.4 GHz"\n[built]\nfile = "houses.geojson"\n[station.a]\nat = "-6 m, -5 m"\n'
        'height = "2 m"\n[station.b]\nat = "15 m, 13 m"\nheight = "3 m"\n[station.hand]\nheight = "1.5 m"\n'
        '[area.front]\nfirst = "-12 m, -12 m"\nlast = "14 m, 12 m"\nstep = "2 m"\n' + text
    )
    return path / "place.toml"


def test_the_hamlet_is_what_its_files_say(hamlet):
    scene = reach.read_place(hamlet).scene
    assert len(scene.bodies) == 60
    chapel = scene.bodies[-1]
    # Six faces above the ground: four walls, two of them with a gable, and the roof's two sides.
    assert chapel.name == "chapel"
    assert len(chapel.faces) == 6
    own = np.isin(scene.of_face[scene.edges.faces[:, 0]], [59])
    # Corners, eaves, verges of both gables, and the ridge.
    assert own.sum() == 4 + 2 + 4 + 1
    assert abs(scene.edges.angle[own].max() - 1.5 * math.pi) < 1e-6
    places = np.array([[0.0, 36.0, 2.0], [0.0, 36.0, 9.0], [0.0, 40.9, 6.5], [0.0, 0.0, 2.0]])
    assert scene.holder(places).tolist() == [59, 59, -1, -1]


def test_a_mesh_and_a_footprint_make_the_same_body(tmp_path):
    (tmp_path / "cube.obj").write_text(CUBE)
    one = reach.solid(tmp_path / "cube.obj", BRICK, at=(3, 1))
    two = reach.building("cube", [(3, 1), (7, 1), (7, 5), (3, 5)], 3.0, BRICK)
    rays = [
        reach.rays(reach.Scene((body,)), reach.Station("a", (-4, -3), 2.0), reach.Station("b", (12, 9), 4.0),
                   "3 GHz", order=3)
        for body in (one, two)
    ]  # fmt: skip
    assert abs(rays[0].loss - rays[1].loss) < 1e-9
    assert len(rays[0].length) == len(rays[1].length) > 5
    import trimesh

    mesh = trimesh.load_mesh(tmp_path / "cube.obj")
    for ending in ("stl", "glb"):
        if ending == "glb":
            mesh.vertices = mesh.vertices[:, [0, 2, 1]] * [1, 1, -1]
        mesh.export(tmp_path / f"cube.{ending}")
        other = reach.Scene((reach.solid(tmp_path / f"cube.{ending}", BRICK, at=(3, 1)),))
        assert len(other.faces.offsets) == 5
        np.testing.assert_allclose(other.faces.boxes, [[3, 1, 0, 7, 5, 3]], atol=1e-6)


def test_degrees_become_the_terrains_metres(tmp_path):
    from earshot.files.rasters import Raster, write_raster

    write_raster(Raster(np.full((50, 50), 12.0), 5e5, 6.1e6, (10.0, 10.0), "EPSG:32631"), tmp_path / "land.tif")
    land = reach.read_terrain(tmp_path / "land.tif")
    corners = [(500200.0, 6099800.0), (500210.0, 6099800.0), (500210.0, 6099808.0), (500200.0, 6099808.0)]
    north, east = land.degrees(*(np.array(v) for v in zip(*corners, strict=True)))
    ring = np.stack([east, north], axis=1).tolist()
    where = plain(tmp_path)
    content = json.loads((tmp_path / "houses.geojson").read_text())
    content["features"][0]["geometry"]["coordinates"] = [[*ring, ring[0]]]
    (tmp_path / "houses.geojson").write_text(json.dumps(content))
    text = where.read_text().split("[area")[0].replace("-6 m, -5 m", "500190 m, 6099790 m")
    where.write_text(text.replace("15 m, 13 m", "500220 m, 6099815 m") + '[terrain]\nfile = "land.tif"\n')
    place = reach.read_place(where)
    np.testing.assert_allclose(place.scene.extent, (500200, 500210, 6099800, 6099808), atol=0.01)
    assert place.unevenness == 0.0
    where.write_text(where.read_text() + '[area.lawn]\nfirst = "500190 m, 6099790 m"\nlast = "500196 m, 6099796 m"\n')
    lawn = reach.read_place(where).scene_coverage(["b"], "a", "lawn", average=True)
    (x, y), (east, north) = (500193.0, 6099793.0), lawn.terrain.degrees(np.array(500193.0), np.array(6099793.0))[::-1]
    assert abs(float(north) - land.degrees(np.array(x), np.array(y))[0]) < 1e-9
    assert 2.9 < float(east) < 3.1
    assert abs(place.rays("a", "b").distance - math.sqrt(30**2 + 25**2 + 1)) < 0.01


def test_materials_follow_the_recommendation():
    concrete = reach.Wall.of("concrete").permittivity(2e9)
    assert abs(concrete.real - 5.24) < 1e-12
    assert abs(concrete.imag + 17.98 * 0.0462 * 2**0.7822 / 2) < 2e-3  # P.2040: ε'' = 17.98 σ/f
    assert reach.Wall.of("wood").permittivity(150e6).real == 1.99
    own = reach.Wall.of(reach.Matter("adobe", 4.0, 0.02), "0.4 m")
    assert abs(own.permittivity(1e9) - complex(4.0, -0.02 / (2e9 * math.pi * 8.8541878128e-12))) < 1e-9
    for name in reach.BUILDING_MATERIALS:
        with pytest.raises(UsageError, match="GHz") if name not in ("perfect conductor",) else _none():
            reach.Wall.of(name).permittivity(500e9)


def _none():
    from contextlib import nullcontext

    return nullcontext()


def test_a_map_is_the_rays_to_every_point(tmp_path, monkeypatch):
    place = reach.read_place(plain(tmp_path))
    found = place.scene_coverage(["a", "b"], "hand", "front")
    assert found.levels.shape == (2, 13, 14)
    y, x = np.meshgrid(-12.0 + 2 * np.arange(13), -12.0 + 2 * np.arange(14), indexing="ij")
    inside = (x > 0) & (x < 10) & (y > 0) & (y < 8)
    assert np.isnan(found.levels[0][inside]).all()
    assert np.isfinite(found.levels[0][(x < 0) & (y > 0)]).all()
    for row, column in ((1, 12), (10, 2), (5, 0)):
        own = reach.rays(place.scene, place.station("a"), reach.Station("h", (x[row, column], y[row, column]), 1.5),
                         2.4e9)  # fmt: skip
        assert abs(found.levels[0, row, column] - own.level) < 1e-9
    coarse = place.with_("area.front.step=4 m").scene_coverage(["a"], "hand", "front")
    np.testing.assert_array_equal(coarse.levels[0], found.levels[0, ::2, ::2])
    average = place.scene_coverage(["a"], "hand", "front", average=True)
    assert abs(np.nanmean(average.levels[0] - found.levels[0])) < 6.0
    monkeypatch.setenv("EARSHOT_THREADS", "1")
    np.testing.assert_array_equal(place.scene_coverage(["a", "b"], "hand", "front").levels, found.levels)


def test_a_table_of_the_pattern_serves_many_directions():
    import earshot as es
    from earshot.reach import beams

    field = es.solve(es.antennas.log_periodic("800 MHz"), "800 MHz").drive().far_field()
    station = reach.Station("lp", (0, 0), 10.0, field, bearing=33, tilt=12, roll=71)
    rng = np.random.default_rng(1)
    ways = rng.normal(size=(400, 3))
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    exact, quick = (beams.beam(station, 8e8, count)(ways) for count in (1, 10**7))
    assert 0 < np.abs(exact - quick).max() < 2e-3 * np.abs(exact).max()


def test_the_pattern_that_a_scene_leaves():
    wall = reach.screen(
        "wall", [(8, -30, 0), (8, 30, 0), (8, 30, 40), (8, -30, 40)], reach.Wall.of("perfect conductor")
    )
    one, up = reach.Station("a", (0, 0), 12.0), np.array([2.0])
    opened = reach.gain_in_scene(reach.Scene(()), one, "1 GHz", np.arange(0.0, 360, 5), up, earth="perfect plane")
    high = 2 * math.pi * 1e9 / 299792458 * 12.0 * math.sin(math.radians(2.0))
    np.testing.assert_allclose(opened["gain_dBi"], 20 * np.log10(np.abs(2 * np.cos(high))), atol=1e-3)
    found = reach.gain_in_scene(reach.Scene((wall,)), one, "1 GHz", np.array([90.0, 270.0]), up, earth="perfect plane")
    assert found["gain_dBi"][0] < -8
    assert abs(found["gain_in_the_open_dBi"][1]) < 1e-9


def test_the_command_tells_rays_maps_patterns_and_heights(hamlet, capsys, tmp_path):
    few = ["--set", "built.order=1"]
    status, out, err = run(capsys, "scene", hamlet, "pole", "bench", *few, "--out", tmp_path / "o")
    assert status == 0
    assert all(word in out + err for word in ("delay spread", "off the ground", "4 files"))
    assert {p.name for p in (tmp_path / "o").iterdir()} == {
        "pole-to-bench-rays.csv", "pole-to-bench.csv", "pole-to-bench-rays.png", "pole-to-bench-impulse.png",
    }  # fmt: skip
    status, out, _ = run(capsys, "scene", hamlet, "pole", "bench", *few, "--json")
    told = json.loads(out)
    rows = {row["figure"]: row["value"] for row in told["figures"]}
    assert rows["rays"] == len(told["rays"])
    assert abs(rows["distance"] - math.hypot(math.hypot(51, 26), 4.5)) < 0.05
    status, out, _ = run(
        capsys, "scene", hamlet, "pole", "yard", *few, "--vary", "pole.height=3 m; 8 m; 12 m", "--json"
    )
    assert status == 0
    assert len(json.loads(out)["variants"]) == 3
    status, out, _ = run(capsys, "scene", hamlet, "pole", "--pattern", "4", *few, "--json", "--out", tmp_path / "p")
    assert status == 0
    assert len(json.loads(out)["directions"]) == 721
    assert (tmp_path / "p/pole-pattern.png").exists()
    small = plain(tmp_path)
    status, out, err = run(capsys, "scene", small, "a", "--over", "front", "--average", "--out", tmp_path / "m")
    assert status == 0
    assert "suffices" in out
    assert {p.suffix for p in (tmp_path / "m").iterdir()} == {".tif", ".geojson", ".png"}


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["a"], "two names"), (["a", "nobody"], "nobody"), (["a", "hand"], "carried about"),
        (["a", "b", "--average"], "--over"), (["a", "--over", "back"], "'back'"),
        (["--over", "front"], "which station"),
        (["a", "b", "--pattern", "5"], "one station"), (["a", "--pattern", "0"], "above the ground"),
        (["a", "b", "--set", "a.at=5 m, 4 m"], "inside 'house'"), (["a", "b", "--set", "a.height=0 m"], "raise it"),
        (["a", "b", "--set", "built.order=9"], "order"), (["a", "b", "--set", "built.material=cheese"], "cheese"),
        (["a", "b", "--set", "built.file=none.geojson"], "none.geojson"), (["a", "b", "-f", "0.4 GHz"], "1 to 40 GHz"),
        (["a", "b", "--set", "b.at=-6 m, -4.9 m", "--set", "b.height=2 m"], "two wavelengths"),
        (["a", "--over", "front", "--vary", "a.height=1 m; 2 m"], "--vary"),
        (["a", "b", "--set", "built.thickness=0 m"], "thickness"),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_is_named(words, said, tmp_path, capsys):
    status, out, err = run(capsys, "scene", plain(tmp_path), *words)
    assert status != 0
    assert said in err
    assert "Traceback" not in err
    assert not out


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda f: f["properties"].pop("height"), "no height"),
        (lambda f: f["properties"].update(height="5"), "number"),
        (lambda f: f["properties"].update(height=-2), "above zero"),
        (lambda f: f["properties"].update(material=3), "name"),
        (lambda f: f["properties"].update(material="straw"), "straw"), (lambda f: f.update(geometry=None), "missing"),
        (lambda f: f["geometry"].update(type="Point"), "Point"),
        (lambda f: f["geometry"].update(coordinates=[]), "outline"),
        (lambda f: f["geometry"].update(coordinates=[[["a", 1]]]), "pairs of numbers"),
        (lambda f: f["geometry"].update(coordinates=[[[0, 0], [5, 5], [5, 0], [0, 5]]]), "plain outline"),
        (lambda f: f["geometry"].update(coordinates=[[[0, 0], [1, 0]]]), "plain outline"),
    ],
)  # fmt: skip
def test_footprints_that_are_none_are_named(change, said, tmp_path):
    place = plain(tmp_path)
    content = json.loads((tmp_path / "houses.geojson").read_text())
    change(content["features"][0])
    (tmp_path / "houses.geojson").write_text(json.dumps(content))
    with pytest.raises(UsageError, match=said):
        _ = reach.read_place(place).scene


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (CUBE.replace("f 5 6 7 8\n", ""), "not closed"), ("", "no mesh|no triangles"), ("f 1 2 3\n", "no mesh"),
        (CUBE.replace("v 0 0 0", "v nan 0 0"), "no numbers|not closed|no mesh"),
        (CUBE.replace(" 3\n", " -1\n"), "under the ground"),
    ],
)  # fmt: skip
def test_meshes_that_are_none_are_named(text, said, tmp_path):
    (tmp_path / "thing.obj").write_text(text)
    with pytest.raises(UsageError, match=said):
        reach.solid(tmp_path / "thing.obj", BRICK)


def test_scenes_that_cannot_be_are_named():
    house = reach.building("one", HOUSE, 4.0, BRICK)
    for bodies, said in (
        ((house, house), "two bodies"),
        ((house, reach.building("two", [(9, 7), (15, 7), (15, 12), (9, 12)], 4, BRICK)), "overlap by 1 m"),
    ):
        with pytest.raises(EarshotError, match=said):
            reach.Scene(bodies)
    # Walls that touch are let be, and have no edges between them.
    row = reach.Scene((house, reach.building("two", [(10, 0), (18, 0), (18, 8), (10, 8)], 4, BRICK)))
    assert not any(abs(x - 10) < 1e-6 and abs(z) < 0.5 for (x, _, _), (_, _, z) in
                   zip(row.edges.start, 1 - np.abs(row.edges.along), strict=True))  # fmt: skip
    for make, said in (
        (lambda: reach.screen("s", [(0, 0, 0), (1, 0, 0)], BRICK), "three corners"),
        (lambda: reach.screen("s", [(0, 0, 0), (1, 0, 0), (1, 1, 0.2), (0, 1, 0)], BRICK), "off a plane"),
        (lambda: reach.Wall.of("brick", "-1 cm"), "thickness"),
        (lambda: reach.Matter("x", 0.5), "permittivity"),
        (lambda: reach.Matter("x", 2, -1), "conductivity"),
        (lambda: reach.solid("house.ply", BRICK), "no mesh that is read"),
    ):
        with pytest.raises(EarshotError, match=said):
            make()
