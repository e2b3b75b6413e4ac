"""The bench's commands as a user runs them: new, show, compare, diff, cut-list, explain, convert."""

import json
import re

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot.answers import solution as solutions


@pytest.fixture(scope="module")
def bench(tmp_path_factory, demo_path):
    """A folder with the demo design, its results and a made-up measured curve."""
    folder = tmp_path_factory.mktemp("bench")
    (folder / "tag.toml").write_text(demo_path.read_text())
    from earshot.views.commands.app import main

    assert main(["solve", str(folder / "tag.toml"), "--out", str(folder / "solved")]) == 0
    f = np.linspace(142, 158, 33)
    rows = [f"{x:.2f},{1.07 + ((x - 150.3) / 7.7) ** 2:.3f}" for x in f]
    (folder / "roof.csv").write_text("# made up\nf (MHz),VSWR\n" + "\n".join(rows) + "\n")
    return folder


@pytest.fixture
def no_solving(monkeypatch):
    def refuse(*_):
        raise AssertionError("it solved")

    monkeypatch.setattr(solutions, "respond", refuse)


def test_new_writes_a_file_that_solves(run, tmp_path):
    target = tmp_path / "beam.toml"
    status, out, err = run("new", "yagi", "-f", "432 MHz", "-n", 4, "--set", "rod=6 mm", "--out", target)
    assert (status, out.strip()) == (0, str(target))
    assert "now try: earshot check" in err
    text = target.read_text()
    assert text.count("#") >= 5
    assert 'rod        = { is = "6 mm"' in text
    status, out, _ = run("solve", target, "-f", "432 MHz", "--json")
    assert status == 0
    assert json.loads(out)["cases"][0]["figures"][0]["value"] > 9
    assert run("new", "yagi", "-f", "432 MHz", "--out", target)[0] == 2
    assert run("new", "dipole", "-f", "432 MHz", "--out", target, "--force")[0] == 0
    status, out, _ = run("new", "--list", "--json")
    kinds = json.loads(out)
    assert len(kinds) == 35
    for row in kinds:
        assert run("new", row["kind"], "-f", "868 MHz", "--out", target, "--force")[0] == 0
        assert run("check", target)[0] == 0
    listed = run("new", "--list")[1]
    assert all(row["kind"] in listed for row in kinds)


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["new", "yagy", "-f", "1 GHz"], "did you mean 'yagi'"),
        (["new", "yagi"], "say which antenna and for"),
        (["new", "dipole", "-f", "1 GHz", "-n", "3"], "no number of elements"),
        (["new", "yagi", "-f", "1 GHz", "-n", "99"], "from 2 to 50"),
        (["new", "yagi", "-f", "1 GHz", "--set", "rodd=3 mm"], "did you mean 'rod'"),
        (["explain"], "which term"),
        (["explain", "gian"], "did you mean 'gain'"),
        (["convert", "3 kg"], "nothing here does"),
        (["convert", "3"], "is a number; give a frequency or a length"),
        (["convert", "0.25 lambda"], "no frequency says how long"),
        (["convert", "0 MHz"], "not above zero"),
        (["convert", "3 MHz", "--to", "smoots_"], "not a unit"),
        (["convert", "3 MHz", "--velocity", "2"], "outside 0 to 1"),
        (["compare", "TAG"], "one model alone"),
        (["compare", "TAG", "--set", "drivn=1 m"], "did you mean 'driven'"),
        (["compare", "RESULTS", "CURVE", "--set", "driven=1 m"], "give its design file"),
        (["diff", "TAG"], "name another model"),
        (["diff", "TAG", "TAG", "--round", "1 mm"], "one of the two"),
        (["diff", "TAG", "--round", "1 MHz"], "is a frequency"),
        (["diff", "RESULTS", "--set", "driven=1 m"], "give its design file"),
        (["cut-list", "TAG", "--out", "x.txt"], r"to \.csv or \.json"),
        (["export", "CURVE", "x.s1p"], "without phase"),
        (["export", "CURVE", "x.nc"], "only a design is solved"),
        (["export", "RESULTS", "x.s2p"], r"ending in \.s1p or \.ts"),
        (["export", "RESULTS", "x.s1p", "--parameters", "H"], "is not one of S, Y, Z"),
        (["export", "RESULTS", "x.s1p", "--reference", "50"], "has no unit"),
        (["export", "RESULTS", "x.s1p", "--reference", "0 ohm"], "not above zero"),
        (["export", "CURVE", "x.s1p", "--set", "a=1 m"], "is a curve"),
        (["show", "TAG"], "not a results file"),
        (["show", "gone.nc"], "there is no results file"),
        (["plot", "RESULTS", "vswr", "-f", "150.2 MHz"], "was not solved at 150.2 MHz, but at"),
        (["plot", "RESULTS", "vswr", "--set", "driven=1 m"], "holds results"),
        (["plot", "RESULTS", "vswr", "--at", "170 MHz"], "the curves run from"),
        (["plot", "RESULTS", "polar", "--scale", "odd"], "not dB or compressed"),
    ],
)
def test_mistakes_end_with_a_message(run, bench, tmp_path, monkeypatch, words, says):
    monkeypatch.chdir(tmp_path)
    files = {"TAG": bench / "tag.toml", "RESULTS": bench / "solved/results.nc", "CURVE": bench / "roof.csv"}
    status, out, err = run(*(files.get(w, w) for w in words))
    assert status == 2
    assert re.search(says, err)
    assert "Traceback" not in out + err


