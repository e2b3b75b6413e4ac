"""Antennas held another way than drawn, on another board, with other ports closed, repeated: by file keys and --set."""

import numpy as np
import pytest

import earshot as es
from earshot.constants import wavelength
from earshot.description.turns import held
from earshot.files.design_file import dimensions
from earshot.files.editing import changed, changes_of

CROOKED = """
title = "crooked"
frequency = "150 MHz"
[values]
long = "0.6 m"
[dimensions]
long = ["0, 0, 0", "long, 0, 0"]
[wire.a]
points = ["0, 0, 0", "long, 0, 0", "long, 0.3 m, 0.2 m"]
radius = "3 mm"
[wire.b]
points = ["0.1 m, 0.5 m, 0", "0.9 m, 0.5 m, 0.3 m"]
radius = "3 mm"
[port.one]
on = "a"
[port.two]
on = "b"
[case.sent]
power = { one = "1 W" }
"""
ANGLES = np.random.default_rng(8).uniform(-180.0, 180.0, (4, 3))


@pytest.fixture(scope="module")
def crooked(tmp_path_factory):
    path = tmp_path_factory.mktemp("held") / "crooked.toml"
    path.write_text(CROOKED)
    return es.read_design(path)


def with_(file, text):
    return changed(file, changes_of([text]))


@pytest.mark.parametrize("angles", ANGLES)
def test_what_is_held_another_way_sends_another_way(crooked, angles):
    roll, tilt, azimuth = angles
    turned = with_(crooked, f"roll={roll} deg, tilt={tilt} deg, azimuth={azimuth} deg")
    before, after = (es.solve(f.antenna, "150 MHz") for f in (crooked, turned))
    np.testing.assert_allclose(after.network.z().values, before.network.z().values, rtol=1e-7)
    matrix = held(*np.radians(angles))
    sources = {"one": es.watts(1.0)}
    old, new = (s.drive(sources, 150e6, terminations={"two": es.circuits.short_circuit()}).far_field() for s in
                (before, after))  # fmt: skip
    towards = np.random.default_rng(1).normal(size=(20, 3))
    towards /= np.linalg.norm(towards, axis=1)[:, None]

    def gain(field, directions):
        return field.gain(np.arccos(directions[:, 2]), np.arctan2(directions[:, 1], directions[:, 0]))

    np.testing.assert_allclose(gain(new, towards @ matrix.T), gain(old, towards), rtol=1e-6, atol=1e-9)


def test_each_turn_goes_the_way_it_says(crooked):
    def tip(text):
        return with_(crooked, text).antenna.wire("a").points[1]

    np.testing.assert_allclose(tip("tilt=90 deg"), (0, 0, 0.6), atol=1e-15)
    np.testing.assert_allclose(tip("azimuth=90 deg"), (0, 0.6, 0), atol=1e-15)
    np.testing.assert_allclose(tip("tilt=30 deg, azimuth=90 deg, height=2 m"), (0, 0.6 * 0.75**0.5, 2.3), atol=1e-12)
    rolled = with_(crooked, "roll=90 deg").antenna.wire("a").points[2]
    np.testing.assert_allclose(rolled, (0.6, -0.2, 0.3), atol=1e-15)


def test_dimensions_and_changes_follow(crooked):
    tilted = with_(crooked, "tilt=20 deg, height=1 m")
    tilted = with_(tilted, "tilt+=10 deg, height*=2")
    (shown,) = dimensions(tilted.design)
    np.testing.assert_allclose(shown.stop, (0.6 * 0.75**0.5, 0, 2.3), atol=1e-12)
    np.testing.assert_allclose(tilted.antenna.wire("a").points[1], shown.stop, atol=1e-12)
    assert with_(with_(crooked, "azimuth-=30 deg"), "azimuth*=2").design.build.table.azimuth == (
        "((0 deg) - (30 deg)) * (2)"
    )


def test_others_are_closed_at_once(crooked):
    case = with_(crooked, "others=68 ohm + 22 nH").cases[0]
    assert case.terminations["two"].at(150e6) == pytest.approx(68 + 2j * np.pi * 150e6 * 22e-9)
    assert "one" not in case.terminations


