"""Earth in design files, in results and on the command line."""

import json

import pytest
from typer.testing import CliRunner

import earshot as es
from earshot.files.design_file import design_from_text
from earshot.files.design_text import antenna_text
from earshot.views.commands.app import app

DESIGN = """
title = "Level"
frequency = "150 MHz"
medium = "clay"

[earths.clay]
permittivity = 20
conductivity = 0.02
source = "made up"

[values]
height = "2 m"

[wire.rod]
radius = "2 mm"
points = ["0, -0.48 m, height", "0, 0.48 m, height"]

[port.feed]
on = "rod"
at = 0.5
"""
CASE = """
[case.up]
power = { feed = "1 W" }
cuts = ["azimuth 0 deg"]
"""


@pytest.fixture
def path(tmp_path):
    place = tmp_path / "level.toml"
    place.write_text(DESIGN)
    return place


def test_own_earth_is_read_and_written(path, tmp_path):
    design = es.read_design(path).design
    assert design.antenna.medium == es.materials.Earth("clay", 20.0, 0.02, "made up")
    again = antenna_text(design.antenna, 150e6)
    assert design_from_text(again, "again.toml", tmp_path).design.antenna == design.antenna


def test_earth_of_the_library_by_its_name(path):
    path.write_text(DESIGN.replace('"clay"', '"fresh water"'))
    assert es.read_design(path).design.antenna.medium == es.earth("fresh water")


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('medium = "clay"', 'medium = "clai"', "did you mean 'clay'"),
        ("permittivity = 20", "permittivity = 0.2", "permittivity 0.2 is below 1"),
    ],
)
def test_wrong_earth_is_told(path, old, new, says):
    path.write_text(DESIGN.replace(old, new))
    with pytest.raises(es.DesignFileError, match=says):
        es.read_design(path)


def test_results_over_earth_open_again(path, tmp_path):
    solution = es.solve(es.read_design(path).design, "150 MHz")
    es.write(solution, tmp_path / "level.nc")
    again = es.read_results(tmp_path / "level.nc")
    assert again.drive().far_field().efficiency == pytest.approx(solution.drive().far_field().efficiency)


def test_small_multiples_of_fields():
    antenna = es.Antenna(
        "rod", [es.Wire("rod", [(0, -0.48, 2), (0, 0.48, 2)], radius="2 mm")], [es.Port("feed", "rod", at=0.5)]
    )  # fmt: skip
    beams = [es.solve(antenna.over(m), "150 MHz").drive().far_field() for m in (es.earth("sea"), es.free_space())]
    figure = es.plots.multiples(beams, labels=["sea", "nothing"])
    assert len(figure.axes) == 2
    assert figure.axes[0].get_thetamax() == 180
    with pytest.raises(es.UsageError, match="room for 12"):
        es.plots.multiples(beams * 7)


def test_compare_over_other_earths(path, tmp_path):
    arguments = ["compare", str(path), "--over", "sea", "--over", "free space", "--out", str(tmp_path / "c"), "--json"]
    done = CliRunner().invoke(app, arguments)
    assert done.exit_code == 0, done.output
    rows = {row["figure"]: row for row in json.loads(done.stdout)["figures"]}
    efficiency = rows["radiation efficiency"]
    assert efficiency["level"] < efficiency["over sea"] < efficiency["over free space"]
    assert (tmp_path / "c" / "polar.png").stat().st_size > 8000
    assert not (tmp_path / "c" / "multiples.png").exists()
    heights = [x for h in (1, 3, 4) for x in ("--set", f"height={h} m")]
    path.write_text(path.read_text() + CASE)
    done = CliRunner().invoke(app, ["compare", str(path), *heights, "--out", str(tmp_path / "h")])
    assert done.exit_code == 0, done.output
    assert (tmp_path / "h" / "multiples.png").stat().st_size > 8000
    wrong = CliRunner().invoke(app, ["compare", str(path), "--over", "seas"])
    assert wrong.exit_code != 0
