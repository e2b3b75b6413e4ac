"""Questions to models and results files, and changing more of a design than its values."""

import json
import math

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot.files.editing import changed, changes_of
from earshot.runs.questions import QUESTIONS, Asked, ask
from earshot.views.commands.options import load


@pytest.fixture(scope="module")
def pair(tmp_path_factory):
    """Two whips over sea with two cases, solved at two frequencies, as a results file."""
    wires = [es.Wire(n, [(x, 0, 1.0), (x, 0, 1.95)], radius="2 mm") for n, x in (("a", 0.0), ("b", 0.7))]
    antenna = es.Antenna("pair", wires, [es.Port(n, n) for n in "ab"], es.earth("sea"))
    path = es.write(es.solve(antenna, ["149 MHz", "151 MHz"]), tmp_path_factory.mktemp("pair") / "pair.nc")
    return path, es.open_run(path)


def told(run, *words):
    status, out, err = run("ask", *words, "--json")
    assert status == 0, err
    return pd.DataFrame(json.loads(out))


@pytest.fixture(scope="module")
def fed(demo_path, tmp_path_factory):
    """Four rods through a matrix, as a results file."""
    folder = tmp_path_factory.mktemp("fed")
    es.run(load(demo_path.with_name("tag_line_matrix.toml"), None)).write(folder)
    return folder / "results.nc"


def test_every_question_has_an_answer_by_command_and_call(run, pair, fed, tmp_path):
    listed = run("ask")[1]
    opened = pair[1]
    for name in QUESTIONS:
        assert name in listed
        if name == "voltage":
            # Not known over earth.
            continue
        path = fed if name in ("beams", "reception", "inputs", "levels", "parts") else pair[0]
        extra = {
            "cut": ["--azimuth", "0"],
            "embedded": ["--azimuth", "0"],
            "sector": ["--elevation", "20", "--azimuth", "NE"],
            "near": ["--line", "0, 3, 0.5 m", "0, 30, 0.5 m", "9"],
        }.get(name, [])
        table = told(run, path, name, *extra)
        assert len(table)
        assert run("ask", path, name, *extra, "--out", tmp_path / f"{name}.csv")[0] == 0
        again = pd.read_csv(tmp_path / f"{name}.csv")
        numbers = again.select_dtypes("number").columns
        # What is not finite is missing in JSON.
        finite = again[numbers].astype(float).replace([math.inf, -math.inf], math.nan)
        np.testing.assert_allclose(finite, table[numbers].astype(float), rtol=1e-12)
    by_call = ask(opened, "directions", Asked(elevation=("10", "20 deg"), azimuth=("N", "30")))
    field = opened.cases[0].field
    want = 10 * math.log10(float(field.gain(math.radians(80), math.radians(90))))
    assert by_call.iloc[0]["N"] == pytest.approx(want, abs=1e-9)


def test_questions_of_circuits_are_refused_where_there_is_none(run, pair):
    status, _, err = run("ask", pair[0], "levels")
    assert status == 2
    assert "[circuit]" in err
    assert run("circuit", pair[0])[0] == 2


def test_a_cut_is_at_whole_degrees_for_every_model(run, pair):
    table = told(run, pair[0], "cut", "--elevation", "12", "--quantity", "gain_theta")
    assert table["azimuth_deg"].tolist() == list(range(361))
    fine = told(run, pair[0], "cut", "--elevation", "12", "--step", "0.1")
    assert len(fine) == 3601


def test_matrix_and_coupling_are_those_of_the_network(run, pair):
    network = pair[1].solution.network
    matrix = told(run, pair[0], "matrix", "--parameters", "Z")
    row = matrix[(matrix["into"] == "b") & (matrix["by"] == "a")].iloc[1]
    assert complex(row["re"], row["im"]) == pytest.approx(network.z().values[1, 1, 0], rel=1e-12)
    coupling = told(run, pair[0], "coupling")
    np.testing.assert_allclose(coupling["a to b"], 20 * np.log10(np.abs(network.s().values[:, 1, 0])), atol=1e-9)


