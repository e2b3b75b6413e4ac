"""Layers, dielectrics and phases in design files."""

import math
from importlib import resources

import numpy as np
import pytest

import earshot as es

PATCH = """
title = "patch"
frequency = "2.4 GHz"

[values]
thickness = "1.6 mm"

[dielectrics.mine]
permittivity = 4.1
loss_tangent = 0.011
source = "measured"

[[layer]]
thickness = "thickness"
of = "mine"
printed = true

[[layer]]
thickness = "thickness / 2"
of = "ptfe"

[sheet.patch]
plate = { width = "29 mm", depth = "38 mm", centre = "0, 0, thickness" }

[wire.pin]
radius = "0.5 mm"
points = ["6 mm, 0, 0", "6 mm, 0, thickness"]

[port.feed]
on = "pin"
at = 0
"""


def read(tmp_path, text):
    (tmp_path / "patch.toml").write_text(text, encoding="utf-8")
    return es.read_design(tmp_path / "patch.toml")


def test_layers_are_read_with_values_and_written_again(tmp_path):
    design = read(tmp_path, PATCH).design
    stack = design.antenna.medium
    assert isinstance(stack, es.Stack)
    assert (stack.metal_on, stack.level, stack.thickness) == (1, 1.6e-3, pytest.approx(2.4e-3))
    assert stack.layers[0].material == es.Dielectric("mine", 4.1, 0.011, 1.0, "measured")
    assert stack.layers[1].material == es.materials.dielectrics["ptfe"]
    assert str(stack).startswith("1.6 mm of mine (εr 4.1, tan δ 0.011) under 800 µm of ptfe (εr 2.08, ")
    assert str(stack).endswith(" on a plane, metal on layer 1")
    thinner = design.with_(thickness="0.8 mm")
    assert thinner.antenna.medium.level == pytest.approx(0.8e-3)
    again = es.read_design(es.write(thinner, tmp_path / "thinner.toml")).design
    assert again.antenna == thinner.antenna


def test_faces_are_named_in_arithmetic(tmp_path):
    text = PATCH.replace('of = "ptfe"', 'of = "ptfe"\nname = "top"')
    upper = '[sheet.upper]\nplate = { width = "20 mm", depth = "20 mm", centre = "0, 0, top" }\n\n[wire.pin]'
    file = read(tmp_path, text.replace("[wire.pin]", upper))
    assert file.antenna.sheets[1].surface.bounds[:, 2] == pytest.approx(2.4e-3)
    assert file.antenna.medium.layers[1].name == "top"
    again = es.read_design(es.write(file.design, tmp_path / "again.toml")).design
    assert again.antenna == file.antenna
    # The face goes along with the values under it.
    assert file.design.with_(thickness="2 mm").antenna.sheets[1].surface.bounds[0, 2] == pytest.approx(3e-3)


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('of = "mine"', 'of = "min"', "layer, 1: there is no dielectric 'min'"),
        ('of = "ptfe"', 'of = "ptfe"\nprinted = true', "lines lie on one layer"),
        ('frequency = "2.4 GHz"', 'frequency = "2.4 GHz"\nmedium = "perfect plane"', "medium: it has layers as well"),
        ("permittivity = 4.1", "permittivity = 0.4", "permittivity 0.4 is below 1"),
        ('thickness = "thickness / 2"', 'thickness = "0 mm"', "layer, 2: layer: thickness 0.0 is not above zero"),
        ('of = "ptfe"', 'of = "ptfe"\nname = "thickness"', "layer, 2.name: 'thickness' is the name of a value"),
        ('of = "ptfe"', 'of = "ptfe"\nname = "pi"', "'pi' cannot be used in arithmetic"),
        ('of = "ptfe"', 'of = "ptfe"\nname = "a b"', "'a b' cannot be used in arithmetic"),
        ("loss_tangent", "los_tangent", "did you mean 'loss_tangent'"),
    ],
)
def test_what_is_wrong_with_layers_is_told(tmp_path, old, new, says):
    with pytest.raises(es.DesignFileError, match=says):
        read(tmp_path, PATCH.replace(old, new, 1))


def test_phases_turn_sources(tmp_path):
    demo = resources.files("earshot") / "demo" / "uplink_patch.toml"
    text = demo.read_text(encoding="utf-8")
    case = read(tmp_path, text).cases[0]
    turns = [math.degrees(math.atan2(s.amount.imag, s.amount.real)) for s in case.sources.values()]
    assert turns == pytest.approx([0, -90, -180, 90]) or turns == pytest.approx([0, -90, 180, 90])
    with pytest.raises(es.DesignFileError, match="port 'fifth' is not driven"):
        read(tmp_path, text.replace("phase = { second", 'phase = { fifth = "10 deg", second'))


def test_a_round_patch_fed_in_turn_is_circular(tmp_path):
    demo = resources.files("earshot") / "demo" / "uplink_patch.toml"
    file = read(tmp_path, demo.read_text(encoding="utf-8"))
    (driven,) = es.solve(file.design).run(*file.cases)["uplink"]
    beam = driven.far_field()
    top = beam.cut(azimuth="0 deg").sel(angle=90.0, method="nearest")
    assert float(top["axial_ratio"]) < 0.1
    assert float(top["gain_rhcp"]) > float(top["gain_lhcp"]) + 40
    assert driven.accepted > 0.95 * driven.incident
    active = driven.ports_table()["active_impedance_ohm"]
    assert abs(active - active.iloc[0]).max() < 1.0