def test_results_are_shown_and_drawn_without_solving(run, bench, tmp_path, no_solving):
    for more in ([], ["--all"]):
        status, out, _ = run("show", bench / "solved/results.nc", *more)
        assert status == 0
        for words in ("VSWR", "realized", "case listening at 150.1 MHz"):
            assert words in out
    status, out, _ = run(
        "plot", bench / "solved/results.nc", "--out", tmp_path, "--at", "150.1 MHz", "--scale", "compressed"
    )
    assert status == 0
    assert len(list(tmp_path.glob("*.png"))) == 13 + 1
    table = json.loads(run("show", bench / "solved/results.nc", "--json")[1])
    assert {v["name"] for v in table["values"]} >= {"driven", "rod"}


def test_one_figure_goes_into_a_file_of_its_kind(run, bench, tmp_path, no_solving):
    results = bench / "solved/results.nc"
    for ending, begins in ((".svg", b"<?xml"), (".pdf", b"%PDF"), (".png", b"\x89PNG")):
        status, out, _ = run("plot", results, "vswr", "--out", tmp_path / f"new/curve{ending}")
        assert (status, out.strip()) == (0, str(tmp_path / f"new/curve{ending}"))
        assert (tmp_path / f"new/curve{ending}").read_bytes().startswith(begins)
    assert len(list((tmp_path / "new").iterdir())) == 3
    status, _, err = run("plot", results, "vswr", "smith", "--out", tmp_path / "two.png")
    assert status == 2
    assert "two.png: a file holds one figure: name which" in err


@pytest.mark.parametrize(
    "words",
    [
        ["solve", "TAG", "--out", "FILE.nc"],
        ["vary", "TAG", "driven = 0.9 m; 0.95 m", "--out", "FILE.csv"],
        ["optimise", "TAG", "driven", "--wish", "most gain", "--out", "FILE.toml"],
        ["compare", "TAG", "CURVE", "--out", "FILE.csv"],
        ["demo", "--out", "FILE.png"],
    ],
)
def test_folders_are_not_called_like_files(run, bench, tmp_path, no_solving, words):
    files = {"TAG": bench / "tag.toml", "CURVE": bench / "roof.csv"}
    words = [tmp_path / w if w.startswith("FILE") else files.get(w, w) for w in words]
    status, _, err = run(*words)
    assert status == 2
    assert "goes into a folder" in err
    assert not list(tmp_path.iterdir())


def test_a_damaged_results_file_is_a_message(run, bench, tmp_path):
    whole = (bench / "solved/results.nc").read_bytes()
    (tmp_path / "cut.nc").write_bytes(whole[:-3000])
    status, _, err = run("show", tmp_path / "cut.nc")
    assert status == 2
    assert "cut.nc' " in err
    assert "Traceback" not in err


