"""Loads, lines, metals and cases in a design file."""

import math
import re

import numpy as np
import pytest

import earshot as es

TEXT = """
title = "loaded pair"
frequency = "150 MHz"
metal = "copper"
[metals.mesh]
conductivity = 1e6
source = "made up"
[values]
half = "0.45 m"
[wire.rod]
radius = "3 mm"
points = ["0, 0, -half", "0, 0, half"]
[wire.other]
radius = "3 mm"
metal = "mesh"
wall = "1 mm"
jacket = { thickness = "1 mm", permittivity = 2.3 }
points = ["0.4 m, 0, -half", "0.4 m, 0, half"]
[port.feed]
on = "rod"
[port.far]
on = "other"
reference = ["75 ohm", "-10 ohm"]
[load.coil]
on = "rod"
at = "half / 2"
series = { resistance = "2 ohm", inductance = "50 nH" }
[load.measured]
on = "rod"
at = 0.8
table = "measured.csv"
[terminal.tap]
on = "other"
at = 0.2
[line.feeder]
from = "feed"
to = "tap"
two_wire = { spacing = "20 mm", diameter = "2 mm" }
length = "0.3 lambda"
crossed = true
[stub.matcher]
at = "tap"
impedance = "50 ohm"
velocity = 0.66
attenuation = 0.1
attenuation_at = "100 MHz"
length = "10 cm"
end = "short"
[case.one]
power = { feed = "1 W" }
terminations = { far = "open" }
frequencies = ["149 MHz", "150 MHz"]
sectors = { ahead = { toward = [1, 0, 0], within = "20 deg" } }
[case.one.near.beside]
from = "1 m, 0, 0"
to = "0.5 lambda, 1 m, 0"
points = 5
[case.one.near.sheet]
corner = "1 m, 0, 0"
u = "1 m, 0, 0"
v = "0, 0, 1 m"
counts = [3, 4]
[case.two]
voltage = { far = "1 V" }
terminations = { feed = { impedance = ["20 ohm", "-5 ohm"] } }
"""


@pytest.fixture
def path(tmp_path):
    (tmp_path / "measured.csv").write_text("frequency_Hz,R_ohm,X_ohm\n100e6,5,1\n200e6,9,3\n")
    design = tmp_path / "pair.toml"
    design.write_text(TEXT)
    return design


def test_everything_connected_can_be_said_in_a_file(path):
    file = es.read_design(path)
    antenna = file.design.antenna
    assert antenna.loads[0].impedance.at(150e6) == pytest.approx(2 + 2j * math.pi * 150e6 * 50e-9)
    assert antenna.loads[1].impedance.at(150e6) == pytest.approx(7 + 2j)
    assert antenna.wires[0].metal == es.materials.metals["copper"]
    assert antenna.wires[1].metal.conductivity == 1e6
    assert antenna.wires[1].jacket.permittivity == 2.3
    assert antenna.ports[1].reference == 75 - 10j
    line, stub = antenna.lines
    assert line.kind.impedance == pytest.approx(120 * math.acosh(10), rel=1e-3)
    assert line.length == pytest.approx(0.3 * 299.792458 / 150)
    assert stub.kind.velocity == 0.66
    assert file.cases[0].frequencies == (149e6, 150e6)
    assert np.isinf(file.cases[0].terminations["far"].at(1e6))
    assert file.cases[1].terminations["feed"].at(1e6) == 20 - 5j


def test_its_cases_run_and_account_for_their_power(path, run, tmp_path):
    status, out, _ = run("solve", path, "--evidence", "--all", "--out", tmp_path / "out")
    assert status == 0
    assert len((tmp_path / "out" / "one-149-MHz-near-sheet.csv").read_text().splitlines()) == 13
    assert len((tmp_path / "out" / "one-150-MHz-near-beside.csv").read_text().splitlines()) == 6
    assert "gain within sectors" in out
    for words in ("case one at 149 MHz", "case two at 150 MHz", "where the power goes", "metal of wire 'rod'"):
        assert words in out
    for words in ("load 'coil'", "stub 'matcher'", "line 'feeder'", "what closes port 'feed'", "radiated"):
        assert words in out


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('table = "measured.csv"', "", "load.measured: give exactly one"),
        ('table = "measured.csv"', 'table = "lost.csv"', "cannot read"),
        ('"50 nH"', '"50 pF"', "is a capacitance"),
        ('end = "short"', 'end = "shorted"', "no value 'shorted'"),
        ('to = "tap"', 'to = "tab"', "did you mean 'tap'"),
        ('metal = "copper"', 'metal = "coper"', "did you mean 'copper'"),
        ('impedance = "50 ohm"\nvelocity', "velocity", "stub.matcher: give exactly one"),
        ('terminations = { far = "open" }', 'terminations = { fax = "open" }', "did you mean 'far'"),
        ('diameter = "2 mm"', 'diameter = "30 mm"', "would touch"),
        ('u = "1 m, 0, 0"', "", "case.one.near.sheet.u is missing"),
        ("permittivity = 2.3", "permitivity = 2.3", "did you mean|permittivity is missing"),
    ],
)
def test_mistakes_are_named(path, run, old, new, says):
    assert old in TEXT
    path.write_text(TEXT.replace(old, new, 1))
    status, _, err = run("solve", path)
    assert status in (1, 2)

    assert re.search(says, err)
    assert "Traceback" not in err
