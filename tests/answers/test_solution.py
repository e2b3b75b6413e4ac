"""Drives, networks and fields of a solution, as a user meets them."""

import math

import numpy as np
import pytest
from models import ONE_METRE, pair, three_elements

import earshot as es

BEAM = three_elements([0.49, 0.466, 0.44], [0, 0.15, 0.27], 1e-3, 1)


def test_network_figures_agree_with_one_another(dipole):
    network = es.solve(dipole, es.band("140 MHz", "160 MHz", 5)).network
    z = network.impedance().sel(port="feed").values
    gamma = (z - 50) / (z + 50)
    np.testing.assert_allclose(network.s().values[:, 0, 0], gamma, rtol=1e-12)
    np.testing.assert_allclose(network.vswr().values[:, 0], (1 + abs(gamma)) / (1 - abs(gamma)))
    np.testing.assert_allclose(network.return_loss().values[:, 0], -20 * np.log10(abs(gamma)))
    frame = network.to_frame()
    assert list(frame.columns[:2]) == ["R_ohm", "X_ohm"]
    assert frame.index[0] == 140e6


def test_scattering_of_a_pair_is_passive_and_matches_its_definition():
    network = es.solve(pair(0.48, 1e-3, 6, dx=0.2), ONE_METRE).network
    s, z = network.s().values[0], network.z().values[0]
    np.testing.assert_allclose(s, (z - 50 * np.eye(2)) @ np.linalg.inv(z + 50 * np.eye(2)), rtol=1e-10)
    # What is not reflected or passed on is radiated.
    assert np.linalg.norm(s, 2) < 1
    assert network.referred_to(75).vswr().values[0, 0] != pytest.approx(network.vswr().values[0, 0])


def test_drives_by_voltage_current_and_power(dipole):
    answer = es.solve(dipole, "150 MHz")
    z = answer.network.z().values[0, 0, 0]
    assert answer.drive(es.volts(2)).currents[0] == pytest.approx(2 / z)
    assert answer.drive(es.amperes(1j)).voltages[0] == pytest.approx(1j * z)
    powered = answer.drive(es.watts(5))
    gamma = (z - 50) / (z + 50)
    assert powered.incident == pytest.approx(5)
    assert powered.accepted == pytest.approx(5 * (1 - abs(gamma) ** 2))
    beam = powered.far_field()
    mismatch = beam.realized_gain(*beam.peak) / beam.gain(*beam.peak)
    assert mismatch == pytest.approx(1 - abs(gamma) ** 2)


def test_ports_not_named_are_closed_by_their_references():
    driven = es.solve(pair(0.48, 1e-3, 6, dx=0.2), ONE_METRE).drive({"one": es.watts(1)})
    table = driven.ports_table()
    assert table.loc["two", "active_impedance_ohm"] == pytest.approx(-50)
    assert table.loc["two", "power_W"] < 0 < table.loc["one", "power_W"]
    assert driven.accepted == pytest.approx(table.loc["one", "power_W"])
    assert driven.far_field().radiated == pytest.approx(table["power_W"].sum(), rel=1e-4)


def test_summary_holds_the_figures_of_merit():
    beam = es.solve(BEAM, ONE_METRE).drive().far_field()
    table = beam.summary()
    assert table.loc["gain", "value"] == pytest.approx(7.43, abs=0.05)
    assert table.loc["front-to-back ratio", "value"] == pytest.approx(16.3, abs=0.9)
    assert table.loc["side lobe level, H-plane", "value"] == pytest.approx(
        -table.loc["front-to-back ratio", "value"], abs=0.5
    )
    e = beam.cut("E")
    assert float(e.gain.max()) == pytest.approx(table.loc["gain", "value"], abs=1e-3)
    # Half the power half the beamwidth away, by the definition.
    half = math.radians(table.loc["half-power beamwidth, E-plane", "value"] / 2)
    at_edge = float(e.directivity.interp(angle=math.degrees(half)) - e.directivity.sel(angle=0, method="nearest"))
    assert at_edge == pytest.approx(-3.0103, abs=0.01)


