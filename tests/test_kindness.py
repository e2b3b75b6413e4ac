"""The wrong thing in the right place: a word about it and what to give instead, never a bare traceback."""

from contextlib import suppress

import numpy as np
import pytest

import earshot as es

PLOTS = es.plots


@pytest.fixture(scope="module")
def things():
    design = es.antennas.dipole("14.2 MHz")
    answer = es.solve(design, ["14.1 MHz", "14.2 MHz"])
    driven = answer.drive(frequency="14.2 MHz")
    return {"design": design, "answer": answer, "driven": driven, "beam": driven.far_field()}


@pytest.mark.parametrize(
    ("draw", "same_as"),
    [
        (lambda t: PLOTS.vswr(t["answer"]), lambda t: PLOTS.vswr(t["answer"].network)),
        (
            lambda t: PLOTS.smith(t["answer"], at="14.2 MHz"),
            lambda t: PLOTS.smith(t["answer"].network, at=["14.2 MHz"]),
        ),
        (lambda t: PLOTS.polar(t["driven"]), lambda t: PLOTS.polar(t["beam"])),
        (lambda t: PLOTS.sphere(t["driven"]), lambda t: PLOTS.sphere(t["beam"])),
        (lambda t: PLOTS.geometry(t["answer"]), lambda t: PLOTS.geometry(t["design"].antenna)),
        (lambda t: PLOTS.pattern(t["driven"], reach="2 lambda"), lambda t: PLOTS.pattern(t["beam"], reach="42.22 m")),
    ],
)
def test_what_holds_the_right_thing_will_do(things, draw, same_as):
    def texts(figure):
        return [t.get_text() for t in figure.texts]

    assert texts(draw(things))[0] == texts(same_as(things))[0]


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda t, p: PLOTS.vswr(t["driven"]), "a Driven has no curve over frequency: give solution.network"),
        (lambda t, p: PLOTS.vswr(), "give at least one network"),
        (lambda t, p: PLOTS.impedance([t["answer"].network]), "a list has no curve"),
        (lambda t, p: PLOTS.polar(t["answer"]), r"a Solution is no far field: use solution\.drive"),
        (lambda t, p: PLOTS.pattern("beam"), "a str is no far field"),
        (lambda t, p: PLOTS.currents(t["beam"]), "a FarField has no currents"),
        (lambda t, p: PLOTS.geometry("tag.toml"), "a str has no geometry: give an Antenna or a Design"),
        (lambda t, p: es.write(t["beam"], p / "x.csv"), "a FarField is no table; write one of its tables"),
        (lambda t, p: es.write(t["design"].antenna, p / "x.toml"), "says where .lambda. is measured"),
        (lambda t, p: es.compare([t["answer"]]), "give at least one model by name"),
        (lambda t, p: es.compare({"a": 3}), "compare 'a': 3 is an int; give a Solution"),
        (lambda t, p: t["design"].antenna.cut_list(0), "step 0 m is not above zero"),
        (lambda t, p: t["design"].with_(length=90.0), "outside its range"),
        (lambda t, p: es.shapes.helix_points("1 m", "1 m", "3 m"), "turns: '3 m' is a length; a number is needed"),
        (lambda t, p: es.circuits.Trace([1.0, 2.0], [0.1], 50, "meter"), "as many magnitudes as frequencies"),
    ],
)
def test_the_wrong_thing_is_named_with_the_right_one(things, tmp_path, call, says):
    with pytest.raises(es.UsageError, match=says):
        call(things, tmp_path)


def test_bare_numbers_are_si(things):
    assert things["design"].with_(length=9.0).values["length"] == 9.0
    assert es.antennas.yagi("1 GHz", rod=0.005).values["rod"] == 0.005
    for step in (0.002, "2 mm", "0.002 m"):
        rounded = things["design"].rounded(step)
        assert rounded.values["length"] == pytest.approx(round(things["design"].values["length"] / 0.002) * 0.002)


