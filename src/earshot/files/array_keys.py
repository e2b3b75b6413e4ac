"""The keys of a design file that repeat its antenna over a layout, and feed the elements."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from ..answers.cases import Case, Cut
from ..arrays import layouts
from ..arrays.array import Array
from ..arrays.chain import Chain
from ..arrays.elements import Element, cosine, half_wave_dipole, isotropic, two_slots
from ..arrays.layouts import Layout
from ..arrays.solved import repeated
from ..arrays.trials import Errors
from ..arrays.weights import Weights
from ..description.antenna import Antenna
from ..description.design import Quantities
from ..errors import DesignFileError, unknown
from ..media.surroundings import Medium
from ..network.sources import Source
from .array_schema import ArrayTable, BeamTable, ElementTable
from .array_tables import read_layout, read_pattern, read_weights
from .case_keys import read_cut
from .schema import DesignTable
from .texts import Texts

ELEMENTS = ("isotropic", "cosine", "half-wave dipole", "two slots")
"""What `array.element.kind` may say, besides the name of a table."""

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
        return texts.degrees(text, f"array.{given[0]}.{key}", names)

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
    return read_layout(texts.file(str(table.places)))


def repeated_over(texts: Texts, table: DesignTable, antenna: Antenna, names: Quantities) -> Antenna:
    """The antenna of a file at every place of its array."""
    assert table.array is not None
    for name, beam in table.array.beam.items():
        # Values that only beams use are used.
        beam_angles(texts, beam, f"array.beam.{name}", names)
    return repeated(antenna, read_array(texts, table.array, names), name=table.title)


@dataclass(frozen=True, slots=True)
class FedBeam:
    """A beam of a file: what it feeds the elements with, where (Hz), the power available (W), the cuts it wants."""

    name: str
    weights: Weights
    frequency: float
    power: float
    cuts: tuple[Cut, ...]

    def case(self, port: str) -> Case:
        """As a case: each element driven at its port by its share of the power available, with its phase."""
        values, delays = self.weights.values, self.weights.delays
        share = math.sqrt(self.power / float((np.abs(values) ** 2).sum()))
        sources = {
            f"e{n + 1}_{port}": Source("power", complex(share * value), float(late))
            for n, (value, late) in enumerate(zip(values, delays, strict=True))
            if abs(value) > 0.0
        }
        return Case(self.name, sources, (self.frequency,), self.cuts)


@dataclass(frozen=True, slots=True)
class Hardware:
    """What a file says of an array's hardware: its errors and how often they are tried, and its amplifiers."""

    errors: Errors | None
    trials: int
    seed: int
    chain: Chain | None
    temperature: float


def read_beam(
    texts: Texts, table: DesignTable, name: str, layout: Layout, medium: Medium, names: Quantities
) -> FedBeam:
    """A beam; raises DesignFileError, UsageError and UnitError for what is wrong with it."""
    assert table.array is not None
    beam, what = table.array.beam[name], f"array.beam.{name}"
    hertz = texts.hertz(table.frequency if beam.frequency is None else beam.frequency, f"{what}.frequency")
    front_only = medium.one_sided
    if table.array.element is not None:
        front_only = read_element(texts, table.array.element, names).front_only
    array = Array(layout, replace(isotropic(), front_only=front_only), what)
    weights = _weights(texts, beam, array, hertz, what, names)
    cuts = tuple(read_cut(texts, text, what, medium) for text in beam.cuts)
    return FedBeam(name, weights, hertz, texts.quantity(beam.power, "power", f"{what}.power"), cuts)


def read_element(texts: Texts, table: ElementTable, names: Quantities) -> Element:
    """What each element radiates; raises DesignFileError, UsageError and UnitError."""
    what = "array.element"
    used = {"cosine": {"power"}, "half-wave dipole": {"along"}, "two slots": {"length", "width"}}
    spare = sorted(table.model_fields_set - {"kind"} - used.get(table.kind, set()))
    if spare:
        raise DesignFileError(f"{texts.name}: {what}.{spare[0]}: '{table.kind}' has none: leave it out")
    if table.kind == "isotropic":
        return isotropic()
    if table.kind == "cosine":
        return cosine(table.power)
    if table.kind == "half-wave dipole":
        return half_wave_dipole(table.along)
    if table.kind == "two slots":
        if table.length is None or table.width is None:
            raise DesignFileError(f"{texts.name}: {what}: two slots have a length and a width: give both")
        sizes = [texts.quantity(getattr(table, key), "length", f"{what}.{key}", names) for key in ("length", "width")]
        return two_slots(*sizes)
    if not table.kind.lower().endswith(".csv"):
        raise DesignFileError(
            f"{texts.name}: {what}.kind: {unknown('element', table.kind, ELEMENTS)}, or the name of a table (.csv)"
        )
    return read_pattern(texts.file(table.kind))


