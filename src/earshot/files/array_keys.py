"""The keys of a design file that repeat its antenna over a layout, and feed the elements."""

from __future__ import annotations

import math

import numpy as np

from ..answers.cases import Case
from ..arrays import layouts
from ..arrays.array import Array
from ..arrays.elements import isotropic
from ..arrays.layouts import Layout
from ..arrays.solved import repeated
from ..arrays.weights import Weights, read_weights
from ..errors import DesignFileError
from ..geometry.antenna import Antenna
from ..geometry.design import Quantities
from ..media.surroundings import Medium
from ..network.sources import Source
from .array_schema import ArrayTable, BeamTable
from .case_keys import read_cut
from .schema import DesignTable
from .texts import Texts

_KINDS = ("line", "grid", "ring", "hexagon", "places")


def read_array(texts: Texts, table: ArrayTable, names: Quantities) -> Layout:
    """Where the elements are; raises DesignFileError unless it is said in one way."""
    given = [kind for kind in _KINDS if getattr(table, kind) is not None]
    if len(given) != 1:
        raise DesignFileError(
            f"{texts.name}: array: give exactly one of {', '.join(_KINDS)}; {len(given) or 'none'} are there"
        )

    def length(text: str | float, key: str) -> float:
        return texts.quantity(text, "length", f"array.{given[0]}.{key}", names)

    def angle(text: str | float, key: str) -> float:
        return texts.quantity(text, "angle", f"array.{given[0]}.{key}", names)

    if table.line is not None:
        return layouts.line(table.line.count, length(table.line.spacing, "spacing"), table.line.axis)
    if table.grid is not None:
        g = table.grid
        between = None if g.between_rows is None else length(g.between_rows, "between_rows")
        return layouts.grid(g.columns, g.rows, length(g.spacing, "spacing"), between, skew=angle(g.skew, "skew"))
    if table.ring is not None:
        r = table.ring
        return layouts.arc(r.count, length(r.radius, "radius"), angle(r.span, "span"), outward=r.outward)
    if table.hexagon is not None:
        return layouts.hexagon(table.hexagon.rings, length(table.hexagon.spacing, "spacing"))
    return layouts.read_layout(texts.folder / str(table.places))


def repeated_over(texts: Texts, table: DesignTable, antenna: Antenna, names: Quantities) -> Antenna:
    """The antenna of a file at every place of its array."""
    assert table.array is not None
    for name, beam in table.array.beam.items():
        # Values that only beams use are used.
        beam_angles(texts, beam, f"array.beam.{name}", names)
    return repeated(antenna, read_array(texts, table.array, names), name=table.title)


def read_beam(texts: Texts, table: DesignTable, name: str, layout: Layout, medium: Medium, names: Quantities) -> Case:
    """A beam as a case: each element driven by its share of the power available, with its phase."""
    assert table.array is not None
    beam, what = table.array.beam[name], f"array.beam.{name}"
    hertz = texts.hertz(table.frequency if beam.frequency is None else beam.frequency, f"{what}.frequency")
    weights = _weights(texts, beam, layout, hertz, what, names)
    values = weights.at(hertz)
    power = texts.quantity(beam.power, "power", f"{what}.power")
    share = math.sqrt(power / float((np.abs(values) ** 2).sum()))
    port = next(iter(table.port))
    sources = {
        f"e{n + 1}_{port}": Source("power", complex(share * value))
        for n, value in enumerate(values)
        if abs(value) > 0.0
    }
    return Case(name, sources, (hertz,), tuple(read_cut(texts, text, what, medium) for text in beam.cuts))


def _weights(texts: Texts, beam: BeamTable, layout: Layout, hertz: float, what: str, names: Quantities) -> Weights:
    array = Array(layout, isotropic(), what)
    options = {
        key: float(getattr(beam, key)) for key in ("side_lobe", "edge", "orders") if getattr(beam, key) is not None
    }
    if beam.weights is not None:
        weights = array.fitting(read_weights(texts.folder / beam.weights))
    elif beam.taper == "uniform" and not options:
        weights = array.uniform()
    else:
        weights = array.tapered(beam.taper, round_=beam.from_middle, **options)

    theta, phi, azimuth, elevation = beam_angles(texts, beam, what, names)
    if (theta, phi, azimuth, elevation) != (None, None, None, None):
        weights = array.steered(
            weights, frequency=hertz, theta=theta, phi=phi, azimuth=azimuth, elevation=elevation
        )  # fmt: skip
    if beam.bits is not None or beam.amplitude_step is not None:
        weights = weights.quantised(beam.bits, amplitude_step=beam.amplitude_step)
    return weights.without(n - 1 for n in beam.failed) if beam.failed else weights


def beam_angles(texts: Texts, beam: BeamTable, what: str, names: Quantities) -> list[float | None]:
    """θ, φ, azimuth and elevation of a beam, rad, as far as they are given."""
    ways = {key: getattr(beam, key) for key in ("theta", "phi", "azimuth", "elevation")}
    return [None if w is None else texts.quantity(w, "angle", f"{what}.{key}", names) for key, w in ways.items()]
