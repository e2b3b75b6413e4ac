"""Wishes within goals, fronts, weights without solving, studies in files, and who does the work."""

import itertools
import os
import signal
import subprocess
import sys
import threading
import time

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot import studies
from earshot.files.design_text import design_text

PAIR = """
title = "pair"
frequency = "150 MHz"
[values]
long = { is = "0.94 m", from = "0.8 m", to = "1.1 m" }
apart = { is = "0.5 m", from = "0.2 m", to = "0.9 m" }
shift = { is = "90 deg", from = "-180 deg", to = "180 deg" }
share = { is = "0.5 W", from = "0 W", to = "1 W" }
free = 3
[wire.a]
radius = "3 mm"
points = ["0, -long/2, 0", "0, long/2, 0"]
[wire.b]
radius = "3 mm"
points = ["apart, -long/2, 0", "apart, long/2, 0"]
[port.one]
on = "a"
[port.two]
on = "b"
[case.fire]
power = { one = "1 W - share", two = "share" }
phase = { two = "-shift" }
[study.fire]
optimise = ["shift", "share"]
wishes = ["most gain towards E 0 deg"]
goals = ["gain towards W 0 deg <= -10"]
[study.apart]
vary = ["apart = 0.3 m; 0.4 m"]
figures = ["gain towards E 0 deg"]
[study.both]
vary = ["apart = 0.3 m; 0.4 m"]
tune = ["long"]
"""
ROD = """
title = "rod and director"
frequency = "300 MHz"
[values]
long = {{ is = "{long} m", from = "0.4 m", to = "0.6 m" }}
other = {{ is = "{other} m", from = "0.3 m", to = "0.5 m" }}
apart = {{ is = "{apart} m", from = "0.08 m", to = "0.4 m" }}
[wire.a]
radius = "2 mm"
points = ["0, -long/2, 0", "0, long/2, 0"]
[wire.b]
radius = "2 mm"
points = ["apart, -other/2, 0", "apart, other/2, 0"]
[port.feed]
on = "a"
"""


def file_of(folder, text):
    (folder / "model.toml").write_text(text)
    return es.read_design(folder / "model.toml")


@pytest.fixture
def pair(tmp_path):
    return file_of(tmp_path, PAIR)


@pytest.mark.parametrize("seed", [1, 2])
def test_no_random_try_beats_the_best_found(tmp_path, seed):
    rng = np.random.default_rng(seed)
    start = {"long": rng.uniform(0.45, 0.5), "other": rng.uniform(0.4, 0.46), "apart": rng.uniform(0.1, 0.25)}
    file = file_of(tmp_path, ROD.format(**start))
    goals, wishes = ["VSWR <= 2", "front-to-back ratio >= 6"], ["most gain"]
    found = studies.optimise(file, ["long", "other", "apart"], wishes, goals, most=30)
    assert found.met
    assert found.tries["least"].is_monotonic_decreasing
    # The file it gives is what it says, solved anew.
    again = es.compare({"found": es.solve(found.file.design, "300 MHz")})["found"]
    assert again["gain"] == pytest.approx(found.goals.set_index("aim").at["most gain", "after"], abs=1e-4)
    assert again["VSWR"] <= 2.0
    for _ in range(25):
        values = {n: f"{rng.uniform(*ends)} m" for n, ends in
                  {"long": (0.42, 0.56), "other": (0.33, 0.48), "apart": (0.08, 0.4)}.items()}  # fmt: skip
        one = es.compare({"x": es.solve(file.with_(**values).design, "300 MHz")})["x"]
        if one["VSWR"] <= 2.0 and one["front-to-back ratio"] >= 6.0:
            assert one["gain"] < again["gain"] + 0.02


def test_a_whole_search_finds_no_worse_and_every_try_can_be_had(tmp_path):
    file = file_of(tmp_path, ROD.format(long=0.47, other=0.44, apart=0.2))
    wish = "most gain towards E 0 deg"
    near = studies.optimise(file, ["other", "apart"], [wish], most=20)
    wide = studies.optimise(file, ["other", "apart"], [wish], method="global", most=60, seed=3)
    assert len(wide.tries) <= 60
    assert wide.tries["cost"].min() < near.tries["cost"].min() + 0.02
    chosen = int(wide.tries["cost"].idxmax())
    field = es.run(wide.try_file(chosen)).cases[0].field
    assert field.towards((1, 0, 0))["gain"] == pytest.approx(wide.tries.at[chosen, wish], abs=1e-4)
    with pytest.raises(es.UsageError, match="no try '999'"):
        wide.try_file(999)


def test_a_front_goes_from_end_to_end_and_nothing_on_it_is_beaten(tmp_path):
    file = file_of(tmp_path, ROD.format(long=0.47, other=0.44, apart=0.2))
    found = studies.front(file, ["long", "other", "apart"], ["most gain towards E 0 deg", "least apart"], ["VSWR <= 3"],
                          count=4, most=60)  # fmt: skip
    gain, apart = (found.points[w].to_numpy() for w in found.wishes)
    assert len(gain) >= 3
    assert (np.diff(gain) > 0).all()
    assert (np.diff(apart) > 0).all()
    assert apart[0] == pytest.approx(0.08, rel=0.02)
    assert found.units == ("dBi", "m")


