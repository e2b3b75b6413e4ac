"""The command line: what it prints, what it writes, how it ends."""

import contextlib
import inspect
import json
import re
import subprocess
import sys
import time
from importlib import import_module

import numpy as np
import pytest

import earshot as es
from earshot.views.commands.app import COMMANDS


def test_demo_runs_from_design_to_figures(run, tmp_path):
    status, out, err = run("demo", "--out", tmp_path / "demo")
    assert status == 0
    for words in (
        "nothing to worry about",
        "unknowns",
        "VSWR",
        "realized gain",
        "front-to-back",
        "evidence",
        "power balance",
    ):
        assert words in out
    names = {p.name for p in (tmp_path / "demo").iterdir()}
    assert {
        "tag_receiver.toml",
        "network.s1p",
        "network.csv",
        "listening-cut-E.csv",
        "pattern.png",
        "vswr.png",
    } <= names
    assert "now try" in err
    assert "\x1b[" not in out


def test_solve_prints_json_that_a_program_can_read(run, demo_path):
    status, out, _ = run("solve", demo_path, "-f", "150.1 MHz", "--json", "--evidence", "--set", "driven=0.95 m")
    content = json.loads(out)
    assert status == 0
    assert [row["port"] for row in content["network"]] == ["feed"]
    assert next(v for v in content["values"] if v["name"] == "driven")["value"] == 0.95
    figures = {row["figure"]: row["value"] for row in content["cases"][0]["figures"]}
    assert figures["gain"] == pytest.approx(7.3, abs=0.1)
    assert figures["radiation efficiency"] == pytest.approx(1, abs=1e-3)
    assert {row["figure"] for row in content["evidence"]} >= {"R at feed", "largest boundary residual"}


def test_solve_writes_what_it_found(run, demo_path, tmp_path):
    status, out, err = run("solve", demo_path, "-f", "149 MHz", "-f", "151 MHz", "--all", "--out", tmp_path)
    assert status == 0
    # Of both frequencies, and with the mesh's error.
    assert out.count("realized gain") == 3
    names = sorted(p.name for p in tmp_path.iterdir())
    assert "listening-149-MHz-figures.csv" in names
    assert f"{len(names)} files written" in err


def test_check_ends_with_one_when_something_stops_it(run, demo_path, tmp_path):
    status, out, _ = run("check", demo_path)
    assert (status, out.splitlines()[0]) == (0, "Ternholm tag receiver: nothing to worry about, ready to solve")
    assert "joined to no port: reflector, director" in out
    whip = demo_path.with_name("buoy_monopole.toml")
    status, out, _ = run("check", whip)
    assert (status, out.splitlines()[0]) == (0, "Ternholm buoy whip: nothing found, ready to solve")
    assert re.search(r"\d+ unknowns, dense: \d+ MB of memory; \d+ solves in about \d+ s", out)
    crossed = tmp_path / "crossed.toml"
    crossed.write_text(demo_path.read_text() + '[wire.boom]\nradius="1 cm"\npoints=["-1 m,0,0", "1 m,0,0"]\n')
    status, out, _ = run("check", crossed)
    assert status == 1
    assert "'driven' crosses 'boom' at (0, 0, 0) m without a junction: split them there or move one" in out
    status, out, _ = run("check", crossed, "--json")
    assert (status, json.loads(out)["findings"][0]["level"]) == (1, "stop")
    status, out, err = run("solve", crossed)
    assert (status, out) == (1, "")
    assert "crosses" in err


@pytest.mark.parametrize(
    ("words", "status", "says"),
    [
        (["solve", "nowhere.toml"], 2, "cannot read 'nowhere.toml'"),
        (["solve", "DEMO", "--set", "drivn=1 m"], 2, "did you mean 'driven'"),
        (["solve", "DEMO", "--set", "driven"], 2, "is not NAME=VALUE"),
        (["solve", "DEMO", "--set", "driven=7"], 2, "needs one|range|is a"),
        (["solve", "DEMO", "-f", "0 MHz"], 2, "not above zero"),
        (["solve", "DEMO", "-f", "150"], 2, "has no unit"),
        (["solve", "DEMO", "-f", "1e99 Hz"], 3, "is the frequency right"),
        (["solve", "DEMO", "--out", "FILE/folder"], 3, "cannot write into folder"),
        (["plot", "DEMO", "vwsr"], 2, "did you mean 'vswr'"),
        (["plot", "DEMO", "--format", "gif"], 2, "written as one of png"),
        (["plot", "DEMO", "vswr", "--out", "FILE/folder"], 3, "cannot write into folder"),
        (["demo", "--out", "FILE/folder"], 3, "cannot write into folder"),
        (["solve"], 2, "Missing argument"),
        (["solve", "DEMO", "--loud"], 2, "No such option"),
        (["sing"], 2, "there is no command 'sing'"),
        (["chek"], 2, "did you mean 'check'"),
    ],
)
def test_mistakes_end_with_a_message_and_a_status(run, demo_path, tmp_path, words, status, says):
    blocker = tmp_path / "FILE"
    blocker.write_text("")
    filled = [w.replace("DEMO", str(demo_path)).replace("FILE", str(blocker)) for w in words]
    got, out, err = run(*filled)
    assert got == status
    assert re.search(says, err)
    assert "Traceback" not in out + err
    assert list(tmp_path.iterdir()) == [blocker]


