"""A mesh refined until it is fine enough, held against one much finer."""

import numpy as np
import pytest

import earshot as es
from earshot.answers import fine_enough

COARSE = es.MeshRule(per_wavelength=20.0, least=4.0, growth=1.5, port_share=1.0)


@pytest.mark.parametrize("seed", range(4))
def test_errors_are_within_what_was_asked(seed):
    rng = np.random.default_rng(seed)
    long, thick = rng.uniform(0.3, 0.9), rng.uniform(0.5e-3, 2e-3)
    antenna = es.Antenna(
        "a", [es.Wire("w", [(0, 0, -long / 2), (0.1, 0, long / 2)], radius=thick)], [es.Port("p", "w", gap=0.02)]
    )
    found = fine_enough(antenna, 300e6, ["1 %", "0.02 dB"], rule=COARSE)
    assert found.met
    assert found.steps["impedance_percent"].iloc[-1] <= 1.0
    assert found.steps["unknowns"].is_monotonic_increasing
    z, fine = (
        es.solve(antenna, 300e6, rule=rule).network.impedance().values[0, 0]
        for rule in (found.rule, es.MeshRule(per_wavelength=160.0))
    )
    assert abs(z - fine) < 0.01 * abs(fine)


def test_what_cannot_be_reached_is_said(run, tmp_path, monkeypatch):
    monkeypatch.setattr("earshot.answers.accuracy._STEPS", 2)
    wire = es.Wire("w", [(0, 0, -0.2), (0, 0, 0.2)], radius=1e-3)
    antenna = es.Antenna("a", [wire], [es.Port("p", "w")])
    far = fine_enough(antenna, 300e6, ["0.002 %"])
    assert not far.met
    assert "no nearer than" in far.words
    path = es.write(antenna, tmp_path / "a.toml", frequency=300e6)
    status, _, err = run("solve", path, "--within", "2 %")
    assert status == 0
    assert "within" in err
    assert run("solve", path, "--within", "0.002 %")[0] == 1
    assert run("solve", path, "--within", "2 ohm")[0] == 2
    assert "no mesh is surer" in run("solve", path, "--within", "1e-9 %")[2]
