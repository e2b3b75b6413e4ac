"""Places: rasters, coverage over them, place files, the two commands, and what is refused."""

import json
import math

import numpy as np
import pytest

import earshot as es
from earshot import reach
from earshot.files.rasters import Raster, read_raster, write_raster
from earshot.views.commands.app import main

UTM = "EPSG:32631"


@pytest.fixture
def demo(tmp_path):
    """The demonstration's place with its files."""
    from importlib import resources

    for name in ("ternholm_place.toml", "ternholm.tif", "tag_receiver.toml"):
        (tmp_path / name).write_bytes((resources.files("earshot.demo") / name).read_bytes())
    return tmp_path / "ternholm_place.toml"


def run(capsys, *words):
    status = main([str(w) for w in words])
    told = capsys.readouterr()
    return status, told.out, told.err


def test_coverage_is_the_path_to_every_point(hills):
    terrain = hills(4, size=6e3)
    sender = reach.Station("mast", (1515.0, 2222.0), 15.0, power=5.0, feeder_loss=1.5)
    carried = reach.Station("hand", (0, 0), 1.5, feeder_loss=0.5, noise_figure=7.0, bandwidth=1e5, required=10.0)
    found = reach.coverage(terrain, sender, carried, "868 MHz", roughness="0.2 m")
    rng = np.random.default_rng(0)
    off = []
    for row, column in rng.integers(0, 101, (60, 2)):
        at = 60.0 * column, 60.0 * row
        own = reach.path(terrain, sender, reach.Station("hand", at, 1.5), "868 MHz", roughness="0.2 m")
        off.append(found.levels[0, row, column] - (10 * math.log10(5.0) + 30.0 - 2.0 - own.loss))
    # Profiles are sampled at the terrain's own step there, finer on short paths here: where lobes are deep, it shows.
    assert np.median(np.abs(off)) < 0.1
    assert np.percentile(np.abs(off), 90) < 0.6
    noise = 10 * math.log10(1.380649e-23 * 290 * 1e5) + 7.0 + 30.0
    assert abs(found.needed[0] - noise - 10.0) < 1e-9
    np.testing.assert_allclose(found.margin, found.level - found.needed[0])
    back = reach.coverage(terrain, sender, carried, "868 MHz", roughness="0.2 m", sends=True)
    np.testing.assert_allclose(back.levels, found.levels + 10 * math.log10(1.0 / 5.0), rtol=0, atol=1e-9)


def test_coverage_is_the_same_on_one_thread_and_on_two(monkeypatch, hills):
    terrain, mast, hand = hills(5, size=9e3), reach.Station("m", (4e3, 4e3), 9.0), reach.Station("h", (0, 0), 1.0)
    found = []
    for threads in ("1", "2"):
        monkeypatch.setenv("EARSHOT_THREADS", threads)
        found.append(reach.coverage(terrain, [mast], hand, "868 MHz").levels)
    np.testing.assert_array_equal(*found)


def test_holes_of_a_terrain_are_named_and_left_out(hills):
    terrain = hills(6, size=3e3)
    heights = terrain.heights.copy()
    heights[20:24, 30:33] = np.nan
    holed = reach.Terrain("holed", heights, 0.0, 0.0, 60.0)
    one, two = (reach.Station(n, at, 5.0) for n, at in (("a", (900, 1300)), ("b", (2700, 1300))))
    with pytest.raises(es.UsageError, match=r"has a hole at \(17"):
        reach.path(holed, one, two, "868 MHz")
    assert reach.path(holed.filled(), one, two, "868 MHz").loss > 90.0
    found = reach.coverage(holed, one, reach.Station("h", (0, 0), 1.0), "868 MHz").levels[0]
    # What lies behind the hole is not known either.
    assert np.isnan(found[21, 31])
    assert np.isnan(found[21, 45])
    assert np.isfinite(found[5, 5])


