"""Circuits of parts: closed forms, random networks by nodal equations, power, noise and loops."""

import cmath
import math

import numpy as np
import pytest

import earshot as es
from earshot.circuits import (
    Circuit,
    LineType,
    Placed,
    amplifier,
    attenuator,
    balun,
    beam_matrix,
    block,
    branch_line,
    circulator,
    coupled_lines,
    coupler,
    divider,
    impedance,
    in_series,
    isolator,
    line,
    open_circuit,
    phase_shifter,
    quarter_wave_divider,
    ring,
    short_circuit,
    solve_circuit,
    stub,
    switch,
    tee,
    to_ground,
    transformer,
    unequal_divider,
)

MIDDLE = 1e9
WAVE = 299792458.0 / MIDDLE


def s_of(circuit, *frequencies):
    return solve_circuit(circuit, frequencies or MIDDLE).matrices


def chain(*parts):
    """Two-ports one after another, from in to out."""
    nodes = ["in", *(f"n{i}" for i in range(1, len(parts))), "out"]
    return Circuit({f"p{i}": Placed(p, nodes[i : i + 2]) for i, p in enumerate(parts)}, ["in", "out"])


def abcd(kind, length, frequency):
    """Of a line (Pozar 2012, table 4.1)."""
    g, z = kind.propagation(frequency) * length, kind.impedance
    return np.array([[cmath.cosh(g), z * cmath.sinh(g)], [cmath.sinh(g) / z, cmath.cosh(g)]])


def s_from_abcd(m, r=50.0):
    (a, b), (c, d) = m
    low = a + b / r + c * r + d
    return np.array([[a + b / r - c * r - d, 2 * (a * d - b * c)], [2, -a + b / r - c * r + d]]) / low


@pytest.mark.parametrize("seed", range(5))
def test_chains_of_lines_and_lumped_parts_are_their_chain_matrices(seed):
    rng = np.random.default_rng(seed)
    parts, m = [], {f: np.eye(2, dtype=complex) for f in (0.3e9, 1e9, 2.2e9)}
    for _ in range(8):
        kind = LineType(rng.uniform(10, 200), rng.uniform(0.4, 1), rng.uniform(0, 3), 1e9)
        long, z = rng.uniform(0, 0.4), rng.uniform(0, 300) + 1j * rng.uniform(-300, 300)
        parts += [line(kind, long), in_series(z)]
        for f in m:
            m[f] = m[f] @ abcd(kind, long, f) @ np.array([[1, z], [0, 1]])
    for found, f in zip(s_of(chain(*parts), *m), m, strict=True):
        np.testing.assert_allclose(found, s_from_abcd(m[f]), atol=1e-9)


def even_odd(along, across, f):
    """A branch line by halves: stubs of an eighth, open or shorted (Pozar 2012, sec. 7.5)."""
    found = []
    for end in (1, -1):
        t = math.tan(2 * math.pi * f / 299792458 * WAVE / 8)
        shunt = np.array([[1, 0], [1j * t / across if end > 0 else -1j / (t * across), 1]])
        found.append(s_from_abcd(shunt @ abcd(LineType(along), WAVE / 4, f) @ shunt))
    return found


@pytest.mark.parametrize("coupling", [3.0103, 6.0, 10.0])
def test_a_branch_line_by_even_and_odd_modes(coupling):
    k = 10 ** (-coupling / 20)
    along = 50 * math.sqrt(1 - k * k)
    for f in (0.8e9, 1e9, 1.13e9):
        (s,) = s_of(branch_line(MIDDLE, coupling), f)
        even, odd = even_odd(along, along / k, f)
        want = [(even[0, 0] + odd[0, 0]) / 2, (even[1, 0] + odd[1, 0]) / 2, (even[1, 0] - odd[1, 0]) / 2,
                (even[0, 0] - odd[0, 0]) / 2]  # fmt: skip
        np.testing.assert_allclose(s[:, 0], want, atol=1e-9)
    (s,) = s_of(branch_line(MIDDLE, coupling))
    np.testing.assert_allclose(np.abs(s[:, 0]), [0, math.sqrt(1 - k * k), k, 0], atol=1e-9)