def test_plot_draws_every_figure_in_every_format(run, demo_path, tmp_path):
    status, out, err = run("plot", demo_path, "--out", tmp_path, "-f", "149 MHz", "-f", "150 MHz")
    assert (status, len(out.split())) == (0, 14)
    assert "solving Ternholm tag receiver" in err
    from matplotlib.image import imread

    for path in tmp_path.glob("*.png"):
        image = imread(path)
        assert image.shape == (800, 1280, 4)
        # Something other than paper is on it.
        assert (np.abs(image[..., :3] - image[5, 1270, :3]).max(axis=2) > 0.2).mean() > 0.01
    for ending in ("svg", "pdf"):
        assert run("plot", demo_path, "polar", "--format", ending, "-f", "150 MHz", "--out", tmp_path)[0] == 0
        assert (tmp_path / f"polar.{ending}").stat().st_size > 5000


def test_it_runs_as_a_module_and_says_its_version():
    done = subprocess.run([sys.executable, "-m", "earshot", "--version"], capture_output=True, text=True)
    assert (done.returncode, done.stdout) == (0, "earshot 0.1.0\n")


def test_several_ports_need_a_case(run, tmp_path):
    rods = [es.Wire(n, [(x, 0, 0), (x, 0, 0.9)], radius="1 mm") for n, x in (("one", 0), ("two", 0.5))]
    pair = es.Antenna("two", rods, [es.Port("one", on="one"), es.Port("two", on="two", reference=75)])
    path = es.write(es.Design(lambda _: pair, frequency="150 MHz"), tmp_path / "two.toml")
    status, _, err = run("solve", path)
    assert status == 2
    assert "no case says how they are driven" in err
    path.write_text(path.read_text() + '[case.both]\npower = { one = "1 W" }\nvoltage = { two = "3 V" }\n')
    status, out, _ = run("solve", path, "--out", tmp_path / "out")
    assert status == 0
    assert "ports in case both" in out
    assert "at the ports" in run("show", tmp_path / "out" / "results.nc", "--all")[1]
    assert "R 50" in (tmp_path / "out" / "network.s2p").read_text()


def test_every_cut_a_case_names_is_drawn(demo_path):
    from earshot.views.commands.options import load
    from earshot.views.figures import FIGURES, Wishes

    result = es.run(load(demo_path.parent / "uplink_turnstile.toml", None, ["401 MHz"]), own_frequencies=False)
    drawn = FIGURES["polar"].draw(result, Wishes())
    labels = [text.get_text() for axes in drawn.axes for text in axes.get_legend().get_texts()]
    assert [label.split(",")[0] for label in labels] == ["azimuth 0°", "azimuth 90°"]


def test_what_nobody_foresaw_ends_with_three(run, demo_path, monkeypatch):
    from earshot.views.commands import check

    for problem, words in ((ZeroDivisionError("odd [bold]"), "a fault of Earshot"), (MemoryError(), "more memory")):

        def fail(*_, problem=problem):
            raise problem

        monkeypatch.setattr(check, "load", fail)
        status, out, err = run("check", demo_path)
        assert (status, out) == (3, "")
        assert words in err


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (("points = 101", "points = 4000000"), "from 2 to 100,001"),
        (("[case.listening]", '[case.listening]\nterminations = { feed = "50 ohm" }'), "is driven and closed"),
    ],
)
def test_check_refuses_what_solve_refuses(run, demo_path, tmp_path, change, says):
    text = demo_path.read_text()
    assert change[0] in text
    (tmp_path / "a.toml").write_text(text.replace(*change))
    for command in ("check", "solve"):
        status, _, err = run(command, tmp_path / "a.toml")
        assert (status, says in err) == (2, True)


