"""Arrays in design files, on the command line and as figures."""

import math
from importlib import resources

import numpy as np
import pytest

import earshot as es
from earshot import arrays
from earshot.views import plots
from earshot.views.commands.app import main

ROD = """
title = "rods"
frequency = "300 MHz"

[values]
apart = "0.4 m"
steer = "20 deg"

[wire.rod]
radius = "2 mm"
points = ["0, 0, -0.24 m", "0, 0, 0.24 m"]

[port.feed]
on = "rod"
at = 0.5
"""
LINE = """
[array.line]
count = 3
spacing = "apart"

[array.beam.out]
phi = "90 deg"
theta = "90 deg"
power = "2 W"
cuts = ["elevation 0 deg"]

[array.beam.aside]
azimuth = "90 deg - steer"
taper = "chebyshev"
side_lobe = 20
bits = 6
phase_offset = "2 deg"
amplitude_step = 0.5
least_amplitude = 20
failed = [3]
"""


def read(tmp_path, text):
    (tmp_path / "rods.toml").write_text(text, encoding="utf-8")
    return es.read_design(tmp_path / "rods.toml")


def test_a_file_repeats_its_antenna_and_feeds_it(tmp_path):
    file = read(tmp_path, ROD + LINE)
    antenna = file.design.antenna
    assert [p.name for p in antenna.ports] == ["e1_feed", "e2_feed", "e3_feed"]
    assert np.allclose(antenna.wire("e3_rod").corners[0], [0.4, 0, -0.24])
    assert not es.check(file.design).stops
    out, aside = file.cases
    solution = es.solve(file.design)
    driven = solution.run(out)["out"][0]
    assert driven.incident == pytest.approx(2.0)
    layout = arrays.line(3, 0.4)
    array = arrays.SolvedArray(solution, layout, 300e6)
    weights = array.steered(theta="90 deg", phi="70 deg").times(arrays.line_taper("chebyshev", 3, side_lobe=20))
    wanted = weights.quantised(6, amplitude_step=0.5, least=-20, offset="2 deg").without([2])
    given = np.array([aside.sources[f"e{n}_feed"].amount if n < 3 else 0 for n in (1, 2, 3)])
    assert "e3_feed" not in aside.sources
    assert np.allclose(given / given[0], wanted.values / wanted.values[0])


def test_changed_values_move_the_beams(tmp_path, capsys):
    (tmp_path / "rods.toml").write_text(ROD + LINE, encoding="utf-8")
    assert main(["solve", str(tmp_path / "rods.toml"), "--set", "steer=-10 deg, apart=0.45 m", "--json"]) == 0
    assert "aside" in capsys.readouterr().out
    from earshot.views.commands.options import load

    file = load(tmp_path / "rods.toml", ["apart=0.45 m", "steer=-10 deg"])
    aside = file.cases[1]
    turn = np.angle(aside.sources["e2_feed"].amount / aside.sources["e1_feed"].amount)
    wanted = -2 * math.pi * 300e6 / 299792458 * 0.45 * math.cos(math.radians(100))
    assert turn == pytest.approx(wanted, abs=math.pi / 64 * 2)
    assert file.design.antenna.wire("e3_rod").corners[0][0] == pytest.approx(0.45)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[array]\n", "give exactly one of line, grid, ring, hexagon, places; none are there"),
        ("[array.line]\ncount = 0\nspacing = '1 m'\n", "0 is not a whole number"),
        ("[array.line]\ncount = 3\nspacing = '0 m'\n", "is not above zero"),
        ("[array.line]\ncount = 3\nspacing = '1 m'\n[array.beam.x]\ntaper = 'tailor'\n", "there is no taper 'tailor'"),
        ("[array.line]\ncount = 3\nspacing = '1 m'\n[array.beam.x]\nbits = 0\n", "0 bits"),
        ("[array.line]\ncount = 3\nspacing = '1 m'\n[case.y]\npower = { feed = '1 W' }\n", "e1_feed"),
        ("[array.ring]\ncount = 3\nradius = '1 m'\n[array.beam.x]\ntaper = 'taylor'\n", "on no lattice"),
        ("[array]\nplaces = 'nowhere.csv'\n", "cannot read"),
        ("[array.grid]\ncolumns = 2\nrow = 2\nspacing = '1 m'\n", "rows"),
    ],
)
def test_wrong_arrays_are_told(tmp_path, text, says):
    with pytest.raises(es.DesignFileError, match=says):
        read(tmp_path, ROD + text)


