"""A circuit in front of an antenna: power, beams, saturation, noise, from Python and from design files."""

import json
import math

import numpy as np
import pytest

import earshot as es
from earshot.circuits import Circuit, Feed, Placed, Receiver, amplifier, attenuator, divider, line, phase_shifter

HERTZ = 150.1e6
ROD = """
[wire.rod]
radius = "4 mm"
points = ["0, 0, -0.472 m", "0, 0, 0.472 m"]
[port.feed]
on = "rod"
reference = "75 ohm"
"""
HEAD = 'title = "line"\nfrequency = "150.1 MHz"\n'
ROW = """
[array.line]
count = 4
spacing = "apart"
axis = "y"
"""


def row_text(more):
    values = '[values]\napart = "0.5 lambda"\nsteer = "0 deg"\nlost = { is = 0, from = 0, to = 6 }\n'
    return HEAD + values + ROD + ROW + more


CIRCUIT = """
[circuit]
inputs = ["b1", "b2", "b3", "b4"]
reference = "75 ohm"
[circuit.part.matrix]
beam_matrix = { elements = 4, impedance = "75 ohm" }
nodes = ["b1", "b2", "b3", "b4", "o1", "o2", "o3", "o4"]
[circuit.part.shift]
count = "elements"
phase_shifter = { angle = "360 deg * y * sin(steer) / (1 lambda)", loss = "lost", impedance = "75 ohm" }
nodes = ["o#", "e#_feed"]
"""
CASES = """
[case.one]
power = { b2 = "1 W" }
[case.both]
power = { b2 = "1 W", b3 = "2 W" }
phase = { b3 = "40 deg" }
set = { steer = ["0 deg", "15 deg"] }
"""


@pytest.fixture(scope="module")
def rods():
    rod = es.antennas.dipole("150.1 MHz").antenna
    return es.solve(es.arrays.repeated(rod, es.arrays.line(3, 0.9)), HERTZ)


@pytest.fixture(scope="module")
def fed_file(tmp_path_factory):
    path = tmp_path_factory.mktemp("fed") / "line.toml"
    path.write_text(row_text(CIRCUIT + CASES))
    return path


@pytest.fixture(scope="module")
def run(fed_file):
    return es.run(fed_file)


def feed_of(rods, sources, **parts):
    ports = [p.name for p in rods.antenna.ports]
    some = {"split": Placed(divider(3), ["in", "a", "b", "c"])}
    for n, (node, port) in enumerate(zip("abc", ports, strict=True)):
        some[f"shift {n}"] = Placed(parts.get("each", phase_shifter(50 * n, loss=0.7)), [node, port])
    return Feed(Circuit(some, ["in", *ports]), sources)


def test_power_closes_and_antenna_takes_what_it_is_sent(rods):
    driven = rods.drive(feed_of(rods, {"in": es.watts(2)}))
    flow = driven.feed
    assert flow.power_sent == pytest.approx(2)
    back = float((abs(flow.returned) ** 2).sum())
    assert flow.budget().sum() == pytest.approx(2 - back, rel=1e-9)
    assert flow.budget()["antenna"] == pytest.approx(driven.accepted, rel=1e-9)


def test_direct_drive_and_matched_circuit_agree(rods):
    """Isolated outputs and matched shifters send known waves; what comes back ends in them."""
    driven = rods.drive(feed_of(rods, {"in": es.watts(1)}))
    size = 10 ** (-0.7 / 10) / 3
    plain = {p.name: es.watts(size, phase=f"{-50 * n} deg") for n, p in enumerate(rods.antenna.ports)}
    assert np.abs(driven.voltages - rods.drive(plain).voltages).max() < 1e-9


def test_a_state_of_a_shifter_may_be_wrong():
    """Set to the nearest of sixteen, 45 degrees, and two too many."""
    s = phase_shifter("50 deg", bits=4, error=2).scattering(np.array([HERTZ]), 50.0)[0]
    assert np.degrees(np.angle(s[1, 0])) == pytest.approx(-47)


