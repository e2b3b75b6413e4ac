"""The matrix: blocks on demand, symmetry that is not mirrored, currents at joints."""

import numpy as np
import pytest
from models import ONE_METRE, monopole

import earshot as es
from earshot.meshing.mesh import MeshRule, mesh
from earshot.moments.matrix import WireMatrix
from earshot.moments.operator import Dense
from earshot.moments.wire_basis import wire_basis

KINDS = {
    "tripod": es.Antenna(
        "tripod",
        [
            es.Wire("mast", [(0, 0, 0.3), (0, 0, 0.55)], radius=0.004),
            es.Wire("leg 1", [(0, 0, 0.3), (0.2, 0, 0.1)], radius=0.002),
            es.Wire("leg 2", [(0, 0, 0.3), (-0.1, 0.17, 0.1)], radius=0.004),
            es.Wire("leg 3", [(0, 0, 0.3), (-0.1, -0.17, 0.1)], radius=0.006),
        ],
        [es.Port("feed", on="mast", at=0.2)],
    ),
    "close pair over a plane": es.Antenna(
        "pair",
        [
            es.Wire("one", [(0, 0, 0), (0, 0, 0.2), (0.15, 0.1, 0.2)], radius=0.002),
            es.Wire("two", [(0.012, 0, 0.05), (0.012, 0, 0.3)], radius=0.003),
        ],
        [es.Port("foot", on="one", at=0)],
        es.perfect_plane(),
    ),
    "fat": es.Antenna("fat", [es.Wire("rod", [(0, 0, 0), (0, 0, 0.5)], radius=0.02)], [es.Port("feed", on="rod")]),
}  # fmt: skip


def filled(matrix):
    found = np.empty((matrix.basis.size, matrix.basis.size), complex)
    matrix.fill(found)
    return found


@pytest.mark.parametrize("name", KINDS)
def test_blocks_are_symmetric_without_being_mirrored(name):
    antenna = KINDS[name]
    basis = wire_basis(mesh(antenna, 1.0))
    matrix = WireMatrix(basis, es.solve(antenna, ONE_METRE).frequencies[0], antenna.medium.has_plane)
    first, second = np.arange(0, basis.size, 2), np.arange(1, basis.size, 2)
    one, two = matrix.block(first, second), matrix.block(second, first)
    assert np.abs(one - two.T).max(axis=1).max() <= 1e-6 * np.abs(one).max(axis=1).min()
    full = filled(matrix)
    np.testing.assert_allclose(full[np.ix_(first, second)], one, rtol=0, atol=1e-6 * np.abs(one).max())


def test_threads_do_not_change_the_matrix(monkeypatch):
    antenna = KINDS["tripod"]
    matrix = WireMatrix(wire_basis(mesh(antenna, 0.3)), 1e9, False)
    monkeypatch.setenv("EARSHOT_THREADS", "1")
    alone = filled(matrix)
    monkeypatch.setenv("EARSHOT_THREADS", "3")
    np.testing.assert_array_equal(alone, filled(matrix))


def test_currents_at_a_joint_add_up_to_zero():
    antenna = KINDS["tripod"]
    driven = es.solve(antenna, ONE_METRE).drive()
    grid, ends = driven.flow.mesh, driven.flow.ends
    joint = int(np.argmin(np.linalg.norm(grid.nodes - [0, 0, 0.3], axis=1)))
    flows = [ends[s, e] * (1 if e else -1) for s, e in np.argwhere(grid.ends == joint)]
    assert len(flows) == 4
    assert abs(sum(flows)) < 1e-12 * max(abs(f) for f in flows)


def test_open_ends_carry_nothing_and_feet_carry_all():
    driven = es.solve(monopole(0.235, 1e-3), ONE_METRE).drive()
    current = driven.currents_table()["current_A"].to_numpy()
    assert abs(current[-1]) == 0.0
    # The port's current is the mean over a gap three radii high; at the foot itself it differs a little.
    assert abs(current[0]) == pytest.approx(abs(driven.currents[0]), rel=0.005)


def test_uniform_mesh_ignores_ends_and_ports():
    grid = mesh(KINDS["fat"], 1.0, MeshRule(per_wavelength=40, growth=None))
    assert len(grid) == 20
    assert np.ptp(grid.lengths) < 1e-12


def test_a_port_of_no_width_takes_the_current_at_its_node():
    wire = es.Wire("rod", [(0, 0, -0.24), (0, 0, 0.24)], radius=1e-3)
    narrow, wide = (
        es.solve(es.Antenna("d", [wire], [es.Port("feed", on="rod", gap=g)]), ONE_METRE).network.y().values[0, 0, 0]
        for g in (0.0, 0.006)
    )
    assert narrow.real == pytest.approx(wide.real, rel=5e-3)
    assert narrow.imag > wide.imag


@pytest.mark.parametrize("seed", range(12))
def test_factors_multiply_and_solve_as_their_matrix_does(seed):
    rng = np.random.default_rng(seed)
    n, columns = int(rng.integers(1, 60)), int(rng.integers(1, 5))
    half = rng.normal(size=(n, n)) + 1j * rng.normal(size=(n, n))
    matrix, right = half + half.T, rng.normal(size=(n, columns)) + 1j * rng.normal(size=(n, columns))
    factors = Dense(matrix.copy()).factors()
    np.testing.assert_allclose(factors.product(right), matrix @ right, rtol=0, atol=1e-12 * n)
    np.testing.assert_allclose(factors.product(factors.solve(right)), right, rtol=0, atol=1e-9 * n)
