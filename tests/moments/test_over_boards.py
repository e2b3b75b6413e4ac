"""Wires and sheets over boards, monopoles through them, and boards without a plane."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import shapes
from earshot.constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, SPEED_OF_LIGHT, WAVE_IMPEDANCE
from earshot.media.half_space import reflection
from earshot.media.over_layers import end_kernels, level_kernels
from earshot.media.spectral import Spectrum
from earshot.moments.formulation import antenna_basis, basis_on, formulation

HERTZ = 1e9
WAVE = SPEED_OF_LIGHT / HERTZ
BOARDS = {
    "thin": es.substrate("1.6 mm", 4.4),
    "thick": es.substrate("20 mm", 6.0),
    "two": es.Stack([es.Layer("2 mm", es.Dielectric("a", 3.0)), es.Layer("3 mm", es.Dielectric("b", 8.0))]),
    "open": es.substrate("10 mm", 4.0, open_below=True),
    "covered": es.Stack([es.Layer("2 mm", es.Dielectric("a", 3.0)), es.Layer("1 mm", es.Dielectric("b", 2.2))], 1),
}


def rod(medium, height, tilt=0.0, turn=0.0, length=0.47 * WAVE, name="rod"):
    off = 0.5 * length * np.array([math.cos(tilt) * math.cos(turn), math.cos(tilt) * math.sin(turn), math.sin(tilt)])
    middle = np.array([0.0, 0.0, medium.thickness + height + abs(off[2])])
    return es.Wire(name, [middle - off, middle + off], radius=5e-4)


def everything(stack):
    """Printed metal over a probe, a mast on it, a rod and a tube in the air, and a wire through the board."""
    top, level = stack.thickness, stack.level
    wires = [
        es.Wire("pin", [(0.012, 0, 0), (0.012, 0, level)], radius=5e-4),
        es.Wire("mast", [(-0.02, 0.01, top), (-0.03, 0.01, top + 0.05)], radius=1e-3),
        es.Wire("rod", [(-0.06, 0, top + 0.07), (0.06, 0.01, top + 0.09)], radius=1e-3),
        es.Wire("mono", [(0.1, 0.02, 0), (0.1, 0.02, top + 0.06)], radius=1e-3),
    ]
    sheets = [
        es.Sheet("patch", shapes.plate(0.09, 0.08, centre=(0, 0, level))),
        es.Sheet("tube", shapes.cylinder(0.02, 0.04, base=(-0.1, 0, top + 0.02))),
    ]
    ports = [es.Port("feed", "pin", at=0), es.Port("aloft", "rod"), es.Port("mono", "mono", at=0, gap=1e-3)]
    return es.Antenna("all", wires, ports, stack, sheets=sheets)


@pytest.fixture(scope="module")
def whole():
    return es.solve(everything(es.substrate("3 mm", 3.0)), HERTZ)


@pytest.mark.parametrize("name", BOARDS)
def test_kernels_over_layers_are_those_of_reflected_waves(name):
    """Metal on top: A = e^{-jR}/R + GA and C = -U_ζ, and B = e^{-jR}/R - Gv + U, by another way of integrating."""
    stack = es.Stack(BOARDS[name].layers, open_below=BOARDS[name].open_below)
    spectrum = Spectrum(stack, HERTZ)
    rng = np.random.default_rng(1)
    rho, zeta = 10.0 ** rng.uniform(-1, 0.8, 12), 10.0 ** rng.uniform(-1, 0.8, 12)
    a, b, c = level_kernels(spectrum, np.zeros((0, 5)))(rho, zeta)
    seen = reflection(spectrum, rho, zeta)
    u, slope_up = end_kernels(spectrum, [])(rho, zeta)
    distance = np.hypot(rho, zeta)
    wave = np.exp(-1j * distance) / distance
    for got, want in ((a, wave + seen.ga), (b, wave - seen.gv + u), (c, -slope_up)):
        assert np.abs(got - want).max() < 1e-8 * max(np.abs(want).max(), 1.0)


@pytest.mark.parametrize("seed", range(10))
def test_a_dipole_over_a_board_keeps_its_power(seed):
    """At 0.05 to 1 wavelength over any board: what is accepted is radiated or guided.

    But for what is seen from the middles of segments 1/80 wavelength long, (k/80)²/24 of what comes back.
    """
    rng = np.random.default_rng(seed)
    thick = rng.uniform(0.5e-3, 30e-3)
    stack = es.substrate(thick, rng.uniform(1.5, 10.0), open_below=bool(seed % 2))
    wire = rod(stack, rng.uniform(0.05, 1.0) * WAVE, rng.uniform(0, math.pi / 2))
    driven = es.solve(es.Antenna("x", [wire], [es.Port("feed", "rod")], stack), HERTZ).drive()
    assert abs(driven.balance) < 5e-4
    assert driven.far_field().efficiency <= 1.0 + 5e-4


@pytest.mark.parametrize("seed", range(4))
def test_metal_on_a_board_and_over_it_keeps_its_power(seed):
    """A probed patch, a mast on it and a rod over it, of any size, on one or two layers."""
    rng = np.random.default_rng(seed)
    layers = [
        es.Layer(WAVE * 10.0 ** rng.uniform(-2.7, -1.8), es.Dielectric(f"l{n}", rng.uniform(1.2, 9.0)))
        for n in range(1 + seed % 2)
    ]
    stack = es.Stack(layers)
    top, thin = stack.thickness, WAVE * 10.0 ** rng.uniform(-3.5, -3.0)
    wires = [
        es.Wire("pin", [(0.02 * WAVE, 0, 0), (0.02 * WAVE, 0, top)], radius=thin),
        es.Wire("mast", [(-0.03 * WAVE, 0, top), (-0.04 * WAVE, 0, top + WAVE * rng.uniform(0.05, 0.2))], radius=thin),
        rod(stack, WAVE * rng.uniform(0.25, 1.0), rng.uniform(0, 1.5)),
    ]
    patch = es.Sheet(
        "patch", shapes.plate(WAVE * rng.uniform(0.1, 0.3), WAVE * rng.uniform(0.1, 0.3), centre=(0, 0, top))
    )
    ports = [es.Port("feed", "pin", at=0, gap=0.5 * layers[0].thickness), es.Port("rod", "rod")]
    solution = es.solve(es.Antenna("x", wires, ports, stack, sheets=[patch]), HERTZ)
    for port in ports:
        assert abs(solution.drive({port.name: es.volts(1)}).balance) < 1e-3


def test_a_board_of_air_is_none():
    open_air, plane_air = es.substrate("10 mm", 1.0, open_below=True), es.substrate("10 mm", 1.0)
    for board, alike, tolerance in ((open_air, es.free_space(), 1e-6), (plane_air, es.perfect_plane(), 1e-4)):
        wire = rod(board, 0.1, 0.7)
        ports = [es.Port("feed", "rod")]
        one, two = (
            es.solve(es.Antenna("x", [wire], ports, medium), HERTZ).network.z().values[0, 0, 0]
            for medium in (board, alike)
        )
        assert abs(one - two) < tolerance * abs(two)


@pytest.mark.parametrize("open_below", [True, False])
def test_every_entry_on_a_board_of_air_is_that_without(open_below):
    """Printed metal with a mast on it, a wire and a tube: two sets of potentials, one with none of the layers'."""
    top = 0.02
    board = es.substrate(top, 1.0, open_below=open_below)
    alike = es.free_space() if open_below else es.perfect_plane()
    wires = [
        es.Wire("mast", [(0.01, 0.005, top), (0.02, 0, top + 0.06)], radius=1e-3),
        es.Wire("aside", [(-0.1, -0.05, top + 0.02), (-0.02, 0.05, top + 0.05)], radius=1e-3),
    ]
    sheets = [
        es.Sheet("plate", shapes.plate(0.12, 0.08, centre=(0, 0, top))),
        es.Sheet("tube", shapes.cylinder(0.03, 0.05, base=(0.11, 0.02, top + 0.02))),
    ]
    antenna = es.Antenna("x", wires, [es.Port("feed", "mast", at=0)], alike, sheets=sheets)
    basis = antenna_basis(antenna, WAVE, es.MeshRule(sheets_per_wavelength=6))
    want = formulation(alike).matrix(basis, HERTZ)
    got = formulation(board).matrix(basis_on(basis.mesh, basis.sheet_mesh, basis.reach, board), HERTZ)
    scale = np.sqrt(np.abs(np.diag(want)))
    assert (np.abs(got - want) / np.outer(scale, scale)).max() < 3e-4
    # Between what is on the board and what is over it, and between what is over it alone.
    printed = np.isin(np.arange(len(want)), np.flatnonzero((basis.sheet_mesh.sheet == 0)[basis.sheets.pairs[0]]))
    for rows, columns, tolerance in ((printed, ~printed, 5e-3), (~printed, ~printed, 3e-4)):
        block = want[np.ix_(rows, columns)]
        assert np.abs(got[np.ix_(rows, columns)] - block).max() < tolerance * np.abs(block).max()