def test_rulers_are_understood(things):
    rounded = things["design"].rounded("1/16 in")
    inches = rounded.values["length"] / 0.0254
    assert inches * 16 == pytest.approx(round(inches * 16))
    assert dict(rounded.given)["length"].is_.endswith(" in")
    wire = es.Wire("rod", [(0, 0, 0), (0, 0, "2 3/8 in")], radius="3/32 in")
    assert (wire.length, wire.radius) == pytest.approx((2.375 * 0.0254, 3 / 32 * 0.0254))


def test_antennas_add_up(things):
    one = things["design"].antenna
    both = sum([one, one.prefixed("b ").raised("10 m")])
    assert len(both.wires) == 2
    with pytest.raises(TypeError):
        one + 3


def test_evidence_and_findings_are_tables(things, tmp_path):
    es.write(es.evidence(things["answer"], frequency="14.2 MHz"), tmp_path / "evidence.csv")
    assert "power balance" in (tmp_path / "evidence.csv").read_text()
    es.write(es.check(things["design"]), tmp_path / "findings.json")
    assert (tmp_path / "findings.json").read_text() == "[]\n"
    trace = es.circuits.Trace([1e6, 2e6], [0.1, 0.5], 50, "meter")
    np.testing.assert_allclose(trace.vswr().values[:, 0], [1.1 / 0.9, 3.0])


ROD = es.Wire("w", [(0, 0, -0.5), (0, 0, 0.5)], radius="1 mm")
FEED = es.Port("p", "w")


@pytest.mark.parametrize(
    ("act", "says"),
    [
        (lambda _: es.Antenna("a", ROD, [FEED]), "wires: Wire.* is a Wire; give a list of wires"),
        (lambda _: es.Antenna("a", [ROD], FEED), "give a list of ports"),
        (lambda _: es.Antenna("a", [FEED], [FEED]), "is a Port; give a list of wires"),
        (lambda _: es.Antenna("a", [ROD], [FEED], medium="meadow"), r"medium: 'meadow' is a str; give .*earth\("),
        (
            lambda _: es.Antenna("a", [ROD], [FEED], sheets=es.Sheet("s", es.shapes.plate(1, 1))),
            "give a list of sheets",
        ),
        (lambda _: es.Wire("w", [(0, 0, 0), (0, 0, 1)], radius=1e-3, jacket="1 mm"), "give a Jacket"),
        (lambda _: es.Wire("w", [(0, 0, 0), (0, 0, 1)], radius=1e-3, metal=3), "give a metal by name"),
        (lambda _: es.solve("x.toml"), "solve: .x.toml. is a str; give a Design or an Antenna"),
        (lambda _: es.watts("100 V"), "is a voltage; a power is needed"),
        (lambda _: es.watts([1]), "give a number, or text such as '1 W'"),
        (lambda _: es.Load("l", "w", impedance="50 m"), "is a length; a resistance is needed"),
        (lambda t: es.files.write_vtk(t["beam"], "x.vtu"), "give driven.flow"),
        (lambda t: PLOTS.coupling(t["answer"]), r"give SolvedArray\(...\).coupling"),
        (lambda _: es.evidence("x"), "give a Solution"),
        (lambda t: es.receive(t["answer"], "x"), "give a wave"),
        (lambda _: es.run(3), "design file: 3 is an int; give what read_design gives, its path, or a Design"),
        (lambda t: es.studies.vary(t["answer"], ["half = 4 m to 6 m"]), "is a Solution; give what read_design gives"),
        (lambda t: es.studies.tune(t["design"], ["half"], [3]), "goal: 3 is an int; give words such as 'X = 0"),
        (lambda t: es.studies.optimise(t["design"], ["length"], [3]), "wish: 3 is an int; give words"),
        (lambda t: es.studies.tolerate(t["design"], [("half", 1)]), "spread: .* is a tuple; give words such as"),
    ],
)
def test_a_wrong_thing_is_told_with_the_right_one(things, act, says):
    with pytest.raises(es.UsageError, match=says):
        act(things)


