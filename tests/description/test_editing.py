"""Editing designs and antennas: combine, mirror, split, scale, round, cut lists."""

import numpy as np
import pytest

import earshot as es
from earshot import shapes

MAST = es.Wire("mast", [(0, 0, 0), (0, 0, 1)], radius="2 mm")
WHIP = es.Antenna("whip", [MAST], [es.Port("feed", on="mast", at=0.25)])


def build(v):
    rods = [es.Wire(n, [(x, -y / 2, 0), (x, y / 2, 0)], radius=v.rod / 2)
            for n, x, y in (("back", -v.behind, v.long), ("front", 0, v.short))]  # fmt: skip
    return es.Antenna("pair", rods, [es.Port("feed", on="front")])


PAIR = es.Design(
    build, frequency="150 MHz", long=es.Value("0.5 lambda", "0.4 m", "1.2 m"), short="0.93 * long", behind="0.31 m",
    rod="1/4 * 1 in",
)  # fmt: skip


def impedance(model, frequency="150 MHz"):
    return es.solve(model, frequency).network.z().values


def test_two_antennas_make_one():
    other = WHIP.prefixed("east ").moved((0.8, 0, 0))
    both = WHIP + other
    assert [p.name for p in both.ports] == ["feed", "east feed"]
    z = impedance(both)[0]
    assert z[0, 0] == pytest.approx(z[1, 1])
    with pytest.raises(es.UsageError, match=r"both have parts named feed, mast: .*prefixed"):
        WHIP + WHIP
    with pytest.raises(es.UsageError, match=r"is in perfect plane at z = 0, 'whip' in free space"):
        other.over(es.perfect_plane()) + WHIP


def test_a_prefix_goes_with_lines_loads_and_stubs():
    gaps = {
        "loads": [es.Load("coil", on="mast", at=0.6, impedance=es.circuits.series(1, "1 uH"))],
        "terminals": [es.Terminal("tap", on="mast", at=0.8)],
        "lines": [
            es.Line("link", "feed", "tap", 50, "0.3 m"),
            es.Stub("tail", "tap", 50, "0.1 m", es.circuits.open_circuit()),
        ],
    }
    antenna = es.Antenna("whip", [MAST], WHIP.ports, **gaps)
    assert impedance(antenna.prefixed("b ")) == pytest.approx(impedance(antenna))


def test_mirror_images_have_the_same_impedance():
    bent = es.Antenna("bent", [es.Wire("w", [(0, 0, 0), (0.1, 0.2, 0.4), (0.5, 0.3, 0.6)], radius=1e-3)],
                      [es.Port("feed", "w")])  # fmt: skip
    image = bent.mirrored("x", "0.3 m")
    np.testing.assert_allclose(image.wires[0].points[2], (0.1, 0.3, 0.6))
    assert impedance(image) == pytest.approx(impedance(bent), rel=1e-9)
    with pytest.raises(es.UsageError, match="not one of x, y, z"):
        bent.mirrored("up")


def test_a_wire_cut_in_two_gives_the_same_answer():
    cut = WHIP.split("mast", "0.6 m")
    assert [w.name for w in cut.wires] == ["mast 1", "mast 2"]
    assert cut.ports[0].on == "mast 1"
    assert cut.ports[0].at == pytest.approx(0.25 / 0.6)
    # A node more in the mesh, and nothing else.
    assert impedance(cut) == pytest.approx(impedance(WHIP), rel=2e-4)
    upper = WHIP.with_(es.Port("feed", on="mast", at=0.75)).split("mast", 0.5)
    assert (upper.ports[0].on, upper.ports[0].at) == ("mast 2", pytest.approx(0.5))
    with pytest.raises(es.UsageError, match=r"port 'feed' spans the place 0\.25 m"):
        WHIP.split("mast", 0.25)
    with pytest.raises(es.UsageError, match="is an end of wire 'mast'"):
        WHIP.split("mast", "1 m")
    with pytest.raises(es.ModelError, match="only 1 m long"):
        WHIP.split("mast", "3 ft + 1 m")


