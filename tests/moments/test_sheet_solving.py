"""Sheets solved: singular integrals, un-mirrored blocks, feet, junctions, losses, invariances, fields."""

import math

import numpy as np
import pytest
from models import ONE_METRE
from scipy import integrate
from sheet_models import fat_dipole, on_can, on_disk

import earshot as es
from earshot import shapes
from earshot.kernels.sheets import near_numbers, static_potentials
from earshot.meshing.mesh import MeshRule
from earshot.meshing.sheet_mesh import SheetMesh
from earshot.moments.sheet_basis import sheet_basis
from earshot.moments.sheet_matrix import fill_sheet_matrix, sheet_block

HERTZ = 299792458.0


def impedance(antenna, **how):
    return es.solve(antenna, ONE_METRE, **how).network.z().values[0, 0, 0]


def over_triangle(corners, function):
    """∫ f dS over a triangle by adaptive quadrature of functions of points (n, 3)."""
    a, u, v = corners[0], corners[1] - corners[0], corners[2] - corners[0]

    def unrolled(places):
        s, t = places.T
        # The square, folded on to the triangle.
        return function(a + s[:, None] * u + (t * (1 - s))[:, None] * v) * (1 - s)

    found = integrate.cubature(unrolled, [0, 0], [1, 1], rtol=1e-6, atol=1e-16, max_subdivisions=400)
    return float(np.linalg.norm(np.cross(u, v)) * found.estimate)


TRIANGLE = np.array([[0, 0, 0], [0.1, 0, 0], [0.03, 0.08, 0.01]])


def mesh_of(*triangles):
    """A mesh of separate triangles whose equal corners are one."""
    corners, numbers = np.unique(np.round(np.concatenate(triangles), 12), axis=0, return_inverse=True)
    faces = numbers.reshape(-1, 3)
    return SheetMesh(corners, faces, np.zeros(len(faces), np.int64), corners)


@pytest.mark.parametrize("place", [(0.2, 0.1, 0.05), (0.03, 0.03, 0.002), (0.05, -0.004, 0.0)])
def test_static_potentials_against_adaptive_quadrature(place):
    mesh, out = mesh_of(TRIANGLE), np.empty(4)
    static_potentials(*place, mesh.columns, 0, out)
    corners = mesh.corners[0]
    want = over_triangle(corners, lambda r: 1 / np.linalg.norm(r - place, axis=1))
    assert out[0] == pytest.approx(want, rel=1e-6)
    for axis in range(3):
        want = over_triangle(corners, lambda r, x=axis: r[:, x] / np.linalg.norm(r - place, axis=1))
        assert out[1 + axis] == pytest.approx(want, rel=1e-5, abs=1e-9)


NEIGHBOURS = {
    "itself": TRIANGLE,
    "shares an edge": np.array([TRIANGLE[1], TRIANGLE[0], [0.05, -0.07, 0.02]]),
    "shares a vertex": np.array([TRIANGLE[0], [-0.08, 0.02, 0], [-0.05, -0.06, 0.03]]),
    "near": TRIANGLE + np.array([0.0, 0.0, 0.03]),
    "apart": TRIANGLE + np.array([0.2, 0.1, 0.05]),
}


@pytest.mark.parametrize("kind", NEIGHBOURS)
def test_pairs_of_triangles_against_adaptive_quadrature(kind):
    """The four integrals of exp(-jkR)/R over a pair: the outer by adaptive quadrature of an inner that is exact."""
    other, k = NEIGHBOURS[kind], 2 * math.pi
    mesh = mesh_of(TRIANGLE) if kind == "itself" else mesh_of(TRIANGLE, other)
    t, i, j = mesh.columns, 0, len(mesh) - 1
    one, static, pair = np.empty(16), np.empty(4), np.zeros((16, 1))
    near_numbers(t, mesh.triangles, i, t, mesh.triangles, j, k, one, static, pair)
    got = pair[:, 0]

    x, w = np.polynomial.legendre.leggauss(12)
    x, w = (x + 1) / 2, w / 2
    u, v = np.meshgrid(x, x, indexing="ij")
    a, b, c = mesh.corners[j]
    sources = (a + u[..., None] * (b - a) + (v * (1 - u))[..., None] * (c - a)).reshape(-1, 3)
    areas = (np.outer(w, w) * (1 - u) * 2 * mesh.areas[j]).ravel()

    def inner(places, weight):
        """∫ weight G dS', real part, with 1/R in closed form and the rest by many points."""
        values = np.empty(len(places))
        for n, r in enumerate(places):
            static_potentials(*r, mesh.columns, j, static)
            distance = np.maximum(np.linalg.norm(sources - r, axis=1), 1e-15)
            rest = (np.cos(k * distance) - 1) / distance * areas
            values[n] = static[weight] + rest @ (np.ones(len(sources)) if weight == 0 else sources[:, weight - 1])
        return values

    want = [over_triangle(mesh.corners[i], lambda r, n=n: inner(r, n)) for n in range(3)]
    assert got[0] == pytest.approx(want[0], rel=1e-4)
    assert got[4:6] == pytest.approx(want[1:], abs=1e-4 * want[0] * np.abs(mesh.vertices).max())


