"""Ready-made antennas: against another discretisation, exact theory, and the design formulas people know."""

import functools
import math

import numpy as np
import pytest

import earshot as es
from earshot import antennas

F = "150 MHz"
FINER = es.MeshRule(per_wavelength=160, growth=0.25, finest=0.05, port_share=8, least=32)
COARSER = es.MeshRule(sheets_per_wavelength=7, edge=0.25, around=12)
PRINTED_FINER = es.MeshRule(sheets_per_wavelength=15, edge=0.05)
METAL = ["bow_tie", "corner_reflector", "discone", "horn", "plane_reflector", "plate_monopole", "sleeve_dipole"]
METAL += ["waveguide"]
PRINTED = ["board_dipole", "covered_patch", "disk_patch", "inset_patch", "patch", "slot_patch", "stacked_patch"]
PRINTED += ["stripline_slot"]
METAL += PRINTED
PANELS = ["corporate_panel", "series_panel", "series_row"]
"""Larger than is solved several times over."""
METAL += PANELS
KINDS = [kind for kind in antennas.__all__ if kind not in PANELS]
WIRES = [kind for kind in antennas.__all__ if kind not in METAL]


def impedance(design, **how):
    return es.solve(design, **how).network.z().values[0, 0, 0]


@functools.cache
def solved(kind):
    """The antenna of that kind as it comes, solved once for all tests."""
    return es.solve(getattr(antennas, kind)(F))


def figures(design):
    return es.solve(design).drive().far_field().summary()["value"]


@pytest.mark.parametrize("kind", KINDS)
def test_each_is_sensible_from_a_frequency_alone(kind):
    design = getattr(antennas, kind)(F)
    assert not [f for f in es.check(design) if f.level != "note"]
    values = design.table()
    assert values["note"].str.len().min() > 0
    assert values[["from", "to"]].notna().all(axis=None)
    answer = solved(kind)
    assert answer.network.vswr().values[0, 0] < 1.6
    # Sheets are compared with a coarser mesh of theirs.
    other = es.solve(design, rule=FINER if kind in WIRES else PRINTED_FINER if kind in PRINTED else COARSER)
    z, beside = (s.network.z().values[0, 0, 0] for s in (answer, other))
    least = 1.7 if kind in WIRES else 1.2
    assert max(other.unknowns, answer.unknowns) > least * min(other.unknowns, answer.unknowns)
    # A patch is a resonator: 0.2 % of its frequency is a tenth of its impedance.
    assert abs(z - beside) < (0.01 if kind in WIRES else 0.1 if kind in PRINTED else 0.08) * abs(z)
    beam = answer.drive().far_field()
    # Boards have loss, and surface waves.
    assert 0.8 < beam.efficiency < 1.0 if kind in PRINTED else beam.efficiency == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize("kind", KINDS)
def test_each_goes_to_another_frequency_and_through_a_file(kind, tmp_path):
    design = getattr(antennas, kind)(F)
    path = es.write(design, tmp_path / "made.toml")
    assert es.read_design(path).design.antenna == design.antenna
    twice = design.scaled_to("300 MHz", radii=True)
    if kind != "horn":
        assert impedance(twice) == pytest.approx(impedance(design), rel=1e-6 if kind in WIRES else 1e-3)
    name = "gap" if kind == "board_dipole" else next(n for n, _ in design.given if n in ("rod", "neck"))
    changed = design.with_(**{name: "0.0081 lambda"})
    again = es.read_design(es.write(changed, tmp_path / "changed.toml")).design
    assert again.antenna == changed.antenna
    assert again.antenna != design.antenna


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: antennas.yagi(F, elements=1), "elements = 1 is not a whole number from 2 to 50"),
        (lambda: antennas.monopole(F, radials=2.5), "radials = 2.5"),
        (lambda: antennas.quad(F, elements=9), "from 2 to 8"),
        (lambda: antennas.log_periodic(F, elements=3), "from 4 to 30"),
        (lambda: antennas.dipole("0 Hz"), "not above zero"),
        (lambda: antennas.dipole(F, lenght="1 m"), "did you mean 'length'"),
        (lambda: antennas.dipole(F, length="9 m"), "outside its range"),
    ],
)
def test_mistakes_are_named(make, says):
    with pytest.raises(es.UsageError, match=says):
        make()


