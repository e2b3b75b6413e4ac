"""Sheets and wires over a perfect plane, against the same with their images in free space."""

import math
from dataclasses import replace

import numpy as np
import pytest
from models import ONE_METRE

import earshot as es
from earshot import shapes
from earshot.meshing.sheet_mesh import SheetMesh
from earshot.moments.formulation import antenna_basis, basis_on, formulation

MIRROR = np.array([1.0, 1.0, -1.0])


def bodies(seed, tag="", way=1):
    """A plate with a mast on it, a tube, and a wire beside them, at random places above z = 0, or their image."""
    rng = np.random.default_rng(seed)
    low, side, lean = rng.uniform(0.05, 0.2), rng.uniform(0.2, 0.4), rng.uniform(-0.1, 0.1, 2)
    off, rise = rng.uniform(-0.05, 0.05, 2), rng.uniform(0.1, 0.25)
    sheets = [
        es.Sheet(f"plate{tag}", shapes.plate(side, 0.7 * side, centre=(0, 0, way * low))),
        es.Sheet(f"tube{tag}", shapes.cylinder(0.1, 0.2, base=(0.35, 0.1, way * 0.1), axis=(0, 0, way))),
    ]
    mast = [(*off, way * low), (*(off + lean), way * (low + rise))]
    aside = [(-0.35, -0.2, way * low), (-0.35, 0.2, way * (low + 0.1))]
    wires = [es.Wire(f"mast{tag}", mast, radius=1e-3), es.Wire(f"aside{tag}", aside, radius=2e-3)]
    return sheets, wires, [es.Port(f"foot{tag}", f"mast{tag}", at=0), es.Port(f"feed{tag}", f"aside{tag}")]


@pytest.mark.parametrize("seed", range(3))
def test_over_a_plane_as_with_the_image(seed):
    sheets, wires, ports = bodies(seed)
    over = es.solve(es.Antenna("over", wires, ports, es.perfect_plane(), sheets=sheets), ONE_METRE)
    low_sheets, low_wires, low_ports = bodies(seed, " image", -1)
    doubled = es.Antenna("doubled", wires + low_wires, ports + low_ports, sheets=sheets + low_sheets)
    z = es.solve(doubled, ONE_METRE).network.z().values[0]
    # The image current is the mirrored one, negated; its triangles are cut another way where the mast stands.
    want = z[:2, :2] - z[:2, 2:]
    assert np.abs(over.network.z().values[0] - want).max() < 3e-4 * np.abs(want).max()


def with_image(mesh):
    """A wire mesh and its image as one."""
    return replace(
        mesh,
        nodes=np.concatenate([mesh.nodes, mesh.nodes * MIRROR]),
        ends=np.concatenate([mesh.ends, mesh.ends + len(mesh.nodes)]),
        **{name: np.concatenate([getattr(mesh, name)] * 2) for name in ("radii", "wire", "arc", "grounded")},
    )


def test_every_entry_is_that_of_the_function_less_that_of_its_image():
    sheets, wires, ports = bodies(5)
    over = es.Antenna("over", wires, ports, es.perfect_plane(), sheets=sheets)
    free, hertz = es.Antenna("free", wires, ports, sheets=sheets), 3e8
    basis = antenna_basis(over, 1.0, es.MeshRule(sheets_per_wavelength=5))
    own, grid = basis.sheet_mesh, with_image(basis.mesh)
    both = SheetMesh(
        np.concatenate([own.vertices, own.vertices * MIRROR]),
        np.concatenate([own.triangles, own.triangles + len(own.vertices)]),
        np.tile(own.sheet, 2),
        np.concatenate([own.places, own.places * MIRROR]),
    )
    twice = basis_on(grid, both, basis.reach, es.free_space())
    found, whole = (formulation(a.medium).matrix(b, hertz) for a, b in ((over, basis), (free, twice)))
    n, m = basis.first_wire, basis.wires.size
    upper = np.concatenate([np.arange(n), 2 * n + np.arange(m)])
    lower = np.concatenate([n + np.arange(n), 2 * n + m + np.arange(m)])
    want = whole[np.ix_(upper, upper)] - whole[np.ix_(upper, lower)]
    assert np.abs(found - want).max() < 1e-9 * np.abs(want).max()
    assert np.abs(found - found.T).max() < 1e-12 * np.abs(found).max()