def test_cuts_are_labelled_and_mean_what_they_say():
    beam = es.solve(BEAM, ONE_METRE).drive().far_field()
    around = beam.cut(elevation="10 deg", step="5 deg")
    assert around.attrs["angle"] == "azimuth"
    np.testing.assert_allclose(around.theta, 80)
    np.testing.assert_allclose(around.phi[:3], [0, 5, 10], atol=1e-9)
    up = beam.cut(azimuth="90 deg", step="30 deg")
    elevation, theta, phi = up.angle.values, up.theta.values, up.phi.values
    np.testing.assert_allclose(np.sin(np.radians(elevation)), np.cos(np.radians(theta)), atol=1e-12)
    assert phi[elevation == 30] == pytest.approx(90)
    assert phi[elevation == 150] == pytest.approx(270)
    with pytest.raises(es.UsageError, match="exactly one"):
        beam.cut("E", elevation="10 deg")


def test_short_dipole_in_closed_form():
    """R = 80π²(∫I dz / I₀λ)² ohm (Balanis 2016, eq. 4-19), D = 1.5, half-power beamwidth 90°."""
    wire = es.Wire("rod", [(0, 0, -0.005), (0, 0, 0.005)], radius=1e-5)
    answer = es.solve(es.Antenna("short", [wire], [es.Port("feed", on="rod")]), ONE_METRE)
    driven = answer.drive()
    table = driven.currents_table()
    effective = abs(np.trapezoid(table["current_A"], table["along_m"]) / driven.currents[0])
    assert 0.0045 < effective < 0.005
    assert answer.network.z().values[0, 0, 0].real == pytest.approx(80 * math.pi**2 * effective**2, rel=1e-3)
    beam = driven.far_field()
    assert float(beam.directivity(*beam.peak)) == pytest.approx(1.5, rel=1e-3)
    assert beam.beamwidth("E") == pytest.approx(90.0, abs=0.05)
    assert beam.beamwidth("H") is None


def test_over_a_plane_nothing_is_said_of_the_lower_half(dipole):
    whip = es.Wire("whip", [(0, 0, 0), (0, 0, 0.25)], radius=1e-3)
    antenna = es.Antenna("whip", [whip], [es.Port("foot", on="whip", at=0)], es.perfect_plane())
    beam = es.solve(antenna, ONE_METRE).drive().far_field()
    assert beam.front_to_back == pytest.approx(0.0, abs=1e-9)
    assert beam.summary().loc["front-to-back ratio", "remark"] == "as high on the other side"
    assert beam.front_to_rear() is None
    assert beam.summary().loc["front-to-rear ratio", "remark"] == "not defined over an infinite plane"
    assert beam.beamwidth("E") is None
    assert float(beam.intensity(2.0, 0.0)) == 0.0
    assert beam.cut(azimuth="0 deg").angle.values.min() == 0.0
    with pytest.raises(es.UsageError, match="outside 0"):
        beam.cut(elevation="-5 deg")


def test_a_frequency_that_was_not_solved_is_solved_aloud(dipole, caplog):
    answer = es.solve(dipole, ["140 MHz", "160 MHz"])
    driven = answer.drive(frequency="150 MHz")
    assert "150 MHz was not among the solved frequencies" in caplog.text
    direct = es.solve(dipole, "150 MHz").drive()
    assert driven.currents[0] == pytest.approx(direct.currents[0], rel=2e-3)
    with pytest.raises(es.UsageError, match="above the highest"):
        answer.drive(frequency="170 MHz")


def test_two_drives_at_one_unsolved_frequency_solve_once(dipole, caplog, monkeypatch):
    from earshot.answers import solution

    answer, counted = es.solve(dipole, ["140 MHz", "160 MHz"]), []
    plain = solution.respond
    monkeypatch.setattr(solution, "respond", lambda *a, **k: counted.append(a) or plain(*a, **k))
    drives = [answer.drive(es.watts(power), "150 MHz") for power in (1, 4, 9)]
    assert len(counted) == caplog.text.count("solving it too") == 1
    assert abs(drives[2].currents[0] / drives[0].currents[0]) == pytest.approx(3.0)
    for n in range(20):
        answer.drive(frequency=141e6 + 1e5 * n)
    answer.drive(frequency="150 MHz")
    assert len(counted) == 22