def test_round_parts_are_fine_enough():
    """Twice the chords: another polygon of the same circle, another of the same helix."""
    loop, helix = antennas.circular_loop(F), antennas.helix(F)
    around = loop.values.around / math.pi
    wire = es.Wire(
        "loop", es.shapes.circle_points(around, axis="x", start="90 deg", chords=99), radius=loop.values.rod / 2
    )
    finer = es.Antenna("loop", [wire], loop.antenna.ports)
    assert abs(es.solve(finer, F).network.z().values[0, 0, 0] - impedance(loop)) < 0.01 * abs(impedance(loop))
    v = helix.values
    points = es.shapes.helix_points(v.around / math.pi, v.rise, v.turns, base=(0, 0, v.lead), lead=v.lead, chords=48)
    finer = es.Antenna("helix", [es.Wire("helix", points, radius=v.rod / 2)], helix.antenna.ports, es.perfect_plane())
    assert abs(es.solve(finer, F).network.z().values[0, 0, 0] - impedance(helix)) < 0.01 * abs(impedance(helix))


def test_a_folded_dipole_steps_up_by_four():
    """Equal rods: four times the dipole's resistance at resonance (Balanis 2016, sec. 9.5)."""
    assert impedance(antennas.folded_dipole(F)).real == pytest.approx(4 * impedance(antennas.dipole(F)).real, rel=0.03)


def test_a_turnstile_turns_its_field():
    """Two equal dipoles, the second through a quarter wave of its own resistance: half of it, and circular upwards."""
    design = antennas.turnstile(F)
    line = design.antenna.lines[0].kind.impedance
    one = impedance(antennas.dipole(F, length="0.47 lambda"))
    assert impedance(design) == pytest.approx(1 / (1 / one + one / line**2), rel=0.01)
    beam = es.solve(design).drive().far_field()
    up = beam.cut(azimuth="0 deg", step="90 deg").sel(angle=90.0)
    assert float(up["axial_ratio"]) < 1.0
    assert float(up["gain_rhcp"]) > float(up["gain_lhcp"]) + 20.0


def test_radials_that_droop_raise_the_resistance():
    """From below half of a monopole's 36 ohm times two, flat, towards a dipole's 72."""
    droops = ("0 deg", "20 deg", "40 deg", "60 deg")
    resistances = [impedance(antennas.monopole(F, droop=d)).real for d in droops]
    assert np.all(np.diff(resistances) > 0)
    assert 15 < resistances[0] < 25
    assert resistances[2] == pytest.approx(50, rel=0.1)


def test_the_place_of_the_feed_sets_the_resistance():
    """A sinusoid along a half wave: R(p) = R(1/2) / sin²(πp) (Balanis 2016, sec. 4.5), within 10 percent to 0.2."""
    middle = impedance(antennas.off_centre(F, place=0.5)).real
    for place in (0.4, 0.3, 0.2):
        found = impedance(antennas.off_centre(F, place=place)).real
        assert found == pytest.approx(middle / math.sin(math.pi * place) ** 2, rel=0.1)
    # The same wire fed nearer to its end.
    ends = [impedance(antennas.end_fed(F, counterpoise=f"{c} lambda", length=f"{0.5 - c} lambda")) for c in (0.1, 0.05)]
    assert ends[1].real > 1.5 * ends[0].real


def test_a_steep_inverted_v_has_less_resistance():
    resistances = [impedance(antennas.inverted_v(F, slope=f"{s} deg", height="1 lambda")).real for s in (0, 20, 40, 60)]
    assert np.all(np.diff(resistances) < 0)


def test_an_open_sleeve_has_two_bands():
    answer = es.solve(antennas.open_sleeve(F), [F, "285 MHz"]).network.referred_to(75)
    assert answer.vswr().values.max() < 1.6
    alone = es.solve(antennas.open_sleeve(F).antenna.without("upper", "lower"), "285 MHz").network.referred_to(75)
    assert alone.vswr().values[0, 0] > 3