def test_rasters_come_back_as_they_were(tmp_path, hills):
    terrain = hills(7, size=3e3)
    kept = Raster(terrain.heights[::-1], 5e5 - 30.0, 6e6 + 3030.0, (60.0, 60.0), UTM)
    again = reach.read_terrain(write_raster(kept, tmp_path / "own.tif"))
    np.testing.assert_allclose(again.heights, terrain.heights, rtol=0, atol=1e-4)
    assert (again.west, again.south, again.step) == (5e5, 6e6, 60.0)
    x, y = np.array([5.012e5]), np.array([6.001e6])
    latitude, longitude = again.degrees(x, y)
    assert again.place(float(latitude[0]), float(longitude[0])) == pytest.approx((x[0], y[0]), abs=1e-3)
    grid = (
        "ncols 4\nnrows 3\nxllcorner 100\nyllcorner 200\ncellsize 50\nNODATA_value -9\n1 2 3 4\n5 6 -9 8\n9 10 11 12\n"
    )
    (tmp_path / "own.asc").write_text(grid)
    plain = reach.read_terrain(tmp_path / "own.asc")
    assert (plain.west, plain.south, plain.north) == (125.0, 225.0, 325.0)
    assert np.isnan(plain.heights[1, 2])
    assert float(plain.height(np.array(150.0), np.array(250.0))) == pytest.approx(7.5)


def test_tiles_of_degrees_become_metres(tmp_path):
    """A raw tile whose heights say where they are: a plane through the degrees, in metres of its middle."""
    north, east = 54, 7
    lat, lon = np.meshgrid(np.linspace(north + 1, north, 1201), np.linspace(east, east + 1, 1201), indexing="ij")
    tile = np.round(1000 * (lat - north) + 500 * (lon - east)).astype(">i2")
    (tmp_path / "N54E007.hgt").write_bytes(tile.tobytes())
    found = reach.read_terrain(tmp_path / "N54E007.hgt")
    rng = np.random.default_rng(9)
    for _ in range(20):
        at = rng.uniform([54.05, 7.05], [54.95, 7.95])
        height = float(found.height(*(np.array(v) for v in found.place(*at))))
        assert abs(height - 1000 * (at[0] - 54) - 500 * (at[1] - 7)) < 1.1
    # A degree of the ellipsoid at 54.5 degrees north (Snyder 1987): 111,299 m of latitude, 64,750 m of longitude.
    one, two = found.place(54.2, 7.5), found.place(54.8, 7.5)
    assert abs(math.dist(one, two) - 0.6 * 111_299) < 15
    one, two = found.place(54.5, 7.2), found.place(54.5, 7.8)
    assert abs(math.dist(one, two) - 0.6 * 64_750) < 25


def test_the_place_of_the_demonstration(demo, capsys):
    place = reach.read_place(demo)
    way = place.path("cairn", "hide")
    hide = place.station("hide")
    assert abs(hide.bearing - math.degrees(math.atan2(5.1 - 9.3, 5.2 - 9.3)) % 360.0) < 0.5
    status, out, _ = run(capsys, "path", demo, "cairn", "hide", "--json")
    figures = {row["figure"]: row["value"] for row in json.loads(out)["figures"]}
    assert status == 0
    assert figures["path loss"] == pytest.approx(way.loss)
    parts = figures["free-space loss"] - figures["antenna gains"] + figures["ground"] + figures["terrain"]
    assert figures["path loss"] == pytest.approx(parts)
    assert figures["received"] == pytest.approx(figures["power sent"] - figures["path loss"])
    status, out, err = run(
        capsys, "path", demo, "hide", "shore", "--set", "shore.height=40 m", "--out", demo.parent / "o"
    )
    assert status == 0
    assert "hide to shore at 150.1 MHz" in out
    assert "2 files written" in err
    assert (demo.parent / "o" / "hide-to-shore.png").stat().st_size > 20_000


def test_paths_are_varied_and_each_is_the_path_of_its_own(demo, capsys):
    words = [
        "path",
        demo,
        "cairn",
        "shore",
        "--vary",
        "shore.height=3 m to 30 m in 4",
        "--vary",
        "terrain.earth=meadow; sea",
    ]
    status, out, _ = run(capsys, *words, "--json")
    found = json.loads(out)["variants"]
    assert status == 0
    assert len(found) == 8
    one = reach.read_place(demo, ["shore.height=12 m", "terrain.earth=sea"]).path("cairn", "shore")
    assert found[3]["margin"] == pytest.approx(one.margin)
    assert found[3]["path loss"] == pytest.approx(one.loss)
    status, out, _ = run(
        capsys, *words[:6], "--vary", "cairn.at=5.1 km, 5.2 km; 99 km, 1 km", "--out", demo.parent / "v"
    )
    assert status == 0
    assert "not solved" in out
    assert (demo.parent / "v" / "against.png").stat().st_size > 10_000


