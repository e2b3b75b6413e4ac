"""The metal of the plane under layers: against perturbation, the inductance rule, and reciprocity."""

import math

import numpy as np
import pytest

import earshot as es
from earshot.files.design_text import antenna_text
from earshot.media.modes import surface_waves
from earshot.media.spectral import Spectrum

LIGHT = 299792458.0


@pytest.mark.parametrize("permittivity", [2.33, 4.4, 9.8])
def test_a_surface_wave_fades_by_what_its_current_heats(permittivity):
    """α = ½ Rs |H|² / 2P, of H = cos kz in the layer and its tail above: Pozar (2012), sec. 3.6."""
    spectrum = Spectrum(es.substrate("1.6 mm", permittivity, plane="copper"), 5.8e9)
    (wave,) = [w for w in surface_waves(spectrum) if w.name == "TM0"]
    n, h = wave.index.real, spectrum.level
    up, down = math.sqrt(n**2 - 1), math.sqrt(permittivity - n**2)
    power = (
        0.5 * n * ((h / 2 + math.sin(2 * down * h) / (4 * down)) / permittivity + math.cos(down * h) ** 2 / (2 * up))
    )
    assert -wave.index.imag == pytest.approx(0.5 * spectrum.ground.real / (2 * power), rel=1e-3)


def test_probes_and_currents_see_one_another_alike():
    """A surface wave carries one power: of the residues, one is what the other two make it."""
    layers = [es.Layer("1.6 mm", es.Dielectric("lower", 4.4, 0.01)), es.Layer("0.6 mm", es.Dielectric("upper", 2.4))]
    for plane in (None, "stainless steel"):
        for wave in surface_waves(Spectrum(es.Stack(layers, plane=plane), 20e9)):
            if wave.tm:
                assert wave.level * wave.alone == pytest.approx(wave.probe**2, rel=1e-9)


@pytest.mark.parametrize("ratio", [1, 3])
def test_the_loss_of_a_line_follows_the_inductance(ratio):
    """α = Rs/2Z0µ0 · ∂L/∂h: the plane recedes by half a skin depth (Wheeler 1942, eq. 3)."""
    height = 0.5e-3
    line = es.layers.strip_line(es.substrate(height, 2.2, plane="copper"), ratio * height, "1 GHz")

    def inductance(h):
        return es.layers.strip_line(es.substrate(h, 1.0001), ratio * height, "100 MHz").impedance.real / LIGHT

    slope = (inductance(1.001 * height) - inductance(0.999 * height)) / (0.002 * height)
    rs = es.materials.metals["copper"].sheet_impedance(1e9).real
    nepers = rs * slope / (2 * line.impedance.real * 4e-7 * math.pi)
    assert line.loss == pytest.approx(20 * math.log10(math.e) * nepers, rel=3e-3)


def patch(plane):
    level = 1.575e-3
    sheet = es.Sheet("patch", es.shapes.plate("16 mm", "20 mm", centre=(0, 0, level)), metal="copper")
    pin = es.Wire("pin", [(3e-3, 0, 0), (3e-3, 0, level)], radius="0.65 mm")
    medium = es.substrate(level, 2.2, plane=plane)
    return es.Antenna("patch", [pin], [es.Port("feed", "pin", at=0)], medium, sheets=[sheet])


def test_the_budget_has_the_plane():
    budget = es.solve(patch("copper"), "5.85 GHz").drive().budget()["power_W"]
    taken, of_patch = budget["plane (remainder)"], budget["metal of sheet 'patch'"]
    # The patch has its rims and its upper face besides.
    assert 0.5 * of_patch < taken < of_patch
    worse = es.solve(patch("stainless steel"), "5.85 GHz").drive().budget()["power_W"]
    skins = [es.materials.metals[name].sheet_impedance(5.85e9).real for name in ("stainless steel", "copper")]
    # The metal's inductance moves the resonance a little besides.
    per_watt = [b["plane (remainder)"] / b["radiated"] for b in (worse, budget)]
    assert per_watt[0] / per_watt[1] == pytest.approx(skins[0] / skins[1], rel=0.05)
    assert "plane (remainder)" not in es.solve(patch(None), "5.85 GHz").drive().budget().index
    both = patch("copper").over(es.substrate("1.575 mm", 2.2, 0.001, plane="copper"))
    assert "dielectric and plane (remainder)" in es.solve(both, "5.85 GHz").drive().budget().index


def read(tmp_path, text):
    (tmp_path / "patch.toml").write_text(text, encoding="utf-8")
    return es.read_design(tmp_path / "patch.toml").design.antenna


def test_a_file_names_the_plane(tmp_path):
    text = antenna_text(patch("copper"), 5.8e9)
    assert 'plane = "copper"' in text
    again = read(tmp_path, text)
    assert again.medium == patch("copper").medium
    assert str(again.medium).endswith("on a plane of copper")
    plated = patch(es.materials.Metal("plated", 2e7))
    assert read(tmp_path, antenna_text(plated, 5.8e9)).medium.plane.conductivity == 2e7
    with pytest.raises(es.DesignFileError, match="plane: there is no metal 'wood'"):
        read(tmp_path, text.replace('plane = "copper"', 'plane = "wood"'))


def test_a_plane_without_layers_is_refused(tmp_path):
    path = tmp_path / "rod.toml"
    path.write_text(
        'title = "rod"\nfrequency = "100 MHz"\nmedium = "perfect plane"\nplane = "copper"\n'
        '[wire.rod]\nradius = "1 mm"\npoints = ["0, 0, 0", "0, 0, 0.7 m"]\n[port.feed]\non = "rod"\nat = 0\n'
    )
    with pytest.raises(es.DesignFileError, match="'copper' is the metal under layers, and there are none"):
        es.read_design(path)


def test_a_good_plane_is_nearly_a_perfect_one():
    z = [
        es.solve(patch(es.materials.Metal("best", s) if s else None), "5.8 GHz").network.z().values[0, 0, 0]
        for s in (1e12, 0)
    ]
    assert np.abs(z[0] - z[1]) < 3e-4 * abs(z[1])
