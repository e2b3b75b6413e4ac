"""Loads, lines, stubs, terminations and references against closed forms, and without solving again."""

import cmath
import math

import numpy as np
import pytest
from models import ONE_METRE, pair

import earshot as es
from earshot import circuits
from earshot.network.gap_circuit import GapCircuit, LineEnd

F = 150e6


def gap(name, at, **more):
    return es.Port(name, on="rod", at=at, **more)


ROD = es.Wire("rod", [(0, 0, -0.48), (0, 0, 0.48)], radius="3 mm")


def line_input(z0, gamma_length, end):
    """Pozar 2012, eq. 2.91."""
    t = cmath.tanh(gamma_length)
    return z0 * t if end == 0 else z0 / t if cmath.isinf(end) else z0 * (end + z0 * t) / (z0 + end * t)


@pytest.mark.parametrize("length", [0.1, 0.25, 0.5, 0.7, 1.0])
@pytest.mark.parametrize("end", [0j, complex(math.inf), 30 + 40j])
@pytest.mark.parametrize("attenuation", [0.0, 0.3])
def test_stubs_are_what_the_closed_form_says(length, end, attenuation):
    kind = circuits.LineType(75.0, 0.66, attenuation)
    metres = length * 0.66 * 299_792_458 / F
    exact = line_input(75.0, kind.propagation(F) * metres, end)
    closing = circuits.open_circuit() if cmath.isinf(end) else circuits.impedance(end)
    circuit = GapCircuit(1, 1, (closing,), (LineEnd(0, 1, kind, metres, False),))
    port = np.array([[0.004 - 0.002j]])
    if abs(exact) < 1e-9:
        # A short moved along by half waves: so is the port's impedance.
        with pytest.raises(np.linalg.LinAlgError) if exact == 0 else np.errstate(all="ignore"):
            assert abs(circuit.closed(port, circuit.spread(port, F))[0, 0]) > 1e9
        return
    found = circuit.closed(port, circuit.spread(port, F))[0, 0]
    assert found - port[0, 0] == pytest.approx(1 / exact, rel=1e-9, abs=1e-12)


@pytest.mark.parametrize("crossed", [False, True])
def test_a_quarter_wave_transformer(crossed):
    """Z_in = Z²/Z_L whether crossed or not."""
    quarter = 299_792_458 / F / 4
    circuit = GapCircuit(
        1, 2, (circuits.impedance(20 + 5j),), (LineEnd(0, 1, circuits.LineType(80.0), quarter, crossed),)
    )
    bare = np.zeros((2, 2), complex)
    found = circuit.closed(bare, circuit.spread(bare, F))[0, 0]
    assert 1 / found == pytest.approx(80**2 / (20 + 5j), rel=1e-9)


def test_shorts_across_ports_are_told_and_no_loss_is_too_much():
    port = es.Antenna("rod", [ROD], [gap("feed", 0.5)])
    with pytest.raises(es.RunError, match="short across a port"):
        es.solve(port.with_(es.Stub("s", "feed", 50, 0, circuits.short_circuit())), F).network.z()
    endless = es.Stub("s", "feed", circuits.LineType(70, 1, 1e5), 10, circuits.short_circuit())
    y = es.solve(port, F).network.y().values[0, 0, 0]
    assert es.solve(port.with_(endless), F).network.y().values[0, 0, 0] == pytest.approx(y + 1 / 70, rel=1e-6)


def test_lumped_elements_in_closed_form():
    w = 2 * math.pi * F
    assert circuits.series("5 ohm", "100 nH", "10 pF").at(F) == pytest.approx(5 + 1j * w * 1e-7 + 1 / (1j * w * 1e-11))
    assert circuits.parallel(5, "100 nH", "10 pF").at(F) == pytest.approx(
        1 / (0.2 + 1 / (1j * w * 1e-7) + 1j * w * 1e-11)
    )
    assert circuits.trap("100 nH", "10 pF", 1).at(F) == pytest.approx(1 / (1 / (1 + 1j * w * 1e-7) + 1j * w * 1e-11))
    table = circuits.impedance([10, 30 + 20j], [100e6, 200e6])
    assert table.at(F) == pytest.approx(20 + 10j)
    assert circuits.two_wire("10 mm", "2 mm").impedance == pytest.approx(120 * math.acosh(5), rel=1e-3)
    assert circuits.coaxial("1 mm", "3.35 mm", 2.25).impedance == pytest.approx(60 / 1.5 * math.log(3.35), rel=1e-3)