def test_weights_are_found_in_one_solve_and_are_the_best_there_are(pair):
    found = studies.planned(pair, "fire")
    assert found.met
    assert found.solves == 1
    solution = es.solve(pair.design, "150 MHz")
    after = found.goals.set_index("aim").at["most gain towards E 0 deg", "after"]
    here = found.file.design.values
    # Neither the whole range nor what is close by holds better.
    whole = itertools.product(np.linspace(-180, 180, 19), np.linspace(0.02, 0.98, 9))
    near = itertools.product(here["shift"] + np.linspace(-3, 3, 9), here["share"] + np.linspace(-0.03, 0.03, 9))
    for shift, share in (*whole, *near):
        field = solution.drive({"one": es.watts(1 - share), "two": es.watts(share, phase=-shift)}).far_field()
        if field.towards((-1, 0, 0))["gain"] <= -10.0:
            assert field.towards((1, 0, 0))["gain"] < after + 0.01


def test_cases_follow_values_and_comments_stay(pair):
    turned = pair.with_(shift="0 deg")
    assert turned.cases[0].sources["two"].amount == pytest.approx(np.sqrt(0.5))
    assert sum("used by nothing" in str(f) for f in es.check(pair.design)) == 1
    assert 'phase = { two = "-shift" }' in design_text(turned.design)


def test_figures_of_directions_are_those_of_the_field(pair):
    study = studies.planned(pair, "apart")
    field = es.run(pair.with_(apart="0.4 m"), own_frequencies=True).cases[0].field
    assert study.table["gain towards E 0 deg"][1] == pytest.approx(field.towards((1, 0, 0))["gain"], abs=1e-9)


@pytest.mark.parametrize("seed", range(12))
def test_the_widest_stretch_of_any_match_and_what_it_follows_from(seed):
    """Of random resonators, one or two, against a dense curve, and its slopes against differences."""
    chance = np.random.default_rng(seed)
    text = "most bandwidth of VSWR 2.5 at 1 GHz" if seed % 2 else "most bandwidth of VSWR 2.5 from 900 MHz to 1100 MHz"
    one, limit = studies.goals.wish(text), 1.5 / 3.5
    f0, q = chance.uniform(0.95, 1.05, 2), chance.uniform(5.0, 20.0, 2)
    shares = [chance.uniform(0.5, 2.0), chance.uniform(0.0, 0.3) if seed % 3 else 0.0]

    def back(f):
        z = sum(r * (1 + 1j * k * (f / m - m / f)) for r, k, m in zip(shares, q, f0, strict=True))
        return (z - 1) / (z + 1)

    places = np.array(one.frequencies) / 1e9
    dense = np.linspace(places[0], places[-1], 200_001)
    within = np.concatenate([[0], np.abs(back(dense)) <= limit, [0]])
    edges = np.flatnonzero(np.diff(within)).reshape(-1, 2)
    if seed % 2:
        edges = edges[(edges[:, 0] <= 100_000) & (edges[:, 1] > 100_000)]
    exact = np.diff(edges).max(initial=0) * 1e-6
    width, slopes = one.width(back(places))
    assert max(width, 0.0) == pytest.approx(exact, rel=0.03, abs=3e-4)
    step = 1e-6
    for n in range(len(places)):
        for part, turn in enumerate((1.0, 1j)):
            aside = [
                one.width(back(places) + sign * step * turn * (np.arange(len(places)) == n))[0] for sign in (1, -1)
            ]
            assert slopes[part, n] == pytest.approx(np.subtract(*aside) / (2 * step), abs=2e-3 * np.abs(slopes).max())


