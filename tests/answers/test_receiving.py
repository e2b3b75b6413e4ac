"""Receiving against transmitting, and scattering against power."""

import math
from dataclasses import replace

import numpy as np
import pytest
from models import ONE_METRE, dipole, monopole, three_elements

import earshot as es
from earshot.constants import WAVE_IMPEDANCE
from earshot.moments.ports import gap_vectors

K = 2 * math.pi
FEED = "feed"


@pytest.mark.parametrize(
    "antenna",
    [
        three_elements([0.49, 0.466, 0.44], [0, 0.15, 0.27], 1e-3, 1).rotated("25 deg", (1, 2, 0)).moved((0.3, 1, 2)),
        dipole(0.47, 0.02, name=FEED),
        monopole(0.24, 5e-3),
    ],
)
def test_open_circuit_voltage_is_the_transmitted_field(antenna):
    """V_oc I = -(4π/jkη)... the reaction theorem: V_oc = (4π r e^{jkr}/jkη) E_t·E_i with E_t for 1 A."""
    answer = es.solve(antenna, ONE_METRE)
    theta, phi = 1.1, 0.7
    sent = answer.drive(es.amperes(1)).far_field().field(theta, phi)
    scale = 4 * math.pi / (1j * K * WAVE_IMPEDANCE)
    for e_theta, e_phi in ((1, 0), (0, 1), (0.6, 0.8j)):
        wave = es.plane_wave(math.degrees(theta), math.degrees(phi), e_theta, e_phi)
        port = antenna.ports[0].name
        got = es.receive(answer, wave, terminations={port: es.circuits.open_circuit()}).voltages[0]
        want = scale * (sent[0] * e_theta + sent[1] * e_phi)
        assert abs(got - want) <= 1e-6 * max(abs(scale) * np.linalg.norm(sent), 1e-12)


def test_a_matched_load_takes_the_effective_area():
    """A = λ²G/4π into the conjugate of the antenna's impedance (Balanis 2016, eq. 2-112)."""
    answer = es.solve(dipole(0.48, 1e-3, name=FEED), ONE_METRE)
    z = complex(answer.network.z().values[0, 0, 0])
    wave = es.plane_wave("90 deg", "0 deg", e_theta=2.0)
    got = es.receive(answer, wave, terminations={FEED: z.conjugate()})
    gain = float(answer.drive().far_field().gain(math.pi / 2, 0.0))
    assert got.effective_area[0] == pytest.approx(gain / (4 * math.pi), rel=1e-5)
    assert got.powers[0] > es.receive(answer, wave).powers[0] > 0
    table = es.receive(answer, wave).table()
    assert table.loc[FEED, "antenna_factor_dB_per_m"] == pytest.approx(
        20 * math.log10(2 / abs(table.loc[FEED, "voltage_V"]))
    )


def test_what_is_taken_from_the_wave_is_scattered_or_absorbed():
    """Extinction: λ Im of the forward field equals scattered plus absorbed power (Born and Wolf, sec. 13.5)."""
    answer = es.solve(dipole(0.48, 1e-3, name=FEED), ONE_METRE)
    wave = es.plane_wave("70 deg", "30 deg", e_theta=1.0)
    got = es.receive(answer, wave)
    theta, phi = math.pi - wave.theta, wave.phi + math.pi
    forward = got.flow.far_field(np.array(theta), np.array(phi))[0]
    # Going straight on, θ̂ of the scattered wave is θ̂ of the arriving one.
    extinct = 4 * math.pi / K * float((1j * forward).real * -1) / (2 * WAVE_IMPEDANCE)
    x, w = np.polynomial.legendre.leggauss(32)
    turns = np.arange(64) * 2 * math.pi / 64
    section = got.cross_section(np.arccos(x)[:, None], turns)
    scattered = float((w @ section.mean(axis=1)) / 2) * wave.density
    assert abs(extinct) == pytest.approx(scattered + got.powers[0], rel=1e-3)