def test_compare_lays_everything_over(run, bench, tmp_path):
    models = bench / "tag.toml", bench / "solved/results.nc", bench / "roof.csv"
    wishes = "--set", "driven=0.93 m, rod=8 mm", "--at", "150.1 MHz", "--out", tmp_path
    status, out, err = run("compare", *models, *wishes)
    assert status == 0
    assert "solving Ternholm tag receiver with driven=0.93 m, rod=8 mm" in err
    table = pd.read_csv(tmp_path / "comparison.csv", index_col="figure")
    assert list(table.columns) == ["unit", "tag", "driven=0.93 m, rod=8 mm", "solved", "roof"]
    np.testing.assert_allclose(table["tag"], table["solved"])
    assert table.loc["VSWR", "roof"] == pytest.approx(1.07, abs=0.01)
    assert np.isnan(table.loc["gain", "roof"])
    assert table.loc["nearest resonance", "driven=0.93 m, rod=8 mm"] > table.loc["nearest resonance", "tag"] + 1
    assert {p.stem for p in tmp_path.glob("*.png")} == {
        "vswr",
        "return-loss",
        "impedance",
        "smith",
        "polar",
        "cartesian",
    }
    # What is shown is what the table holds, to the last digit; long names fold, and a lone curve has no beam.
    assert max(map(len, out.splitlines())) <= 80
    match, beam = out.split("beam, all linear")
    for model, start in (("tag", "tag "), ("solved", "solved "), ("driven=0.93 m, rod=8 mm", "driven=0.93 m, ")):
        row = table[model].astype(float)
        shown = next(line for line in match.splitlines() if line.startswith(start)).split()
        assert f"{row['R']:.2f}" in shown
        assert f"{row['X']:+.2f}" in shown
        shown = next(line for line in beam.splitlines() if line.startswith(start)).split()
        assert f"{row['gain']:.2f}" in shown
    assert "roof" in match
    assert "roof" not in beam
    everything = run("compare", *models[1:], "--all", "--out", tmp_path)[1]
    assert all(name in everything for name in ("solved", "roof", "bandwidth", "front-to-rear"))


def test_compare_of_results_and_curves_alone_does_not_solve(run, bench, tmp_path, no_solving):
    status, out, _ = run("compare", bench / "solved/results.nc", bench / "roof.csv", "--out", tmp_path, "--json")
    assert status == 0
    assert json.loads(out)["frequency_Hz"] == 150.1e6
    assert run("compare", bench / "roof.csv", bench / "solved/network.s1p", "--out", tmp_path)[0] == 0


def test_diff_says_what_changed_and_what_moved(run, bench):
    status, out, _ = run("diff", bench / "tag.toml", "--set", "driven=0.96 m", "-f", "150.1 MHz")
    assert status == 0
    assert re.search(r"driven +949 mm +0.96 m +\+1.16", out)
    assert re.search(r"wire +driven +length 0.949 -> 0.96 m", out)
    moved = json.loads(run("diff", bench / "tag.toml", "--set", "driven=0.96 m", "-f", "150.1 MHz", "--json")[1])
    change = {row["figure"]: row["change"] for row in moved["figures"]}
    before, after = (
        es.solve(es.read_design(bench / "tag.toml").design.with_(driven=d), "150.1 MHz") for d in ("949 mm", "0.96 m")
    )
    expected = after.network.z().values - before.network.z().values
    assert change["R"] + 1j * change["X"] == pytest.approx(expected[0, 0, 0])
    status, out, _ = run("diff", bench / "solved/results.nc", bench / "tag.toml")
    assert "nothing changed" in out
    assert "no figure moved" in out
    rounded = run("diff", bench / "tag.toml", "--round", "1 cm")[1]
    assert re.search(r"reflector +977 mm +98 cm", rounded)
    assert "figures that moved" in rounded


def test_cut_list_and_rounded_design(run, bench, tmp_path):
    status, out, _ = run("cut-list", bench / "tag.toml", "--round", "5 mm", "--out", tmp_path / "cut.csv")
    assert status == 0
    assert "3 pieces, 2.77 m" in out
    assert list(pd.read_csv(tmp_path / "cut.csv")["length_m"]) == [0.975, 0.95, 0.845]
    run("cut-list", bench / "tag.toml", "--round", "5 mm", "--out", tmp_path / "cut.toml")
    assert es.read_design(tmp_path / "cut.toml").design.values["driven"] == pytest.approx(0.95)