def test_ports_left_alone_are_closed_as_told(rods):
    names = [p.name for p in rods.antenna.ports]
    one = Feed(Circuit({"pad": Placed(attenuator(1), ["in", names[0]])}, ["in", names[0]]), {"in": es.watts(1)})
    shut = {names[1]: es.circuits.short_circuit(), names[2]: 20 + 5j}
    told = rods.drive(one, terminations=shut)
    assert abs(told.voltages[1]) < 1e-9
    assert told.voltages[2] / told.currents[2] == pytest.approx(-(20 + 5j))
    direct = rods.drive({names[0]: es.volts(complex(told.voltages[0]))}, terminations=shut)
    assert np.abs(told.currents - direct.currents).max() < 1e-9 * np.abs(told.currents).max()


@pytest.mark.parametrize("drive_dBm", [-10, 10, 30])
def test_saturation_is_that_of_the_amplifier_alone(rods, drive_dBm):
    most = 0.5
    watts = 1e-3 * 10 ** (drive_dBm / 10)
    driven = rods.drive(feed_of(rods, {"in": es.watts(watts)}, each=amplifier(20, saturated=most)))
    linear = 100 * watts / 3
    wave = linear / math.sqrt(1 + (linear / most) ** 2)
    out = driven.feed.levels().loc[("shift 1", "out"), "out_W"]
    assert out == pytest.approx(wave, rel=1e-9)
    assert driven.feed.compressed["shift 1"] == pytest.approx(10 * math.log10(wave / linear), abs=1e-8)
    free = rods.drive(feed_of(rods, {"in": es.watts(watts)}, each=amplifier(20, saturated=most)).linear)
    assert free.feed.levels().loc[("shift 1", "out"), "out_W"] == pytest.approx(linear, rel=1e-9)


def test_passive_circuits_at_room_temperature_give_room_temperature(rods):
    """Whatever is joined: noise out and what the output's own closing sends back make 290 K."""
    rng = np.random.default_rng(4)
    names = [p.name for p in rods.antenna.ports]
    for _ in range(5):
        parts = {
            "split": Placed(divider(rng.uniform(0.2, 1, 3).tolist(), isolated=bool(rng.integers(2))), ["out", *"abc"])
        }
        for n, (node, port) in enumerate(zip("abc", names, strict=True)):
            kind = es.circuits.LineType(float(rng.uniform(30, 150)), 0.8, float(rng.uniform(0, 2)))
            parts[f"l{n}"] = Placed(line(kind, float(rng.uniform(0, 2))), [node, port])
        circuit = Circuit(parts, ["out", *names])
        heard = Receiver(circuit, "out").heard(rods.network)
        seen = Feed(circuit, {"out": es.watts(1)}).solved(rods.network).matrices[0, 0, 0]
        assert heard.noise + 290 * abs(seen) ** 2 == pytest.approx(290, rel=1e-6)
        # What is passive radiates no more than it is sent: EIRP over that is at most gain, gain at most directivity.
        told = es.compare({"a": rods}, Feed(circuit, {"out": es.watts(1)}))["a"]
        assert told["EIRP over power sent"] <= told["gain"] + 1e-9
        assert told["gain"] <= told["directivity"] + 1e-3


def test_chain_of_amplifiers_has_the_noise_of_friis(rods):
    """One rod, nothing in between: T = T1 + T2/G1 (Friis 1944), and G/T by the gain towards the peak."""
    name = rods.antenna.ports[0].name
    gains, figures = (17.0, 9.0), (1.3, 4.0)
    parts = {
        "first": Placed(amplifier(gains[0], noise_figure=figures[0]), [name, "m"]),
        "second": Placed(amplifier(gains[1], noise_figure=figures[1]), ["m", "out"]),
    }
    driven = rods.drive(Receiver(Circuit(parts, ["out", name]), "out", temperature=0.0))
    first, second = (290 * (10 ** (f / 10) - 1) for f in figures)
    g1, g2 = (10 ** (g / 10) for g in gains)
    assert driven.heard.noise == pytest.approx((first + second / g1) * g1 * g2, rel=1e-9)
    table = es.compare({"a": rods}, Receiver(Circuit(parts, ["out", name]), "out", temperature=50.0))["a"]
    beam = rods.drive({name: es.watts(1)}).far_field()
    theta, phi = driven.far_field().peak
    realized = beam.realized_gain(theta, phi)
    s = rods.network.s().values[0]
    # Of what all rods see, and of what closes the others, which is as warm.
    sky = 50 * (1 - abs(s[0, 0]) ** 2)
    assert table["G/T"] == pytest.approx(10 * math.log10(realized / (first + second / g1 + sky)), abs=1e-6)