def test_textbook_hybrids_and_dividers_at_their_frequency():
    h = 1j / math.sqrt(2)
    np.testing.assert_allclose(s_of(ring(MIDDLE))[0], [[0, -h, -h, 0], [-h, 0, 0, h], [-h, 0, 0, -h], [0, h, -h, 0]],
                               atol=1e-9)  # fmt: skip
    for ways in (2, 3, 5):
        want = np.zeros((ways + 1, ways + 1), complex)
        want[0, 1:] = want[1:, 0] = -1j / math.sqrt(ways)
        np.testing.assert_allclose(s_of(quarter_wave_divider(MIDDLE, ways))[0], want, atol=1e-9)
    for ratio in (0.5, 1.0, 3.0):
        (s,) = s_of(unequal_divider(MIDDLE, ratio))
        shares = np.sqrt(np.array([1.0, ratio]) / (1 + ratio))
        np.testing.assert_allclose(s, -np.array([[0, *shares], [shares[0], 0, 0], [shares[1], 0, 0]]), atol=1e-9)
    for coupling in (6.0, 20.0):
        part, k = coupled_lines(coupling, MIDDLE), 10 ** (-coupling / 20)
        one = Circuit({"c": Placed(part, part.ports)}, part.ports)
        np.testing.assert_allclose(s_of(one)[0][0], [0, k, -1j * math.sqrt(1 - k * k), 0], atol=1e-9)
        # Off its middle (Pozar 2012, eq. 7.84 and 7.85).
        t = 0.5 * math.pi * 0.7
        low = math.sqrt(1 - k * k) * math.cos(t) + 1j * math.sin(t)
        want = [0, 1j * k * math.sin(t) / low, math.sqrt(1 - k * k) / low, 0]
        np.testing.assert_allclose(s_of(one, 0.7 * MIDDLE)[0][0], want, atol=1e-9)
    (s,) = s_of(balun(50, 100))
    np.testing.assert_allclose(s[0], [0, math.sqrt(0.5), -math.sqrt(0.5)], atol=1e-12)


@pytest.mark.parametrize("elements", [2, 4, 8, 16])
def test_beams_of_a_matrix_share_nothing_and_go_where_they_should(elements):
    part = beam_matrix(elements)
    s = s_of(Circuit({"m": Placed(part, part.ports)}, part.ports))[0]
    np.testing.assert_allclose(s @ s.conj().T, np.eye(2 * elements), atol=1e-12)
    passed = s[elements:, :elements]
    for k in range(1, elements + 1):
        # Half a wave apart: sin θ = (2k - 1 - n)/n (Butler and Lowe 1961).
        steps = np.angle(passed[1:, k - 1] / passed[:-1, k - 1]) / math.pi
        np.testing.assert_allclose(steps, (2 * k - 1 - elements) / elements, atol=1e-12)


def random_circuit(rng, parts=30, nodes=14):
    """Passive parts between random nodes, and the nodal admittance of the same."""
    f = MIDDLE
    y = np.zeros((nodes, nodes), complex)
    placed = {}
    for number in range(parts):
        a, b = rng.choice(nodes, 2, replace=False)
        z = complex(rng.uniform(1, 200), rng.uniform(-200, 200))
        kind, long = LineType(rng.uniform(20, 120), 0.8, rng.uniform(0.1, 2)), rng.uniform(0.01, 0.2)
        if number < nodes:
            # Each node is met at least twice.
            a, b = number, (number + 1) % nodes
        which = rng.integers(3)
        ends = [str(a), str(b)]
        if which == 0:
            placed[f"p{number}"] = Placed(in_series(z), ends)
            own = np.array([[1, -1], [-1, 1]]) / z
        elif which == 1:
            g = kind.propagation(f) * long
            own = np.array([[1 / cmath.tanh(g), -1 / cmath.sinh(g)], [-1 / cmath.sinh(g), 1 / cmath.tanh(g)]])
            placed[f"p{number}"], own = Placed(line(kind, long), ends), own / kind.impedance
        else:
            n = rng.uniform(0.3, 3)
            mid = f"t{number}"
            placed[f"p{number}"] = Placed(transformer(n), [ends[0], mid])
            placed[f"q{number}"] = Placed(in_series(z), [mid, ends[1]])
            own = np.array([[1 / n**2, -1 / n], [-1 / n, 1]]) / z
        y[np.ix_([a, b], [a, b])] += own
    return placed, y