def test_un_mirrored_blocks_are_symmetric():
    solution = es.solve(on_can(), ONE_METRE)
    basis = solution.response.basis.sheets
    rng = np.random.default_rng(5)
    rows = rng.choice(basis.size, 40, replace=False)
    # Neighbours, whose integrals are singular, and others.
    near = np.unique(np.concatenate([rows, (rows + 1) % basis.size]))
    block = sheet_block(basis, HERTZ, near, near)
    assert (np.abs(block - block.T).max(axis=1) <= 1e-4 * np.abs(block).max(axis=1)).all()
    # And the filled matrix holds the same entries.
    whole = np.zeros((basis.size, basis.size), complex)
    fill_sheet_matrix(basis, HERTZ, whole)
    assert np.abs(whole[np.ix_(near, near)] - block).max() < 2e-3 * np.abs(block).max()


def test_threads_change_nothing(monkeypatch):
    basis = sheet_basis(es.solve(on_disk(0.3), ONE_METRE).sheet_mesh)
    found = []
    for threads in ("1", "2", "3"):
        monkeypatch.setenv("EARSHOT_THREADS", threads)
        matrix = np.zeros((basis.size, basis.size), complex)
        fill_sheet_matrix(basis, HERTZ, matrix)
        found.append(matrix)
    assert np.abs(found[1] - found[0]).max() < 1e-12 * np.abs(found[0]).max()
    assert np.abs(found[2] - found[0]).max() < 1e-12 * np.abs(found[0]).max()


def test_a_foot_moved_to_the_neighbouring_mesh_point_changes_nothing():
    """Near the middle of a large plate, where its edges hardly tell the two places apart."""
    half = np.concatenate([0.0125 * np.arange(4), [0.055, 0.08, 0.12, 0.18, 0.27], 0.4 + 0.14 * np.arange(5)])
    grid = np.concatenate([-half[:0:-1], half])
    x, y = np.meshgrid(grid, grid, indexing="ij")
    number = np.arange(len(grid) ** 2).reshape(len(grid), len(grid))
    a, b, c, d = number[:-1, :-1].ravel(), number[1:, :-1].ravel(), number[1:, 1:].ravel(), number[:-1, 1:].ravel()
    faces = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)])
    plate = es.Sheet("plate", shapes.triangles(np.stack([x.ravel(), y.ravel(), 0 * x.ravel()], 1), faces))
    found = []
    for at in (0.0, 0.0125):
        mast = es.Wire("mast", [(at, 0, 0), (at, 0, 0.24)], radius=0.002)
        found.append(impedance(es.Antenna("m", [mast], [es.Port("feed", "mast", at=0)], sheets=[plate])))
    assert abs(found[1] - found[0]) < 1e-3 * abs(found[0])


@pytest.mark.parametrize("at", [(0.11, 0.07), (0.0, 0.0), (0.5, 0.1)])
def test_how_the_grid_lies_under_a_foot_matters_little(at):
    """At a mesh point, in a triangle, on a rim: the same plate under the same mast, its grid turned."""
    found = []
    for turn in ("0 deg", "90 deg", "180 deg"):
        mast = es.Wire("mast", [(*at, 0), (*at, 0.24)], radius=0.002)
        plate = es.Sheet("p", shapes.plate(1, 1, turn=turn))
        found.append(impedance(es.Antenna("m", [mast], [es.Port("feed", "mast", at=0)], sheets=[plate])))
    # The reactance holds what the triangles at the foot leave out: 0.3 % inside, 0.7 % at a rim. R holds to 1e-3.
    z = np.array(found)
    assert np.ptp(z.real) < 1e-3 * abs(z[0])
    assert np.ptp(z.imag) < (1e-2 if at[0] == 0.5 else 5e-3) * abs(z[0])


