"""The beams of an array file without coupling: the command, the figure over the solved array, what files may say."""

import json
import math
from importlib import resources

import numpy as np
import pandas as pd
import pytest

import earshot as es
from earshot import arrays
from earshot.views import plots
from earshot.views.commands.app import main

ALONE = """
title = "sixteen"
frequency = "5.8 GHz"

[values]
steer = "20 deg"

[array]
element = { kind = "cosine", power = 1.5 }

[array.grid]
columns = 4
rows = 4
spacing = "0.6 lambda"

[array.errors]
phase = "10 deg"
trials = 60

[array.chain]
gain = 30
saturated = "1 W"
noise_figure = 3

[array.beam.out]

[array.beam.aside]
theta = "steer"
phi = "0 deg"
taper = "taylor"
side_lobe = 25
delays = true
cuts = ["azimuth 0 deg"]
"""


@pytest.fixture
def alone(tmp_path):
    place = tmp_path / "sixteen.toml"
    place.write_text(ALONE, encoding="utf-8")
    return place


def test_elements_by_their_pattern_need_no_metal(alone):
    ideal = es.ideal_array(es.read_design(alone))
    wave = 299792458 / 5.8e9
    array = arrays.Array(arrays.grid(4, 4, 0.6 * wave), arrays.cosine(1.5))
    taper = array.tapered("taylor", side_lobe=25)
    weights = array.steered(taper, frequency=5.8e9, theta="20 deg", phi="0 deg", delays=True)
    aside = ideal.beam("aside")
    assert np.allclose(aside.weights.at(6.1e9), weights.at(6.1e9))
    wanted = array.beam(5.8e9, weights)
    assert aside.figures["gain_dBi"] == pytest.approx(10 * math.log10(float(wanted.gain(*wanted.peak))), abs=1e-9)
    elsewhere = es.ideal_array(es.read_design(alone), 6.1e9).beam("aside")
    assert math.degrees(elsewhere.field.peak[0]) == pytest.approx(math.degrees(aside.field.peak[0]), abs=0.3)
    assert len(ideal.trials(aside).table) == 60
    link = ideal.link(ideal.beam("out"))
    sent = 1e-3 * 10**3 / 2**0.5
    assert link.loc[0.0, "sent_W"] == pytest.approx(16 * sent)
    # All are driven alike once they are saturated: power times the directivity of equal weights.
    directivity = float(array.beam(5.8e9).directivity(0.0, 0.0))
    assert link.loc[0.0, "EIRP_dBW"] == pytest.approx(10 * math.log10(16 * sent * directivity), abs=0.02)
    with pytest.raises(es.UsageError, match="there is no beam 'north': out, aside"):
        ideal.beam("north")


def test_the_command_prints_draws_and_writes(alone, tmp_path, capsys):
    assert main(["beams", str(alone), "--out", str(tmp_path / "out")]) == 0
    printed = capsys.readouterr().out
    lines = printed.splitlines()
    assert len(lines) <= 24
    assert max(map(len, lines)) <= 80, max(lines, key=len)
    ideal = es.ideal_array(es.read_design(alone))
    for name in ("out", "aside"):
        row = next(line for line in lines if line.startswith(name))
        assert f"{ideal.beam(name).figures['gain_dBi']:.2f}" in row
    for words in ("16 elements without coupling", "taper", "with errors, 60 trials", "EIRP", "3 dB from"):
        assert words in printed
    assert main(["beams", str(alone), "--all"]) == 0
    printed = capsys.readouterr().out
    for words in ("taper efficiency", "out with errors, 60 trials", "G/T, dB/K"):
        assert words in printed
    written = {p.name for p in (tmp_path / "out").iterdir()}
    assert {"polar.png", "layout-aside.png", "beam-map-out.png", "envelope-out.png", "link.png"} <= written
    table = es.files.read_weights(tmp_path / "out" / "weights-aside.csv")
    assert np.allclose(table.values, es.ideal_array(es.read_design(alone)).beam("aside").weights.values)
    assert main(["beams", str(alone), "--json", "--set", "steer=35 deg", "-f", "5.9 GHz"]) == 0
    content = json.loads(capsys.readouterr().out)
    aside = content["beams"]["aside"]
    assert aside["frequency_Hz"] == 5.9e9
    array = arrays.Array(arrays.grid(4, 4, 0.6 * 299792458 / 5.8e9), arrays.cosine(1.5))
    weights = array.steered(
        array.tapered("taylor", side_lobe=25), frequency=5.8e9, theta="35 deg", phi="0 deg", delays=True
    )
    wanted = math.degrees(array.beam(5.9e9, weights).peak[0])
    assert aside["figures"]["peak_theta_deg"] == pytest.approx(wanted, abs=1e-6)
    assert len(aside["weights"]) == content["elements"] == 16
    assert len(content["link"]) == 25


