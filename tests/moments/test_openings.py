"""Openings in a plane with layers on both sides: kernels, what both sides make of each other, power, reciprocity."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.layers import opening_table, through_openings
from earshot.media.spectral import Spectrum
from earshot.media.sweep import Upright
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.openings import admittance, sides_of
from earshot.moments.ports import gap_vectors

HERTZ = 5e9
K = es.constants.wavenumber(HERTZ)
RULE = es.MeshRule(sheets_per_wavelength=10)
AIR = es.Dielectric("air", 1.0)


def both_sides(over, under, lid=False):
    return es.layers.BothSides(es.Stack(over), es.Stack(under, lid=lid))


def slot_fed(rng, lid=False, lossless=True, high=True):
    """A patch over a slot, and a line with a pin under it, of sizes at random; a lid under the line."""

    def layer(low, most, name):
        loss = 0.0 if lossless else 0.01
        return es.Layer(rng.uniform(low, most), es.Dielectric(name, rng.uniform(1.0, 4.5), loss))

    over, under = [layer(2e-3, 4e-3, "a"), layer(0.5e-3, 1e-3, "b")], [layer(0.6e-3, 1.5e-3, "c")]
    if lid:
        under.append(layer(0.6e-3, 1.5e-3, "d"))
    depth, height = under[0].thickness, over[0].thickness
    stub, run, wide = rng.uniform(4e-3, 7e-3), rng.uniform(12e-3, 20e-3), rng.uniform(1e-3, 2e-3)
    sheets = [
        es.Sheet("line", es.shapes.plate(run + stub, wide, centre=((stub - run) / 2, 0, -depth))),
        es.Sheet("slot", es.shapes.plate(rng.uniform(0.8e-3, 1.5e-3), rng.uniform(9e-3, 13e-3))),
    ]
    if high:
        size = rng.uniform(14e-3, 20e-3, 2)
        sheets.append(es.Sheet("patch", es.shapes.plate(*size, centre=(0, rng.uniform(-2e-3, 2e-3), height))))
    pin = es.Wire("pin", [(1e-3 - run, 0, 0), (1e-3 - run, 0, -depth)], radius=0.2e-3)
    return es.Antenna("slot-fed", [pin], [es.Port("in", "pin", at=0)], both_sides(over, under, lid), sheets=sheets)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_layers_of_air_have_the_kernels_of_free_space(seed):
    """On one another twice e^{-jkr}/r, and E = -curl ∫ 2M G over 4π on any face."""
    rng = np.random.default_rng(seed)
    stack = es.Stack([es.Layer(d, AIR) for d in rng.uniform(0.5e-3, 4e-3, 3)])
    spectrum = Spectrum(stack, HERTZ)
    rho = rng.uniform(1e-4, 0.05, 6)
    table = opening_table(spectrum, 0.06, 2e-3)
    want = 2.0 * np.exp(-1j * K * rho) / rho
    assert table.vector(rho) == pytest.approx(want, rel=1e-6)
    assert table.scalar(rho) == pytest.approx(want, rel=1e-6)

    def green(x, z):
        r = np.hypot(x, z)
        return np.exp(-1j * K * r) / r

    level, step = int(rng.integers(1, 4)), 1e-7
    height, through = stack.faces[level], through_openings(spectrum, [Upright(level)], 0.06)[Upright(level)]

    def field(x, z):
        """E_x and E_z of E0 along x at the origin, seen from x and z: of M along -y."""
        up = (green(x, z + step) - green(x, z - step)) / (2 * step)
        out = (green(x + step, z) - green(x - step, z)) / (2 * step)
        return -up / (2 * math.pi), out / (2 * math.pi)

    a, b, c = through.at(rho)
    down = -(through.at(rho + step)[1] - through.at(rho - step)[1]) / (2 * step)
    assert a + down == pytest.approx(field(rho, height)[0], rel=2e-4, abs=1e-3 * abs(a).max())
    # Across E0 the potential is none, and its slope that of the direction.
    r = np.hypot(rho, height)
    whole = height * (1 + 1j * K * r) * np.exp(-1j * K * r) / r**3 / (2 * math.pi)
    assert a - b / rho == pytest.approx(whole, rel=2e-4, abs=1e-3 * abs(a).max())
    nodes, weights = np.polynomial.legendre.leggauss(30)
    along = [field(rho, height * (1 + n) / 2)[1] * w * height / 2 for n, w in zip(nodes, weights, strict=True)]
    assert c == pytest.approx(sum(along), rel=2e-4)


@pytest.mark.parametrize(("seed", "shortest", "longest", "finer"), [(1, 20, 45, 20), (4, 20, 45, 20), (2, 18, 30, 26)])
def test_a_slot_and_its_strip_are_complementary(seed, shortest, longest, finer):
    """Z Z' = η²/4 in free space (Booker 1946): on one mesh, and on two as far as a gap without width allows."""
    rng = np.random.default_rng(seed)
    long, wide = rng.uniform(1e-3 * shortest, 1e-3 * longest), rng.uniform(0.5e-3, 2e-3)
    shape = es.shapes.plate(long, wide)
    port = es.Port("in", "piece", at=(0, 0, 0), across="x", gap=0)
    strip = es.Antenna("strip", [], [port], sheets=[es.Sheet("piece", shape)])
    basis = antenna_basis(strip, 2 * math.pi / K, es.MeshRule(sheets_per_wavelength=20))
    vector = gap_vectors(strip, basis)[:, 0]
    free = formulation(es.free_space()).matrix(basis, HERTZ)
    other = antenna_basis(strip, 2 * math.pi / K, es.MeshRule(sheets_per_wavelength=finer))
    stack = es.Stack(es.Layer(rng.uniform(1e-3, 5e-3), AIR))
    both = 2.0 * admittance(other.sheets, stack, HERTZ)
    across = gap_vectors(strip, other)[:, 0]
    slot, metal = across @ np.linalg.solve(both, across), 1.0 / (vector @ np.linalg.solve(free, vector))
    assert slot * metal == pytest.approx(es.constants.WAVE_IMPEDANCE**2 / 4, rel=0.02)


