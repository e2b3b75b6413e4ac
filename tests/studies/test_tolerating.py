"""Values that stray: percentiles against solved draws, yields against counting, what each value may do alone."""

import json

import numpy as np
import pytest

import earshot as es
from earshot import studies
from earshot.studies import tolerating
from earshot.studies.asking import asked_of

ROD = """
title = "rod"
frequency = "300 MHz"
[values]
long = { is = "0.47 m", from = "0.4 m", to = "0.6 m" }
thick = "4 mm"
apart = "0.35 m"
[wire.a]
points = ["0, 0, 1 m", "0, 0, 1 m + long"]
radius = "thick / 2"
[wire.b]
points = ["apart, 0, 1 m", "apart, 0, 1.45 m"]
radius = "thick / 2"
[port.feed]
on = "a"
"""
STRAYS = ["long = ±4 mm", "thick = 5 % rms", "apart = 3 mm rms"]


@pytest.fixture(scope="module")
def file(tmp_path_factory):
    path = tmp_path_factory.mktemp("rod") / "rod.toml"
    path.write_text(ROD)
    return es.read_design(path)


@pytest.fixture(scope="module")
def found(file):
    return studies.tolerate(file, STRAYS, ["VSWR <= 1.8", "gain >= 3.2"], seed=1)


def test_percentiles_are_those_of_solved_draws(file, found):
    spreads = [studies.spread_of(file, text) for text in STRAYS]
    draws = tolerating._draws(spreads, 80, np.random.default_rng(5))
    asked = asked_of(file)
    now = np.array([file.values[s.name] for s in spreads])
    solved = [
        asked.figures(
            es.solve(
                asked.moved({s.name: v for s, v in zip(spreads, now + d, strict=True)}).file.antenna, [asked.hertz]
            )
        )
        for d in draws
    ]
    for figure in ("R", "X", "VSWR", "gain"):
        own = np.array([s[figure] for s in solved])
        table = found.percentiles.loc[figure]
        # Eighty draws know an rms to about 8 %.
        assert np.std(own) == pytest.approx(table["rms"], rel=0.3), figure
        assert np.median(own) == pytest.approx(table["50 %"], abs=0.4 * table["rms"]), figure
    assert (found.disagreement < 0.5).all()


def test_yields_are_counted_and_shares_add_up(file, found):
    spreads = [studies.spread_of(file, text) for text in STRAYS]
    assert found.yields["all"] <= min(found.yields["VSWR <= 1.8"], found.yields["gain >= 3.2"])
    assert found.shares.sum().to_numpy() == pytest.approx(1.0)
    assert [s.amount for s in spreads] == pytest.approx([4e-3, 2e-4, 3e-3])
    assert [s.normal for s in spreads] == [False, True, True]


@pytest.mark.parametrize("name", ["long", "thick", "apart"])
def test_what_one_value_may_do_alone_keeps_nineteen_in_twenty(file, name):
    found = studies.tolerate(file, [f"{name} = 1 %"], ["VSWR <= 1.7"], checked=0)
    may = found.allowed[name]
    if not 0.0 < may < np.inf:
        pytest.skip("never, or always")
    again = studies.tolerate(file, [studies.Spread(name, may)], ["VSWR <= 1.7"], checked=0)
    assert again.yields["all"] == pytest.approx(0.95, abs=0.003)
    assert found.allowed["all at once"] == pytest.approx(may / (0.01 * file.values[name]), rel=1e-6)


def test_a_batch_strays_together(file):
    spreads = [studies.spread_of(file, text) for text in ("long = ±1 mm together", "apart = ±2 mm together")]
    draws = tolerating._draws(spreads, 1000, np.random.default_rng(0))
    np.testing.assert_allclose(draws[:, 1], 2 * draws[:, 0])
    assert np.ptp(draws[:, 0]) == pytest.approx(2e-3, rel=0.02)


def test_a_model_that_does_not_hold_is_told(file):
    wild = studies.tolerate(file, ["long = ±60 mm"], checked=8)
    assert wild.disagreement.max() > 0.2


@pytest.mark.parametrize(
    ("spreads", "limits", "says"),
    [
        (["lnog = 1 mm"], [], "did you mean 'long'"),
        (["long"], [], "write it like"),
        (["long = 0 mm"], [], "not above zero"),
        (["long = 3 deg"], [], "length"),
        ([], [], "say what strays"),
        (["long = 1 mm"], ["gian >= 1"], "no figure 'gian'"),
        (["long = 1 mm"], ["gain = 1"], "stays equal"),
    ],
)
def test_wrong_words(file, spreads, limits, says):
    with pytest.raises(es.EarshotError, match=says):
        studies.tolerate(file, spreads, limits, checked=0, count=200)


def test_the_command(run, file, tmp_path):
    path = tmp_path / "rod.toml"
    path.write_text(ROD)
    status, out, err = run("tolerate", path, *STRAYS, "--limit", "VSWR <= 1.8", "--checked", "2", "--count", "2000")
    assert status == 0, err
    assert "kept by" in out
    assert "may stray" in out
    told = json.loads(run("tolerate", path, "long=±1 mm", "--json", "--checked", "0")[1])
    assert {row["figure"] for row in told["percentiles"]} >= {"R", "X", "VSWR", "gain"}
    assert run("tolerate", path, "long=±1 m/s")[0] == 2
