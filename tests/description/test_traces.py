"""Traces: their outlines and pieces over random ways, meanders, files, solved lines, and circuits of corners."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.circuits import (
    Circuit,
    Placed,
    corner,
    laid_out,
    line,
    open_extension,
    solve_circuit,
    strip,
    trace_circuit,
)
from earshot.shapes import meander_points, mitre, trace

H = 1.575e-3
BOARD = es.Stack([es.Layer(H, es.Dielectric("made up", 2.2, 0.0009))])


def way(rng, count, step=0.05):
    """A centre line of right angles and slants that does not come near itself."""
    points, heading = [np.zeros(2)], 0.0
    for n in range(count):
        points.append(points[-1] + step * (1 + rng.random()) * np.array([math.cos(heading), math.sin(heading)]))
        heading = rng.choice([-1, 1]) * math.radians(rng.choice([0, 30, 45, 60, 90])) if n % 2 == 0 else 0.0
    return [(*p, H) for p in np.array(points).tolist()]


def straight():
    return trace_circuit(trace([(0, 0, H), (0.1, 0, H)], 3e-3), BOARD, "5 GHz")


def laid(length, **how):
    """Between places 25 mm apart."""
    return laid_out(strip(BOARD, "2 mm", "5 GHz"), length, [(0, 0, H), ("25 mm", 0, H)], **how)


@pytest.mark.parametrize("seed", range(24))
def test_a_line_of_a_circuit_laid_out_turns_the_phase_as_it_does(seed):
    """Corner by corner through the circuit of its metal, of any width, length and way."""
    rng = np.random.default_rng(seed)
    hertz = rng.uniform(3e9, 6e9)
    kind = strip(BOARD, rng.uniform(0.6, 2.5) * H, hertz)
    rounded = bool(rng.random() < 0.4)
    how = {"radius": rng.uniform(0.6, 1.5) * kind.width} if rounded else {"mitre": rng.choice([0.0, 0.5])}
    turns = int(rng.integers(1, 4))
    points = [(0.0, 0.0, H), *((0.05 * (n // 2 + n % 2), 0.05 * (n // 2), H) for n in range(1, turns + 1))]
    apart = 2.2 * kind.width + 2.0 * how.get("radius", 0.0)
    length = 0.05 * turns + rng.uniform(0.01, 0.02)
    metal = laid_out(kind, length, points, room=0.02, apart=apart, **how)
    with pytest.raises(es.UsageError, match="way lacks"):
        laid_out(kind, length, points, **how)
    alone = Circuit({"line": Placed(line(kind, length), ["one", "two"])}, ["one", "two"])
    made, meant = (
        solve_circuit(circuit, hertz, kind.characteristic(hertz)).matrices[0, 1, 0]
        for circuit in (trace_circuit(metal, BOARD, hertz), alone)
    )
    # Corners that are left whole send something back and forth.
    assert abs(np.degrees(np.angle(made / meant))) < (6.0 if how.get("mitre") == 0.0 else 1.0)


LAID = """
title = "A patch and the line before it"
frequency = "5 GHz"
[values]
late = "200 deg"
[dielectrics.it]
permittivity = 2.2
[[layer]]
thickness = "1.575 mm"
of = "it"
[sheet.way]
trace = {{ line = "{line}", points = ["0, 0, 1.575 mm", "20 mm, 0, 1.575 mm"], {more} }}
[wire.pin]
radius = "0.3 mm"
points = ["1 mm, 0, 0", "1 mm, 0, 1.575 mm"]
[port.feed]
on = "pin"
at = 0
[circuit]
inputs = ["in"]
[circuit.part.late]
line = {{ strip = "3 mm", turn = "late" }}
nodes = ["in", "feed"]
[circuit.part.bare]
line = {{ impedance = "50 ohm", length = "5 mm" }}
nodes = ["in", "aside"]
[circuit.part.end]
to_ground = "50 ohm"
nodes = ["aside"]
"""
HAIRPINS = 'meanders = [{ room = "9 mm", apart = "5 mm" }]'


def test_a_file_lays_out_a_line_of_its_circuit(tmp_path):
    place = tmp_path / "late.toml"
    place.write_text(LAID.format(line="late", more=HAIRPINS))
    file = es.read_design(place)
    (sheet,) = file.design.antenna.sheets
    kind = strip(es.Stack([es.Layer(H, es.Dielectric("it", 2.2))]), 3e-3, "5 GHz")
    length = math.radians(200) / kind.propagation(5e9).imag
    there = laid_out(kind, length, [(0, 0, H), (0.02, 0, H)], room="9 mm", apart="5 mm")
    np.testing.assert_allclose(sheet.surface.bounds, there.bounds, atol=1e-9)
    assert sheet.surface.outline.area == pytest.approx(there.outline.area, rel=1e-6)
    # Another turn, and the metal follows.
    longer = file.design.with_(late="230 deg").antenna.sheets[0]
    assert longer.surface.outline.area > 1.05 * sheet.surface.outline.area


ENDS = """
[case.sent]
power = {{ in = "1 W" }}
[circuit.part.turn]
corner = {{ strip = "3 mm"{more} }}
nodes = ["in", "b"]
[circuit.part.far]
open_end = {{ strip = "{width}" }}
nodes = ["b"]
"""


def test_a_file_says_corners_and_open_ends(tmp_path):
    place = tmp_path / "late.toml"
    text = LAID.format(line="late", more=HAIRPINS)
    kind = strip(es.Stack([es.Layer(H, es.Dielectric("it", 2.2))]), 3e-3, "5 GHz")
    for said, mitred in (("", True), (", mitred = false", False)):
        place.write_text(text + ENDS.format(more=said, width="3 mm"))
        parts = es.read_design(place).cases[0].feed.circuit.parts
        assert parts["turn"].part == corner(kind, mitred=mitred)
        assert parts["far"].part.length == pytest.approx(open_extension(kind))
    for more, width, says in (("", "0.3 m", "part.far.open_end: .* is outside"), (", mitred = 2", "3 mm", "boolean")):
        place.write_text(text + ENDS.format(more=more, width=width))
        with pytest.raises(es.DesignFileError, match=says):
            es.read_design(place)


@pytest.mark.parametrize(
    ("line", "more", "says"),
    [
        ("lade", HAIRPINS, "there is no strip of the circuit 'lade'.*late"),
        ("bare", HAIRPINS, "there is no strip of the circuit 'bare'"),
        ("late", "meanders = []", r"sheet.way.*the way lacks .* \(room\)"),
        ("late", HAIRPINS + ', width = "3 mm"', "give its width, its impedance or its line, one of them"),
        ("late", HAIRPINS.replace("room", 'longer = "3 mm", room'), "of a line one, without longer and turn"),
        ("late", 'corners = "round"', "is not mitred, whole or a number"),
    ],
)
def test_what_is_wrong_with_a_line_laid_out_is_told(tmp_path, line, more, says):
    place = tmp_path / "late.toml"
    place.write_text(LAID.format(line=line, more=more))
    with pytest.raises(es.DesignFileError, match=says):
        es.read_design(place)


@pytest.mark.parametrize("seed", range(8))
def test_pieces_tile_the_strip(seed):
    """Pieces do not overlap, follow one another along whole sides, and go round the same way."""
    rng = np.random.default_rng(seed)
    points, width = way(rng, 6), rng.uniform(1e-3, 8e-3)
    for how in ({}, {"mitre": rng.uniform(0.1, 0.8)}, {"radius": rng.uniform(1.0, 2.0) * width}):
        shape = trace(points, width, **how).shape
        assert sum(p.area for p in shape.pieces) == pytest.approx(shape.outline.area, rel=1e-6)
        assert all(p.is_valid and p.exterior.is_ccw for p in shape.pieces)
        for one, other in zip(shape.pieces, shape.pieces[1:], strict=False):
            assert one.intersection(other.buffer(1e-9)).length > 1.8 * width
        facets = sum(f.area.area for f in shape.facets)
        assert facets == pytest.approx(shape.outline.area, rel=1e-6)
    assert trace(points, width).shape.scaled(3.0).outline.area == pytest.approx(
        9 * trace(points, width).shape.outline.area
    )


def test_a_mitred_corner_loses_its_tip():
    """The cut leaves the diagonal less its share: a triangle of (cut d)² off a square corner (Douville and James)."""
    points, width = [(0, 0, H), (0.05, 0, H), (0.05, 0.05, H)], 4e-3
    whole = trace(points, width).shape.outline.area
    for cut in (0.2, 0.5, mitre(width, H)):
        lost = whole - trace(points, width, mitre=cut).shape.outline.area
        assert lost == pytest.approx((cut * width * math.sqrt(2)) ** 2, rel=1e-6)
    assert mitre(1.0, 1.0) == pytest.approx(0.52 + 0.65 * math.exp(-1.35))


@pytest.mark.parametrize("seed", range(6))
def test_meanders_are_as_long_as_asked(seed):
    rng = np.random.default_rng(seed)
    longer, room, apart = rng.uniform(0.005, 0.05), rng.uniform(0.005, 0.02), rng.uniform(0.002, 0.004)
    ends = np.array([(0, 0, H), (*rng.uniform(0.05, 0.2, 2), H)])
    points = np.array(meander_points(*ends.tolist(), longer, room, apart))
    long = np.linalg.norm(np.diff(points, axis=0), axis=1).sum()
    assert long == pytest.approx(np.linalg.norm(ends[1] - ends[0]) + longer, rel=1e-9)
    along = (ends[1] - ends[0]) / np.linalg.norm(ends[1] - ends[0])
    off = (points - ends[0]) @ np.array([-along[1], along[0], 0.0])
    assert off.max() <= room * (1 + 1e-9)
    assert off.min() >= -1e-12
    assert trace(points, 0.4 * apart, radius=0.2 * apart).shape.length < long


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: trace([(0, 0, 0)], 1e-3), "2 to 2000 points"),
        (lambda: trace([(0, 0, 0), (1, 0, 1)], 1e-3), "several levels"),
        (lambda: trace([(0, 0, 0), (0, 0, 0)], 1e-3), "are one"),
        (lambda: trace([(0, 0, 0), (1, 0, 0)], 0), "not above zero"),
        (lambda: trace([(0, 0, 0), (1, 0, 0)], [1e-3, 2e-3]), "2 widths for 1 legs"),
        (lambda: trace([(0, 0, 0), (1, 0, 0), (1, 1, 0)], [1e-3, 2e-3]), "turns and changes its width"),
        (lambda: trace([(0, 0, 0), (1, 0, 0), (1, 0.01, 0)], 0.05), "its corners take"),
        (lambda: trace([(0, 0, 0), (1, 0, 0), (0, 0.01, 0)], 1e-3), "turns by"),
        (lambda: trace([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0.5, 1, 0), (0.5, -1, 0)], 1e-2), "crosses or touches"),
        (lambda: trace([(0, 0, 0), (1, 0, 0), (1, 1, 0)], 0.1, radius=0.01), "below half the width"),
        (lambda: trace([(0, 0, 0), (1, 0, 0)], 0.1, mitre=1.5), "outside 0 to 1"),
        (lambda: meander_points((0, 0, 0), (0.1, 0, 0), 1.0, 0.01, 0.01), "need"),
        (lambda: meander_points((0, 0, 0), (0.1, 0, 1), 1.0, 0.01, 0.01), "one level"),
        (lambda: mitre(0, 1), "above zero"),
        (lambda: corner(strip(BOARD, "20 mm", "5 GHz")), "outside 0.2 to 6"),
        (lambda: trace_circuit(es.shapes.plate(1, 1), BOARD, "5 GHz"), "is no trace"),
        (lambda: solve_circuit(straight(), "9 GHz"), "outside"),
        (lambda: laid("10 mm"), r"way is as long as 25 mm of the strip, the line only 10 mm: bring its ends nearer"),
        (lambda: laid("40 mm"), r"lacks 15 mm of the line's 40 mm: say how far aside hairpins may go \(room\)"),
        (lambda: laid("40 mm", room="1 mm", apart="4 mm"), "hairpins 1 mm aside .* make nothing longer"),
        (lambda: laid("40 mm", room="8 mm", apart="4 mm", leg=2), "no leg 2 of 1"),
        (
            lambda: laid_out(strip(BOARD, "2 mm", "5 GHz"), 1, [(0, 0, 1e-3), (0.02, 0, 1e-3)]),
            "lies at z = 1 mm, the strip on its board at 1.575 mm",
        ),
        (lambda: laid("400 mm", room="8 mm", apart="4 mm"), "hairpins 0.004 m apart need"),
        (lambda: laid_out(es.circuits.coaxial("1 mm", "3 mm"), 1, [(0, 0, 0), (1, 0, 0)]), "give a strip, as strip"),
    ],
)  # fmt: skip
def test_mistakes_are_named(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def lines(width, *ways, frequencies=("4.6 GHz", "5.4 GHz")):
    """Networks of traces with a pin near both ends, at half a width from them."""
    found = []
    for points in ways:
        places = np.array(points, float)
        ends = places.copy()
        for tip, other in ((0, 1), (-1, -2)):
            out = places[tip] - places[other]
            ends[tip] += 0.5 * width * out / np.linalg.norm(out)
        cut = mitre(width, H)
        sheet = es.Sheet("way", trace([(*p, H) for p in ends.tolist()], width, mitre=cut))
        pins = [es.Wire(f"pin {n}", [(*places[n], 0), (*places[n], H)], radius=0.3e-3) for n in (0, -1)]
        ports = [es.Port(f"p{n}", on=f"pin {n}", at=0) for n in (0, -1)]
        found.append(es.solve(es.Antenna("way", pins, ports, BOARD, sheets=[sheet]), list(frequencies)).network)
    return found


def test_solved_traces_carry_the_wave_of_their_section_and_turn_it_as_circuits_do():
    """A longer line is longer by the section's own wave; a mitred corner is within two degrees and 0.15 dB."""
    width, half = es.layers.strip_width(BOARD, 70, "5 GHz"), 0.03
    short, longer, more, bent = lines(
        width, [(0, 0), (2 * half, 0)], [(0, 0), (2 * half + 0.01, 0)], [(0, 0), (2 * half + 0.004, 0)],
        [(0, 0), (half, 0), (half, half)],
    )  # fmt: skip
    index = strip(BOARD, width, "5 GHz").propagation(5e9).imag / (2 * math.pi * 5e9 / 299792458)
    fixture = es.circuits.line_fixture(short, longer, 0.01, index)
    beta = np.array([strip(BOARD, width, "5 GHz").propagation(f).imag for f in short.frequencies])
    through = fixture.removed_from(more, 70).s().values[:, 1, 0]
    assert np.degrees(np.angle(through * np.exp(1j * beta * 0.004))) == pytest.approx(0, abs=0.6)
    turned = fixture.removed_from(bent, 70).s().values
    circuit = trace_circuit(trace([(0, 0, H), (half, 0, H), (half, half, H)], width, mitre=0.5), BOARD, "5 GHz")
    said = solve_circuit(circuit, short.frequencies, 70.0).matrices[:, 1, 0] * np.exp(2j * beta * half)
    assert np.degrees(np.angle(turned[:, 1, 0] / said)) == pytest.approx(0, abs=2.0)
    assert 20 * np.log10(np.abs(turned[:, 1, 0] / said)) == pytest.approx(0, abs=0.15)
    assert np.abs(turned[:, 0, 0]).max() < 0.06
    # The same as a table: the circuit's ends brought to where the fixture ends.
    metal = fixture.removed_from(bent, 70)
    beside = solve_circuit(circuit, short.frequencies, 70.0).network
    table = es.circuits.differences(metal, beside).loc[(short.frequencies[0], "p-1", "p0")]
    ahead = np.degrees(np.angle(turned[0, 1, 0] / said[0] * np.exp(2j * beta[0] * half)))
    assert math.remainder(table["ahead_deg"] - ahead, 360) == pytest.approx(0, abs=1e-6)
    assert table["above_dB"] == pytest.approx(20 * math.log10(abs(turned[0, 1, 0] / said[0])), abs=1e-9)
    figure = es.plots.beside(metal, beside, labels=["solved metal", "circuit"])
    assert len(figure.axes[0].lines) == 6
    with pytest.raises(es.UsageError, match="unlike ports"):
        es.circuits.differences(metal, beside.referred_to(50))


