"""Sheets on the command line and in figures, with the demonstration's hut roof and waveguide."""

import json

import numpy as np
import pytest
from PIL import Image

import earshot as es

FEW = ["--set", "length=1.6 m", "--set", "slope=0.8 m"]


@pytest.fixture(scope="module")
def roof(demo_path):
    design = es.read_design(demo_path.with_name("hut_roof.toml")).design
    return es.solve(design.with_(length="1.6 m", slope="0.8 m"))


def test_check_tells_how_sheets_are_meshed(run, demo_path):
    status, out, _ = run("check", demo_path.with_name("hut_roof.toml"))
    assert status == 0
    assert "ready to solve" in out
    assert "north" in out
    assert "worst shape" in out
    content = json.loads(run("check", demo_path.with_name("mainland_guide.toml"), "--json")[1])
    (tube,) = content["sheets"]
    assert tube["sheet"] == "tube"
    assert tube["area_m2"] == pytest.approx(0.00803, rel=0.01)


def test_a_mast_beside_the_ridge_is_told(run, demo_path, tmp_path):
    text = (
        demo_path.with_name("hut_roof.toml")
        .read_text()
        .replace('"at, 0, 0", "at, 0, mast"]\n\n#', '"at, 0, -0.1 m", "at, 0, mast"]\n\n#')
    )
    (tmp_path / "through.toml").write_text(text)
    status, out, _ = run("check", tmp_path / "through.toml", "--draw", tmp_path / "found.png")
    assert status == 1
    assert "touches a sheet" in out or "passes through sheet" in out
    assert (tmp_path / "found.png").stat().st_size > 8000


def test_solve_plot_and_export(run, demo_path, tmp_path):
    path = demo_path.with_name("hut_roof.toml")
    text = (
        path.read_text()
        .replace("points = 61", "points = 3")
        .replace('"135 MHz"', '"148 MHz"')
        .replace('"165 MHz"', '"152 MHz"')
    )
    (tmp_path / "roof.toml").write_text(text)
    status, out, _ = run("solve", tmp_path / "roof.toml", *FEW, "--out", tmp_path / "out")
    assert status == 0
    assert "1 wire, 2 sheets" in out
    assert "metal of sheet 'north'" in run("show", tmp_path / "out" / "results.nc", "--all")[1]
    results = tmp_path / "out" / "results.nc"
    assert run("show", results)[1].splitlines()[0] == out.splitlines()[0]
    status, out, _ = run("plot", results, "surface", "currents", "--out", tmp_path / "figures")
    assert status == 0
    assert {p.name for p in (tmp_path / "figures").iterdir()} == {"surface.png", "currents.png"}
    status, out, _ = run("export", results, tmp_path / "mesh.vtu")
    assert (status, (tmp_path / "mesh.vtu").exists()) == (0, True)
    assert run("plot", demo_path, "surface", "--out", tmp_path)[0] == 2


def test_currents_as_vtk(roof, tmp_path):
    import meshio

    driven = roof.drive(es.watts(1))
    path = es.files.write_vtk(driven.flow, tmp_path / "mesh.vtu")
    content = meshio.read(path)
    kinds = {block.type: i for i, block in enumerate(content.cells)}
    t = kinds["triangle"]
    assert len(content.cells[t].data) == len(roof.sheet_mesh)
    density = content.cell_data["current_real"][t] + 1j * content.cell_data["current_imag"][t]
    np.testing.assert_allclose(density, driven.flow.sheets.density)
    corners = content.points[content.cells[t].data]
    np.testing.assert_allclose(corners, roof.sheet_mesh.corners)
    assert content.cell_data["part"][t].min() == 1
    with pytest.raises(es.UsageError, match=r"does not end in \.vtu"):
        es.files.write_vtk(driven.flow, tmp_path / "mesh.vtp")


def test_currents_at_moments_of_the_period(roof):
    sheets = roof.drive().flow.sheets
    phases = np.linspace(0, 2 * np.pi, 73)
    over = np.array([np.linalg.norm(sheets.at_phase(p), axis=1) for p in phases]).max(axis=0)
    assert over == pytest.approx(sheets.strength, rel=2e-3)
    half = sheets.at_phase(0.3) + sheets.at_phase(0.3 + np.pi)
    assert np.abs(half).max() < 1e-12 * sheets.strength.max()


def test_an_animation_moves(roof, tmp_path):
    with Image.open(es.plots.write_animation(roof.drive(), tmp_path / "moving.gif", frames=4)) as moving:
        assert moving.n_frames == 4
        first = np.array(moving.convert("L"), float)
        moving.seek(1)
        assert np.abs(np.array(moving.convert("L"), float) - first).mean() > 0.5


def test_figures_of_what_has_no_sheets_are_refused(roof, dipole, tmp_path):
    driven = es.solve(dipole, "150 MHz").drive()
    with pytest.raises(es.UsageError, match="has no sheets: its currents are drawn by currents"):
        es.plots.surface_currents(driven)
    with pytest.raises(es.UsageError, match="has no currents: use"):
        es.plots.surface_currents(roof)
    with pytest.raises(es.UsageError, match=r"does not end in \.gif"):
        es.plots.write_animation(roof.drive(), tmp_path / "moving.mp4")
    only = es.Antenna("ball", sheets=[es.Sheet("ball", es.shapes.sphere(0.2))])
    got = es.scatter(only, es.plane_wave(0.0, 0.0, e_theta=1.0), "300 MHz")
    assert es.plots.surface_currents(got, phase=60).texts
    with pytest.raises(es.ModelError, match="lie on one another"):
        es.scatter(only.with_(es.Sheet("a", es.shapes.disk(1)), es.Sheet("b", es.shapes.disk(1))), got.wave, "300 MHz")


def test_a_results_file_of_sheets_opens_as_the_same_solution(roof, tmp_path):
    again = es.read_results(es.write(roof, tmp_path / "roof.nc"))
    assert np.array_equal(again.network.s(), roof.network.s())
    assert np.array_equal(again.sheet_mesh.triangles, roof.sheet_mesh.triangles)
    for one, two in zip(again.drive().losses(), roof.drive().losses(), strict=True):
        assert one == (two[0], pytest.approx(two[1], rel=1e-9))
    assert again.drive().far_field().radiated == pytest.approx(roof.drive().far_field().radiated, rel=1e-9)