def test_a_direction_over_frequency(tmp_path):
    demo = resources.files("earshot") / "demo" / "uplink_patch.toml"
    file = read(tmp_path, demo.read_text(encoding="utf-8"))
    answer = es.solve(file.design, ["396 MHz", "401 MHz"])
    drive = dict(file.cases[0].sources)
    table = answer.towards((0, 0, 1), drive)
    assert table.index.tolist() == [396e6, 401e6]
    assert (table["axial_ratio"] < 0.1).all()
    assert (table["gain_rhcp"] - table["gain"]).abs().max() < 1e-3
    driven = answer.drive(drive, "401 MHz")
    active = driven.ports_table()["active_impedance_ohm"]["second"]
    assert table.loc[401e6, "active reflection, second"] == pytest.approx((active - 50) / (active + 50))
    with pytest.raises(es.UsageError, match="below the plane"):
        answer.towards((0, 0, -1), drive)
    with pytest.raises(es.UsageError, match="not a direction"):
        answer.towards((0, 0, 0), drive)


UNDER = """
title = "slot-fed"
frequency = "5 GHz"
plane = "copper"

[values]
height = "3 mm"

[[layer]]
name = "high"
thickness = "height"
of = "foam"

[[under]]
name = "low"
thickness = "0.8 mm"
of = "glass epoxy"

[[under]]
thickness = "1 mm"
of = "ptfe"

[sheet.slot]
plate = { width = "1 mm", depth = "10 mm" }

[sheet.patch]
plate = { width = "20 mm", depth = "20 mm", centre = "0, 0, high" }

[sheet.line]
trace = { points = ["-15 mm, 0, low", "6 mm, 0, low"], impedance = "50 ohm" }

[wire.pin]
radius = "0.2 mm"
points = ["-14 mm, 0, 0", "-14 mm, 0, low"]

[port.feed]
on = "pin"
at = 0
"""


def test_layers_under_the_plane_are_read_and_written_again(tmp_path):
    design = read(tmp_path, UNDER).design
    medium = design.antenna.medium
    assert isinstance(medium, es.layers.BothSides)
    assert medium.over.faces == (0.0, 3e-3)
    assert medium.under.faces == pytest.approx((0.0, 0.8e-3, 1.8e-3))
    assert medium.over.plane.name == medium.under.plane.name == "copper"
    line = design.antenna.sheet("line").surface
    assert line.bounds[:, 2] == pytest.approx(-0.8e-3)
    # Its width is that of a line under a cover, on its own side.
    wide = es.layers.strip_width(medium.under.on(1), 50.0, 5e9)
    assert line.bounds[:, 1].max() - line.bounds[:, 1].min() == pytest.approx(wide, rel=1e-6)
    assert str(medium) == (
        "3 mm of foam (εr 1.07, tan δ 0.001) on a plane of copper; under the plane, from it down: 800 µm of glass "
        "epoxy (εr 4.4, tan δ 0.02) over 1 mm of ptfe (εr 2.08, tan δ 0.0003)"
    )
    assert not es.check(design).stops
    higher = design.with_(height="4 mm")
    assert higher.antenna.medium.over.thickness == pytest.approx(4e-3)
    again = es.read_design(es.write(higher.antenna, tmp_path / "again.toml", frequency="5 GHz")).design
    assert again.antenna.medium == higher.antenna.medium
    answer = es.solve(design, rule=es.MeshRule(sheets_per_wavelength=6))
    opened = es.read_results(es.write(answer, tmp_path / "slot.nc"))
    assert opened.network.z().values == pytest.approx(answer.network.z().values)
    seen = [np.array(s.drive().far_field().field(2.5, 0.0)) for s in (opened, answer)]
    assert seen[0] == pytest.approx(seen[1])


def test_what_has_no_metal_is_no_sheet_of_it(tmp_path):
    """Openings take no power, and are in no table of currents."""
    text = UNDER.replace('plane = "copper"', 'plane = "copper"\nmetal = "copper"')
    driven = es.solve(read(tmp_path, text).design, rule=es.MeshRule(sheets_per_wavelength=6)).drive()
    assert set(driven.sheet_currents_table()["sheet"]) == {"patch", "line"}
    parts = set(driven.budget().index)
    assert {"metal of sheet 'patch'", "metal of sheet 'line'"} < parts
    assert "metal of sheet 'slot'" not in parts


def test_a_side_without_layers_is_air(tmp_path):
    text = UNDER.replace('[[layer]]\nname = "high"\nthickness = "height"\nof = "foam"\n', "")
    text = text[: text.index("[sheet.patch]")] + text[text.index("[sheet.line]") :]
    medium = read(tmp_path, text).design.antenna.medium
    assert [x.material.name for x in medium.over.layers] == ["air"]


def test_a_lid_is_read_and_written_again(tmp_path):
    text = UNDER.replace('of = "ptfe"', 'of = "ptfe"\nlid = true')
    design = read(tmp_path, text).design
    assert design.antenna.medium.under.lid
    assert not design.antenna.medium.over.lid
    again = es.read_design(es.write(design.antenna, tmp_path / "again.toml", frequency="5 GHz")).design
    assert again.antenna.medium == design.antenna.medium
    assert "under a lid" in str(es.Stack(design.antenna.medium.under.layers, lid=True))


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('plane = "copper"', 'plane = "none"', "there are layers under one"),
        ('thickness = "0.8 mm"', 'thickness = "0 mm"', "thickness 0"),
        ('of = "glass epoxy"', 'of = "glass epoxy"\nlid = true', "put it on the last one"),
        ('name = "low"', 'name = "high"', "the name of a value or of another layer"),
        ('of = "glass epoxy"', 'of = "glas epoxy"', "glass epoxy"),
        ('name = "low"', 'nam = "low"', "under"),
    ],
)
def test_bad_layers_under_the_plane_are_named(tmp_path, old, new, says):
    with pytest.raises(es.DesignFileError, match=says):
        read(tmp_path, UNDER.replace(old, new, 1)).design.antenna  # noqa: B018