@pytest.mark.parametrize(("permittivity", "ratio"), [(2.2, 0.5), (2.2, 2.0), (4.4, 1.9), (9.8, 1.0)])
def test_open_ends_are_longer_as_an_older_formula_says(permittivity, ratio):
    """Within a tenth of Hammerstad's (1975), for usual widths: 0.412 h (e + 0.3)(u + 0.264)/((e - 0.258)(u + 0.8))."""
    board = es.Stack([es.Layer(H, es.Dielectric("made up", permittivity))])
    kind = strip(board, ratio * H, "2 GHz")
    slow = 1 / kind.velocity**2
    older = 0.412 * H * (slow + 0.3) * (ratio + 0.264) / ((slow - 0.258) * (ratio + 0.8))
    assert open_extension(kind) == pytest.approx(older, rel=0.1)


FILE = """
title = "a line that meanders"
frequency = "5.8 GHz"
[[layer]]
thickness = "1.575 mm"
of = "ptfe glass"
[sheet.line]
trace = { points = ["0, 0, 1.575 mm", "60 mm, 0, 1.575 mm", "60 mm, 30 mm, 1.575 mm"], impedance = "70 ohm", MORE }
[wire.pin]
radius = "0.3 mm"
points = ["1.5 mm, 0, 0", "1.5 mm, 0, 1.575 mm"]
[port.a]
on = "pin"
at = 0
"""
BENDS = 'meanders = [{ leg = 1, longer = "30 mm", room = "10 mm", apart = "8 mm" }]'


