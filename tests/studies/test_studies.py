"""Studies: effects of values against central differences, goals met in few solves, variants, and what is kept."""

import json
import os
import signal
import subprocess
import sys
import time
from itertools import pairwise

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot import studies
from earshot.files.design_text import as_file, design_text
from earshot.studies import nearby, store, varying
from earshot.studies.asking import asked_of
from earshot.studies.sensitivity import derivatives
from overlaps import troubles

PAIR = """
title = "pair"
frequency = "300 MHz"
[values]
long = {{ is = "{long} m", from = "0.3 m", to = "0.7 m" }}
other = "{other} m"
apart = "{apart} m"
lean = "{lean} deg"
thick = "2 mm"
[wire.a]
points = ["0, 0, 1 m", "long * sin(lean), 0, 1 m + long * cos(lean)"]
radius = "thick / 2"
[wire.b]
points = ["apart, 0, 1 m", "apart, 0, 1 m + other"]
radius = "thick / 2"
[port.feed]
on = "a"
"""
PLATE = """
title = "plate"
frequency = "300 MHz"
medium = "{medium}"
[values]
long = "{long} m"
wide = "60 mm"
[sheet.strip]
plate = {{ width = "long", depth = "wide", centre = "0, 0, 0.4 m" }}
[port.feed]
on = "strip"
at = "0, 0, 0.4 m"
across = "x"
gap = "10 mm"
"""


def file_of(folder, text, **values):
    path = folder / "model.toml"
    path.write_text(text.format(**values))
    return es.read_design(path)


def central(file, name, share=1e-4):
    """Figures by a value, from two solves on the carried mesh of their own rule."""
    asked = asked_of(file)
    value = file.values.quantities[name].si
    step = share * value
    high, low = (
        asked.figures(es.solve(asked.moved({name: value + s * step}).file.antenna, [asked.hertz])) for s in (1, -1)
    )
    return {figure: (high[figure] - low[figure]) / (2 * step) for figure in high}


@pytest.mark.parametrize("seed", range(5))
def test_effects_are_those_of_central_differences(tmp_path, seed):
    random = np.random.default_rng(seed)
    file = file_of(tmp_path, PAIR, long=random.uniform(0.4, 0.6), other=random.uniform(0.4, 0.6),
                   apart=random.uniform(0.1, 0.5), lean=random.uniform(-20, 20))  # fmt: skip
    table = studies.sensitivities(file)
    for name in table.index:
        want = central(file, name)
        scale = {"R": 50.0, "X": 50.0, "gain": 5.0, "realized gain": 5.0}
        for figure, size in scale.items():
            # One per cent, or a thousandth of the figure for a change by all of the value.
            error = abs(table.at[name, figure] - want[figure])
            assert error < 0.01 * abs(want[figure]) + 1e-3 * size / abs(table.at[name, "now"]), (name, figure)


@pytest.mark.parametrize("medium", ["free space", "perfect plane"])
def test_effects_of_sheets_are_carried_along(tmp_path, medium):
    """On a mesh of so many triangles that meshes made anew do not differ much: differences over 4 % of the value."""
    file, rule = file_of(tmp_path, PLATE, long=0.45, medium=medium), es.MeshRule(sheets_per_wavelength=30)
    asked = asked_of(file)
    table = derivatives(asked, es.solve(file.design, [asked.hertz], rule=rule), ["long", "wide"], "beam")
    for name in ("long", "wide"):
        value = table.at[name, "now"]
        high, low = (asked.figures(es.solve(asked.moved({name: value * k}).file.antenna, [asked.hertz], rule=rule))
                     for k in (1.02, 0.98))  # fmt: skip
        for figure, least in (("R", 1.0), ("X", 1.0), ("gain", 0.02)):
            want = (high[figure] - low[figure]) / (0.04 * value)
            assert table.at[name, figure] == pytest.approx(want, rel=0.05, abs=least / value), (name, figure)


