"""Sheets in design files, and triangles from STL and OBJ."""

import numpy as np
import pytest

import earshot as es
from earshot import shapes
from earshot.files.design_text import antenna_text

PROBES = np.random.default_rng(3).normal(size=(12, 3))


def same_place(one, two):
    """Two surfaces are one when every place is as far from either."""
    np.testing.assert_allclose(one.distances(PROBES), two.distances(PROBES), atol=1e-6)


HEAD = """title = "t"
frequency = "300 MHz"
[values]
wide = "0.4 m"
[wire.mast]
radius = "1 mm"
points = ["0, 0, 0", "0, 0, 0.24 m"]
[port.feed]
on = "mast"
at = 0
[sheet.s]
"""


def read(tmp_path, text):
    path = tmp_path / "t.toml"
    path.write_text(HEAD + text)
    return es.read_design(path).design.antenna


@pytest.mark.parametrize(
    ("keys", "surface"),
    [
        ('plate = { width = "wide", depth = "0.3 m", turn = "20 deg" }', shapes.plate(0.4, 0.3, turn="20 deg")),
        ('disk = { diameter = "wide", axis = "x" }', shapes.disk(0.4, axis="x")),
        ('disk = { diameter = "wide", hole = "wide / 4" }', shapes.annulus(0.4, 0.1)),
        ('box = { width = "wide", depth = "1 m", height = "2 m", without = "top left", centre = "0, 0, -1 m" }',
         shapes.box(0.4, 1, 2, without="top left", centre=(0, 0, -1))),
        ('cylinder = { diameter = "wide", length = "1 m", ends = "last", base = "0, 0, -1 m" }',
         shapes.cylinder(0.4, 1, ends="last", base=(0, 0, -1))),
        ('cone = { first = "0 m", last = "wide", height = "0.3 m", axis = [0, 0, -1] }',
         shapes.cone(0, 0.4, 0.3, axis=(0, 0, -1))),
        ('paraboloid = { diameter = "wide", focal_length = "0.2 m" }', shapes.paraboloid(0.4, 0.2)),
        ('sphere = { diameter = "wide", centre = "0, 0, -wide / 2" }', shapes.sphere(0.4, centre=(0, 0, -0.2))),
        ('polygon = { points = ["0, 0, 0", "wide, 0, 0", "0, wide, 0"] }',
         shapes.polygon([(0, 0, 0), (0.4, 0, 0), (0, 0.4, 0)])),
        ('plate = { width = "1 m", depth = "1 m" }\ncut = [{ disk = { diameter = "wide", centre = "0.2 m, 0, 0" } }]',
         shapes.plate(1, 1) - shapes.disk(0.4, centre=(0.2, 0, 0))),
        ('plate = { width = "1 m", depth = "0.1 m" }\nadd = [{ plate = { width = "0.1 m", depth = "1 m" } }]',
         shapes.plate(1, 0.1) + shapes.plate(0.1, 1)),
        ("triangles = { corners = [[0, 0, 0], [1, 0, 0], [0, 1, 0]], faces = [[0, 1, 2]] }",
         shapes.triangles([(0, 0, 0), (1, 0, 0), (0, 1, 0)], [(0, 1, 2)])),
    ],
)  # fmt: skip
def test_every_shape_in_a_file_and_back(tmp_path, keys, surface):
    antenna = read(tmp_path, keys + '\nmetal = "tin"\nthickness = "1 mm"\nsides = 2\ndensity = 1.5')
    want = es.Sheet("s", surface, metal="tin", thickness="1 mm", sides=2, density=1.5)
    (found,) = antenna.sheets
    assert (found.metal, found.thickness, found.sides, found.density) == (want.metal, 1e-3, 2, 1.5)
    for turned in (antenna, antenna.rotated("25 deg", (1, 1, 2)), antenna.mirrored("y"), antenna.scaled(3)):
        again = es.read_design(es.write(es.Design(lambda v, a=turned: a, frequency="300 MHz"), tmp_path / "again.toml"))
        one, two = (a.sheets[0].surface for a in (turned, again.design.antenna))
        same_place(one, two)
    same_place(found.surface, surface)


@pytest.mark.parametrize(
    ("keys", "says"),
    [
        ("density = 1", "sheet.s: give exactly one of plate, disk, .*; 0 are there"),
        ('plate = { width = "1 m", depth = "1" }', "sheet.s.plate.depth: '1' has no unit"),
        ('plate = { width = "1 m" }', "sheet.s.plate.depth is missing"),
        ('disc = { diameter = "1 m" }', "sheet.s.disc is not a key of a design file; did you mean 'disk'"),
        ('disk = { diameter = "1 m", centre = "0, 0" }', "has 2 coordinates"),
        ('sphere = { diameter = "-1 m" }', "sphere: diameter -1.0 is not above zero"),
        ('file = "none.stl"', "cannot read .*none.stl"),
        ('plate = { width = "1 m", depth = "1 m" }\nmetal = "tinn"', "sheet.s.metal: there is no metal 'tinn'"),
    ],
)
def test_faults_in_sheets_are_told(tmp_path, keys, says):
    with pytest.raises(es.DesignFileError, match=says):
        read(tmp_path, keys)


