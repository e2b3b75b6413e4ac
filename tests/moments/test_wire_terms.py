"""Loss in the metal and the effect of jackets against closed forms and reference values."""

import json
import math
from pathlib import Path

import numpy as np
import pytest
from scipy.optimize import brentq
from scipy.special import iv, jv, kv, yv

import earshot as es
from earshot.constants import ELECTRIC_CONSTANT
from earshot.meshing.mesh import mesh
from earshot.moments.wire_basis import wire_basis
from earshot.moments.wire_terms import wire_losses

CASES = {
    c["id"]: c for c in json.loads((Path(__file__).parent.parent / "validation" / "wire.json").read_text())["cases"]
}
HERTZ = 30e6
WAVE = 299_792_458 / HERTZ
COPPER = es.materials.metals["copper"]


def half_wave(metal):
    wire = es.Wire("rod", [(0, 0, -WAVE / 4), (0, 0, WAVE / 4)], radius="0.5 mm", metal=metal)
    return es.Antenna("dipole", [wire], [es.Port("feed", on="rod")])


def test_internal_impedance_from_direct_current_to_microwaves():
    a = 0.5e-3
    direct = 1 / (COPPER.conductivity * math.pi * a**2)
    assert COPPER.wire_impedance(1.0, a).real == pytest.approx(direct, rel=1e-6)
    want = CASES["loss_closed_forms"]["value"]
    z = COPPER.wire_impedance(HERTZ, a)
    assert z == pytest.approx(complex(want["zint_R"], want["zint_X"]), rel=1e-5)
    assert COPPER.skin_depth(HERTZ) == pytest.approx(want["delta"], rel=1e-5)
    surface = 1 / (COPPER.conductivity * COPPER.skin_depth(60e9) * 2 * math.pi * a)
    assert COPPER.wire_impedance(60e9, a).real == pytest.approx(surface, rel=1e-3)


def test_tubes_go_from_thin_walls_to_solid():
    a, wall = 5e-3, 0.1e-3
    direct = 1 / (COPPER.conductivity * math.pi * (a**2 - (a - wall) ** 2))
    assert COPPER.wire_impedance(1.0, a, wall).real == pytest.approx(direct, rel=1e-6)
    for frequency in (1e3, 1e5, 1e7, 1e10):
        thick = COPPER.wire_impedance(frequency, a, 0.999 * a)
        assert thick == pytest.approx(COPPER.wire_impedance(frequency, a), rel=1e-3)
    # Thin against the radius: a flat sheet of that thickness, z = γ coth(γ wall) / 2πaσ.
    gamma = (1 + 1j) / COPPER.skin_depth(1e6)
    sheet = gamma / np.tanh(gamma * wall) / (2 * math.pi * a * COPPER.conductivity)
    assert COPPER.wire_impedance(1e6, a, wall) == pytest.approx(sheet, rel=0.02)


def test_loss_of_a_prescribed_current():
    """A sinusoidal half wave and a triangle: the closed forms of the reference."""
    want = CASES["loss_closed_forms"]["value"]
    for share, key, current in (
        (0.5, "half_closed_bessel", lambda s: np.cos(2 * math.pi * s / WAVE)),
        (0.02, "short_closed_bessel", lambda s: 1 - np.abs(s) / (0.01 * WAVE)),
    ):
        half = share * WAVE / 2
        wire = es.Wire("rod", [(0, 0, -half), (0, 0, half)], radius="0.5 mm", metal=COPPER)
        antenna = es.Antenna("d", [wire], [es.Port("feed", on="rod")])
        grid = mesh(antenna, WAVE, es.MeshRule(per_wavelength=2000))
        ends = current(grid.nodes[grid.ends][:, :, 2]).astype(complex)
        ((_, lost),) = wire_losses(antenna, wire_basis(grid), HERTZ, ends)
        assert 2 * lost == pytest.approx(want[key]["Rloss"], rel=1e-3)


def test_loss_of_a_solved_half_wave():
    case = CASES["loss_half_full_g6a"]
    bare, lossy = (es.solve(half_wave(m), HERTZ) for m in (None, COPPER))
    want = case["value"]["bessel"]
    added = (lossy.network.z().values - bare.network.z().values)[0, 0, 0]
    assert added.real == pytest.approx(want["dR"], rel=case["tolerance"]["dR_rel"])
    assert added.imag == pytest.approx(want["dX"], rel=case["tolerance"]["dR_rel"])
    driven = lossy.drive()
    beam = driven.far_field()
    assert beam.efficiency == pytest.approx(want["eff_Prad"], abs=case["tolerance"]["eff_abs"])
    budget = driven.budget()["power_W"]
    assert 1 - budget["metal of wire 'rod'"] / budget["accepted"] == pytest.approx(want["eff_1mPl"], abs=5e-4)
    assert abs(es.evidence(lossy).balance) < 1e-4


def slowing(mismatch, k):
    """β/k - 1 where mismatch(β) is zero."""
    return brentq(mismatch, k * (1 + 1e-7), k * 1.3) / k - 1