def test_sources_and_impedances_are_read_from_text():
    assert es.watts("100 W") == es.watts(100)
    assert es.volts("10 mV", "30 deg").amount == pytest.approx(es.volts(0.01, "30 deg").amount)
    assert es.circuits.impedance("4.7 kohm").at(1e6) == 4700


NOTHING_OF_USE = [
    None,
    object(),
    [],
    {},
    b"x",
    float("nan"),
    float("inf"),
    10**400,
    1j,
    "x",
    (1, 2, 3, 4),
    np.array([1, 2]),
]
SOUND = [
    (es.Wire, {"name": "w", "points": [(0, 0, 0), (0, 0, 0.5)], "radius": 1e-3, "metal": "copper", "wall": 1e-4}),
    (es.Port, {"name": "p", "on": "w", "at": 0.5, "gap": "2 mm", "reference": 50}),
    (es.Port, {"name": "p", "on": "s", "at": (0, 0, 0), "gap": "2 mm", "across": "x"}),
    (es.Load, {"name": "l", "on": "w", "at": 0.5, "impedance": 50}),
    (es.Line, {"name": "l", "one": "p", "two": "q", "kind": 50.0, "length": "1 m", "crossed": True}),
    (es.Stub, {"name": "l", "one": "p", "kind": 50.0, "length": "1 m", "end": 0}),
    (es.Layer, {"thickness": "1 mm", "material": "ptfe glass", "name": "top"}),
    (es.Stack, {"layers": [es.Layer("1 mm", "foam")], "metal_on": 1, "plane": "copper", "lid": False}),
    (es.Dielectric, {"name": "d", "permittivity": 2.0, "loss_tangent": 0.01, "permeability": 1.0, "source": ""}),
    (es.Jacket, {"thickness": "1 mm", "permittivity": 2.2, "loss_tangent": 0.01}),
    (es.Sheet, {"name": "s", "surface": es.shapes.plate(0.1, 0.1), "metal": "copper", "sides": 1, "density": 1.0}),
    (es.MeshRule, {"per_wavelength": 80.0, "growth": 0.5, "edge": 0.1, "around": 24}),
    (es.earth, {"name": "meadow"}),
    (es.substrate, {"thickness": "1 mm", "material": 2.2, "loss_tangent": 0.01}),
    (es.band, {"start": "1 GHz", "stop": "2 GHz", "points": 5, "spacing": "linear", "tolerance": 1e-3}),
    (es.plane_wave, {"theta": 10, "phi": 20, "e_theta": 1.0, "e_phi": 0.5}),
    (es.volts, {"amount": 1.0, "phase": 0.0}),
    (es.shapes.plate, {"width": 0.1, "depth": 0.1, "centre": (0, 0, 0), "axis": "z", "turn": 0}),
    (es.shapes.box, {"width": 0.1, "depth": 0.1, "height": 0.1, "without": "top"}),
    (es.shapes.polygon, {"points": [(0, 0, 0), (1, 0, 0), (0, 1, 0)], "holes": ()}),
    (es.shapes.sphere, {"diameter": 0.1, "centre": (0, 0, 0)}),
]


@pytest.mark.parametrize(("make", "sound"), SOUND)
def test_whatever_is_given_is_taken_or_named(make, sound):
    make(**sound)
    for key in sound:
        for wrong in NOTHING_OF_USE:
            with suppress(es.EarshotError):
                make(**sound | {key: wrong})


def test_numbers_of_arrays_are_taken():
    stack = es.Stack([es.Layer(np.float64(1e-3), "foam")], metal_on=np.int64(1), open_below=np.bool_(True))
    assert stack == es.Stack([es.Layer(1e-3, "foam")], metal_on=1, open_below=True)
    assert es.Sheet("s", es.shapes.plate(0.1, 0.1), sides=np.int64(2)).sides == 2
    assert es.MeshRule(density=np.float32(2.0)).density == 2.0
