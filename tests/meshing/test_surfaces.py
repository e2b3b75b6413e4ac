"""Surfaces, their meshes, and what a check says of them."""

import math

import numpy as np
import pytest

import earshot as es
from earshot import shapes
from earshot.meshing.mesh import MeshRule
from earshot.meshing.sheet_mesh import sheet_mesh
from earshot.shapes import box, disk, plate, polygon, triangles

MAST = es.Wire("mast", [(0, 0, 0), (0, 0, 0.24)], radius=0.001)
FEED = es.Port("feed", "mast", at=0)


def standing(*sheets, wire=MAST):
    return es.Antenna("test", [wire], [FEED], sheets=[es.Sheet(f"s{i}", s) for i, s in enumerate(sheets)])


def mesh_of(*surfaces, wires=(), rule=None):
    sheets = [es.Sheet(f"s{i}", s) for i, s in enumerate(surfaces)]
    return sheet_mesh(es.Antenna("test", wires, sheets=sheets), 1.0, rule or MeshRule())


def edges(mesh):
    t = mesh.triangles
    sides = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    return np.unique(sides, axis=0, return_counts=True)


@pytest.mark.parametrize(
    ("surface", "area", "closed"),
    [
        (plate(0.6, 0.4), 0.24, False),
        (disk(1), math.pi / 4, False),
        (shapes.annulus(1, 0.4), math.pi * 0.21, False),
        (box(0.3, 0.4, 0.5), 0.94, True),
        (box(0.3, 0.4, 0.5, without="top front"), 0.94 - 0.12 - 0.15, False),
        (shapes.cylinder(0.3, 0.5), math.pi * 0.15, False),
        (shapes.cylinder(0.3, 0.5, ends="closed"), math.pi * (0.15 + 0.045), True),
        (shapes.cone(0.4, 0, 0.3), math.pi * 0.2 * math.hypot(0.2, 0.3), False),
        (shapes.sphere(0.5), math.pi * 0.25, True),
        (polygon([(0, 0, 0), (0.5, 0, 0), (0.5, 0, 0.5)], [[(0.3, 0, 0.1), (0.4, 0, 0.1), (0.4, 0, 0.2)]]), 0.12, 0),
        (plate(1, 1) - disk(0.4, centre=(0.1, 0, 0)), 1 - 0.04 * math.pi, False),
        (plate(0.4, 0.1) + plate(0.1, 0.4), 0.07, False),
        (plate(0.4, 0.1) & plate(0.1, 0.4), 0.01, False),
    ],
)  # fmt: skip
@pytest.mark.parametrize("turned", [False, True])
def test_meshes_have_the_area_and_the_rims_they_should(surface, area, closed, turned):
    if turned:
        turn = es.Antenna("t", sheets=[es.Sheet("s", surface)]).rotated("40 deg", (1, 2, 3), (0.1, 0, 0))
        surface = turn.sheets[0].surface
    mesh = mesh_of(surface)
    assert mesh.areas.sum() == pytest.approx(area, rel=0.015)
    _, counts = edges(mesh)
    assert counts.max() == 2
    assert (counts.min() == 2) == closed
    # Every place is on the surface, and its vertex as far off as a hexagon of the circle's area is.
    size = np.linalg.norm(np.ptp(mesh.vertices, axis=0))
    assert (
        surface.distances(mesh.places).max() < (1e-6 if surface.kind not in ("polygon", "triangles") else 1e-2) * size
    )
    assert np.linalg.norm(mesh.vertices - mesh.places, axis=1).max() < 0.015 * size


def test_paraboloid_is_one():
    mesh = mesh_of(shapes.paraboloid(1.0, 0.4))
    rho2, z = (mesh.places[:, :2] ** 2).sum(axis=1), mesh.places[:, 2]
    assert z == pytest.approx(rho2 / 1.6, abs=1e-6)
    assert z.max() == pytest.approx(0.25 / 1.6)


