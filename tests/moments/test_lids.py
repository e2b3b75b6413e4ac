"""Planes over layers as well as under them: kernels, what runs between, pins to either, strips between both."""

import math

import numpy as np
import pytest
from scipy.special import hankel2

import earshot as es

HERTZ = 5e9
RULE = es.MeshRule(sheets_per_wavelength=10)


def stripline(layers, level=1, pins=("low",), ports=("in",), long=20e-3):
    """A strip on a face between two planes; pins at its far end to either."""
    stack = es.Stack(layers, lid=True)
    height, top = stack.faces[level], stack.thickness
    strip = es.Sheet("strip", es.shapes.plate(long, 1.5e-3, centre=(0, 0, height)))
    x = long / 2 - 1e-3
    wires = [es.Wire("in", [(-x, 0, 0), (-x, 0, height)], radius=0.2e-3)]
    ends = {"low": (0.0, height), "high": (height, top)}
    wires += [es.Wire(name, [(x, 0, z) for z in ends[name]], radius=0.2e-3) for name in pins]
    return es.Antenna("strip", wires, [es.Port(name, name, at=0) for name in ports], stack, sheets=[strip])


@pytest.mark.parametrize("seed", [1, 2, 3, 4])
def test_kernels_between_planes_are_sums_of_modes(seed):
    rng = np.random.default_rng(seed)
    eps, parts = rng.uniform(1.0, 6.0), rng.uniform(0.8e-3, 6e-3, 3)
    stack = es.Stack([es.Layer(d, es.Dielectric("d", eps)) for d in parts], int(rng.integers(1, 3)), lid=True)
    spectrum = es.layers.Spectrum(stack, HERTZ)
    table = es.layers.kernel_table(spectrum, 0.05, 2e-3)
    rho, depth = rng.uniform(1e-3, 0.04, 5), stack.thickness
    n = np.arange(1, 6000)[:, None] * math.pi / depth
    k = np.sqrt(eps * spectrum.wavenumber**2 - n**2 + 0j)
    waves = hankel2(0, np.where(k.imag > 0.0, -k, k) * rho) / 4j
    modes = 4.0 * math.pi * (2.0 / depth * np.sin(n * stack.level) ** 2 * waves).sum(axis=0)
    assert table.vector(rho) == pytest.approx(modes, rel=1e-4, abs=1e-5 * abs(modes).max())
    assert table.scalar(rho) == pytest.approx(modes / eps, rel=1e-4, abs=1e-5 * abs(modes).max())


def test_waves_between_planes_of_one_matter():
    """TEM as fast as in the matter, the others where they are half waves high."""
    depth, eps, hertz = 20e-3, 2.5, 12e9
    stack = es.Stack(
        [es.Layer(0.3 * depth, es.Dielectric("d", eps)), es.Layer(0.7 * depth, es.Dielectric("d", eps))], lid=True
    )
    found = {w.name: w.index.real for w in es.layers.surface_waves(es.layers.Spectrum(stack, hertz))}
    half = math.pi / depth / es.constants.wavenumber(hertz)
    most = int(math.sqrt(eps) / half)
    for n in range(most + 1):
        want = math.sqrt(eps - (n * half) ** 2)
        assert found[f"TM{n}"] == pytest.approx(want, rel=1e-6)
        if n:
            assert found[f"TE{n}"] == pytest.approx(want, rel=1e-6)
    assert len(found) == 2 * most + 1


@pytest.mark.parametrize(("seed", "pins"), [(1, ("low",)), (2, ("high",)), (3, ()), (4, ("low", "high"))])
def test_what_is_accepted_runs_off_between_the_planes(seed, pins):
    rng = np.random.default_rng(seed)
    layers = [es.Layer(rng.uniform(0.8e-3, 2e-3), es.Dielectric(str(n), rng.uniform(1, 5))) for n in range(3)]
    driven = es.solve(stripline(layers, int(rng.integers(1, 3)), pins), HERTZ, rule=RULE).drive()
    guided = driven.flow.guided()
    assert guided[0][0] == "parallel-plate wave TM0"
    assert sum(power for _, power in guided) == pytest.approx(driven.accepted, rel=1e-3)
    with pytest.raises(es.UsageError, match="no waves get out"):
        driven.far_field()


def test_turned_over_it_is_the_same():
    layers = [es.Layer(d, es.Dielectric(str(d), e)) for d, e in ((1e-3, 3.0), (1.6e-3, 2.0))]
    one = stripline(layers, 1, ("high",), ("in", "high"))
    top = one.medium.thickness
    turned = one.mirrored("z", top / 2)
    two = es.Antenna("turned", turned.wires, turned.ports, es.Stack(layers[::-1], lid=True), sheets=turned.sheets)
    z = [es.solve(a, HERTZ, rule=RULE).network.z().values[0] for a in (one, two)]
    assert z[0] == pytest.approx(z[1], rel=1e-3, abs=0.02)


def test_a_via_to_both_planes_is_a_short_at_low_frequency():
    """All that is left is the inductance of the line and its via, less than with one to the lower plane alone.

    With one to the lid alone the current comes back between the planes, which a wave there takes its power from.
    """
    layers = [es.Layer("1 mm", es.Dielectric("d", 3.0))] * 2
    hertz = [100e6, 200e6]
    found = {}
    for pins in (("low",), ("high",), ("low", "high")):
        z = es.solve(stripline(layers, 1, pins), hertz, rule=RULE).network.z().values[:, 0, 0]
        found[pins] = z.imag
        if pins == ("high",):
            assert (z.real > 0.2).all()
            continue
        assert np.abs(z.real).max() < 0.01 * 50.0
        assert z.imag[1] == pytest.approx(2.0 * z.imag[0], rel=0.02)
        assert 0.0 < z.imag[0] < 0.15 * 50.0
    assert found["low", "high"][0] < min(found["low",][0], found["high",][0])
    assert found["high",][0] < 0.15 * 50.0


def test_a_lid_far_off_is_none():
    """Raised by wavelengths of matter with loss it leaves the line under it alone."""
    board, air = es.Layer("1 mm", es.Dielectric("d", 3.0)), es.Layer("60 mm", es.Dielectric("a", 1.0, 0.6))
    z = []
    for lid in (False, True):
        stack = es.Stack([board, air], 1, lid=lid)
        line = stripline([board, air]).over(stack)
        z.append(es.solve(line, HERTZ, rule=RULE).network.z().values[0, 0, 0])
    assert z[0] == pytest.approx(z[1], rel=5e-3)


def test_what_is_wrong_is_named():
    layers = [es.Layer("1 mm", "ptfe"), es.Layer("1 mm", "ptfe")]
    good = stripline(layers)
    assert not es.check(good, HERTZ).stops
    beyond = good.with_(es.Sheet("roof", es.shapes.plate(1e-2, 1e-2, centre=(0, 0, 5e-3))))
    on_lid = good.with_(es.Sheet("roof", es.shapes.plate(1e-2, 1e-2, centre=(0, 0, 2e-3))))
    for antenna, says in ((beyond, "reaches beyond the lid"), (on_lid, "on no face of the layers")):
        assert any(says in str(f) for f in es.check(antenna, HERTZ).stops)
    with pytest.raises(es.UsageError, match="turn it over"):
        es.Stack(layers, open_below=True, lid=True)
    alone = es.Antenna("b", good.wires, good.ports, es.Stack(layers[:1], lid=True), sheets=on_lid.sheets)
    with pytest.raises(es.ModelError, match="print it flat inside, in two layers instead of one, where one layer ends"):
        es.solve(alone, 1e9)