def test_a_gap_keeps_its_width(tmp_path):
    """A strip that is longer has the same gap: stretched with it, R would be off by as much as it changes."""
    file = file_of(tmp_path, PLATE, long=0.45, medium="free space")
    base = es.solve(file.design, [3e8])
    longer = asked_of(file).moved({"long": 0.45 * (1 + 3e-5)}).file.antenna
    assert nearby._stretched(base.sheet_mesh, base.sheet_mesh, base.antenna, longer) is None


def test_the_effect_on_resonance_is_where_the_resonance_goes(tmp_path):
    file = file_of(tmp_path, PAIR, long=0.47, other=0.4, apart=0.4, lean=0)
    found = studies.tune(file, ["long"], ["X = 0 at 300 MHz"])
    slope = studies.sensitivities(found.file, ["long"]).at["long", "resonance"]
    moved = es.solve(
        found.file.with_(long=found.file.values["long"] * 1.002).design, [es.band("290 MHz", "310 MHz", 41)]
    )
    place = moved.network.resonances()["frequency_Hz"].iloc[0]
    assert (place - 300e6) / 1e6 == pytest.approx(slope * 0.002 * found.file.values["long"], rel=0.03)


def test_what_is_nearby_is_what_a_solve_of_its_own_gives(tmp_path):
    file = file_of(tmp_path, PAIR, long=0.47, other=0.4, apart=0.4, lean=5)
    base = es.solve(file.design, [300e6])
    changed = file.with_(long="0.471 m", apart="0.402 m").antenna
    aside = nearby.nearby(base, changed, 300e6, 301e6)
    alone = es.solve(changed, [301e6])
    np.testing.assert_allclose(aside.network.z().values, alone.network.z().values, rtol=2e-4)
    # A wire more is another mesh.
    assert nearby.nearby(base, changed.without("b"), 300e6, 300e6) is None


@pytest.mark.parametrize("hertz", ["868 MHz", "7.1 MHz", "1.234 GHz"])
def test_a_dipole_comes_home_in_four_solves(hertz):
    design = as_file(es.antennas.dipole(hertz, length="0.44 lambda"))
    found = studies.tune(design, ["length"], [f"X = 0 at {hertz}"])
    assert found.met
    assert len(found.tries) <= 4
    antenna = found.file.antenna
    middle = es.solve(antenna, [es.band(0.97 * found.file.design.frequency, 1.03 * found.file.design.frequency, 61)])
    place = middle.network.resonances()["frequency_Hz"].iloc[0]
    assert place == pytest.approx(found.file.design.frequency, rel=1e-4)


def test_a_patch_is_matched_in_six_solves():
    file = as_file(es.antennas.patch("3.7 GHz"))
    found = studies.tune(file, ["length", "offset"], ["return loss >= 25 at 3.7 GHz"])
    assert found.met
    assert len(found.tries) <= 6
    assert found.goals["after"].iloc[0] >= 25.0
    # The file keeps its comments and its ranges.
    text = design_text(found.file.design)
    assert text.startswith("# A rectangular patch")
    assert "of the patch, along the field" in text


def test_what_cannot_be_met_is_said_and_ranges_hold(tmp_path):
    file = file_of(tmp_path, PAIR, long=0.47, other=0.4, apart=0.4, lean=0)
    far = studies.tune(file, ["long"], ["X = 0 at 900 MHz", "gain >= 40"], most=8)
    assert not far.met
    assert len(far.tries) <= 8
    assert 0.3 <= far.file.values["long"] <= 0.7
    held = studies.tune(file, ["long"], ["resonance = 150 MHz"], most=9)
    assert not held.met
    assert held.file.values["long"] == pytest.approx(0.7, rel=1e-6)
    assert held.tries["best"].sum() == 1


@pytest.mark.parametrize(
    ("names", "goals", "says"),
    [
        (["lnog"], ["X = 0"], "did you mean 'long'"),
        (["long"], ["X is 0"], "write it like"),
        (["long"], ["efficiency >= 90 %"], "write it like"),
        (["long"], ["Q = 3"], "no figure 'Q'"),
        (["long"], ["VSWR <= 0.5"], "never below 1"),
        (["long"], ["gain >= 2 from 310 MHz to 300 MHz"], "empty"),
        (["long"], ["X = 0 at 3 m"], "frequency"),
        ([], ["X = 0"], "at least one value"),
    ],
)
def test_wrong_goals_are_told(tmp_path, names, goals, says):
    file = file_of(tmp_path, PAIR, long=0.47, other=0.4, apart=0.4, lean=0)
    with pytest.raises(es.EarshotError, match=says):
        studies.tune(file, names, goals)


