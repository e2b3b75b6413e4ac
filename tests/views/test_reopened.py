"""What solves is written, opens again elsewhere, and answers the same questions from the command line."""

import json
import shutil
from importlib import resources

import numpy as np
import pandas as pd
import pytest

import earshot as es

ARRAY = """title = "two tables"
frequency = "150 MHz"
[values]
steer = "20 deg"
half = "0.46 m"
[wire.rod]
radius = "2 mm"
metal = "aluminium"
points = ["0, 0, -half", "0, 0, half"]
[port.feed]
on = "rod"
[array]
places = "places.csv"
[array.beam.out]
weights = "weights.csv"
azimuth = "90 deg"
[array.beam.aside]
azimuth = "90 deg + steer"
delays = true
power = "2 W"
cuts = ["elevation 0 deg", "E"]
[array.chain]
gain = 10
[case.one]
power = { e1_feed = "1 W" }
terminations = { e2_feed = { table = "end.csv" } }
"""


@pytest.fixture
def written(tmp_path, run):
    """An array's results, in a folder where none of the tables it was made from are."""
    made = tmp_path / "made"
    made.mkdir()
    x = 0.9 * np.array([-1.0, 0.0, 1.3])
    pd.DataFrame({"x_m": x, "y_m": 0.1 * x, "z_m": 0.0}).to_csv(made / "places.csv", index=False)
    pd.DataFrame({"amplitude": [0.5, 1, 0.7], "phase_deg": [0, 30, -20]}).to_csv(made / "weights.csv", index=False)
    pd.DataFrame({"frequency_Hz": [1e8, 2e8], "R_ohm": [20, 30], "X_ohm": [3, 4]}).to_csv(made / "end.csv", index=False)
    (made / "array.toml").write_text(ARRAY)
    status, out, err = run("solve", made / "array.toml", "--set", "steer=30 deg", "--out", made / "out")
    assert status == 0, err
    moved = shutil.move(made / "out/results.nc", tmp_path / "moved.nc")
    shutil.rmtree(made)
    return moved, out


def test_an_array_with_its_beams_opens_anywhere(written, run, tmp_path):
    path, solved = written
    status, shown, err = run("show", path)
    assert (status, shown, err) == (0, solved, "")
    whole = run("show", path, "--all")[1]
    for name in ("out", "aside", "one"):
        assert f"\n{name} " in shown
        assert f"case {name}" in whole
    status, out, err = run("plot", path, "ideal", "link", "scan", "coupling", "beam-map", "layout", "--out", tmp_path)
    assert (status, len(out.splitlines())) == (0, 6), err
    assert run("compare", path, path, "--out", tmp_path / "c")[0] == 0
    assert run("export", path, tmp_path / "x.s3p")[0] == 0
    assert run("export", path, tmp_path / "x.toml")[0] == 0


def test_every_kind_of_answer_is_the_same_after_opening(written, run):
    path, _ = written
    first, second = (json.loads(run("show", path, "--json")[1]) for _ in range(2))
    assert first == second
    drives = {case["name"]: case["ports"] for case in first["cases"]}
    assert [row["power_W"] > 0 for row in drives["aside"]] == [True] * 3
    closed = next(row for row in drives["one"] if row["port"] == "e2_feed")
    seen = complex(closed["active_impedance_ohm_re"], closed["active_impedance_ohm_im"])
    assert seen == pytest.approx(-(25 + 3.5j), rel=1e-6)


def test_the_tag_line_opens_as_it_was_solved(run, tmp_path):
    path = resources.files("earshot.demo") / "tag_line.toml"
    status, solved, _ = run("solve", path, "-f", "150.1 MHz", "--out", tmp_path)
    assert status == 0
    assert run("show", tmp_path / "results.nc") == (0, solved, "")
    assert run("plot", tmp_path / "results.nc", "ideal", "scan", "--out", tmp_path)[0] == 0


def test_several_ports_without_a_case_are_shown(run, tmp_path):
    wires = [es.Wire(n, [(x, 0, -0.48), (x, 0, 0.48)], radius="2 mm") for n, x in (("a", 0.0), ("b", 0.7))]
    pair = es.Antenna("pair", wires, [es.Port(n, n) for n in "ab"])
    path = es.write(es.solve(pair, "150 MHz"), tmp_path / "pair.nc")
    status, out, err = run("show", path)
    assert (status, "\nb " in out) == (0, True)
    assert "drives port 'a' alone" in err


