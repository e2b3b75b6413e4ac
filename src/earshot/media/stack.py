"""Layers on a conducting plane: what patches are printed on."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import cached_property
from numbers import Integral
from typing import TYPE_CHECKING

import numpy as np

from .. import units
from ..arraytypes import Bools, Complexes, Floats, Ints
from ..errors import UsageError, needs
from .catalogue import Catalogue
from .half_space import reflected
from .metals import Metal, metals
from .plain import Plain

if TYPE_CHECKING:
    from .spectral import Spectrum


@dataclass(frozen=True, slots=True)
class Dielectric:
    """A material for layers: relative permittivity, loss tangent, relative permeability, and where they are from."""

    name: str
    permittivity: float
    loss_tangent: float = 0.0
    permeability: float = 1.0
    source: str = ""

    def __post_init__(self) -> None:
        needs(self.name, str, "dielectric, name", "text")
        needs(self.source, str, f"dielectric '{self.name}', source", "text: where its figures are from")
        for what, value, least in (
            ("permittivity", self.permittivity, 1.0),
            ("loss tangent", self.loss_tangent, 0.0),
            ("permeability", self.permeability, 1.0),
        ):
            if units.number(value, f"dielectric '{self.name}', {what}") < least:
                raise UsageError(f"dielectric '{self.name}': {what} {value} is below {least:g}")
        if self.loss_tangent > 1.0:
            raise UsageError(
                f"dielectric '{self.name}': loss tangent {self.loss_tangent} is above 1: is it in percent?"
            )

    @property
    def complex_permittivity(self) -> complex:
        """ε' (1 - j tan δ), relative."""
        return complex(self.permittivity, -self.permittivity * self.loss_tangent)


_TYPICAL = "typical of its kind at microwave frequencies; take your maker's figure"
dielectrics = Catalogue(
    "dielectric",
    (
        Dielectric("air", 1.0, 0.0, source="exact to 6e-4"),
        Dielectric("alumina", 9.8, 2e-4, source=_TYPICAL),
        Dielectric("foam", 1.07, 1e-3, source=_TYPICAL),
        Dielectric("fused quartz", 3.78, 1e-4, source=_TYPICAL),
        Dielectric("glass epoxy", 4.4, 0.02, source=_TYPICAL),
        Dielectric("ceramic-filled hydrocarbon", 3.5, 3e-3, source=_TYPICAL),
        Dielectric("polyethylene", 2.26, 3e-4, source=_TYPICAL),
        Dielectric("ptfe", 2.08, 3e-4, source=_TYPICAL),
        Dielectric("ptfe glass", 2.33, 1.2e-3, source=_TYPICAL),
        Dielectric("polycarbonate", 2.8, 6e-3, source=_TYPICAL),
    ),
)
"""Dielectrics by generic name."""


@dataclass(frozen=True, slots=True, init=False)
class Layer:
    """A layer: its thickness (m), what it is of, and what its upper face is called, if anything."""

    thickness: float
    material: Dielectric
    name: str

    def __init__(self, thickness: str | float, material: Dielectric | str, name: str = "") -> None:
        metres = units.length(thickness, "layer, thickness")
        if not (math.isfinite(metres) and metres > 0.0):
            raise UsageError(f"layer: thickness {thickness} is not above zero; leave the layer out")
        needs(material, Dielectric | str, "layer, material", "a dielectric by name, or a Dielectric")
        needs(name, str, "layer, name", "text: what its upper face is called")
        object.__setattr__(self, "thickness", metres)
        object.__setattr__(self, "material", dielectrics[material] if isinstance(material, str) else material)
        object.__setattr__(self, "name", name)


