"""Layers, and metal on them, against reference values; the table is printed worst first."""

import json
import math
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from patch_models import PATCHES, circular, pair, rectangular, strip
from scipy.interpolate import CubicSpline
from scipy.optimize import brentq, minimize_scalar
from test_reference import agrees, score_table  # noqa: F401

import earshot as es

CASES = {c["id"]: c for c in json.loads((Path(__file__).parent / "patch.json").read_text())["cases"]}
ONE_METRE = 299792458.0
HERTZIAN = ["2.2_0.02", "4.4_0.03"]
FINE = es.MeshRule(sheets_per_wavelength=20, edge=0.05)


def spectrum_of(case):
    p = case["parameters"]
    return es.layers.Spectrum(es.substrate(p["h_over_lambda0"], p["eps_r"]), ONE_METRE)


@pytest.mark.parametrize("case", [i for i in CASES if i.startswith(("GF_", "GV_"))])
def test_kernels_by_the_integrator_and_by_the_table(case):
    found = CASES[case]
    spectrum, rho = spectrum_of(found), found["parameters"]["k0rho"]

    def three(k):
        seen = spectrum.waves(k)
        return np.stack([2 * seen.te / 1j, 2j * (seen.tm - seen.te) / k**2, 2 * seen.probe / k])

    which = {"GF_GA": 0, "GF_Gp": 1, "GV_4.": 2}[case[:5]]
    want = complex(*found["value"])
    exact = es.layers.sommerfeld_integrals(three, np.array([rho]), spectrum.slowest + 0.5, 2 * spectrum.level)
    agrees(f"{case} integral", exact[which, 0], want, 1e-8 * abs(want))
    table = es.layers.kernel_table(spectrum, 5.0, 0.01)
    place = rho / spectrum.wavenumber
    tabled = (table.vector(place), table.scalar(place), table.scalar(place) - table.end_of_probe(place))[which]
    # Between its first nodes the kernel times ρ is curved; triangles so close use the images instead.
    allowed = 1e-4 if rho >= 0.1 else 2e-3
    agrees(f"{case} table", complex(tabled) / spectrum.wavenumber, want, allowed * abs(want))


@pytest.mark.parametrize("case", HERTZIAN)
def test_power_of_a_hertzian_dipole(case):
    spectrum = spectrum_of(CASES[f"HED_{case}_TM0"])
    (wave,) = es.layers.surface_waves(spectrum)
    assert wave.name == "TM0"
    agrees(f"{case} TM0", wave.index, CASES[f"HED_{case}_TM0"]["value"], 1e-9)
    # One ampere times k0 l, in units of η0.
    cosine, weights = np.polynomial.legendre.leggauss(60)
    cosine, weights = (cosine + 1) / 2, weights / 2
    sine = np.sqrt(1 - cosine**2)
    seen = spectrum.waves(sine + 0j)
    space = float((weights * cosine * (seen.tm + seen.te).real).sum()) / (8 * math.pi)
    surface = wave.level.imag * wave.index.real / 8
    want = CASES[f"HED_{case}_P"]["value"]
    agrees(f"{case} space", space, want[0], 1e-6 * want[0])
    agrees(f"{case} surface", surface, want[1], 1e-6 * want[1])
    agrees(f"{case} share", space / (space + surface), CASES[f"HED_{case}_eta"]["value"], 1e-6)
    theta = np.radians([0, 30, 60, 80])
    tm, te, _ = spectrum.into_air(np.sin(theta))
    e_plane, h_plane = np.abs(tm) ** 2, np.abs(te * np.cos(theta)) ** 2
    for level, plane in ((e_plane, "patE"), (h_plane, "patH")):
        assert 10 * np.log10(level / level[0]) == pytest.approx(CASES[f"HED_{case}_{plane}"]["value"], abs=1e-3)
    tm, te, _ = spectrum.into_air(sine)
    whole = math.pi * float((weights * (np.abs(tm) ** 2 + np.abs(te * cosine) ** 2)).sum())
    agrees(f"{case} D", 10 * math.log10(4 * math.pi * e_plane[0] / whole), CASES[f"HED_{case}_D"]["value"], 1e-3)


