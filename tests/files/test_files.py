"""Design files in; CSV, JSON and Touchstone out."""

import json

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot.files.atomic import write_atomically

GOOD = """
title = "test rod"
frequency = "150 MHz"
[values]
height = { is = "0.5 lambda", from = "0.2 m", to = "2 m" }
rod = "6 mm"
[wire.rod]
radius = "rod / 2"
points = ["0, 0, -height / 2 + 1 mm", "0, 0, hypot(0.3 * height, 0.4 * height) - 1 mm"]
[port.feed]
on = "rod"
[band]
from = "140 MHz"
to = "160 MHz"
points = 3
[case.out]
power = { feed = "1 W" }
cuts = ["E", "elevation 10 deg", "azimuth 0.5 rad"]
"""


def read(tmp_path, text):
    path = tmp_path / "rod.toml"
    path.write_text(text)
    return es.read_design(path)


def test_a_file_says_what_a_script_says(tmp_path):
    file = read(tmp_path, GOOD)
    wire = file.design.antenna.wires[0]
    wavelength = 299_792_458 / 150e6
    np.testing.assert_allclose(wire.length, wavelength / 2 - 2e-3, rtol=1e-12)
    assert wire.radius == 0.003
    assert list(file.frequencies[0]) == [140e6, 150e6, 160e6]
    assert file.cases[0].cuts[1].elevation == pytest.approx(10.0)
    shorter = file.design.with_(height="0.8 m")
    assert shorter.antenna.wires[0].length == pytest.approx(0.798)


def test_points_come_from_a_table_too(tmp_path):
    (tmp_path / "rod.csv").write_text("x (mm), y (mm), z (in)\n0, 0, 0\n0, 0, 20\n")
    text = GOOD.replace(
        'points = ["0, 0, -height / 2 + 1 mm", "0, 0, hypot(0.3 * height, 0.4 * height) - 1 mm"]', 'points = "rod.csv"'
    )
    assert read(tmp_path, text).design.antenna.wires[0].length == pytest.approx(0.508)
    (tmp_path / "rod.csv").write_text("x (mm), y (mm), z (in)\n0, 0, 0\n0, zero, 20\n")
    with pytest.raises(es.DesignFileError, match=r"row 2, y \(mm\): not a number"):
        read(tmp_path, text)
    (tmp_path / "rod.csv").write_text("a,b\n0,0\n")
    with pytest.raises(es.DesignFileError, match="must begin with a line like"):
        read(tmp_path, text)


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ("radius =", "raduis =", "wire.rod.raduis is not a key.*did you mean 'radius'"),
        ('radius = "rod / 2"', "", "wire.rod.radius is missing"),
        ('title = "test rod"', "", "title is missing"),
        ('[port.feed]\non = "rod"', "", "port is missing"),
        ('"rod / 2"', '"rod / 2 MHz"', "rod.toml: wire.rod.radius: .* has no unit|frequency|nothing here"),
        ('"rod / 2"', "0.003", "0.003 has no unit; a length needs one"),
        ('"rod / 2"', '"0.003"', "'0.003' has no unit"),
        ('"rod / 2"', '"rood / 2"', "did you mean 'rod'"),
        ('"rod / 2"', '"rod * rod"', "measures"),
        ('"rod / 2"', '"2 rod"', r"needs a sign before it: write it like 2 \* rod"),
        ('"rod / 2"', '"rod / (1 - 1)"', "divides by zero"),
        ('"rod / 2"', "\"__import__('os')\"", "cannot be worked out"),
        ('"rod / 2"', '"-rod"', "radius -0.006 is not above zero"),
        ('rod = "6 mm"', 'rod = "6 smoots_"', "values.rod.is: .*'smoots_' is not a unit"),
        ('rod = "6 mm"', 'rod = "nan"', "values.rod"),
        ('frequency = "150 MHz"', 'frequency = "0 Hz"', "frequency: 0 Hz is not above zero"),
        ('frequency = "150 MHz"', "frequency = 150", "150.0 has no unit"),
        ('from = "140 MHz"\n', 'from = "170 MHz"\n', "runs backwards"),
        ("points = 3", "points = 1", "from 2 to 100,001"),
        ("points = 3", 'points = "many"', "band.points"),
        ('on = "rod"', 'on = "rod"\nat = "50 Hz"', "is a frequency|port"),
        ("power = { feed", "power = { fed", "did you mean 'feed'"),
        ('"elevation 10 deg"', '"sideways"', "'sideways' is not a cut"),
        ('"0, 0, -height / 2 + 1 mm"', '"0, 0"', "point 1: '0, 0' has 2 coordinates"),
        ("points = 3", 'points = 3\nspacing = "odd"', "not 'linear' or 'logarithmic'"),
        ("[values]", "medium = 'swamp'\n[values]", "no medium 'swamp'"),
        ('"elevation 10 deg"', '"elevation 100 deg"', "outside -90 to 90 deg"),
        ('rod = "6 mm"', '"my-rod" = "6 mm"', "cannot be used in arithmetic"),
        ("[values]", "[values", "is not TOML"),
        ('is = "0.5 lambda"', 'is = "5 m"', "outside its range"),
    ],
)  # fmt: skip
def test_mistakes_in_a_file_are_named_with_place_and_cure(tmp_path, old, new, says):
    assert old in GOOD
    with pytest.raises(es.UsageError, match=says) as problem:
        read(tmp_path, GOOD.replace(old, new, 1))
    assert "rod" in str(problem.value)