@pytest.mark.parametrize(
    ("seed", "lid", "high"), [(1, False, True), (2, False, False), (3, True, True), (4, True, False)]
)
def test_power_on_both_sides_is_accounted_for(seed, lid, high):
    antenna = slot_fed(np.random.default_rng(seed), lid=lid, high=high)
    driven = es.solve(antenna, HERTZ, rule=RULE).drive()
    budget = driven.budget()["power_W"]
    waves = {k: v for k, v in budget.items() if "wave" in k}
    assert budget["radiated"] + sum(waves.values()) == pytest.approx(budget["accepted"], rel=1e-3)
    assert any(k.startswith("parallel-plate wave TM0 under") for k in waves) == lid
    assert all(v >= 0.0 for v in waves.values())
    behind = driven.far_field().field(np.radians(120.0), 0.3)
    assert (abs(np.array(behind)).max() == 0.0) == lid


def test_sides_may_change_places():
    """Turned upside down it is the same antenna."""
    antenna = slot_fed(np.random.default_rng(5))
    medium = antenna.medium
    turned = es.Antenna(
        "turned", antenna.mirrored("z").wires, antenna.ports, es.layers.BothSides(medium.under, medium.over),
        sheets=antenna.mirrored("z").sheets,
    )  # fmt: skip
    one, two = (es.solve(a, HERTZ, rule=RULE) for a in (antenna, turned))
    assert one.network.z().values == pytest.approx(two.network.z().values, rel=1e-3)
    for theta in (0.4, 2.3):
        e, mirrored = (s.drive().far_field().field(t, 0.7) for s, t in ((one, theta), (two, math.pi - theta)))
        assert e[0] == pytest.approx(-mirrored[0], rel=5e-3)
        assert e[1] == pytest.approx(mirrored[1], rel=5e-3)


def test_layers_may_be_cut_anywhere():
    antenna = slot_fed(np.random.default_rng(6), lid=True)
    medium = antenna.medium

    def cut(stack):
        return [es.Layer(share * x.thickness, x.material) for x in stack.layers for share in (0.35, 0.65)]

    again = es.Antenna(
        "cut",
        antenna.wires,
        antenna.ports,
        both_sides(cut(medium.over), cut(medium.under), True),
        sheets=antenna.sheets,
    )
    z = [es.solve(a, HERTZ, rule=RULE).network.z().values[0, 0, 0] for a in (antenna, again)]
    assert z[0] == pytest.approx(z[1], rel=2e-3)


