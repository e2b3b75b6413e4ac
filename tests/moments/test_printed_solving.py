"""Metal on layers: what must hold whatever the numbers are."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.moments.formulation import antenna_basis, formulation
from earshot.moments.printed import printed_block

LIGHT = 299792458.0


def board(material, metal_on=None, *more):
    return es.Stack([es.Layer("1.6 mm", material), *more], metal_on)


def patch(x=6e-3, medium=None, length=29e-3, width=38e-3, radius=0.5e-3, level=1.6e-3, y=0.0):
    pin = es.Wire("pin", [(x, y, 0), (x, y, level)], radius=radius)
    sheet = es.Sheet("patch", es.shapes.plate(length, width, centre=(0, 0, level)))
    medium = medium or es.substrate("1.6 mm", 4.4)
    return es.Antenna("patch", [pin], [es.Port("feed", "pin", at=0)], medium, sheets=[sheet])


def impedance(antenna, frequency, rule=None):
    return es.solve(antenna, frequency, rule=rule).network.z().values[0, 0, 0]


def whole(driven):
    return driven.far_field().radiated + sum(power for _, power in (*driven.flow.guided(), *driven.losses()))


GLASS = es.Dielectric("glass", 4.4)


@pytest.mark.parametrize(
    "medium",
    [
        es.substrate("1.6 mm", 4.4),
        board(GLASS, 1, es.Layer("0.8 mm", es.Dielectric("cover", 2.2))),
        es.Stack([es.Layer("0.8 mm", GLASS), es.Layer("0.8 mm", "air")]),
        board(es.Dielectric("heavy", 4.4, permeability=1.5)),
    ],
)
def test_power_goes_into_space_and_surface_waves(medium):
    answer = es.solve(patch(medium=medium), "2.3 GHz")
    driven = answer.drive()
    assert whole(driven) / driven.accepted == pytest.approx(1.0, abs=5e-3)
    assert dict(driven.flow.guided())["surface wave TM0"] > 0
    assert abs(es.evidence(answer, es.watts(1)).balance) < 5e-3


def test_thick_layers_guide_several_waves():
    thick = es.Stack(es.Layer("30 mm", es.Dielectric("slab", 4.4)))
    waves = es.layers.surface_waves(es.layers.Spectrum(thick, 5e9))
    # One more TM every 32.5 mm, from none; one more TE as often, from 8.1 mm (Pozar 2012, eqs. 3.168 and 3.174).
    assert [w.name for w in waves] == ["TM0", "TM1", "TE1", "TE2"]
    assert waves[0].index.real > waves[1].index.real > 1
    # A gap in a strip, since a probe would be too long.
    strip = es.Sheet("strip", es.shapes.plate("28 mm", "3 mm", centre=(0, 0, 0.03)))
    port = es.Port("feed", "strip", (0, 0, 0.03), "1 mm", across="x")
    driven = es.solve(es.Antenna("strip", [], [port], thick, sheets=[strip]), "5 GHz").drive()
    assert len(driven.flow.guided()) == 4
    assert whole(driven) / driven.accepted == pytest.approx(1.0, abs=5e-3)


def test_a_layer_cut_in_two_is_the_same():
    two = es.Stack([es.Layer("0.7 mm", GLASS), es.Layer("0.9 mm", GLASS)])
    covered = board(GLASS, 1, es.Layer("5 mm", "air"))
    one = impedance(patch(), "2.35 GHz")
    assert impedance(patch(medium=two), "2.35 GHz") == pytest.approx(one, rel=1e-3)
    air = es.Dielectric("nothing", 1.0)
    assert impedance(patch(medium=board(GLASS, 1, es.Layer("5 mm", air))), "2.35 GHz") == pytest.approx(one, rel=1e-3)
    assert covered.level == pytest.approx(1.6e-3)
    assert covered.thickness == pytest.approx(6.6e-3)


def test_layers_of_air_are_a_plane_alone():
    """A probe-fed plate over a plane, by the stack and by images of wires: the same half-wave resonance."""
    air = es.Stack(es.Layer("5 mm", es.Dielectric("nothing", 1.0)))
    strip = es.Sheet("strip", es.shapes.plate("140 mm", "4 mm", centre=(0, 0, 5e-3)))
    pin = es.Wire("pin", [(0.06, 0, 0), (0.06, 0, 5e-3)], radius="0.3 mm")
    printed = es.Antenna("strip", [pin], [es.Port("feed", "pin", at=0)], air, sheets=[strip])
    # A strip is as a wire of a quarter of its width.
    points = [(-0.07, 0, 5e-3), (0.06, 0, 5e-3), (0.07, 0, 5e-3)]
    wires = [es.Wire("strip", points, radius="1 mm"), es.Wire("pin", [(0.06, 0, 0), (0.06, 0, 5e-3)], radius="0.3 mm")]
    wired = es.Antenna("wire", wires, [es.Port("feed", "pin", at=0, gap="1 mm")], es.perfect_plane())
    peaks = []
    for antenna in (printed, wired):
        z = es.solve(antenna, es.band("0.95 GHz", "1.1 GHz", 201)).network
        peaks.append(z.frequencies[z.z().values[:, 0, 0].real.argmax()])
    # Give or take a quarter of the width at both ends.
    assert peaks[0] == pytest.approx(peaks[1], rel=0.02)
    assert es.layers.surface_waves(es.layers.Spectrum(air, 1e9)) == ()


def test_at_low_frequency_it_is_a_capacitor_wherever_it_is_fed():
    # The neighbouring points of the mesh, then one near a corner, round which the mesh is another.
    places = [(6e-3, 0.0), (9.5e-3, 0.0), (6e-3, 3.5e-3), (12e-3, 14e-3)]
    found = np.array([impedance(patch(x, y=y), "20 MHz") for x, y in places])
    assert found[:3].imag == pytest.approx(np.full(3, found[0].imag), rel=1e-3)
    assert found[3].imag == pytest.approx(found[0].imag, rel=2e-3)
    farads = [-1 / (2 * math.pi * f * impedance(patch(), f).imag) for f in (2e6, 20e6)]
    assert farads[0] == pytest.approx(farads[1], rel=1e-3)
    # A plate capacitor, with what its rims add.
    plain = 8.8541878e-12 * 4.4 * 29e-3 * 38e-3 / 1.6e-3
    assert 1.05 < farads[0] / plain < 1.25


def test_a_longer_strip_has_the_capacitance_of_its_line():
    line = es.layers.strip_line(es.substrate("1.6 mm", 4.4), "3 mm", "1 MHz")
    per_metre = math.sqrt(line.effective_permittivity) / (LIGHT * line.impedance.real)
    found = []
    for length in (30e-3, 50e-3):
        strip = patch(length=length, width=3e-3, radius=0.2e-3)
        fine = strip.with_(es.Sheet("patch", strip.sheets[0].surface, density=2))
        z = impedance(fine, "5 MHz", es.MeshRule(edge=0.03))
        found.append(-1 / (2 * math.pi * 5e6 * z.imag))
    assert (found[1] - found[0]) / 20e-3 == pytest.approx(per_metre, rel=5e-3)


def test_a_line_end_and_its_other_end():
    """Fed at one rim, closed at the other by what the line is of: little comes back, and the line turns the phase."""
    medium, width, level = es.substrate("0.8 mm", 2.2), 2.4e-3, 0.8e-3
    line = es.layers.strip_line(medium, width, "3 GHz")
    length = 60e-3
    strip = es.Sheet("line", es.shapes.plate(length, width, centre=(0, 0, level)))
    pins = [es.Wire(f"pin{n}", [(x, 0, 0), (x, 0, level)], radius="0.3 mm") for n, x in ((1, -0.03), (2, 0.03))]
    ports = [es.Port(f"end{n}", f"pin{n}", at=0, reference=line.impedance.real) for n in (1, 2)]
    s = es.solve(es.Antenna("line", pins, ports, medium, sheets=[strip]), "3 GHz").network.s().values[0]
    assert s[0, 1] == pytest.approx(s[1, 0], abs=1e-12)
    assert abs(s[0, 0]) < 0.25
    assert 0.96 < abs(s[1, 0]) <= 1.0
    turn = 2 * math.pi * length / line.wavelength
    assert np.angle(s[1, 0] * np.exp(1j * turn)) == pytest.approx(0.0, abs=0.25)


def test_turned_and_scaled_it_is_the_same():
    one = impedance(patch(), "2.35 GHz")
    # The grid of a plate turns with it; near pairs are worked out in another order.
    assert impedance(patch().rotated("30 deg"), "2.35 GHz") == pytest.approx(one, rel=1e-3)
    assert impedance(patch().moved((0.01, -0.02, 0)), "2.35 GHz") == pytest.approx(one, rel=1e-4)
    assert impedance(patch().scaled(2.0), "1.175 GHz") == pytest.approx(one, rel=1e-4)


def test_un_mirrored_blocks_are_symmetric():
    medium = es.substrate("1.6 mm", 4.4, 0.02)
    basis = antenna_basis(patch(medium=medium), LIGHT / 2.4e9, es.MeshRule())
    sheets = basis.sheets
    centres = sheets.mesh.centres[sheets.pairs[0]]
    near = np.argsort(np.linalg.norm(centres - centres[sheets.size // 2], axis=1))[:24]
    block = printed_block(basis, medium, 2.4e9, near, near)
    assert np.abs(block - block.T).max() < 1e-4 * np.abs(block).max()
    # And what the solver makes of them, with three points on triangles that are farther apart.
    matrix = formulation(medium).matrix(basis, 2.4e9)[np.ix_(near, near)]
    assert np.abs(0.5 * (block + block.T) - matrix).max() < 3e-4 * np.abs(block).max()


def test_lossy_layers_take_the_remainder():
    lossy = es.solve(patch(medium=es.substrate("1.6 mm", 4.4, 0.02)).made_of("copper"), "2.36 GHz")
    budget = lossy.drive().budget()["power_W"]
    assert budget["dielectric (remainder)"] > 0.3 * budget["accepted"]
    assert budget["metal of sheet 'patch'"] > 0.002 * budget["accepted"]
    assert budget["surface wave TM0"] < 0.2 * budget["radiated"]
    found = es.evidence(lossy, es.watts(1))
    assert found.balance is None
    assert found.to_frame().loc["power balance", "remark"] == "what is below takes the remainder"


@pytest.mark.parametrize(
    ("antenna", "says"),
    [
        (patch(level=1.5e-3), "on no face of the layers"),
        (patch(x=0.02), "ends 0.0055 m off the metal"),
        (patch().with_(es.Wire("pin", [(0, 0, 0), (1e-3, 0, 1.6e-3)], radius="0.2 mm")), "not a probe"),
        (patch().with_(es.Wire("two", [(6.5e-3, 0, 0), (6.5e-3, 0, 1.6e-3)], radius="0.5 mm")), "overlap"),
        (patch().with_(es.Sheet("over", es.shapes.plate("4 mm", "4 mm", centre=(0, 0, 1.6e-3)))), "lie on one another"),
        (patch().without("patch"), "ends on no metal"),
    ],
)
def test_what_cannot_be_printed_is_told(antenna, says):
    with pytest.raises(es.ModelError, match=says):
        es.solve(antenna, "2.35 GHz")


def test_a_mesh_coarse_beside_its_layers_is_warned_of():
    thin = patch(medium=es.substrate("0.02 mm", 4.4), level=2e-5, radius=1e-5)
    (finding,) = [f for f in es.check(thin, "2.35 GHz") if "times as much" in f.says]
    assert finding.level == "warn"
    assert "sheets_per_wavelength" in finding.remedy
    assert not [f for f in es.check(patch(), "2.35 GHz") if "times as much" in f.says]


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: es.substrate("1.6 mm", 0.5), "permittivity 0.5 is below 1"),
        (lambda: es.substrate("1.6 mm", 4.4, 2.0), "is it in percent"),
        (lambda: es.substrate("1.6 mm", "glass epoxi"), "did you mean 'glass epoxy'"),
        (lambda: es.substrate("0 mm", 4.4), "not above zero"),
        (lambda: es.Stack([]), "it has no layers"),
        (lambda: es.Stack(es.Layer("1 mm", "air"), 2), "metal_on 2"),
        (lambda: es.layers.strip_line(es.substrate("1 mm", 4.4), 0.0, "1 GHz"), "not above zero"),
        (lambda: es.layers.strip_width(es.substrate("1 mm", 4.4), 900, "1 GHz"), "outside"),
    ],
)
def test_what_cannot_be_is_told(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()