@pytest.mark.parametrize("seed", range(10))
def test_random_networks_are_what_nodal_equations_say(seed):
    rng = np.random.default_rng(seed)
    placed, y = random_circuit(rng)
    keep, rest = [0, 3, 7], [n for n in range(len(y)) if n not in (0, 3, 7)]
    reduced = y[np.ix_(keep, keep)] - y[np.ix_(keep, rest)] @ np.linalg.solve(
        y[np.ix_(rest, rest)], y[np.ix_(rest, keep)]
    )
    solved = solve_circuit(Circuit(placed, ["0", "3", "7"]), MIDDLE)
    np.testing.assert_allclose(solved.network.admittance[0], reduced, atol=1e-8 * np.abs(reduced).max())
    # What is passive in all parts is passive as a whole, and its power is accounted for.
    s = solved.matrices[0]
    assert np.linalg.eigvalsh(np.eye(3) - s.conj().T @ s).min() > -1e-12
    flow = solved.drive({"0": 1.0, "7": 0.3j})
    sent, back = np.array([1, 0, 0.3j]), s @ np.array([1, 0, 0.3j])
    budget = flow.budget()
    assert budget.sum() == pytest.approx((np.abs(sent) ** 2 - np.abs(back) ** 2).sum(), abs=1e-9)
    assert (budget > -1e-9).all()
    # One voltage at every node.
    table = flow.levels()
    spread = table.groupby("node")["voltage_V"].agg(lambda v: np.ptp(np.abs(v.to_numpy())))
    assert spread.max() < 1e-9
    # At one temperature nothing flows.
    assert solved.noise_temperatures(290.0).to_numpy() == pytest.approx(290.0, abs=1e-6)


def test_a_circuit_on_an_antenna_is_what_its_own_lines_make_of_it():
    wires = [es.Wire(n, [(x, 0, -h), (x, 0, h)], radius=1e-3) for n, x, h in (("a", 0, 0.07), ("b", 0.1, 0.08))]
    kind = es.circuits.coaxial("1 mm", "3.35 mm", 2.1)
    plain = es.Antenna("two", wires, [es.Port("one", "a"), es.Port("two", "b")])
    lines = [es.Line("l", "one", "far", kind, 0.13), es.Stub("s", "one", kind, 0.04, open_circuit())]
    lined = es.Antenna("two", wires, [es.Port("one", "a")], terminals=[es.Terminal("far", "b")], lines=lines)
    frequencies = [0.9e9, 1e9, 1.1e9]
    own = es.solve(lined, frequencies).network
    parts = {
        "antenna": Placed(block(es.solve(plain, frequencies).network), ["x", "far"]),
        "line": Placed(line(kind, 0.13), ["x", "far"]),
        "stub": Placed(stub(kind, 0.04, open_circuit()), ["x"]),
    }
    found = solve_circuit(Circuit(parts, ["x"]), frequencies).matrices[:, 0, 0]
    np.testing.assert_allclose(found, own.s().values[:, 0, 0], atol=1e-9)


def test_noise_of_a_chain_is_that_of_friis():
    one, two = amplifier(12.0, noise_figure=1.5), amplifier(20.0, noise_figure=6.0)
    solved = solve_circuit(chain(attenuator(2.0), one, attenuator(7.0), two), MIDDLE)
    f = [10 ** (x / 10) for x in (2.0, 1.5, 7.0, 6.0)]
    g = [10 ** (x / 10) for x in (-2.0, 12.0, -7.0, 20.0)]
    figure = f[0] + (f[1] - 1) / g[0] + (f[2] - 1) / (g[0] * g[1]) + (f[3] - 1) / (g[0] * g[1] * g[2])
    want = 290.0 * figure * math.prod(g)
    assert solved.noise_temperatures()["out"].iloc[0] == pytest.approx(want, rel=1e-9)


def test_an_amplifier_gives_no_more_than_it_can_and_settles_with_what_comes_back():
    for drive in (1e-4, 1e-2, 1.0, 10.0):
        flow = solve_circuit(chain(amplifier(20.0, saturated="2 W"), attenuator(0.0)), MIDDLE).drive(
            {"in": math.sqrt(drive)}
        )
        linear = 100 * drive
        power = flow.levels().loc[("p0", "out"), "out_W"]
        assert power == pytest.approx(linear / math.sqrt(1 + (linear / 2) ** 2), rel=1e-9)
        assert flow.compressed["p0"] == pytest.approx(10 * math.log10(power / linear), abs=1e-9)
    # Within a circuit as well.
    inner = Circuit({"stage": Placed(amplifier(20.0, saturated=2.0), ["a", "b"])}, ["a", "b"])
    outer = Circuit({"box": Placed(inner, ["in", "m"]), "pad": Placed(attenuator(3.0), ["m", "out"])}, ["in", "out"])
    flow = solve_circuit(outer, MIDDLE).drive({"in": 1.0})
    assert flow.levels().loc[("box/stage", "out"), "out_W"] == pytest.approx(100 / math.sqrt(1 + 50**2), rel=1e-9)
    # With a mismatch in front of a reflecting end, as a fixed point.
    looped = chain(amplifier(20.0, saturated=2.0, output_match=10.0), line(80.0, 0.02), in_series(30 + 20j))
    flow = solve_circuit(looped, MIDDLE).drive({"in": 0.3})
    assert flow.budget().sum() + flow.levels().loc[("p2", "two"), "out_W"] == pytest.approx(0.3**2, abs=1e-9)