def test_everything_together_keeps_its_power_and_reciprocity(whole):
    for port in whole.antenna.ports:
        assert abs(whole.drive({port.name: es.volts(1)}).balance) < 3e-4
    z = whole.network.z().values[0]
    assert np.abs(z - z.T).max() < 1e-9 * np.abs(z).max()


@pytest.mark.parametrize("theta", [50, 130])
def test_receiving_is_sending(whole, theta):
    boards = [whole] if theta < 90 else []
    open_board = es.substrate("5 mm", 4.0, open_below=True)
    strip = es.Sheet("strip", shapes.plate(0.12, 0.004, centre=(0, 0, 5e-3)))
    ports = [es.Port("feed", "strip", at=(0, 0, 5e-3), across="x", gap="2 mm"), es.Port("rod", "rod")]
    printed = es.Antenna("printed", [rod(open_board, 0.05)], ports, open_board, sheets=[strip])
    for solution in (*boards, es.solve(printed, HERTZ)):
        names = [p.name for p in solution.antenna.ports]
        wave = es.plane_wave(theta, 20, 1.0, 0.3j)
        got = es.receive(solution, wave, terminations={name: es.circuits.open_circuit() for name in names})
        for name, voltage in zip(names, got.voltages, strict=True):
            ends = {other: es.circuits.open_circuit() for other in names if other != name}
            far = solution.drive({name: es.amperes(1)}, terminations=ends).far_field()
            e_theta, e_phi = far.field(math.radians(theta), math.radians(20))
            want = 2 * WAVE / (1j * WAVE_IMPEDANCE) * (e_theta + 0.3j * e_phi)
            assert abs(voltage - want) < 1e-5 * abs(want)