def test_coupling_goes_to_csv_and_json(written, run, tmp_path):
    path, _ = written
    solved = es.read_results(path)
    for parameters, form in (("S", "RI"), ("Z", "MA"), ("Y", "DB"), ("S", "DB")):
        words = ("--parameters", parameters, "--form", form)
        assert run("export", path, tmp_path / "n.csv", *words)[0] == 0
        assert run("export", path, tmp_path / "n.json", *words)[0] == 0
        table = pd.read_csv(tmp_path / "n.csv")
        assert json.loads((tmp_path / "n.json").read_text())[0].keys() == set(table.columns)
        row = table[table["port"] == "e3_feed"].iloc[0]
        matrix = {"S": solved.network.s, "Y": solved.network.y, "Z": solved.network.z}[parameters]()
        wanted = complex(matrix.values[0, 2, 0])
        name = f"{parameters}_from_e1_feed"
        columns = [c for c in table.columns if c.startswith(name)]
        assert len(columns) == 2
        one, two = (float(row[c]) for c in columns)
        turned = np.exp(1j * np.radians(two))
        found = {"RI": one + 1j * two, "MA": one * turned, "DB": 10 ** (one / 20) * turned}[form]
        assert found == pytest.approx(wanted, rel=1e-9)


def test_exports_are_refused_before_anything_is_solved(run, tmp_path, demo_path, monkeypatch):
    from earshot.answers import solution

    monkeypatch.setattr(solution, "respond", lambda *_: pytest.fail("it solved"))
    for words in (
        ("x.odd",),
        ("x.csv", "--parameters", "Q"),
        ("x.s1p", "--form", "XX"),
        ("x.s1p", "--reference", "4 m"),
    ):
        assert run("export", demo_path, tmp_path / words[0], *words[1:])[0] == 2


def test_beams_at_several_frequencies(run, tmp_path):
    path = resources.files("earshot.demo") / "tag_line.toml"
    status, out, _ = run("beams", path, "-f", "150 MHz", "-f", "151 MHz", "--json")
    names = json.loads(out)["beams"]
    assert status == 0
    assert {row["frequency_Hz"] for row in names.values()} == {150e6, 151e6}
    assert all(name.endswith(("at 150 MHz", "at 151 MHz")) for name in names)


def test_a_lone_driven_port_is_not_scanned(run, tmp_path):
    wires = [es.Wire(n, [(x, 0, -0.48), (x, 0, 0.48)], radius="2 mm") for n, x in (("a", 0.0), ("b", 0.7))]
    pair = es.write(es.solve(es.Antenna("pair", wires, [es.Port(n, n) for n in "ab"]), "150 MHz"), tmp_path / "p.nc")
    status, _, err = run("plot", pair, "scan", "--out", tmp_path)
    assert (status, "one is not scanned" in err) == (2, True)
    assert "Warning" not in err


@pytest.mark.parametrize("frequency", [0.0141, 1.0, 20.0])
def test_a_frequency_far_below_the_antenna_is_refused(dipole, frequency):
    with pytest.raises(es.ModelError, match="check the frequency's unit"):
        es.solve(dipole, frequency)


@pytest.mark.parametrize(
    "words",
    [
        ("plot", "{}", "vswr", "--at", "1/0"),
        ("plot", "{}", "pattern", "--reach", "3 MHz"),
        ("compare", "{}", "--over", "[red]sea"),
        ("compare", "{}", "--set", "driven=3 MHz"),
        ("compare", "{}", "{}", "--at", "nonsense"),
        ("diff", "{}", "--round", "9**9**9"),
        ("diff", "{}", "--set", "driven=1 smoot_"),
        ("export", "{}", "/proc/none/x.nc"),
    ],
)
def test_what_is_wrong_with_an_option_is_told_before_anything_is_solved(run, demo_path, tmp_path, monkeypatch, words):
    from earshot.answers import solution

    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(solution, "respond", lambda *_: pytest.fail("it solved"))
    status, _, err = run(*(w.format(demo_path) for w in words))
    assert status in (2, 3)
    assert "error: " in err
