"""A file's array without coupling: its beams at once, from the pattern of one element alone."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ..answers.cases import Cut
from ..answers.solve import solve
from ..arrays.array import Array
from ..arrays.chain import link_figures
from ..arrays.elements import Element, solved_element
from ..arrays.measures import beam_figures
from ..arrays.scanning import facing_of
from ..arrays.solved import SolvedArray
from ..arrays.trials import Trials, trials
from ..arrays.weights import Weights
from ..errors import UsageError
from ..fields.far import FarField
from ..units import engineering
from .array_keys import FedBeam, Hardware, read_array, read_beam, read_element, read_hardware
from .design_file import DesignFile, FileBuild, alone, medium_of
from .design_text import AnyDesign, as_file

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, eq=False)
class IdealBeam:
    """One beam of an array without coupling, at a frequency (Hz). cuts: those the file wants of it."""

    name: str
    array: Array
    weights: Weights
    frequency: float
    cuts: tuple[Cut, ...]

    @cached_property
    def field(self) -> FarField:
        """What it sends."""
        return replace(self.array.beam(self.frequency, self.weights), label=self.name)

    @cached_property
    def figures(self) -> pd.Series:
        """As `arrays.beam_figures`."""
        return beam_figures(self.array, self.weights, frequency=self.frequency).rename(self.name)


@dataclass(frozen=True, slots=True)
class IdealArray:
    """The array of a design file without coupling: its beams, and what hardware makes of them."""

    title: str
    beams: tuple[IdealBeam, ...]
    hardware: Hardware

    def beam(self, name: str) -> IdealBeam:
        """A beam by name; raises UsageError for one there is not."""
        for one in self.beams:
            if one.name == name:
                return one
        raise UsageError(f"array '{self.title}': there is no beam '{name}': {', '.join(b.name for b in self.beams)}")

    def trials(self, beam: IdealBeam) -> Trials | None:
        """A beam with the file's errors; None when it names none."""
        h = self.hardware
        if h.errors is None:
            return None
        return trials(beam.array, beam.weights, h.errors, frequency=beam.frequency, count=h.trials, seed=h.seed)

    def link(self, beam: IdealBeam, solved: SolvedArray | None = None) -> pd.DataFrame | None:
        """EIRP and G/T of the beam's amplitudes with the file's amplifiers, steered from where the array faces; or None
        when the file names none. solved: with coupling, of the same elements.
        """  # fmt: skip
        h = self.hardware
        if h.chain is None:
            return None
        size = np.abs(beam.weights.values)
        facing, along = facing_of(beam.array.layout, beam.field.peak)
        return link_figures(
            solved or beam.array, h.chain, Weights(size / size.max()), frequency=beam.frequency, facing=facing,
            along=along, antenna_temperature=h.temperature,
        )  # fmt: skip


def ideal_array(file: AnyDesign, *frequencies: float) -> IdealArray:
    """The beams of a file's array without coupling; one with all elements alike when it names none.

    Each element sends what `array.element` says, or else what the file's antenna does alone, which is solved.
    frequencies: Hz, to look at all beams there instead, with the weights they have. Raises UsageError when the file has
    no array.
    """
    file = as_file(file)
    build = file.design.build
    if not isinstance(build, FileBuild) or build.table.array is None:
        raise UsageError(f"design '{file.title}' has no array: add the key 'array' to its file")
    own, names = build.table.array, file.design.values.quantities
    texts = build.texts
    layout, medium = read_array(texts, own, names), medium_of(texts, build.table, names)
    hardware = read_hardware(texts, own, names)
    fed = [read_beam(texts, build.table, name, layout, medium, names) for name in own.beam]
    texts.told()
    if not fed:
        fed = [FedBeam("in phase", Weights(np.ones(len(layout))), build.frequency, 1.0, ())]
    seen = [(one, hertz) for one in fed for hertz in frequencies or (one.frequency,)]
    at = [hertz for _, hertz in seen]
    elements = (
        dict.fromkeys(at, read_element(texts, own.element, names))
        if own.element is not None
        else _solved_alone(file, sorted(set(at)))
    )
    arrays = {hertz: Array(layout, element, file.title) for hertz, element in elements.items()}
    beams = tuple(
        IdealBeam(
            f"{one.name} at {engineering(hertz, 'Hz', 6)}" if len(frequencies) > 1 else one.name,
            arrays[hertz], one.weights, hertz, one.cuts,
        )
        for one, hertz in seen
    )  # fmt: skip
    return IdealArray(file.title, beams, hardware)


def _solved_alone(file: DesignFile, frequencies: list[float]) -> dict[float, Element]:
    """The file's antenna alone, at each frequency."""
    solution = solve(alone(file.design).antenna, list(frequencies))
    return {
        hertz: solved_element(solution.drive(None, hertz).far_field(), "the antenna solved alone")
        for hertz in frequencies
    }