@pytest.mark.parametrize(
    ("one", "two", "length"),
    [
        # A shared side, a fin, a box and a tube standing on a plate, and rims of round parts of unlike width.
        (plate(0.6, 0.4), plate(0.4, 0.5, axis="x", centre=(0.3, 0, 0.25)), 0.4),
        (plate(0.6, 0.4), plate(0.2, 0.3, axis="x", centre=(0.07, 0.03, 0.15)), 0.2),
        (plate(0.6, 0.4), box(0.1, 0.2, 0.1, centre=(0.1, 0.02, 0.05), without="bottom"), 0.6),
        (plate(0.6, 0.5), shapes.cylinder(0.2, 0.3, base=(0.05, 0.02, 0)), 0.2 * math.pi),
        (shapes.cylinder(0.02, 0.05), shapes.cone(0.02, 0.4, 0.3, base=(0, 0, 0.05)), 0.02 * math.pi),
        (shapes.annulus(0.4, 0.02), shapes.cylinder(0.02, 0.05), 0.02 * math.pi),
    ],
)
def test_what_meets_shares_its_edges(one, two, length):
    mesh = mesh_of(one, two)
    t, n = mesh.triangles, len(mesh.vertices)
    keys = [
        np.unique(np.sort(np.concatenate([t[own][:, [0, 1]], t[own][:, [1, 2]], t[own][:, [2, 0]]]), axis=1) @ [n, 1])
        for own in (mesh.sheet == 0, mesh.sheet == 1)
    ]
    shared = np.intersect1d(*keys)
    ends = mesh.vertices[np.stack([shared // n, shared % n], axis=1)]
    assert np.linalg.norm(np.diff(ends, axis=1), axis=2).sum() == pytest.approx(length, rel=0.01)
    assert not es.check(es.Antenna("t", sheets=[es.Sheet("a", one), es.Sheet("b", two)]), "300 MHz", fed=False)


def test_the_mesh_is_fine_where_it_should_be():
    antenna = standing(plate(1, 1))
    mesh = sheet_mesh(antenna, 1.0, MeshRule())
    foot = np.argmin(np.linalg.norm(mesh.vertices, axis=1))
    assert mesh.vertices[foot] == pytest.approx([0, 0, 0], abs=1e-9)
    at_foot = (mesh.triangles == foot).any(axis=1)
    assert mesh.edge_lengths[at_foot].max() < 6 * 0.001
    assert mesh.edge_lengths.max() < 0.2
    finer = antenna.with_(es.Sheet("s0", plate(1, 1), density=2.0))
    table, fine = (es.checks.sheet_quality(a, "299.792458 MHz") for a in (antenna, finer))
    assert fine.loc["s0", "triangles"] > 2 * table.loc["s0", "triangles"]
    assert table.loc["s0", "area_m2"] == pytest.approx(1.0)
    assert table.loc["s0", "worst_shape"] > 0.2
    assert table.loc["s0", "least_angle_deg"] > 5


def test_the_mesh_is_fine_across_narrow_gaps():
    """Two plates a hundredth of a wavelength apart are cut to the gap where they face one another, and only there."""
    near = plate(0.3, 0.1, centre=(0.2, 0, 0.01))
    mesh, alone = mesh_of(plate(1, 0.3), near), mesh_of(plate(1, 0.3))
    facing = (mesh.sheet == 0) & (np.abs(mesh.centres[:, 0] - 0.2) < 0.12) & (np.abs(mesh.centres[:, 1]) < 0.04)
    assert mesh.edge_lengths[facing].max() < 0.03
    assert mesh.edge_lengths[mesh.sheet == 0].max() == pytest.approx(alone.edge_lengths.max())


def test_gaps_are_followed_by_the_mesh():
    port = es.Port("feed", "s", (0.05, 0, 0), 0.004, across="x")
    strip = es.Antenna("strip", [], [port], sheets=[es.Sheet("s", plate(0.47, 0.02))])
    x = sheet_mesh(strip, 1.0, MeshRule()).vertices[:, 0]
    for border in (0.048, 0.052):
        assert np.abs(x - border).min() < 1e-9
    # A gap of no width is a row of edges, and little else than one of hardly any.
    none, thin = (es.Port("feed", "s", (0.05, 0, 0), gap, across="x") for gap in (None, 0.002))
    z = [es.solve(strip.with_(p), "299.792458 MHz").network.z().values[0, 0, 0] for p in (none, thin)]
    assert z[0].real == pytest.approx(z[1].real, rel=0.05)


def test_a_port_on_an_edge_between_two_plates():
    """Two half disks of a bow, meeting in an edge: the field across it drives both, and turns sign with `across`."""
    plates = [
        es.Sheet("left", plate(0.2, 0.02, centre=(-0.1, 0, 0))),
        es.Sheet("right", plate(0.2, 0.02, centre=(0.1, 0, 0))),
    ]
    y = []
    for across in ("x", (-1, 0, 0)):
        joined = es.Sheet("both", plates[0].surface + plates[1].surface, density=2)
        antenna = es.Antenna("edge", [], [es.Port("feed", "both", (0, 0, 0), across=across)], sheets=[joined])
        solution = es.solve(antenna, "299.792458 MHz")
        y.append(solution.network.y().values[0, 0, 0])
        current = solution.drive(es.volts(1)).flow.sheets.density[:, 0]
        assert np.sign(current.real.mean()) == (1 if across == "x" else -1)
    assert y[0] == pytest.approx(y[1])


@pytest.mark.parametrize(
    ("antenna", "says"),
    [
        (standing(plate(1, 1)).over(es.perfect_plane()), "stop: sheet 's0' lies in the plane at .* carries nothing"),
        (standing(plate(1, 1, axis="x", centre=(0.4, 0, 0.2))).over(es.perfect_plane()), "s0' reaches 0.3 m under"),
        (standing(plate(1, 1, centre=(0, 0, 1e-3))).over(es.perfect_plane()), "0.001 m above the plane .* stand on"),
        (standing(plate(1, 1, centre=(0, 0, 1e-2))).over(es.perfect_plane()), "is coarse beside the plane"),
        (
            es.Antenna(
                "tube", [], [es.Port("p", "t", (0, 0, 0), 0.02, across="z")], es.perfect_plane(),
                sheets=[es.Sheet("t", shapes.cylinder(0.04, 0.25))],
            ),
            "on one side only: to feed the sheet against the plane give it a width, and z = 0.01 m",
        ),
        (standing(box(0.5, 0.5, 0.5, centre=(0, 0, 0.25))).over(es.perfect_plane()), "'s0' lies in the plane at"),
        (standing(plate(1, 1), plate(1, 1, axis="x", centre=(0.3, 0, 0.1))), ""),
        (standing(plate(1, 1), shapes.cylinder(0.3, 0.4, base=(0.2, 0, -0.2), axis=(0.3, 0, 1))), "pass through one"),
        (standing(plate(1, 1), disk(0.4, centre=(0.2, 0, 0))), "sheets 's0' and 's1' lie on one another"),
        (standing(plate(1, 1), shapes.cylinder(0.2, 0.3, base=(0.3, 0, 1e-4))), "touch at .* without shared edges"),
        (standing(plate(1, 1), wire=es.Wire("mast", [(0.03, 0.02, -0.1), (0.03, 0.02, 0.2)], radius=0.001)),
         r"wire 'mast' passes through sheet 's0' at \(0.03, 0.02, .*\) m without a junction: give 'mast' a corner"),
        (standing(plate(1, 1), wire=es.Wire("mast", [(0, 0, 0), (0.3, 0, 0)], radius=0.001)), "along sheet 's0'"),
        (standing(plate(1, 1), wire=es.Wire("mast", [(0, 0, 0), (0, 0, 0.1), (0.3, 0, 0.0015)], radius=0.001)),
         "warn: wire 'mast' is 0.0015 m from a sheet"),
        (es.Antenna("t", [MAST], [es.Port("feed", "s")], sheets=[es.Sheet("s", disk(1))]),
         "port 'feed' is on sheet 's', but does not say where and which way: give it at="),
        (es.Antenna("t", [], [es.Port("feed", "s", (0, 0, 1), across="x")], sheets=[es.Sheet("s", disk(1))]),
         "port 'feed' is at .* 1 m off sheet 's': move it onto the sheet"),
        (es.Antenna("t", [], [es.Port("feed", "s", (0.5, 0, 0), across="x")], sheets=[es.Sheet("s", plate(1, 1))]),
         "has metal of sheet 's' on one side only"),
        (es.Antenna("t", [], [es.Port("feed", "s", (0, 0, 0), 0.01, across="x")], sheets=[es.Sheet("s", disk(1))]),
         "the gap of port 'feed' cuts through triangles of sheet 's'"),
        (es.Antenna("t", [], [es.Port("feed", "x", (0, 0, 0), across="x")], sheets=[es.Sheet("s", disk(1))]),
         "port 'feed': there is no wire or sheet 'x'"),
        (standing(triangles([(-1, -1, 0), (1, -1, 0), (0, 1, 0), (0, 1, 0)], [(0, 1, 2), (0, 2, 3)])),
         "sheet 's0' has 1 triangles without area"),
        (standing(triangles([(-1, -1, 0), (1, -1, 0), (0, 1, 0)], [(0, 1, 2), (2, 0, 1)])), "has 1 triangles twice"),
        (standing(triangles([(-1, -1, 0), (1, -1, 0), (1, 1, 0), (-1, 1, 0)], [(0, 1, 2), (0, 3, 2)])),
         "note: sheet 's0' has 1 edges whose triangles face opposite ways: nothing to do"),
    ],
)  # fmt: skip
def test_the_check_finds(antenna, says):
    import re

    told = repr(es.check(antenna, "299.792458 MHz"))
    assert re.search(says, told), told


def test_closed_bodies_that_resonate_inside_are_found():
    """A cubic box of side s at c/√2s, a sphere at ka = 2.744, a can at TM010."""
    c = 299792458.0
    cases = [
        (box(0.5, 0.5, 0.5, centre=(0, 0, -0.25)), c / math.sqrt(2) / 0.5),
        (shapes.sphere(0.5, centre=(0, 0, -0.25)), 2.7437 * c / (2 * math.pi * 0.25)),
        (shapes.cylinder(0.5, 0.2, base=(0, 0, -0.2), ends="closed"), 2.40483 * c / (2 * math.pi * 0.25)),
    ]
    for surface, resonance in cases:
        antenna = standing(surface)
        (found,) = es.check(antenna, 1.01 * resonance)
        assert found.level == "warn"
        assert "resonates at" in found.says
        assert float(found.says.split("resonates at ")[1].split()[0]) == pytest.approx(resonance / 1e6, rel=1e-3)
        assert not es.check(antenna, 0.9 * resonance)
    assert not es.check(standing(box(0.5, 0.5, 0.5, centre=(0, 0, -0.25), without="bottom")), 1.01 * cases[0][1])


def test_too_low_a_frequency_and_too_coarse_a_mesh_are_told():
    antenna = standing(disk(1))
    assert "drown in" in repr(es.check(antenna, "1 kHz"))
    assert "mesh of sheets is too coarse: 4 edges per wavelength" in repr(
        es.check(antenna, "300 MHz", MeshRule(sheets_per_wavelength=4))
    )


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: plate(0, 1), "plate: width 0 is not above zero"),
        (lambda: plate(1, 1, axis="w"), "axis: 'w' is not one of x, y, z"),
        (lambda: shapes.annulus(1, 2), "hole 2 is not smaller"),
        (lambda: box(1, 1, 1, without="lid"), "without 'lid': it is not one of top"),
        (lambda: box(1, 1, 1, without="top bottom left right front back"), "all six faces are left out"),
        (lambda: shapes.cylinder(1, 1, ends="shut"), "ends 'shut' is not one of open, closed"),
        (lambda: shapes.cone(0, 0, 1), "neither may be below zero, and one must be above it"),
        (lambda: polygon([(0, 0, 0), (1, 0, 0)]), "give three corners or more"),
        (lambda: polygon([(0, 0, 0), (1, 0, 0), (2, 0, 0)]), "lie on a line"),
        (lambda: polygon([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0.2)]), "off the plane of the others"),
        (lambda: polygon([(0, 0, 0), (2, 0, 0), (0, 1, 0), (1, 1, 0)]), "its outline is not simple"),
        (lambda: triangles([(0, 0, 0)], [(0, 1, 2)]), "a face names corner 2, but there are 1"),
        (lambda: plate(1, 1) - plate(2, 2), "leaves nothing"),
        (lambda: plate(1, 1) - plate(0.1, 2), "leaves several pieces"),
        (lambda: plate(1, 1) + plate(1, 1, axis="x"), "do not lie in one plane"),
        (lambda: shapes.sphere(1) + plate(1, 1), "a sphere is not flat"),
        (lambda: es.Sheet("s", "plate"), "is not a surface; make one with plate"),
        (lambda: es.Sheet("s", disk(1), thickness="0 mm"), "thickness 0 mm is not above zero"),
        (lambda: es.Sheet("s", disk(1), sides=3), "sides = 3 is not 1 or 2"),
        (lambda: es.Sheet("s", disk(1), density=0), "density = 0 is outside 0.05 to 50"),
        (lambda: es.Port("p", "s", (0, 0, 0)), "at is a point, so it is on a sheet: say across"),
        (lambda: es.Port("p", "s", 0.5, across="x"), "a gap across a sheet is at a point"),
        (lambda: es.Port("p", "s", (0, 0, 0), across="up"), "'up' is not one of x, y, z"),
        (lambda: es.Antenna("a"), "has no wires or sheets"),
        (lambda: es.Antenna("a", [MAST], sheets=[es.Sheet("mast", disk(1))]), "two parts named 'mast'"),
        (lambda: standing(disk(1)).sheet("s1"), "there is no sheet 's1'"),
        (lambda: es.solve(standing(plate(300, 300)), "30 GHz"), "would need about .* triangles: is the"),
    ],
)  # fmt: skip
def test_surfaces_refuse_what_makes_no_sense(make, says):
    with pytest.raises(es.EarshotError, match=says):
        make()