def read_hardware(texts: Texts, table: ArrayTable, names: Quantities) -> Hardware:
    """Errors and amplifiers, and a look at the element; what is wrong is gathered."""
    errors, chain, count, seed, temperature = None, None, 0, 0, 290.0
    if table.element is not None:
        with texts.gathering("array.element"):
            read_element(texts, table.element, names)
    if table.errors is not None:
        e = table.errors
        with texts.gathering("array.errors"):
            if e.trials < 1:
                raise DesignFileError(f"{texts.name}: array.errors.trials: {e.trials} is below one")
            if e.seed < 0:
                raise DesignFileError(f"{texts.name}: array.errors.seed: {e.seed} is below zero")
            phase = texts.degrees(e.phase, "array.errors.phase", names)
            errors, count, seed = Errors(e.amplitude, phase, e.failed, e.kind), e.trials, e.seed
    if table.chain is not None:
        c = table.chain
        with texts.gathering("array.chain"):
            drive, top = (
                math.inf if w is None else texts.quantity(w, "power", f"array.chain.{key}", names)
                for key, w in (("drive", c.drive), ("saturated", c.saturated))
            )
            if not c.temperature >= 0.0:
                raise DesignFileError(f"{texts.name}: array.chain.temperature: {c.temperature} K is below zero")
            chain, temperature = Chain(c.gain, drive, top, c.loss, c.noise_figure), c.temperature
    return Hardware(errors, count, seed, chain, temperature)


def _weights(texts: Texts, beam: BeamTable, array: Array, hertz: float, what: str, names: Quantities) -> Weights:
    options = {
        key: float(getattr(beam, key)) for key in ("side_lobe", "edge", "orders") if getattr(beam, key) is not None
    }
    if beam.weights is not None:
        weights = array.fitting(read_weights(texts.file(beam.weights)))
    elif beam.taper == "uniform" and not options:
        weights = array.uniform()
    elif array.layout.lattice is None and not beam.from_middle:
        raise DesignFileError(
            f"{texts.name}: {what}.taper: the elements are on no lattice: write from_middle = true, or give weights"
        )
    else:
        weights = array.tapered(beam.taper, round_=beam.from_middle, **options)

    theta, phi, azimuth, elevation = beam_angles(texts, beam, what, names)
    if (theta, phi, azimuth, elevation) != (None, None, None, None):
        weights = array.steered(
            weights, frequency=hertz, delays=beam.delays, theta=theta, phi=phi, azimuth=azimuth, elevation=elevation
        )  # fmt: skip
    elif beam.delays:
        raise DesignFileError(f"{texts.name}: {what}.delays: there is no direction to steer to: give one")
    if (beam.bits, beam.amplitude_step, beam.least_amplitude) != (None, None, None):
        offset = texts.degrees(beam.phase_offset, f"{what}.phase_offset", names)
        least = beam.least_amplitude
        if least is not None and not least > 0.0:
            raise DesignFileError(
                f"{texts.name}: {what}.least_amplitude: {least} dB below the greatest is not above zero"
            )
        weights = weights.quantised(
            beam.bits, amplitude_step=beam.amplitude_step, least=None if least is None else -least, offset=offset
        )
    wrong = [n for n in beam.failed if not 1 <= n <= len(array)]
    if wrong:
        raise DesignFileError(
            f"{texts.name}: {what}.failed: there is no element {wrong[0]}: they are 1 to {len(array)}"
        )
    return weights.without(n - 1 for n in beam.failed) if beam.failed else weights


def beam_angles(texts: Texts, beam: BeamTable, what: str, names: Quantities) -> list[float | None]:
    """θ, φ, azimuth and elevation of a beam, degrees, as far as they are given."""
    ways = {key: getattr(beam, key) for key in ("theta", "phi", "azimuth", "elevation")}
    return [None if w is None else texts.degrees(w, f"{what}.{key}", names) for key, w in ways.items()]