def test_scale_only_and_band(crooked):
    large = with_(crooked, "scale=2, tilt=90 deg, height=1 m")
    np.testing.assert_allclose(large.antenna.wire("a").points[1], (0, 0, 2.2), atol=1e-12)
    assert large.antenna.wire("a").radius == pytest.approx(0.006)
    np.testing.assert_allclose(dimensions(large.design)[0].stop, (0, 0, 2.2), atol=1e-12)
    before, after = (es.solve(f.antenna, f"{150 / k} MHz").network.z().values for f, k in ((crooked, 1), (large, 2)))
    np.testing.assert_allclose(after, before, rtol=1e-7)
    alone = with_(crooked, "only=a")
    assert [w.name for w in alone.antenna.wires] == ["a"]
    assert [p.name for p in alone.antenna.ports] == ["one"]
    banded = with_(crooked, "band=140 MHz to 160 MHz in 21 points")
    assert len(banded.asked.every) == 21
    assert with_(banded, "band=100 MHz to 110 MHz").asked.every.max() == 110e6
    assert len(with_(with_(banded, "long=0.5 m"), "height=1 m").asked.every) == 21


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("scale=0", "outside 1e-6"),
        ("scale=2 m", "a number is needed"),
        ("only=c", "there is no wire or sheet 'c'"),
        ("band=140 MHz", "write it like"),
        ("band=160 MHz to 140 MHz", "140"),
        ("tilt=3 m", "an angle is needed"),
        ("azimuth=1e5 deg", "beyond 720 deg"),
        ("height=2000 km", "beyond 1000 km"),
        ("medium+=sea", r"no amount that \+ would change"),
        ("board=4.4, 1.6 mm", "0 layers"),
        ("without=two, others=open", "several ports"),
    ],
)
def test_what_cannot_be_is_told(crooked, text, says):
    with pytest.raises(es.EarshotError, match=says):
        with_(crooked, text)


def test_a_ready_made_patch_is_made_for_its_board(run, tmp_path):
    path = tmp_path / "p.toml"
    assert run("new", "patch", "-f", "5.8 GHz", "--set", "board=3.2, 0.003, 0.8 mm", "--out", path)[0] == 0
    layer = es.read_design(path).antenna.medium.layers[0]
    assert (layer.thickness, layer.material.permittivity, layer.material.loss_tangent) == (0.8e-3, 3.2, 0.003)
    made = es.antennas.patch("5.8 GHz", layer.material, "0.8 mm")
    assert es.read_design(path).values["length"] == pytest.approx(made.values["length"], rel=1e-9)
    # Later it is put on another board, and its pin goes with it.
    other = with_(es.read_design(path), "board=ptfe glass, 1 mm").antenna
    assert other.medium.layers[0].material.name == "ptfe glass"
    assert other.wire("pin").points[-1][2] == other.medium.layers[0].thickness == 1e-3
    for wrong in (", ,", "4.4, 0.02, 3", "4.4, fr4", "1 mm, 2 mm", "unobtainium", "0.5"):
        status, _, err = run("new", "patch", "-f", "5.8 GHz", "--set", f"board={wrong}", "--out", tmp_path / "x.toml")
        assert status == 2
        assert "Traceback" not in err


@pytest.mark.parametrize(("words", "count", "axis"), [("3", 3, 1), ("2 along z", 2, 2), ("4 x 2", 8, 0), ("2x3", 6, 0)])
def test_new_in_an_array(run, tmp_path, words, count, axis):
    path = tmp_path / "a.toml"
    wanted = ["new", "dipole", "-f", "868 MHz", "--array", words, "--apart", "0.9 lambda", "--set", "metal=brass"]
    assert run(*wanted, "--out", path)[0] == 0
    file = es.read_design(path)
    assert len(file.antenna.ports) == count
    first, second = (np.mean(w.points, axis=0) for w in file.antenna.wires[:2])
    apart = second - first
    assert apart[axis] == pytest.approx(0.9 * wavelength(868e6))
    assert np.count_nonzero(np.abs(apart) > 1e-12) == 1
    assert {w.metal.name for w in file.antenna.wires} == {"brass"}
    assert file.cases[0].name == "in_phase"


def test_new_counts_turns_and_tells_wrong_arrays(run, tmp_path):
    assert run("new", "helix", "-f", "868 MHz", "-n", "5", "--out", tmp_path / "h.toml")[0] == 0
    assert es.read_design(tmp_path / "h.toml").values["turns"] == 5
    for wrong in ("three", "3y3", "0x2", "-2"):
        status, _, err = run("new", "dipole", "-f", "868 MHz", "--array", wrong, "--out", tmp_path / "x.toml")
        assert status == 2
        assert "Traceback" not in err