def test_editing_antennas_with_sheets():
    antenna = standing(plate(1, 1))
    both = antenna + antenna.moved((3, 0, 0)).prefixed("far ")
    assert [s.name for s in both.sheets] == ["s0", "far s0"]
    assert both.without("far mast").sheets == both.sheets
    assert both.without("far s0").sheets == antenna.sheets
    half = antenna.scaled(0.5)
    assert half.sheets[0].surface.sizes == (0.5, 0.5)
    assert half.size == pytest.approx(antenna.size / 2)
    tin = antenna.made_of("tin")
    assert tin.sheets[0].metal.name == tin.wires[0].metal.name == "tin"
    strip = es.Antenna(
        "s", [], [es.Port("f", "s", (0, 0, 0), 0.01, across="x")], sheets=[es.Sheet("s", plate(0.4, 0.02))]
    )
    turned = strip.rotated("90 deg").moved((0, 0, 1)).scaled(2.0)
    port = turned.ports[0]
    assert (port.at, port.gap) == (pytest.approx((0, 0, 2)), 0.02)
    assert port.across == pytest.approx((0, 1, 0), abs=1e-12)


@pytest.mark.parametrize("seed", range(40))
def test_shapes_that_abut_but_for_rounding_are_one_in_any_order(seed):
    random = np.random.default_rng(seed)
    # A row of strips side by side, by lengths that no binary fraction holds, anywhere and turned any way.
    widths = np.round(random.uniform(0.1, 0.9, 5), 1) * 10.0 ** random.integers(-4, 1)
    depth = float(random.uniform(0.3, 1) * widths.sum())
    edges = np.concatenate([[0.0], np.cumsum(widths)]) + float(random.normal())
    axis = random.normal(size=3)
    axis = axis / np.linalg.norm(axis)
    probe = plate(1, 1, axis=axis.tolist())
    strips = [
        plate(w, depth, centre=(probe.axes[:, 0] * (a + b) / 2).tolist(), axis=axis.tolist())
        for w, a, b in zip(widths, edges[:-1], edges[1:], strict=True)
    ]
    order = random.permutation(5)
    whole = strips[order[0]]
    for n in order[1:]:
        whole = whole + strips[n]
    assert not whole.apart
    assert whole.outline.area == pytest.approx(depth * widths.sum(), rel=1e-9)
    assert whole.outline.geom_type == "Polygon"
    assert not list(whole.outline.interiors)


