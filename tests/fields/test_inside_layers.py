"""Fields inside layers: free space and its images, Maxwell's equations, faces, power through boxes."""

import math
from dataclasses import replace

import numpy as np
import pytest

import earshot as es
from earshot.constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, SPEED_OF_LIGHT
from earshot.fields.near import near_field, power_through_box

HERTZ = 3e9
WAVE = SPEED_OF_LIGHT / HERTZ
MIRROR = np.array([1.0, 1.0, -1.0])


def matter(rng, loss=True):
    return es.Dielectric("made up", rng.uniform(1.5, 6.0), 0.01 * loss, float(rng.choice([1.0, 1.6])))


def layers(rng, count, loss=True):
    return [es.Layer(rng.uniform(0.8e-3, 2.2e-3), matter(rng, loss)) for _ in range(count)]


def two_plates(stack, levels, pins):
    """A plate on either of two faces, one over the other in part, and pins: (x, from face, to face)."""
    low, high = (stack.faces[n] for n in levels)
    sheets = [
        es.Sheet("low", es.shapes.plate("19 mm", "15 mm", centre=(7e-3, 0, low))),
        es.Sheet("high", es.shapes.plate("17 mm", "13 mm", centre=(-5e-3, 2e-3, high))),
    ]
    wires = [
        es.Wire(f"pin{n}", [(x, 2e-3, stack.faces[a]), (x, 2e-3, stack.faces[b])], radius=0.3e-3)
        for n, (x, a, b) in enumerate(pins)
    ]
    where = 0 if stack.has_plane else 0.5
    return es.solve(es.Antenna("plates", wires, [es.Port("feed", "pin0", at=where)], stack, sheets=sheets), HERTZ)


def made(kind, rng, loss=True):
    own = layers(rng, 3, loss)
    if kind == "open":
        return two_plates(es.Stack(own, open_below=True), (0, 2), [(0.5e-3, 0, 2)])
    if kind == "lid":
        return two_plates(es.Stack(own, lid=True), (1, 2), [(-11e-3, 0, 2), (14e-3, 1, 3), (24e-3, 0, 3)])
    if kind in ("mast", "high"):
        return over_layers(es.Stack(own, open_below=kind == "high"), kind == "mast")
    return two_plates(es.Stack(own, 1), (1, 2), [(-11e-3, 0, 2), (14e-3, 0, 1)])


def over_layers(stack, stands):
    """A mast through the layers and beyond beside a plate in them, or a wire aslant in the air over a plate on them."""
    top, level = stack.thickness, stack.faces[1 if stands else -1]
    mast = [(-6e-3, 2e-3, 0), (-6e-3, 2e-3, top + 3.5e-3)]
    wire = es.Wire(
        "wire", mast if stands else [(-18e-3, 1e-3, top + 1.5e-3), (17e-3, -2e-3, top + 3e-3)], radius=0.3e-3
    )
    plate = es.Sheet("plate", es.shapes.plate("19 mm", "15 mm", centre=(7e-3, 0, level)))
    return es.solve(
        es.Antenna("over", [wire], [es.Port("feed", "wire", at=0 if stands else 0.5)], stack, sheets=[plate]), HERTZ
    )


def off_maxwell(driven, place, material, step=4e-5):
    """How far differences of E and H at a place are from both equations."""
    beside = [place + sign * step * axis for axis in np.eye(3) for sign in (1, -1)]
    got = driven.near_field(np.array([place, *beside]))
    omega = 2.0 * math.pi * HERTZ

    def curl(f):
        dx, dy, dz = ((f[1 + 2 * i] - f[2 + 2 * i]) / (2 * step) for i in range(3))
        return np.array([dy[2] - dz[1], dz[0] - dx[2], dx[1] - dy[0]])

    h = curl(got.e) / (-1j * omega * MAGNETIC_CONSTANT * material.permeability)
    e = curl(got.h) / (1j * omega * ELECTRIC_CONSTANT * material.complex_permittivity)
    return max(
        np.linalg.norm(one - two) / np.linalg.norm(two) for one, two in ((h, got.h[0]), (e, got.e[0]))
    )  # fmt: skip