def test_loads_and_lines_take_part():
    wire = es.Wire("rod", [(0, 0, -0.24), (0, 0, 0.24)], radius=1e-3)
    stub = es.Stub("stub", FEED, 75.0, 0.1, es.circuits.short_circuit())
    plain = es.Antenna("d", [wire], [es.Port(FEED, on="rod")])
    answer = es.solve(es.Antenna("d", [wire], plain.ports, lines=[stub]), ONE_METRE)
    wave = es.plane_wave("90 deg", 0.0, e_theta=1.0)
    got = es.receive(answer, wave)
    # Thevenin: the bare antenna's open voltage behind its impedance, into the stub beside 50 ohm.
    bare = es.solve(plain, ONE_METRE)
    voc = es.receive(bare, wave, terminations={FEED: es.circuits.open_circuit()}).voltages[0]
    z = complex(bare.network.z().values[0, 0, 0])
    beside = 1 / (1 / 50 + 1 / (75j * math.tan(K * 0.1)))
    assert got.voltages[0] == pytest.approx(voc * beside / (z + beside), rel=1e-6)
    assert got.powers[0] == pytest.approx(abs(got.voltages[0]) ** 2 / 100)


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda s: es.plane_wave(0, 0), "no field"),
        (lambda s: es.receive(s, es.plane_wave(1, 0, 1), terminations={"fed": 50}), "did you mean 'feed'"),
        (lambda s: es.receive(s, es.plane_wave("90 MHz", 0, 1)), "is a frequency"),
    ],
)
def test_bad_waves(call, says):
    answer = es.solve(dipole(0.48, 1e-3, name=FEED), ONE_METRE)
    with pytest.raises(es.UsageError, match=says):
        call(answer)


def test_a_shorted_port_with_a_line_carries_what_both_draw():
    """The stub beside a short carries nothing of its own: the short has the bare antenna's short-circuit current."""
    wave = es.plane_wave("90 deg", 0.0, e_theta=1.0)
    plain = dipole(0.48, 1e-3, name=FEED)
    stub = es.Stub("stub", FEED, 75.0, 0.1, es.circuits.open_circuit())
    one, two = (
        es.receive(es.solve(antenna, ONE_METRE), wave, terminations={FEED: 0}) for antenna in (plain, plain.with_(stub))
    )
    assert one.currents[0] == pytest.approx(two.currents[0])
    z = es.solve(plain, ONE_METRE).network.z().values[0, 0, 0]
    opened = es.receive(es.solve(plain, ONE_METRE), wave, terminations={FEED: es.circuits.open_circuit()})
    assert abs(one.currents[0]) == pytest.approx(abs(opened.voltages[0] / z))


def test_the_factors_of_a_solve_serve_the_waves_that_follow(monkeypatch):
    from earshot.moments import response

    filled = []
    real = response.impedance_operator
    monkeypatch.setattr(response, "impedance_operator", lambda *a: filled.append(a[2]) or real(*a))
    antenna = dipole(0.47, 1e-3)
    answer, other = es.solve(antenna, ONE_METRE), es.solve(dipole(0.4, 1e-3), ONE_METRE)
    one = [es.receive(solution, es.plane_wave(t, 0, 1)) for solution in (answer, other) for t in (30, 60, 90)]
    # Neither voltages nor the currents on all metal take another matrix, whichever was solved last.
    gaps = [gap_vectors(x.antenna, s.response.basis) for x, s in zip(one[::3], (answer, other), strict=True)]
    assert len(filled) == 2
    for received, solution, gap in zip(one[::3], (answer, other), gaps, strict=True):
        ends = received.flow.ends.ravel()
        along = np.linalg.lstsq(solution.response.basis.wires.ends.toarray(), ends, rcond=None)[0]
        assert along @ gap[:, 0] == pytest.approx(received.currents[0], rel=1e-9)
    assert len(filled) == 2
    # The same mesh of another metal is another matrix.
    copper = es.Antenna("c", [replace(antenna.wires[0], metal=es.materials.metals["copper"])], antenna.ports)
    lossy = es.receive(es.solve(copper, ONE_METRE), es.plane_wave(90, 0, 1)).voltages[0]
    assert abs(lossy - one[2].voltages[0]) > 1e-4 * abs(lossy)


def test_waves_on_metal_without_ports_share_its_factors(monkeypatch):
    from earshot.moments import response

    filled = []
    real = response.impedance_operator
    monkeypatch.setattr(response, "impedance_operator", lambda *a: filled.append(a[2]) or real(*a))
    sizes = [
        float(es.scatter(dipole(0.463, 1e-3), es.plane_wave(t, 0, 1), ONE_METRE).cross_section(math.radians(t), 0.0))
        for t in (40, 60, 90)
    ]
    assert len(filled) == 1
    assert sizes[0] < sizes[1] < sizes[2]