@pytest.mark.parametrize(
    ("text", "steps"),
    [
        ("1 m to 2 m in 3", ["1.0 m", "1.5 m", "2.0 m"]),
        ("10 mm to 1 cm in 1", ["0.01 m"]),
        ("0 deg to 90 deg by 45 deg", ["0.0 deg", "45.0 deg", "90.0 deg"]),
        ("meadow; sea", ["meadow", "sea"]),
        ("2 to 1 in 2", ["2.0", "1.0"]),
        ("4.4, 0.02, 1.6 mm", ["4.4, 0.02, 1.6 mm"]),
    ],
)
def test_ranges_and_lists(text, steps):
    assert studies.steps_of(text, "x") == steps


@pytest.mark.parametrize("text", ["1 m to 2 GHz", "1 m to 2 m by -1 m", "1 m to 2 m in 0", "a;;b", "1 m to 2 m by 0 m"])
def test_ranges_that_are_none(text):
    with pytest.raises(es.EarshotError):
        studies.steps_of(text, "x")


@pytest.fixture(scope="module")
def pair(tmp_path_factory):
    return file_of(tmp_path_factory.mktemp("pair"), PAIR, long=0.47, other=0.4, apart=0.4, lean=0)


def test_variants_are_what_each_is_alone(pair):
    study = studies.vary(pair, ["long = 0.45 m to 0.49 m in 3", "medium = free space; sea", "apart *= 1; 1.1"])
    assert len(study.table) == 12
    row = study.table.iloc[7]
    alone = pair.with_(long=row["long"], apart=f"0.4 m * {row['apart']}")
    antenna = alone.antenna.over(es.earth("sea") if row["medium"] == "sea" else es.free_space())
    z = es.solve(antenna, [300e6]).network.z().values[0, 0, 0]
    assert complex(row["R"], row["X"]) == pytest.approx(z, rel=1e-9)
    assert study.units["R"] == "ohm"
    assert study.present["long"] == "0.47 m"
    assert study.present["apart"] == ""