def test_small_loops_radiate_as_their_area_squared():
    """R = 20π²(C/λ)⁴ for C well below λ (Balanis 2016, eq. 5-24): 5 percent at 0.06."""
    small = impedance(antennas.circular_loop(F, around="0.06 lambda", rod="0.0002 lambda"))
    assert small.real == pytest.approx(20 * math.pi**2 * 0.06**4, rel=0.05)
    ones = [figures(getattr(antennas, kind)(F))["gain"] for kind in ("circular_loop", "square_loop", "delta_loop")]
    # A full-wave loop: 3 to 3.7 dBi broadside; the circle, with the largest area, most (Balanis 2016, sec. 5.3).
    assert 2.9 < ones[2] < ones[1] < ones[0] < 3.8


@pytest.mark.parametrize("turns", [4, 8, 12])
def test_helix_gain_follows_measured_ones(turns):
    """King and Wong (1980), IEEE Trans. AP 28, eq. 1, fitted to measured helices; ± 1 dB."""
    found = figures(antennas.helix(F, turns=turns))
    around, rise = 1.05, 0.235
    pitch = math.tan(math.radians(12.5)) / (rise / around)
    ratio = 8.3 * around ** (math.sqrt(turns + 2) - 1) * (turns * rise) ** 0.8 * pitch ** (math.sqrt(turns) / 2)
    assert found["gain"] == pytest.approx(10 * math.log10(ratio), abs=1.0)
    assert found["axial ratio at the peak"] < 2.0


@pytest.mark.parametrize(
    ("spacing", "reflector", "directors", "dbd"),
    [
        (0.2, 0.482, [0.442], 7.1),
        (0.2, 0.482, [0.428, 0.424, 0.428], 9.2),
        (0.25, 0.482, [0.428, 0.420, 0.420, 0.428], 10.2),
    ],
)
def test_yagi_gain_follows_measured_ones(spacing, reflector, directors, dbd):
    """Viezbicke (1976), NBS Technical Note 688, table 1, elements 0.0085 wavelengths thick; ± 0.5 dB."""
    values = {"reflector": f"{reflector} lambda", "behind": f"{spacing} lambda", "rod": "0.0085 lambda"}
    values |= {f"director_{i + 1}": f"{x} lambda" for i, x in enumerate(directors)}
    values |= {f"ahead_{i + 1}": f"{spacing} lambda" for i in range(len(directors))}
    found = figures(antennas.yagi(F, elements=2 + len(directors), **values))
    assert found["gain"] == pytest.approx(dbd + 2.15, abs=0.5)


def test_yagis_of_every_length_gain_and_match():
    gains = []
    for elements in (2, 3, 5, 8, 12):
        answer = es.solve(antennas.yagi(F, elements=elements), ["148.5 MHz", "151.5 MHz"])
        assert answer.network.vswr().values.max() < 1.75
        gains.append(float(figures(antennas.yagi(F, elements=elements))["gain"]))
    assert np.all(np.diff(gains) > 1.0)
    stepped = [impedance(antennas.stepped_yagi(F)), impedance(antennas.stepped_yagi(F, tip="0.005 lambda"))]
    # Thinner tips make the elements electrically shorter: less reactance.
    assert stepped[0].imag < stepped[1].imag


def test_a_log_periodic_array_keeps_its_gain_and_match():
    """Butson and Thompson (1976), IEEE Trans. AP 24: about 8 dBi at a ratio of 0.89 and a spacing of 0.16; ± 1 dB."""
    answer = es.solve(antennas.log_periodic(F), es.band(F, "280 MHz", 27))
    assert answer.network.vswr().max() < 2.0
    gains = answer.figures(frequencies=["160 MHz", "190 MHz", "220 MHz", "250 MHz"])["gain"]
    assert gains.between(7.0, 9.2).all()
    assert np.ptp(gains) < 1.2


def test_a_quad_beats_a_dipole_beam_a_little():
    quad, beam = (figures(d) for d in (antennas.quad(F), antennas.yagi(F, elements=2)))
    assert 0.3 < quad["gain"] - beam["gain"] < 2.0
    assert quad["front-to-back ratio"] > 12.0


