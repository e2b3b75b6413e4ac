"""The first screen: everything one reads first on 80 x 24, as the results file has it, and nothing that is noise."""

import json
import re

import numpy as np
import pytest

import earshot as es

MAST = """
title = "mast"
frequency = "7.1 MHz"
[band]
from = "6.9 MHz"
to = "7.3 MHz"
points = 21
[wire.mast]
points = ["0, 0, 0.2 m", "0, 0, 10.2 m"]
radius = "10 mm"
[port.foot]
on = "mast"
at = 0.02
"""
PAIR = """
title = "pair"
frequency = "150 MHz"
[wire.a]
points = ["0,0,0", "0,0,0.95 m"]
radius = "2 mm"
[wire.b]
points = ["0.7 m,0,0", "0.7 m,0,0.95 m"]
radius = "2 mm"
[port.a]
on = "a"
[port.b]
on = "b"
[case.turned]
power = { a = "1 W" }
voltage = { b = "3 V" }
"""
READY = [
    ("dipole", "868 MHz"), ("yagi", "150 MHz"), ("monopole", "150 MHz"), ("helix", "868 MHz"), ("patch", "5.8 GHz"),
         ("quad", "28 MHz"), ("plane-reflector", "868 MHz")]  # fmt: skip
NOISE = re.compile(r"e-1\d|(?<![\d.])-0\.0+(?!\d)|\b100\.000|\bnan\b|inf\b|Traceback")


