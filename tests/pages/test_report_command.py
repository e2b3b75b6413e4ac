"""The command and the function: what they take, what they refuse, and what they say."""

import gzip
import json
import re
from base64 import b64decode

import numpy as np
import pytest

import earshot as es
from earshot import studies
from earshot.views.page import contents
from earshot.views.page.sphere import ENOUGH, grid_for, powers, sampled


def held(path):
    """What a page holds, and its bytes."""
    text = path.read_text(encoding="utf-8")
    content = json.loads(re.search(r'id="content">(.*?)</script>', text, re.S)[1])
    return content, gzip.decompress(b64decode(re.search(r'id="bytes">(.*?)</script>', text, re.S)[1]))


def test_several_models_as_one_page(run, demo_path, tmp_path):
    page = tmp_path / "two.html"
    status, out, err = run(
        "report", demo_path, demo_path.parent / "roof_meter.csv", "--set", "driven=0.93 m", "--vary", "rod=5 mm; 8 mm",
        "--over", "free space", "--out", page, "--json",
    )  # fmt: skip
    assert status == 0, err
    told = json.loads(out)
    assert told["models"] == ["tag_receiver", "driven=0.93 m", "rod=5 mm", "rod=8 mm", "over free space", "roof_meter"]
    content, raw = held(page)
    assert told["bytes"] == page.stat().st_size < 6e6
    assert [m["label"] for m in content["models"]] == told["models"][:-1]
    assert content["measured"][0]["phase"] is False
    assert content["title"] == "Ternholm tag receiver"
    one = content["models"][0]
    where = one["frequencies"]
    hertz = np.frombuffer(raw, "<f8", where["shape"][0], where["at"])
    assert (hertz[0], hertz[-1]) == (140e6, 160e6)
    assert "driven" in one["design"]
    assert one["sphere"]["error"] < ENOUGH


def test_a_study_of_the_file_lies_beside_it(run, demo_path, tmp_path):
    status, _, err = run("report", demo_path, "--study", "home", "--study", "workshop", "--out", tmp_path / "page.html")
    assert status == 0, err
    home, workshop = held(tmp_path / "page.html")[0]["studies"]
    assert [table["name"] for table in home["tables"]] == ["values", "goals", "tries"]
    assert home["tables"][0]["rows"][0]["value"] == "driven"
    assert "percentiles" in [table["name"] for table in workshop["tables"]]
    status, _, err = run("report", demo_path, "--study", "garden", "--out", tmp_path / "no.html")
    assert status == 2
    assert "garden" in err
    assert not (tmp_path / "no.html").exists()


def test_results_are_not_solved_again(run, demo_path, tmp_path):
    assert run("solve", demo_path, "--out", tmp_path / "done")[0] == 0
    status, out, err = run("report", tmp_path / "done" / "results.nc", "--out", tmp_path / "page.html")
    assert status == 0
    assert "solving" not in err
    assert "MB; open it in a browser" in err
    assert out.strip().endswith("page.html")


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--out", "page.pdf"], "let its name end in .html"),
        (["--vary", "driven"], "write NAME=RANGE"),
        (["--vary", "driven=1 m; "], "empty place"),
        (["--vary", "drivn=1 m; 2 m"], "drivn"),
        (["--set", "driven=-1 m"], "driven"),
        (["--over", "custard"], "custard"),
        (["--frequency", "7 apples"], "apples"),
    ],
)
def test_mistakes_are_told_before_anything_is_solved(run, demo_path, tmp_path, monkeypatch, words, said):
    monkeypatch.chdir(tmp_path)
    status, _, err = run("report", demo_path, *words)
    assert status in (1, 2)
    assert said in err
    assert "Traceback" not in err
    assert not list(tmp_path.glob("*.html"))


def test_what_is_no_model_is_refused(demo_path, tmp_path):
    dipole = es.antennas.dipole("868 MHz")
    network = es.solve(dipole, "868 MHz").network
    for given, said in [
        (network, "there is no model to show"),
        (dipole, "not solved yet"),
        (42, "a int is no model"),
        ({}, "there is no model"),
        (tmp_path / "none.nc", "none.nc"),
    ]:
        with pytest.raises(es.UsageError, match=said):
            es.report(given, tmp_path / "page.html")
    with pytest.raises(es.UsageError, match=r"end in \.html"):
        es.report(es.solve(dipole, "868 MHz"), tmp_path / "page.txt")
    assert not list(tmp_path.iterdir())