def test_three_sheets_at_an_edge_share_the_current():
    """A fin on a plate: all three are joined at the edge, and a mast on the fin sees one piece of metal."""
    fin = shapes.plate(0.3, 0.2, axis="x", centre=(0.02, 0, 0.1))
    parts = [es.Sheet("plate", shapes.plate(0.8, 0.8)), es.Sheet("fin", fin)]
    mast = es.Wire("mast", [(0.02, 0, 0.2), (0.02, 0, 0.4)], radius=0.002)
    antenna = es.Antenna("fin", [mast], [es.Port("feed", "mast", at=0)], sheets=parts)
    solution = es.solve(antenna, ONE_METRE)
    basis = solution.response.basis.sheets
    _, count = np.unique(basis.edges, axis=0, return_counts=True)
    # Two functions where three triangles meet, along the whole foot of the fin.
    double = basis.edges[np.unique(basis.edges, axis=0, return_index=True)[1][count == 2]]
    ends = basis.mesh.vertices[double]
    assert np.linalg.norm(np.diff(ends, axis=1), axis=2).sum() == pytest.approx(0.3, rel=1e-9)
    driven = solution.drive()
    assert driven.far_field().radiated / driven.accepted == pytest.approx(1.0, abs=1e-3)
    # Without the joint the fin would float: the impedance is another.
    apart = antenna.with_(es.Sheet("fin", shapes.plate(0.3, 0.19, axis="x", centre=(0.02, 0, 0.105))))
    assert abs(impedance(apart) - solution.network.z().values[0, 0, 0]) > 5


def test_several_wires_at_one_foot():
    """Two masts from one point of a can share its fan; with one of them in the other's place nothing changes."""
    sheets = on_can().sheets
    one = es.Wire("one", [(0, 0, 0), (0.12, 0, 0.2)], radius=0.001)
    two = es.Wire("two", [(0, 0, 0), (-0.12, 0, 0.2)], radius=0.001)
    ports = [es.Port("a", "one", at=0), es.Port("b", "two", at=0)]
    solution = es.solve(es.Antenna("v", [one, two], ports, sheets=sheets), ONE_METRE)
    z = solution.network.z().values[0]
    # The can has six-fold symmetry: the two are alike to the mesh of a sector.
    assert z[0, 0] == pytest.approx(z[1, 1], rel=1e-3)
    assert z[0, 1] == pytest.approx(z[1, 0], rel=1e-12)
    assert len(solution.response.basis.feet) == 1
    both = solution.drive({"a": es.volts(1), "b": es.volts(1)})
    assert both.far_field().radiated / both.accepted == pytest.approx(1.0, abs=1e-3)


def test_a_wire_between_two_sheets_has_two_feet():
    sheets = [
        es.Sheet("low", shapes.plate(0.5, 0.5)),
        es.Sheet("high", shapes.plate(0.5, 0.5, centre=(0, 0, 0.2))),
    ]
    wire = es.Wire("post", [(0.05, 0.02, 0), (0.05, 0.02, 0.2)], radius=0.003)
    solution = es.solve(es.Antenna("post", [wire], [es.Port("feed", "post")], sheets=sheets), ONE_METRE)
    ends = solution.drive().flow.ends
    assert abs(ends[0, 0]) > 0.5 * np.abs(ends).max()
    assert len(solution.response.basis.feet) == 2


@pytest.mark.parametrize("how", ["rotated", "moved", "scaled", "mirrored"])
def test_invariances(how):
    antenna, frequency = on_disk(0.3), HERTZ
    changed = {
        "rotated": lambda: antenna.rotated("37 deg", (1, 2, 3)),
        "moved": lambda: antenna.moved((1, -2, 0.5)),
        "mirrored": lambda: antenna.mirrored("z"),
        "scaled": lambda: antenna.scaled(0.1),
    }[how]()
    z = es.solve(antenna, frequency).network.z().values[0, 0, 0]
    other = es.solve(changed, frequency * (10 if how == "scaled" else 1)).network.z().values[0, 0, 0]
    # Which triangle of a near pair has the points, and which the closed form, goes by their order.
    assert other == pytest.approx(z, rel=2e-5)


