"""The fast way to solve metal on layers: each of its parts against sums written out, and the whole against dense."""

from pathlib import Path

import numpy as np
import pytest
from scipy import sparse

import earshot as es
from earshot.answers.prepare import estimate, prepare
from earshot.media.smooth_kernel import smooth_kernels
from earshot.moments import iterative as iterations
from earshot.moments import ways
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.fronts import fronts_of
from earshot.moments.grid import grid_for
from earshot.moments.krylov import block_gmres
from earshot.moments.response import impedance_operator

HERTZ = 5.8e9
WAVE = 299792458.0 / HERTZ


def board(rng):
    """Any board: thin or thick, light or heavy, lossy or not, plain, with a cover, of two layers, open below."""
    thickness = WAVE * 10 ** rng.uniform(-2.4, -1.1)
    layers = [es.Layer(thickness, es.Dielectric("one", rng.uniform(1.0, 9.8), rng.choice([0.0, 0.002, 0.02])))]
    kind = rng.choice(["plain", "cover", "two", "open"])
    if kind in ("cover", "two"):
        layers.append(es.Layer(rng.uniform(0.3, 1.5) * thickness, es.Dielectric("two", rng.uniform(1.5, 5.0))))
    level = sum(x.thickness for x in layers) if kind == "two" else thickness
    return es.Stack(layers, 1 if kind == "cover" else None, open_below=kind == "open"), level


def metal(rng):
    """A row of plates on such a board, some of copper, fed by pins or gaps, and at times a wire over them."""
    stack, level = board(rng)
    along = WAVE / np.sqrt(0.5 + 0.5 * stack.layers[0].material.permittivity)
    sheets, wires, ports = [], [], []
    copper = es.materials.metals["copper"] if rng.random() < 0.5 else None
    for n in range(3):
        place, length, width = n * along * rng.uniform(0.8, 1.2), *(along * rng.uniform(0.25, 0.45, 2))
        sheets.append(es.Sheet(f"plate {n}", es.shapes.plate(length, width, centre=(place, 0, level)), metal=copper))
        deep = 2.0 * np.pi * level / WAVE * max(np.sqrt(x.material.permittivity) for x in stack.layers)
        if not stack.open_below and deep < 0.4 and rng.random() < 0.6:
            x, y = place + length * rng.uniform(0.1, 0.35), width * rng.uniform(-0.3, 0.3)
            wires.append(es.Wire(f"pin {n}", [(x, y, 0), (x, y, level)], radius=min(WAVE / 200, level / 8)))
            ports.append(es.Port(f"feed {n}", on=f"pin {n}", at=0))
        else:
            ports.append(es.Port(f"feed {n}", on=f"plate {n}", at=(place, 0, level), across="x"))
    if rng.random() < 0.4:
        height = stack.thickness + rng.uniform(0.05, 0.4) * WAVE
        wires.append(es.Wire("aloft", [(-0.2 * WAVE, 0, height), (0.25 * WAVE, 0.02 * WAVE, height)], radius=1e-4))
        ports.append(es.Port("feed aloft", on="aloft", at=0.5))
    return es.Antenna("row", wires, ports, stack, sheets=sheets)


@pytest.mark.parametrize("seed", range(6))
def test_random_metal_on_random_boards_is_as_by_the_dense_matrix(seed):
    antenna = metal(np.random.default_rng(4000 + seed))
    fast, dense = (es.solve(antenna, HERTZ, method=method, errors=False) for method in ("fast", "dense"))
    assert "iterations" in fast.record.ways[HERTZ]
    assert dense.record.ways[HERTZ] == "dense"
    one, two = (s.network.s().values[0] for s in (fast, dense))
    assert np.abs(one - two).max() < 3e-4
    fields = [s.drive({antenna.ports[0].name: es.watts(1.0)}).far_field() for s in (fast, dense)]
    theta, phi = np.radians(rng_directions())
    gains = [f.gain(theta, phi) for f in fields]
    strong = gains[1] > 1e-2 * gains[1].max()
    np.testing.assert_allclose(10 * np.log10(gains[0][strong] / gains[1][strong]), 0.0, atol=0.01)


@pytest.mark.parametrize("seed", range(4))
def test_small_resistances_of_strips_far_apart_are_right(seed):
    rng = np.random.default_rng(seed)
    level, places = rng.uniform(0.5e-3, 2e-3), [(0.0, 0.0), tuple(rng.uniform(-2.0, 2.0, 2))]
    length, width = rng.uniform(6e-3, 14e-3), rng.uniform(0.5e-3, 2e-3)
    sheets = [es.Sheet(f"strip {n}", es.shapes.plate(length, width, centre=(*p, level))) for n, p in enumerate(places)]
    ports = [es.Port(f"feed {n}", on=f"strip {n}", at=(*p, level), across="x") for n, p in enumerate(places)]
    antenna = es.Antenna("strips", [], ports, es.substrate(level, rng.uniform(1.5, 6.0)), sheets=sheets)
    hertz = rng.uniform(1e9, 6e9)
    fast, dense = (es.solve(antenna, hertz, method=method, errors=False) for method in ("fast", "dense"))
    one, two = (s.network.z().values[0] for s in (fast, dense))
    # A thousandth and less of the reactance, and yet what gain stands on.
    np.testing.assert_allclose(np.diag(one).real, np.diag(two).real, rtol=2e-3)
    np.testing.assert_allclose(np.diag(one).imag, np.diag(two).imag, rtol=2e-4)
    driven = fast.drive({"feed 0": es.watts(1.0)})
    beam = driven.far_field()
    assert driven.balance == pytest.approx(0.0, abs=5e-3)
    assert beam.gain(*beam.peak) <= beam.directivity(*beam.peak) * (1.0 + 5e-3)