def test_a_plane_of_metal_with_a_hole_says_the_same():
    """The plane as a sheet of its size on an open board, solved by electric currents alone."""
    under, over = es.Layer(0.8e-3, es.Dielectric("s", 3.5)), es.Layer(3e-3, es.Dielectric("f", 1.2))
    slot = es.shapes.plate(1.2e-3, 12e-3)

    def parts(up):
        return [
            es.Sheet("line", es.shapes.plate(22e-3, 1.8e-3, centre=(-5e-3, 0, up - 0.8e-3))),
            es.Sheet("patch", es.shapes.plate(20e-3, 20e-3, centre=(0, 0, up + 3e-3))),
        ], [es.Wire("pin", [(-15e-3, 0, up), (-15e-3, 0, up - 0.8e-3)], radius=0.2e-3)]

    sheets, wires = parts(0.0)
    port = [es.Port("in", "pin", at=0)]
    without_end = es.Antenna("a", wires, port, both_sides([over], [under]), sheets=[*sheets, es.Sheet("slot", slot)])
    sheets, wires = parts(0.8e-3)
    up = (0, 0, 0.8e-3)
    metal = es.shapes.plate(50e-3, 50e-3, centre=up) - es.shapes.plate(1.2e-3, 12e-3, centre=up)
    board = es.Stack([under, over], open_below=True)
    finite = es.Antenna("a", wires, port, board, sheets=[*sheets, es.Sheet("plane", metal)])
    rule = es.MeshRule(sheets_per_wavelength=8)
    z = [es.solve(a, "5.5 GHz", rule=rule).network.z().values[0, 0, 0] for a in (without_end, finite)]
    assert abs(z[0] - z[1]) < 0.05 * abs(z[1])


@pytest.mark.parametrize("lid", [False, True])
def test_reciprocity_with_a_plane_wave(lid):
    antenna = slot_fed(np.random.default_rng(7), lid=lid)
    answer = es.solve(antenna, HERTZ, rule=RULE)
    open_ = {"in": es.circuits.open_circuit()}
    for theta, phi in ((0.5, 0.3), (1.2, 2.0), (2.2, 4.0)):
        sent = answer.drive(es.amperes(1)).far_field().field(theta, phi)
        for e in ((1, 0), (0.3, 1j)):
            wave = es.plane_wave(math.degrees(theta), math.degrees(phi), *e)
            got = es.receive(answer, wave, terminations=open_).voltages[0]
            want = 4 * math.pi / (1j * K * es.constants.WAVE_IMPEDANCE) * (sent[0] * e[0] + sent[1] * e[1])
            assert got == pytest.approx(want, rel=1e-4, abs=1e-12)


def test_near_fields_obey_maxwell_and_become_the_far_field():
    antenna = slot_fed(np.random.default_rng(8))
    driven = es.solve(antenna, HERTZ, rule=RULE).drive()
    top, step = antenna.medium.thickness, 1e-5
    for place in ((2e-3, 4e-3, top + 3e-3), (-3e-3, 2e-3, -4e-3)):
        around = np.array([place, *(np.array(place) + s * step * np.eye(3)[i] for i in range(3) for s in (1, -1))])
        near = driven.near_field(around)
        e, h = np.array(near.e), np.array(near.h)
        slopes = [(e[1 + 2 * i] - e[2 + 2 * i]) / (2 * step) for i in range(3)]
        curl = [slopes[i - 2][i - 1] - slopes[i - 1][i - 2] for i in range(3)]
        want = -1j * K * es.constants.WAVE_IMPEDANCE * h[0]
        assert np.linalg.norm(curl - want) < 5e-3 * np.linalg.norm(want)
    for theta in (0.3, 2.6):
        place = np.array([math.sin(theta), 0.0, math.cos(theta)])
        near = driven.near_field([1.5 * place])
        e_theta, e_phi = driven.far_field().field(theta, 0.0)
        assert np.linalg.norm(near.e) * 1.5 == pytest.approx(math.hypot(abs(e_theta), abs(e_phi)), rel=0.02)
    with pytest.raises(es.UsageError, match="lies in an opening"):
        driven.near_field([(0.1e-3, 0.2e-3, 0.0)])


def test_sides_are_what_they_are():
    antenna = slot_fed(np.random.default_rng(9))
    basis = antenna_basis(antenna, 2 * math.pi / K, RULE)
    parts = sides_of(basis, antenna.medium)
    own = np.concatenate([parts.own, *(side.own for side in parts.sides)])
    assert sorted(own) == list(range(basis.size))
    matrix = formulation(antenna.medium).matrix(basis, HERTZ)
    assert np.abs(matrix - matrix.T).max() < 1e-9 * np.abs(matrix).max()
    over, under = (side.own for side in parts.sides)
    assert not matrix[np.ix_(over, under)].any()