def test_the_map_of_the_demonstration(demo, capsys):
    out = demo.parent / "maps"
    status, told, _ = run(capsys, "coverage", demo, "hide", "--back", "--out", out, "--set", "tag.height=1 m")
    assert status == 0
    assert "tag sends, 1 m up" in told
    again = read_raster(out / "margin.tif")
    place = reach.read_place(demo, ["tag.height=1 m"])
    found = place.coverage(["hide"], "tag", sends=True)
    np.testing.assert_allclose(again.values[::-1], found.margin, rtol=0, atol=1e-4)
    lines = json.loads((out / "margins.geojson").read_text())["features"]
    assert [f["properties"]["margin_dB"] for f in lines] == [0.0, 10.0, 20.0]
    longitude, latitude = lines[0]["geometry"]["coordinates"][0][0]
    x, y = place.terrain.place(latitude, longitude)
    column, row = (x - place.terrain.west) / place.terrain.step, (y - place.terrain.south) / place.terrain.step
    around = found.margin[int(row) : int(row) + 2, int(column) : int(column) + 2]
    assert around.min() <= 0.5
    assert around.max() >= -0.5


WRONG = [
    ('height = "6 m"', 'height = "-6 m"', "height -6 is not between 0 and 100000"),
    ('at = "9.3 km, 9.3 km"', 'at = "93 km, 9.3 km"', "goes from 0 m west to 24000 m east, 93000 m is asked for"),
    ('at = "9.3 km, 9.3 km"', 'at = "9.3 km"', "write 'x, y' or 'latitude, longitude'"),
    ('at = "9.3 km, 9.3 km"', 'at = "154 deg, 3 deg"', "latitude comes first"),
    ('file = "ternholm.tif"', 'file = "tag_receiver.toml"', "no raster that is read"),
    ('file = "ternholm.tif"', 'file = "none.tif"', "cannot read"),
    ('earth = "meadow"', 'earth = "medow"', "did you mean 'meadow'"),
    ('earth = "meadow"', 'earth = "meadow"\nroundness = -1', "roundness -1 is not above it"),
    ('earth = "meadow"', 'earth = "meadow"\nlevel = "3 m"', "leave one out"),
    ('aim = "cairn"', 'aim = "carn"', "did you mean 'cairn'"),
    ('aim = "cairn"', 'aim = "hide"', "other station"),
    ('aim = "cairn"', 'aim = "cairn"\nbearing = "3 deg"', "leave one out"),
    ('power = "10 mW"', 'power = "10 dBm"', "power"),
    ('polarisation = "horizontal"', 'polarisation = "slant"', "not vertical or horizontal"),
    ('bandwidth = "20 kHz"', 'bandwidht = "20 kHz"', "did you mean 'bandwidth'"),
    ('frequency = "150.1 MHz"', 'frequency = "150.1 mHz"', "frequency"),
    ('title = "Ternholm and the mainland shore"', "", "title is missing"),
]


@pytest.mark.parametrize(("right", "wrong", "says"), WRONG)
def test_what_is_wrong_with_a_place_is_named(demo, right, wrong, says, capsys):
    text = demo.read_text()
    assert right in text
    demo.write_text(text.replace(right, wrong))
    status, _, err = run(capsys, "path", demo, "hide", "cairn")
    assert status == 2
    assert says in err
    assert "Traceback" not in err


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["path", "PLACE", "hide", "nowhere"], "no station 'nowhere'"),
        (["check", "PLACE"], "is a place file, not a design"),
        (["path", "DESIGN", "a", "b"], "is a design, not a place file"),
        (["path", "PLACE", "hide", "hide"], "at one place"),
        (["path", "PLACE", "hide", "tag"], "is carried about"),
        (["path", "PLACE", "hide", "cairn", "--set", "height=3 m"], "write it like shore.height"),
        (["path", "PLACE", "hide", "cairn", "--set", "hide.case=loud"], "no case 'loud'"),
        (["path", "PLACE", "hide", "cairn", "--set", "hide.antenna=x.step"], "no design"),
        (["coverage", "PLACE", "--carry", "nobody"], "no station 'nobody'"),
        (["coverage", "PLACE", "tag"], "is carried about"),
        (["coverage", "PLACE", "hide", "--carry", "hide"], "does not stand as well"),
        (["path", "PLACE", "hide", "cairn", "--set", "hide.required=nan"], "no signal over noise"),
        (["path", "PLACE", "hide", "cairn", "--set", "terrain.roughness=-1 m"], "is below zero"),
        (["path", "PLACE", "cairn", "summit", "-f", "10 kHz"], "less than two wavelengths"),
        (["coverage", "PLACE", "summit", "-f", "10 kHz"], "far fields hold nowhere"),
        (["path", "PLACE", "cairn", "summit", "--vary", "summit.height"], "is not STATION.KEY=RANGE"),
    ],
)
def test_what_is_wrong_with_a_question_is_named(demo, words, says, capsys):
    status, _, err = run(
        capsys, *({"PLACE": demo, "DESIGN": demo.parent / "tag_receiver.toml"}.get(w, w) for w in words)
    )
    assert status == 2
    assert says in err