def test_values_may_use_the_ones_before_them():
    assert PAIR.values["short"] == pytest.approx(0.93 * PAIR.values["long"])
    assert PAIR.with_(long="1 m").values["short"] == pytest.approx(0.93)
    with pytest.raises(es.UnitError, match="there is no value 'later'"):
        es.Design(build, first="2 * later", later="1 m")


def test_scaling_keeps_rods_unless_asked():
    twice = PAIR.scaled_to("300 MHz")
    assert twice.values["rod"] == pytest.approx(0.00635)
    assert twice.values["behind"] == pytest.approx(0.155)
    whole = PAIR.scaled_to("300 MHz", radii=True)
    assert whole.values["rod"] == pytest.approx(0.00635 / 2)
    # The same antenna at twice the frequency: the same impedance.
    assert impedance(whole, "300 MHz") == pytest.approx(impedance(PAIR), rel=1e-9)
    in_waves = PAIR.with_(rod="0.003 lambda").scaled_to("300 MHz")
    assert in_waves.antenna.wires[0].radius == pytest.approx(PAIR.with_(rod="0.003 lambda").antenna.wires[0].radius)


def test_lengths_are_rounded_to_what_can_be_cut():
    rounded = PAIR.rounded("5 mm")
    millimetres = np.array([1e3 * rounded.values[n] for n in ("long", "short", "behind")])
    np.testing.assert_allclose(millimetres % 5.0, 0.0, atol=1e-6)
    assert rounded.values["rod"] == PAIR.values["rod"]
    assert np.abs(millimetres / 1e3 - [PAIR.values[n] for n in ("long", "short", "behind")]).max() <= 0.0026
    assert PAIR.rounded("0.25 in").values["behind"] == pytest.approx(12.25 * 0.0254)
    assert dict(PAIR.with_(long="1 m", short="0.5 * long").rounded("5 mm").given)["short"].is_ == "0.5 * long"
    for step, says in (("0 mm", "not above zero"), ("3 m", "would vanish"), ("2 MHz", "is a frequency")):
        with pytest.raises(es.UsageError, match=says):
            PAIR.rounded(step)


def test_the_cut_list_counts_what_is_alike():
    tube = es.Wire("tube", [(0, 0, 2), (0, 1, 2)], radius="6 mm", metal="copper", wall="1 mm")
    antenna = WHIP.with_(tube, es.Wire("second", [(1, 0, 0), (1, 0, 1)], radius="2 mm"))
    table = antenna.cut_list("3 mm")
    assert list(table["wires"]) == ["mast, second", "tube"]
    assert list(table["pieces"]) == [2, 1]
    assert list(table["metal"]) == ["any", "copper"]
    assert table["cut_m"][0] == pytest.approx(0.999)
    assert table["off_m"][0] == pytest.approx(-0.001)


def test_values_that_nothing_uses_are_found():
    assert not [f for f in es.check(PAIR) if f.level != "note"]
    spare = es.Design(build, frequency="150 MHz", long="1 m", short="0.9 m", behind="0.3 m", rod="6 mm", boom="2 m")
    assert [str(f) for f in es.check(spare) if f.level == "warn"] == [
        "value 'boom' is used by nothing: take it out or use it"
    ]