WRONG = {
    "leaves the plane": lambda a: a.with_(
        es.Sheet("wall", es.shapes.plate(2e-3, 2e-3, centre=(0, 20e-3, 0), axis="x"))
    ),
    "is an opening in the plane": lambda a: a.with_(es.Port("two", "slot", at=(0, 0, 0), across="y", gap=0)),
    "crosses the plane": lambda a: a.with_(es.Wire("nail", [(9e-3, 9e-3, -1e-4), (9e-3, 9e-3, 1e-4)], radius=1e-4)),
    "ends in opening 'slot'": lambda a: a.with_(es.Wire("nail", [(0, 0, 0), (0, 0, 2e-3)], radius=1e-4)),
    "in the air beyond the layers": lambda a: a.with_(
        es.Sheet("sky", es.shapes.plate(1e-2, 1e-2, centre=(0, 0, 2e-2)))
    ),
    "on no face of the layers": lambda a: a.with_(es.Sheet("low", es.shapes.plate(1e-2, 1e-2, centre=(0, 0, -1e-4)))),
}


@pytest.mark.parametrize("says", WRONG)
def test_what_is_wrong_is_named(says):
    antenna = WRONG[says](slot_fed(np.random.default_rng(10)))
    found = [str(f) for f in es.check(antenna, HERTZ).stops]
    assert any(says in text for text in found), found


def test_a_side_without_a_plane_is_refused():
    open_ = es.Stack(es.Layer("1 mm", "ptfe"), open_below=True)
    with pytest.raises(es.UsageError, match="open below"):
        es.layers.BothSides(open_, es.Stack(es.Layer("1 mm", "ptfe")))
    with pytest.raises(es.UsageError, match="of copper over and of a perfect conductor under"):
        es.layers.BothSides(es.substrate("1 mm", "ptfe", plane="copper"), es.substrate("1 mm", "ptfe"))
    with pytest.raises(es.UsageError, match="not a Stack"):
        es.layers.BothSides(es.substrate("1 mm", "ptfe"), "ptfe")


def test_a_slot_on_a_plane_of_one_side_is_told_what_it_wants():
    slot = es.Sheet("slot", es.shapes.plate(1e-3, 9e-3))
    antenna = es.Antenna("a", [], [], es.substrate("1 mm", "ptfe"), sheets=[slot])
    assert any("where there are layers under it as well" in str(f) for f in es.check(antenna, HERTZ).stops)


def test_cells_without_end_have_one_side():
    cell = es.cells.Cell(slot_fed(np.random.default_rng(11)), es.cells.Lattice([[0.04, 0], [0, 0.04]]))
    with pytest.raises(es.ModelError, match="plane with two sides"):
        es.cells.scan(cell, [es.cells.towards(0.0, 0.0)], HERTZ)


def test_a_slot_over_a_gap_between_planes_with_nothing_but_posts():
    """No metal on any level: a post from plane to plane drives the gap, and that the slot."""
    rng = np.random.default_rng(12)
    under = [es.Layer(rng.uniform(1e-3, 2e-3), es.Dielectric("u", rng.uniform(1.5, 4.0)))]
    posts = [
        es.Wire(f"post {n}", [(x, y, 0), (x, y, -under[0].thickness)], radius=rng.uniform(0.1e-3, 0.5e-3))
        for n, (x, y) in enumerate([(-5e-3, 0.5e-3), (9e-3, 2e-3), (-9e-3, 3e-3)])
    ]
    slot = es.Sheet("slot", es.shapes.plate(1.2e-3, rng.uniform(18e-3, 26e-3)))
    medium = both_sides([es.Layer("2 mm", es.Dielectric("o", 1.3))], under, lid=True)
    antenna = es.Antenna("gap", posts, [es.Port("in", "post 0", at=0)], medium, sheets=[slot])
    assert not es.check(antenna, HERTZ).stops
    budget = es.solve(antenna, HERTZ, rule=RULE).drive().budget()["power_W"]
    gone = budget["radiated"] + sum(v for k, v in budget.items() if "wave" in k)
    assert gone == pytest.approx(budget["accepted"], rel=1e-3)
    assert budget["radiated"] > 0.01 * budget["accepted"]


def test_numbers_are_held_a_few_at_a_time(monkeypatch):
    antenna = slot_fed(np.random.default_rng(13))
    basis = antenna_basis(antenna, 2 * math.pi / K, RULE)
    whole = formulation(antenna.medium).matrix(basis, HERTZ)
    monkeypatch.setattr("earshot.moments.openings._PAIRS", 5000)
    few = formulation(antenna.medium).matrix(basis, HERTZ)
    np.testing.assert_allclose(few, whole, rtol=1e-9, atol=1e-12 * abs(whole).max())