def test_a_load_is_the_same_as_a_port_closed_by_it():
    base = es.Antenna("rod", [ROD], [gap("feed", 0.5), gap("coil", 0.75)])
    coil = circuits.series(3, "200 nH")
    closed = es.solve(base, F).network.terminated({"coil": coil})
    loaded = es.solve(
        es.Antenna("rod", [ROD], [gap("feed", 0.5)], loads=[es.Load("coil", "rod", 0.75, impedance=coil)]), F
    )
    np.testing.assert_allclose(closed.z().values, loaded.network.z().values, rtol=1e-10)
    # Changed without solving again, and the same as solving again.
    other = es.Load("coil", "rod", 0.75, impedance=100 - 50j)
    again = es.solve(loaded.antenna.with_(other), F)
    quick = loaded.with_(other)
    assert quick.response.coefficients is loaded.response.coefficients
    np.testing.assert_allclose(quick.network.z().values, again.network.z().values, rtol=1e-12)
    with pytest.raises(es.UsageError, match="solve it afresh"):
        loaded.with_(es.Load("coil", "rod", 0.8, impedance=1))


def test_zero_ohms_in_a_gap_are_no_gap_and_an_open_cuts_the_wire():
    bare = es.solve(es.Antenna("rod", [ROD], [gap("feed", 0.5)]), F).network.z().values[0, 0, 0]

    def loaded(value):
        load = es.Load("x", "rod", 0.7, impedance=value)
        return es.solve(es.Antenna("rod", [ROD], [gap("feed", 0.5)], loads=[load]), F).network.z().values[0, 0, 0]

    assert loaded(0) == pytest.approx(bare, rel=2e-3)
    assert loaded(circuits.open_circuit()) == pytest.approx(loaded(1e12), rel=1e-6)
    assert abs(loaded(circuits.open_circuit()) - bare) > 10


def test_watts_are_accounted_for():
    antenna = es.Antenna(
        "rod",
        [ROD, es.Wire("other", [(0.4, 0, -0.45), (0.4, 0, 0.45)], radius="3 mm")],
        [gap("feed", 0.5), es.Port("far", on="other")],
        loads=[es.Load("resistor", "rod", 0.8, impedance=25)],
        terminals=[es.Terminal("tap", "other", 0.8)],
        lines=[
            es.Line("feeder", "feed", "tap", circuits.LineType(200.0, 0.9, 0.5), "0.7 m", crossed=True),
            es.Stub("stub", "tap", 50.0, "0.2 m", circuits.impedance(10 + 3j)),
        ],
    )
    assert not es.check(antenna).stops
    answer = es.solve(antenna, F)
    driven = answer.drive({"feed": es.watts(2)})
    table = driven.budget()["power_W"]
    assert table["sent"] == pytest.approx(2)
    assert table["sent"] == pytest.approx(table["returned"] + table["accepted"])
    parts = table.drop(["sent", "returned", "accepted"])
    assert parts.min() > 0
    assert len(parts) == 5
    assert parts.sum() == pytest.approx(table["accepted"], rel=1e-5)
    assert abs(es.evidence(answer, {"feed": es.watts(2)}).balance) < 1e-4
    # Reciprocity survives every part.
    np.testing.assert_allclose(answer.network.s().values[0], answer.network.s().values[0].T, atol=1e-12)


def test_power_waves_at_complex_references():
    """At the conjugate of its own impedance nothing comes back; S stays a contraction."""
    answer = es.solve(pair(0.48, 1e-3, 6, dx=0.3), ONE_METRE)
    alone = answer.network.terminated({"two": circuits.open_circuit()})
    z = alone.z().values[0, 0, 0]
    assert abs(alone.referred_to(complex(z).conjugate()).s().values[0, 0, 0]) < 1e-12
    both = answer.network.referred_to(30 - 20j, 75 + 10j)
    assert np.linalg.norm(both.s().values[0], 2) < 1
    wire = es.Wire("rod", [(0, 0, -0.24), (0, 0, 0.24)], radius=1e-3)
    matched = es.Antenna("m", [wire], [es.Port("feed", on="rod", reference=complex(80, -15))])
    driven = es.solve(matched, ONE_METRE).drive(es.watts(1))
    gamma = es.solve(matched, ONE_METRE).network.reflection().values[0, 0]
    assert driven.incident == pytest.approx(1)
    assert driven.accepted == pytest.approx(1 - abs(gamma) ** 2)