def test_a_study_and_a_circuit_are_in_it(demo_path, tmp_path):
    file = es.read_design(demo_path)
    study = studies.vary(file, ["driven = 0.92 m; 0.94 m"])
    matrix = es.run(demo_path.parent / "tag_line_matrix.toml")
    content, _ = held(es.report({"matrix": matrix, "lengths": study}, tmp_path / "page.html"))
    assert len(content["studies"][0]["tables"][0]["rows"]) == 2
    cases = content["models"][0]["cases"]
    assert all(case["circuit"] for case in cases)
    # Through a circuit, ports are told by the voltages it leaves there.
    first = matrix.cases[0].driven
    volts = [complex(*port["amount"]) for port in cases[0]["ports"] if port["kind"] == "voltage"]
    assert volts == pytest.approx(
        [v for v, p in zip(first.voltages, first.antenna.ports, strict=True) if p.name in first.driven]
    )


def test_what_is_too_large_is_cut_down_with_a_word(tmp_path, monkeypatch):
    rods = es.arrays.repeated(es.antennas.dipole("868 MHz").antenna, es.arrays.line(3, "1.4 m"))
    solution = es.solve(rods, [es.band("860 MHz", "876 MHz", 17), "868 MHz"])
    whole, raw = held(es.report(solution, tmp_path / "whole.html"))
    for name, room in (("_FIELDS", 40_000), ("_CURRENTS", 100), ("_CURVES", 400)):
        monkeypatch.setattr(contents, name, room)
    page = es.report(solution, tmp_path / "small.html")
    small, cut = held(page)
    one = small["models"][0]
    assert len(cut) < 0.5 * len(raw)
    assert len(one["stops"]) == 1 < len(whole["models"][0]["stops"])
    said = " ".join(one["notes"])
    for word in ("fields are held every", "currents are too many", "curves are drawn through"):
        assert word in said
        assert word not in " ".join(whole["models"][0]["notes"])
    # How far the fields are off is measured, and told.
    assert ENOUGH < one["sphere"]["error"] < 1.0
    flow = one["currents"]
    ends = np.frombuffer(cut, "<i2", int(np.prod(flow["ends"]["shape"])), flow["ends"]["at"]) * flow["ends"]["scale"][0]
    exact = solution.drive({rods.ports[0].name: es.watts(1)}, one["stops"][0]).flow.ends
    assert ends.reshape(*exact.shape, 2) @ [1, 1j] == pytest.approx(exact, abs=1e-4 * np.abs(exact).max())


def test_what_does_not_radiate_has_a_page(tmp_path):
    board = es.Stack(
        [es.Layer("1.5 mm", es.Dielectric("foam", 1.1)), es.Layer("1.5 mm", es.Dielectric("foam", 1.1))], lid=True
    )
    strip = es.Sheet("strip", es.shapes.plate("30 mm", "3 mm", centre=(0, 0, "1.5 mm")))
    wires = [es.Wire(n, [(x, 0, 0), (x, 0, 1.5e-3)], radius="0.3 mm") for n, x in (("a", -0.013), ("b", 0.013))]
    ports = [es.Port(n, on=n, at=0) for n in "ab"]
    solution = es.solve(es.Antenna("strip", wires, ports, sheets=[strip], medium=board), "2.4 GHz")
    content, _ = held(es.report(solution, tmp_path / "strip.html"))
    assert content["models"][0]["radiates"] is False
    assert content["models"][0]["sphere"] is None


@pytest.mark.parametrize("seed", range(4))
def test_few_directions_tell_all_others(seed):
    """Over random antennas and heights: between samples within what is told, and power as it is integrated."""
    chance = np.random.default_rng(seed)
    rod = (
        es.antennas.dipole("868 MHz")
        .antenna.rotated(float(chance.uniform(0, 90)), "x")
        .raised(float(chance.uniform(0.2, 0.5)))
    )
    medium = [es.free_space(), es.perfect_plane(), es.earth("meadow"), es.earth("sea")][seed]
    pair = rod.prefixed("a ") + rod.moved(
        [float(chance.uniform(0.1, 0.8)), float(chance.uniform(-0.4, 0.4)), 0]
    ).prefixed("b ")
    solution = es.solve(pair.over(medium), "868 MHz")
    names = [port.name for port in pair.ports]
    fields = [solution.drive({n: es.volts(float(n == own)) for n in names}).flow for own in names]
    grid, off = grid_for(fields, 1e9)
    assert off <= ENOUGH
    samples = sampled(fields, grid)
    theta = np.arccos(chance.uniform(0.0 if grid.plane else -1.0, 1.0, 400))
    phi = chance.uniform(-np.pi, 3.0 * np.pi, 400)
    exact = np.array([field.far_field(theta, phi) for field in fields])
    assert np.abs(grid.at(samples, theta, phi) - exact).max() <= 2.0 * ENOUGH * np.abs(samples).max()
    volts = chance.normal(size=2) + 1j * chance.normal(size=2)
    driven = solution.drive(
        {n: es.volts(abs(v), float(np.degrees(np.angle(v)))) for n, v in zip(names, volts, strict=True)}
    )
    assert (volts.conj() @ powers(fields) @ volts).real == pytest.approx(driven.far_field().radiated, rel=1e-6)