def test_reflectors_and_guides_give_what_is_expected_of_them():
    """Corner reflector 9 to 12 dBi (Kraus 1988, fig. 12-12), open round guide about 7.7, horn by its mouth's area."""
    corner, plane, can = (
        solved(k).drive().far_field().summary()["value"] for k in ("corner_reflector", "plane_reflector", "waveguide")
    )
    assert 9.0 < corner["gain"] < 12.0
    assert 7.5 < plane["gain"] < 9.0
    assert 7.0 < can["gain"] < 8.5
    assert corner["front-to-back ratio"] > 12
    horn = antennas.horn(F)
    mouth = horn.values["wide"] * horn.values["tall"] / (299792458.0 / 150e6) ** 2
    # An aperture with the sine of TE10 along one side, a little less for the flare: 8/π² of 4πA/λ².
    ideal = 10 * math.log10(4 * math.pi * mouth * 8 / math.pi**2)
    assert solved("horn").drive().far_field().summary()["value"]["gain"] == pytest.approx(ideal, abs=1.5)


def test_a_discone_covers_octaves():
    design = antennas.discone(F)
    network = es.solve(design, es.band("165 MHz", "450 MHz", 30)).network
    assert float(network.vswr().max()) < 3.0


def test_a_sleeve_keeps_current_off_its_cable():
    """With the tube a quarter-wave long the cable below it carries a quarter of what the rod does."""
    driven = es.solve(antennas.sleeve_dipole(F, cable="0.7 lambda")).drive()
    table = driven.currents_table()
    rod, cable = (table[table["wire"] == name] for name in ("rod", "cable"))
    below = cable[cable["z_m"] < -0.3 * 2.0]
    assert np.abs(below["current_A"]).max() < 0.3 * np.abs(rod["current_A"]).max()


def test_patches_begin_where_they_are_wanted():
    """Of 50 ohm within 10 and resonant within 1.5 % before anything is tuned; on a thin board, where formulas hold."""
    board = es.substrate("0.79 mm", "ptfe glass")
    start = es.layers.patch_start(board, "2.4 GHz")
    sheet = es.Sheet("patch", es.shapes.plate(start.length, start.width, centre=(0, 0, board.level)))
    pin = es.Wire("pin", [(start.offset, 0, 0), (start.offset, 0, board.level)], radius="0.3 mm")
    antenna = es.Antenna("patch", [pin], [es.Port("feed", "pin", at=0)], board, sheets=[sheet])
    network = es.solve(antenna, es.band("2.34 GHz", "2.46 GHz", 121)).network
    r = network.z().values[:, 0, 0].real
    assert network.frequencies[r.argmax()] == pytest.approx(2.4e9, rel=0.015)
    # Half of what goes in is lost in so thin a board, which the formulas leave out.
    assert 0.4 * 50 < r.max() < 60
    assert start.inset == pytest.approx(start.length / 2 - start.offset)
    with pytest.raises(es.UsageError, match="ohm of its rim"):
        es.layers.patch_start(board, "2.4 GHz", 900)
    with pytest.raises(es.UsageError, match="too thick"):
        es.layers.disk_start(es.substrate("60 mm", 2.2), "5 GHz")
    with pytest.raises(es.UsageError, match="it has 2 layers"):
        es.layers.disk_start(es.Stack([es.Layer("1 mm", "air"), es.Layer("1 mm", "foam")]), "5 GHz")


def test_a_patch_looks_up_and_its_field_is_along_it():
    for kind in PRINTED:
        if kind in ("board_dipole", "stripline_slot"):
            continue
        beam = solved(kind).drive().far_field()
        assert math.degrees(beam.peak[0]) < 12
        assert (
            6.5
            < float(beam.summary()["value"]["directivity"])
            < (9.6 if kind in ("stacked_patch", "slot_patch") else 8.5)
        )
        e_theta, e_phi = beam.field(np.array([0.0]), np.array([0.0]))
        assert abs(e_theta[0]) > 20 * abs(e_phi[0])