def test_the_most_bandwidth_is_found(tmp_path, caplog):
    """A rod with a free one beside it: no place of a grid over the ranges has more, and what is told is there."""
    file = file_of(tmp_path, ROD.format(long=0.47, other=0.4, apart=0.12))
    found = studies.optimise(file, ["long", "other"], ["most bandwidth of VSWR 2 at 300 MHz"], most=30)
    told = found.goals.iloc[0]
    assert (told["unit"], np.isnan(told["frequency_Hz"])) == ("%", True)
    assert told["after"] > max(told["before"], 3.0)

    def width(design):
        band = es.solve(design, es.band("270 MHz", "330 MHz", 121)).network.bandwidth(vswr=2)
        around = band[(band["from_Hz"] <= 300e6) & (band["to_Hz"] >= 300e6)]
        return 0.0 if around.empty else 100.0 * float(around["width_Hz"].iloc[0]) / 300e6

    assert width(found.file.design) == pytest.approx(told["after"], rel=0.02)
    grid = [file.design.with_(long=float(a), other=float(b)) for a in np.arange(0.42, 0.52, 0.02)
            for b in np.arange(0.34, 0.5, 0.03)]  # fmt: skip
    assert max(width(design) for design in grid) < told["after"] + 0.1
    assert not caplog.text
    studies.optimise(file, ["long"], ["most bandwidth of VSWR 9 from 299 MHz to 301 MHz"], most=2)
    assert "299 to 301 MHz: ask for a band that is wider" in caplog.text


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda f: studies.planned(f, "both"), "give one"),
        (lambda f: studies.planned(f, "fier"), "did you mean 'fire'"),
        (lambda f: studies.optimise(f, ["long"], ["much gain"]), "write it like"),
        (lambda f: studies.tune(f, ["long"], ["bandwidth >= 0 % at 150 MHz"]), "a bandwidth lies between"),
        (lambda f: studies.optimise(f, ["long"], ["most gian"]), "no figure 'gian'"),
        (lambda f: studies.optimise(f, ["long"], ["0 x most gain"]), "not above zero"),
        (lambda f: studies.optimise(f, ["long"], ["most bandwidth"]), "most bandwidth at 5.8 GHz"),
        (lambda f: studies.optimise(f, ["long"], ["most bandwidth at 150 MHz"]), "a lone port; here are one, two"),
        (lambda f: studies.optimise(f, ["long"], ["most bandwidth of VSWR 1 at 150 MHz"]), "a VSWR above 1"),
        (lambda f: studies.optimise(f, ["long"], ["most bandwidth from 2 GHz to 1 GHz"]), "the band is empty"),
        (lambda f: studies.optimise(f, ["long"], ["least bandwidth at 150 MHz"]), "write it like"),
        (lambda f: studies.optimise(f, ["long"], ["least long + shift"]), "unlike"),
        (lambda f: studies.optimise(f, ["long"], ["most gain towards Q 0 deg"]), "write it like"),
        (lambda f: studies.optimise(f, ["long"], []), "one wish"),
        (lambda f: studies.optimise(f, ["long"], ["most gain"], method="best"), "no method 'best'"),
        (lambda f: studies.optimise(f, ["free"], ["most gain"], method="global"), "has no range"),
        (lambda f: studies.vary(f, ["long = 0.9 m; 1 m"], cluster="nowhere"), "tcp://127.0.0.1:8786"),
        (lambda f: studies.optimise(f, ["long"], ["most gain"], processes=2), "method 'global'"),
        (lambda f: studies.front(f, ["long"], ["most gain"]), "between two"),
        (lambda f: studies.vary(f, ["long = 0.9 m; 1 m"], processes=2, cluster="tcp://127.0.0.1:1"), "not both"),
        (lambda f: studies.vary(f, ["long = 0.9 m; 1 m"], cluster="tcp://127.0.0.1:1"), "does not answer"),
    ],
)
def test_wrong_words(pair, monkeypatch, call, says):
    monkeypatch.setattr("earshot.studies.crew._ANSWERS", "1 s")
    with pytest.raises(es.EarshotError, match=says):
        call(pair)


def test_a_cluster_that_loses_a_worker_gives_the_same_table(tmp_path):
    file = file_of(tmp_path, ROD.format(long=0.47, other=0.44, apart=0.2))
    changes = ["long = 0.44 m to 0.52 m in 60"]
    alone = studies.vary(file, changes)
    address = f"tcp://127.0.0.1:{9000 + os.getpid() % 900}"
    start = [sys.executable, "-m", "distributed.cli.dask_scheduler", "--no-dashboard", "--host", address]
    scheduler = subprocess.Popen(start, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    worker = [sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1", "--no-dashboard",
              "--no-nanny"]  # fmt: skip
    workers = [subprocess.Popen(worker, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL) for _ in range(2)]
    try:
        waited = time.monotonic() + 60.0
        while time.monotonic() < waited:
            try:
                studies.vary(file, ["long = 0.45 m; 0.46 m"], cluster=address)
                break
            except es.EarshotError:
                time.sleep(1.0)
        threading.Timer(2.0, workers[0].send_signal, [signal.SIGKILL]).start()
        there = studies.vary(file, changes, cluster=address)
        pd.testing.assert_frame_equal(there.table, alone.table, rtol=1e-9)
        assert workers[0].wait(timeout=20) != 0
    finally:
        for one in (*workers, scheduler):
            one.kill()
            one.wait()


def test_the_commands(run, tmp_path, pair):
    path = tmp_path / "model.toml"
    path.write_text(PAIR.replace('tune = ["long"]\n', ""))
    status, out, _ = run("study", path)
    assert status == 0
    assert "fire" in out
    assert "optimise" in out
    status, out, err = run("study", path, "fire", "-o", tmp_path / "fire")
    assert status == 0, err
    assert {p.name for p in (tmp_path / "fire").iterdir()} == {"best.toml", "tries.csv", "history.png"}
    status, out, err = run(
        "optimise", path, "shift", "apart", "--wish", "most gain towards E 0 deg",
        "--wish", "least apart", "--front", 3,
        "--most", "24", "-o", tmp_path / "front",
    )  # fmt: skip
    assert status == 0, err
    assert (tmp_path / "front" / "front.png").is_file()
    assert "point" in out
    words = ("--wish", "most gain", "--goal", "gain >= 30", "--most", "4", "--json")
    status, out, _ = run("optimise", path, "shift", *words)
    assert status == 1
    assert '"met": false' in out
