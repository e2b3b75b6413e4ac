"""The voltage along wires: level where all is small, else balanced by the vector potential."""

import numpy as np
import pytest

import earshot as es
from earshot import shapes
from earshot.runs.questions import Asked, ask

MU = 4e-7 * np.pi
MEDIA = {
    "open": es.free_space(),
    "plane": es.perfect_plane(),
    "sea": es.earth("sea"),
    "rock": es.earth("rock"),
    "board": es.substrate("1.6 mm", 4.4),
    "thick open board": es.substrate("8 mm", 3.0, open_below=True),
}


def volts_along(solution, port):
    table = solution.drive({port: es.volts(1.0)}).potential_table()
    return table.assign(volts=table["voltage_V"] * np.exp(1j * np.radians(table["phase_deg"])))


@pytest.mark.parametrize("medium", MEDIA)
@pytest.mark.parametrize("seed", [1, 2])
def test_at_low_frequency_every_conductor_has_one_voltage_and_the_port_parts_them(medium, seed):
    """A plate with a fed mast and a bare one, level, tilted or printed; a wire by itself floats between."""
    rng, place = np.random.default_rng(seed), MEDIA[medium]
    printed = place.thickness > 0.0 and seed == 1
    top = place.thickness + (0.0 if printed else rng.uniform(0.02, 0.1))
    size = 0.1
    plate = es.Sheet("plate", shapes.plate(size, rng.uniform(0.5, 1.0) * size, centre=(0, 0, top)))
    high, lean = top + rng.uniform(0.05, 0.2), rng.uniform(-0.02, 0.02)
    wires = [
        es.Wire("fed", [(0.02, 0.01, top), (0.02 + lean, 0.01, high)], radius="0.5 mm"),
        es.Wire("bare", [(-0.02, 0, top), (-0.02, lean, high)], radius="0.3 mm"),
        es.Wire("loose", [(0.2, -0.1, top + 0.03), (0.2, 0.1, top + 0.05)], radius="1 mm"),
    ]
    antenna = es.Antenna("a", wires, [es.Port("p", "fed", at=0, gap="1 mm")], place, sheets=[plate])
    table = volts_along(es.solve(antenna, "3 MHz"), "p")
    level = {}
    for name, group in table.groupby("wire"):
        # Beyond the port, and where a foot's charge is not yet spread on its sheet.
        inner = group[(group["along_m"] > 0.004) & (group["along_m"] < group["along_m"].max() - 0.002)]
        level[name] = inner["volts"].mean()
        assert np.abs(inner["volts"] - level[name]).max() < 0.01
    assert level["fed"] - level["bare"] == pytest.approx(1.0, abs=0.01)
    assert abs(level["loose"]) < 0.3


def vector_potential(flow, mirrored):
    """Along a straight upright wire, by plain sums over thirty points of every segment."""
    mesh = flow.mesh
    shares = (np.arange(30) + 0.5) / 30
    total = np.zeros(len(mesh), complex)
    for sign in (1.0, -1.0) if mirrored else (1.0,):
        for share in shares:
            z = sign * (mesh.starts[:, 2] + share * mesh.lengths)
            current = (1 - share) * flow.ends[:, 0] + share * flow.ends[:, 1]
            away = np.hypot(mesh.centres[:, 2][:, None] - z, mesh.radii[:, None])
            total += (np.exp(-1j * flow.wavenumber * away) / away) @ (current * mesh.lengths / 30)
    return MU / (4 * np.pi) * total


@pytest.mark.parametrize(("height", "medium"), [(0.0, "open"), (0.3, "plane"), (0.0, "plane")])
@pytest.mark.parametrize("at", [0.2, 0.35, 0.6])
def test_it_jumps_by_the_port_voltage_and_else_balances_the_vector_potential(height, medium, at):
    wire = es.Wire("w", [(0, 0, height), (0, 0, height + 0.6)], radius="1 mm")
    answer = es.solve(es.Antenna("a", [wire], [es.Port("p", "w", at=at)], MEDIA[medium]), "299.8 MHz")
    flow, table = answer.drive({"p": es.volts(1.0)}).flow, volts_along(answer, "p")
    along = table["along_m"].to_numpy()
    a = vector_potential(flow, medium == "plane")
    step = -np.diff(table["volts"]) - 2j * np.pi * flow.frequency * 0.5 * (a[1:] + a[:-1]) * np.diff(along)
    middle = 0.5 * (along[1:] + along[:-1])
    gap, inner = np.abs(middle - at * 0.6) < 0.01, (middle > 0.02) & (middle < 0.58)
    assert abs(step[inner & gap].sum()) == pytest.approx(1.0, rel=0.03)
    assert np.abs(step[inner & ~gap].sum()) < 0.02


def test_it_is_asked_for_and_refused_where_there_is_none(tmp_path):
    wire = es.Wire("w", [(0, 0, 1), (0, 0, 2)], radius="1 mm")
    over = es.Antenna("a", [wire], [es.Port("p", "w")], es.earth("sea"))
    run = es.open_run(es.write(es.solve(over, "150 MHz"), tmp_path / "a.nc"))
    tips = ask(run, "voltage", Asked()).groupby("wire")["voltage_V"].agg(["first", "last", "min"])
    assert (tips["first"] > 3 * tips["min"]).all()
    patch = es.antennas.patch("2.4 GHz")
    with pytest.raises(es.UsageError, match="none in the air"):
        es.solve(patch, "2.4 GHz").drive().potential_table()
