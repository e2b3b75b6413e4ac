"""Fixtures from two lengths of line, and reference planes."""

import numpy as np
import pytest

import earshot as es
from earshot.network.network import Network, admittance_of

HERTZ = np.array([2.0e9, 2.5e9, 3.0e9])
LIGHT = 299792458.0


def network(s):
    references = np.full(s.shape[1], 50 + 0j)
    return Network(HERTZ, admittance_of(s, references), tuple(f"p{n}" for n in range(s.shape[1])), references)


def cascade(one, two):
    """The S of two two-ports, one after the other."""
    a, b = one, two
    loop = 1 / (1 - a[:, 1, 1] * b[:, 0, 0])
    s11 = a[:, 0, 0] + a[:, 0, 1] * a[:, 1, 0] * b[:, 0, 0] * loop
    s22 = b[:, 1, 1] + b[:, 0, 1] * b[:, 1, 0] * a[:, 1, 1] * loop
    s21 = a[:, 1, 0] * b[:, 1, 0] * loop
    return np.moveaxis(np.array([[s11, s21], [s21, s22]]), -1, 0)


def line(length, index):
    wave = np.exp(-2j * np.pi * HERTZ / LIGHT * index * length)
    zero = np.zeros_like(wave)
    return np.moveaxis(np.array([[zero, wave], [wave, zero]]), -1, 0)


def fixture():
    s11, s22 = 0.2 * np.exp(0.3j * HERTZ / 1e9), -0.25 * np.exp(0.1j * HERTZ / 1e9)
    s21 = 0.9 * np.exp(-0.4j * HERTZ / 1e9)
    return np.moveaxis(np.array([[s11, s21], [s21, s22]]), -1, 0)


def test_a_fixture_is_found_and_taken_off_exactly():
    index = 1.7 - 0.01j
    made = fixture()
    turned = made[:, ::-1, ::-1]
    short, long = (network(cascade(cascade(made, line(x, index)), turned)) for x in (0.0, 0.015))
    found = es.circuits.line_fixture(short, long, "15 mm", 1.65)
    np.testing.assert_allclose(found.index, index, rtol=1e-9)
    np.testing.assert_allclose(found.matrices[:, 0, 0], made[:, 0, 0], atol=1e-9)
    np.testing.assert_allclose(found.matrices[:, 1, 1], made[:, 1, 1], atol=1e-9)
    load = np.full((3, 1, 1), 0.3 - 0.4j)
    closed = made[:, 0, 0] + made[:, 0, 1] ** 2 * load[:, 0, 0] / (1 - made[:, 1, 1] * load[:, 0, 0])
    inner = found.removed_from(network(closed[:, None, None]), 72.0)
    np.testing.assert_allclose(inner.s().values, load, atol=1e-9)
    assert inner.references == pytest.approx([72.0])


def test_reference_planes_move_along_lines():
    load = network(np.full((3, 1, 1), 0.5j))
    away = load.shifted({"p0": "-10 mm"}, 1.5)
    want = 0.5j * np.exp(-2j * 2 * np.pi * HERTZ / LIGHT * 1.5 * 0.01)
    np.testing.assert_allclose(away.s().values[:, 0, 0], want, atol=1e-12)
    np.testing.assert_allclose(away.shifted({"p0": 0.01}, 1.5).s().values, load.s().values, atol=1e-12)
    with pytest.raises(es.UsageError, match="p1"):
        load.shifted({"p1": 0.01})


def test_a_printed_line_without_its_pins_is_that_of_its_cross_section():
    """Index within 1 % of the cross-section's, and an open end as long as Hammerstad's (0.4 heights)."""
    board, width, level = es.substrate("1.6 mm", 4.4), 3.2e-3, 1.6e-3
    want = es.layers.strip_line(board, width, "2.5 GHz")

    def solved(length, pins):
        sheet = es.Sheet(
            "line",
            es.shapes.plate(
                length,
                width,
                centre=(length / 2, 0, level),
            ),
            density=1.5,
        )
        wires = [es.Wire(f"pin{x:g}", [(x, 0, 0), (x, 0, level)], radius="0.3 mm") for x in pins]
        ports = [es.Port(f"at{x:g}", w.name, at=0, reference=50) for x, w in zip(pins, wires, strict=True)]
        antenna = es.Antenna("line", wires, ports, board, sheets=[sheet])
        return es.solve(antenna, [2.3e9, 2.5e9, 2.7e9]).network

    short, long = 40e-3, 56e-3
    found = es.circuits.line_fixture(
        solved(short, (0.0, short)), solved(long, (0.0, long)), long - short, want.index.real
    )
    assert found.index.real == pytest.approx(want.index.real, rel=0.01)
    assert np.abs(found.index.imag).max() < 0.01
    # The same end, then a line that is open: its end lies a little beyond the strip.
    left = found.removed_from(solved(50e-3, (0.0,)), want.impedance.real)
    beyond = 50e-3 - short / 2
    phase = np.unwrap(np.angle(left.s().values[:, 0, 0]))
    k = 2 * np.pi * left.frequencies / LIGHT * found.index.real
    electric = -phase / (2 * k)
    extra = (electric - beyond + np.pi / k * np.round((beyond - electric) * k / np.pi)) / level
    assert extra == pytest.approx(0.42, abs=0.2)


def test_what_tells_nothing_is_refused():
    short = network(line(0.0, 1.7) + 0.01 * np.eye(2))
    with pytest.raises(es.UsageError, match="multiple of half a wave"):
        es.circuits.line_fixture(short, short, LIGHT / 2.5e9 / 2 / 1.7, 1.7)
    with pytest.raises(es.UsageError, match="two ports each"):
        es.circuits.line_fixture(short, network(np.full((3, 1, 1), 0.1)), "10 mm", 1.7)
    found = es.circuits.line_fixture(short, network(line(0.012, 1.7)), "12 mm", 1.7)
    other = Network(HERTZ + 1, short.admittance, short.ports, short.references)
    with pytest.raises(es.UsageError, match="other frequencies"):
        found.removed_from(other, 50)
