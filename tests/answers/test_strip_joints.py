"""Ends, corners, steps and tees as solved metal: against closed forms where those hold, and whole metal where not."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.answers import at_lines
from earshot.circuits import (
    corner,
    line,
    open_extension,
    solve_circuit,
    solved_corner,
    solved_end,
    solved_step,
    solved_tee,
    solved_trace,
    strip,
)
from earshot.shapes import mitre, trace

H = 1.575e-3
BOARD = es.Stack([es.Layer(H, es.Dielectric("made up", 2.2, 0.0009))])


def laid(kind, part):
    return es.circuits.laid_out(kind, 0.05, [(0, 0, H), (0.03, 0, H)], room="9 mm", apart="6 mm", corner_part=part)


def width_of(board, ohms, hertz):
    return es.layers.strip_width(board, ohms, hertz)


@pytest.mark.parametrize("seed", range(4))
def test_an_open_end_is_as_long_as_its_closed_form(seed):
    """Within 5 % on thin boards, of any permittivity and width."""
    rng = np.random.default_rng(seed)
    hertz = rng.uniform(1e9, 2.5e9)
    board = es.substrate(rng.uniform(1e-3, 2e-3), rng.uniform(2.2, 10.0))
    kind = strip(board, rng.uniform(0.7, 3.0) * board.level, hertz)
    back = solved_end(kind, hertz).scattering(np.array([hertz]), kind.characteristic(hertz))[0, 0, 0]
    assert 0.98 < abs(back) <= 1.0
    assert -np.angle(back) / (2.0 * kind.propagation(hertz).imag) == pytest.approx(open_extension(kind), rel=0.06)


def test_corners_are_those_of_the_closed_form_at_low_frequency():
    board, hertz = es.substrate("0.8 mm", 2.4), np.array([2.0e9, 2.4e9, 3.0e9])
    kind = strip(board, width_of(board, 50, 2.5e9), 2.5e9)
    for cut in (0.0, mitre(kind.width, board.level)):
        solved = solved_corner(kind, list(hertz), mitre=cut).scattering(hertz, 50.0)
        closed = corner(kind, mitred=cut > 0).scattering(hertz, 50.0)
        assert np.abs(solved - closed).max() < 0.025
        assert np.abs(solved - np.swapaxes(solved, 1, 2)).max() < 1e-9
        # Both its sides are alike.
        assert np.abs(solved[:, 0, 0] - solved[:, 1, 1]).max() < 2e-3


def test_steps_and_tees_are_joints_of_lines_at_low_frequency():
    board, hertz = es.substrate("0.5 mm", 3.0), np.array([1.5e9])
    wide, thin = (strip(board, width_of(board, z, 1.5e9), 1.5e9) for z in (40.0, 80.0))
    step = solved_step(wide, thin, hertz.tolist()).scattering(hertz, 40.0)[0]
    assert np.abs(step - [[0, 1], [1, 0]]).max() < 0.03
    ideal = np.array([[-1, 2, 2], [2, -1, 2], [2, 2, -1]]) / 3
    tee = solved_tee(thin, thin, hertz.tolist()).scattering(hertz, 80.0)[0]
    # Planes are half a strip off its middle.
    turn = np.exp(-1j * thin.propagation(1.5e9).imag * thin.width)
    assert np.abs(tee / turn - ideal).max() < 0.03
    assert abs(tee[0, 2] - tee[1, 2]) < 2e-3
    assert (np.abs(tee) ** 2).sum(axis=0) == pytest.approx(1.0, abs=0.02)


def test_a_hairpin_of_solved_corners_is_its_solved_metal():
    """Five lines and four corners on a thick board: 0.2 dB and 3 degrees, where closed forms are out by 0.5 and 7."""
    hertz = np.array([4.0e9, 5.0e9, 6.0e9])
    width = width_of(BOARD, 100, 5e9)
    aside, apart, way, plane = 0.012, 0.012, 0.026, 0.014
    points = [(0, 0, H), (way, 0, H), (way, aside, H), (way + apart, aside, H), (way + apart, 0, H),
              (2 * way + apart, 0, H)]  # fmt: skip
    cut = mitre(width, H)
    pins = [es.Wire(n, [(x, 0, 0), (x, 0, H)], radius=0.25e-3) for n, x in (("a", 4e-4), ("b", points[-1][0] - 4e-4))]
    ports = [es.Port(n, n, at=0) for n in "ab"]
    metal = es.Antenna("hairpin", pins, ports, BOARD, sheets=[es.Sheet("line", trace(points, width, mitre=cut))])
    seen = at_lines(es.solve(metal, hertz.tolist()), {"a": plane, "b": plane}).network
    shorter = trace([(plane, 0, H), *points[1:-1], (points[-1][0] - plane, 0, H)], width, mitre=cut)
    circuit = solved_trace(shorter, BOARD, es.band("4 GHz", "6 GHz", 21))
    assert [name for name, placed in circuit.parts.items() if placed.part is circuit.parts["corner 1"].part] == [
        f"corner {n}" for n in range(1, 5)
    ]
    whole = solve_circuit(circuit, hertz, float(seen.references[0].real)).matrices[:, 1, 0]
    ratio = seen.s().values[:, 1, 0] / whole
    assert 20 * np.log10(np.abs(ratio)) == pytest.approx(0, abs=0.2)
    assert np.degrees(np.angle(ratio)) == pytest.approx(0, abs=3.0)


def test_a_band_of_a_step_is_smooth_and_holds_its_single_frequencies():
    board = es.substrate("0.8 mm", 3.0)
    wide, thin = (strip(board, width_of(board, z, 3e9), 3e9) for z in (45.0, 70.0))
    part = solved_step(wide, thin, es.band("2.5 GHz", "3.5 GHz", 21))
    alone = solved_step(wide, thin, "2.9 GHz").scattering(np.array([2.9e9]), 50.0)
    assert np.abs(part.scattering(np.array([2.9e9]), 50.0) - alone).max() < 0.01
    with pytest.raises(es.UsageError, match="outside"):
        part.scattering(np.array([3.6e9]), 50.0)
    # A trace with that step has it in its circuit.
    shape = trace([(0, 0, 8e-4), (0.02, 0, 8e-4), (0.05, 0, 8e-4)], [wide.width, thin.width])
    circuit = solved_trace(shape, board, es.band("2.5 GHz", "3.5 GHz", 21))
    assert list(circuit.parts) == ["leg 1", "step 1", "leg 2"]


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda kind, other: solved_end(es.circuits.coaxial("1 mm", "3 mm"), "5 GHz"), "give a strip, as strip"),
        (lambda kind, other: solved_step(kind, other, "5 GHz"), "on unlike boards"),
        (lambda kind, other: solved_tee(kind, other, "5 GHz"), "on unlike boards"),
        (lambda kind, other: solved_corner(kind, "5 GHz", mitre=2.0), "mitre 2.0 is outside 0 to 1"),
        (lambda kind, other: solved_corner(kind, "30 GHz"), "is worked out round"),
        (lambda kind, other: solved_corner(kind, []), "no frequency was given"),
        (lambda kind, other: solved_end(kind, None), "frequencies: None is a NoneType"),
        (lambda kind, other: solved_corner(kind, "5 GHz", mitre="half"), "'half' is a str"),
        (lambda kind, other: solved_trace(trace([(0, 0, H), (0.03, 0, H)], "3 mm"), None, "5 GHz"), "give a board"),
        (lambda kind, other: strip("board", "3 mm", "5 GHz"), "give a board"),
        (lambda kind, other: laid(kind, "x"), "'x' is no part"),
        (lambda kind, other: laid(kind, es.circuits.tee()), "a corner has two"),
        (lambda kind, other: solved_trace(es.shapes.plate(1, 1), BOARD, "5 GHz"), "is no trace"),
        (lambda kind, other: solved_trace(line(kind, 0.1), BOARD, "5 GHz"), "a trace, as shapes.trace makes it"),
    ],
)
def test_what_is_no_joint_is_told(make, says):
    kind, other = strip(BOARD, "3 mm", "5 GHz"), strip(es.substrate("1 mm", 3.0), "2 mm", "5 GHz")
    with pytest.raises(es.UsageError, match=says):
        make(kind, other)


def test_a_line_laid_out_by_solved_corners_turns_as_it_does():
    """Two hairpins of a narrow strip, 8 GHz mm: 18 degrees off by the closed form of their corners."""
    hertz = 5.08e9
    kind = strip(BOARD, width_of(BOARD, 100, hertz), hertz)
    long, far = 0.108, 0.078
    shape = es.circuits.laid_out(
        kind, long, [(0, 0, H), (far, 0, H)], room="12 mm", apart="6 mm", corner_part=solved_corner(kind, hertz)
    )
    pins = [es.Wire(n, [(x, 0, 0), (x, 0, H)], radius=0.25e-3) for n, x in (("a", 5e-4), ("b", far - 5e-4))]
    metal = es.Antenna(
        "late", pins, [es.Port(n, n, at=0) for n in "ab"], BOARD, sheets=[es.Sheet("line", shape)]
    )  # fmt: skip
    seen = at_lines(es.solve(metal, hertz), {"a": "16 mm", "b": "16 mm"}).network.s().values[0, 1, 0]
    turned = kind.propagation(hertz).imag * (long - 0.032)
    assert math.degrees(np.angle(seen * np.exp(1j * turned))) == pytest.approx(0, abs=3.0)