@pytest.mark.parametrize("chords", [24, 49])
def test_circles_keep_their_area_and_helices_their_length(chords):
    points = np.array(shapes.circle_points("2 m", centre=(1, 2, 3), axis="y", start="90 deg", chords=chords))
    x, z = points[:, 0] - 1, points[:, 2] - 3
    assert abs(0.5 * np.sum(x[:-1] * z[1:] - x[1:] * z[:-1])) == pytest.approx(np.pi, rel=1e-12)
    # About y angles run from z towards x: the first corner lies along +x.
    assert x[0] == pytest.approx(np.hypot(x, z).max())
    assert (points[0] == points[-1]).all()
    coil = np.array(shapes.helix_points("0.1 m", "25 mm", 3.5, chords=chords, lead="10 mm", base=(0, 0, "10 mm")))
    length = np.linalg.norm(np.diff(coil, axis=0), axis=1).sum()
    assert length == pytest.approx(0.01 + 3.5 * np.hypot(np.pi * 0.1, 0.025), rel=1e-12)
    assert (coil[0][2], coil[-1][2]) == pytest.approx((0.0, 0.01 + 3.5 * 0.025))
    left = np.array(shapes.helix_points("0.1 m", "25 mm", 3.5, chords=chords, hand="left"))
    right = np.array(shapes.helix_points("0.1 m", "25 mm", 3.5, chords=chords))
    np.testing.assert_allclose(left, right * [1, -1, 1], atol=1e-15)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: shapes.circle_points("0 m"), "not above zero"),
        (lambda: shapes.circle_points("1 m", axis="w"), "not one of x, y, z"),
        (lambda: shapes.circle_points("1 m", chords=5), "chords = 5"),
        (lambda: shapes.helix_points("1 m", "0 m", 3), "must both be above zero"),
        (lambda: shapes.helix_points("1 m", "1 m", 0), "turns = 0"),
        (lambda: shapes.helix_points("1 m", "1 m", 2, hand="both"), "not 'right' or 'left'"),
    ],
)
def test_shapes_refuse_what_makes_no_sense(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def wire(name, *points, radius=2e-3):
    return es.Wire(name, points, radius=radius)


@pytest.mark.parametrize(
    ("wires", "port", "level", "says"),
    [
        ([wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0, 0, 1), (0, 0, 0))], {}, "stop",
         "wire 'b' runs through the same points as 'a': take one out"),
        ([wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0, 0, 0.5), (0, 0, 2))], {}, "stop",
         r"wires 'a' and 'b' lie on one another at \(0, 0, 0.5\) m"),
        ([wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0, 0, 0), (0, 0, 0.5))], {}, "stop", "lie on one another from"),
        ([wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0.01, 0, 0.5), (0.5, 0, 0.5))], {}, "note",
         r"wire 'b' ends 0.01 m short of 'a' at \(0.01, 0, 0.5\) m"),
        ([wire("a", (0, 0, 0), (0, 0, 0.5), (0, 0.3, 0.8))], {"at": 0.54}, "warn", "lies across a bend of 45 deg"),
        ([wire("a", (0, 0, 0), (0, 0, 0.5))], {"gap": "0.2 m"}, "warn", "0.2 m wide, 0.100 wavelengths"),
        ([wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0.4, 0, 0), (0.4, 0, 1))], {}, "note",
         "this wire is joined to no port: b"),
    ],
)  # fmt: skip
def test_the_check_sees_what_was_not_meant(wires, port, level, says):
    found = es.check(es.Antenna("t", wires, [es.Port("feed", on="a", **port)]), "150 MHz")
    import re

    assert [f for f in found if f.level == level and re.search(says, str(f))], found


def test_twins_run_the_same_way_whatever_their_thickness():
    corners = [(0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)]
    thin, thick = wire("a", *corners), wire("b", *corners[::-1], radius=4e-3)
    found = es.check(es.Antenna("t", [thin, thick], [es.Port("feed", "a", at=0.2)]))
    assert [str(f) for f in found] == ["wire 'b' runs through the same points as 'a': take one out"]
    # The same corners in another order are another wire, which meets the first at them.
    across = wire("b", corners[0], corners[2])
    other = wire("c", corners[2], corners[0], corners[1], radius=2e-3)
    told = str(es.check(es.Antenna("t", [thin, across, other], [es.Port("feed", "a", at=0.2)])))
    assert "runs through the same points" not in told


def test_one_fault_is_told_once():
    twins = es.Antenna("t", [wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0, 0, 0), (0, 0, 1))], [es.Port("feed", "a")])
    assert len(es.check(twins, "150 MHz")) == 1
    rods = [wire("a", (0, 0, 0), (0, 0, 1)), wire("b", (0.009, 0, 0), (0.009, 0, 1))]
    beside = es.Antenna("t", rods, [es.Port("feed", "a")])
    # A rod beside a rod does not stop short of it.
    assert not [f for f in es.check(beside, "150 MHz") if "short of" in str(f)]
