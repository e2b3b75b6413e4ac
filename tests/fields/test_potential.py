"""The voltage along wires: its slope and the vector potential leave a tangential field in the port's gap alone."""

import numpy as np
import pytest

import earshot as es
from earshot.fields.potential import wire_potential
from earshot.runs.questions import Asked, ask

MU = 4e-7 * np.pi


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


@pytest.mark.parametrize(("height", "medium"), [(0.0, "free space"), (0.3, "perfect plane"), (0.0, "perfect plane")])
@pytest.mark.parametrize("at", [0.2, 0.35, 0.6])
def test_it_jumps_by_the_port_voltage_and_else_balances_the_vector_potential(height, medium, at):
    place = es.free_space() if medium == "free space" else es.perfect_plane()
    wire = es.Wire("w", [(0, 0, height), (0, 0, height + 0.6)], radius="1 mm")
    answer = es.solve(es.Antenna("a", [wire], [es.Port("p", "w", at=at)], place), "299.8 MHz")
    flow = answer.drive({"p": es.volts(1.0)}).flow
    volts, along = wire_potential(flow), flow.mesh.arc.mean(axis=1)
    a = vector_potential(flow, medium != "free space")
    step = -np.diff(volts) - 2j * np.pi * flow.frequency * 0.5 * (a[1:] + a[:-1]) * np.diff(along)
    middle = 0.5 * (along[1:] + along[:-1])
    # Within the last radii of a wire its end is no thin wire.
    inner = (middle > 0.02) & (middle < 0.58)
    gap = np.abs(middle - at * 0.6) < 0.01
    assert abs(step[inner & gap].sum()) == pytest.approx(1.0, rel=0.03)
    assert np.abs(step[inner & ~gap].sum()) < 0.02


def test_it_is_asked_for_and_refused_where_it_is_not_known(tmp_path):
    wire = es.Wire("w", [(0, 0, 1), (0, 0, 2)], radius="1 mm")
    over = es.Antenna("a", [wire], [es.Port("p", "w")])
    run = es.open_run(es.write(es.solve(over, "150 MHz"), tmp_path / "a.nc"))
    table = ask(run, "voltage", Asked())
    tips = table.groupby("wire")["voltage_V"].agg(["first", "last", "min"])
    assert (tips["first"] > 3 * tips["min"]).all()
    flat = es.open_run(es.write(es.solve(over.over(es.earth("sea")), "150 MHz"), tmp_path / "b.nc"))
    with pytest.raises(es.UsageError, match="over sea"):
        ask(flat, "voltage", Asked())