def resonance(antenna, about, rule=None, span=0.015):
    """(answer there, frequency, resistance, full width at half of it over the frequency) at the peak of R."""
    band = es.band(about * (1 - 3 * span), about * (1 + 3 * span), 241)
    network = es.solve(antenna, band, rule=rule).network
    hertz, r = network.frequencies, network.z().values[:, 0, 0].real
    curve = CubicSpline(hertz, r)
    start = hertz[r.argmax()]
    best = minimize_scalar(lambda f: -curve(f), bounds=(start * 0.997, start * 1.003), method="bounded")
    low, high = (brentq(lambda f: curve(f) + best.fun / 2, best.x, end) for end in (hertz[0], hertz[-1]))
    return float(best.x), float(-best.fun), (high - low) / best.x


@pytest.mark.parametrize("name", PATCHES)
@pytest.mark.parametrize("loss", ["", "_lossy"])
def test_probed_patch(name, loss):
    offset = {"P57x38": "x10", "FR4_38x29": "x6"}[name]
    key = f"{name}_{offset}{loss}"
    if f"{key}_Rpk" not in CASES:
        pytest.skip("there is no such reference")
    antenna, about = rectangular(name, 0.02 if loss else 0.0), PATCHES[name][-1]
    f, r, width = resonance(antenna, about)
    want_f, want_r = CASES[f"{key}_Rpk"]["value"]
    agrees(f"{key} f", f / 1e9, want_f, 5e-3 * want_f)
    agrees(f"{key} R", r, want_r, 0.05 * want_r)
    agrees(f"{key} width, %", 100 * width, CASES[f"{key}_BW"]["value"], 0.04 * CASES[f"{key}_BW"]["value"])
    if not loss:
        agrees(f"{key} Q", 1 / width, CASES[f"{name}_Q"]["value"], 0.03 * CASES[f"{name}_Q"]["value"])
        agrees(f"{key} f without probe", f / 1e9, CASES[f"{name}_f"]["value"], 6e-3 * want_f)
        fine = resonance(antenna, about, rule=FINE)[0]
        agrees(f"{key} f, fine", fine / 1e9, want_f, 3e-3 * want_f)


def symmetric(beam, theta, phi):
    """Levels over that at the zenith, dB, the mean of both sides: the reference has no probe, which tilts the beam."""
    sides = [10 * np.log10(beam.intensity(np.radians(theta), np.full(len(theta), p))) for p in (phi, phi + math.pi)]
    return np.mean(sides, axis=0) - 10 * np.log10(beam.intensity(0.0, 0.0))


@pytest.mark.parametrize("name", PATCHES)
def test_pattern_and_power_of_a_patch(name):
    driven = es.solve(rectangular(name), CASES[f"{name}_f"]["value"] * 1e9).drive()
    beam = driven.far_field()
    guided = sum(power for _, power in driven.flow.guided())
    assert (beam.radiated + guided) / driven.accepted == pytest.approx(1.0, abs=1e-3)
    agrees(f"{name} share", beam.radiated / (beam.radiated + guided), CASES[f"{name}_eta"]["value"], 0.01)
    agrees(f"{name} D", 10 * np.log10(beam.directivity(0.0, 0.0)), CASES[f"{name}_D"]["value"], 0.1)
    levels = [*symmetric(beam, [30, 60, 80], 0.0), *symmetric(beam, [30, 60, 80], math.pi / 2)]
    for got, want, angle in zip(levels, CASES[f"{name}_pat"]["value"], [30, 60, 80] * 2, strict=True):
        # In the H-plane near the horizon the probe's own radiation, which the reference leaves out, is seen.
        assert got == pytest.approx(want, abs=0.1 if angle < 60 else 0.3 if want > -12 else 1.5)
    pitch, n = 0.6, np.arange(4)
    cosine, weights = np.polynomial.legendre.leggauss(80)
    theta, phi = np.arccos((cosine + 1) / 2)[:, None], 2 * math.pi * np.arange(160) / 160
    turn = 2 * math.pi * pitch * np.sin(theta)
    factor = np.abs(sum(np.exp(1j * turn * np.cos(phi) * i) for i in n)) ** 2
    factor = factor * np.abs(sum(np.exp(1j * turn * np.sin(phi) * i) for i in n)) ** 2
    whole = math.pi * weights @ (beam.intensity(theta, phi) * factor).mean(axis=1)
    d = 10 * math.log10(4 * math.pi * float(beam.intensity(0.0, 0.0)) * 256 / whole)
    agrees(f"{name} 4x4 D", d, CASES[f"{name}_arr"]["value"], 0.1)