def test_loss_of_a_tube_of_sheets_is_that_of_a_wire():
    radius, length = 0.005, 0.47
    steel = es.materials.metals["stainless steel"]
    tube = es.Sheet("tube", shapes.cylinder(2 * radius, length, base=(0, 0, -length / 2)), metal=steel)
    sheet = es.Antenna("tube", [], [es.Port("feed", "tube", (0, 0, 0), 0.01, across="z")], sheets=[tube])
    rod = es.Wire("rod", [(0, 0, -length / 2), (0, 0, length / 2)], radius=radius, metal=steel)
    wire = es.Antenna("rod", [rod], [es.Port("feed", "rod", gap=0.01)])
    lost = []
    for antenna in (sheet, wire):
        driven = es.solve(antenna, "300 MHz", rule=MeshRule(around=12)).drive(es.amperes(1))
        lost.append(driven.taken[0][1])
        assert driven.far_field().radiated + lost[-1] == pytest.approx(driven.accepted, rel=2e-3)
    assert lost[0] == pytest.approx(lost[1], rel=0.02)


def test_surface_impedance_limits():
    copper, f = es.materials.metals["copper"], 1e8
    depth = copper.skin_depth(f)
    thick = copper.sheet_impedance(f)
    assert thick == pytest.approx((1 + 1j) / (copper.conductivity * depth))
    assert copper.sheet_impedance(f, 20 * depth) == pytest.approx(thick, rel=1e-9)
    assert copper.sheet_impedance(f, 20 * depth, 2) == pytest.approx(thick / 2, rel=1e-6)
    thin = 1e-3 * depth
    for sides in (1, 2):
        assert copper.sheet_impedance(f, thin, sides) == pytest.approx(1 / (copper.conductivity * thin), rel=1e-4)


def test_receiving_is_transmitting():
    solution = es.solve(on_can(), ONE_METRE)
    theta, phi = math.radians(70), math.radians(20)
    driven = solution.drive(es.amperes(1))
    e_theta = driven.far_field().field(theta, phi)[0]
    got = es.receive(
        solution,
        es.plane_wave(70, 20, e_theta=1.0),
        terminations={"feed": es.circuits.open_circuit()},
    )
    # Open-circuit voltage per volt per metre is the effective length of the field per ampere (Balanis 2016, eq. 2-91).
    want = e_theta * 2 * 299792458.0 / (1j * HERTZ * 376.730313668)
    assert abs(got.voltages[0]) == pytest.approx(abs(want), rel=1e-3)


def test_near_field_of_sheets():
    driven = es.solve(on_can(), ONE_METRE).drive()
    # The power through a box, the jump of H across the metal, no field along it, and the far field far away.
    assert driven.power_through_box((-0.4, -0.4, -0.6), (0.4, 0.4, 0.45)) == pytest.approx(driven.accepted, rel=2e-3)
    sheets = driven.flow.sheets
    t = int(np.argmax(sheets.strength * (np.abs(sheets.mesh.centres[:, 2] + 0.2) < 0.1)))
    normal, place = sheets.mesh.columns[9:12, t], sheets.mesh.centres[t]
    sides = driven.near_field(np.stack([place + 1e-4 * normal, place - 1e-4 * normal]))
    jump = np.cross(normal, sides.h[0] - sides.h[1])
    assert np.linalg.norm(jump - sheets.density[t]) < 0.02 * sheets.strength[t]
    # Nothing inside a closed can.
    inside = driven.near_field(np.array([[0.0, 0.0, -0.2], [0.05, 0.02, -0.1]])).magnitude("E")
    outside = driven.near_field(np.array([[0.2, 0.0, -0.2]])).magnitude("E")
    assert inside.max() < 0.05 * outside[0]
    with pytest.raises(es.UsageError, match="lies on a sheet, where the field jumps: move it to one side"):
        driven.near_field(place)
    assert not driven.near_field(place, in_metal="zero").e.any()
    far = np.array([300.0 * math.sin(2), 0.0, 300.0 * math.cos(2)])
    got = 300.0 * np.linalg.norm(driven.near_field(far[None]).e)
    assert got == pytest.approx(abs(driven.far_field().field(2.0, 0.0)[0]), rel=2e-3)


def test_evidence_of_sheets():
    evidence = es.evidence(es.solve(fat_dipole("open", 0.04), ONE_METRE, rule=MeshRule(around=12, edge=0.3)))
    table = evidence.to_frame()
    assert evidence.refined_unknowns > 3.5 * evidence.unknowns
    assert 0 < table.loc["R at feed", "±"] < 0.03 * table.loc["R at feed", "value"]
    assert abs(evidence.balance) < 5e-3
    assert evidence.residual is None
    assert "not worked out" in table.loc["largest boundary residual", "remark"]