def test_pieces_that_never_touch_are_no_sheet():
    apart = plate(1, 1) + plate(1, 1, centre=(3, 0, 0))
    with pytest.raises(es.UsageError, match="in 2 pieces that do not touch"):
        es.Sheet("two", apart)
    assert es.Sheet("one", apart + plate(2, 0.1, centre=(1.5, 0, 0))).surface.outline.area > 2.0


@pytest.mark.parametrize("part", range(10))
def test_no_mesh_hangs_on_where_a_rounding_border_falls(part):
    """Fifty strips each, of one shape at random sizes and places: a graded grid for all, of as many triangles."""
    random = np.random.default_rng(part)
    for _ in range(50):
        size = 10.0 ** random.uniform(-3, 2)
        centre = (random.normal(size=3) * size * random.choice([0.0, 0.1, 1.0, 10.0])).tolist()
        port = es.Port("f", "p", centre, 0.01 * size, across="x")
        strip = es.Sheet("p", plate(0.47 * size, 0.02 * size, centre=centre))
        antenna = es.Antenna("t", (), [port], sheets=[strip])
        if random.random() < 0.5:
            antenna = antenna.rotated(float(random.uniform(0, 6)), random.normal(size=3).tolist())
        assert len(sheet_mesh(antenna, size, MeshRule())) == 224