@pytest.mark.parametrize(
    ("permittivity", "thickness", "hertz"),
    [(2.3, 1e-3, 150e6), (4.0, 0.5e-3, 150e6), (2.3, 0.2e-3, 868e6), (3.0, 2e-3, 30e6)],
)
def test_a_jacket_slows_the_wave_as_the_exact_surface_wave_does(permittivity, thickness, hertz):
    """The TM01 wave of a coated wire, exactly, against the same wave with the jacket's local term: 2e-5 apart.

    Exact: E_z and H_φ continuous at b, E_z = 0 at a (Goubau 1950, eq. 12, unexpanded). Local: the field of a travelling
    line current on the tube, α² I0(αa) K0(αa) = -2πε0 β² p, p the jacket's elastance.
    """
    a, b, k = 1e-3, 1e-3 + thickness, 2 * math.pi * hertz / 299_792_458

    def exact(beta):
        h, alpha = math.sqrt(permittivity * k * k - beta * beta), math.sqrt(beta * beta - k * k)
        ez = jv(0, h * b) * yv(0, h * a) - yv(0, h * b) * jv(0, h * a)
        hp = jv(1, h * b) * yv(0, h * a) - yv(1, h * b) * jv(0, h * a)
        return permittivity * hp * alpha * kv(0, alpha * b) + kv(1, alpha * b) * h * ez

    elastance = es.Jacket(thickness, permittivity).elastance(a).real

    def local(beta):
        alpha = math.sqrt(beta * beta - k * k)
        return alpha**2 * iv(0, alpha * a) * kv(0, alpha * a) + 2 * math.pi * ELECTRIC_CONSTANT * beta**2 * elastance

    assert slowing(local, k) == pytest.approx(slowing(exact, k), rel=1e-4)


@pytest.mark.parametrize(("permittivity", "thickness", "exact"), [(2.3, 1e-3, 0.0279084), (4.0, 0.5e-3, 0.0210351)])
def test_resonant_spacing_on_a_long_solved_wire_shifts_as_the_surface_wave_says(permittivity, thickness, exact):
    """A standing wave on 20 wavelengths of coated wire, fitted away from feed and end; exact: β/k - 1 as above."""
    wave = 299_792_458 / 150e6
    wire = es.Wire("w", [(0, 0, 0), (0, 0, 20 * wave)], radius="1 mm", jacket=es.Jacket(thickness, permittivity))
    antenna = es.Antenna("long", [wire], [es.Port("f", "w", at="0.5 m")])
    table = es.solve(antenna, 150e6, rule=es.MeshRule(per_wavelength=50)).drive().currents_table()
    table = table[table["along_m"].between(7 * wave, 17 * wave)]
    z, current = table["along_m"].to_numpy(), table["current_A"].to_numpy()

    def misfit(shift):
        waves = np.exp(np.outer(z, [-1j, 1j]) * 2 * math.pi / wave * (1 + shift))
        return np.linalg.norm(waves @ np.linalg.lstsq(waves, current, rcond=None)[0] - current)

    shifts = np.linspace(0.5 * exact, 1.5 * exact, 401)
    found = shifts[int(np.argmin([misfit(s) for s in shifts]))]
    assert found == pytest.approx(exact, rel=0.05)


def test_a_thin_jacket_changes_impedance_as_perturbation_says():
    """δZ = ∫ p (dI/ds)² ds / jω I0², with the bare wire's current: the matrix holds the term it should."""
    hertz = 150e6
    rod = es.Wire("rod", [(0, 0, -0.4), (0, 0, 0.4)], radius="1 mm")
    jacket = es.Jacket("0.5 um", 3.0)
    bare, coated = (
        es.solve(es.Antenna("d", [w], [es.Port("f", "rod")]), hertz)
        for w in (rod, es.Wire("rod", rod.points, radius=rod.radius, jacket=jacket))
    )
    driven = bare.drive(es.amperes(1))
    slope = np.diff(driven.flow.ends, axis=1)[:, 0]
    exact = jacket.elastance(1e-3) * (slope**2 / bare.mesh.lengths).sum() / (2j * math.pi * hertz)
    got = (coated.network.z().values - bare.network.z().values)[0, 0, 0]
    assert got == pytest.approx(exact, rel=1e-3)


def test_jackets_lose_power_when_their_stuff_does():
    jacket = es.Jacket("1 mm", 3.0, 0.05)
    wire = es.Wire("rod", [(0, 0, -0.45), (0, 0, 0.45)], radius="1 mm", jacket=jacket)
    driven = es.solve(es.Antenna("d", [wire], [es.Port("f", "rod")]), "150 MHz").drive()
    budget = driven.budget()["power_W"]
    assert 0 < budget["jacket of wire 'rod'"] < 0.05 * budget["accepted"]
    assert budget["jacket of wire 'rod'"] + budget["radiated"] == pytest.approx(budget["accepted"], rel=1e-4)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: es.materials.metals["cooper"], "did you mean 'copper'"),
        (lambda: es.materials.Metal("x", 0), "not above zero"),
        (lambda: es.Jacket(0, 2), "not above zero"),
        (lambda: es.Jacket("-1 mm", 2), "not above zero"),
        (lambda: es.Jacket("1 mm", 0.5), "below 1"),
        (lambda: es.Wire("w", [(0, 0, 0), (0, 0, 1)], radius=1e-3, wall=2e-3), "outside 0 to the radius"),
    ],
)
def test_bad_matter_is_refused(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def test_an_antenna_of_one_metal_keeps_it_when_it_is_scaled():
    antenna = half_wave(None).made_of("aluminium").scaled(0.5)
    assert antenna.wires[0].metal == es.materials.metals["aluminium"]
    assert all(m.source for m in es.materials.metals.values())