def rng_directions():
    rng = np.random.default_rng(9)
    return rng.uniform(1.0, 85.0, 60), rng.uniform(0.0, 360.0, 60)


@pytest.mark.parametrize("seed", range(3))
def test_its_product_and_what_is_nearly_it(seed):
    rng = np.random.default_rng(50 + seed)
    antenna = metal(rng)
    basis = antenna_basis(antenna, WAVE, es.MeshRule())
    matrix = impedance_operator(antenna, basis, HERTZ, "dense").matrix
    operator = impedance_operator(antenna, basis, HERTZ, "fast")
    scale = 1.0 / np.sqrt(np.abs(np.diag(matrix)))[:, None]
    columns = scale * (rng.standard_normal((basis.size, 3)) + 1j * rng.standard_normal((basis.size, 3)))
    want, got = matrix @ columns, operator.product(columns)
    assert np.linalg.norm(scale * (got - want)) < 1e-3 * np.linalg.norm(scale * want)
    # What is inside the metal is in both, and the border as it stands.
    nearly = operator.nearly
    outer = np.concatenate([nearly.inner, nearly.outer])
    np.testing.assert_allclose(nearly.rows, matrix[np.ix_(nearly.outer, outer)], atol=1e-12 * np.abs(matrix).max())
    # Reciprocity is built in, also among fewer functions.
    left, right = columns[:, :1].T @ got[:, 1:2], columns[:, 1:2].T @ got[:, :1]
    assert abs(left - right) < 1e-9 * np.linalg.norm(got)
    fewer = sparse.random_array((basis.size, 40), density=0.02, rng=rng).tocsr()
    small = operator.reduced(fewer)
    np.testing.assert_allclose(
        small.product(np.eye(40) + 0j), fewer.T @ operator.product(fewer.toarray() + 0j), rtol=1e-9, atol=1e-15
    )


@pytest.mark.parametrize("reach", [2e-3, 9e-3])
def test_smooth_kernels_are_the_kernels_beyond_their_reach_and_a_grid_carries_them(reach):
    spectrum = es.layers.Spectrum(es.substrate("1.2 mm", 3.0), HERTZ)
    table = es.layers.kernel_table(spectrum, 0.12, 2e-3)
    smooth = smooth_kernels(table, reach)
    far = np.linspace(1.0, 8.0, 40) * reach
    np.testing.assert_allclose(smooth.at(far), [table.vector(far), table.scalar(far)], rtol=1e-12)
    assert np.isfinite(smooth.at([0.0])).all()
    near = np.linspace(0.0, 0.999, 500) * reach
    cubics, at = smooth.cubics(), np.linspace(0.0, 0.999, 500) * 96
    powers = (at - at.astype(int))[:, None] ** np.arange(4)
    told = np.einsum("np,npk->kn", powers, cubics[at.astype(int)])
    np.testing.assert_allclose(told[::2] + 1j * told[1::2], smooth.at(near), atol=1e-5 * np.abs(smooth.at([0.0])).max())
    rng = np.random.default_rng(1)
    places = rng.uniform(0.0, 0.05, (400, 2))
    grid, amounts = grid_for(places, smooth), rng.standard_normal(400) + 1j * rng.standard_normal(400)
    away = np.linalg.norm(places[:, None] - places[None], axis=2)
    for kernel, want in enumerate(smooth.at(away) @ amounts):
        assert np.linalg.norm(grid.potentials(kernel, amounts) - want) < 3e-4 * np.linalg.norm(want)


@pytest.mark.parametrize("count", [1, 90, 700])
def test_fronts_solve_sparse_matrices(count):
    rng = np.random.default_rng(count)
    places = rng.uniform(0.0, 1.0, (count, 2)) * [3.0, 1.0]
    near = np.linalg.norm(places[:, None] - places[None], axis=2) < 0.12
    dense = near * (rng.standard_normal((count, count)) + 1j * rng.standard_normal((count, count)))
    dense = dense + dense.T + 12.0 * np.eye(count)
    fronts = fronts_of(sparse.csr_array(dense), places)
    vectors = rng.standard_normal((count, 3)) + 0j
    np.testing.assert_allclose(dense @ fronts.solve(vectors), vectors, atol=1e-9)
    assert fronts.bytes >= 16 * count


