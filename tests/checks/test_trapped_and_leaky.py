"""Rooms between planes that resonate, and leaky waves, against closed forms and the pattern they make."""

import cmath
import math

import numpy as np
import pytest
import shapely

import earshot as es
from earshot.checks.trapped import resonances_of, rooms
from earshot.constants import SPEED_OF_LIGHT
from earshot.layers import Spectrum, leaky_waves


def fence(outline, apart):
    """Places of pins round a closed line (n, 2)."""
    ring = shapely.LinearRing(outline)
    count = math.ceil(ring.length / apart)
    return np.array([ring.interpolate(n / count, normalized=True).coords[0] for n in range(count)])


def lid(rng):
    own = [es.Layer(rng.uniform(0.5e-3, 2e-3), es.Dielectric("x", rng.uniform(1, 6))) for _ in range(2)]
    return es.Stack(own, lid=True)


def capacitors(stack):
    return stack.thickness / sum(x.thickness / x.material.permittivity for x in stack.layers)


@pytest.mark.parametrize("seed", range(4))
def test_a_box_of_pins_resonates_as_a_box(seed):
    rng = np.random.default_rng(seed)
    stack, (a, b), turn = lid(rng), rng.uniform(15e-3, 60e-3, 2), rng.uniform(0, 3)
    way = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    own = fence(np.array([(0, 0), (a, 0), (a, b), (0, b)]) @ way.T, 1.5e-3)
    beyond = np.array([[0.5, 0.5], [0.51, 0.5]])
    (room,) = rooms(np.concatenate([own, beyond]), 3e-3)
    slow = SPEED_OF_LIGHT / 2 / math.sqrt(capacitors(stack))
    wanted = sorted(slow * math.hypot(m / a, n / b) for m in range(1, 9) for n in range(1, 9))[:5]
    assert resonances_of(room, stack)[:5] == pytest.approx(wanted, rel=0.02)


def test_a_ring_of_pins_in_two_rows_resonates_as_a_disk():
    stack = lid(np.random.default_rng(9))
    turn = 2 * math.pi * np.arange(80) / 80
    ring = np.stack([np.cos(turn), np.sin(turn)], axis=1)
    (room,) = rooms(np.concatenate([20e-3 * ring, 21.5e-3 * ring]), 3e-3)
    wanted = 2.404826 * SPEED_OF_LIGHT / (2 * math.pi * 20e-3 * math.sqrt(capacitors(stack)))
    assert resonances_of(room, stack)[0] == pytest.approx(wanted, rel=0.01)
    assert not rooms(20e-3 * ring[:70], 3e-3)


def boxed(stack, a, b):
    wires = [
        es.Wire(f"pin{n}", [(x, y, 0), (x, y, stack.thickness)], radius=0.2e-3)
        for n, (x, y) in enumerate(fence([(0, 0), (a, 0), (a, b), (0, b)], 2e-3))
    ]
    feed = es.Wire("feed", [(0.4 * a, 0.4 * b, 0), (0.4 * a, 0.4 * b, stack.thickness)], radius=0.3e-3)
    return es.Antenna("room", [*wires, feed], [es.Port("in", "feed", at=0)], stack)


def test_check_tells_of_a_room_near_its_resonance_and_solving_shows_it():
    stack = es.Stack(es.Layer("1 mm", es.Dielectric("x", 2.0)), lid=True)
    a, b = 30e-3, 24e-3
    antenna = boxed(stack, a, b)
    first = SPEED_OF_LIGHT / 2 / math.sqrt(2.0) * math.hypot(1 / a, 1 / b)
    said = [f for f in es.check(antenna, first) if "resonates" in f.says]
    assert [f.level for f in said] == ["warn"]
    assert "put pins across" in said[0].remedy
    assert not [f for f in es.check(antenna, 0.8 * first) if "resonates" in f.says]
    # A pin through a room of its own makes X run through a pole at its resonance, moved up a little by the pins.
    seen = es.solve(antenna, [0.97 * first, 1.06 * first]).network.z().values[:, 0, 0].imag
    assert seen[0] > 20.0
    assert seen[1] < 0.0


def cavity(gap, cover):
    """Air over a plane under a cover of high permittivity, in wavelengths, at 10 GHz."""
    wave = SPEED_OF_LIGHT / 1e10
    return es.Stack([es.Layer(gap * wave, "air"), es.Layer(cover * wave, es.Dielectric("cover", 10.0))], 1)


def across(stack, k, tm):
    """Impedances up and down at the lower face of the cover, of TE or TM lines, the wave in the air growing."""
    k0 = 2 * math.pi * 1e10 / SPEED_OF_LIGHT
    u = [cmath.sqrt(k * k - e) for e in (1.0, 10.0)]
    u0 = -u[0] if u[0].real > 0 else u[0]
    line = (lambda u, e: u / (1j * e)) if tm else (lambda u, _e: 1j / u)
    load, own = line(u0, 1.0), line(u[1], 10.0)
    t = cmath.tanh(u[1] * k0 * stack.layers[1].thickness)
    up = own * (load + own * t) / (own + load * t)
    return up, line(u[0], 1.0) * cmath.tanh(u[0] * k0 * stack.layers[0].thickness)


@pytest.mark.parametrize("seed", range(4))
def test_leaky_waves_are_zeros_of_the_transverse_resonance(seed):
    rng = np.random.default_rng(seed)
    stack = cavity(rng.uniform(0.5, 0.7), rng.uniform(0.06, 0.1))
    found = leaky_waves(Spectrum(stack, 1e10))
    assert {wave.tm for wave in found} == {True, False}
    for wave in found:
        up, down = across(stack, wave.index, wave.tm)
        assert abs(up + down) < 1e-7 * abs(up)


@pytest.mark.parametrize("gap", [0.56, 0.61, 0.68])
def test_a_leaky_wave_makes_the_beam_of_a_cavity(gap):
    """A slot under it radiates most where sin² θ = β² - α² for an index β - jα (Jackson and Oliner 1988)."""
    spectrum = Spectrum(cavity(gap, 0.079), 1e10)
    theta = np.radians(np.linspace(1, 70, 1400))
    tm, te = spectrum.from_opening(np.sin(theta))
    for kind, sent in ((True, tm), (False, te * np.cos(theta))):
        (wave,) = (w for w in leaky_waves(spectrum) if w.tm == kind and w.index.real < 0.9)
        beam = math.degrees(math.asin(math.sqrt(wave.index.real**2 - wave.index.imag**2)))
        assert np.degrees(theta[np.argmax(np.abs(sent))]) == pytest.approx(beam, abs=0.4)


def test_check_tells_of_a_leaky_wave_that_goes_far():
    stack = cavity(0.56, 0.079)
    strip = es.Sheet("strip", es.shapes.plate("14 mm", "1 mm", centre=(0, 0, stack.level)))
    antenna = es.Antenna("x", [], [es.Port("in", "strip", at=(0, 0, stack.level), across="x")], stack, sheets=[strip])
    notes = [f.says for f in es.check(antenna, 1e10) if "leaky" in f.says]
    assert notes
    assert "dB in a wavelength" in notes[0]
    plain = es.substrate("0.8 mm", 3.0)
    assert not leaky_waves(Spectrum(plain, 1e10)) or all(w.fading > 3 for w in leaky_waves(Spectrum(plain, 1e10)))
    assert leaky_waves(Spectrum(es.Stack(stack.layers, 1, lid=True), 1e10)) == ()