def standing():
    """A wall and a tube that stand on the plane, each with a gap, and a whip fed against it."""
    sheets = [
        es.Sheet("wall", shapes.polygon([(0.2, -0.2, 0), (0.2, 0.2, 0), (0.2, 0.15, 0.2), (0.2, -0.2, 0.25)])),
        es.Sheet("tube", shapes.cylinder(0.04, 0.25, base=(0, 0.1, 0))),
    ]
    whip = es.Wire("whip", [(0, -0.2, 0), (0, -0.2, 0.24)], radius=2e-3)
    ports = [es.Port("whip", "whip", at=0), es.Port("tube", "tube", (0, 0.1, 0.05), 0.02, across="z")]
    return es.Antenna("standing", [whip], ports, es.perfect_plane(), sheets=sheets)


def test_standing_on_the_plane_is_half_of_it_doubled():
    def model(name, low, wall):
        tube = shapes.cylinder(0.04, 0.24 - low, base=(0, 0.1, low))
        sheets = [es.Sheet("wall", wall), es.Sheet("tube", tube)]
        whip = es.Wire("whip", [(0, -0.2, low), (0, -0.2, 0.24)], radius=2e-3)
        medium = es.perfect_plane() if low == 0 else es.free_space()
        return es.Antenna(name, [whip], [es.Port("whip", "whip", at=0 if low == 0 else 0.5)], medium, sheets=sheets)

    half = model("half", 0, shapes.polygon([(0.2, -0.2, 0), (0.2, 0.2, 0), (0.2, 0.2, 0.2), (0.2, -0.2, 0.2)]))
    whole = model("whole", -0.24, shapes.plate(0.4, 0.4, centre=(0.2, 0, 0), axis="x"))
    over, doubled = (es.solve(x, ONE_METRE).network.z().values[0, 0, 0] for x in (half, whole))
    # The plane's edge has a rim's finer mesh, which the doubled wall has not.
    assert abs(over - doubled / 2) < 2e-3 * abs(over)


def test_power_and_fields_over_a_plane():
    solution = es.solve(standing(), ONE_METRE)
    for port, other in (("whip", "tube"), ("tube", "whip")):
        driven = solution.drive({port: es.volts(1)}, terminations={other: es.circuits.impedance(50)})
        budget = driven.budget()["power_W"]
        assert budget.drop(["sent", "returned", "accepted"]).sum() == pytest.approx(budget["accepted"], rel=2e-3)
        on_plane = driven.near_field([(0.31, 0.07, 1e-6), (-0.2, 0.3, 1e-6), (0.1, -0.1, 1e-6)])
        e, h = np.abs(on_plane.e), np.abs(on_plane.h)
        assert (e[:, :2].max(axis=1) < 1e-4 * e[:, 2]).all()
        assert (h[:, 2] < 1e-4 * h[:, :2].max(axis=1)).all()
        far = np.linalg.norm(driven.near_field([(24.0, 19.2, 25.6)]).e) * 40.0
        field = driven.far_field().field(math.acos(0.64), math.atan2(0.48, 0.6))
        assert far == pytest.approx(np.hypot(*np.abs(field)), rel=2e-2)


@pytest.mark.parametrize("seed", range(3))
def test_receiving_is_sending_turned_round(seed):
    rng = np.random.default_rng(seed)
    solution = es.solve(standing(), ONE_METRE)
    theta, phi = math.acos(rng.uniform(0.05, 1)), rng.uniform(0, 2 * math.pi)
    for port, other in (("whip", "tube"), ("tube", "whip")):
        sent = (
            solution.drive({port: es.amperes(1)}, terminations={other: es.circuits.open_circuit()})
            .far_field()
            .field(theta, phi)
        )
        for e in ((1, 0), (0.3, 1j)):
            wave = es.plane_wave(math.degrees(theta), math.degrees(phi), *e)
            got = es.receive(solution, wave, terminations=dict.fromkeys(("whip", "tube"), es.circuits.open_circuit()))
            want = 4 * math.pi / (2j * math.pi * es.constants.WAVE_IMPEDANCE) * (sent[0] * e[0] + sent[1] * e[1])
            assert got.voltages[["whip", "tube"].index(port)] == pytest.approx(want, rel=1e-5)
