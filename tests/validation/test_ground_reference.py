"""Real earth against reference values; the table is printed worst first."""

import json
import math
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from test_reference import agrees, score_table  # noqa: F401

import earshot as es
from earshot.constants import WAVE_IMPEDANCE
from earshot.fields.currents import Currents
from earshot.fields.near import near_field
from earshot.meshing.mesh import WireMesh
from earshot.moments.earth import earth_block
from earshot.moments.formulation import basis_on

CASES = {c["id"]: c for c in json.loads((Path(__file__).parent / "ground.json").read_text())["cases"]}


def of_kind(kind):
    return [name for name, case in CASES.items() if name.startswith(kind) and "eps_c" in case["params"]]


def earth_of(case):
    return es.materials.Earth("reference", case["params"]["eps_r"], case["params"]["sigma"])


def rod(case, length, radius):
    """A wire of a length in wavelengths about the height a case gives."""
    p = case["params"]
    wave = p["wavelength_m"]
    along = np.array([0, 0, 1]) if p.get("orient", "V") == "V" else np.array([1, 0, 0])
    middle = np.array([0, 0, p.get("h_centre_over_lambda", p.get("h_over_lambda"))])
    corners = [tuple(wave * (middle + s * length * along)) for s in (-0.5, 0.5)]
    wire = es.Wire("rod", corners, radius=radius * wave)
    return es.Antenna("rod", [wire], [es.Port("feed", "rod", at=0.5)], earth_of(case))


@pytest.mark.parametrize("name", of_kind("hertz_"))
def test_short_dipoles_by_the_integrator(name):
    case = CASES[name]
    p, h = case["params"], 4 * math.pi * case["params"]["h_over_lambda"]
    eps = complex(*p["eps_c"])
    # Derivatives of a sixth order from the slopes by height; by distance at none, U'' and (Gv')/ρ.
    step = min(1e-2 * h, 0.04)
    rho = 1e-4 * h
    kernels = es.layers.reflection(eps, np.full(7, rho), h + step * np.arange(-3, 4))
    up = kernels.gv_up
    if p["orient"] == "V":
        rise = -up[0] + 9 * up[1] - 45 * up[2] + 45 * up[4] - 9 * up[5] + up[6]
        seen = kernels.gv[3] + rise / (60 * step)
    else:
        seen = kernels.ga[3] + kernels.bend[3] - kernels.gv_out[3] / rho
    want = complex(*case["value"])
    agrees(name, 1.5j * seen, want, 1e-6 * abs(want))


@pytest.mark.parametrize("name", of_kind("tri_"))
def test_one_triangle_through_tables(name):
    case = CASES[name]
    antenna = rod(case, case["params"]["L_over_lambda"], 1e-6)
    wire = antenna.wires[0]
    nodes, half = np.linspace(*wire.corners, 3), wire.length / 2
    mesh = WireMesh(
        nodes, np.array([[0, 1], [1, 2]]), np.full(2, wire.radius), np.zeros(2, int),
        np.array([[0, half], [half, 2 * half]]), np.zeros(3, bool), 1.0,
    )  # fmt: skip
    basis = basis_on(mesh, None, 0.0, antenna.medium)
    got = earth_block(basis, antenna.medium.at(case["params"]["freq_hz"]), case["params"]["freq_hz"], [0], [0])[0, 0]
    want = complex(*case["value"])
    agrees(name, got, want, 1e-2 * abs(want))


@pytest.mark.parametrize("name", of_kind("near_"))
def test_fields_of_a_short_dipole(name):
    case = CASES[name]
    antenna = rod(case, 4e-3, 1e-6)
    mesh = es.solve(antenna, case["params"]["freq_hz"]).response.basis.mesh
    ends = (1 - np.abs(2 * mesh.arc / mesh.arc.max() - 1)).astype(complex)
    ends /= ends.mean(axis=1) @ mesh.lengths
    flow = Currents(mesh, ends, case["params"]["freq_hz"], antenna.medium)
    got = near_field(flow, [case["params"]["point_m"]]).e[0]
    want = np.array([complex(*v) for v in case["value"]])
    for axis in np.flatnonzero(want):
        agrees(f"{name} {'xyz'[axis]}", got[axis], want[axis], 1e-3 * np.linalg.norm(want))


@pytest.mark.parametrize("name", of_kind("norton_"))
def test_the_wave_along_the_ground_by_the_integrator(name):
    """E_z of an upright dipole on the surface is jη/4π (∇² of Gv and of e^{-jρ}/ρ along the surface)."""
    p, want = CASES[name]["params"], complex(*CASES[name]["value"]["Ez"])
    k, rho = 2 * math.pi / p["wavelength_m"], 2 * math.pi * p["rho_over_lambda"]
    step = 0.05
    at = rho + step * np.arange(-2, 3)
    out = es.layers.reflection(complex(*p["eps_c"]), at, np.zeros(5)).gv_out - (1j + 1 / at) * np.exp(-1j * at) / at
    curl = (out[0] - 8 * out[1] + 8 * out[3] - out[4]) / (12 * step) + out[2] / rho
    agrees(name, 1j * WAVE_IMPEDANCE * k**2 / (4 * math.pi) * curl, want, 1e-4 * abs(want))


@cache
def half_wave(name):
    case = CASES[name]
    antenna = rod(case, case["params"]["L_over_lambda"], case["params"]["a_over_lambda"])
    return antenna, es.solve(antenna, case["params"]["freq_hz"])


@pytest.mark.parametrize("name", of_kind("mom_"))
def test_what_earth_adds_to_an_impedance(name):
    antenna, answer = half_wave(name)
    alone = es.solve(antenna.over(es.free_space()), answer.frequencies[0])
    got = (answer.network.z().values - alone.network.z().values)[0, 0, 0]
    finest = max((k for k in CASES[name]["value"] if k.isdigit()), key=int)
    want = complex(*CASES[name]["value"][finest]["dZ"])
    agrees(f"{name} ΔZ", got, want, 0.01 * abs(want) + 0.05)


@pytest.mark.parametrize("name", of_kind("farmom_"))
def test_gain_over_earth(name):
    field = half_wave(name)[1].drive().far_field()
    value = CASES[name]["value"]
    for cut in ("broadside_phi90", "any"):
        highest = value["cuts"].get(cut, {}).get("elev_of_max_deg", 90.0)
        if highest < 85:
            agrees(f"{name} elevation of the maximum", 90 - math.degrees(field.peak[0]), highest, 0.2)
    agrees(f"{name} efficiency", field.efficiency, value["efficiency"], 0.005)
    for cut, phi in (("broadside_phi90", 90), ("axial_phi0", 0), ("any", 0)):
        for elevation, gain in value["cuts"].get(cut, {}).get("gain_dBi_at_elev", {}).items():
            theta = math.radians(90 - float(elevation))
            got = 10 * math.log10(float(field.gain(theta, math.radians(phi))))
            agrees(f"{name} {cut} {elevation}", got, gain, 0.05)
