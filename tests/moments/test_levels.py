"""Metal on several levels of a board, and pins between them: what must be the same however it is said."""

import numpy as np
import pytest

import earshot as es
from earshot.moments.formulation import OnLayers, antenna_basis, formulation
from earshot.moments.layered import layered
from earshot.moments.printed import printed_block

HERTZ = 3e9
WAVE = 299_792_458.0 / HERTZ
RULE = es.MeshRule(sheets_per_wavelength=8)
AIR = es.Dielectric("air", 1.0)


def board(rng, count, open_below=False, lossless=False):
    layers = []
    for n in range(count):
        loss = 0.0 if lossless else rng.uniform(0.0, 0.02)
        layers.append(es.Layer(rng.uniform(0.5e-3, 4e-3), es.Dielectric(f"of {n}", rng.uniform(1.0, 9.0), loss)))
    return es.Stack(layers, open_below=open_below)


def printed(rng, medium, pins=True):
    """A plate on every face, a pin to each from what is below it where both lie over one another."""
    sheets, wires, ports = [], [], []
    levels = [n for n in range(len(medium.faces)) if medium.level_at(np.array(medium.faces[n])) == n]
    for n in levels:
        middle = (*rng.uniform(-3e-3, 3e-3, 2), medium.faces[n])
        sheets.append(es.Sheet(f"plate {n}", es.shapes.plate(*rng.uniform(16e-3, 26e-3, 2), centre=middle)))
    foot = 0.0 if medium.has_plane else medium.faces[levels[0]]
    for k, n in enumerate(levels[0 if medium.has_plane else 1 :] if pins else ()):
        x, y = (-3e-3 + 3e-3 * k, 2e-3 - 2e-3 * k)
        wires.append(es.Wire(f"pin {n}", [(x, y, foot), (x, y, medium.faces[n])], radius=0.2e-3))
        ports.append(es.Port(f"port {n}", on=f"pin {n}", at=0))
        foot = medium.faces[n]
    rng.shuffle(sheets)
    return es.Antenna("board", wires, ports, medium, sheets=sheets)


def over(antenna, medium):
    return es.Antenna("board", antenna.wires, antenna.ports, medium, sheets=antenna.sheets)


def only_first(antenna):
    """With its first port alone."""
    return es.Antenna("board", antenna.wires, antenna.ports[:1], antenna.medium, sheets=antenna.sheets)


def matrix_of(antenna):
    basis = antenna_basis(antenna, WAVE, RULE)
    return basis, formulation(antenna.medium).matrix(basis, HERTZ)


@pytest.mark.parametrize("open_below", [False, True])
@pytest.mark.parametrize("seed", [1, 2])
def test_blocks_between_levels_are_symmetric_as_they_stand(seed, open_below):
    rng = np.random.default_rng(seed)
    antenna = printed(rng, board(rng, 2, open_below), pins=False)
    basis, matrix = matrix_of(antenna)
    parts = layered(basis, antenna.medium)
    assert len(parts.levels) == 2 + open_below
    assert np.abs(matrix - matrix.T).max() < 1e-12 * np.abs(matrix).max()
    for one in parts.levels:
        for two in parts.levels:
            rows, columns = (rng.choice(level.on_metal, 6) for level in (one, two))
            there = printed_block(basis, antenna.medium, HERTZ, rows, columns)
            back = printed_block(basis, antenna.medium, HERTZ, columns, rows)
            scale = np.sqrt(np.outer(*(np.abs(np.diag(matrix))[x] for x in (rows, columns))))
            assert (np.abs(there - back.T) / scale).max() < 1e-4
            # What is far goes by fewer points in the whole.
            assert (np.abs(there - matrix[np.ix_(rows, columns)]) / scale).max() < 1e-3


@pytest.mark.parametrize("seed", [3, 4, 5, 6])
def test_boards_of_air_are_free_space_with_images(seed):
    """Two levels over a plane, by tables of layers and by images."""
    rng = np.random.default_rng(seed)
    medium = es.Stack([es.Layer(d, AIR) for d in rng.uniform(1e-3, 8e-3, 2)])
    antenna = printed(rng, medium, pins=False)
    basis, matrix = matrix_of(antenna)
    plain = formulation(es.perfect_plane()).matrix(basis, HERTZ)
    scale = np.sqrt(np.outer(*2 * [np.abs(np.diag(plain))]))
    assert (np.abs(matrix - plain) / scale).max() < 1e-4
    excite = rng.normal(size=(basis.size, 3))
    one, two = (excite.T @ np.linalg.solve(z, excite) for z in (matrix, plain))
    assert np.abs(one - two).max() < 1e-5 * np.abs(two).max()


