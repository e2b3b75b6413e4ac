"""A cell of an array without end again and again, with a size, its lattice or the frequency changed."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import pandas as pd

from .. import units
from ..cells import illuminate, planes, scan, towards
from ..cells.surface import POLARISATIONS
from ..files.design_file import DesignFile
from ..files.design_text import AnyDesign, as_file
from ..files.editing import changed, changes_of
from ..files.lattice_keys import cell_of
from .variants import each_variant
from .varying import Study

_FORM = "NAME=RANGE", "pitch = 26 mm to 34 mm in 9"


def vary_cell(
    file: AnyDesign, changes: Sequence[str], angles: Sequence[float] = (0.0, 30.0, 45.0, 60.0), port: str = ""
) -> Study:
    """What a fed cell sees at broadside and scanned in its E, H and D planes, for every combination of changes.

    changes: "NAME = RANGE" of values, or of the frequency. angles: of scans, degrees. port: the one that is fed.
    """
    file = as_file(file)

    def ask(texts: list[str]) -> pd.DataFrame:
        own, hertz = _made(file, texts)
        cell = cell_of(own)
        weights = {port or cell.antenna.ports[0].name: 1.0}
        ways = planes(cell, hertz, weights)
        some = [(kind, angle) for kind in "EHD" for angle in angles if angle or kind == "E"]
        uv = np.array([towards(angle, math.degrees(ways[kind])) for kind, angle in some])
        table = scan(cell, uv, hertz).table(weights)
        figures = {}
        for (kind, angle), (_, row) in zip(some, table.iterrows(), strict=True):
            where = f"{angle:g}° {kind}" if angle else "broadside"
            ohms = complex(row["active_impedance_ohm"])
            figures[f"VSWR {where}"] = (row["vswr"], "1")
            figures[f"R {where}"], figures[f"X {where}"] = (ohms.real, "ohm"), (ohms.imag, "ohm")
            figures[f"reflection {where}"] = (row["reflection_dB"], "dB")
            figures[f"gain {where}"] = (row["element_gain_dBi"], "dBi")
        return _framed(figures)

    return _study(file, changes, ask)


def vary_surface(
    file: AnyDesign, changes: Sequence[str], theta: Sequence[float] = (0.0,), phi: Sequence[float] = (0.0,)
) -> Study:
    """What a cell sends back of plane waves from θ and φ, degrees, and lets through, as `vary_cell` asks."""
    file = as_file(file)

    def ask(texts: list[str]) -> pd.DataFrame:
        own, hertz = _made(file, texts)
        t, p = np.meshgrid(theta, phi, indexing="ij")
        found, figures = illuminate(cell_of(own), t, p, hertz), {}
        for n, (polar, around) in enumerate(zip(found.theta, found.phi, strict=True)):
            for column, kind in enumerate(POLARISATIONS):
                where = f"{kind} {polar:g}°, {around:g}°"
                back, on = found.reflection[n, column, column], found.transmission[n, column, column]
                figures[f"phase of R, {where}"] = (math.degrees(np.angle(back)), "deg")
                figures[f"R, {where}"] = (abs(back), "1")
                if abs(on) > 1e-9:
                    figures[f"T, {where}"] = (abs(on), "1")
        return _framed(figures)

    return _study(file, changes, ask)


def _framed(figures: dict[str, tuple[float, str]]) -> pd.DataFrame:
    return pd.DataFrame.from_dict(figures, orient="index", columns=["value", "unit"])


def _made(file: DesignFile, texts: list[str]) -> tuple[DesignFile, float]:
    """The file with values changed, and the frequency, Hz, which may be among them."""
    hertz = float(file.design.frequency or file.asked.every[0])
    rest = []
    for text in texts:
        name, _, value = text.partition("=")
        if name == "frequency":
            hertz = units.frequency(value)
        else:
            rest.append(text)
    return (changed(file, changes_of(rest)) if rest else file), hertz


def _study(file: DesignFile, changes: Sequence[str], ask: Callable[[list[str]], pd.DataFrame]) -> Study:
    given = dict(file.design.given)

    def made(texts: list[str]) -> object:
        return cell_of(_made(file, texts)[0])

    def present(name: str) -> str:
        return given[name].text if name in given else ""

    return each_variant(file.title, changes, _FORM, ask, made, present)