@pytest.mark.parametrize("place", [(0.13, 0.03, 0.03), (0.05, 0.06, 0.013), (-0.02, 0.03, 0.06)])
def test_maxwell_holds_near_everything(whole, place):
    driven, step, omega = whole.drive({"feed": es.volts(1)}), 2e-4, 2 * math.pi * HERTZ
    beside = [np.array(place) + sign * step * axis for axis in np.eye(3) for sign in (1, -1)]
    got = driven.near_field([place, *beside])

    def curl(f):
        dx, dy, dz = ((f[1 + 2 * i] - f[2 + 2 * i]) / (2 * step) for i in range(3))
        return np.array([dy[2] - dz[1], dz[0] - dx[2], dx[1] - dy[0]])

    e, h = got.e[0], got.h[0]
    assert np.linalg.norm(curl(got.e) / (-1j * omega * MAGNETIC_CONSTANT) - h) < 5e-3 * np.linalg.norm(h)
    assert np.linalg.norm(curl(got.h) / (1j * omega * ELECTRIC_CONSTANT) - e) < 5e-3 * np.linalg.norm(e)


def test_far_off_the_near_field_is_the_far_field(whole):
    driven, theta, phi, r = whole.drive({"mono": es.volts(1)}), 0.9, 0.5, 25 * WAVE
    outward = np.array([math.sin(theta) * math.cos(phi), math.sin(theta) * math.sin(phi), math.cos(theta)])
    near = driven.near_field(r * outward[None])
    e_theta, _ = driven.far_field().field(theta, phi)
    along = np.array([math.cos(theta) * math.cos(phi), math.cos(theta) * math.sin(phi), -math.sin(theta)])
    assert abs(near.e[0] @ along) * r == pytest.approx(abs(e_theta), rel=1e-2)


def test_a_thick_lossy_layer_is_earth():
    earth = es.materials.Earth("loam", 9.0, 0.15)
    seen = earth.complex_permittivity(HERTZ)
    board = es.substrate(3 * WAVE, seen.real, -seen.imag / seen.real)
    wire = rod(es.free_space(), 0.03, 0.4)
    over = es.Wire("rod", wire.corners + np.array([0, 0, board.thickness]), radius=wire.radius)
    one, two = (
        es.solve(es.Antenna("x", [w], [es.Port("feed", "rod")], m), HERTZ).network.z().values[0, 0, 0]
        for w, m in ((wire, earth), (over, board))
    )
    assert abs(one - two) < 2e-4 * abs(one)


def test_through_a_board_of_air_it_stands_on_the_plane():
    """With one current in a hundredth of its length; its resistance is off by about that, twice."""
    board = es.substrate("0.75 mm", 1.0)
    mono = es.Wire("mono", [(0, 0, 0), (0, 0, 0.075)], radius=5e-4)
    one, two = (
        es.solve(es.Antenna("x", [mono], [es.Port("feed", "mono", at=0, gap=4e-4)], m), HERTZ)
        for m in (board, es.perfect_plane())
    )
    got, want = (s.network.z().values[0, 0, 0] for s in (one, two))
    assert abs(got - want) < 0.02 * abs(want)
    assert es.evidence(one, es.watts(1)).balance == pytest.approx(0.0, abs=3e-4)