def slot_alone(long=28e-3, wide=1.2e-3, off=0.0, layers=(2e-3, 3e-3), eps=1.0, medium=None):
    """A slot fed by a wire across it."""
    made = es.Dielectric("d", eps)
    medium = medium or both_sides([es.Layer(layers[0], made)], [es.Layer(layers[1], made)])
    feed = es.Wire("feed", [(-wide / 2, off, 0), (wide / 2, off, 0)], radius=0.1e-3)
    slot = es.Sheet("slot", es.shapes.plate(wide, long))
    return es.Antenna("slot", [feed], [es.Port("in", "feed", at=0)], medium, sheets=[slot])


def test_a_slot_fed_across_is_as_its_strip_fed_along():
    """A slot of half a wave in a plane without end: η²/4 over the impedance of the dipole of its shape."""
    rule = es.MeshRule(sheets_per_wavelength=20)
    slot = es.solve(slot_alone(), HERTZ, rule=rule)
    port = es.Port("in", "strip", at=(0, 0, 0), across="y", gap=0)
    strip = es.Antenna("strip", [], [port], sheets=[es.Sheet("strip", es.shapes.plate(1.2e-3, 28e-3))])
    z = [s.network.z().values[0, 0, 0] for s in (slot, es.solve(strip, HERTZ, rule=rule))]
    assert z[0] * z[1] == pytest.approx(es.constants.WAVE_IMPEDANCE**2 / 4, rel=0.02)
    beam = slot.drive().far_field()
    assert float(beam.summary()["value"]["directivity"]) == pytest.approx(2.15, abs=0.1)
    # Round the slot the field is even, in the plane too: along y, that of the feed, there is none.
    e = np.abs(beam.field(np.radians(89.0), np.radians([0.0, 90.0])))
    assert e[:, 1].max() < 0.03 * e[:, 0].max()


@pytest.mark.parametrize("seed", [1, 2])
def test_power_and_reciprocity_of_slots_fed_across(seed):
    rng = np.random.default_rng(20 + seed)
    long = rng.uniform(15e-3, 30e-3)
    antenna = slot_alone(
        long,
        rng.uniform(0.6e-3, 2e-3),
        rng.uniform(-0.35, 0.35) * long,
        rng.uniform(0.5e-3, 3e-3, 2),
        rng.uniform(1, 5),
    )
    assert not es.check(antenna, HERTZ).stops
    answer = es.solve(antenna, HERTZ, rule=RULE)
    assert abs(answer.drive().balance) < 1e-3
    theta, phi = rng.uniform(0.2, 2.9), rng.uniform(0, 6)
    sent = answer.drive(es.amperes(1)).far_field().field(theta, phi)
    wave = es.plane_wave(math.degrees(theta), math.degrees(phi), 0.4, 1j)
    got = es.receive(answer, wave, terminations={"in": es.circuits.open_circuit()}).voltages[0]
    want = 4 * math.pi / (1j * K * es.constants.WAVE_IMPEDANCE) * (0.4 * sent[0] + 1j * sent[1])
    assert got == pytest.approx(want, rel=1e-4)


def test_a_feed_may_be_anywhere_beside_the_mesh():
    """A little along the slot it is as good as the same, on edges of the mesh or off them."""
    z = [
        es.solve(slot_alone(off=off), HERTZ, rule=es.MeshRule(sheets_per_wavelength=20)).network.z().values[0, 0, 0]
        for off in (0.0, 0.05e-3, 0.21e-3)
    ]
    assert abs(z[1] - z[0]) < 0.03 * abs(z[0])
    assert abs(z[2] - z[0]) < 0.05 * abs(z[0])


def test_a_wire_in_the_plane_crosses_an_opening_or_is_told():
    for points in (
        [(-2e-3, 0, 0), (0.6e-3, 0, 0)],
        [(-0.6e-3, 0, 0), (0, 1e-3, 0), (0.6e-3, 0, 0)],
        [(5e-3, 0, 0), (9e-3, 0, 0)],
    ):
        wire = es.Wire("feed", points, radius=0.1e-3)
        antenna = es.Antenna("a", [wire], slot_alone().ports, slot_alone().medium, sheets=slot_alone().sheets)
        assert any("lies in the plane" in str(f) for f in es.check(antenna, HERTZ).stops)