def test_block_iterations_take_columns_that_are_one_anothers_sums_and_columns_of_nothing():
    rng = np.random.default_rng(3)
    matrix = np.eye(60) * 4 + 0.2 * (rng.standard_normal((60, 60)) + 1j * rng.standard_normal((60, 60)))
    vectors = rng.standard_normal((60, 3)) + 0j
    vectors = np.column_stack([vectors, vectors[:, 0] - 2 * vectors[:, 1], np.zeros(60)])
    assert not block_gmres(lambda x: matrix @ x, lambda x: x, np.zeros((60, 2)) + 0j, 1e-9, 9, lambda _: None).any()
    steps = []
    found = block_gmres(lambda x: matrix @ x, lambda x: x / 4.0, vectors, 1e-9, 60, steps.append)
    np.testing.assert_allclose(matrix @ found, vectors, atol=1e-7)
    assert [s.number for s in steps] == list(range(1, len(steps) + 1))
    assert steps[-1].residual <= 1e-9
    # No more columns are carried than there are directions.
    assert len(steps) <= 21


def small_panel():
    return es.antennas.patch("5.8 GHz").antenna


def test_errors_of_the_mesh_results_files_and_waves_are_the_same_either_way(tmp_path):
    antenna = small_panel()
    fast, dense = (es.solve(antenna, HERTZ, method=method) for method in ("fast", "dense"))
    one, two = (es.mesh_errors(s)["±"] for s in (fast, dense))
    np.testing.assert_allclose(one, two, rtol=2e-2)
    waves = [es.receive(s, es.plane_wave(20, 30, 1)) for s in (fast, dense)]
    assert waves[0].voltages[0] == pytest.approx(waves[1].voltages[0], rel=2e-3)
    # Its own factors serve the currents of the wave.
    assert np.linalg.norm(waves[0].flow.sheets.density - waves[1].flow.sheets.density) < 5e-3 * np.linalg.norm(
        waves[1].flow.sheets.density
    )
    beside = fast.at("5.7 GHz")
    assert beside.response.method == "fast"


def test_a_band_is_solved_fast_too():
    antenna = small_panel()
    bands = [es.solve(antenna, es.band("5.6 GHz", "6 GHz", 21), method=m) for m in ("fast", "dense")]
    one, two = (b.network.s().values[:, 0, 0] for b in bands)
    assert np.abs(one - two).max() < 1e-3


def test_what_a_solve_takes_is_told_by_both_ways():
    antenna = small_panel()
    told = {m: estimate(prepare(antenna, HERTZ, method=m), HERTZ) for m in ("fast", "dense")}
    assert [told[m].way for m in ("fast", "dense")] == ["fast", "dense"]
    assert "unknowns, fast: " in told["fast"].words
    operator = impedance_operator(antenna, prepare(antenna, HERTZ).basis, HERTZ, "fast")
    assert operator.bytes < told["fast"].bytes < 4e8
    assert 0.0 < told["fast"].seconds < 60.0
    assert prepare(antenna, HERTZ).way == "dense"


def test_the_faster_way_is_taken_by_itself(monkeypatch):
    monkeypatch.setattr(ways, "_WORTH", 100)
    told = es.solve(small_panel(), HERTZ, errors=False).record.ways[HERTZ]
    assert "iterations" in told
    assert "single" not in told


def test_wrong_methods_are_refused_with_a_word():
    rod = es.Wire("rod", [(0, 0, 0.25), (0, 0, 0.75)], radius=1e-3)
    rod = es.Antenna("rod", [rod], [es.Port("feed", on="rod")], es.substrate(0.01, 2.2))
    with pytest.raises(es.UsageError, match="has no metal on its layers"):
        es.solve(rod, "300 MHz", method="fast")
    with pytest.raises(es.UsageError, match="auto, dense, fast"):
        es.solve(rod, "300 MHz", method="quick")
    assert formulation(rod.medium).taken_on(antenna_basis(rod, 1.0, es.MeshRule())) == 0


def test_iterations_that_come_to_nothing_are_told_and_not_returned(monkeypatch):
    monkeypatch.setattr(iterations, "_MOST", 1)
    monkeypatch.setattr(iterations, "_KEPT", 1)
    with pytest.raises(es.RunError, match=r"came to rest .* --method dense"):
        es.solve(small_panel(), HERTZ, method="fast", errors=False)


def test_what_does_not_fit_is_refused_with_both_figures(monkeypatch):
    monkeypatch.setattr(ways, "free_memory", lambda: 5 * 10**7)
    with pytest.raises(es.RunError, match=r"would need .* GB \(the fast way: .* GB\)"):
        es.solve(small_panel(), HERTZ, method="dense")


def test_small_differences_are_not_those_of_iterations(monkeypatch):
    place = Path(es.__file__).parent / "demo" / "mainland_patch.toml"
    told = []
    for worth in (10**6, 100):
        monkeypatch.setattr(ways, "_WORTH", worth)
        told.append(es.studies.sensitivities(es.read_design(place), ["length", "probe"]))
    for name in ("R", "X", "resonance"):
        np.testing.assert_allclose(told[1][name], told[0][name], rtol=5e-3, atol=5e-4 * np.abs(told[0][name]).max())