@pytest.mark.parametrize("seed", range(3))
def test_in_layers_of_air_it_is_that_of_currents_and_images(seed):
    rng = np.random.default_rng(seed)
    thick = rng.uniform(1e-3, 3e-3, 2)
    stack = es.Stack([es.Layer(t, "air") for t in thick], int(rng.integers(1, 3)))
    z, x = stack.level, rng.uniform(2e-3, 8e-3)
    pin = es.Wire("pin", [(x, 3e-3, 0), (x, 3e-3, z)], radius=0.4e-3)
    sheet = es.Sheet("patch", es.shapes.plate("29 mm", "38 mm", centre=(0, 0, z)))
    driven = es.solve(es.Antenna("patch", [pin], [es.Port("feed", "pin", at=0)], stack, sheets=[sheet]), 2.35e9).drive()
    points = np.column_stack([rng.uniform(-20e-3, 20e-3, (9, 2)), rng.uniform(0, stack.thickness, 9)])
    points = np.concatenate([points, [[25e-3, 0, z], [x + 0.7e-3, 3e-3, 0.4 * z], [1e-3, 2e-3, 0.0]]])
    # The pin and its image are wires over a plane; the metal in free space is seen from over and under it.
    flow = driven.flow
    wire = near_field(replace(flow, medium=es.perfect_plane(), sheets=None), points)
    alone = replace(flow, medium=es.free_space(), ends=0.0 * flow.ends)
    over, under = near_field(alone, points), near_field(alone, points * MIRROR)
    e, h = wire.e + over.e - under.e * MIRROR, wire.h + over.h + under.h * MIRROR
    got = driven.near_field(points)
    for found, wanted in ((got.e, e), (got.h, h)):
        assert np.all(np.linalg.norm(found - wanted, axis=1) < 2e-3 * np.linalg.norm(wanted, axis=1))


@pytest.mark.parametrize("kind", ["covered", "lid", "open", "mast", "high"])
def test_maxwell_holds_in_every_layer(kind):
    rng = np.random.default_rng(len(kind))
    driven = (answer := made(kind, rng)).drive()
    stack = answer.antenna.medium
    for number, layer in enumerate(stack.layers):
        for _ in range(3):
            # Beside the metal: between it fields are those of its triangles, one by one.
            z = stack.faces[number] + layer.thickness * rng.uniform(0.1, 0.9)
            place = np.array([rng.uniform(-18e-3, 18e-3), rng.choice([-1, 1]) * rng.uniform(12e-3, 20e-3), z])
            assert off_maxwell(driven, place, layer.material) < 4e-3


@pytest.mark.parametrize("kind", ["covered", "lid", "open", "high"])
def test_faces_and_planes_are_passed_as_they_should_be(kind):
    rng = np.random.default_rng(10 + len(kind))
    driven = (answer := made(kind, rng)).drive()
    stack = answer.antenna.medium
    beside = np.column_stack([rng.uniform(-18e-3, 18e-3, 3), rng.choice([-1, 1], 3) * rng.uniform(12e-3, 20e-3, 3)])
    air = es.Dielectric("air", 1.0)
    every = [air, *(x.material for x in stack.layers), air]
    for number, face in enumerate(stack.faces):
        if face in stack.planes:
            at = driven.near_field(np.column_stack([beside, np.full(3, face)]))
            assert np.abs(at.e[:, :2]).max() < 1e-6 * np.abs(at.e).max()
            assert np.abs(at.h[:, 2]).max() < 1e-6 * np.abs(at.h).max()
            continue
        low, high = (driven.near_field(np.column_stack([beside, np.full(3, face + d)])) for d in (-1e-7, 1e-7))
        (e1, m1), (e2, m2) = ((x.complex_permittivity, x.permeability) for x in every[number : number + 2])
        down, up = np.array([1.0, 1.0, e1]), np.array([1.0, 1.0, e2])
        assert np.linalg.norm(low.e * down - high.e * up) < 2e-3 * np.linalg.norm(high.e * up)
        down, up = np.array([1.0, 1.0, m1]), np.array([1.0, 1.0, m2])
        assert np.linalg.norm(low.h * down - high.h * up) < 2e-3 * np.linalg.norm(high.h * up)


@pytest.mark.parametrize("kind", ["covered", "lid", "open"])
def test_what_passes_a_box_is_what_goes_away(kind):
    rng = np.random.default_rng(20 + len(kind))
    driven = (answer := made(kind, rng, loss=False)).drive()
    stack, half = answer.antenna.medium, 27e-3
    low = 0.0 if stack.has_plane else -4e-3
    high = stack.thickness if stack.lid else stack.thickness + 4e-3
    gone = power_through_box(driven.flow, (-half, -half, low), (half, half, high), order=16)
    waves = [power for _, power in driven.flow.guided()]
    assert gone == pytest.approx(math.fsum([driven.radiated, *waves]), rel=2e-3)
    assert gone == pytest.approx(driven.accepted, rel=4e-3)
    assert abs(driven.balance) < 2e-3
    assert driven.budget()["power_W"]["accepted"] == pytest.approx(driven.accepted)


