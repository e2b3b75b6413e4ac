"""Wires through layers that are long beside the wavelength: their currents vary, and are what they are elsewhere."""

import numpy as np
import pytest

import earshot as es
from earshot.answers.driven import currents_of
from earshot.cells import Cell, rectangular, scan, towards
from earshot.constants import WAVE_IMPEDANCE
from earshot.fields.around import around
from earshot.fields.near import power_through_box
from earshot.fields.radiator import looking
from earshot.layers import BothSides, Spectrum
from earshot.media.sweep import Upright
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.layered import layered

HERTZ = 5.8e9
WAVE = 299_792_458.0 / HERTZ
AIR = es.Dielectric("air", 1.0)
OPEN = [("open", seed) for seed in (0, 1)]
RADIUS = 0.3e-3


def layers(rng, count, low=1e-3, high=6e-3, lossless=True):
    loss = 0.0 if lossless else 0.02
    made = [es.Dielectric(f"of {n}", rng.uniform(1.0, 4.0), loss, rng.uniform(1.0, 1.3)) for n in range(count)]
    return [es.Layer(rng.uniform(low, high), one) for one in made]


def pin(low, high, name="pin", x=2e-3, y=-1e-3):
    return es.Wire(name, [(x, y, low), (x, y, high)], radius=RADIUS)


def patch(height, name="patch", x=0.0, size=(16e-3, 14e-3)):
    return es.Sheet(name, es.shapes.plate(*size, centre=(x, 0, height)))


def fed(medium, *sheets, wires):
    ports = [es.Port(f"port {n}", on=wire.name, at=0) for n, wire in enumerate(wires)]
    return es.Antenna("board", list(wires), ports, medium, sheets=list(sheets))


def z_of(answer):
    return answer.network.z().values[0]


@pytest.mark.parametrize("shut", ["open", "plane", "lid"])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_what_fades_is_many_that_end_one_after_the_other(seed, shut):
    """A current that falls evenly is the mean of currents that end at once, at all heights on the way."""
    rng = np.random.default_rng(seed)
    stack = es.Stack(layers(rng, 3, lossless=False), open_below=shut == "open", lid=shut == "lid")
    over = int(rng.integers(0, 3))
    low, high = stack.faces[over : over + 2]
    x, w = np.polynomial.legendre.leggauss(32)
    heights = low + (high - low) * (x + 1.0) / 2.0
    fine = stack.cut_at(heights)
    ends = [Upright(int(fine.face_at(z))) for z in heights]
    k = np.array([0.05, 0.4, 0.8, 1.3, 2.6, 6.0]) * (1.0 - 0.05j)
    coarse, many = (Spectrum(one, HERTZ).sweep(k) for one in (stack, fine))
    fading = Upright(over + 1, 1)
    for face in range(4):
        place = int(fine.face_at(stack.faces[face]))
        want = sum(0.5 * share * many.probe_at(end, place)[0] for share, end in zip(w, ends, strict=True))
        assert np.abs(coarse.probe_at(fading, face)[0] - want).max() <= 1e-12
    same = Upright(int(fine.face_at(high)), int(fine.face_at(high) - fine.face_at(low)))
    both = sum(0.5 * share * many.reaction(same, end) for share, end in zip(w, ends, strict=True))
    assert coarse.reaction(fading, fading) == pytest.approx(both, rel=1e-9)


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_layer_is_what_it_is_however_it_is_cut(seed):
    rng = np.random.default_rng(seed)
    stack = es.Stack(layers(rng, 2, lossless=False)).on(2, 1)
    low, high = stack.faces[1:]
    cut = stack.cut(rng.uniform(low, high))[0].cut(rng.uniform(0.0, low))[0]
    k = np.array([0.1, 0.9, 3.0, 40.0]) * (1.0 - 0.02j)
    one, two = (Spectrum(x, HERTZ) for x in (stack, cut))
    assert two.upright == Upright(4, 2)
    lines = one.sweep(k), two.sweep(k)
    found = [x.reaction(y.upright, y.upright) for x, y in zip(lines, (one, two), strict=True)]
    assert found[0] == pytest.approx(found[1], rel=1e-10)
    assert two.above(k) == pytest.approx(one.above(k), rel=1e-9)