def fits(screen):
    lines = [line.rstrip() for line in screen.splitlines()]
    # The line of what was solved may be longer: it folds.
    folded = len(lines) + sum(len(line) // 80 for line in lines[:2])
    assert folded <= 24
    assert max(map(len, lines[2:])) <= 80, max(lines[2:], key=len)
    assert not NOISE.search(screen), NOISE.search(screen)
    return " ".join(lines)


@pytest.mark.parametrize(("kind", "frequency"), READY)
def test_ready_made_antennas_fit_one_screen(run, tmp_path, kind, frequency):
    assert run("new", kind, "-f", frequency, "--out", tmp_path / "a.toml")[0] == 0
    status, shown, _ = run("solve", tmp_path / "a.toml", "--out", tmp_path / "out")
    assert status == 0
    screen = fits(shown)
    for word in ("impedance", "VSWR", "return loss", "resonance", "10 dB loss", "gain", "efficiency", "peak",
                 "beamwidth",
                 "polarisation", "lost"):  # fmt: skip
        assert word in screen
    # What is shown is what the file holds, to the last digit.
    told = json.loads(run("show", tmp_path / "out/results.nc", "--json")[1])["cases"][0]
    figures = {row["figure"]: row["value"] for row in told["figures"]}
    assert f"{figures['gain']:.2f} dBi, realized {figures['realized gain']:.2f} dBi" in screen
    port = told["ports"][0]
    z = complex(port["active_impedance_ohm_re"], port["active_impedance_ohm_im"])
    assert f"{z.real:.2f} {z.imag:+.2f}j ohm" in screen


def test_over_ground_it_is_take_off_that_counts(run, tmp_path):
    (tmp_path / "a.toml").write_text(MAST.replace("[band]", 'medium = "meadow"\n[band]'))
    screen = fits(run("solve", tmp_path / "a.toml")[1])
    for word in ("the same all round", "lobes, dBi", "at 5,", "at 30 deg", "earth", "linear, vertical"):
        assert word in screen
    assert "plane" not in screen.split("beamwidth")[1]
    assert "goes on beyond the band" in screen or "nowhere in the band" in screen


def test_several_ports_are_rows(run, tmp_path):
    (tmp_path / "a.toml").write_text(PAIR)
    screen = fits(run("solve", tmp_path / "a.toml")[1])
    for word in ("ports in case turned", "active VSWR", "coupling", "a to b -"):
        assert word in screen


def test_several_frequencies_are_rows(run, demo_path):
    words = [w for f in (148, 150, 152) for w in ("-f", f"{f} MHz")]
    screen = fits(run("solve", demo_path, *words)[1])
    assert re.search(r"148 MHz +\d.*150 MHz +\d.*152 MHz +\d", screen)


def test_the_limit_is_chosen(run, demo_path):
    def width(limit):
        return float(re.search(r"VSWR to .*?: ([\d.]+) MHz", run("solve", demo_path, "--vswr", limit)[1])[1])

    assert width("1.5") < width("2") < width("2.5")
    assert "is not above 1" in run("solve", demo_path, "--vswr", "1")[2]


def test_words_instead_of_noise():
    rod = es.Wire("rod", [(0, 0, -0.5), (0, 0, 0.5)], radius="1 mm")
    field = es.solve(es.Antenna("rod", [rod], [es.Port("f", "rod")]), "145 MHz").drive().far_field()
    from earshot.fields import words

    assert words.polarised(field) == "linear, vertical"
    assert words.ratios(field) == ""
    assert words.side_lobe(field, "") == "none"
    assert words.beamwidths(field, False).endswith("all round in the H-plane")
    assert words.level(129.0) == "more than 60 dB"


def test_every_word_of_the_screen_is_explained(run, tmp_path):
    (tmp_path / "a.toml").write_text(MAST.replace("[band]", 'medium = "meadow"\n[band]'))
    shown = [run("solve", tmp_path / "a.toml")[1]]
    (tmp_path / "b.toml").write_text(PAIR)
    shown.append(run("solve", tmp_path / "b.toml")[1])
    for name in ("yagi", "patch"):
        run("new", name, "-f", "868 MHz", "--out", tmp_path / f"{name}.toml")
        shown.append(run("solve", tmp_path / f"{name}.toml")[1])
    lines = [line for text in shown for line in text.split("\n\n")[-1].splitlines()[1:]]
    for label in {re.split(r" {2,}", line)[0] for line in lines}:
        assert es.terms.term(re.sub(r"VSWR to .*", "bandwidth", label)).meaning
    for word in (
        "realized gain",
        "mismatch loss",
        "total efficiency",
        "broadside",
        "take-off",
        "tilt",
        "near field",
        "sent",
    ):
        assert es.terms.term(word).meaning


def test_materials_are_listed(run):
    out = run("materials", "earths")[1]
    assert re.search(r"meadow +13 +0.005", out)
    assert re.search(r"rock +7 +0.001", out)
    assert re.search(r"city +5 +0.001", out)
    assert "copper" not in out
    told = json.loads(run("materials", "--json")[1])
    assert {row["name"] for row in told["metals"]} == set(es.materials.metals)
    assert run("materials", "wood")[0] == 2


def test_results_show_themselves_in_a_line_and_in_a_notebook(demo_path):
    case = es.run(demo_path.with_name("buoy_monopole.toml")).cases[0]
    solution = es.solve(case.driven.antenna, ["868 MHz", "870 MHz"])
    shown = [case, solution, solution.network, case.driven, case.field, case.driven.near_field([(0, 0, 3)])]
    for thing in shown:
        assert len(repr(thing)) < 160
        assert "array" not in repr(thing)
        assert thing._repr_html_().startswith("<p>&lt;")
    assert "<table" in case.field._repr_html_()
    assert "868 MHz to 870 MHz" in repr(solution)


def test_of_many_ports_those_that_are_driven_are_shown(run, tmp_path):
    rods = "".join(
        f'[wire.w{n}]\nradius = "1 mm"\npoints = ["{0.7 * n} m,0,0", "{0.7 * n} m,0,0.95 m"]\n'
        f'[port.p{n}]\non = "w{n}"\n'
        for n in range(11)
    )
    case = '[case.c]\npower = { p10 = "1 W" }\n'
    (tmp_path / "a.toml").write_text(f'title = "many"\nfrequency = "150 MHz"\n{rods}{case}')
    screen = run("solve", tmp_path / "a.toml")[1]
    assert re.search(r"\np10 +-\d", screen)
    assert "and 3 more" in screen


def test_the_width_in_azimuth_is_where_the_gain_has_halved():
    random = np.random.default_rng(3)
    for _ in range(12):
        gap, phase = random.uniform(0.15, 0.5), random.uniform(40, 140)
        rods = [es.Wire(n, [(x, 0, 0.3), (x, 0, 0.78)], radius="2 mm") for n, x in (("a", 0.0), ("b", gap))]
        medium = es.perfect_plane() if random.random() < 0.5 else None
        pair = es.Antenna("pair", rods, [es.Port(n, n) for n in "ab"], medium)
        drive = es.solve(pair, "300 MHz").drive({"a": es.amperes(1), "b": es.amperes(1, -phase)})
        field = drive.far_field()
        theta, phi = field.peak
        gain = field.gain(theta, phi + np.radians(np.linspace(-180, 180, 36001)))
        below = np.flatnonzero(gain < field.gain(theta, phi) / 2)
        width = field.azimuth_beamwidth
        if width is None:
            assert not below.size
            continue
        middle = 18000
        edges = below[below > middle].min() - below[below < middle].max()
        assert width == pytest.approx(edges / 100, abs=0.03)