def test_places_come_from_a_table(tmp_path):
    arrays.ring(4, 0.8, outward=False).to_frame().to_csv(tmp_path / "ring.csv", index=False)
    antenna = read(tmp_path, ROD + "[array]\nplaces = 'ring.csv'\n").design.antenna
    assert np.allclose(antenna.place_of(antenna.port("e2_feed")), [0, 0.8, 0], atol=1e-9)


def test_the_tag_line_is_solved_and_drawn(tmp_path):
    path = resources.files("earshot.demo") / "tag_line.toml"
    names = ["layout", "beam-map", "scan", "polar"]
    assert main(["plot", str(path), *names, "-f", "150.1 MHz", "--out", str(tmp_path)]) == 0
    assert sorted(p.stem for p in tmp_path.iterdir()) == sorted(names)
    assert main(["plot", str(resources.files("earshot.demo") / "buoy_monopole.toml"), "scan", "-f", "868 MHz"]) == 2


def test_figures_show_what_they_are_given():
    wave = 299792458 / 5.8e9
    array = arrays.Array(arrays.grid(6, 3, 0.6 * wave), arrays.cosine(), "panel")
    weights = array.steered(array.tapered("taylor"), frequency=5.8e9, theta="20 deg", phi="0 deg").without([4])
    figure = plots.layout(array, weights)
    assert "1 off" in figure.texts[-1].get_text()
    beam = array.beam(5.8e9, weights)
    assert f"peak {10 * math.log10(float(beam.gain(*beam.peak))):.2f} dBi" in plots.beam_map(beam).texts[0].get_text()
    spread = plots.envelope(arrays.trials(array, weights, arrays.Errors(phase="5 deg"), frequency=5.8e9, count=50))
    assert "50 trials" in spread.texts[-1].get_text()
    with pytest.raises(es.UsageError, match="3 weights for 18 elements"):
        plots.layout(array, arrays.Weights(np.ones(3)))


def test_variants_of_an_array_are_compared(tmp_path, capsys):
    (tmp_path / "rods.toml").write_text(ROD + LINE.replace("count = 3", "count = 5"), encoding="utf-8")
    words = ["compare", str(tmp_path / "rods.toml"), "--set", "apart=0.5 m", "-f", "300 MHz", "--out", str(tmp_path)]
    assert main(words) == 0
    printed = capsys.readouterr()
    assert "rods, e5_feed" in printed.out
    assert "was not solved" not in printed.err
    assert (tmp_path / "smith.png").exists()
    network = es.solve(read(tmp_path, ROD + LINE).design).network
    crowded = plots.smith(*[network] * 20)
    assert "more curves have no room" in crowded.texts[-1].get_text()


def test_delays_hold_the_solved_beam_at_every_frequency(tmp_path):
    wide = ROD + LINE[: LINE.index("[array.beam.aside]")].replace("count = 3", "count = 9")
    steered = wide.replace('phi = "90 deg"\n', 'phi = "50 deg"\n').replace("power", "delays = true\npower")
    late, still = read(tmp_path, steered), read(tmp_path, steered.replace("delays = true\n", ""))
    solution = es.solve(late.design, ["270 MHz", "330 MHz"])
    squint = []
    for file in (late, still):
        peaks = [solution.drive(dict(file.cases[0].sources), f).far_field().peak[1] for f in (270e6, 330e6)]
        # A line sends to both sides of itself alike.
        low, high = (math.degrees(math.acos(math.cos(p))) for p in peaks)
        squint.append(abs(low - high))
    assert squint[0] < 1.5
    assert squint[1] > 8.0
