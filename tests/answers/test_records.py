"""Evidence, run records, figures over frequency, and models too large."""

import tracemalloc
from pathlib import Path

import numpy as np
import psutil
import pytest
from models import ONE_METRE, dipole, three_elements

import earshot as es
from earshot.answers.prepare import estimate, prepare

BEAM = three_elements([0.49, 0.466, 0.44], [0, 0.15, 0.27], 1e-3, 1)


def test_evidence_comes_with_a_solve_that_asks_for_it():
    answer = es.solve(BEAM, es.band("290 MHz", "310 MHz", 11), evidence=True)
    table = answer.evidence.to_frame()
    for figure in ("R at feed", "VSWR at feed", "gain", "half-power beamwidth, E-plane", "front-to-back ratio"):
        assert 0 <= table.loc[figure, "±"] < 0.1 * max(abs(table.loc[figure, "value"]), 1)
    assert answer.evidence.frequency in answer.solved
    assert es.solve(BEAM, ONE_METRE).evidence is None


def test_the_record_says_what_each_stage_took():
    answer = es.solve(BEAM, es.band("290 MHz", "310 MHz", 41))
    record = answer.run_record()
    assert record.loc["fill", "times"] == len(answer.solved)
    assert record.loc["fill", "memory_MB"] == pytest.approx(16e-6 * answer.unknowns**2)
    assert 0 < record.loc["fill", "seconds"] <= record.loc["band, its solves included", "seconds"]
    assert answer.seconds > 0


def test_figures_over_frequency():
    table = es.solve(BEAM, ["290 MHz", "300 MHz", "310 MHz"]).figures(sectors={"ahead": ((1, 0, 0), "20 deg")})
    assert (table["least gain, ahead"] < table["mean gain, ahead"]).all()
    assert table["greatest gain, ahead"].to_numpy() == pytest.approx(table["gain"].to_numpy(), abs=0.01)
    assert list(table.index) == [290e6, 300e6, 310e6]
    assert np.ptp(table["gain"]) > 0.05
    assert table["power accepted"].max() <= 1
    one = es.solve(BEAM, "300 MHz").drive().far_field().summary()["value"]["front-to-back ratio"]
    assert table.loc[300e6, "front-to-back ratio"] == pytest.approx(one, rel=1e-2)


def test_a_model_too_large_is_refused_before_it_is_allocated(monkeypatch):
    monkeypatch.setattr(psutil, "virtual_memory", lambda: type("Memory", (), {"available": 50_000})())
    with pytest.raises(es.RunError, match=r"unknowns and would need 0\.0 GB.* use fewer segments"):
        es.solve(BEAM, ONE_METRE)


def rods():
    wires = [es.Wire(f"rod {i}", [(0.3 * i, 0, -0.24), (0.3 * i, 0, 0.24)], radius=1e-3) for i in range(40)]
    return es.Antenna("rods", wires, [es.Port("feed", on="rod 0")])


def demo(name):
    return es.read_design(Path(es.__file__).parent / "demo" / f"{name}.toml").design.antenna


@pytest.mark.parametrize(
    ("antenna", "frequency"),
    [(rods(), 299.7e6), (demo("hut_roof"), 150.1e6), (demo("mainland_patch"), 5.8e9), (demo("buoy_on_swell"), 868e6)],
)
def test_the_memory_estimate_is_right(antenna, frequency):
    """All that a solve and its pattern take, the mesh and the tables too."""
    takes = estimate(prepare(antenna, frequency), frequency)
    es.solve(antenna, frequency * 1.001).drive().far_field().summary()
    tracemalloc.start()
    es.solve(antenna, frequency).drive().far_field().summary()
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    # Room that does not grow with the unknowns is a pattern's and the libraries' own.
    assert 0.6 * (takes.bytes - 4e7) < peak < takes.bytes


def test_charges_and_surface_fields_along_a_wire():
    """Continuity: the charge on each half of a dipole is the current into it over jω."""
    driven = es.solve(dipole(0.48, 1e-3), ONE_METRE).drive(es.amperes(1))
    table = driven.currents_table()
    half = table[table["along_m"] >= 0.24]
    charge = np.trapezoid(half["charge_C_per_m"], half["along_m"])
    assert charge == pytest.approx(half["current_A"].iloc[0] / (2j * np.pi * 299_792_458), rel=0.01)
    field = abs(table["surface_field_V_per_m"]).to_numpy()
    assert field.argmax() in (0, len(field) - 1)


def test_voltages_across_loads():
    wire = es.Wire("rod", [(0, 0, -0.24), (0, 0, 0.24)], radius=1e-3)
    load = es.Load("r", "rod", 0.75, impedance=es.circuits.series(40, "20 nH"))
    driven = es.solve(es.Antenna("d", [wire], [es.Port("feed", on="rod")], loads=[load]), ONE_METRE).drive()
    row = driven.loads_table().loc["r"]
    assert row["power_W"] == pytest.approx(0.5 * abs(row["current_A"]) ** 2 * 40)
    assert row["voltage_V"] == pytest.approx(row["current_A"] * load.impedance.at(299_792_458))
    short = es.solve(driven.antenna.with_(es.Load("r", "rod", 0.75, impedance=0)), ONE_METRE).drive()
    assert abs(short.loads_table().loc["r", "current_A"]) > 0.01