@pytest.mark.parametrize(
    ("board", "thickness", "frequency", "patches"),
    [("ptfe glass", "0.02 lambda", "5.8 GHz", 4), (es.Dielectric("made up", 3.2, 0.002), "0.015 lambda", "9.7 GHz", 3)],
)
def test_a_row_looks_straight_up(board, thickness, frequency, patches):
    """Each patch half a wave, each strip as good as one: all in phase, with the lobes of an even row."""
    row = antennas.series_row(frequency, board, thickness, patches=patches)
    assert not es.check(row)
    answer = es.solve(row, frequency)
    assert answer.network.vswr().values[0, 0] < 2.0
    beam = answer.drive().far_field()
    assert np.degrees(beam.peak[0]) < 1.3
    assert -13.6 < beam.side_lobe[0] < -10.5


def moments(driven):
    """Of every patch, along the field."""
    table = driven.sheet_currents_table()
    table = table[table["sheet"].str.contains("patch")]
    return (table["Jx_A_per_m"] * table["area_m2"]).groupby(table["sheet"]).sum().to_numpy()


@pytest.mark.parametrize(
    ("rows", "columns", "density", "decibels", "degrees"), [(2, 4, 0.5, 0.5, 4.0), (4, 4, 0.25, 1.5, 16.0)]
)
def test_a_tree_feeds_all_patches_alike(rows, columns, density, decibels, degrees):
    """Of equal ways, or a whole wave longer: equal powers but for what the tree sends past it, straight up."""
    panel = antennas.corporate_panel("5.8 GHz", rows=rows, columns=columns)
    assert not es.check(panel)
    driven = es.solve(panel, "5.8 GHz", rule=es.MeshRule(density=density), errors=False).drive()
    assert np.degrees(driven.far_field().peak[0]) < 1.0
    every = moments(driven)
    assert len(every) == rows * columns
    level, phase = 20 * np.log10(np.abs(every)), np.degrees(np.angle(every / every[0]))
    assert np.abs(level - level.mean()).max() < decibels
    assert np.abs(phase - phase.mean()).max() < degrees
    assert driven.ports_table()["active_vswr"].iloc[0].real < 2.0


def test_rows_of_a_panel_are_fed_alike():
    """Five patches one through another, four rows: within half a decibel, straight up."""
    solution = es.solve(antennas.series_panel("5.8 GHz"), "5.8 GHz", rule=es.MeshRule(density=0.5), errors=False)
    driven = solution.drive({port.name: es.watts(1) for port in solution.antenna.ports})
    level = 20 * np.log10(np.abs(moments(driven)))
    assert len(level) == 20
    assert np.abs(level - level.mean()).max() < 0.5
    assert np.degrees(driven.far_field().peak[0]) < 1.0


@pytest.mark.parametrize("kind", PANELS)
def test_panels_go_through_files_and_checks(kind, tmp_path, capsys):
    from earshot.views.commands.app import main

    path = tmp_path / "panel.toml"
    told = [] if kind == "series_row" else ["--count", "1x2" if kind == "corporate_panel" else "2x2"]
    assert main(["new", kind.replace("_", "-"), "-f", "5.8 GHz", "--out", str(path), *told]) == 0
    design = es.read_design(path).design
    sheets = {s.name for s in design.antenna.sheets}
    assert sum("patch" in name for name in sheets) == (5 if kind == "series_row" else 2 if "corp" in kind else 4)
    again = es.read_design(es.write(design.antenna, tmp_path / "again.toml", frequency="5.8 GHz")).design
    for one, other in zip(design.antenna.sheets, again.antenna.sheets, strict=True):
        assert one.surface.outline.symmetric_difference(other.surface.outline).area < 1e-6 * one.surface.outline.area
    assert main(["check", str(path)]) == 0
    assert main(["new", "corporate-panel", "-f", "5.8 GHz", "--count", "4x2", "--out", str(tmp_path / "x.toml")]) == 2
    assert "a port for each" in capsys.readouterr().err
    assert main(["new", "yagi", "-f", "1 GHz", "--count", "3x4", "--out", str(tmp_path / "y.toml")]) == 2
    assert "write it like '5'" in capsys.readouterr().err
