"""Fewer functions out of a basis: on wires a mesh of half as many segments, on sheets even charges on unions."""

import numpy as np
import pytest

import earshot as es
from earshot.moments.fewer import among_fewer, fewer_functions
from earshot.moments.ports import gap_vectors
from earshot.moments.response import impedance_operator


def fewer_of(antenna, frequency, rule=None):
    """A solution, its functions and what is left of them."""
    answer = es.solve(antenna, frequency, rule=rule)
    basis = answer.response.basis
    return answer, basis, fewer_functions(antenna, basis, gap_vectors(antenna, basis))


@pytest.mark.parametrize("seed", range(4))
def test_of_even_segments_they_are_a_mesh_of_half_as_many(seed):
    rng = np.random.default_rng(seed)
    corner = rng.uniform(-0.2, 0.2, 3)
    wires = [
        es.Wire("a", [(0, 0, -0.3), (0, 0, 0.3)], radius=1e-3),
        es.Wire("b", [(0, 0, 0.3), tuple(corner + np.array([0.3, 0.0, 0.5]))], radius=1e-3),
        es.Wire("c", [(0, 0, 0.3), (-0.3, rng.uniform(0.1, 0.3), 0.5)], radius=1e-3),
        es.Wire("loose", [(0.4, -0.3, 0), (0.4, 0.3, 0.1)], radius=2e-3),
    ]
    antenna = es.Antenna("tree", wires, [es.Port("p", "a", gap=0.0)])
    # Segments a wavelength that cut each of these into an even number, and into half of it.
    fine, coarse = (es.MeshRule(per_wavelength=n, growth=None, port_share=1.0, least=1.0) for n in (80.0, 40.0))
    counts = [es.solve(antenna, 300e6, rule=rule).mesh.wire for rule in (fine, coarse)]
    halved = np.bincount(counts[0]) == 2 * np.bincount(counts[1])
    if not halved.all():
        wires = [w for w, even in zip(wires, halved, strict=True) if even or w.name == "a"]
        antenna = es.Antenna("tree", wires, antenna.ports)
    answer, _, functions = fewer_of(antenna, 300e6, fine)
    half = es.solve(antenna, 300e6, rule=coarse)
    assert functions.shape == (answer.unknowns, half.unknowns)
    one, two = (s.network.impedance().values[0, 0] for s in (answer.rougher[0], half))
    whole = answer.network.impedance().values[0, 0]
    print(abs(one - two), abs(one - whole))
    assert abs(one - two) < 0.1 * abs(one - whole)


@pytest.mark.parametrize("medium", [es.free_space(), es.perfect_plane(), es.earth("meadow")], ids=str)
def test_charge_is_even_on_unions_and_all_of_it_is_counted(medium):
    rng = np.random.default_rng(7)
    for _ in range(5):
        w, long = rng.uniform(0.05, 0.3, 2)
        plate = es.Sheet("plate", es.shapes.plate(w, long, centre=(0, 0, 0.4)))
        mast = es.Wire("mast", [(0, 0, 0.4), (0, 0, 0.4 + rng.uniform(0.1, 0.4))], radius=2e-3)
        port = es.Port("p", "mast", at=0.0, gap=0.02)
        antenna = es.Antenna("mast on a plate", [mast], [port], sheets=[plate], medium=medium)
        answer, basis, functions = fewer_of(antenna, 300e6)
        assert np.linalg.matrix_rank(functions.toarray()) == functions.shape[1] < 0.62 * basis.size
        sheets = basis.sheets
        length = np.linalg.norm(np.diff(sheets.mesh.vertices[sheets.edges], axis=1)[:, 0], axis=1)
        out = np.zeros((len(sheets.mesh), basis.first_wire))
        for side, sign in ((0, 1.0), (1, -1.0)):
            out[sheets.pairs[side], np.arange(basis.first_wire)] += sign * length
        density = (out @ functions[: basis.first_wire]) / sheets.mesh.areas[:, None]
        rounded = np.round(density / np.abs(density).max(axis=0).clip(1e-30), 9)
        # As many densities as unions: two triangles or more are alike in every function but round the foot.
        assert len(np.unique(rounded, axis=0)) < 0.6 * len(sheets.mesh)
        operator = impedance_operator(antenna, basis, 300e6)
        vectors = gap_vectors(antenna, basis)
        found, left = among_fewer(operator, functions, vectors)
        np.testing.assert_allclose(left, vectors - operator.product(functions @ found.T), atol=1e-12)
        assert np.abs(functions.T @ left).max() < 1e-9
        rougher, by_wires, by_sheets = answer.rougher
        y, whole, one, two = (n.y().values[0, 0, 0] for n in (answer.network, rougher.network, by_wires, by_sheets))
        assert abs((y - one) + (y - two) - (y - whole)) < 1e-9 * abs(y)
        z, rough = 1 / y, 1 / whole
        assert 1e-5 * abs(z) < abs(z - rough) < 0.1 * abs(z)