def test_without_metal_there_is_nothing_to_solve(alone, capsys):
    for command in ("solve", "check", "plot"):
        assert main([command, str(alone)]) == 2
        assert "nothing to solve; 'earshot beams' shows what it sends" in capsys.readouterr().err
    assert main(["beams", str(resources.files("earshot.demo") / "tag_receiver.toml")]) == 2
    assert "has no array" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('"cosine", power = 1.5', '"cosin"', "there is no element 'cosin'; did you mean 'cosine'"),
        ('"cosine", power = 1.5', '"isotropic", power = 2', "array.element.power: 'isotropic' has none"),
        ('"cosine", power = 1.5', '"two slots", length = "9 mm"', "two slots have a length and a width"),
        ('"cosine", power = 1.5', '"pattern.csv"', "cannot read"),
        ("trials = 60", "trials = 0", "array.errors.trials: 0 is below one"),
        ("trials = 60", "seed = -1", "array.errors.seed: -1 is below zero"),
        ("trials = 60", 'kind = "odd"', "kind 'odd' is not normal or uniform"),
        ('"1 W"', '"3 dB"', "write it in plain units"),
        ("noise_figure = 3", "temperature = -1", "-1.0 K is below zero"),
        ('theta = "steer"\nphi = "0 deg"\n', "", "there is no direction to steer to"),
        ('theta = "steer"', 'theta = "120 deg"', "lies behind every element"),
        ("delays = true", "least_amplitude = -20", "-20.0 dB below the greatest is not above zero"),
        ("delays = true", "failed = [17]", "there is no element 17: they are 1 to 16"),
        ("[array.beam.out]", '[port.x]\non = "rod"\n\n[array.beam.out]', "port: there are no wires or sheets for it"),
    ],
)
def test_wrong_hardware_is_told(tmp_path, old, new, says):
    assert old in ALONE
    (tmp_path / "wrong.toml").write_text(ALONE.replace(old, new), encoding="utf-8")
    with pytest.raises(es.DesignFileError, match=says.replace("(", r"\(")):
        es.read_design(tmp_path / "wrong.toml")


def test_an_element_may_be_a_table(alone, tmp_path):
    theta, phi = np.meshgrid(np.arange(0, 91, 5.0), np.arange(0, 360, 15.0), indexing="ij")
    level = 20 * np.log10(np.maximum(np.cos(np.radians(theta)) ** 1.5, 1e-9))
    table = pd.DataFrame({"theta_deg": theta.ravel(), "phi_deg": phi.ravel(), "gain_dBi": level.ravel()})
    table.to_csv(tmp_path / "pattern.csv", index=False)
    alone.write_text(ALONE.replace('"cosine", power = 1.5', '"pattern.csv"'), encoding="utf-8")
    beam = es.ideal_array(es.read_design(alone)).beam("out")
    same = arrays.Array(arrays.grid(4, 4, 0.6 * 299792458 / 5.8e9), arrays.cosine(1.5))
    wanted = same.beam(5.8e9, beam.weights)
    assert beam.figures["gain_dBi"] == pytest.approx(10 * math.log10(float(wanted.gain(*wanted.peak))), abs=0.02)


def test_the_tag_line_alone_lies_over_the_solved_one(tmp_path):
    path = resources.files("earshot.demo") / "tag_line.toml"
    file = es.read_design(path)
    ideal = es.ideal_array(file)
    # A dipole's pattern summed directly over six places: the power in it is the power sent.
    one = es.solve(es.antennas.dipole("150.1 MHz")).drive().far_field()
    out = ideal.beam("out")
    nodes, weights = np.polynomial.legendre.leggauss(80)
    theta, phi = np.arccos(nodes)[:, None], 2 * math.pi * np.arange(160) / 160
    places = out.array.layout.positions
    ways = np.stack(np.broadcast_arrays(np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta)), -1)
    factor = np.exp(2j * math.pi * 150.1e6 / 299792458 * ways @ places.T) @ out.weights.values
    dipole = out.array.elements[0]
    level = np.abs(factor) ** 2 * sum(np.abs(e) ** 2 for e in dipole.field(theta, phi, 150.1e6))
    directivity = level.max() / ((weights[:, None] * level).sum() / 320)
    assert out.figures["directivity_dBi"] == pytest.approx(10 * math.log10(directivity), abs=0.02)
    loss = 10 * math.log10(dipole.efficiency)
    assert out.figures["gain_dBi"] == pytest.approx(out.figures["directivity_dBi"] + loss, abs=1e-9)
    assert one.efficiency == pytest.approx(1.0, abs=1e-3)
    south = ideal.beam("south")
    assert math.degrees(south.field.peak[1]) == pytest.approx(330.0, abs=0.5)
    names = ["ideal", "link", "coupling"]
    assert main(["plot", str(path), *names, "-f", "150.1 MHz", "--out", str(tmp_path)]) == 0
    assert all((tmp_path / f"{name}.png").stat().st_size > 8000 for name in names)
    with pytest.raises(es.UsageError, match="has no array"):
        es.ideal_array(es.read_design(resources.files("earshot.demo") / "tag_receiver.toml"))
    assert "link figures" in plots.link(ideal.link(south), title="line").texts[0].get_text()


def test_a_pencil_beam_has_its_peak_in_every_figure():
    array = arrays.Array(arrays.grid(30, 30, 0.026), arrays.cosine(), "pencil")
    beam = array.beam(5.8e9, array.steered(frequency=5.8e9, theta="21.3 deg", phi="33.3 deg"))
    peak = f"peak {10 * math.log10(float(beam.gain(*beam.peak))):.2f} dBi"
    assert peak in plots.pattern(beam).texts[0].get_text()
    assert peak in plots.beam_map(beam).texts[0].get_text()
    assert any(peak == text.get_text() for text in plots.sphere(beam).axes[0].texts)
