"""Every demo and ready-made antenna through every figure, half spaces and several ports included."""

import json

import numpy as np
import pytest
from matplotlib.text import Text

import earshot as es
from earshot.views.commands.options import load
from earshot.views.figures import FIGURES, Wishes, figures_for
from overlaps import troubles

TWO = """
title = "two masts"
frequency = "150 MHz"
medium = "perfect plane"
[wire.a]
radius = "2 mm"
points = ["0, 0, 0", "0, 0, 0.47 m"]
[wire.b]
radius = "2 mm"
points = ["0.5 m, 0, 0", "0.5 m, 0, 0.47 m"]
[port.one]
on = "a"
at = 0
[port.two]
on = "b"
at = 0
reference = "36 ohm"
[band]
from = "140 MHz"
to = "160 MHz"
points = 21
[case.both]
power = { one = "1 W", two = "1 W" }
cuts = ["elevation 20 deg", "azimuth 0 deg"]
[case.one]
power = { one = "1 W" }
terminations = { two = "open" }
frequencies = ["148 MHz", "152 MHz"]
[case.one.sectors.east]
toward = [1.0, 0.0, 0.2]
within = "20 deg"
[case.one.near.fence]
from = "-3 m, 0, 1 m"
to = "3 m, 0.1 m, 1 m"
points = 11
"""


DEMOS = [
    "buoy_monopole",
    "uplink_turnstile",
    "hut_roof",
    "mainland_guide",
    "mainland_patch",
    "mainland_stack",
    "uplink_patch",
    "buoy_on_swell",
    "tag_line",
    "tag_line_matrix",
]


@pytest.fixture(scope="module", params=[*DEMOS, "two masts"])
def solved(request, demo_path, tmp_path_factory):
    path = demo_path.with_name(f"{request.param}.toml")
    if request.param == "two masts":
        path = tmp_path_factory.mktemp("two") / "two.toml"
        path.write_text(TWO)
    return es.run(load(path, None))


@pytest.mark.parametrize("name", FIGURES)
def test_every_figure_of_every_demo_is_drawn(solved, name, tmp_path):
    if name not in figures_for(solved):
        pytest.skip("not of this antenna")
    if name == "animation":
        write = FIGURES[name].draw(solved, Wishes())
        assert write(tmp_path / "moving.gif", frames=2).stat().st_size > 8000
        return
    figure = FIGURES[name].draw(solved, Wishes(scale="compressed", reach="0.5 m"))
    assert troubles(figure) == []
    figure.savefig(tmp_path / f"{name}.png")
    assert (tmp_path / f"{name}.png").stat().st_size > 8000


def test_everything_is_written_and_opens_again(solved, tmp_path):
    names = [path.name for path in solved.write(tmp_path)]
    assert len(names) == len(set(names))
    assert sorted(names) == sorted(p.name for p in tmp_path.iterdir())
    ports = len(solved.solution.antenna.ports)
    again = es.read_results(tmp_path / "results.nc")
    assert np.array_equal(again.network.s(), solved.solution.network.s())
    back = es.read_network(tmp_path / f"network.s{ports}p")
    np.testing.assert_allclose(back.s(), solved.solution.network.referred_to(back.references[0].real).s(), atol=1e-9)
    content = json.loads(json.dumps(solved.to_dict(), default=lambda x: x.tolist() if hasattr(x, "tolist") else str(x)))
    assert len(content["cases"]) == len(solved.cases)


def test_a_results_file_runs_its_cases_again(run, tmp_path):
    (tmp_path / "two.toml").write_text(TWO)
    status, solved, _ = run("solve", tmp_path / "two.toml", "--out", tmp_path / "out")
    assert status == 0
    status, shown, err = run("show", tmp_path / "out/results.nc")
    assert (status, err) == (0, "")
    assert shown == solved
    whole = run("show", tmp_path / "out/results.nc", "--all")[1]
    for words in ("case both at 150 MHz", "case one at 148 MHz", "case one at 152 MHz", "gain within sectors", "east"):
        assert words in whole
    assert "sector east" in shown
    picked = run("show", tmp_path / "out/results.nc", "-f", "152 MHz", "--all")[1]
    assert "case both at 152 MHz" in picked
    assert "148 MHz, " not in picked.split("case")[1]


def test_comparing_models_with_unlike_ports(run, tmp_path, demo_path):
    (tmp_path / "two.toml").write_text(TWO)
    status, out, err = run(
        "compare", tmp_path / "two.toml", demo_path, "--out", tmp_path / "c", "--format", "svg", "--json"
    )
    assert status == 0
    rows = {row["figure"]: row for row in json.loads(out)["figures"]}
    assert rows["VSWR at two"]["tag_receiver"] is None
    assert rows["VSWR"]["two"] is None
    assert rows["gain"]["two"] is not None
    assert (tmp_path / "c" / "vswr.svg").read_text().startswith("<?xml")
    assert "solving two masts" in err


def test_a_section_shows_layers_metal_and_pins(demo_path):
    design = es.read_design(demo_path.with_name("mainland_stack.toml")).design
    figure = es.plots.section(design)
    words = " ".join(text.get_text() for text in figure.findobj(Text))
    for word in ("lower", "upper", "pin", "polycarbonate", "“inside”", "plane: copper", "along x at y = 0"):
        assert word in words
    aside = " ".join(text.get_text() for text in es.plots.section(design, along="y", at="9 mm").findobj(Text))
    assert "along y at x = 9 mm" in aside
    assert "lower (beside)" in aside
    with pytest.raises(es.UsageError, match="it is x or y"):
        es.plots.section(design, along="z")
    with pytest.raises(es.UsageError, match="a finite value is needed"):
        es.plots.section(design, at=float("nan"))
    with pytest.raises(es.UsageError, match="has no layers"):
        es.plots.section(es.read_design(demo_path).design)


def test_currents_of_levels_are_drawn_apart(demo_path):
    file = es.read_design(demo_path.with_name("mainland_stack.toml"))
    driven = es.solve(file.design, "5.8 GHz").drive()
    assert len(driven.flow.on_levels) == 2
    words = [text.get_text() for text in es.plots.surface_currents(driven).findobj(Text)]
    assert "low, z = 1 mm" in words
    assert "inside, z = 5.4 mm" in words