def two_ports():
    wires = [es.Wire(n, [(x, 0, 0), (x, 0, 0.9)], radius=1e-3) for n, x in (("one", 0), ("two", 0.4))]
    return es.Antenna("pair", wires, [es.Port("a", on="one"), es.Port("b", on="two", reference=75)])


def test_touchstone_holds_the_scattering_matrix(tmp_path):
    network = es.solve(two_ports(), ["150 MHz", "160 MHz"]).network
    with pytest.raises(es.UsageError, match=r"use network\.referred_to"):
        es.write(network, tmp_path / "pair.s2p")
    common = network.referred_to(50)
    lines = es.write(common, tmp_path / "pair.s2p").read_text().splitlines()
    assert lines[:3] == ["! port 1: a", "! port 2: b", "# Hz S RI R 50"]
    row = np.array(lines[3].split(), float)
    s = common.s().values[0]
    assert row[0] == 150e6
    np.testing.assert_allclose(row[1::2] + 1j * row[2::2], [s[0, 0], s[1, 0], s[0, 1], s[1, 1]], rtol=1e-11)
    with pytest.raises(es.UsageError, match=r"ending in \.s2p"):
        es.write(common, tmp_path / "pair.s1p")


def test_touchstone_of_three_ports_goes_row_by_row(tmp_path):
    wires = [es.Wire(f"w{i}", [(0.3 * i, 0, 0), (0.3 * i, 0, 0.8 + 0.1 * i)], radius=1e-3) for i in range(3)]
    network = es.solve(es.Antenna("three", wires, [es.Port(f"p{i}", on=f"w{i}") for i in range(3)]), "150 MHz").network
    lines = es.write(network, tmp_path / "three.s3p").read_text().splitlines()[4:]
    assert len(lines) == 3
    values = np.array(" ".join(lines).split(), float)[1:]
    np.testing.assert_allclose((values[::2] + 1j * values[1::2]).reshape(3, 3), network.s().values[0], rtol=1e-11)


def test_tables_as_csv_and_json(tmp_path):
    answer = es.solve(two_ports(), "150 MHz")
    frame = pd.read_csv(es.write(answer.network, tmp_path / "pair.csv"))
    assert list(frame["port"]) == ["a", "b"]
    assert frame["R_ohm"][1] == answer.network.impedance().values[0, 1].real
    cut = answer.drive({"a": es.watts(1)}).far_field().cut("H", step="10 deg")
    rows = json.loads(es.write(cut, tmp_path / "cut.json").read_text())
    assert len(rows) == 37
    assert rows[3]["e_theta_re"] == cut.e_theta.values[3].real
    with pytest.raises(es.UsageError, match=r"cannot be written there: write networks to .s1p"):
        es.write(cut, tmp_path / "cut.xlsx")


def test_what_has_a_format_of_its_own_goes_there_only(tmp_path):
    answer = es.solve(two_ports(), "150 MHz")
    flow = answer.drive({"a": es.watts(1)}).flow
    assert "<VTKFile" in es.write(flow, tmp_path / "mesh.vtu").read_text()
    for result in (answer, flow):
        with pytest.raises(es.UsageError, match=r"a Solution to .nc"):
            es.write(result, tmp_path / "x.csv")


def test_a_failed_write_leaves_what_was_there(tmp_path):
    target = tmp_path / "x.csv"
    target.write_text("before")

    def fail(place):
        place.write_text("half")
        raise OSError(28, "No space left on device")

    with pytest.raises(es.RunError, match="No space left"):
        write_atomically(target, fail)
    assert target.read_text() == "before"
    assert list(tmp_path.iterdir()) == [target]
    (tmp_path / "file").write_text("")
    with pytest.raises(es.RunError, match="cannot write into folder"):
        es.write(pd.DataFrame({"a": [1]}), tmp_path / "file" / "x.csv")
