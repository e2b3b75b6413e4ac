"""Figures of one, three, five, eight and twelve curves: every name and number can be read, every curve told apart."""

import itertools

import numpy as np
import pytest

import earshot as es
from earshot.views import plots
from earshot.views.plots.cuts import QUANTITIES
from earshot.views.plots.surfaces import cut_lines
from overlaps import troubles

MANY = (1, 3, 5, 8, 12)


@pytest.fixture(scope="module")
def family():
    """Twelve dipoles over meadow at heights of their own, as solutions and far fields, and their names."""
    names, answers = [], []
    for n in range(12):
        wire = es.Wire(
            "rod", [(0, -0.40 - 0.01 * n, 0.4 + 0.3 * n), (0, 0.40 + 0.01 * n, 0.4 + 0.3 * n)], radius="4 mm"
        )
        antenna = es.Antenna("rods", [wire], [es.Port("feed", "rod")], es.earth("meadow"))
        answers.append(es.solve(antenna, [es.band("130 MHz", "190 MHz", 41), "150 MHz"]))
        names.append(f"height={0.4 + 0.3 * n:.1f} m, length={0.8 + 0.02 * n:.2f} m")
    return answers, [a.drive(None, 150e6).far_field() for a in answers], names


def band_figures(answers, names):
    networks, at = [a.network for a in answers], ["149 MHz", "151 MHz"]
    for draw in (plots.vswr, plots.return_loss, plots.impedance, plots.smith):
        yield draw(*networks, labels=names)
        yield draw(*networks, labels=names, at=at)


def pattern_figures(fields, names):
    yield plots.polar(fields, azimuth=[90], labels=names)
    yield plots.polar(fields, elevation=[20], azimuth=[90], labels=names)
    yield plots.polar(fields, "E", "H", labels=names)
    yield plots.cartesian(fields, "E", elevation=[20], labels=names)
    yield plots.cartesian(fields, azimuth=[90], quantity=["gain_theta", "gain_phi"], labels=names)
    yield plots.multiples(fields, azimuth=90, labels=names)


@pytest.mark.parametrize("count", MANY)
def test_curves_over_a_band_can_be_read(family, count):
    answers, _, names = family
    for figure in band_figures(answers[:count], names[:count]):
        assert troubles(figure) == []


@pytest.mark.parametrize("count", MANY)
def test_patterns_can_be_read(family, count):
    _, fields, names = family
    for figure in pattern_figures(fields[:count], names[:count]):
        assert troubles(figure) == []


def test_no_two_curves_are_drawn_alike(family):
    answers, fields, names = family

    def pens(axes, least=3):
        lines = [line for line in axes.lines if len(line.get_xdata()) > least and line.get_linewidth() > 1.5]
        return [(line.get_color(), str(line.get_linestyle()), str(line._unscaled_dash_pattern), line.get_marker())
                for line in lines]  # fmt: skip

    for figure in (plots.vswr(*(a.network for a in answers), labels=names), plots.cartesian(fields, "E", labels=names),
                   plots.impedance(*(a.network for a in answers), labels=names)):  # fmt: skip
        drawn = pens(figure.axes[0], 4)
        assert len(set(drawn)) == len(drawn) >= 12


def test_what_is_listed_is_what_is_drawn(family):
    _, fields, names = family
    figure = plots.cartesian(fields, azimuth=[90], labels=names)
    said = [text.get_text() for text in figure.texts]
    listed = " ".join(said)
    order = []
    for name, field in zip(names, fields, strict=True):
        most = field.cut(azimuth=90, step=0.25)["gain"].values.max()
        assert f"{most:.2f} dBi" in listed
        order.append((most, listed.index(name.split(",")[0])))
    # The strongest first.
    assert [place for _, place in sorted(order, key=lambda x: -x[0])] == sorted(place for _, place in order)


@pytest.mark.parametrize("steer", ["0 deg", "25 deg"])
def test_a_sharp_beam_is_drawn_close_up_too(steer):
    array = es.arrays.Array(es.arrays.grid(20, 20, 0.03), es.arrays.cosine(1.5))
    field = array.beam(
        5.8e9, array.steered(array.tapered("taylor", side_lobe=30), frequency=5.8e9, theta=steer, phi="0 deg")
    )
    figure = plots.cartesian(field, azimuth=[0.0])
    close, whole = figure.axes
    low, high = close.get_xlim()
    wide = field.beamwidth("E")
    assert low < 90.0 - np.degrees(field.peak[0]) < high
    assert 4.0 < (high - low) / wide < 9.0
    assert np.ptp(whole.get_xlim()) == 180.0
    assert troubles(figure) == []
    wide_beam = es.arrays.Array(es.arrays.grid(2, 2, 0.03), es.arrays.cosine(1.5)).beam(5.8e9)
    assert len(plots.cartesian(wide_beam, azimuth=[0.0]).axes) == 1


def test_cases_lie_over_one_another_by_command(run, tmp_path, demo_path):
    line = demo_path.with_name("tag_line.toml")
    assert run("solve", line, "-f", "150.1 MHz", "--out", tmp_path / "out")[0] == 0
    results, where = tmp_path / "out/results.nc", tmp_path / "f"
    names = [case.name for case in es.read_design(line).cases][:2]
    wanted = ["--case", names[0], "--case", names[1], "--quantity", "gain_theta", "--elevation", "0"]
    assert run("plot", results, "cartesian", "polar", *wanted, "--out", where)[0] == 0
    assert {p.name for p in where.iterdir()} == {"cartesian.png", "polar.png"}
    for wrong, says in ((["--case", "nobody"], "no case 'nobody'"), (["--quantity", "gian"], "did you mean 'gain'"),
                        (["--plane", "K"], "not E or H"), (["--azimuth", "x"], "--azimuth")):  # fmt: skip
        status, _, err = run("plot", results, "polar", *wrong, "--out", where)
        assert status == 2
        assert says in err
        assert "Traceback" not in err
    assert "gain_rhcp" in QUANTITIES


def test_metal_is_outlined_where_a_plane_cuts_it():
    """Random triangles against brute force: every piece of line lies in the plane and in its triangle."""
    random = np.random.default_rng(4)
    corners = random.normal(size=(200, 3, 3))
    for normal, off in ((np.eye(3)[2], 0.1), (np.array([0.6, 0.0, 0.8]), -0.3)):
        cuts = cut_lines(corners, normal, off)
        np.testing.assert_allclose(cuts @ normal, off, atol=1e-12)
        height = corners @ normal - off
        assert len(cuts) == ((height > 0).any(axis=1) & (height < 0).any(axis=1)).sum()
        assert np.isfinite(cuts).all()
    flat = np.array([[[0.0, 0, 1], [1, 0, 1], [0, 1, 1]]])
    assert len(cut_lines(flat, np.eye(3)[2], 1.0)) == 3
    assert all(len(set(map(tuple, pair))) == 2 for pair in itertools.chain(cut_lines(flat, np.eye(3)[2], 1.0)))
