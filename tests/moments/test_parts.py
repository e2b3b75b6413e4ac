"""The fast way to solve wires and sheets in the open: its parts against the dense matrix, and the whole of it."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

import earshot as es
from earshot.answers.prepare import estimate, prepare
from earshot.constants import wavenumber
from earshot.kernels.fading import faded_shares
from earshot.moments import fast_open, ways
from earshot.moments import iterative as iterations
from earshot.moments.clusters import boxes_of, clusters_of
from earshot.moments.earth import table_for
from earshot.moments.feet_rows import feet_rows, standing
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.response import impedance_operator
from earshot.moments.tiles import Tiles

HERTZ = 300e6
MEDIA = {"free space": None, "plane": es.perfect_plane(), "meadow": es.earth("meadow"), "sea": es.earth("sea")}


def metal(rng, medium):
    """Bent wires, plates turned anyhow, and at times a wire that stands on a plate, over anything."""
    sheets, wires, ports = [], [], []
    for n in range(rng.integers(1, 4)):
        start = np.array([1.3 * n, 0.0, rng.uniform(0.1, 2.0)])
        bends = start + np.cumsum(rng.uniform([0.1, -0.3, 0.0], [0.3, 0.3, 0.2], (3, 3)), axis=0)
        made = {"metal": es.materials.metals["copper"]} if rng.random() < 0.3 else {}
        wires.append(es.Wire(f"wire {n}", [start, *bends], radius=10 ** rng.uniform(-3.3, -2.0), **made))
        ports.append(es.Port(f"feed {n}", on=f"wire {n}", at=rng.uniform(0.1, 0.9)))
    for n in range(rng.integers(0, 3)):
        middle = np.array([1.3 * n, -1.2, rng.uniform(1.0, 2.0)])
        plate = es.shapes.plate(rng.uniform(0.4, 0.9), rng.uniform(0.3, 0.8), centre=tuple(middle))
        sheets.append(es.Sheet(f"plate {n}", plate))
        if rng.random() < 0.7:
            top = middle + np.array([0.05, 0.02, 0.0])
            wires.append(es.Wire(f"rod {n}", [top, top + np.array([0.0, 0.1, 0.25])], radius=2e-3))
            ports.append(es.Port(f"foot {n}", on=f"rod {n}", at=0))
    given = {} if medium is None else {"medium": medium}
    return es.Antenna("anything", wires, ports, sheets=sheets, **given)


def tiles_of(antenna, basis):
    below = formulation(antenna.medium)
    table = None
    if antenna.medium.reflects and not antenna.medium.grounds:
        table = table_for(basis, antenna.medium.at(HERTZ), wavenumber(HERTZ))
    return below, Tiles(basis, HERTZ, antenna.medium.grounds, table)


@pytest.mark.parametrize("name", MEDIA)
@pytest.mark.parametrize("seed", range(2))
def test_random_wires_and_plates_are_as_by_the_dense_matrix(name, seed):
    antenna = metal(np.random.default_rng(100 * seed + len(name)), MEDIA[name])
    fast, dense = (es.solve(antenna, HERTZ, method=method, errors=False) for method in ("fast", "dense"))
    assert "iterations" in fast.record.ways[HERTZ]
    assert fast.record.ways[HERTZ].endswith("; what is far in single precision")
    np.testing.assert_allclose(fast.network.s().values, dense.network.s().values, rtol=0, atol=5e-4)
    drive = {antenna.ports[0].name: es.watts(1.0)}
    one, two = (s.drive(drive).far_field().summary()["value"] for s in (fast, dense))
    for figure in ("gain", "directivity"):
        assert abs(one[figure] - two[figure]) < 0.01


@pytest.mark.parametrize("name", MEDIA)
def test_a_tile_is_that_of_the_whole_matrix(name):
    rng = np.random.default_rng(len(name))
    antenna = metal(rng, MEDIA[name])
    basis = antenna_basis(antenna, 1.0, es.MeshRule(per_wavelength=24))
    below, tiles = tiles_of(antenna, basis)
    whole, feet = below.matrix(basis, HERTZ), standing(basis)
    own = np.setdiff1d(np.arange(basis.size), feet)
    size = np.sqrt(np.abs(np.diag(whole)))
    for _ in range(4):
        rows, columns = (np.sort(rng.choice(own, min(len(own), 60), replace=False)) for _ in range(2))
        found = tiles.tile(rows, columns, 0.3)
        scaled = np.abs(found[0] - whole[np.ix_(rows, columns)]) / np.outer(size[rows], size[columns])
        assert scaled.max() < 2e-6
    rows = tiles.tile(feet, np.arange(basis.size))[0] + feet_rows(basis, HERTZ, tiles.plane, tiles.table)
    assert (np.abs(rows - whole[feet]) / np.outer(size[feet], size)).max(initial=0.0) < 1e-5


def test_what_fades_is_whole_near_by_and_nothing_beyond():
    one, two = np.zeros((1, 3)), np.array([[0.1, 0.0, 0.0], [0.0, 0.499, 0.0], [0.0, 0.75, 0.0], [0.0, 0.0, 1.01]])
    left = np.empty((1, 4))
    faded_shares(one, two, 1.0, left)
    np.testing.assert_allclose(left, [[1.0, 1.0, 0.5, 0.0]])
    antenna = metal(np.random.default_rng(5), None)
    basis = antenna_basis(antenna, 1.0, es.MeshRule())
    _, tiles = tiles_of(antenna, basis)
    every = np.arange(basis.size)
    exact, fades = tiles.tile(every, every, 1e3)
    np.testing.assert_allclose(fades, exact, rtol=1e-12)


def test_pairs_of_functions_are_in_one_pair_of_clusters_and_the_far_are_far():
    rng = np.random.default_rng(9)
    middles = rng.uniform(0.0, [9.0, 4.0, 0.3], (1500, 3))
    low, high = middles - 0.03, middles + rng.uniform(0.01, 0.05, (1500, 3))
    found = clusters_of(low, high, 0.4)
    times = np.zeros((1500, 1500), int)
    for pairs, far in ((found.near, False), (found.far, True)):
        for one, two in pairs.tolist():
            rows, columns = found.functions(one), found.functions(two)
            times[np.ix_(rows, columns)] += 1
            if one != two:
                times[np.ix_(columns, rows)] += 1
            if far:
                gap = np.maximum(low[columns].min(axis=0) - high[rows].max(axis=0),
                                 low[rows].min(axis=0) - high[columns].max(axis=0))  # fmt: skip
                assert np.linalg.norm(np.maximum(gap, 0.0)) > 0.4
    assert (times == 1).all()
    np.testing.assert_array_equal(np.sort(found.order), np.arange(1500))


def field_of_wires(count):
    """Rods in rows, the first of them fed."""
    wires = [
        es.Wire(f"rod {i} {j}", [(0.4 * i, 0.4 * j, 0.0), (0.4 * i + 0.03 * j, 0.4 * j, 0.45)], radius=2e-3)
        for i in range(count) for j in range(count)
    ]  # fmt: skip
    return es.Antenna("field", wires, [es.Port("feed", on="rod 0 0")])


def test_the_operator_is_the_matrix_and_symmetric_and_the_same_on_one_thread(monkeypatch):
    antenna = field_of_wires(9)
    basis = antenna_basis(antenna, 1.0, es.MeshRule())
    whole = formulation(antenna.medium).matrix(basis, HERTZ)
    operator = formulation(antenna.medium).operator(basis, HERTZ, None)
    assert operator.inside.nested.far
    assert operator.bytes < 0.7 * whole.nbytes
    rng = np.random.default_rng(3)
    columns = rng.normal(size=(basis.size, 3)) + 1j * rng.normal(size=(basis.size, 3))
    found, exact = operator.product(columns), whole @ columns
    np.testing.assert_allclose(found, exact, rtol=0, atol=1e-4 * np.abs(exact).max())
    one, two = columns[:, 0], columns[:, 1]
    assert abs(two @ found[:, 0] - one @ found[:, 1]) < 1e-6 * abs(two @ found[:, 0])
    monkeypatch.setenv("EARSHOT_THREADS", "1")
    again = formulation(antenna.medium).operator(basis, HERTZ, None).product(columns)
    np.testing.assert_allclose(again, found, rtol=0, atol=1e-6 * np.abs(exact).max())


def test_what_few_functions_cannot_hold_is_told(monkeypatch):
    monkeypatch.setattr(fast_open, "_MISFIT", 0.0)
    with pytest.raises(es.RunError, match=r"cannot be held by few: .* --method dense"):
        es.solve(field_of_wires(5), HERTZ, method="fast", errors=False)


def test_the_faster_way_is_taken_by_itself_and_left_where_it_fails(monkeypatch, caplog):
    monkeypatch.setattr(ways, "_WORTH_IN_PARTS", 100)
    antenna = field_of_wires(4)
    assert prepare(antenna, HERTZ).way == "fast"
    fast = es.solve(antenna, HERTZ)
    assert "iterations" in fast.record.ways[HERTZ]
    monkeypatch.setattr(iterations, "_MOST", 1)
    monkeypatch.setattr(iterations, "_KEPT", 1)
    dense = es.solve(antenna, HERTZ)
    assert dense.record.ways[HERTZ] == "dense"
    assert "came to rest" in caplog.text
    np.testing.assert_allclose(dense.network.z().values, fast.network.z().values, rtol=1e-4)
    np.testing.assert_allclose(es.mesh_errors(fast)["±"], es.mesh_errors(dense)["±"], rtol=2e-2, atol=1e-4)
    with pytest.raises(es.RunError, match="came to rest"):
        es.solve(antenna, HERTZ, method="fast")


def test_what_it_takes_is_told():
    antenna = field_of_wires(6)
    ready = prepare(antenna, HERTZ, method="fast")
    told = estimate(ready, HERTZ)
    assert ready.way == told.way == "fast"
    assert impedance_operator(antenna, ready.basis, HERTZ, "fast").bytes < told.bytes


def test_boxes_hold_their_functions():
    turned = Rotation.from_euler("xyz", [20, 30, 40], degrees=True)
    corners = turned.apply([(-0.3, -0.2, 0.0), (0.3, -0.2, 0.0), (0.3, 0.2, 0.0), (-0.3, 0.2, 0.0)])
    sheet = es.Sheet("plate", es.shapes.triangles(corners, [(0, 1, 2), (0, 2, 3)]))
    rod = es.Wire("rod", [(1.0, 0.0, 0.0), (1.2, 0.1, 0.4)], radius=5e-3)
    basis = antenna_basis(es.Antenna("both", [rod], [es.Port("feed", on="rod")], sheets=[sheet]), 1.0, es.MeshRule())
    low, high = boxes_of(basis)
    places = [basis.sheet_mesh.corners[basis.sheets.pairs], basis.mesh.nodes[basis.mesh.ends[basis.wires.halves // 2]]]
    for own, some in zip(places, (slice(0, basis.first_wire), slice(basis.first_wire, None)), strict=True):
        assert (own.min(axis=(0, 2)) >= low[some]).all()
        assert (own.max(axis=(0, 2)) <= high[some]).all()