def test_both_sides_of_a_plane_with_an_opening():
    rng = np.random.default_rng(5)
    over, under = (es.Stack(layers(rng, 1)) for _ in range(2))
    z = -under.thickness
    sheets = [
        es.Sheet("slot", es.shapes.plate("2 mm", "16 mm", centre=(0, 0, 0))),
        es.Sheet("patch", es.shapes.plate("17 mm", "22 mm", centre=(0, 0, over.thickness))),
        es.Sheet("line", es.shapes.plate("20 mm", "1.5 mm", centre=(-4e-3, 0, z))),
    ]
    pin = es.Wire("pin", [(-13e-3, 0, 0), (-13e-3, 0, z)], radius=0.2e-3)
    medium = es.layers.BothSides(over, under)
    driven = es.solve(es.Antenna("x", [pin], [es.Port("feed", "pin", at=0)], medium, sheets=sheets), HERTZ).drive()
    for layer, sense, near in ((over.layers[0], 1, 0.5), (under.layers[0], -1, 0.5), (over.layers[0], 1, 0.05)):
        place = np.array([4e-3, -13e-3, sense * near * layer.thickness])
        assert off_maxwell(driven, place, layer.material, 2e-5) < 4e-3
    # Across the opening E goes on; on the plane it stands upright.
    one, two = (driven.near_field([(0.3e-3, 2e-3, z), (0.1e-3, -3e-3, z), (9e-3, 4e-3, z)]) for z in (1e-6, -1e-6))
    assert np.abs(one.e[:2, :2] - two.e[:2, :2]).max() < 5e-3 * np.abs(one.e[:2, :2]).max()
    for side in (one, two):
        assert np.linalg.norm(side.e[2, :2]) < 1e-3 * np.linalg.norm(side.e[2])
    parts = driven.budget()["power_W"]
    away = parts["radiated"] + sum(parts[name] for name in parts.index if "wave" in name)
    gone = driven.power_through_box((-20e-3, -18e-3, z - 4e-3), (20e-3, 18e-3, over.thickness + 4e-3))
    assert gone == pytest.approx(away, rel=5e-3)
    with pytest.raises(es.UsageError, match="lies in an opening"):
        driven.near_field([(0.3e-3, 2e-3, 0.0)])
    on_metal = [(0.3e-3, 2e-3, 0.0), (2.1e-3, 3.3e-3, over.thickness), (-2.1e-3, 0.3e-3, z), (-13e-3, 0.1e-3, 0.5 * z)]
    assert not driven.near_field(on_metal, in_metal="zero").e.any()


def test_beyond_planes_there_is_none_and_metal_is_told():
    driven = made("lid", np.random.default_rng(3)).drive()
    top = driven.antenna.medium.thickness
    beyond = driven.near_field([(0, 0, -1e-3), (0, 0, top + 1e-3)])
    assert not beyond.e.any()
    assert not beyond.h.any()
    inside = driven.antenna.medium.faces[1]
    with pytest.raises(es.UsageError, match="lies inside a wire"):
        driven.near_field([(-11e-3, 2.1e-3, 0.5 * inside)])
    with pytest.raises(es.UsageError, match="lies on a sheet"):
        driven.near_field([(9e-3, 1e-3, inside)])
    with pytest.raises(es.UsageError, match="no far field"):
        driven.far_field()
    assert not driven.near_field([(9e-3, 1e-3, inside)], in_metal="zero").e.any()


def test_a_plane_that_takes_power_closes_no_box_from_below():
    stack = es.Stack(es.Layer("1.5 mm", es.Dielectric("made up", 2.5)), plane="copper")
    pin = es.Wire("pin", [(5e-3, 0, 0), (5e-3, 0, 1.5e-3)], radius=0.3e-3)
    sheet = es.Sheet("patch", es.shapes.plate("30 mm", "20 mm", centre=(0, 0, 1.5e-3)))
    driven = es.solve(es.Antenna("x", [pin], [es.Port("feed", "pin", at=0)], stack, sheets=[sheet]), HERTZ).drive()
    whole = driven.power_through_box((-25e-3, -20e-3, 0), (25e-3, 20e-3, 6e-3))
    assert whole == pytest.approx(driven.accepted, rel=5e-3)
    with pytest.raises(es.UsageError, match="begin at z = 0"):
        driven.power_through_box((-25e-3, -20e-3, -1e-3), (25e-3, 20e-3, 6e-3))