def test_circular_patch():
    antenna = circular()
    want = CASES["CIRC_a20_er2.33_f"]["value"]
    f, _, width = resonance(antenna, want * 1e9, span=0.025)
    agrees("circular f", f / 1e9, want, 5e-3 * want)
    agrees("circular Q", 1 / width, CASES["CIRC_a20_er2.33_Q"]["value"], 0.05 * CASES["CIRC_a20_er2.33_Q"]["value"])
    driven = es.solve(antenna, want * 1e9).drive()
    beam = driven.far_field()
    agrees("circular D", 10 * np.log10(beam.directivity(0.0, 0.0)), CASES["CIRC_a20_er2.33_D"]["value"], 0.1)
    guided = sum(power for _, power in driven.flow.guided())
    share = beam.radiated / (beam.radiated + guided)
    agrees("circular share", share, CASES["CIRC_a20_er2.33_eta"]["value"], 0.01)


@cache
def resonance_alone():
    return resonance(rectangular("P57x38"), PATCHES["P57x38"][-1])[0]


@pytest.mark.parametrize("case", [i[:-4] for i in CASES if i.startswith("COUP") and i.endswith("_Z21")])
def test_coupling(case):
    p = CASES[f"{case}_Z21"]["parameters"]
    antenna = pair(p["dx"] * 1e-3, p["dy"] * 1e-3)
    # At our own frequency of greatest R11, as the reference is at its own: a probe without attachment moves that peak
    # by 1.7 MHz, ours by 0.2, and the phase of Z21 turns with 2Q times such differences.
    around = resonance_alone()
    band = es.band(0.994 * around, 1.006 * around, 601)
    matrices = es.solve(antenna, band).network.z().values
    best = int(matrices[:, 0, 0].real.argmax())
    assert 0 < best < 600
    z = matrices[best]
    want = complex(*CASES[f"{case}_Z21"]["value"])
    agrees(f"{case} |Z21|", abs(z[1, 0]), abs(want), 0.05 * abs(want))
    agrees(f"{case} Z21", z[1, 0], want, 0.05 * abs(want))
    # S21 with the reactance of both ports tuned out.
    tuned = z - 1j * np.diag(np.diag(z).imag)
    s = (tuned - 50 * np.eye(2)) @ np.linalg.inv(tuned + 50 * np.eye(2))
    agrees(f"{case} S21, dB", 20 * np.log10(abs(s[1, 0])), CASES[f"{case}_S21"]["value"][0], 0.5)


@pytest.mark.parametrize(("permittivity", "ratio"), [(2.2, 3), (4.4, 2)])
def test_cross_section_of_a_line(permittivity, ratio):
    board, key = es.substrate("1 mm", permittivity), f"LINE_{permittivity}_{ratio}"
    line = es.layers.strip_line(board, ratio * 1e-3, "1 MHz")
    want = CASES[f"{key}_eeff0"]["value"][0]
    agrees(f"{key} static", line.effective_permittivity, want, 1e-5 * want)
    agrees(f"{key} Z0", line.impedance.real, CASES[f"{key}_Z0"]["value"][0], 1e-3 * line.impedance.real)
    for fh in (1.6, 4.8, 16.0):
        line = es.layers.strip_line(board, ratio * 1e-3, fh * 1e9)
        want = CASES[f"{key}_fh{fh}"]["value"][0]
        agrees(f"{key} at {fh}", line.effective_permittivity, want, 1e-5 * want)


def test_half_wave_strip():
    want_f, want_q, *_ = CASES["STRIP_4.4_3.2"]["value"]
    f, _, width = resonance(strip(), want_f * 1e9, span=0.003)
    agrees("strip f", f / 1e9, want_f, 5e-3 * want_f)
    agrees("strip Q", 1 / width, want_q, 0.08 * want_q)
