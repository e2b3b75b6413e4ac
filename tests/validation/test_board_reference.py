"""Boards with metal on several levels: kernels through the tables, and resonances of patches under and over others."""

import json
import time
from pathlib import Path

import numpy as np
import pytest
from scipy.optimize import least_squares

import earshot as es
from earshot.layers import Spectrum, level_tables

CASES = {c["id"]: c for c in json.loads((Path(__file__).parent / "levels.json").read_text())["cases"]}
WAVE = 0.3
HERTZ = 299_792_458.0 / WAVE

STACKED = ([(1.588, 2.2), (5.0, 1.07)], [(40, 50, 1.588), (44, 54, 6.588)])
PATCHES = {
    "patch_cover233": ([(3.175, 2.33), (1.588, 2.33)], [(38, 57, 3.175)]),
    "patch_gapcover44": ([(1.588, 2.2), (12, 1.0), (1.6, 4.4)], [(40, 50, 1.588)]),
    "patch_inverted": ([(4.0, 1.0), (0.8, 2.55)], [(50, 60, 4.0)]),
    "patch_composite": ([(1.27, 10.2), (1.588, 2.2)], [(30, 38, 2.858)]),
}


def test_kernels_through_the_tables():
    """Every case between faces of the layers, to 1e-4."""
    seen, tables = 0, {}
    for c in CASES.values():
        p, kind = c["parameters"], c["id"].split("_")
        if kind[0] != "G" or kind[4] not in ("xx", "phi"):
            continue
        layers = zip(p["thickness_lambda0"], p["eps_r"], p["tan_delta"], strict=True)
        stack = es.Stack([es.Layer(WAVE * d, es.Dielectric("layer", e, t)) for d, e, t in layers])
        place = stack.level_at(WAVE * np.array([p["z_source_lambda0"], p["z_lambda0"]]))
        if (place < 0).any():
            continue
        if stack not in tables:
            start = time.perf_counter()
            tables[stack] = level_tables(Spectrum(stack, HERTZ), (1, 2, 3), 10.1 * WAVE, 0.02 * WAVE)
            print(f"tables of three levels: {time.perf_counter() - start:.2f} s")
        table = tables[stack][int(place[0]), int(place[1])]
        found = (table.vector if kind[4] == "xx" else table.scalar)(p["rho_lambda0"] * WAVE) / table.wavenumber
        assert abs(found - complex(*c["value"])) < 1e-4 * abs(complex(*c["value"])), c["id"]
        seen += 1
    assert seen > 20


def probed(layers, patches):
    """Patches on a board, with a thin probe near the middle of the first, which it hardly loads."""
    made = [es.Layer(d * 1e-3, es.Dielectric(f"er {e}", e)) for d, e in layers]
    sheets = [
        es.Sheet(f"patch {n}", es.shapes.plate(length * 1e-3, width * 1e-3, centre=(0, 0, z * 1e-3)))
        for n, (length, width, z) in enumerate(patches)
    ]
    pin = es.Wire("pin", [(2e-3, 0, 0), (2e-3, 0, patches[0][2] * 1e-3)], radius=0.2e-3)
    return es.Antenna("board", [pin], [es.Port("feed", "pin", at=0)], es.Stack(made), sheets=sheets)


def poles(hertz, z, starts):
    """Poles of an impedance, each with its residue, over a smooth background; GHz."""
    x = hertz / 1e9
    middle = x.mean()

    def left(v):
        guess = v[::2] + 1j * v[1::2]
        columns = np.column_stack([1.0 / (x[:, None] - guess), np.vander(x - middle, 5)])
        miss = columns @ np.linalg.lstsq(columns, z, rcond=None)[0] - z
        return np.concatenate([miss.real, miss.imag])

    start = np.array([part for p in starts for part in (p.real, p.imag)])
    found = least_squares(left, start, x_scale=0.01).x
    return found[::2] + 1j * found[1::2]


def wanted(key):
    hertz, q = CASES[key]["value"][:2]
    return complex(hertz, hertz / (2.0 * q))


@pytest.mark.parametrize("key", PATCHES)
def test_covered_inverted_and_composite_patches(key):
    want = wanted(key)
    network = es.solve(probed(*PATCHES[key]), es.band(0.94e9 * want.real, 1.06e9 * want.real, 121)).network
    z = network.z().values[:, 0, 0]
    pole = poles(network.frequencies, z, [want])[0]
    print(key, f"f {pole.real / want.real - 1:+.4%}, Q {pole.real / pole.imag * want.imag / want.real - 1:+.2%}")
    assert network.frequencies[z.real.argmax()] / 1e9 == pytest.approx(want.real, rel=5e-3)
    assert pole.real == pytest.approx(want.real, rel=3e-3)
    assert pole.real / pole.imag == pytest.approx(want.real / want.imag, rel=0.03)


def test_stacked_patches():
    """Both resonances of two patches one over the other, from one sweep."""
    want = [wanted(f"patch_stackA_mode{n}") for n in (1, 2)]
    network = es.solve(probed(*STACKED), es.band("2.1 GHz", "3.1 GHz", 201)).network
    hertz, z = network.frequencies / 1e9, network.z().values[:, 0, 0]
    found = poles(network.frequencies, z, want)
    for one, two in zip(found, want, strict=True):
        print(f"f {one.real / two.real - 1:+.4%}, Q {one.real / one.imag * two.imag / two.real - 1:+.2%}")
        near = np.abs(hertz - two.real) < 0.1
        assert hertz[near][z.real[near].argmax()] == pytest.approx(two.real, rel=5e-3)
        assert one.real == pytest.approx(two.real, rel=3e-3)
        assert one.real / one.imag == pytest.approx(two.real / two.imag, rel=0.05)