@pytest.mark.parametrize("damage", ["empty", "half", "text", "huge", "turned"])
def test_damaged_rasters_are_refused(tmp_path, damage, hills):
    import rasterio
    from rasterio.transform import Affine

    path = tmp_path / "own.tif"
    terrain = hills(7, size=3e3)
    write_raster(Raster(terrain.heights, 0.0, 0.0, (60.0, 60.0), UTM), path)
    whole = path.read_bytes()
    if damage == "turned":
        with rasterio.open(path, "r+") as file:
            file.transform = Affine(59.0, 10.0, 0.0, 10.0, -59.0, 0.0)
    else:
        path.write_bytes({"empty": b"", "half": whole[: len(whole) // 2], "text": b"heights\n" * 99,
                          "huge": b"II*\0" + b"\xff" * 400}[damage])  # fmt: skip
    with pytest.raises(es.UsageError, match=r"own\.tif"):
        reach.read_terrain(path)


def test_an_array_is_steered_to_a_station(tmp_path):
    (tmp_path / "row.toml").write_text(
        'title = "row"\nfrequency = "400 MHz"\n'
        + "".join(
            f'[wire.{name}]\npoints = ["0, {y} m, -0.17 m", "0, {y} m, 0.17 m"]\nradius = "2 mm"\n'
            f'[port.{name}]\non = "{name}"\nat = 0.5\n' for name, y in (("a", -0.375), ("b", 0.0), ("c", 0.375))
        )
        + '[case.one]\npower = { a = "1 W" }\n'
    )  # fmt: skip
    head = 'title = "t"\nfrequency = "400 MHz"\n[terrain]\nearth = "sea"\n'
    row = '[station.row]\nat = "0 m, 0 m"\nheight = "20 m"\nantenna = "row.toml"\n'
    place = tmp_path / "place.toml"
    place.write_text(head + row + '[station.one]\nat = "900 m, 500 m"\nheight = "20 m"\n'
                     '[station.two]\nat = "900 m, -900 m"\nheight = "20 m"\n')  # fmt: skip
    own = reach.read_place(place)
    gains = {}
    for towards in ("one", "two"):
        steered = own.with_(f"row.steer={towards}")
        gains[towards] = {to: steered.path("row", to).antennas for to in ("one", "two")}
    plain = own.path("row", "one").antennas
    # Three in phase are some 4.8 dB above one of them; turned away it is less.
    assert gains["one"]["one"] > gains["two"]["one"] + 3.0
    assert gains["two"]["two"] > gains["one"]["two"] + 3.0
    assert gains["one"]["one"] > plain + 3.0
    for change, said in (("row.steer=row", "other station"), ("one.steer=two", "isotropic")):
        with pytest.raises(es.EarshotError, match=said):
            own.with_(change).path("row", "one")


def test_what_a_change_gains_is_mapped(demo, tmp_path, capsys):
    status, out, _ = run(
        capsys, "coverage", demo, "cairn", "--carry", "tag", "--against", "cairn.height=12 m", "--out", tmp_path / "c"
    )
    assert status == 0
    assert "With cairn.height=12 m" in out
    change = read_raster(tmp_path / "c/change.tif").values
    known = change[np.isfinite(change)]
    # Nearly everywhere it hears less from further down.
    assert np.median(known) < -3.0
    assert (tmp_path / "c/change.png").exists()
    one = reach.read_place(demo).coverage(["cairn"], "tag")
    other = reach.coverage(reach.flat(), one.stations[0], one.carried, one.frequency)
    with pytest.raises(es.EarshotError, match="same points"):
        one.gain_over(other)