@pytest.mark.parametrize("permittivity", [2.2, 10.2])
def test_a_board_turned_over_is_the_same(permittivity):
    one = es.substrate("5 mm", permittivity, open_below=True)
    other = es.Stack(one.layers, 0, open_below=True)
    fields, impedances = [], []
    for board in (one, other):
        sheet = es.Sheet("strip", shapes.plate(0.1, 0.004, centre=(0, 0, board.level)))
        port = es.Port("feed", "strip", at=(0, 0, board.level), across="x", gap="2 mm")
        solution = es.solve(es.Antenna("s", [], [port], board, sheets=[sheet]), HERTZ)
        driven = solution.drive()
        assert abs(driven.balance) < 2e-5
        fields.append(driven.far_field())
        impedances.append(solution.network.z().values[0, 0, 0])
    assert abs(impedances[0] - impedances[1]) < 1e-9 * abs(impedances[0])
    theta = np.radians([10, 60, 100, 150])
    assert fields[0].gain(theta, np.full(4, 0.7)) == pytest.approx(fields[1].gain(math.pi - theta, np.full(4, 0.7)))


def over(stack, *wires, sheets=()):
    return es.Antenna("x", wires, [es.Port("feed", wires[0].name, at=0)], stack, sheets=sheets)


TOP = 3e-3
BOARD, OPEN, COVERED = es.substrate(TOP, 3.0), es.substrate(TOP, 3.0, open_below=True), BOARDS["covered"]


@pytest.mark.parametrize(
    ("antenna", "says"),
    [
        (over(BOARD, es.Wire("w", [(0, 0, TOP), (0, 0, 0.1)], radius=1e-3)), "stands on no metal there"),
        (over(BOARD, es.Wire("w", [(0, 0, TOP + 1e-3), (0.1, 0, TOP + 1e-3)], radius=1e-3)), "less than 4 radii"),
        (over(BOARD, es.Wire("w", [(0, 0, 0), (0.02, 0, 0.1)], radius=1e-3)), "not a probe through the layers"),
        (over(BOARD, es.Wire("w", [(0, 0, 1e-3), (0, 0, 0.1)], radius=1e-3)), "not a probe through the layers"),
        (over(OPEN, es.Wire("w", [(0, 0, 0), (0, 0, 0.1)], radius=1e-3)), "begins on no metal"),
        (over(OPEN, es.Wire("w", [(0, 0, -0.1), (0.1, 0, -0.1)], radius=1e-3)), "keep it over their top"),
        (
            over(
                BOARD,
                es.Wire("w", [(0, 0, 0), (0, 0, 0.1)], radius=1e-3),
                sheets=[es.Sheet("s", shapes.plate(0.1, 0.1, centre=(0, 0, TOP)))],
            ),
            "passes through printed metal",
        ),
        (
            over(BOARD, rod(BOARD, 0.1), sheets=[es.Sheet("s", shapes.plate(0.1, 0.1, centre=(0, 0, 1e-3)))]),
            "on no face of the layers",
        ),
        (
            over(BOARD, rod(BOARD, 0.1), sheets=[es.Sheet("s", shapes.cylinder(0.1, 0.1, base=(0, 0, TOP)))]),
            "on no face of the layers",
        ),
    ],
)
def test_what_cannot_be_over_a_board_is_told(antenna, says):
    with pytest.raises(es.ModelError, match=says):
        es.solve(antenna, HERTZ)


def test_a_board_keeps_what_it_is_in_files(tmp_path):
    antenna = everything(es.substrate("3 mm", 3.0))
    solution = es.solve(antenna, HERTZ)
    es.write(solution, tmp_path / "all.nc")
    again = es.read_results(tmp_path / "all.nc")
    one, two = (s.drive({"feed": es.volts(1)}).near_field([(0.1, 0.1, 0.2)]).e for s in (solution, again))
    assert two == pytest.approx(one, rel=1e-9)
    board = es.substrate("3 mm", 3.0, open_below=True)
    open_below = es.solve(es.Antenna("x", [rod(board, 0.1)], [es.Port("feed", "rod")], board), HERTZ)
    es.write(open_below, tmp_path / "open.nc")
    assert es.read_results(tmp_path / "open.nc").antenna.medium == board
