"""Ports of lines at reference planes: through lines, open ends, steps in width, what is refused."""

import math
from pathlib import Path

import numpy as np
import pytest

import earshot as es
from earshot.answers import at_lines
from earshot.layers import strip_line, strip_width

HERTZ = 3e9
RULE = es.MeshRule(sheets_per_wavelength=14)


def line(stack, points, widths, ends=2, turn=0.0, off=0.4e-3, frequencies=HERTZ):
    """A strip along points on x, turned, with a pin near either end, or near the first."""
    z, way = stack.level, np.array([math.cos(turn), math.sin(turn)])
    sheet = es.Sheet("line", es.shapes.trace([(*(x * way), z) for x in points], widths))
    places = [points[0] + off, points[-1] - off][:ends]
    pins = [
        es.Wire(name, [(*(x * way), 0), (*(x * way), z)], radius=0.25e-3)
        for name, x in zip("ab", places, strict=False)
    ]  # fmt: skip
    ports = [es.Port(w.name, w.name, at=0) for w in pins]
    return es.solve(es.Antenna("line", pins, ports, stack, sheets=[sheet]), frequencies, rule=RULE)


@pytest.mark.parametrize("seed", range(3))
def test_a_line_is_a_line_whatever_feeds_it(seed):
    rng = np.random.default_rng(seed)
    stack = es.substrate(rng.uniform(0.6e-3, 1.8e-3), rng.uniform(2.0, 6.0))
    width, length, turn = strip_width(stack, rng.uniform(35, 80), HERTZ), rng.uniform(45e-3, 70e-3), rng.uniform(-3, 3)
    found = at_lines(line(stack, (0, length), width, turn=turn), {"a": "12 mm", "b": None})
    wave = strip_line(stack, width, HERTZ)
    s = found.network.s().values[0]
    between = length - 12e-3 - found.lines["plane_m"]["b"]
    phase = 2 * math.pi * HERTZ / es.constants.SPEED_OF_LIGHT * wave.index.real * between
    assert abs(s[0, 0]) < 5e-3
    assert abs(s[1, 1]) < 5e-3
    assert abs(s[1, 0] - np.exp(-1j * phase)) < 0.012
    assert found.lines["impedance_ohm"]["a"] == pytest.approx(wave.impedance.real, rel=1e-6)
    assert np.allclose(found.lines["effective_permittivity"], wave.effective_permittivity, rtol=6e-3)
    assert (found.lines["misfit"] < 8e-3).all()


def test_where_the_pin_is_does_not_matter():
    stack = es.substrate("1.6 mm", 4.4)
    width = strip_width(stack, 50, HERTZ)
    seen = [at_lines(line(stack, (0, 44e-3), width, 1, off=off), {"a": "14 mm"}).network.s().values[0, 0, 0]
            for off in (0.4e-3, 3e-3)]  # fmt: skip
    assert abs(seen[0] - seen[1]) < 0.012


def test_with_a_wire_in_the_air_over_the_board():
    stack = es.substrate("1.6 mm", 4.4)
    sheet = es.Sheet("line", es.shapes.trace([(0, 0, 1.6e-3), (40e-3, 0, 1.6e-3)], "3 mm"))
    pin = es.Wire("a", [(0.5e-3, 0, 0), (0.5e-3, 0, 1.6e-3)], radius=0.25e-3)
    rod = es.Wire("rod", [(39e-3, 0, 1.6e-3), (39e-3, 0, 26e-3)], radius=0.25e-3)
    antenna = es.Antenna("rod on a line", [pin, rod], [es.Port("a", "a", at=0)], stack, sheets=[sheet])
    found = at_lines(es.solve(antenna, HERTZ, rule=RULE), {"a": "10 mm"})
    assert found.lines["misfit"]["a"] < 0.02
    assert found.lines["on_mesh_ohm"]["a"] == found.lines["impedance_ohm"]["a"]
    assert abs(found.network.s().values[0, 0, 0]) < 0.99


def test_an_open_end_is_longer_than_the_strip():
    """By 0.41 to 0.43 thicknesses; by Hammerstad's formula (1975) 0.39, which is some 5 % low."""
    stack = es.substrate("1.6 mm", 4.4)
    width = strip_width(stack, 50, HERTZ)
    wave = strip_line(stack, width, HERTZ)
    e, u = wave.effective_permittivity, width / stack.level
    formula = 0.412 * (e + 0.3) * (u + 0.264) / ((e - 0.258) * (u + 0.8)) * stack.level
    length, plane = 47e-3, 15e-3
    found = at_lines(line(stack, (0, length), width, 1), {"a": plane})
    back = found.network.s().values[0, 0, 0]
    beta = 2 * math.pi * HERTZ / es.constants.SPEED_OF_LIGHT * math.sqrt(found.lines["effective_permittivity"]["a"])
    half_wave = math.pi / beta
    longer = (-np.angle(back) / (2 * beta) - (length - plane) + half_wave / 2) % half_wave - half_wave / 2
    assert 0.97 < abs(back) < 1.0
    assert longer == pytest.approx(formula, rel=0.15)