def test_ports_on_sheets_in_a_file(tmp_path):
    path = tmp_path / "strip.toml"
    text = """title = "strip"
frequency = "300 MHz"
[values]
gap = "4 mm"
[sheet.strip]
plate = { width = "0.47 m", depth = "20 mm" }
[port.feed]
on = "strip"
at = "gap, 0, 0"
across = "x"
gap = "gap"
"""
    path.write_text(text)
    antenna = es.read_design(path).design.antenna
    assert antenna.ports[0] == es.Port("feed", "strip", (0.004, 0, 0), 0.004, across="x")
    again = tmp_path / "again.toml"
    again.write_text(antenna_text(antenna, 3e8))
    assert es.read_design(again).design.antenna.ports == antenna.ports
    path.write_text(text.replace('across = "x"\n', ""))
    with pytest.raises(es.DesignFileError, match="is a point, as on a sheet: say across"):
        es.read_design(path)


@pytest.mark.parametrize("ending", ["stl", "obj"])
def test_triangles_from_files(tmp_path, ending):
    import meshio

    corners = np.array([(0, 0, 0), (200, 0, 0), (200, 200, 0), (0, 200, 0)], float)
    meshio.write(tmp_path / f"plate.{ending}", meshio.Mesh(corners, [("triangle", [(0, 1, 2), (0, 2, 3)])]))
    surface = es.files.read_triangles(tmp_path / f"plate.{ending}", "mm")
    assert len(surface.bounds) == 4
    (tmp_path / "t.toml").write_text(HEAD + f'file = "plate.{ending}"\nunit = "mm"')
    antenna = es.read_design(tmp_path / "t.toml").design.antenna
    assert antenna.sheets[0].surface == surface
    # A foot at a corner of a plate of two triangles: it is divided until it can be solved, and agrees with our own.
    z = [
        es.solve(a, "300 MHz").network.z().values[0, 0, 0]
        for a in (antenna, antenna.with_(es.Sheet("s", shapes.plate(0.2, 0.2, centre=(0.1, 0.1, 0)))))
    ]
    assert abs(z[1] - z[0]) < 0.05 * abs(z[0])


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("a.stl", "solid x\nendsolid x\n", "holds no triangles|cannot be read"),
        ("a.obj", "v 0 0 0\nv 1 0\n", "line 2: a corner is not three numbers"),
        ("a.ply", "ply", "does not end in .stl or .obj"),
    ],
)
def test_files_without_triangles_are_told(tmp_path, name, content, says):
    (tmp_path / name).write_text(content)
    with pytest.raises(es.UsageError, match=says):
        es.files.read_triangles(tmp_path / name)


OBJ = """# anybody's
mtllib none.mtl
o body
v 0 0 0
v 1 0 0 1.0
v 1 1 0
v 0 1 0
vt 0.5 0.5
vn 0 0 1
usemtl none
s off
f 1/1/1 2//1 3/1 -1
f -4 -3 \\
 -2
"""


@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_obj_files_with_normals_textures_polygons_and_numbers_from_the_end(tmp_path, end):
    (tmp_path / "a.obj").write_bytes(OBJ.replace("\n", end).encode())
    surface = es.files.read_triangles(tmp_path / "a.obj", "mm")
    corners = surface.bounds[np.array(surface.shape.faces)]
    areas = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    assert areas.tolist() == pytest.approx([0.5e-6] * 3)


@pytest.mark.parametrize(
    "line", ["f 1 2 9", "f 0 1 2", "f -9 1 2", "f 1 2", "f a b c", "v 1 2", "v x y z", "f 1.5 2 3"]
)
def test_damaged_obj_files_are_told_by_line(tmp_path, line):
    (tmp_path / "a.obj").write_text(f"v 0 0 0\nv 1 0 0\nv 0 1 0\n{line}\n")
    with pytest.raises(es.UsageError, match=r"'a.obj', line 4: .*mend that line"):
        es.files.read_triangles(tmp_path / "a.obj")


@pytest.mark.parametrize("binary", [True, False])
def test_stl_files_come_back_and_damaged_ones_are_told(tmp_path, binary):
    import meshio

    random = np.random.default_rng(1)
    points, faces = random.normal(size=(20, 3)), np.arange(18).reshape(-1, 3)
    path = tmp_path / "a.stl"
    meshio.write(path, meshio.Mesh(points, [("triangle", faces)]), binary=binary)
    surface = es.files.read_triangles(path)
    back = surface.bounds[np.array(surface.shape.faces)]
    assert np.sort(back.ravel()) == pytest.approx(np.sort(points[faces].ravel()), abs=1e-6)
    path.write_bytes(path.read_bytes()[:-60])
    with pytest.raises(es.UsageError):
        es.files.read_triangles(path)