def test_receiving_beam_is_the_sending_beam_of_a_reciprocal_circuit(rods):
    feed = feed_of(rods, {"in": es.watts(1)})
    sent, heard = (rods.drive(x).far_field() for x in (feed, Receiver(feed.circuit, "in")))
    theta, phi = np.radians([20, 70, 90, 140]), np.radians([10, 100, 200, 300])
    assert sent.gain(theta, phi) == pytest.approx(heard.gain(theta, phi), rel=1e-9)


def test_a_file_makes_cases_of_states(run):
    assert [one.case.name for one in run.cases] == ["one", "both, steer = 0 deg", "both, steer = 15 deg"]
    plain, turned = (one.driven.voltages for one in run.cases[1:])
    # The matched matrix sends the same; shifters differ by k y sin(15 deg), in the middle of the line by nothing.
    y = np.array([-1.5, -0.5, 0.5, 1.5]) * 0.5
    s = run.solution.network.s().values[0]
    waves = [np.linalg.solve(np.eye(4) + s, v) for v in (plain, turned)]
    step = np.angle(waves[1] / waves[0] * np.exp(2j * np.pi * y * math.sin(math.radians(15))))
    assert np.abs(step).max() < 1e-9


def test_results_keep_the_circuit(run, tmp_path):
    run.write(tmp_path)
    again = es.open_run(tmp_path / "results.nc")
    for before, after in zip(run.cases, again.cases, strict=True):
        assert before.case.name == after.case.name
        assert np.abs(before.driven.voltages - after.driven.voltages).max() < 1e-12


def test_inputs_are_figures_of_studies(fed_file, tmp_path):
    """Effects and goals know what is seen at an input, and the antenna is not solved again for its circuit."""
    study = es.studies.vary(es.read_design(fed_file), ["lost=0; 3"])
    seen = study.table.set_index("lost")
    assert seen["EIRP"].iloc[0] - seen["EIRP"].iloc[1] == pytest.approx(3, abs=1e-6)
    tuned = es.studies.tune(es.read_design(fed_file), ["lost"], ["EIRP over power sent = 5"])
    assert tuned.met


def test_command_tells_and_writes(fed_file, tmp_path, capsys):
    from earshot.views.commands.app import main

    assert main(["circuit", str(fed_file), "--out", str(tmp_path / "o")]) == 0
    told = capsys.readouterr().out
    assert "beams at 150.1 MHz" in told
    assert "shift, 4 alike" not in told  # without loss they keep nothing
    files = {p.name for p in (tmp_path / "o").iterdir()}
    assert {"beams.csv", "inputs.csv", "parts.csv", "levels.csv", "circuit.png", "power.png"} <= files
    seen = es.read_network(tmp_path / "o" / "inputs.s4p").s().values[0]
    flow = es.run(fed_file).cases[0].driven.feed
    assert seen[:, 1] == pytest.approx(flow.returned, abs=1e-9)
    assert main(["circuit", str(fed_file), "--set", "lost=1", "--json"]) == 0
    content = json.loads(capsys.readouterr().out)
    kept = sum(row["power_W"] for row in content["parts"] if row["case"].startswith("one") and "shift" in row["part"])
    assert kept == pytest.approx(1 - 10**-0.1, rel=0.15)
    assert main(["check", str(fed_file)]) == 0
    assert main(["ask", str(fed_file), "beams", "--case", "one"]) == 0


