"""Arrays of alike elements: what they have in common is found, and many ports follow from a few."""

import numpy as np
import pytest

import earshot as es
from earshot import arrays
from earshot.answers.prepare import estimate, prepare
from earshot.moments import alike as like
from earshot.moments import iterative, ways
from earshot.moments.alike import alike_elements, among, like_rows, spread_out
from earshot.moments.fewer import fewer_functions
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.ports import gap_vectors

HERTZ = 5.8e9
WAVE = 299792458.0 / HERTZ


@pytest.fixture
def few(monkeypatch):
    """Nine elements are many."""
    for module in (like, iterative, ways):
        monkeypatch.setattr(module, "LEAST", 9)
    monkeypatch.setattr(like, "_FIRST", 6)
    monkeypatch.setattr(iterative, "_ALIKE", 1e-2)
    monkeypatch.setattr(like, "_LARGEST", 10**6)


def patches(columns, rows, across=0.6, up=0.5):
    one = es.antennas.patch("5.8 GHz").antenna
    return arrays.repeated(one, arrays.grid(columns, rows, across * WAVE, up * WAVE))


def rods(count, medium=None):
    """Bent rods with one over each, in a row that goes up in the air and level over ground."""
    rng = np.random.default_rng(4)
    bends = 0.15 * WAVE * np.cumsum(rng.uniform([0.3, -1, 0.2], [1, 1, 1], (4, 3)), axis=0)
    wires, ports = [], []
    for n in range(count):
        at = np.array([0.7 * WAVE * n, 0.1 * WAVE * n, 0.4 * WAVE + (0.0 if medium else 0.05 * WAVE * n)])
        wires += [
            es.Wire(f"rod {n}", bends + at, radius=2e-4),
            es.Wire(f"over {n}", bends[:2] + at + 2e-3, radius=1e-4),
        ]
        ports.append(es.Port(f"feed {n}", on=f"rod {n}", at=0.4))
    given = {} if medium is None else {"medium": medium}
    return es.Antenna("rods", wires, ports, **given)


@pytest.mark.parametrize("make", [lambda: patches(4, 4), lambda: rods(9, es.earth("meadow")), lambda: rods(12)])
def test_many_ports_from_a_few_are_those_of_every_port_solved(make, few, monkeypatch):
    antenna = make()
    rule = es.MeshRule(density=0.5 if antenna.sheets else 1.0)
    short = es.solve(antenna, HERTZ, rule=rule, method="fast", errors=False)
    monkeypatch.setattr(iterative, "LEAST", 10**6)
    whole = es.solve(antenna, HERTZ, rule=rule, method="fast", errors=False)
    count = len(antenna.ports)
    told = short.record.ways[HERTZ]
    if antenna.sheets:
        assert f"of {count} ports, the others by" in told
    assert "the others by" not in whole.record.ways[HERTZ]
    np.testing.assert_allclose(short.network.s().values, whole.network.s().values, rtol=0, atol=3e-4)
    for drive in ({p.name: es.watts(1.0) for p in antenna.ports}, {antenna.ports[1].name: es.watts(1.0)}):
        one, two = (s.drive(drive).far_field().summary()["value"]["gain"] for s in (short, whole))
        assert abs(one - two) < 0.01


def test_the_border_of_alike_elements_is_the_one_worked_out(few, monkeypatch):
    antenna = patches(4, 3)
    basis = antenna_basis(antenna, WAVE, es.MeshRule(density=0.5))
    short = formulation(antenna.medium).operator(basis, HERTZ, None)
    assert short.alike is not None
    rows = like_rows(short.alike, basis.first_wire)
    # Every step of a lattice of 4 by 3 is seen from its four corners.
    assert len(rows.asked) == 4 * basis.wires.size // 12
    monkeypatch.setattr("earshot.moments.formulation.like_rows", lambda *_: None)
    whole = formulation(antenna.medium).operator(basis, HERTZ, None)
    size = np.abs(whole.nearly.rows).max(axis=1, keepdims=True)
    np.testing.assert_allclose(short.nearly.rows / size, whole.nearly.rows / size, rtol=0, atol=2e-5)