@pytest.mark.parametrize(
    ("call", "says"),
    [
        (lambda a: es.solve(a), "no frequency was given"),
        (lambda a: es.solve(a, []), "no frequency was given"),
        (lambda a: es.solve(a, 0), "not above zero"),
        (lambda a: es.solve(a, float("nan")), "finite"),
        (lambda a: es.solve(a, "150 m"), "is a length"),
        (lambda a: es.band("160 MHz", "150 MHz", 3), "runs backwards"),
        (lambda a: es.band("150 MHz", "160 MHz", 1), "from 2 to 100,001"),
        (lambda a: es.solve(a, "150 MHz").drive({"fed": es.watts(1)}), "did you mean 'feed'"),
        (lambda a: es.solve(a, "150 MHz").drive({"feed": 1}), "use volts"),
        (lambda a: es.solve(a, "150 MHz").drive(es.volts(0)).far_field(), "accepts 0 W"),
        (lambda a: es.solve(pair(0.4, 1e-3, 6, dx=0.3), ONE_METRE).drive(), "say which are driven"),
        (lambda a: es.solve(a.without("feed"), "150 MHz"), "has no port"),
        (lambda a: es.watts(-1), "not below zero"),
        (lambda a: es.MeshRule(growth=-1), "outside 0 to 10"),
    ],
)
def test_mistakes_are_named_with_their_cure(dipole, call, says):
    with pytest.raises(es.EarshotError, match=says):
        call(dipole)


def test_a_grid_of_directions_is_the_same_as_its_directions_one_by_one():
    """Grids go through a trigonometric polynomial, single directions through the sum itself."""
    for antenna in (BEAM.moved((3, -2, 5)), BEAM.rotated("90 deg", "x").raised(1).over(es.perfect_plane())):
        beam = es.solve(antenna, ONE_METRE).drive().far_field()
        theta, phi = np.radians(np.linspace(0, 180, 61)), np.radians(np.arange(0, 360, 5.0))
        grid = np.array(beam.field(theta[:, None], phi))
        single = np.array(beam.field(*np.meshgrid(theta, phi, indexing="ij")))
        assert np.abs(grid - single).max() < 1e-8 * np.abs(single).max()


def test_named_cases_on_one_solution():
    """An element in use while the other is open, shorted, or carries something measured: one solve, three cases."""
    answer = es.solve(pair(0.48, 1e-3, 6, dx=0.2), ["290 MHz", "300 MHz"])
    measured = es.circuits.impedance([20 + 5j, 30 - 5j], [280e6, 310e6])
    found = answer.run(
        es.Case("open", {"one": es.watts(1)}, ("300 MHz",), terminations={"two": es.circuits.open_circuit()}),
        es.Case("shorted", {"one": es.watts(1)}, ("300 MHz",), terminations={"two": 0}),
        es.Case("measured", {"one": es.watts(1)}, terminations={"two": measured}),
    )
    assert [len(runs) for runs in found.values()] == [1, 1, 2]
    with pytest.raises(es.UsageError, match="two cases are named 'a'"):
        answer.run(es.Case("a"), es.Case("a"))
    assert abs(found["open"][0].currents[1]) < 1e-15
    assert abs(found["shorted"][0].voltages[1]) < 1e-15
    last = found["measured"][1]
    assert last.voltages[1] / last.currents[1] == pytest.approx(-measured.at(300e6))
    z = answer.network.z().values[1]
    active = z[0, 0] - z[0, 1] ** 2 / (z[1, 1] + measured.at(300e6))
    assert last.ports_table().loc["one", "active_impedance_ohm"] == pytest.approx(active)