def test_results_of_one_antenna_keep_what_cases_set(tmp_path):
    path = tmp_path / "one.toml"
    values = "[values]\nlost = { is = 0, from = 0, to = 6 }\n"
    circuit = '[circuit]\ninputs = ["in"]\n[circuit.part.pad]\nattenuator = { loss = "lost" }\nnodes = ["in", "feed"]\n'
    path.write_text(HEAD + values + ROD + circuit + '[case.a]\npower = { in = "1 W" }\nset = { lost = [0, 3] }\n')
    run = es.run(path)
    run.write(tmp_path)
    sent = [[one.driven.accepted for one in r.cases] for r in (run, es.open_run(tmp_path / "results.nc"))]
    assert sent[0] == pytest.approx(sent[1], rel=1e-12)
    assert sent[0][1] < 0.52 * sent[0][0]


RECEIVER = """
[circuit]
inputs = ["rx"]
[circuit.part.low_noise]
amplifier = { gain = 20, noise_figure = 1 }
nodes = ["feed", "m"]
[circuit.part.cable]
line = { coaxial = { inner = "1 mm", outer = "3.5 mm", permittivity = 2.1 }, length = "12 m", attenuation = 0.1 }
nodes = ["m", "rx"]
[case.heard]
receive = "rx"
noise_temperature = 100
"""


def test_a_file_that_listens(tmp_path, capsys):
    from earshot.views.commands.app import main

    path = tmp_path / "rx.toml"
    path.write_text(HEAD + ROD + RECEIVER)
    assert main(["circuit", str(path), "--json"]) == 0
    (row,) = json.loads(capsys.readouterr().out)["reception"]
    assert row["of_circuit_K"] == pytest.approx(75.1 * 100 * 10**-0.12 + 290 * (1 - 10**-0.12), rel=0.02)
    assert row["G_over_T_dB_per_K"] == pytest.approx(row["gain_to_output_dB"] - 10 * math.log10(row["noise_K"]))


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('count = "elements"', "count = 0", "outside 1 to"),
        ('count = "elements"', 'count = "rows"', "is no number"),
        ('"e#_feed"]', '"e#_fed"]', "no part is joined to a port of the antenna"),
        ("elements = 4,", "elements = 3,", "2, 4, 8"),
        ('"o1", "o2"', '"o2", "o1b"', "has one end"),
        ('inputs = ["b1",', 'inputs = ["b9", "b1",', "'b9'"),
        ('inputs = ["b1",', 'inputs = ["e1_feed", "b1",', "is a port of the antenna"),
        ("phase_shifter = {", "phase_shfter = {", "did you mean 'phase_shifter'"),
        ('loss = "lost"', "loss = -1", "below zero"),
        ('loss = "lost"', "loss = [0, 1]", "give one for each"),
        ('power = { b2 = "1 W" }', 'power = { b2 = "1 W", e1_feed = "1 W" }', "keep one"),
        ('power = { b2 = "1 W" }', 'voltage = { b2 = "1 V" }', "inputs take power"),
        ('power = { b2 = "1 W" }', 'power = { b7 = "1 W" }', "b7"),
        ('set = { steer = [', 'set = { apart = ["0.4 m"], steer = [', "shapes the antenna"),
        ('set = { steer = [', 'set = { stear = [', "did you mean 'steer'"),
        ('set = { steer = ["0 deg", "15 deg"]', "set = { steer = []", "the list is empty"),
        ('set = { steer = [', "set = { lost = 7, steer = [", "outside its range"),
        ('reference = "75 ohm"\n[circuit.part', 'reference = "0 ohm"\n[circuit.part', "not above zero"),
        ('[circuit.part.matrix]', '[circuit.part.matrix]\nuse = "four"', "exactly one key"),
        ('beam_matrix = { elements = 4, impedance = "75 ohm" }', 'use = "four"', "four"),
        ('beam_matrix = { elements = 4, impedance = "75 ohm" }', 'file = "none.s4p"', "none.s4p"),
        ('nodes = ["o#", "e#_feed"]', 'nodes = ["o#"]', "give one each"),
        ("[case.one]", '[case.one]\nreceive = "b1"', "keep one"),
    ],
)  # fmt: skip
def test_wrong_words_are_told_with_their_place(tmp_path, old, new, says):
    text = row_text(CIRCUIT + CASES)
    assert old in text
    path = tmp_path / "wrong.toml"
    path.write_text(text.replace(old, new, 1))
    with pytest.raises(es.errors.EarshotError, match=r"wrong\.toml: ") as problem:
        es.read_design(path)
    assert says in str(problem.value)