def test_the_matrix_among_macro_functions_is_the_product_with_them(few):
    antenna = patches(3, 4)
    basis = antenna_basis(antenna, WAVE, es.MeshRule(density=0.5))
    operator = formulation(antenna.medium).operator(basis, HERTZ, None)
    own = operator.alike
    rng = np.random.default_rng(2)
    macro = rng.normal(size=(own.functions.shape[1], 3)) + 1j * rng.normal(size=(own.functions.shape[1], 3))
    wide = own.spread(macro, np.arange(12), basis.size)
    exact = wide.T @ operator.product(wide)
    np.testing.assert_allclose(among(own, macro, operator.product), exact, rtol=0, atol=2e-4 * np.abs(exact).max())


@pytest.mark.parametrize("make", [lambda: patches(4, 3), lambda: rods(12)])
def test_among_fewer_functions_elements_are_alike_as_well(make, few, monkeypatch):
    antenna = make()
    basis = antenna_basis(antenna, WAVE, es.MeshRule(density=0.5 if antenna.sheets else 1.0))
    elements = alike_elements(basis, False)
    fewer = fewer_functions(antenna, basis, gap_vectors(antenna, basis))
    found = elements.among_fewer(fewer)
    assert found.functions.size == fewer.shape[1] < 0.6 * basis.size
    # Each element's own part of what makes a function of fewer is that of the first.
    own = [
        (fewer[every][:, columns].toarray() * before[:, None]) * after
        for every, before, columns, after in zip(
            elements.functions, elements.signs, found.functions, found.signs, strict=True
        )
    ]
    np.testing.assert_allclose(own, np.broadcast_to(own[0], np.shape(own)), rtol=0, atol=1e-5 * np.abs(own[0]).max())
    odd = fewer.tolil()
    odd[elements.functions[1, 0]] *= 1.1
    assert elements.among_fewer(odd.tocsr()) is None


def test_elements_are_alike_whichever_way_and_in_whatever_order_they_are_given(few):
    rng = np.random.default_rng(8)
    antenna = rods(10, es.earth("meadow"))
    wires = [w if rng.random() < 0.5 else es.Wire(w.name, w.points[::-1], radius=w.radius) for w in antenna.wires]
    wires = [wires[n] for n in rng.permutation(len(wires))]
    ports = [es.Port(f"feed {n}", on=f"rod {n}", at=0.5) for n in range(10)]
    mixed = es.Antenna("mixed", wires, ports)
    basis = antenna_basis(mixed, WAVE, es.MeshRule())
    # A rod and the one over it do not touch, and yet are one element.
    found = alike_elements(basis, True)
    assert found.functions.shape == (10, basis.size // 10)
    moments = like._moments(basis)[found.functions] * found.signs[..., None]
    np.testing.assert_allclose(moments, np.broadcast_to(moments[0], moments.shape), rtol=0, atol=1e-9)
    rising = es.Antenna("rising", rods(10).wires, ports)
    basis = antenna_basis(rising, WAVE, es.MeshRule())
    assert alike_elements(basis, False) is not None
    assert alike_elements(basis, True) is None
    for odd in (wires[:-1], [*wires[:-1], es.Wire(wires[-1].name, np.array(wires[-1].points) * 1.01, radius=2e-4)]):
        other = es.Antenna("odd", odd, [p for p in ports if p.on in [w.name for w in odd]])
        assert alike_elements(antenna_basis(other, WAVE, es.MeshRule()), False) is None


def test_ports_far_apart_come_first():
    x, y = (a.ravel() for a in np.meshgrid(np.arange(5.0), np.arange(5.0)))
    order = spread_out(np.stack([x, y], axis=1), 25)
    assert {(x[n], y[n]) for n in order[:4]} == {(0, 0), (4, 0), (0, 4), (4, 4)}
    np.testing.assert_array_equal(np.sort(order), np.arange(25))


def test_what_many_ports_take_is_told_as_of_a_few(few, monkeypatch):
    antenna = patches(4, 4)
    short = estimate(prepare(antenna, HERTZ, method="fast"), HERTZ)
    monkeypatch.setattr(ways, "LEAST", 10**6)
    monkeypatch.setattr(ways, "_OF_ALIKE", 4)
    assert short.seconds <= estimate(prepare(antenna, HERTZ, method="fast"), HERTZ).seconds