@pytest.mark.parametrize("open_below", [False, True])
def test_layers_may_be_cut_anywhere(open_below):
    """A face more, through which a pin goes, changes nothing; pins are short enough to have one current."""
    rng = np.random.default_rng(5)
    medium = board(rng, 2, open_below)
    antenna = printed(rng, medium)
    low, high = medium.layers
    cut = es.Stack(
        [es.Layer(0.6 * low.thickness, low.material), es.Layer(0.4 * low.thickness, low.material), high],
        open_below=open_below,
    )  # fmt: skip
    z = [es.solve(a, HERTZ / 2, rule=RULE).network.z().values[0] for a in (antenna, over(antenna, cut))]
    assert z[0] == pytest.approx(z[1], rel=2e-4, abs=1e-3)
    assert z[0] == pytest.approx(z[0].T, rel=1e-9, abs=1e-9)


@pytest.mark.parametrize(("count", "open_below"), [(2, False), (3, False), (1, True), (2, True)])
def test_power_is_accounted_for(count, open_below):
    """What is accepted is radiated, above and below, or goes off in the layers."""
    rng = np.random.default_rng(10 * count + open_below)
    antenna = printed(rng, board(rng, count, open_below, lossless=True))
    driven = es.solve(only_first(antenna), HERTZ, rule=RULE).drive(es.volts(1))
    budget = driven.budget()["power_W"]
    gone = budget["radiated"] + sum(v for k, v in budget.items() if k.startswith("surface wave"))
    assert gone == pytest.approx(budget["accepted"], rel=1e-3)


@pytest.mark.parametrize("aloft", [False, True])
def test_pins_are_wires(aloft):
    """On a board of air: a pin from the plane, and one between two plates, against thin wires over a plane.

    aloft: with a mast on the upper plate, and a wire beside it.
    """
    medium = es.Stack([es.Layer("2 mm", AIR), es.Layer("3 mm", AIR)])
    sheets = [
        es.Sheet("low", es.shapes.plate(20e-3, 16e-3, centre=(0, 0, 2e-3))),
        es.Sheet("high", es.shapes.plate(22e-3, 18e-3, centre=(2e-3, 1e-3, 5e-3))),
    ]
    wires = [
        es.Wire("pin", [(5e-3, 0, 0), (5e-3, 0, 2e-3)], radius=0.2e-3),
        es.Wire("via", [(-4e-3, 2e-3, 2e-3), (-4e-3, 2e-3, 5e-3)], radius=0.2e-3),
    ]
    if aloft:
        wires.append(es.Wire("mast", [(3e-3, 1e-3, 5e-3), (3e-3, 1e-3, 30e-3)], radius=0.2e-3))
        wires.append(es.Wire("beside", [(20e-3, 0, 9e-3), (40e-3, 5e-3, 15e-3)], radius=0.3e-3))
    ports = [es.Port("feed", "pin", at=0)]
    z = [
        es.solve(es.Antenna("two", wires, ports, around, sheets=sheets), "1 GHz").network.z().values[0, 0, 0]
        for around in (medium, es.perfect_plane())
    ]
    assert z[0].imag == pytest.approx(z[1].imag, rel=0.02)
    assert z[0].real == pytest.approx(z[1].real, rel=0.05)


def test_a_pin_through_a_hole_and_one_in_two_pieces():
    """A pin joined to the metal it passes is another thing than one that passes through a hole in it."""
    medium = es.Stack([es.Layer("1 mm", AIR), es.Layer("2 mm", es.Dielectric("foam", 1.1))])
    hole = es.shapes.polygon(
        [(-9e-3, -7e-3, 1e-3), (9e-3, -7e-3, 1e-3), (9e-3, 7e-3, 1e-3), (-9e-3, 7e-3, 1e-3)],
        [[(3e-3, -1e-3, 1e-3), (5e-3, -1e-3, 1e-3), (5e-3, 1e-3, 1e-3), (3e-3, 1e-3, 1e-3)]],
    )
    whole = es.shapes.plate(18e-3, 14e-3, centre=(0, 0, 1e-3))
    top = es.Sheet("top", es.shapes.plate(20e-3, 16e-3, centre=(0, 0, 3e-3)))
    through = [es.Wire("pin", [(4e-3, 0, 0), (4e-3, 0, 3e-3)], radius=0.2e-3)]
    split = [
        es.Wire("pin", [(4e-3, 0, 0), (4e-3, 0, 1e-3)], radius=0.2e-3),
        es.Wire("on", [(4e-3, 0, 1e-3), (4e-3, 0, 3e-3)], radius=0.2e-3),
    ]

    def solved(low, wires):
        ports = [es.Port("feed", "pin", at=0)]
        return es.solve(es.Antenna("b", wires, ports, medium, sheets=[es.Sheet("low", low), top]), "1 GHz", rule=RULE)

    apart, joined = (solved(*x).network.z().values[0, 0, 0] for x in ((hole, through), (whole, split)))
    # Well below resonance both are capacitors: of the lower plate as well, where it is joined.
    assert apart.imag < joined.imag < 0.0
    with pytest.raises(es.EarshotError, match=r"passes through printed metal at .* split it there"):
        solved(whole, through)