@dataclass(frozen=True, init=False)
class Stack(Plain):
    """A conducting plane at z = 0, layers on it from the bottom up, and air above; all without end.

    Metal may lie on any face of the layers but the plane. metal_on: the number of layers below the metal that is spoken
    of where one level is meant, as of lines; all of them unless given, which is the top. plane: the metal of the
    plane, many skin depths thick; a perfect conductor unless given. open_below: there is no plane, but air under the
    layers as well. lid: a plane of the same metal lies on the topmost layer too, and nothing gets out. fades: over how
    many layers under it the current falls to none in the probes that are meant, see `sweep.Upright`.
    """

    layers: tuple[Layer, ...]
    metal_on: int
    plane: Metal | None
    open_below: bool
    lid: bool
    fades: int = field(default=0, repr=False)

    tabled = True

    def __init__(
        self, layers: Iterable[Layer] | Layer, metal_on: int | None = None, plane: Metal | str | None = None,
        *, open_below: bool = False, lid: bool = False,
    ) -> None:  # fmt: skip
        needs(layers, Layer | Iterable, "stack, layers", "a list of layers, from the bottom up")
        own = (layers,) if isinstance(layers, Layer) else tuple(layers)
        for layer in own:
            needs(layer, Layer, "stack, layers", "a list of layers, such as [Layer('1.6 mm', 'glass epoxy')]")
        needs(metal_on, Integral | None, "stack, metal_on", "the number of layers below the metal")
        needs(plane, Metal | str | None, "stack, plane", "a metal by name, or a Metal")
        for what, said in (("open_below", open_below), ("lid", lid)):
            needs(said, bool | np.bool_, f"stack, {what}", "True or False")
        if not own:
            raise UsageError("stack: it has no layers; give one, or use a perfect plane")
        count = len(own) if metal_on is None else metal_on
        if lid and metal_on is None:
            count = max(len(own) - 1, 1)
        least = 0 if open_below else 1
        if not least <= count <= len(own):
            raise UsageError(f"stack: metal_on {count} is not between {least} and its {len(own)} layers")
        if open_below and lid:
            raise UsageError("stack: it is open below and has a lid: turn it over, so that the lid is its plane")
        if open_below and plane is not None:
            raise UsageError("stack: it is open below and has a plane as well; leave one of them out")
        object.__setattr__(self, "layers", own)
        object.__setattr__(self, "metal_on", int(count))
        object.__setattr__(self, "plane", metals[plane] if isinstance(plane, str) else plane)
        object.__setattr__(self, "open_below", bool(open_below))
        object.__setattr__(self, "lid", bool(lid))
        object.__setattr__(self, "fades", 0)

    @property
    def stack(self) -> Stack:
        """Itself."""
        return self

    @property
    def has_plane(self) -> bool:
        """Whether nothing is below z = 0 but the plane."""
        return not self.open_below

    @property
    def grounds(self) -> bool:
        """Whether metal at z = 0 passes its current on."""
        return not self.open_below

    @property
    def shut(self) -> bool:
        """Whether no waves get out of it."""
        return self.lid

    @property
    def breaks(self) -> tuple[float, ...]:
        """Heights at which matter changes, from the lowest, metres."""
        return self.faces

    @property
    def planes(self) -> tuple[float, ...]:
        """Heights of planes that wires may stand on, metres."""
        return (0.0,) * self.has_plane + (self.thickness,) * self.lid

    @property
    def below(self) -> tuple[Layer, ...]:
        """The layers between the plane and the metal, from the bottom up."""
        return self.layers[: self.metal_on]

    @property
    def above(self) -> tuple[Layer, ...]:
        """The layers over the metal, from the bottom up."""
        return self.layers[self.metal_on :]

    @cached_property
    def faces(self) -> tuple[float, ...]:
        """Heights of all faces of the layers, from z = 0 up, metres."""
        return tuple(math.fsum(x.thickness for x in self.layers[:n]) for n in range(len(self.layers) + 1))

    def face(self, level: int) -> tuple[str, float]:
        """What a face is called, if anything, and its height, metres."""
        return self.layers[level - 1].name if level else "", self.faces[level]

    @property
    def level(self) -> float:
        """Height of the metal over the plane, metres."""
        return self.faces[self.metal_on]

    @property
    def thickness(self) -> float:
        """Of all layers, the height of the topmost face, metres."""
        return self.faces[-1]

    def on(self, level: int, fades: int = 0) -> Stack:
        """The same with its metal on another face, over so many layers; or with probes that fade to there over some."""
        if (level, fades) == (self.metal_on, self.fades):
            return self
        return Stack(self.layers, level, self.plane, open_below=self.open_below, lid=self.lid)._fading(fades)

    def _fading(self, fades: int) -> Stack:
        object.__setattr__(self, "fades", fades)
        return self

    @property
    def slowest(self) -> float:
        """The largest index of refraction of the layers."""
        return max(math.sqrt(x.material.permittivity * x.material.permeability) for x in self.layers)

    @property
    def takers(self) -> tuple[str, ...]:
        """What in it takes power, in words."""
        lossy = any(x.material.loss_tangent > 0.0 for x in self.layers)
        return ("dielectric",) * lossy + ("plane",) * (self.plane is not None)

    @property
    def reflects(self) -> bool:
        """Whether there is a plane or not."""
        return True

    @property
    def underneath(self) -> str:
        """What is below z = 0, in words."""
        return "layers on a plane at z = 0" if self.has_plane else ""

    def holds(self, heights: Floats) -> Bools:
        """Whether heights are between z = 0 and the topmost face."""
        return np.asarray((np.asarray(heights) > 0.0) & (np.asarray(heights) < self.thickness))

    def cut(self, height: float) -> tuple[Stack, int]:
        """The same with a face more at a height in its layers, m, and its number; one within a millionth is taken."""
        number = int(np.searchsorted(self.faces, height))
        for near in (number - 1, number):
            if 0 <= near < len(self.faces) and abs(height - self.faces[near]) <= 1e-6 * self.thickness:
                return self, near
        cut = self.layers[number - 1]
        parts = Layer(height - self.faces[number - 1], cut.material), Layer(self.faces[number] - height, cut.material)
        layers = (*self.layers[: number - 1], *parts, *self.layers[number:])
        own = self.metal_on + (self.metal_on >= number)
        within = self.metal_on - self.fades < number <= self.metal_on
        return self._with(layers, own)._fading(self.fades + (within and self.fades > 0)), number

    def cut_at(self, heights: Iterable[float]) -> Stack:
        """The same with faces more at heights in its layers, m."""
        found = self
        for height in heights:
            found = found.cut(height)[0]
        return found

    def level_at(self, heights: Floats) -> Ints:
        """Over how many layers a face is that metal at heights is on, within a millionth; -1 where there is none."""
        found = np.full(np.shape(heights), -1)
        for number in range(0 if self.open_below else 1, len(self.faces) - self.lid):
            face = self.faces[number]
            found[np.abs(np.asarray(heights) - face) <= 1e-6 * (face or self.thickness)] = number
        return found

    def end_at(self, heights: Floats) -> Ints:
        """The same of what ends at heights, as wires may on the lid."""
        on_lid = np.abs(np.asarray(heights) - self.thickness) <= 1e-6 * self.thickness
        return np.where(self.lid & on_lid, len(self.layers), self.level_at(heights))

    def face_at(self, heights: Floats) -> Ints:
        """The nearest face to heights, by how many layers are under it."""
        return np.asarray(np.argmin(np.abs(np.asarray(heights)[..., None] - np.array(self.faces)), axis=-1))

    def at(self, frequency: float) -> Spectrum:
        """It at a frequency in Hz."""
        from .spectral import Spectrum

        return Spectrum(self, frequency)

    def scaled(self, factor: float) -> Stack:
        """The same layers, every thickness multiplied by a factor."""
        return self._with([Layer(factor * x.thickness, x.material, x.name) for x in self.layers])

    def _with(self, layers: Iterable[Layer], own: int | None = None) -> Stack:
        own = self.metal_on if own is None else own
        return Stack(layers, own, self.plane, open_below=self.open_below, lid=self.lid)._fading(self.fades)

    @property
    def lossless(self) -> Stack:
        """The same stack with every loss tangent zero, on a perfect conductor."""
        plain = [Layer(x.thickness, replace(x.material, loss_tangent=0.0), x.name) for x in self.layers]
        return Stack(plain, self.metal_on, open_below=self.open_below, lid=self.lid)._fading(self.fades)

    @property
    def turned(self) -> Stack:
        """An open stack upside down: what is seen of it from below."""
        # What falls to none over a layer is seen from there the other way round.
        return Stack(self.layers[::-1], len(self.layers) - self.metal_on + self.fades, open_below=True)._fading(
            self.fades
        )

    @property
    def turned_to_air(self) -> Stack:
        """An open stack with its metal on the lowest face, under all layers."""
        return Stack(self.layers, 0, open_below=True)

    def reflected(self, theta: Floats, frequency: float) -> tuple[Complexes, Complexes]:
        """What its topmost face reflects of plane waves from θ (n,), see `half_space.reflected`."""
        return reflected(self.at(frequency), theta)

    @property
    def layers_in_words(self) -> list[str]:
        """Each layer, from the bottom up."""
        return [
            f"{units.engineering(x.thickness, 'm')} of {x.material.name} "
            f"(εr {x.material.permittivity:g}, tan δ {x.material.loss_tangent:g})"
            for x in self.layers
        ]

    def __str__(self) -> str:
        inner = f", metal on layer {self.metal_on}" if self.above else ""
        plane = "with air below" if self.open_below else f"on a plane{f' of {self.plane.name}' if self.plane else ''}"
        return f"{' under '.join(self.layers_in_words)}{', under a lid,' * self.lid} {plane}{inner}"


def substrate(
    thickness: str | float,
    material: Dielectric | str | float,
    loss_tangent: float = 0.0,
    plane: Metal | str | None = None,
    *,
    open_below: bool = False,
) -> Stack:
    """One layer on a plane, metal on top of it: of a dielectric, of a named one, or of a relative permittivity.

    plane: the metal of the plane; a perfect conductor unless given. open_below: no plane, but air under the layer.

    >>> substrate("1.6 mm", 4.4, 0.02).level
    0.0016
    """
    if isinstance(material, int | float):
        material = Dielectric("substrate", material, loss_tangent)
    elif units.number(loss_tangent, "substrate, loss tangent"):
        raise UsageError("substrate: a named dielectric brings its own loss tangent; give a permittivity instead")
    return Stack(Layer(thickness, material), plane=plane, open_below=open_below)