def test_the_distance_to_a_limit_is_where_the_field_has_it(run, pair):
    words = ("near", "--line", "0, 2, 1 m", "0, 40, 1 m", "60", "--rms")
    found = told(run, pair[0], *words, "--limit", "0.3")
    case = pair[1].cases[0]
    place = found[["x_m", "y_m", "z_m"]].to_numpy(float)
    size = case.driven.near_field(place).magnitude("E", rms=True)
    np.testing.assert_allclose(size, 0.3, rtol=0.02)
    assert bool(found["falls"].iloc[-1])


def test_a_limit_over_an_area_is_a_line_about_the_metal(run, pair):
    words = ("near", "--area", "-3, -3, 2.2 m", "4, -3, 2.2 m", "-3, 3, 2.2 m", "71", "--rms", "--limit", "4")
    found = told(run, pair[0], *words)
    case = pair[1].cases[0]
    places = found[["x_m", "y_m", "z_m"]].to_numpy(float)
    np.testing.assert_allclose(case.driven.near_field(places).magnitude("E", rms=True), 4.0, rtol=0.03)
    # The whips end at 1.95 m, at x = 0 and 0.7 m.
    tips = np.array([[0, 0, 1.95], [0.7, 0, 1.95]])
    away = np.linalg.norm(places[:, None] - tips, axis=2).min(axis=1)
    np.testing.assert_allclose(found["from_metal_m"], away - 0.002, atol=2e-3)
    whole = told(run, pair[0], *words[:6], "--field", "H")
    assert len(whole) > 71 * 50
    assert "H_A_per_m" in whole


def test_weights_are_what_the_ports_are_sent(run, pair):
    table = told(run, pair[0], "weights")
    assert list(table["port"]) == ["a", "b"] * (len(table) // 2)
    case = pair[1].cases[0]
    np.testing.assert_allclose(table["wave_sqrtW"][:2] ** 2, [case.driven.incident, 0.0], atol=1e-12)
    assert table["x_m"].tolist()[:2] == [0.0, 0.7]


def test_a_sector_is_that_of_the_field(run, pair):
    table = told(run, pair[0], "sector", "--elevation", "30", "--azimuth", "N", "--within", "25 deg")
    tilt = math.radians(30)
    want = pair[1].cases[0].field.sector((0.0, math.cos(tilt), math.sin(tilt)), 25.0)
    for which, gain in want.items():
        assert table[f"{which}_dBi"][0] == pytest.approx(gain, abs=1e-9)


@pytest.mark.parametrize("seed", range(3))
def test_distances_from_metal_against_dense_samples(seed):
    random = np.random.default_rng(seed)
    wire = es.Wire("w", random.normal(size=(4, 3)), radius="1 cm")
    sheet = es.Sheet("s", es.shapes.disk(0.8, centre=random.normal(size=3), axis=random.normal(size=3)))
    antenna = es.Antenna("both", [wire], [es.Port("p", "w")], sheets=[sheet])
    places = 2.0 * random.normal(size=(40, 3))
    along = np.concatenate([np.linspace(a, b, 4000) for a, b in zip(wire.points[:-1], wire.points[1:], strict=True)])
    turn = np.linspace(0, 2 * np.pi, 400)
    reach = np.linspace(0, 0.4, 300)[:, None]
    flat = np.stack([reach * np.cos(turn), reach * np.sin(turn), 0 * reach * turn], axis=-1).reshape(-1, 3)
    disk = sheet.surface.to_space(flat)
    want = [min(max(np.linalg.norm(along - p, axis=1).min() - 0.01, 0.0), np.linalg.norm(disk - p, axis=1).min())
            for p in places]  # fmt: skip
    np.testing.assert_allclose(antenna.distances(places), want, atol=3e-3)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["near", "--area", "0,0,1 m", "0,0,1 m", "0,1,1 m", "9"], "no length"),
        (["near", "--area", "0,0,1 m", "1,0,1 m", "0,1,1 m", "1000"], "points; give"),
        (["near", "--line", "0,0,1 m", "0,0,2 m", "5", "--area", "0,0,1 m", "1,0,1 m", "0,1,1 m", "9"], "once"),
        (["sector", "--within", "0"], "outside 0 to 180"),
        (["sector", "--azimuth", "up"], "--azimuth"),
        (["guts"], "there is no question 'guts'"),
        (["cut"], "exactly one of --plane, --elevation and --azimuth"),
        (["cut", "--plane", "E", "--azimuth", "0"], "exactly one"),
        (["cut", "--azimuth", "x"], "--azimuth: 'x'"),
        (["cut", "--azimuth", "1e9"], "beyond two whole turns"),
        (["cut", "--azimuth", "0", "--step", "0"], "step 0 is outside"),
        (["cut", "--azimuth", "0", "--quantity", "gian"], "did you mean 'gain'"),
        (["lobes", "--case", "b"], "there is no case 'b'"),
        (["matrix", "--parameters", "T"], "is not S, Z or Y"),
        (["near"], "say where"),
        (["near", "--line", "0,0", "0,0,1 m", "5"], "is no place"),
        (["near", "--line", "0,0,1 m", "0,0,2 m", "1"], "give 2 to"),
        (["near", "--field", "D"], "is not E or H"),
        (["near", "--limit", "-1"], "is not above zero"),
        (["lobes", "--out", "x.txt"], ".csv or .json"),
    ],
)
def test_wrong_questions_end_with_a_word(run, pair, words, says):
    status, out, err = run("ask", pair[0], *words)
    assert (status, out) == (2, "")
    assert says in err
    assert "Traceback" not in err