def test_files_say_traces(tmp_path):
    path = tmp_path / "line.toml"
    path.write_text(FILE.replace("MORE", BENDS))
    antenna = es.read_design(path).antenna
    shape = antenna.sheets[0].surface.shape
    assert shape.length == pytest.approx(0.12)
    assert shape.mitre == pytest.approx(mitre(shape.widths[0], "1.575 mm"))
    assert es.layers.strip_line(antenna.medium, shape.widths[0], "5.8 GHz").impedance.real == pytest.approx(
        70, rel=1e-4
    )
    for turned in (antenna, antenna.rotated("90 deg", "z")):
        again = es.read_design(es.write(turned, tmp_path / "again.toml", frequency="5.8 GHz")).antenna
        assert again.sheets[0].surface.outline.area == pytest.approx(antenna.sheets[0].surface.outline.area, rel=1e-9)
    assert not es.check(antenna).stops
    path.write_text(FILE.replace("MORE", BENDS.replace('longer = "30 mm"', 'turn = "360 deg"')))
    longer = es.read_design(path).antenna.sheets[0].surface.shape.length - 0.09
    assert longer == pytest.approx(
        es.layers.strip_line(antenna.medium, shape.widths[0], "5.8 GHz").wavelength, rel=1e-6
    )


@pytest.mark.parametrize(
    ("more", "says"),
    [
        ('width = "1 mm"', "one of them"),
        ('meanders = [{ leg = 1, longer = "1 mm", turn = "9 deg", room = "1 mm", apart = "1 mm" }]', "one of them"),
        ('corners = "sharp"', "is not mitred, whole or a number"),
        ('meanders = [{ leg = 5, longer = "1 mm", room = "1 mm", apart = "1 mm" }]', "there is no leg 5"),
        ('radius = "0.1 mm"', "below half the width"),
    ],
)
def test_wrong_traces_of_files_are_told(tmp_path, more, says):
    path = tmp_path / "wrong.toml"
    path.write_text(FILE.replace("MORE", more))
    with pytest.raises(es.errors.EarshotError, match=says):
        es.read_design(path)