def test_a_pin_may_stand_a_node_farther():
    """One mesh node aside, Z changes by half a per cent at most."""
    medium = es.Stack([es.Layer("1.6 mm", es.Dielectric("board", 3.0, 0.002)), es.Layer("3 mm", AIR)])
    sheets = [
        es.Sheet("low", es.shapes.plate(30e-3, 24e-3, centre=(0, 0, 1.6e-3))),
        es.Sheet("high", es.shapes.plate(30e-3, 24e-3, centre=(0, 0, 4.6e-3))),
    ]
    z = []
    for x in (-4e-3, -4.05e-3):
        wires = [
            es.Wire("pin", [(8e-3, 0, 0), (8e-3, 0, 1.6e-3)], radius=0.4e-3),
            es.Wire("via", [(x, 1e-3, 1.6e-3), (x, 1e-3, 4.6e-3)], radius=0.4e-3),
        ]
        antenna = es.Antenna("b", wires, [es.Port("feed", "pin", at=0)], medium, sheets=sheets)
        z.append(es.solve(antenna, "2.4 GHz").network.z().values[0, 0, 0])
    assert abs(z[1] - z[0]) < 5e-3 * abs(z[0])


def test_receiving_is_reciprocal_on_levels():
    """V_oc = (4π r e^{jkr}/jkη) E_t·E_i, with E_t for one ampere."""
    rng = np.random.default_rng(8)
    answer = es.solve(only_first(printed(rng, board(rng, 2))), HERTZ, rule=RULE)
    theta, phi = np.radians([40.0, 70.0])
    sent = answer.drive(es.amperes(1)).far_field().field(theta, phi)
    got = es.receive(answer, es.plane_wave(40, 70, 0.6, 0.8j), terminations={"port 1": es.circuits.open_circuit()})
    want = 4 * np.pi / (2j * np.pi / WAVE * 376.730313668) * (0.6 * sent[0] + 0.8j * sent[1])
    assert got.voltages[0] == pytest.approx(complex(want), rel=1e-6)


def test_the_fast_way_is_for_one_level():
    rng = np.random.default_rng(9)
    antenna = printed(rng, board(rng, 2))
    assert OnLayers(antenna.medium).taken_on(antenna_basis(antenna, WAVE, RULE)) == 0
    with pytest.raises(es.UsageError, match="several levels"):
        es.solve(antenna, HERTZ, rule=RULE, method="fast")


def test_a_wire_goes_through_covers():
    """Up through two layers, of which the upper covers the level that is spoken of, as through one of both."""
    rod = [es.Wire("rod", [(0, 0, 0), (0, 0, 24e-3)], radius=0.3e-3)]
    board = es.Dielectric("board", 2.6, 0.002)
    z = []
    for medium in (es.Stack([es.Layer("0.6 mm", board), es.Layer("0.4 mm", board)], 1), es.substrate("1 mm", board)):
        antenna = es.Antenna("rod", rod, [es.Port("feed", "rod", at=0)], medium)
        z.append(es.solve(antenna, HERTZ).network.z().values[0, 0, 0])
    assert z[0] == pytest.approx(z[1], rel=1e-5)


LAYERS = es.Stack([es.Layer("1 mm", es.Dielectric("a", 2.2)), es.Layer("2 mm", es.Dielectric("b", 1.1))])


def plate(name, z, x=0.0):
    return es.Sheet(name, es.shapes.plate(20e-3, 16e-3, centre=(x, 0, z)))


def pin(low, high, name="pin"):
    return es.Wire(name, [(3e-3, 0, low), (3e-3, 0, high)], radius=0.1e-3)


@pytest.mark.parametrize(
    ("wires", "sheets", "says"),
    [
        ([pin(0, 1e-3)], [plate("low", 1e-3), plate("odd", 2e-3)], r"'odd' is on no face .* at z = 0.001, 0.003 m"),
        ([pin(0, 2e-3)], [plate("low", 1e-3)], "'pin' is not a probe through the layers"),
        ([pin(0, 3e-3)], [plate("low", 1e-3, 30e-3)], "'pin' ends 0.0171 m off the metal"),
        ([pin(1e-3, 3e-3)], [plate("up", 3e-3)], "'pin' begins 0.002 m off the metal"),
        ([pin(0, 3e-3)], [plate("low", 1e-3), plate("up", 3e-3)], "passes through printed metal .* cut a hole"),
        ([pin(0, 1e-3), pin(0, 1e-3, "two")], [plate("low", 1e-3)], "overlap"),
    ],
)
def test_what_is_wrong_on_levels_is_told(wires, sheets, says):
    with pytest.raises(es.ModelError, match=says):
        es.solve(es.Antenna("b", wires, [es.Port("feed", "pin", at=0)], LAYERS, sheets=sheets), HERTZ)


