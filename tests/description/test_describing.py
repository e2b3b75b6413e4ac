"""Parts, antennas, designs and the check."""

import math
import re

import numpy as np
import pytest

import earshot as es


def rod(name, *points, radius=1e-3):
    return es.Wire(name, points, radius=radius)


def antenna(*wires, on=None, **port):
    return es.Antenna("test", wires, [es.Port("feed", on=on or wires[0].name, **port)])


UP = rod("mast", (0, 0, 0), (0, 0, 1))


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: rod("w", (0, 0, 0)), "needs at least two"),
        (lambda: rod("w", (0, 0), (1, 1)), "three coordinates"),
        (lambda: rod("w", (0, 0, 0), (0, 0, 1), radius=-1), "radius -1 is not above zero"),
        (lambda: rod("w", (0, 0, 0), (0, 0, 1), radius="3 MHz"), "is a frequency"),
        (lambda: rod("w", (0, 0, 0), (0, 0, math.nan)), "finite"),
        (lambda: rod("w", (0, 0, 0), (0, 0, "1 furlongs_")), "not a unit"),
        (lambda: rod("", (0, 0, 0), (0, 0, 1)), "needs a name"),
        (lambda: es.Port("p", on="w", at=1.2), "outside 0 to 1"),
        (lambda: es.Port("p", on="w", reference=0), "not above zero"),
        (lambda: es.Port("p", on="w", gap=-1), "below zero"),
        (lambda: es.Antenna("a", []), "no wires"),
        (lambda: es.Antenna("a", [UP, UP]), "two parts named 'mast'"),
        (lambda: antenna(UP).without("boom"), "no part 'boom'"),
        (lambda: antenna(UP).wire("mats"), "did you mean 'mast'"),
        (lambda: antenna(UP).rotated("3 deg", axis="w"), "not one of x, y, z"),
        (lambda: antenna(UP).scaled(0), "not above zero"),
    ],
)
def test_parts_refuse_what_makes_no_sense(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def test_changes_give_new_antennas():
    before = antenna(UP)
    moved = before.moved(("1 ft", 0, "10 cm")).raised(0.4)
    np.testing.assert_allclose(moved.wires[0].points[1], (0.3048, 0, 1.5))
    turned = before.rotated("90 deg", axis="x")
    np.testing.assert_allclose(turned.wires[0].points[1], (0, -1, 0), atol=1e-15)
    assert before.scaled(2).wires[0].radius == 2e-3
    grown = before.with_(rod("mast", (0, 0, 0), (0, 0, 2)), rod("arm", (0, 0, 2), (1, 0, 2)))
    assert [w.length for w in grown.wires] == [2, 1]
    assert grown.without("mast").ports == ()
    assert before.over(es.perfect_plane()).medium.has_plane
    assert before.wires[0].points == ((0, 0, 0), (0, 0, 1))
    with pytest.raises(AttributeError):
        before.name = "other"


@pytest.mark.parametrize(
    ("model", "level", "says"),
    [
        (antenna(UP), None, ""),
        (antenna(UP, rod("boom", (-1, 0, 0.5), (1, 0, 0.5))), "stop", r"'mast' crosses 'boom' at \(0, 0, 0.5\) m"),
        (antenna(UP, rod("arm", (0, 0, 0.5), (1, 0, 0.5))), "stop", r"'arm' ends on 'mast' .* a point there"),
        (antenna(UP, rod("near", (0.0015, 0, 0.2), (0.0015, 0, 1.2))), "stop", "touches 'near'"),
        (antenna(UP, rod("near", (0.0025, 0, 0.2), (0.0025, 0, 1.2))), "warn", "apart"),
        (antenna(rod("w", (0, 0, 0), (0, 0, 0), (0, 0, 1))), "stop", "no length"),
        (antenna(rod("w", (0, 0, 0), (0, 0, 1), (0, 0, 0.5))), "stop", "lie on one another from"),
        (antenna(rod("w", (0, 0, 0), (0, 0, 1), (0.1, 0, 0))), "warn", "meet at 6 deg"),
        (antenna(UP, rod("v", (0, 0, 1), (0, 0, 2), radius=0.02)), "warn", "step in radius by 20.0:1"),
        (antenna(rod("w", (0, 0, 0), (0, 0, 1), (0.002, 0, 1), (0.002, 0, 2))), "warn", "shorter than four radii"),
        (antenna(rod("w", (0, 0, 0), (0, 0, 0.1), radius=1)), "stop", "check the unit"),
        (antenna(UP, on="boom"), "stop", "no wire 'boom'"),
        (antenna(UP, at="1.2 m"), "stop", "only 1 m long: choose a place"),
        (antenna(UP, gap="2 m"), "stop", "does not fit"),
        (antenna(UP, at=0), "warn", "open end"),
        (es.Antenna("bare", [UP]), "stop", "has no port"),
        (antenna(UP).raised(-0.2).over(es.perfect_plane()), "stop", "goes through the plane: it is 0.2 m below"),
        (antenna(rod("w", (0, 0, 0), (1, 0, 0))).over(es.perfect_plane()), "stop", "touches the plane along its way"),
    ],
)  # fmt: skip
def test_check(model, level, says):
    found = es.check(model)
    if level is None:
        assert list(found) == []
        assert repr(found) == "no findings"
        return
    assert found[0].level == level
    assert any(re.search(says, str(f)) for f in found if f.level == level)
    if level == "stop":
        with pytest.raises(es.ModelError) as problem:
            es.solve(model, "100 MHz")
        assert problem.value.findings
    assert list(found.to_frame()["level"]) == sorted((f.level for f in found), key=("stop", "warn", "note").index)


def test_check_at_a_frequency_sees_thick_wires():
    thick = antenna(rod("w", (0, 0, 0), (0, 0, 1), radius=0.03))
    assert "thick" in str(es.check(thick, "600 MHz")[0])
    assert not es.check(thick, "100 MHz")
    assert "tiny" in str(es.check(thick, "0.1 MHz")[0])


def test_a_coarse_mesh_is_warned_of_before_and_when_it_is_solved(caplog):
    model, coarse = antenna(rod("w", (0, 0, 0), (0, 0, 1))), es.MeshRule(per_wavelength=10)
    assert "too coarse: 10 segments per wavelength" in str(es.check(model, "150 MHz", coarse)[0])
    assert not es.check(model, "150 MHz")
    es.solve(model, "150 MHz", rule=coarse)
    assert "too coarse" in caplog.text


def test_mesh_meets_ports_joints_and_ends():
    model = es.Antenna(
        "tee",
        [rod("mast", (0, 0, 0), (0, 0, 0.3), (0, 0, 0.5)), rod("arm", (0, 0, 0.3), (0.2, 0, 0.3), radius=2e-3)],
        [es.Port("feed", on="mast", at="0.2 m", gap="1 cm")],
    )
    grid = es.solve(model, "300 MHz").mesh
    heights = grid.nodes[np.abs(grid.nodes[:, 0]) < 1e-12, 2]
    for place in (0.195, 0.205, 0.3):
        assert np.abs(heights - place).min() < 1e-12
    assert grid.lengths.max() < 1 / 80
    ends = grid.lengths[[0]]
    assert ends < 0.3e-3
    ratios = grid.lengths[1:] / grid.lengths[:-1]
    assert ratios[:20].max() < 2


def build(v):
    return antenna(es.Wire("rod", [(0, 0, 0), (0, 0, v.height)], radius=v["thick"]))


DESIGN = es.Design(
    build,
    frequency="299.792458 MHz",
    height=es.Value("0.5 lambda", "0.3 m", "0.7 m", "of the rod"),
    thick="2 mm",
)


def test_designs_are_values_and_a_way_to_build():
    assert DESIGN.antenna.wires[0].length == 0.5
    shorter = DESIGN.with_(height="40 cm")
    assert (shorter.values.height, DESIGN.values.height) == (0.4, 0.5)
    scaled = shorter.scaled_to("599.584916 MHz")
    assert scaled.values.height == pytest.approx(0.2)
    assert scaled.values.thick == 2e-3
    assert shorter.scaled_to("599.584916 MHz", radii=True).values.thick == pytest.approx(1e-3)
    assert DESIGN.scaled_to("599.584916 MHz").values.height == pytest.approx(0.25)
    assert list(DESIGN.table()["note"]) == ["of the rod", ""]
    assert es.solve(DESIGN).network.vswr().values[0, 0] > 1


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: DESIGN.with_(hight="1 m"), "did you mean 'height'"),
        (lambda: DESIGN.with_(height="1 m"), "outside its range"),
        (lambda: DESIGN.with_(height="1 MHz"), "is a frequency"),
        (lambda: DESIGN.with_(height="0.5 parsecs_"), "not a unit"),
        (lambda: es.Design(build, height="0.5 lambda", thick="1 mm"), "no frequency says how long"),
        (lambda: es.Design(lambda v: v.hieght, height="1 m").antenna, "did you mean 'height'"),
        (lambda: es.Design(build, height=1.0, thick=1e-3).scaled_to("1 GHz"), "no frequency to scale from"),
    ],
)
def test_designs_name_mistakes(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()