@pytest.mark.parametrize("seed", [1, 2])
def test_one_current_all_along_is_the_sum_of_all_pieces(seed):
    """The matrix of a pin that is divided, with one current in all pieces, is that of one that is not."""
    rng = np.random.default_rng(seed)
    stack = es.Stack(layers(rng, 2, lossless=False), lid=True)
    antenna = fed(stack, wires=[pin(0, stack.thickness), pin(0, stack.thickness, "other", x=rng.uniform(4e-3, 9e-3))])
    coarse, fine = (antenna_basis(antenna, wave, es.MeshRule()) for wave in (100 * WAVE, WAVE))
    assert coarse.size == 2
    assert fine.size > 8
    operator = formulation(stack)
    upward = np.zeros((fine.size, 2))
    half, wires = fine.wires.halves[0], fine.mesh.wire[fine.wires.halves[0] // 2]
    # Coefficients of the same current at every node, upwards.
    upward[np.arange(fine.size), wires] = fine.wires.signs[0] * np.sign(fine.mesh.tangents[half // 2, 2])
    got = upward.T @ operator.matrix(fine, HERTZ) @ upward
    want = operator.matrix(coarse, HERTZ)
    assert np.abs(got - want).max() < 1e-4 * np.abs(want).max()


@pytest.mark.parametrize("seed", [1, 2])
def test_a_pin_in_a_layer_of_air_is_a_wire_over_a_plane(seed):
    """Impedance and fields, where one current all along is wrong by a factor."""
    rng = np.random.default_rng(seed)
    high = rng.uniform(6e-3, 11e-3)
    metal = [patch(high, size=rng.uniform(13e-3, 18e-3, 2))]
    wires = [pin(0, high, x=rng.uniform(-4e-3, 4e-3))]
    cut = [es.Layer(0.3 * high, AIR), es.Layer(0.7 * high, AIR)] if seed == 2 else [es.Layer(high, AIR)]
    board, plane = (es.solve(fed(medium, *metal, wires=wires), HERTZ) for medium in (es.Stack(cut), es.perfect_plane()))
    z, want = z_of(board)[0, 0], z_of(plane)[0, 0]
    assert abs(z - want) < 0.04 * abs(want)
    one, two = (answer.drive(es.amperes(1)) for answer in (board, plane))
    points = [(9e-3, 4e-3, 0.4 * high), (-6e-3, 5e-3, 0.9 * high), (2e-3, 3e-3, 1.6 * high)]
    near, wanted = one.near_field(points), two.near_field(points)
    for a, b in ((near.e, wanted.e), (near.h, wanted.h)):
        assert np.abs(np.asarray(a) - np.asarray(b)).max() < 0.04 * np.abs(np.asarray(b)).max()
    assert abs(one.balance) < 1e-4


def test_a_rod_through_a_layer_of_air_and_beyond():
    rng = np.random.default_rng(1)
    high, beyond = rng.uniform(3e-3, 9e-3), rng.uniform(3e-3, 8e-3)
    rod = [pin(0, high + beyond)]
    board, plane = (
        es.solve(fed(medium, wires=rod), HERTZ) for medium in (es.Stack(es.Layer(high, AIR)), es.perfect_plane())
    )
    assert z_of(board)[0, 0] == pytest.approx(z_of(plane)[0, 0], rel=0.02)
    points = [(1e-3, 2e-3, 1.5 * high), (5e-3, 0, high + 1e-3), (0.02, 0.01, 0.03)]
    one, two = (np.asarray(x.drive(es.amperes(1)).near_field(points).e) for x in (board, plane))
    assert np.abs(one - two).max() < 0.01 * np.abs(two).max()
    peaks = [x.drive().far_field().field(np.radians(55.0), 0.3)[0] for x in (board, plane)]
    assert abs(peaks[0]) == pytest.approx(abs(peaks[1]), rel=0.02)


def test_what_goes_on_over_layers_begins_on_them():
    """Whatever rounding makes of the sum of their thicknesses."""
    rng = np.random.default_rng(2)
    for _ in range(100):
        stack = es.Stack(layers(rng, int(rng.integers(1, 4)), 1e-4, 2e-3))
        basis = antenna_basis(fed(stack, wires=[pin(0, stack.thickness + 6e-3)]), WAVE, es.MeshRule())
        aloft = layered(basis, stack).aloft
        assert aloft is not None
        mesh = aloft.basis.mesh
        assert mesh.nodes[np.unique(mesh.ends), 2].min() == 0.0


@pytest.mark.parametrize("seed", [1, 2])
def test_an_open_board_of_air_radiates_as_free_space_does(seed):
    """Above it and below, each piece of a pin: what a triangle of current sends is known in closed form."""
    rng = np.random.default_rng(seed)
    stack = es.Stack([es.Layer(rng.uniform(3e-3, 6e-3), AIR) for _ in range(seed)], open_below=True)
    high = stack.thickness
    antenna = fed(stack, patch(0.0, "low"), patch(high, "high"), wires=[pin(0, high)])
    basis, k = antenna_basis(antenna, WAVE, es.MeshRule()), 2.0 * np.pi / WAVE
    theta = np.radians([15.0, 60.0, 85.0, 95.0, 130.0, 170.0])
    z, ends = basis.mesh.nodes[:, 2], basis.wires.ends.toarray().reshape(len(basis.mesh), 2, -1)
    # The last one and the first go on into metal.
    for n in range(1, basis.wires.size - 1):
        flow = currents_of(antenna, basis, np.eye(basis.size)[basis.first_wire + n].astype(complex), HERTZ)
        got = around(stack).far(flow, looking(theta, np.zeros(6)))[0]
        sent = np.zeros(6, complex)
        for (a, b), (one, two) in zip(basis.mesh.ends, ends[:, :, n], strict=True):
            x, w = np.polynomial.legendre.leggauss(8)
            at, current = z[a] + (z[b] - z[a]) * (x + 1) / 2, one + (two - one) * (x + 1) / 2
            sent += np.exp(1j * k * np.cos(theta)[:, None] * at) @ (0.5 * w * (z[b] - z[a]) * current)
        sent *= np.exp(1j * k * np.sin(theta) * 2e-3)
        want = 1j * k * WAVE_IMPEDANCE / (4 * np.pi) * np.sin(theta) * sent
        assert np.abs(got - want).max() < 1e-5 * np.abs(want).max()


@pytest.mark.parametrize(("kind", "seed"), [(kind, 0) for kind in ("plane", "cover", "lid", "rod")] + OPEN)
def test_power_is_accounted_for(kind, seed):
    rng = np.random.default_rng(len(kind) + seed)
    stack = es.Stack(layers(rng, 2, 3e-3, 5e-3), open_below=kind == "open", lid=kind == "lid")
    top = stack.faces[1] if kind in ("cover", "lid") else stack.thickness
    sheets, wires = [patch(top)], [pin(0, top)]
    if kind == "open":
        sheets.append(patch(0.0, "under", size=(22e-3, 20e-3)))
    if kind == "lid":
        wires.append(pin(0, stack.thickness, "post", x=12e-3))
    if kind == "rod":
        sheets, wires = [], [pin(0, top + 6e-3)]
    answer = es.solve(fed(stack, *sheets, wires=wires), HERTZ)
    assert not answer.response.basis.wires.even.any()
    for n in range(len(wires)):
        # A rod's ring is seen from its axis, and the other way round.
        assert abs(answer.drive({f"port {n}": es.volts(1)}).balance) < (1e-3 if kind == "rod" else 3e-5)
    z = z_of(answer)
    assert np.abs(z - z.T).max() < 1e-9 * np.abs(z).max()


def test_power_through_boxes_inside_the_board():
    """What a pin sends passes every box round it."""
    rng = np.random.default_rng(6)
    stack = es.Stack(layers(rng, 1, 5e-3, 8e-3), lid=True)
    answer = es.solve(fed(stack, wires=[pin(0, stack.thickness, x=0, y=0)]), HERTZ).drive()
    box = (-4e-3, -4e-3, 0), (4e-3, 4e-3, stack.thickness)
    assert power_through_box(answer.flow, *box, order=10) == pytest.approx(answer.accepted, rel=2e-3)


def test_receiving_is_sending():
    """V_oc = (4π r e^{jkr}/jkη) E_t·E_i, with E_t for one ampere."""
    rng = np.random.default_rng(8)
    stack = es.Stack(layers(rng, 2, 3e-3, 5e-3))
    answer = es.solve(fed(stack, patch(stack.thickness), wires=[pin(0, stack.thickness)]), HERTZ)
    sent = answer.drive(es.amperes(1)).far_field().field(*np.radians([40.0, 70.0]))
    got = es.receive(answer, es.plane_wave(40, 70, 0.6, 0.8j), terminations={"port 0": es.circuits.open_circuit()})
    want = 4 * np.pi / (2j * np.pi / WAVE * 376.730313668) * (0.6 * sent[0] + 0.8j * sent[1])
    assert got.voltages[0] == pytest.approx(complex(want), rel=1e-6)


def test_layers_on_both_sides_of_a_plane_with_an_opening():
    rng = np.random.default_rng(9)
    over, under = (es.Stack(layers(rng, 1, 4e-3, 6e-3)) for _ in range(2))
    slot = es.Sheet("slot", es.shapes.plate(10e-3, 2e-3, centre=(0, 0, 0)))
    wires = [pin(0, over.thickness, "up", y=4e-3), pin(0, -under.thickness, "down", y=-4e-3)]
    metal = [patch(over.thickness), patch(-under.thickness, "lower"), slot]
    answer = es.solve(fed(BothSides(over, under), *metal, wires=wires), HERTZ)
    assert answer.response.basis.wires.size > 6
    assert abs(z_of(answer)[0, 1]) > 1.0
    for n in (0, 1):
        assert abs(answer.drive({f"port {n}": es.volts(1)}).balance) < 1e-3


def test_an_open_board_turned_over_is_the_same():
    made = es.Dielectric("q", 3.0), es.Dielectric("r", 1.5)
    found = []
    for turned in (False, True):
        parts = [es.Layer("3 mm", made[0]), es.Layer("5 mm", made[1])][:: -1 if turned else 1]
        low, high = (8e-3, 0.0) if turned else (0.0, 8e-3)
        sheets = patch(low, "low", size=(20e-3, 18e-3)), patch(high, "high", x=1e-3)
        wires = [pin(low, high)]
        answer = es.solve(fed(es.Stack(parts, open_below=True), *sheets, wires=wires), HERTZ)
        heights = [8e-3 - z if turned else z for z in (-2e-3, 1e-3, 6.3e-3, 12e-3)]
        field = np.asarray(answer.drive(es.amperes(1)).near_field([(5e-3, 3e-3, z) for z in heights]).e)
        far = answer.drive(es.amperes(1)).far_field().field(np.radians(150.0 if turned else 30.0), 0.5)
        found.append((z_of(answer)[0, 0], np.abs(field), np.abs(far)))
    for one, two in zip(*found, strict=True):
        assert two == pytest.approx(one, rel=1e-4)


@pytest.mark.parametrize("kind", ["patch", "rod"])
def test_cells_without_end(kind):
    """On a layer of air as over a plane."""
    high = 8e-3
    metal = [patch(high, size=(14e-3, 14e-3))] if kind == "patch" else []
    wires = [pin(0, high + (8e-3 if kind == "rod" else 0.0), x=0)]
    found = []
    for medium in (es.Stack(es.Layer(high, AIR)), es.perfect_plane()):
        one = scan(Cell(fed(medium, *metal, wires=wires), rectangular(0.027, 0.027)), towards(20.0, 30.0), HERTZ)
        assert abs(one.fed(0).balance) < 2e-3
        found.append(one.scattering[0, 0, 0])
    assert abs(found[0] - found[1]) < 0.01


def test_the_fast_way_is_the_dense_one():
    stack = es.Stack(es.Layer("6 mm", es.Dielectric("foam", 1.5)))
    places = (0.0, 0.03)
    sheets = [patch(6e-3, f"patch {n}", x=x) for n, x in enumerate(places)]
    antenna = fed(stack, *sheets, wires=[pin(0, 6e-3, f"pin {n}", x=x + 3e-3) for n, x in enumerate(places)])
    fast, dense = (es.solve(antenna, HERTZ, method=x).network.s().values[0] for x in ("fast", "dense"))
    assert np.abs(fast - dense).max() < 1e-3


def test_results_files_hold_it(tmp_path):
    stack = es.Stack(es.Layer("6 mm", es.Dielectric("foam", 1.5)))
    answer = es.solve(fed(stack, patch(6e-3), wires=[pin(0, 6e-3)]), HERTZ)
    es.write(answer, tmp_path / "long.nc")
    again = es.read_results(tmp_path / "long.nc")
    points = [(5e-3, 1e-3, 2e-3), (0, 0, 0.01)]
    one, two = (np.asarray(x.drive().near_field(points).e) for x in (answer, again))
    assert two == pytest.approx(one, rel=1e-12)


@pytest.mark.parametrize("seed", range(12))
def test_no_piece_is_a_sliver(seed):
    """However near to one another gaps of several pins are, and to faces."""
    rng = np.random.default_rng(seed)
    stack = es.Stack(layers(rng, 2), lid=True)
    radii, at = rng.uniform(0.1e-3, 0.4e-3, 3), rng.uniform(0.2, 0.8, 3)
    wires = [es.Wire(f"pin {n}", [(0.01 * n, 0, 0), (0.01 * n, 0, stack.thickness)], radius=radii[n]) for n in range(3)]
    at[1:] = np.clip(at[0] + rng.uniform(-1e-2, 1e-2, 2), 0.2, 0.8)
    at[2] = stack.faces[1] / stack.thickness + 1e-3
    ports = [es.Port(f"port {n}", on=f"pin {n}", at=float(at[n])) for n in range(3)]
    basis = antenna_basis(es.Antenna("pins", wires, ports, stack), WAVE, es.MeshRule())
    assert basis.mesh.lengths.min() > 0.25 * min(radii.min(), *(0.5 * x.thickness for x in stack.layers))


def test_evidence_halves_the_pieces_too():
    answer = es.solve(fed(es.Stack(es.Layer("4 mm", AIR)), wires=[pin(0, 9e-3)]), HERTZ)
    found = es.evidence(answer, es.watts(1))
    assert found.balance == pytest.approx(0.0, abs=2e-3)
    assert 0.0 < found.residual < 1.0


def test_what_is_short_is_not_divided_and_what_is_too_long_refused():
    board = es.substrate("1.6 mm", "glass epoxy")
    thin = antenna_basis(fed(board, patch(1.6e-3), wires=[pin(0, 1.6e-3)]), 6 * WAVE, es.MeshRule())
    assert thin.wires.even.all()
    thick = es.substrate("120 mm", 2.0)
    with pytest.raises(es.ModelError, match="wavelengths thick at 5800 MHz, more than 2"):
        es.solve(fed(thick, patch(0.12), wires=[pin(0, 0.12)]), HERTZ)