def test_a_step_in_width_is_a_step_in_impedance():
    stack = es.substrate("0.8 mm", 3.0)
    hertz = 1.5e9
    wide, narrow = (strip_width(stack, ohms, hertz) for ohms in (28, 56))
    solution = line(stack, (0, 50e-3, 100e-3), (wide, narrow), frequencies=hertz)
    found = at_lines(solution, {"a": "49.9 mm", "b": "49.9 mm"})
    s = found.network.s().values[0]
    assert list(found.lines["impedance_ohm"].round()) == [28, 56]
    assert abs(s[0, 0] - 28 / 84) < 0.03
    assert abs(s[0, 1] - s[1, 0]) < 1e-9
    assert np.allclose(np.abs(s) ** 2 @ np.ones(2), 1.0, atol=0.015)
    # A port that is not named stays at its pin, where only the pin is added.
    mixed = at_lines(solution, {"a": "49.9 mm"}).network.s().values[0]
    assert abs(mixed[0, 1] - mixed[1, 0]) < 1e-9
    assert abs(abs(mixed[1, 0]) - abs(s[1, 0])) < 0.06


def test_what_lies_across_a_line_ends_its_run():
    """A slot in the plane under the line: waves are told before it, and the band is interpolated."""
    medium = es.layers.BothSides(es.substrate("1 mm", 2.5), es.substrate("0.8 mm", 3.0))
    width = strip_width(medium.under, 50, HERTZ)
    sheets = [
        es.Sheet("slot", es.shapes.plate("1 mm", "22 mm", centre=(0, 0, 0))),
        es.Sheet("line", es.shapes.trace([(-30e-3, 0, -0.8e-3), (12e-3, 0, -0.8e-3)], width)),
    ]
    pin = es.Wire("pin", [(-29.5e-3, 0, 0), (-29.5e-3, 0, -0.8e-3)], radius=0.25e-3)
    antenna = es.Antenna("slot", [pin], [es.Port("feed", "pin", at=0)], medium, sheets=sheets)
    solution = es.solve(antenna, es.band("2.6 GHz", "3.4 GHz", 17))
    found = at_lines(solution, {"feed": "20 mm"})
    assert found.lines["misfit"]["feed"] < 0.01
    assert found.error < 2e-3
    assert found.network.frequencies.shape == (17,)
    alone = at_lines(es.solve(antenna, 2.85e9), {"feed": "20 mm"}).network
    s = found.network.referred_to(50.0).s().values[5, 0, 0]
    assert solution.frequencies[5] == pytest.approx(2.85e9)
    assert abs(s - alone.referred_to(50.0).s().values[0, 0, 0]) < 6e-3
    # What the pin adds is little, and takes nothing.
    whole = solution.network.s().values[:, 0, 0]
    assert np.abs(np.abs(found.network.referred_to(50.0).s().values[:, 0, 0]) - np.abs(whole)).max() < 0.08


@pytest.mark.parametrize(
    ("planes", "says"),
    [
        ({}, "no port of 'line' is named"),
        ({"c": None}, "there is no port 'c'"),
        ({"a": "60 mm"}, "is off its straight run"),
        ({"a": "long"}, "long"),
    ],
)
def test_planes_that_are_none(planes, says):
    stack = es.substrate("1.6 mm", 4.4)
    with pytest.raises(es.EarshotError, match=says):
        at_lines(line(stack, (0, 44e-3), 3e-3, 1), planes)


def test_lines_that_are_too_short_and_ports_on_none():
    stack = es.substrate("1.6 mm", 4.4)
    with pytest.raises(es.UsageError, match="make it longer"):
        at_lines(line(stack, (0, 7e-3), 3e-3, 1), {"a": None})
    pin = es.Wire("a", [(0, 0, 0), (0, 0, 1.6e-3)], radius=0.25e-3)
    patch = es.Sheet("patch", es.shapes.plate("20 mm", "20 mm", centre=(0, 0, 1.6e-3)))
    solution = es.solve(es.Antenna("x", [pin], [es.Port("a", "a", at=0)], stack, sheets=[patch]), HERTZ)
    with pytest.raises(es.UsageError, match="at no end of a trace"):
        at_lines(solution, {"a": None})


def test_the_command_line_sees_a_port_from_its_line(run, tmp_path: Path):
    path = tmp_path / "line.toml"
    path.write_text(
        'title = "line"\nfrequency = "3 GHz"\n[[layer]]\nthickness = "1.6 mm"\nof = "glass epoxy"\n'
        '[sheet.line]\ntrace = { points = ["0, 0, 1.6 mm", "44 mm, 0, 1.6 mm"], width = "3 mm" }\n'
        '[wire.pin]\nradius = "0.25 mm"\npoints = ["0.5 mm, 0, 0", "0.5 mm, 0, 1.6 mm"]\n'
        '[port.feed]\non = "pin"\nat = 0\n'
    )
    target = tmp_path / "line.s1p"
    code, _, told = run("export", path, target, "--plane", "feed=12 mm")
    assert code == 0
    assert "12 mm along trace 'line'" in told
    assert run("export", target, tmp_path / "line.json")[0] == 0
    assert run("export", path, target, "--plane", "feed=1 m")[0] != 0
    assert run("export", target, tmp_path / "line.ts", "--plane", "feed")[0] != 0
