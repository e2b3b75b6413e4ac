"""Values found again from made-up measurements, within the limits that are stated."""

import numpy as np
import pytest

import earshot as es
from earshot import studies
from earshot.network.network import Network
from earshot.network.trace import Trace

ROD = """
title = "rod"
frequency = "150 MHz"
[values]
long = {{ is = "{long} m", from = "0.8 m", to = "1.1 m" }}
thick = {{ is = "{thick} mm", from = "1 mm", to = "20 mm" }}
stretch = {{ is = 1.0, from = 0.8, to = 1.2 }}
half = "long * stretch / 2"
[wire.a]
radius = "thick / 2"
points = ["0, -half, 0", "0, half, 0"]
[port.feed]
on = "a"
"""


def model(folder, long=0.95, thick=6.0):
    (folder / "rod.toml").write_text(ROD.format(long=long, thick=thick))
    return es.read_design(folder / "rod.toml")


def reflected(folder, hertz, long, thick, capacitance=0.0, cable=0.0, loss=0.0):
    """By plain formulas, from the antenna's own impedance."""
    z = es.solve(model(folder, long, thick).design, hertz.tolist()).network.impedance().values[:, 0]
    z = 1.0 / (1.0 / z + 2j * np.pi * hertz * capacitance)
    back = (z - 50.0) / (z + 50.0)
    return back * np.exp(-4j * np.pi * hertz * cable / 299792458.0) * 10 ** (-loss * np.sqrt(hertz / 150e6) / 10)


def as_network(hertz, back):
    return Network(hertz, ((1 - back) / (1 + back) / 50)[:, None, None], ("p",), np.array([50.0 + 0j]), "m", None)


def test_length_thickness_and_capacitance_come_back_within_their_limits(tmp_path):
    rng, hertz, held, count = np.random.default_rng(2), np.linspace(135e6, 165e6, 13), 0, 5
    for _ in range(count):
        true = np.array([rng.uniform(0.9, 1.0), rng.uniform(3, 10), rng.uniform(0.5e-12, 4e-12)])
        size = np.abs(reflected(tmp_path, hertz, *true))
        meter = Trace(hertz, size * 10 ** (rng.normal(0.0, 0.2, len(hertz)) / 20), 50.0, "meter")
        found = studies.fit(model(tmp_path), ["long", "thick"], meter, feed={"capacitance": "1 pF"})
        off = np.abs(found.values["after"] - true * [1.0, 1e-3, 1.0])
        held += int((off <= found.values["limit"]).sum())
        assert (off < 4.0 * found.values["limit"]).all()
        assert found.left < 0.4
    assert held >= 0.9 * 3 * count


def test_a_cable_of_any_length_and_its_loss_are_found_with_phase(tmp_path):
    rng, hertz = np.random.default_rng(3), np.linspace(140e6, 160e6, 11)
    back = reflected(tmp_path, hertz, 0.93, 4.0, cable=7.31, loss=0.4)
    noise = 0.003 * (rng.normal(size=11) + 1j * rng.normal(size=11))
    found = studies.fit(model(tmp_path), ["long", "thick"], as_network(hertz, back + noise),
                        feed={"cable": "1 m", "loss": "0.1 dB"})  # fmt: skip
    off = np.abs(found.values["after"] - [0.93, 4e-3, 7.31, 0.4])
    assert (off < 2.0 * found.values["limit"]).all()
    assert found.file.values["long"] == pytest.approx(0.93, rel=0.01)


def test_what_cannot_be_told_apart_is_said(tmp_path):
    hertz = np.linspace(149e6, 151e6, 4)
    back = reflected(tmp_path, hertz, 0.94, 5.0)
    found = studies.fit(model(tmp_path), ["long", "stretch"], as_network(hertz, back + 1e-3j))
    assert found.alike[0][:2] == ("long", "stretch")
    assert abs(found.alike[0][2]) > 0.999
    assert found.values.at["long", "limit"] > 0.1


@pytest.mark.parametrize(
    ("words", "says"),
    [
        ({"names": ["lnog"]}, "did you mean 'long'"),
        ({"names": []}, "at least one value"),
        ({"names": ["long"], "feed": {"capcitance": "1 pF"}}, "did you mean 'capacitance'"),
        ({"names": ["long"], "feed": {"capacitance": "-1 pF"}}, "below nought"),
        ({"names": ["long"], "feed": {"capacitance": "1 m"}}, "capacitance"),
        ({"names": ["long"], "port": "fed"}, "did you mean 'feed'"),
        ({"names": ["long", "thick"], "points": 2}, "more points"),
    ],
)
def test_wrong_words(tmp_path, words, says):
    meter = Trace(np.linspace(140e6, 160e6, 5), np.full(5, 0.3), 50.0, "meter")
    with pytest.raises(es.EarshotError, match=says):
        studies.fit(model(tmp_path), words.pop("names"), meter, **words)


def test_the_command_and_its_figure(run, tmp_path):
    hertz = np.linspace(140e6, 160e6, 7)
    model(tmp_path)
    rows = zip(hertz / 1e6, np.abs(reflected(tmp_path, hertz, 0.96, 6.0)), strict=True)
    table = "f (MHz),VSWR\n" + "".join(f"{f},{(1 + g) / (1 - g):.3f}\n" for f, g in rows)
    (tmp_path / "meter.csv").write_text(table)
    path = tmp_path / "rod.toml"
    model(tmp_path)
    status, out, err = run("fit", path, "long", "--to", tmp_path / "meter.csv", "-o", tmp_path / "out")
    assert status == 0, err
    assert "960" in out.replace("959.9", "960").replace("960.1", "960")
    assert {p.name for p in (tmp_path / "out").iterdir()} == {"fitted.toml", "curves.csv", "values.csv", "fit.png"}
    assert run("fit", path, "long")[0] != 0