def test_composed_parts_of_files(tmp_path):
    """A tree with shares and a matrix of hybrids feed as their ideal likes do."""
    path = tmp_path / "composed.toml"
    path.write_text(row_text(CIRCUIT + CASES).replace("beam_matrix = {", 'hybrid_matrix = { frequency = "150.1 MHz",'))
    ideal = tmp_path / "ideal.toml"
    ideal.write_text(row_text(CIRCUIT + CASES))
    one, other = (np.abs(es.run(p).cases[0].driven.voltages) for p in (path, ideal))
    assert one == pytest.approx(other, rel=1e-6)
    tree = CIRCUIT.replace("beam_matrix = { elements = 4,", "divider_tree = { shares = [1, 4, 4, 1],")
    tree = tree.replace('"b1", "b2", "b3", "b4"', '"b2"')
    path.write_text(row_text(tree + CASES.partition("[case.both]")[0]))
    flow = es.run(path).cases[0].driven.feed
    sent = [flow.levels().loc[(f"shift {n}", "one"), "into_W"] for n in (1, 2, 3, 4)]
    assert sent == pytest.approx([0.1, 0.4, 0.4, 0.1], rel=0.2)


def test_touchstone_parts(tmp_path, capsys):
    """A file's S as it stands, even where it has no admittance; refused outside, and with other ports than nodes."""
    from earshot.views.commands.app import main

    text = "! port 1: in\n! port 2: out\n# MHz S RI R 50\n140 0 0 0.5 0 0.5 0 0 0\n160 0 0 0.5 0 0.5 0 0 0\n"
    (tmp_path / "pad.s2p").write_text(text)
    body = '[circuit]\ninputs = ["in"]\n[circuit.part.pad]\nfile = "pad.s2p"\nnodes = ["in", "feed"]\n'
    case = '[case.a]\npower = { in = "1 W" }\n'
    path = tmp_path / "pad.toml"
    path.write_text(HEAD + ROD + body + case)
    run = es.run(path)
    assert run.cases[0].driven.feed.levels().loc[("pad", "in"), "into_W"] == pytest.approx(1)
    (tmp_path / "o").mkdir()
    run.write(tmp_path / "o")
    (tmp_path / "pad.s2p").unlink()
    kept = es.open_run(tmp_path / "o" / "results.nc").cases[0].driven.voltages
    assert np.abs(kept - run.cases[0].driven.voltages).max() < 1e-12
    (tmp_path / "pad.s2p").write_text(text)
    path.write_text(HEAD + ROD + body + case + 'frequency = "170 MHz"\n')
    assert main(["check", str(path)]) == 1
    assert "outside" in capsys.readouterr().out
    assert main(["solve", str(path)]) == 2
    assert "outside" in capsys.readouterr().err
    (tmp_path / "secret").write_text("root of a long secret\n")
    path.write_text(HEAD + ROD + body.replace("pad.s2p", "secret") + case)
    assert main(["check", str(path)]) == 2
    assert "secret, " in (told := capsys.readouterr().err)
    assert "long" not in told
    path.write_text(HEAD + ROD + body.replace('["in", "feed"]', '["in", "feed", "x"]') + case)
    assert main(["check", str(path)]) == 2
    assert "2 ports" in capsys.readouterr().err