def test_ideal_parts_of_no_length_and_loops():
    np.testing.assert_allclose(s_of(chain(line(80.0, 0.0), transformer(2.0), transformer(0.5)))[0], [[0, 1], [1, 0]],
                               atol=1e-12)  # fmt: skip
    for end, want in ((short_circuit(), -1), (open_circuit(), 1), (impedance(50), 0)):
        one = Circuit({"e": Placed(to_ground(end), ["x"])}, ["x"])
        assert s_of(one)[0][0, 0] == pytest.approx(want, abs=1e-12)
    np.testing.assert_allclose(s_of(chain(in_series(open_circuit())))[0], np.eye(2), atol=1e-12)
    (s,) = s_of(Circuit({"t": Placed(tee(3), "abc")}, "abc"))
    np.testing.assert_allclose(s, np.full((3, 3), 2 / 3) - np.eye(3), atol=1e-12)
    whole = {"c": Placed(circulator(), ["x", "y", "z"]), "m": Placed(to_ground(impedance(50)), ["z"])}
    np.testing.assert_allclose(s_of(Circuit(whole, ["x", "y"]))[0], [[0, 0], [1, 0]], atol=1e-12)
    np.testing.assert_allclose(s_of(chain(isolator(), phase_shifter(100.0, bits=3)))[0], [[0, 0], [-1j, 0]], atol=1e-12)
    np.testing.assert_allclose(np.abs(s_of(Circuit({"s": Placed(switch(3, 2), "abcd")}, "abcd"))[0][0]), [0, 0, 1, 0])
    (s,) = s_of(Circuit({"d": Placed(divider([1, 3], isolated=False), "abc")}, "abc"))
    np.testing.assert_allclose(s @ s.conj().T, np.eye(3), atol=1e-12)
    (s,) = s_of(Circuit({"c": Placed(coupler(10.0, 0.0), "abcd")}, "abcd"))
    np.testing.assert_allclose(s @ s.conj().T, np.eye(4), atol=1e-12)
    # A circuit is a part.
    inner = chain(line(70.0, 0.03), in_series(10))
    twice = Circuit({"one": Placed(inner, ["in", "m"]), "two": Placed(inner, ["m", "out"])}, ["in", "out"])
    np.testing.assert_allclose(
        s_of(twice)[0],
        s_of(chain(*(p.part for p in inner.parts.values()), *(p.part for p in inner.parts.values())))[0],
        atol=1e-12,
    )
    loop = {"a": Placed(line(50.0, WAVE / 2), ["x", "y"]), "b": Placed(line(50.0, WAVE / 2), ["x", "y"]),
            "in": Placed(transformer(1.0), ["in", "x"]), "out": Placed(transformer(1.0), ["y", "out"])}  # fmt: skip
    assert np.isfinite(s_of(Circuit(loop, ["in", "out"]), 0.9e9)).all()
    alone = {"a": Placed(line(50.0, WAVE / 2), ["x", "y"]), "b": Placed(to_ground(short_circuit()), ["x"]),
             "c": Placed(to_ground(short_circuit()), ["y"]), "d": Placed(attenuator(1.0), ["in", "out"])}  # fmt: skip
    with pytest.raises(es.RunError, match="resonates without loss"):
        s_of(Circuit(alone, ["in", "out"]))


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda: Circuit({"a": Placed(line(50, 1), ["x", "y"])}, ["x"]), "node 'y' has one end, two of part 'a'"),
        (lambda: Circuit({"a": Placed(line(50, 1), ["x"])}, ["x"]), "2 ports .* 1 nodes"),
        (lambda: Circuit({"a": Placed(line(50, 1), ["x", "y"])}, ["x", "yy"]), "did you mean 'y'"),
        (lambda: Circuit({"a": Placed(line(50, 1), ["x", "y"])}, ["x", "x", "y"]), "twice"),
        (lambda: Circuit({"a": line(50, 1)}, ["x"]), "Placed"),
        (lambda: line(50, "-1 m"), "below zero"), (lambda: line(-50, 1), "not above zero"),
        (lambda: transformer(0), "not nought"), (lambda: attenuator(-3), "below zero"),
        (lambda: coupler(-1), "above zero"), (lambda: coupler(3, 45), "-90, 90, 0 or 180"),
        (lambda: divider([1, 0]), "above zero"), (lambda: beam_matrix(6), "2, 4, 8"),
        (lambda: amplifier(10, saturated=0), "above zero"), (lambda: amplifier(10, noise_figure=-1), "below zero"),
        (lambda: switch(2, 3), "state 3"), (lambda: solve_circuit(chain(attenuator(1)), "1 m"), "1 m"),
        (lambda: solve_circuit(chain(attenuator(1)), MIDDLE).drive({"inn": 1}), "did you mean 'in'"),
        (lambda: solve_circuit(chain(attenuator(1)), [1e9, 2e9]).drive({"in": 1}), "say which"),
        (lambda: solve_circuit(chain(attenuator(1)), [1e9, 2e9]).drive({"in": 1}, 1.5e9), "nearest"),
        (lambda: s_of(chain(block(solve_circuit(chain(attenuator(1)), [1e9, 2e9]).network)), 3e9), "outside"),
        (lambda: block(solve_circuit(chain(attenuator(1)), [1e9]).network, ["a"]), "2 ports"),
    ],
)  # fmt: skip
def test_wrong_circuits(call, says):
    with pytest.raises(es.EarshotError, match=says):
        call()