def test_terminations_in_a_drive():
    answer = es.solve(pair(0.48, 1e-3, 6, dx=0.2), ONE_METRE)
    z = answer.network.z().values[0]
    opened = answer.drive({"one": es.amperes(1)}, terminations={"two": circuits.open_circuit()})
    assert opened.voltages[0] == pytest.approx(z[0, 0])
    assert abs(opened.currents[1]) < 1e-15
    shorted = answer.drive({"one": es.volts(1)}, terminations={"two": 0})
    assert shorted.currents[0] == pytest.approx(answer.network.y().values[0, 0, 0])
    with pytest.raises(es.UsageError, match="both driven and closed"):
        answer.drive({"one": es.volts(1)}, terminations={"one": 50})


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: es.Load("x", "rod", impedance=complex("nan")), "not finite"),
        (lambda: circuits.series(-1), "below zero"),
        (lambda: circuits.series("5 nH"), "is an? inductance"),
        (lambda: circuits.parallel(), "nothing is given"),
        (lambda: circuits.impedance([1, 2], [2e6, 1e6]), "rising frequencies"),
        (lambda: circuits.impedance([1, 2], [1e6, 2e6]).at(3e6), "outside it"),
        (lambda: es.Line("x", "a", "a", 50, 1), "both ends"),
        (lambda: es.Line("x", "a", "b", -50, 1), "not above zero"),
        (lambda: circuits.LineType(50, 1.2), "outside 0 to 1"),
        (lambda: circuits.two_wire("1 mm", "2 mm"), "would touch"),
        (lambda: circuits.coaxial("3 mm", "2 mm"), "not above the inner"),
    ],
)
def test_bad_circuit_parts(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def test_lines_between_missing_gaps_and_overlapping_gaps_are_found():
    lost = es.Antenna("rod", [ROD], [gap("feed", 0.5)], lines=[es.Line("x", "feed", "fed2", 50, 1)])
    assert "there is no port, load or terminal 'fed2'" in str(es.check(lost))
    close = es.Antenna("rod", [ROD], [gap("feed", 0.5), gap("second", 0.51)])
    assert "overlap on wire 'rod'" in str(es.check(close))
    grown = lost.scaled(2)
    assert grown.lines[0].length == 2
    assert grown.without("feed").lines == ()


def test_parts_are_joined_by_a_short_text(tmp_path):
    w = 2j * math.pi * F
    for text, want in (
        ("68 ohm + 22 nH", 68 + w * 22e-9),
        ("22 nH + 10 pF", w * 22e-9 + 1 / (w * 10e-12)),
        ("1 kohm || 2 pF", 1 / (1e-3 + w * 2e-12)),
        ("50 ohm + 18 ohm", 68),
    ):
        assert circuits.impedance(text).at(F) == pytest.approx(want, rel=1e-12)
    for text in ("1 nH + 2 nH", "1 ohm + 2 nH || 3 pF", "68 ohm + 22 Hz", "+ 2 nH"):
        with pytest.raises(es.EarshotError):
            circuits.impedance(text)


def test_a_port_in_a_file_is_closed_by_a_short_text(tmp_path):
    head = 'title = "t"\nfrequency = "150 MHz"\n[wire.a]\nradius = "1 mm"\npoints = ["0,0,0", "0,0,1 m"]\n'
    ports = '[port.f]\non = "a"\n[port.g]\non = "a"\nat = 0.2\n'
    case = '[case.c]\npower = { f = "1 W" }\nterminations = { g = "68 ohm + 22 nH" }\n'
    (tmp_path / "t.toml").write_text(head + ports + case)
    case = es.read_design(tmp_path / "t.toml").cases[0]
    assert case.terminations["g"].at(F) == pytest.approx(68 + 2j * math.pi * F * 22e-9)
