"""Results files: they open as results, without solving, or say why not."""

import json

import h5netcdf
import numpy as np
import pytest

import earshot as es
from earshot import circuits
from earshot.answers import solution as solutions
from earshot.files.results import read_saved, write_results


@pytest.fixture(scope="module")
def rich():
    """An antenna with a bit of everything."""
    muck = es.materials.Metal("muck", 1e5, 2.0, "made up")
    wires = [
        es.Wire("a", [(0, 0, -0.5), (0, 0.1, 0), (0, 0, 0.5)], radius="2 mm", metal=muck, wall="0.2 mm"),
        es.Wire(
            "b", [(0.3, 0, -0.45), (0.3, 0, 0.45)], radius="3 mm", metal="copper", jacket=es.Jacket("1 mm", 2.3, 0.01)
        ),
    ]
    return es.Antenna(
        "a bit of everything",
        wires,
        [es.Port("one", on="a", at="0.3 m"), es.Port("two", on="b", reference=75 - 5j, gap="15 mm")],
        loads=[
            es.Load("trap", "a", 0.8, impedance=circuits.trap("0.1 uH", "10 pF", 0.5)),
            es.Load("coil", "b", 0.8, impedance=circuits.series(1, "50 nH")),
            es.Load("table", "b", 0.2, impedance=circuits.impedance([10 + 1j, 20 - 3j], [1e8, 2e8])),
        ],
        terminals=[es.Terminal("tap", "a", 0.65)],
        lines=[
            es.Line("link", "one", "tap", circuits.LineType(60, 0.7, 0.1, 1e8), "0.4 m", crossed=True),
            es.Stub("tail", "tap", circuits.two_wire("20 mm", "2 mm"), "0.2 m", circuits.short_circuit()),
        ],
    )


@pytest.fixture(scope="module")
def solved(rich):
    return es.solve(rich, [es.band("140 MHz", "160 MHz", 21), "150 MHz"], evidence=True)


def test_a_solution_opens_again_without_solving(solved, tmp_path, monkeypatch):
    back_path = es.write(solved, tmp_path / "x.nc")

    def refuse(*_):
        raise AssertionError("it solved")

    monkeypatch.setattr(solutions, "respond", refuse)
    back = es.read_results(back_path)
    assert back.antenna == solved.antenna
    assert np.array_equal(back.network.s(), solved.network.s())
    drive = {"one": es.watts(1), "two": es.volts(2, "30 deg")}
    before, after = (s.drive(drive, "150 MHz") for s in (solved, back))
    assert before.far_field().summary().equals(after.far_field().summary())
    assert before.budget().equals(after.budget())
    assert np.array_equal(before.near_field((0.1, 0.2, 0.3)).e, after.near_field((0.1, 0.2, 0.3)).e)
    assert back.run_record().equals(solved.run_record())
    assert back.evidence == solved.evidence
    assert back.band_error == solved.band_error
    # Other loads and references on the old solve, as before.
    assert np.isfinite(back.with_(es.Load("coil", "b", 0.8, impedance=5)).network.s()).all()


def test_it_holds_the_cases_and_values_of_its_design(demo_path, tmp_path):
    file = es.read_design(demo_path)
    saved = read_saved(write_results(es.solve(file.design), tmp_path / "x.nc", file))
    assert saved.file.cases == file.cases
    assert saved.values["driven"] == {"written": "949 mm", "si": pytest.approx(0.949), "kind": "length"}
    assert saved.source == demo_path.read_text()


def test_it_is_plain_netcdf(solved, tmp_path):
    import xarray as xr

    with xr.open_dataset(es.write(solved, tmp_path / "x.nc"), engine="h5netcdf") as store:
        assert store.sizes["frequency"] == 21
        assert store["frequency"].attrs["units"] == "Hz"
        assert "written_by" in store.attrs


def damaged(path, change):
    with h5netcdf.File(path, "a") as store:
        change(store)
    return path


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda s: s.attrs.__setitem__("earshot_results", 99), r"has layout 99 \(written by earshot .*reads layout 5"),
        (lambda s: s.attrs.__delitem__("earshot_results"), "not a results file of Earshot"),
        (lambda s: s.attrs.__setitem__("antenna", "title = 3"), "is damaged"),
        (lambda s: s.attrs.__setitem__("record", "{"), "is damaged"),
        (lambda s: s.attrs.__setitem__("mesh_rule", json.dumps({"odd": 1})), "is damaged"),
        (lambda s: s.variables["currents"].__setitem__((0, 0, 0, 0), np.nan), "not finite"),
        (lambda s: s.variables["ends"].__setitem__((0, 0), 10**6), "is damaged"),
    ],
)
def test_another_version_or_a_damaged_file_is_told(solved, tmp_path, change, says):
    path = damaged(es.write(solved, tmp_path / "x.nc"), change)
    with pytest.raises(es.UsageError, match=says):
        es.read_results(path)


def test_what_is_no_results_file_is_told(solved, tmp_path):
    whole = es.write(solved, tmp_path / "x.nc").read_bytes()
    for text in (b"", b"title = 'x'", whole[:1000], whole[: len(whole) // 2]):
        (tmp_path / "y.nc").write_bytes(text)
        with pytest.raises(es.UsageError, match="cannot be opened as a results file"):
            es.read_results(tmp_path / "y.nc")
    with pytest.raises(es.UsageError, match="there is no results file"):
        es.read_results(tmp_path / "none.nc")