@pytest.mark.parametrize("open_below", [False, True])
def test_what_passes_a_box_round_what_stands_on_layers(open_below):
    stack = es.Stack(layers(np.random.default_rng(3), 1, loss=False), open_below=open_below)
    top = stack.thickness
    ends = [(-15e-3, 0, top + 2e-3), (15e-3, 0, top + 3e-3)] if open_below else [(0, 0, 0), (0, 0, top + 18e-3)]
    wire = es.Wire("wire", ends, radius=0.3e-3)
    port = es.Port("feed", "wire", at=0.5 if open_below else 0)
    driven = es.solve(es.Antenna("over", [wire], [port], stack), HERTZ).drive()
    low = -2e-3 if open_below else 0.0
    gone = power_through_box(driven.flow, (-20e-3, -8e-3, low), (20e-3, 8e-3, top + 22e-3), order=12)
    assert gone == pytest.approx(driven.accepted, rel=1e-3)


@pytest.mark.parametrize("seed", range(4))
def test_what_stands_over_layers_of_air_is_seen_in_them_as_without(seed):
    """A wire aslant and a plate over layers of air: with a plane, or in free space, within and below."""
    rng = np.random.default_rng(seed)
    stack = es.Stack([es.Layer(t, "air") for t in rng.uniform(1e-3, 4e-3, 2)], open_below=seed % 2 == 1)
    top = stack.thickness
    ends = [(-12e-3, 1e-3), (12e-3, -2e-3)]
    rod = es.Wire("rod", [(*at, top + rng.uniform(1.3e-3, 8e-3)) for at in ends], radius=0.3e-3)
    plate = es.Sheet("plate", es.shapes.plate("14 mm", "9 mm", centre=(1e-3, 16e-3, top + 2e-3)))
    port = es.Port("feed", "rod", at=0.5)
    around = es.free_space() if stack.open_below else es.perfect_plane()
    one, two = (
        es.solve(es.Antenna("x", [rod], [port], medium, sheets=[plate]), 2 * HERTZ).drive(es.amperes(1))
        for medium in (stack, around)
    )
    lowest = -2.0 * top if stack.open_below else 0.0
    points = np.column_stack([rng.uniform(-25e-3, 25e-3, (8, 2)), rng.uniform(lowest, 0.9 * top, 8)])
    points[0, 2] = 0.0
    got, wanted = one.near_field(points), two.near_field(points)
    for a, b in ((got.e, wanted.e), (got.h, wanted.h)):
        assert (np.linalg.norm(a - b, axis=1) < 3e-3 * np.linalg.norm(b, axis=1)).all()


@pytest.mark.parametrize("kind", ["covered", "open"])
def test_points_far_off_are_what_they_are_beside_near_ones(kind):
    driven = (answer := made(kind, np.random.default_rng(31))).drive()
    z = answer.antenna.medium.thickness
    far = np.array([[0.4, 0.1, 0.3 * z], [0.41, 0.1, 0.3 * z], [0.4, 0.12, z + 5e-3]])
    alone, among = driven.near_field(far), driven.near_field([*far, (2e-3, 14e-3, 0.3 * z)])
    assert np.abs(alone.e - among.e[:3]).max() < 1e-6 * np.abs(alone.e).max()
    assert np.abs(alone.h - among.h[:3]).max() < 1e-6 * np.abs(alone.h).max()


def test_of_a_face_the_side_is_kept():
    """Just under a face the field is that under it, however near it is."""
    driven = (answer := made("covered", np.random.default_rng(32))).drive()
    face, beside = answer.antenna.medium.faces[1], (4e-3, 15e-3)
    low, high = (layer.material.complex_permittivity for layer in answer.antenna.medium.layers[:2])
    under, over = (driven.near_field([(*beside, face + off)]).e[0, 2] for off in (-1e-8, 1e-8))
    assert under * low == pytest.approx(over * high, rel=2e-3)
    assert abs(under - over) > 0.01 * abs(over)
