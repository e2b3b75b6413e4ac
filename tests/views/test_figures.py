"""Figures: what stands on them is right, readable and inside the sheet."""

import itertools

import numpy as np
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.text import Text

import earshot as es
from earshot.views.commands.options import load
from earshot.views.figures import FIGURES, Wishes
from earshot.views.plots.style import DASHES, LINES, SHORE
from overlaps import troubles


@pytest.fixture(scope="module")
def tag(demo_path):
    return es.run(load(demo_path, None))


@pytest.fixture(scope="module")
def turnstile(demo_path):
    return es.run(load(demo_path.with_name("uplink_turnstile.toml"), None))


def words(figure):
    """Every text on a figure."""
    return [t.get_text() for t in figure.findobj(Text) if t.get_text().strip()]


def drawn_texts(figure):
    """Every text that is drawn but the numbers of axes, with its box in pixels."""
    canvas = FigureCanvasAgg(figure)
    canvas.draw()
    texts = list(figure.texts)
    # Words in space know their place only while they are drawn.
    for axes in (a for a in figure.axes if a.name != "3d"):
        texts += [*axes.texts, *(axes.get_legend().get_texts() if axes.get_legend() else ())]
    for text in texts:
        if text.get_text().strip():
            yield text, text.get_window_extent(canvas.get_renderer())


@pytest.fixture(scope="module")
def others(demo_path):
    """What has figures that the tag receiver has not: several ports, ground, and layers."""
    line = es.run(load(demo_path.with_name("tag_line.toml"), None, ["150.1 MHz"]))
    swell = es.run(load(demo_path.with_name("buoy_on_swell.toml"), None, ["868 MHz"]))
    matrix = es.run(load(demo_path.with_name("tag_line_matrix.toml"), None))
    found = dict.fromkeys(("layout", "beam-map", "coupling", "scan", "ideal", "link"), line)
    stack = es.run(load(demo_path.with_name("mainland_stack.toml"), None, ["5.8 GHz"]))
    return found | {"along-ground": swell, "circuit": matrix, "power": matrix, "section": stack}


@pytest.mark.parametrize("name", [f for f in FIGURES if f not in ("surface", "animation")])
def test_every_figure_is_readable_as_it_comes(tag, others, name):
    of = others.get(name, tag)
    figure = FIGURES[name].draw(of, Wishes(at=["150.1 MHz"]))
    wide, high = figure.get_size_inches() * figure.dpi
    assert (wide, high) == (1280, 800)
    title, foot = figure.texts[:2] if name != "smith" else figure.texts[-2:]
    for text, box in drawn_texts(figure):
        assert min(box.x0, box.y0) >= -4, text.get_text()
        assert box.x1 <= wide + 4, text.get_text()
        assert box.y1 <= high + 4, text.get_text()
        assert text.get_fontsize() >= 8
    head = title.get_window_extent()
    for axes in figure.axes:
        if axes.get_legend() is not None:
            assert not axes.get_legend().get_window_extent().overlaps(head)
    if name not in ("near", "figures"):
        assert of.solution.antenna.name in " ".join(words(figure))
    assert foot.get_text()


def test_the_map_is_even_and_never_turns_back():
    """CIELAB from sRGB (IEC 61966-2-1, D65): lightness only rises, and steps of colour are nearly equal."""
    rgb = SHORE(np.linspace(0, 1, 64))[:, :3]
    linear = np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)
    mixing = [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]
    f = np.cbrt(linear @ np.array(mixing).T / [0.95047, 1.0, 1.08883])
    lab = np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=1)
    steps = np.linalg.norm(np.diff(lab, axis=0), axis=1)
    assert np.diff(lab[:, 0]).min() > 0.5
    assert lab[-1, 0] - lab[0, 0] > 75
    assert steps.max() < 1.6 * steps.mean()


def test_curves_differ_without_their_colour(tag):
    network = tag.solution.network
    figure = es.plots.vswr(*[network] * 5, labels=list("abcde"))
    lines = [line for line in figure.axes[0].lines if line.get_label() in "abcde"]
    assert len({str(line._dash_pattern) for line in lines}) == 5
    assert len(LINES) == len(DASHES) == len({line.get_color() for line in lines})