def test_faces_close_by_are_told():
    medium = es.Stack([es.Layer("1 mm", AIR), es.Layer("50 um", AIR)])
    sheets = [plate("low", 1e-3), plate("up", 1.05e-3)]
    antenna = es.Antenna("b", [pin(0, 1e-3)], [es.Port("feed", "pin", at=0)], medium, sheets=sheets)
    (found,) = [f for f in es.check(antenna, HERTZ) if f.level == "warn"]
    assert "metal at z = 0.001 m and at 0.00105 m is 5e-05 m apart" in str(found)
    assert "until edges are below 0.001 m" in str(found)


@pytest.mark.parametrize("pins", [False, True])
def test_cells_without_end_have_levels(pins):
    """Of a stack of two plates, with pins and without: what a cell takes goes off in its one wave."""
    medium = es.Stack([es.Layer("2 mm", es.Dielectric("x", 2.2)), es.Layer("3 mm", es.Dielectric("y", 1.3))])
    sheets = [
        es.Sheet("b", es.shapes.plate(18e-3, 8e-3, centre=(2e-3, 1e-3, 5e-3))),
        es.Sheet("a", es.shapes.plate(20e-3, 6e-3, centre=(0, 0, 2e-3))),
    ]
    wires, port = [], es.Port("feed", "a", at=(0, 0, 2e-3), across="x", gap="1 mm")
    if pins:
        wires = [
            es.Wire("pin", [(5e-3, 0, 0), (5e-3, 0, 2e-3)], radius=0.2e-3),
            es.Wire("via", [(-4e-3, 0, 2e-3), (-4e-3, 0, 5e-3)], radius=0.2e-3),
        ]
        port = es.Port("feed", "pin", at=0)
    cell = es.cells.Cell(es.Antenna("two", wires, [port], medium, sheets=sheets), es.cells.rectangular(0.025, 0.022))
    scan = es.cells.scan(cell, [[0.0, 0.0], [-0.5, 0.3]], 5e9, rule=es.MeshRule(sheets_per_wavelength=10))
    for n in range(2):
        power = scan.fed(n).budget()["power_W"]
        assert power["wave (0, 0) up"] == pytest.approx(power["accepted"], rel=1e-4)


def test_cells_on_levels_have_nothing_in_the_air():
    sheets, mast = [plate("low", 1e-3), plate("up", 3e-3)], es.Wire("mast", [(0, 0, 3e-3), (0, 0, 9e-3)], radius=1e-4)
    antenna = es.Antenna("b", [pin(0, 1e-3), mast], [es.Port("feed", "pin", at=0)], LAYERS, sheets=sheets)
    cell = es.cells.Cell(antenna, es.cells.rectangular("40 mm", "40 mm"))
    with pytest.raises(es.UsageError, match=r"metal on 2 levels of its layers and in the air"):
        es.cells.scan_cut(cell, "0 deg", HERTZ, to="40 deg")


@pytest.mark.parametrize("open_below", [False, True])
def test_near_fields_of_levels(open_below):
    """Over a board of air, and under one that is open, against free space."""
    medium = es.Stack([es.Layer("2 mm", AIR), es.Layer("3 mm", AIR)], open_below=open_below)
    strips = [
        es.Sheet("a", es.shapes.plate(60e-3, 6e-3, centre=(0, 0, 2e-3))),
        es.Sheet("b", es.shapes.plate(50e-3, 8e-3, centre=(3e-3, 2e-3, 5e-3))),
    ]
    ports = [es.Port("feed", "a", at=(0, 0, 2e-3), across="x", gap="1 mm")]
    points = [(0.01, 0.02, 0.012), (0.05, -0.03, 0.02), *([(0.01, 0.02, -0.012)] if open_below else [])]
    fields = []
    for around in (medium, None if open_below else es.perfect_plane()):
        antenna = es.Antenna("x", [], ports, around, sheets=strips)
        driven = es.solve(antenna, HERTZ, rule=es.MeshRule(sheets_per_wavelength=20)).drive(es.volts(1))
        field = driven.near_field(points)
        fields.append((np.asarray(field.e), np.asarray(field.h)))
    for one, two in zip(*fields, strict=True):
        # The meshes differ: on boards rims are finer.
        assert np.abs(one - two).max() < 0.02 * np.abs(two).max()
