"""A slanted dipole over earth by another set of potentials: formulation C of Michalski and Zheng (1990).

There all charges have the scalar kernel of level currents, Kφ = S0{(u0² R_M - R_E)/λ²u0}, and the vector kernel has
K_zz = S0{R_M/u0 + (R_M + R_E) u0/λ²} and ±cos φ S1{(R_M + R_E)/λ} between level and upright parts.
"""

import math

import numpy as np
import pytest

import earshot as es
from earshot.constants import ELECTRIC_CONSTANT, MAGNETIC_CONSTANT, wavenumber
from earshot.media.half_space import HalfSpace
from earshot.media.sommerfeld import half_space_path
from earshot.moments.formulation import formulation
from earshot.moments.ports import gap_vectors

HERTZ = 150e6


def kernels(permittivity, rho, zeta):
    """K_xx, K_zz, cross and Kφ (4, places), times 1/k0."""
    found = np.zeros((4, len(rho)), complex)
    for k, weights, bessel in half_space_path(HalfSpace(permittivity), rho, zeta, False):
        u0, tm, te = HalfSpace(permittivity).factors(k)
        fading = np.exp(-np.outer(zeta, u0)) * (weights * k)
        rows = np.stack([te / u0, tm / u0 + (tm + te) * u0 / k**2, (u0**2 * tm - te) / (k**2 * u0)])
        found[[0, 1, 3]] += rows @ (fading * bessel(0, k, rho)).T
        found[2] += ((tm + te) / k) @ (fading * bessel(1, k, rho)).T
    return found


def by_formulation_c(basis, earth):
    """What earth adds to the matrix (functions, functions), ohm, by Gauss points on every pair of segments."""
    k, omega = wavenumber(HERTZ), 2 * math.pi * HERTZ
    mesh = basis.wires.mesh
    nodes, weights = np.polynomial.legendre.leggauss(3)
    nodes, weights = (nodes + 1) / 2, weights / 2
    flow, charge = omega * MAGNETIC_CONSTANT / (4 * math.pi), 1 / (4 * math.pi * omega * ELECTRIC_CONSTANT)
    along, long = mesh.columns[3:6].T, mesh.columns[6]
    points = mesh.columns[:3].T[:, None] + nodes[:, None] * (along * long[:, None])[:, None]
    # Places of the test (i, p) and of the source (j, q).
    away = points[:, :, None, None] - points
    zeta = points[:, :, None, None, 2] + points[..., 2]
    rho = np.maximum(np.hypot(away[..., 0], away[..., 1]), 1e-9)
    found = kernels(earth.complex_permittivity(HERTZ), k * rho.ravel(), k * zeta.ravel())
    xx, zz, cross, phi = found.reshape(4, *rho.shape)
    level = np.einsum("ix,jx->ij", along[:, :2], along[:, :2])[:, None, :, None]
    out = away[..., :2] / rho[..., None]
    from_below = np.einsum("j,ix,ipjqx->ipjq", along[:, 2], along[:, :2], out)
    from_beside = np.einsum("i,jx,ipjqx->ipjq", along[:, 2], along[:, :2], out)
    upright = np.outer(along[:, 2], along[:, 2])[:, None, :, None]
    vector = level * xx + upright * zz + cross * (from_below - from_beside)
    shapes, slopes = np.stack([1 - nodes, nodes]), np.array([-1.0, 1.0])
    halves = flow * np.einsum("i,j,ap,bq,p,q,ipjq->iajb", long, long, shapes, shapes, weights, weights, vector)
    halves = halves + charge * np.einsum("a,b,p,q,ipjq->iajb", slopes, slopes, weights, weights, phi)
    ends = basis.wires.ends.toarray()
    return 1j * k * ends.T @ halves.reshape(2 * len(mesh), -1) @ ends


@pytest.mark.parametrize("earth", [es.earth("meadow"), es.earth("sea"), es.materials.Earth("dry", 2.5, 1e-4)])
def test_a_slanted_dipole_is_the_same_by_formulation_c(earth):
    wire = es.Wire("rod", [(0, 0, 0.35), (0.6, 0.3, 0.95)], radius=1e-3)
    antenna = es.Antenna("slanted", [wire], [es.Port("feed", "rod", at=0.5)], earth)
    solution = es.solve(antenna, HERTZ, rule=es.MeshRule(per_wavelength=14))
    basis = solution.response.basis
    free = formulation(es.free_space()).matrix(basis, HERTZ)
    gap = gap_vectors(antenna, basis)[:, 0]

    def impedance(matrix):
        return 1 / (gap @ np.linalg.solve(matrix, gap))

    ours = solution.network.z().values[0, 0, 0]
    assert impedance(free + by_formulation_c(basis, earth)) == pytest.approx(ours, rel=1e-4)
    # Earth is not a trifle here.
    assert abs(impedance(free) - ours) > 0.02 * abs(ours)