def test_what_is_read_off_is_right(tag):
    network = tag.solution.network
    frame = network.to_frame()
    figure = es.plots.vswr(network, at=["150 MHz"])
    said = " ".join(words(figure))
    band = network.bandwidth(vswr=2).iloc[0]
    assert f"{frame.loc[150e6, 'VSWR']:.2f}" in words(figure)
    assert (
        f"VSWR ≤ 2: {band['from_Hz'] / 1e6:.5g} to {band['to_Hz'] / 1e6:.5g} MHz, {band['width_percent']:.3g} %" in said
    )
    resonance = network.resonances().iloc[0]
    said = " ".join(words(es.plots.impedance(network, at=["150 MHz"])))
    assert f"series resonance, {resonance['frequency_Hz'] / 1e6:.5g} MHz: R = {resonance['R_ohm']:.3g} ohm" in said
    assert f"{frame.loc[150e6, 'R_ohm']:.4g} {frame.loc[150e6, 'X_ohm']:+.4g}j ohm" in said
    assert f"{frame.loc[150e6, 'return_loss_dB']:.1f} dB" in words(es.plots.return_loss(network, at=["150 MHz"]))
    with pytest.raises(es.UsageError, match="the curves run from 140 MHz to 160 MHz"):
        es.plots.vswr(network, at=["170 MHz"])


def test_one_antiresonance_does_not_flatten_the_rest():
    wire = es.Wire("rod", [(0, 0, -1), (0, 0, 1)], radius="1 mm")
    answer = es.solve(es.Antenna("full wave", [wire], [es.Port("feed", "rod")]), es.band("60 MHz", "160 MHz", 51))
    assert answer.network.to_frame()["R_ohm"].max() > 1000
    figure = es.plots.impedance(answer.network)
    assert figure.axes[0].get_ylim() == (-500, 500)
    assert "cut off at ±500 ohm" in " ".join(words(figure))
    assert es.plots.impedance(answer.network, top=2500).axes[0].get_ylim()[1] > 1000


def test_the_smith_chart_has_its_circle_and_points(tag):
    network = tag.solution.network
    figure = es.plots.smith(network, at=["150 MHz"], within=3)
    axes = figure.axes[0]
    radii = [np.hypot(*line.get_data()) for line in axes.lines]
    assert any(np.allclose(r, 0.5) for r in radii if len(r) > 100)
    gamma = network.reflection().sel(frequency=150e6).item()
    assert any(np.allclose(line.get_xydata(), [[gamma.real, gamma.imag]]) for line in axes.lines)
    z = network.impedance().sel(frequency=150e6).item()
    assert f"{z.real:.3g} {z.imag:+.3g}j ohm" in " ".join(words(figure))


def test_the_compressed_radius_is_what_its_rings_say(tag):
    beam = tag.cases[0].field
    figure = es.plots.polar(beam, "E", scale="compressed")
    axes = figure.axes[0]
    rings = dict(zip(axes.get_yticks(), [t.get_text() for t in axes.get_yticklabels()], strict=True))
    assert rings[0.5] == "-12 dB"
    assert rings[1.0] == f"{beam.summary().loc['gain', 'value']:.1f} dBi"
    cut = beam.cut("E", step=0.25)
    below = float(cut.gain.max()) - cut.gain.values
    np.testing.assert_allclose(axes.lines[0].get_ydata(), 1 / (1 + below / 12), atol=1e-9)
    linear = es.plots.polar(beam, "E", span=20).axes[0]
    rim = np.ceil(cut.gain.values.max() / 3) * 3
    np.testing.assert_allclose(linear.lines[0].get_ydata(), np.maximum(1 - (rim - cut.gain.values) / 20, 0), atol=1e-9)


def test_directions_are_named(tag, turnstile):
    assert {"0°\n+x", "90° +y"} <= set(words(es.plots.polar(tag.cases[0].field, elevation="0 deg")))
    up = es.plots.polar(turnstile.cases[0].field, azimuth="0 deg")
    assert {"0°\nhorizon", "90° zenith"} <= set(words(up))
    assert "0°\npeak" in words(es.plots.polar(tag.cases[0].field, "H"))
    assert "azimuth, from +x towards +y" in words(es.plots.sphere(tag.cases[0].field))
    assert {"zenith", "horizon"} <= set(words(es.plots.sphere(turnstile.cases[0].field)))


def test_several_fields_lie_over_one_another(tag, turnstile):
    solution = tag.solution
    beams = [solution.drive(frequency=f).far_field() for f in solution.solved[:2]]
    labels = [t.get_text() for t in es.plots.polar(beams, "E").axes[0].get_legend().get_texts()]
    assert [label.split(",")[0] for label in labels] == ["140 MHz", "143 MHz"]
    figure = es.plots.cartesian(turnstile.cases[0].field, azimuth="0 deg", quantity=["gain_rhcp", "gain_lhcp"])
    right, left = (line.get_ydata() for line in figure.axes[0].lines)
    assert np.nanmax(right) > np.nanmax(left) + 10
    for wrong in ({"quantity": "loudness"}, {"scale": "odd"}, {"labels": ["one", "two"]}):
        with pytest.raises(es.UsageError):
            es.plots.polar(beams[0], **wrong)
    with pytest.raises(es.UsageError, match="at least one far field"):
        es.plots.polar([])


