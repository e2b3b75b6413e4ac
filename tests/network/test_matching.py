"""Circuits that match: every way leads to what was wished; with what can be bought, as near as that is."""

import json
import math

import numpy as np
import pytest

import earshot as es
from earshot.circuits import Stock, matches

HERTZ = 1e8


def load_of(z):
    return es.circuits.Network(np.array([HERTZ]), np.array([[[1 / z]]]), ("p",), np.array([50.0 + 0j]))


def ladder(parts, z, ohms):
    """What a ladder of words, from the antenna on, makes of an impedance: read off the words themselves."""
    omega = 2 * math.pi * HERTZ
    for words in reversed(parts):
        amount, unit, *_, where = words.split(" ")
        size = float(amount) * {"p": 1e-12, "n": 1e-9, "µ": 1e-6, "m": 1e-3, "f": 1e-15}.get(unit[:-1], 1.0)
        x = 1j * omega * size if unit[-1] == "H" else 1 / (1j * omega * size)
        z = z + x if where == "series" else 1 / (1 / z + 1 / x)
    return z


@pytest.mark.parametrize("seed", range(30))
def test_every_way_leads_there(seed):
    rng = np.random.default_rng(seed)
    z = complex(10 ** rng.uniform(0, 3), rng.uniform(-500, 500))
    to = complex(10 ** rng.uniform(0.5, 2.5), 0 if seed % 2 else rng.uniform(-100, 100))
    found = matches(load_of(z), HERTZ, to, q=rng.uniform(3, 12), sections=int(rng.integers(1, 5)))
    kinds = [m.kind for m in found]
    assert kinds.count("two parts") in (2, 4)
    assert kinds.count("quarter waves") == (2 if to.imag == 0 else 0)
    for m in found:
        assert abs(m.reflection) < 1e-9
        assert m.loss < 1e-9
        if m.kind == "two parts":
            # The words have three digits.
            seen = ladder(m.parts, z, to.real)
            assert abs((seen - to) / (seen + to.conjugate())) < 0.01 * (3 + abs(z) / z.real + abs(to) / to.real)


def test_more_sections_are_wider_and_parts_that_can_be_bought_are_near():
    f = np.linspace(0.5e8, 1.5e8, 201)
    network = es.circuits.Network(
        f, np.full((201, 1, 1), 1 / 200 + 0j), ("p",), np.array([50.0 + 0j]), spans=((f[0], f[-1]),)
    )
    wide = []
    for n in (1, 2, 4):
        best = max((m for m in matches(network, HERTZ, sections=n) if m.kind == "quarter waves"),
                   key=lambda m: m.network.bandwidth(vswr=1.2)["width_Hz"].max())  # fmt: skip
        wide.append(best.network.bandwidth(vswr=1.2)["width_Hz"].max())
    assert wide[0] < wide[1] < wide[2]
    # What wants a part to ground alone, or none.
    for z in (1 / (0.02 + 0.01j), 50.0, 50 + 30j):
        assert all(abs(m.reflection) < 1e-9 for m in matches(load_of(z), HERTZ, q=3.0))
    # A quarter wave of 100 ohm between 50 and 200, off its middle (Pozar 2012, eq. 5.33).
    one = next(m for m in matches(network, HERTZ) if m.parts == ("749.5 mm of line, 100 ohm",))
    t = np.tan(0.5 * math.pi * f / HERTZ)
    seen = 100 * (200 + 100j * t) / (100 + 200j * t)
    np.testing.assert_allclose(one.network.impedances[:, 0], seen, rtol=1e-9)
    stock = Stock("E24", coil_q=100, capacitor_q=500)
    bought = [m for m in matches(load_of(20 - 30j), HERTZ, stock=stock) if m.kind == "two parts"]
    assert all(1e-9 < abs(m.reflection) < 0.3 and 0.0 < m.loss < 0.5 for m in bought)
    assert Stock("E12").nearest(3.6e-9) == pytest.approx(3.9e-9)
    assert Stock("E96").nearest(1.019) == pytest.approx(1.02)
    for value in np.geomspace(1e-15, 1e3, 97):
        for name, worst in (("E6", 0.21), ("E12", 0.11), ("E24", 0.06), ("E96", 0.016)):
            assert abs(Stock(name).nearest(value) / value - 1) < worst


def test_the_command(run, tmp_path, demo_path):
    status, out, err = run("match", demo_path, "--to", "75 ohm", "--q", "4", "--values", "E12", "--coil-q", "80",
                           "--out", tmp_path / "m")  # fmt: skip
    assert status == 0
    assert "from the input on" in out
    assert "files written" in err
    assert (tmp_path / "m/vswr.png").stat().st_size > 20_000
    told = json.loads(run("match", demo_path, "--to", "75", "--json")[1])["ways"]
    one = es.read_network(tmp_path / "m/match-1.s1p")
    assert abs(one.s().sel(frequency=150.1e6, method="nearest").item()) < 1e-3
    assert {way["way"] for way in told} == {"two parts", "line and stub", "quarter waves"}
    assert all(way["return_loss_dB"] > 60 for way in told)
    for words, says in (
        (["--to", "-5"], "no resistance above zero"), (["--to", "abc"], "write it like"), (["--values", "E13"], "E24"),
        (["--coil-q", "0"], "not above zero"), (["--q", "-1"], "not above zero"), (["--sections", "0"], "1 to 12"),
        (["--port", "x"], "no port 'x'"), (["--velocity", "2"], "0 to 1"),
        (["-f", "1 MHz", "-f", "2 MHz"], "one frequency"),
    ):  # fmt: skip
        status, _, err = run("match", demo_path, *words)
        assert status == 2
        assert says in err
    assert "at 151.03 MHz" in run("match", demo_path, "-f", "151.03 MHz")[1]
    assert run("solve", demo_path, "--out", tmp_path / "s")[0] == 0
    results = tmp_path / "s/results.nc"
    assert "from the input on" in run("match", results, "--to", "53")[1]
    status, _, err = run("match", results, "-f", "151.03 MHz")
    assert (status, "nearest is 151 MHz" in err) == (2, True)
    status, _, err = run("match", demo_path.with_name("uplink_patch.toml"))
    assert (status, "4 ports (first" in err) == (2, True)
