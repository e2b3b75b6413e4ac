"""Several answers side by side, and what differs between designs."""

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot.description.changes import part_changes, value_changes


def rod(length):
    wire = es.Wire("rod", [(0, 0, -length / 2), (0, 0, length / 2)], radius="3 mm")
    return es.Antenna(f"{length} m", [wire], [es.Port("feed", on="rod", reference=75)])


@pytest.fixture(scope="module")
def answers():
    return {f"{x} m": es.solve(rod(x), [es.band("140 MHz", "160 MHz", 21), "150 MHz"]) for x in (0.9, 0.96)}


def test_figures_side_by_side_are_those_of_each_model(answers):
    table = es.compare(answers, frequency="150 MHz")
    assert list(table.columns) == ["unit", "0.9 m", "0.96 m"]
    for name, answer in answers.items():
        z = answer.drive(frequency="150 MHz").ports_table()["active_impedance_ohm"]["feed"]
        assert table.loc["R", name] + 1j * table.loc["X", name] == pytest.approx(z)
        summary = answer.drive(frequency="150 MHz").far_field().summary()
        assert table.loc["gain", name] == summary.loc["gain", "value"]
        band = answer.network.bandwidth(vswr=2).iloc[0]
        assert table.loc["bandwidth", name] == band["width_percent"]
    assert table.loc["nearest resonance", "0.9 m"] > table.loc["nearest resonance", "0.96 m"]


def test_networks_and_traces_have_what_they_have(answers):
    network = answers["0.96 m"].network
    size = np.abs(network.reflection().values[:, 0])
    trace = es.circuits.Trace(network.frequencies, size, 75, "meter")
    table = es.compare({"solved": answers["0.96 m"], "network": network, "meter": trace}, frequency="151.5 MHz")
    assert table.loc["VSWR", "meter"] == pytest.approx(table.loc["VSWR", "network"], rel=1e-3)
    assert table.loc["bandwidth", "meter"] == pytest.approx(table.loc["bandwidth", "network"], rel=1e-3)
    assert np.isnan(table.loc["R", "meter"])
    assert np.isnan(table.loc["gain", "network"])
    assert np.isfinite(table.loc["gain", "solved"])
    outside = es.compare({"network": network}, frequency="200 MHz")
    assert outside.loc["VSWR"].isna().any()


def test_mistakes_are_named(answers):
    with pytest.raises(es.UsageError, match="nothing to compare"):
        es.compare({})
    with pytest.raises(es.UsageError, match="say which one"):
        es.compare(answers)


def test_changes_of_values_and_parts():
    design = es.Design(lambda v: rod(v.long), frequency="150 MHz", long="0.9 m", note=3)
    values = value_changes(design.table(), design.with_(long="96 cm").table())
    assert list(values.index) == ["long"]
    assert values.loc["long", "change_percent"] == pytest.approx(100 * (0.96 / 0.9 - 1))
    # The same length in other words is no change.
    assert value_changes(design.table(), design.with_(long="900 mm").table()).empty
    other = es.Design(lambda v: rod(v.span), frequency="150 MHz", span="0.9 m")
    assert set(value_changes(design.table(), other.table()).index) == {"long", "note", "span"}
    before = rod(0.9)
    after = rod(0.96).with_(es.Load("coil", "rod", 0.8, impedance=5), es.Port("feed", "rod", reference=50))
    parts = part_changes(before, after.over(es.perfect_plane()))
    assert isinstance(parts, pd.DataFrame)
    told = dict(zip(parts["part"], parts["what"], strict=True))
    assert told == {
        "rod": "length 0.9 -> 0.96 m",
        "feed": "reference",
        "coil": "added",
        "": "free space -> perfect plane at z = 0",
    }
    assert dict(part_changes(before, before.raised("1 m")).values[:, 1:]) == {"rod": "moved"}
    assert part_changes(after, before)["what"].tolist()[-1] == "taken out"