@pytest.mark.parametrize("seed", range(25))
def test_check_stops_whatever_cannot_be_divided_or_fed(seed):
    from earshot.answers.prepare import prepare

    random = np.random.default_rng(seed)
    wires = []
    for name in "abc"[: random.integers(1, 4)]:
        points = np.round(random.normal(size=(random.integers(2, 5), 3)) * random.choice([0.3, 1, 3]), 1)
        radius = float(10 ** random.uniform(-4, 0.3))
        with contextlib.suppress(es.EarshotError):
            wires.append(es.Wire(name, points.tolist(), radius=radius))
    if not wires:
        return
    port = es.Port("p", wires[0].name, at=float(random.choice([0, 0.5, 1])), gap=float(10 ** random.uniform(-4, 0)))
    antenna = es.Antenna("a", wires, [port])
    frequency = float(10 ** random.uniform(7, 8.5))
    stopped = bool(prepare(antenna, frequency).findings.stops)
    try:
        es.solve(antenna, frequency)
    except es.EarshotError:
        assert stopped
    else:
        assert not stopped


def test_a_disk_that_fills_leaves_the_old_file_whole(run, demo_path, tmp_path, monkeypatch):
    from pathlib import Path

    assert run("export", demo_path, tmp_path / "x.nc", "-f", "150 MHz")[0] == 0
    before = (tmp_path / "x.nc").read_bytes()

    def full(self, content):
        with self.open("wb") as stream:
            stream.write(content[:1000])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(Path, "write_bytes", full)
    status, _, err = run("export", demo_path, tmp_path / "x.nc", "-f", "151 MHz")
    assert (status, "No space left on device" in err) == (3, True)
    assert [p.name for p in tmp_path.iterdir()] == ["x.nc"]
    assert (tmp_path / "x.nc").read_bytes() == before


def test_what_a_killed_run_left_is_cleared_away(run, demo_path, tmp_path):
    import os

    for name, age in ((".earshot-half-written-old.nc", 7200), (".earshot-half-written-new.nc", 0), (".other.nc", 7200)):
        (tmp_path / name).write_text("x")
        os.utime(tmp_path / name, (time.time() - age,) * 2)
    assert run("export", demo_path, tmp_path / "x.s1p", "-f", "150 MHz")[0] == 0
    assert {p.name for p in tmp_path.iterdir()} == {"x.s1p", ".earshot-half-written-new.nc", ".other.nc"}


def test_the_way_of_solving_is_chosen_and_told(run, tmp_path, demo_path):
    patch = tmp_path / "patch.toml"
    assert run("new", "patch", "-f", "5.8 GHz", "-o", patch)[0] == 0
    told = {}
    for method in ("fast", "dense"):
        status, out, err = run("solve", patch, "--method", method, "--json")
        assert status == 0
        told[method] = json.loads(out)
        assert ("solved fast: " in err) == (method == "fast")
    assert "iterations" in told["fast"]["ways"][0]["solved"]
    assert {way["solved"] for way in told["dense"]["ways"]} == {"dense"}
    one, two = (
        next(figure["value"] for figure in t["cases"][0]["figures"] if figure["figure"] == "gain")
        for t in told.values()
    )
    assert one == pytest.approx(two, abs=0.005)
    status, out, _ = run("check", patch)
    assert status == 0
    assert re.search(r"unknowns, dense: .* of memory; 11 solves in about", out)
    # Of few wires in the open too, where it is asked for.
    assert run("solve", demo_path, "--method", "fast")[0] == 0
    assert run("solve", patch, "--method", "quick")[0] == 2


def test_help_says_the_whole_purpose_of_every_command_and_imports_none():
    words = [sys.executable, "-X", "importtime", "-m", "earshot", "--help"]
    done = subprocess.run(words, capture_output=True, text=True, timeout=120)
    assert done.returncode == 0
    assert not {"numpy", "numba", "pint", "pandas"} & {line.split("|")[-1].strip() for line in done.stderr.splitlines()}
    told = " ".join(done.stdout.split())
    for name in COMMANDS:
        own = getattr(import_module(f"earshot.views.commands.{name.replace('-', '_')}"), name.replace("-", "_"))
        assert " ".join(inspect.getdoc(own).partition("\n\n")[0].split()) in told