def test_a_lone_port_is_coupled_to_nothing(run, demo_path):
    assert "coupled to no other" in run("ask", demo_path, "coupling", "-f", "150 MHz")[2]


FILE = """
# kept
title = "t"
frequency = "150 MHz"
[values]
long = "0.95 m"  # tip to tip
[wire.driven]
radius = "3 mm"
metal = "copper"
points = ["0, -long / 2, 0", "0, long / 2, 0"]
[wire.feed]
radius = "3 mm"
points = ["-0.5 m, -0.5 m, 0", "-0.5 m, 0.5 m, 0"]
[wire.director]
radius = "3 mm"
points = ["0.3 m, -0.43 m, 0", "0.3 m, 0.43 m, 0"]
[port.feed]
on = "driven"
[port.spare]
on = "director"
[load.coil]
on = "director"
at = 0.2
impedance = "5 ohm"
[case.one]
power = { feed = "1 W", spare = "1 W" }
"""


@pytest.fixture
def file(tmp_path):
    (tmp_path / "t.toml").write_text(FILE)
    return load(tmp_path / "t.toml", None)


def test_medium_metal_height_and_parts_are_changed_in_the_file(file, tmp_path):
    new = changed(file, changes_of(["medium=sea, height=6 m, metal=steel, without=director"]))
    antenna = new.design.antenna
    assert antenna.medium == es.earth("sea")
    assert [(w.name, w.metal.name, w.points[0][2]) for w in antenna.wires] == [
        ("driven", "steel", 6.0),
        ("feed", "steel", 6.0),
    ]
    assert ([g.name for g in antenna.gaps], list(new.cases[0].sources)) == (["feed"], ["feed"])
    text = es.write(new.design, tmp_path / "new.toml").read_text()
    assert "# kept" in text
    assert "# tip to tip" in text
    assert es.read_design(tmp_path / "new.toml").design.antenna == antenna
    assert changed(file, {"metal": "none"}).design.antenna.wires[0].metal is None


def test_a_wire_and_a_port_may_share_a_name(file):
    """The port goes with the wire it is on; the wire that has its name stays."""
    left = changed(file, {"without": "driven"})
    assert [w.name for w in left.design.antenna.wires] == ["feed", "director"]
    assert [p.name for p in left.design.antenna.ports] == ["spare"]
    assert list(left.cases[0].sources) == ["spare"]


def test_plain_numbers_change_as_numbers(tmp_path):
    (tmp_path / "t.toml").write_text(
        FILE.replace("[values]", "[values]\nshare = 0.5").replace("at = 0.2", 'at = "share"')
    )
    plain = load(tmp_path / "t.toml", None)
    assert changed(plain, changes_of(["share*=0.5"])).design.values.share == 0.25