def test_a_sample_meets_every_stratum_once(pair):
    told = [studies.steps_of("0 m to 1 m in 1000", "x"), studies.steps_of("1 to 2 in 500", "y")]
    rows = varying._sampled(told, 50, seed=3)
    for column, count in ((0, 1000), (1, 500)):
        places = sorted(told[column].index(row[column]) * 50 // count for row in rows)
        assert places == list(range(50))
    assert rows == varying._sampled(told, 50, seed=3) != varying._sampled(told, 50, seed=4)


def test_what_cannot_be_solved_is_a_word_and_the_rest_goes_on(pair):
    study = studies.vary(pair, ["long = 0.5 m; 0.9 m"])
    assert list(study.failed) == ["long 0.9 m"]
    assert "outside its range" in study.failed["long 0.9 m"]
    assert np.isnan(study.table["R"][1])


def test_processes_give_the_same_table_and_nothing_is_solved_twice(pair, tmp_path, monkeypatch):
    changes = ["long = 0.45 m to 0.49 m in 4"]
    alone = studies.vary(pair, changes)
    both = studies.vary(pair, changes, processes=2, store=tmp_path / "kept")
    pd.testing.assert_frame_equal(alone.table, both.table, rtol=1e-9)
    monkeypatch.setattr(store, "solve", lambda *a, **k: pytest.fail("solved again"))
    again = studies.vary(pair, changes, store=tmp_path / "kept")
    pd.testing.assert_frame_equal(alone.table, again.table, rtol=1e-9)
    # Another case or another order asks the same solves.
    studies.vary(pair, ["long = 0.49 m to 0.45 m in 4"], store=tmp_path / "kept")


def test_damaged_solves_are_set_aside_and_an_index_is_made_again(pair, tmp_path):
    kept = studies.open_store(tmp_path / "kept")
    first = kept.solution(pair.design, [300e6])
    (path,) = (tmp_path / "kept/solves").iterdir()
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2] + b"x" + whole[len(whole) // 2 + 1 :])
    again = kept.solution(pair.design, [300e6])
    np.testing.assert_allclose(again.network.z().values, first.network.z().values, rtol=1e-12)
    assert [p.name for p in (tmp_path / "kept/set-aside").iterdir()] == [path.name]
    (tmp_path / "kept/index.sqlite").unlink()
    fresh = studies.open_store(tmp_path / "kept")
    assert fresh.table().empty
    fresh.solution(pair.design, [300e6])
    table = fresh.table()
    assert (len(table), table["antenna"].iloc[0], table["bytes"].iloc[0]) == (1, "pair", path.stat().st_size)
    assert fresh.clear()[0] == 2
    assert fresh.table().empty


def test_stores_of_something_else_are_refused(tmp_path):
    (tmp_path / "note.txt").write_text("mine")
    with pytest.raises(es.UsageError, match="is no store"):
        studies.open_store(tmp_path)
    studies.open_store(tmp_path / "new")
    (tmp_path / "new/store.json").write_text(json.dumps({"earshot_store": 99}))
    with pytest.raises(es.UsageError, match="layout 99"):
        studies.open_store(tmp_path / "new")


KILLED = """
import sys
import earshot as es
from earshot import studies
print("ready", flush=True)
studies.vary(es.read_design(sys.argv[1]), ["long = 0.45 m to 0.49 m in 12"], store=sys.argv[2])
"""


def test_a_full_disk_loses_no_answer(pair, tmp_path, monkeypatch, caplog):
    words = ["long = 0.45 m; 0.46 m; 0.47 m"]
    whole = studies.vary(pair, words, store=tmp_path / "kept")
    for path in list((tmp_path / "kept/solves").glob("*.nc"))[1:]:
        path.unlink()

    def full(*_):
        raise es.RunError("cannot write: No space left on device")

    monkeypatch.setattr("earshot.studies.store.write_results", full)
    again = studies.vary(pair, words, store=tmp_path / "kept")
    pd.testing.assert_frame_equal(again.table, whole.table, rtol=1e-9)
    assert "No space left" in caplog.text
    assert len(list((tmp_path / "kept/solves").glob("*.nc"))) == 1


def test_a_killed_study_goes_on_where_it_was(pair, tmp_path):
    (tmp_path / "model.toml").write_text(PAIR.format(long=0.47, other=0.4, apart=0.4, lean=0))
    words = [sys.executable, "-c", KILLED, str(tmp_path / "model.toml"), str(tmp_path / "kept")]
    seen, random = [0], np.random.default_rng(2)
    for _ in range(5):
        run = subprocess.Popen(words, stdout=subprocess.PIPE, env=os.environ)
        run.stdout.readline()
        time.sleep(random.uniform(0.2, 1.2))
        run.send_signal(signal.SIGKILL)
        run.wait()
        run.stdout.close()
        seen.append(len(list((tmp_path / "kept/solves").glob("[0-9a-f]*.nc"))))
    # Nothing that was kept is lost or solved again.
    assert all(a <= b for a, b in pairwise(seen))
    kept = studies.open_store(tmp_path / "kept")
    stamps = {p: p.stat().st_mtime_ns for p in (tmp_path / "kept/solves").glob("[0-9a-f]*.nc")}
    whole = studies.vary(pair, ["long = 0.45 m to 0.49 m in 12"], store=tmp_path / "kept")
    pd.testing.assert_frame_equal(whole.table, studies.vary(pair, ["long = 0.45 m to 0.49 m in 12"]).table, rtol=1e-9)
    assert all(p.stat().st_mtime_ns == stamp for p, stamp in stamps.items())
    assert len(kept.table()) == 12
    assert not (tmp_path / "kept/set-aside").exists()


def test_the_commands(run, tmp_path, pair):
    path = tmp_path / "model.toml"
    path.write_text("# mine\n" + PAIR.format(long=0.47, other=0.4, apart=0.4, lean=0))
    kept = ["--store", tmp_path / "kept"]
    changes = ["long=0.45 m to 0.49 m in 3", "apart=0.3 m to 0.5 m in 3"]
    status, out, _ = run("vary", path, *changes, *kept, "--figure", "X", "--cuts", "--out", tmp_path / "v")
    assert status == 0
    assert "9 variants" in out
    drawn = {f"{name}.png" for name in ("against", "map-X", "polar", "cartesian", "multiples")}
    assert {p.name for p in (tmp_path / "v").iterdir()} == {"variants.csv", *drawn}
    told = json.loads(run("vary", path, "long=0.45 m to 0.49 m in 3", *kept, "--json")[1])
    assert [row["long"] for row in told["variants"]] == ["0.45 m", "0.47 m", "0.49 m"]
    assert "solves" in run("store", tmp_path / "kept")[1]
    status, out, _ = run("effects", path, "--out", tmp_path / "e.csv")
    assert status == 0
    assert set(pd.read_csv(tmp_path / "e.csv")["value"]) == {"long", "other", "apart", "lean", "thick"}
    out = run("effects", path, "long", "lean")[1]
    assert "1 mm of long" in out
    assert "1 deg of lean" in out
    status, out, _ = run("tune", path, "long", "--goal", "X = 0", "--out", tmp_path / "t.toml", *kept)
    assert (status, "tuned in" in out) == (0, True)
    assert (tmp_path / "t.toml").read_text().startswith("# mine")
    assert run("tune", path, "long", "--goal", "gain >= 30", "--most", "3")[0] == 1
    assert run("store", tmp_path / "kept", "--clear")[0] == 0
    for words, says in (
        (["vary", path, "long=0.4 m; 0.5 m", "--cuts"], "add --out"),
        (["vary", path, "lnog=1 m"], "did you mean 'long'"), (["vary", path, "long"], "NAME=RANGE"),
        (["vary", path, "long=0.5 m", "--figure", "gian"], "no figure 'gian'"),
        (["vary", path, "long=0.5 m", "--case", "no"], "no case"),
        (["vary", path, "long=0.5 m", "--processes", "0"], "0"),
        (["tune", path, "long"], "say what for"), (["effects", path, "x"], "no value 'x'"),
        (["store", tmp_path / "none"], "is no store"),
        (["vary", path, "long=0.5 m", "--store", path.parent], "no store"),
    ):  # fmt: skip
        status, _, err = run(*words)
        assert status == 2, words
        assert says in err
        assert "Traceback" not in err


def test_figures_of_studies(pair):
    study = studies.vary(pair, ["long = 0.45 m to 0.49 m in 4", "apart = 0.3 m to 0.5 m in 5"])
    for figure in (es.plots.against(study, "R", "X", "VSWR", "gain"), es.plots.against(study, "X"),
                   es.plots.over_two(study, "VSWR")):  # fmt: skip
        assert troubles(figure) == []
    with pytest.raises(es.UsageError, match="no figure 'guts'"):
        es.plots.against(study, "guts")
    media = studies.vary(pair, ["medium = sea; meadow"])
    with pytest.raises(es.UsageError, match="is no quantity"):
        es.plots.against(media, "R")


@pytest.mark.parametrize("elements", [3, 5])
def test_effects_are_the_same_where_iterations_solved(elements):
    """What iterations leave of the currents must not be seen in small differences."""
    asked, rule = asked_of(as_file(es.antennas.yagi("150 MHz", elements=elements))), es.MeshRule(per_wavelength=60)
    names = ["driven", "reflector"]
    dense, fast = (
        derivatives(asked, es.solve(asked.file.design, [150e6], rule=rule, method=method), names, "ports")
        for method in ("dense", "fast")
    )
    for figure in ("R", "X", "VSWR", "resonance"):
        np.testing.assert_allclose(fast[figure], dense[figure], rtol=5e-3)