def test_explain_and_convert(run):
    out = run("explain", "realized", "gain")[1]
    assert "Gain lowered by the mismatch" in out
    assert "IEEE Std 145" in out
    assert "axial ratio" in run("explain", "--list")[1]
    assert json.loads(run("explain", "vswr", "--json")[1])["formula"].startswith("VSWR =")
    rows = json.loads(run("convert", "150 MHz", "--json")[1])
    assert {r["unit"]: r["value"] for r in rows if r["what"] == "wavelength"}["m"] == pytest.approx(1.99861639)
    rows = json.loads(run("convert", "60 mil", "--to", "mm", "--json")[1])
    assert rows == [{"what": "length", "value": pytest.approx(1.524), "unit": "mm"}]
    rows = json.loads(run("convert", "0.25 lambda", "-f", "150 MHz", "--velocity", "0.66", "--json")[1])
    assert rows[0]["value"] == pytest.approx(0.25 * 0.66 * 1.99861639)
    rows = json.loads(run("convert", "2 m", "--json")[1])
    assert {r["what"]: r["value"] for r in rows}["half a wavelength at"] == pytest.approx(74.948, abs=1e-3)


def test_check_draws_its_findings(run, bench, tmp_path):
    crossed = tmp_path / "crossed.toml"
    crossed.write_text(
        (bench / "tag.toml").read_text() + '[wire.boom]\nradius="1 cm"\npoints=["-1 m,0,0", "1 m,0,0"]\n'
    )
    status, _, err = run("check", crossed, "--draw", tmp_path / "boom.svg")
    assert status == 1
    assert "drawn" in err
    picture = (tmp_path / "boom.svg").read_text()
    assert "crosses 'boom'" in picture
    assert "port feed" in picture


def test_long_work_is_reported_and_short_work_is_not(run, bench, monkeypatch):
    from earshot.views.commands import screen

    _, _, err = run("solve", bench / "tag.toml", "-f", "150 MHz")
    assert "s: solving" not in err
    monkeypatch.setattr(screen, "_FIRST", 0.0)
    monkeypatch.setattr(screen, "_AGAIN", 0.001)
    _, _, err = run("solve", bench / "tag.toml")
    assert re.search(r"0 s: solving Ternholm tag receiver at [\d.]+ MHz, \d+ unknowns, \d+ done", err)


@pytest.mark.parametrize(
    ("ending", "options"),
    [
        ("s1p", ["--parameters", "Z", "--form", "MA"]),
        ("ts", ["--reference", "75 ohm"]),
        ("csv", []),
        ("s1p", ["--reference", "300 ohm", "--form", "DB"]),
    ],
)
def test_export_writes_a_network_that_reads_back(run, bench, tmp_path, no_solving, ending, options):
    given = es.read_results(bench / "solved/results.nc").network
    status, out, _ = run("export", bench / "solved/results.nc", tmp_path / f"x.{ending}", *options)
    assert (status, out.strip()) == (0, str(tmp_path / f"x.{ending}"))
    back = es.read_network(tmp_path / f"x.{ending}")
    np.testing.assert_allclose(back.referred_to(50).s(), given.s(), atol=1e-9)
    # A curve goes on into another format.
    assert run("export", tmp_path / f"x.{ending}", tmp_path / "y.ts", "--parameters", "Y")[0] == 0
    np.testing.assert_allclose(es.read_network(tmp_path / "y.ts").referred_to(50).s(), given.s(), atol=1e-9)


def test_export_of_designs_and_results(run, bench, tmp_path):
    assert run("export", bench / "tag.toml", tmp_path / "x.toml", "--set", "driven=0.94 m")[0] == 0
    assert es.read_design(tmp_path / "x.toml").design.values["driven"] == pytest.approx(0.94)
    assert run("export", bench / "tag.toml", tmp_path / "x.nc", "-f", "150 MHz")[0] == 0
    assert es.read_results(tmp_path / "x.nc").solved.tolist() == [150e6]
    status, _, err = run("export", tmp_path / "x.nc", tmp_path / "z.toml")
    assert (status, "without its values" in err) == (0, True)
    assert es.read_design(tmp_path / "z.toml").design.antenna == es.read_results(tmp_path / "x.nc").antenna


def test_completion_offers_what_there_is():
    from earshot.views.commands.new import _like as kinds
    from earshot.views.commands.plot import _like as figures

    assert kinds("ya") == ["yagi"]
    assert figures("pa") == ["pattern"]