def test_values_change_by_so_much_or_so_many_times(file):
    for told_, long in (("long+=4 cm", 0.99), ("long-=4 cm", 0.91), ("long*=1.02", 0.969), ("long *= 1.02", 0.969)):
        assert changed(file, changes_of([told_])).design.values.long == pytest.approx(long)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("without=mast", "there is no part 'mast'"),
        ("medium=custard", "no medium 'custard'"),
        ("metal=custard", "custard"),
        ("height=tall", "height"),
        ("height=1 Gm", "beyond 1000 km"),
        ("lnog*=2", "did you mean 'long'"),
        ("long*=2 kg", "kg"),
        ("+=2", "is not NAME=VALUE"),
    ],
)
def test_wrong_changes_end_with_a_word(file, change, says):
    with pytest.raises(es.EarshotError, match=says):
        changed(file, changes_of([change]))


def test_a_height_study_is_one_command(run, demo_path, tmp_path):
    heights = [w for h in (3, 6) for w in ("--set", f"medium=meadow, height={h} m")]
    status, out, _ = run("compare", demo_path, *heights, "-f", "150.1 MHz", "--json", "--out", tmp_path)
    assert status == 0
    row = next(r for r in json.loads(out)["figures"] if r["figure"] == "elevation of peak")
    peaks = [row[key] for key in row if key.startswith("medium")]
    assert peaks[0] == pytest.approx(2 * peaks[1], rel=0.05)


def test_a_file_that_was_read_is_a_design_everywhere(demo_path):
    file = es.read_design(demo_path)
    assert not es.check(file).stops
    longer = file.with_(driven="0.96 m")
    assert (longer.values.driven, longer.frequencies) == (0.96, file.frequencies)
    x = [es.solve(f, "150.1 MHz").network.z().values[0, 0, 0].imag for f in (file, longer)]
    assert x[1] > x[0] + 5
    assert abs(es.scatter(file, es.plane_wave(90, 0, e_phi=1), "150.1 MHz").currents[0]) > 1e-3
    assert es.plots.geometry(file).texts


def test_embedded_patterns_are_of_each_port_alone_and_add_up(run, pair):
    table = told(run, pair[0], "embedded", "--azimuth", "0", "--step", "10", "--quantity", "realized_gain")
    assert list(table)[1:] == ["realized_gain_dBi, a", "realized_gain_dBi, b"]
    # By the mirror the two are in.
    there, back = table["realized_gain_dBi, a"], table["realized_gain_dBi, b"][::-1]
    np.testing.assert_allclose(there[1:-1], back[1:-1], atol=1e-3)
    opened = pair[1]
    alone = opened.solution.drive({"a": es.watts(1)}, opened.cases[0].driven.frequency).far_field()
    want = alone.cut(azimuth=0, step=10).realized_gain.values
    np.testing.assert_allclose(there[1:-1], want[1:-1], atol=1e-9)
    theta, phi = np.linspace(0.1, 1.5, 9), np.linspace(0.0, 6.0, 9)
    both = opened.solution.drive({"a": es.watts(1), "b": es.watts(1)}, opened.cases[0].driven.frequency)
    parts = [field.field(theta, phi) for field in opened.embedded().values()]
    np.testing.assert_allclose(both.far_field().field(theta, phi), np.sum(parts, axis=0), rtol=1e-9)


def test_gain_by_bearing_for_several_heights_is_one_command(run, demo_path):
    changes = [w for h in (3, 6) for w in ("--variant", f"medium=meadow, height={h} m")]
    words = ["--elevation", "20", "--elevation", "10", "-f", "150.1 MHz"]
    table = told(run, demo_path, "directions", *changes, *words)
    assert table["variant"].unique().tolist() == ["medium=meadow, height=3 m", "medium=meadow, height=6 m"]
    assert len(table) == 4
    design = changed(load(demo_path, None), changes_of(["medium=meadow, height=3 m"])).design
    field = es.solve(design, "150.1 MHz").drive().far_field()
    want = 10 * math.log10(float(field.gain(math.radians(80), 0.0)))
    assert table[(table["elevation_deg"] == 10)].iloc[0]["E"] == pytest.approx(want, abs=1e-9)