@pytest.mark.parametrize("part", range(4))
def test_equal_longest_edges_are_halved_alike_at_any_size(part):
    random = np.random.default_rng(part)
    counts = set()
    for _ in range(12):
        size = 10.0 ** random.uniform(-3, 2)
        wire = es.Wire("w", [(0.1 * size, 0.13 * size, 0), (0.1 * size, 0.13 * size, 0.2 * size)], radius=1e-3 * size)
        antenna = es.Antenna("t", [wire], [es.Port("f", "w", at=0)], sheets=[es.Sheet("p", plate(size, 0.8 * size))])
        turned = antenna.rotated(float(random.uniform(0, 6)), random.normal(size=3).tolist())
        counts.add(len(sheet_mesh(turned.moved(random.normal(size=3).tolist()), size, MeshRule())))
    assert len(counts) == 1


@pytest.mark.parametrize("seed", range(25))
def test_plates_of_unlike_widths_meet_beside_a_foot(seed):
    """What is level with a foot is cut alike on all lines that lie on one another, however short or long."""
    rng = np.random.default_rng(seed)
    wide, narrow, long = rng.uniform(0.05, 0.2), rng.uniform(0.003, 0.03), rng.uniform(0.05, 0.2)
    one = polygon([(0, -wide, 0), (long, -wide, 0), (long, wide, 0), (0, wide, 0)])
    other = polygon([(0, -narrow, 0), (0, narrow, 0), (-0.1, narrow, 0), (-0.1, -narrow, 0)])
    foot = (rng.uniform(0.2, 0.8) * long, narrow * rng.uniform(-0.9, 0.9), 0)
    mast = es.Wire("mast", [foot, (foot[0], foot[1], 0.3)], radius=1e-3)
    mesh = mesh_of(one, other, wires=[mast], rule=MeshRule(density=rng.uniform(0.1, 2.0)))
    assert mesh.areas.sum() == pytest.approx(2 * wide * long + 0.2 * narrow, rel=1e-9)
    # No edge of the seam is left with one triangle.
    pairs, times = edges(mesh)
    ends = mesh.vertices[pairs]
    seam = (np.abs(ends[..., 0]) < 1e-9).all(axis=1) & (np.abs(ends[..., 1]) <= narrow + 1e-9).all(axis=1)
    assert seam.any()
    assert (times[seam] == 2).all()