def test_the_sphere_shows_its_peak(tag):
    figure = es.plots.sphere(tag.cases[0].field)
    assert f"peak {tag.cases[0].field.summary().loc['gain', 'value']:.2f} dBi" in words(figure)
    marker = next(line for line in figure.axes[0].lines if line.get_marker() == "o")
    np.testing.assert_allclose(marker.get_xydata(), [[0, 0]], atol=1e-9)


def test_the_geometry_names_wires_ports_dimensions_and_findings():
    design = es.antennas.yagi("150 MHz")
    said = " ".join(words(es.plots.geometry(design)))
    for word in ("reflector", "director_1", "port feed", "behind 483.3 mm", "driven 918.8 mm", "seen along z"):
        assert word in said
    boom = design.antenna.with_(es.Wire("boom", [(-0.6, 0, 0), (0.6, 0, 0)], radius="1 cm"))
    figure = es.plots.geometry(boom, findings=es.check(boom, "150 MHz"))
    assert sum(line.get_marker() == "X" for line in figure.axes[0].lines) == 3
    assert "without a junction" in " ".join(words(figure)).replace("\n", " ")
    solid = es.plots.geometry(es.antennas.helix("868 MHz"))
    assert solid.axes[0].name == "3d"


@pytest.mark.parametrize("kind", es.antennas.__all__)
def test_every_ready_made_antenna_has_a_sketch_with_all_its_lengths(kind):
    design = getattr(es.antennas, kind)("150 MHz")
    figure = es.plots.geometry(design)
    said = words(figure)
    for name in design.build.table.dimensions:
        assert any(w.startswith(f"{name} ") for w in said), name
    boxes = [box for text, box in drawn_texts(figure) if text.get_text().split(" ")[0] in dict(design.given)]
    # Named dimensions do not hide one another.
    if figure.axes[0].name != "3d":
        assert not any(a.overlaps(b) for a, b in itertools.combinations(boxes, 2))
    assert troubles(figure) == []


def test_couplings_are_drawn_once():
    wires = [es.Wire(n, [(x, 0, -0.45), (x, 0, 0.45)], radius="2 mm") for n, x in (("a", 0), ("b", 0.5))]
    pair = es.Antenna("pair", wires, [es.Port(w.name, w.name) for w in wires])
    answer = es.solve(pair, es.band("140 MHz", "160 MHz", 11))
    figure = es.plots.scattering(answer.network, at=["150 MHz"])
    assert [line.get_label() for line in figure.axes[0].lines[:3]] == ["reflection at a", "a to b", "reflection at b"]
    level = 20 * np.log10(abs(answer.network.s().sel({"to": "b", "from": "a"}).sel(frequency=150e6).item()))
    assert f"{level:.1f} dB" in words(figure)
    with pytest.raises(es.UsageError, match="no port 'c'"):
        es.plots.scattering(answer.network, ("c", "a"))


def test_currents_patterns_and_wishes(tag):
    driven, antenna = tag.cases[0].driven, tag.solution.antenna
    assert "charge, nC/m peak" in words(es.plots.currents(driven, which="charge"))
    with pytest.raises(es.UsageError, match="'current' or 'charge'"):
        es.plots.currents(driven, which="colour")
    assert "to scale, the peak drawn 1.5 m out" in " ".join(
        words(es.plots.pattern(driven.far_field(), antenna, reach="1.5 m"))
    )
    with pytest.raises(es.UsageError, match="not above zero"):
        es.plots.pattern(driven.far_field(), antenna, reach=0)


def test_maps_as_svg_are_pictures_not_a_million_shapes(tmp_path):
    beam = es.solve(es.antennas.yagi("150 MHz"), "150 MHz").drive().far_field()
    for name, draw in (("sphere", es.plots.sphere), ("pattern", es.plots.pattern)):
        draw(beam).savefig(tmp_path / f"{name}.svg")
        assert (tmp_path / f"{name}.svg").stat().st_size < 1_000_000


@pytest.mark.parametrize("ending", ["svg", "pdf", "png"])
def test_what_is_drawn_twice_makes_the_same_file_twice(tmp_path, ending):
    network = es.solve(es.antennas.dipole("150 MHz"), es.band("140 MHz", "160 MHz", 5)).network
    one, two = (tmp_path / f"{name}.{ending}" for name in ("one", "two"))
    for place in (one, two):
        es.plots.impedance(network).savefig(place)
    assert one.read_bytes() == two.read_bytes()