def row_of(count):
    """Half-wave rods half a wave apart along x, upright, solved at 150 MHz."""
    wires = [es.Wire(f"r{n}", [(n * 1.0, 0, -0.47), (n * 1.0, 0, 0.47)], radius="3 mm") for n in range(count)]
    antenna = es.Antenna("row", wires, [es.Port(f"e{n + 1}", f"r{n}") for n in range(count)])
    return es.solve(antenna, 150e6)


def test_beams_of_a_row_through_a_matrix_and_dividers():
    solution = row_of(4)
    part = beam_matrix(4)
    nodes = [*(f"beam {n}" for n in range(1, 5)), *(f"e{n}" for n in range(1, 5))]
    parts = {"matrix": Placed(part, nodes), "antenna": Placed(block(solution.network), nodes[4:])}
    solved = solve_circuit(Circuit(parts, nodes[:4]), 150e6)
    table = es.answers.beams(solution, solved, {n: {n: 2.0} for n in nodes[:4]})
    # Alike from both sides, and near where points without coupling would send it, sin θ = (2k - 5)/4 for half a wave.
    turn = np.abs(np.degrees(np.arcsin(np.cos(np.radians(table["phi_deg"].to_numpy())))))
    assert turn[:2] == pytest.approx(turn[:1:-1], abs=0.1)
    assert turn == pytest.approx(np.degrees(np.arcsin([0.75, 0.25, 0.25, 0.75])), abs=6)
    gain, eirp = table["EIRP_over_sent_dB"].to_numpy(), table["EIRP_dBW"].to_numpy()
    assert eirp - gain == pytest.approx(10 * math.log10(4.0), abs=1e-9)
    assert (table["EIRP_phi_dBW"] < table["EIRP_theta_dBW"] - 60).all()
    # The same currents as when the antenna is driven by what arrives at it.
    flow = solved.drive({"beam 2": 2.0})
    driven = es.answers.fed(solution, flow)
    levels = flow.levels().loc["antenna"]
    own = {p: es.volts(complex(v)) for p, v in levels["voltage_V"].items()}
    assert driven.accepted == pytest.approx(solution.drive(own).accepted, rel=1e-12)
    assert driven.accepted == pytest.approx(flow.budget()["antenna"], rel=1e-6)
    assert flow.budget()["matrix"] == pytest.approx(0.0, abs=1e-9)
    for call, says in (
        (lambda: es.answers.fed(solution, flow, "anntena"), "did you mean 'antenna'"),
        (lambda: es.answers.fed(solution, flow, "matrix"), "place block"),
        (lambda: es.answers.beams(solution, solved, {"none": {}}), "sends nothing"),
    ):
        with pytest.raises(es.UsageError, match=says):
            call()
