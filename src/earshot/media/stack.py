"""Layers on a conducting plane: what patches are printed on."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

from .. import units
from ..errors import UsageError
from .metals import Metal, metal


@dataclass(frozen=True, slots=True)
class Dielectric:
    """A material for layers: relative permittivity, loss tangent, relative permeability, and where they are from."""

    name: str
    permittivity: float
    loss_tangent: float = 0.0
    permeability: float = 1.0
    source: str = ""

    def __post_init__(self) -> None:
        for what, value, least in (
            ("permittivity", self.permittivity, 1.0),
            ("loss tangent", self.loss_tangent, 0.0),
            ("permeability", self.permeability, 1.0),
        ):
            if not (math.isfinite(value) and value >= least):
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
_DIELECTRICS = {
    d.name: d
    for d in (
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
    )
}


def dielectric(name: str) -> Dielectric:
    """A dielectric by generic name; raises UsageError listing the names there are.

    >>> dielectric("ptfe glass").permittivity
    2.33
    """
    from ..errors import unknown

    if name not in _DIELECTRICS:
        raise UsageError(unknown("dielectric", name, _DIELECTRICS))
    return _DIELECTRICS[name]


def dielectrics() -> tuple[Dielectric, ...]:
    """Every dielectric in the library."""
    return tuple(_DIELECTRICS.values())


@dataclass(frozen=True, slots=True, init=False)
class Layer:
    """A layer: its thickness (m) and what it is of."""

    thickness: float
    material: Dielectric

    def __init__(self, thickness: str | float, material: Dielectric | str) -> None:
        metres = units.length(thickness, "layer, thickness")
        if not (math.isfinite(metres) and metres > 0.0):
            raise UsageError(f"layer: thickness {thickness} is not above zero; leave the layer out")
        object.__setattr__(self, "thickness", metres)
        object.__setattr__(self, "material", dielectric(material) if isinstance(material, str) else material)


@dataclass(frozen=True, init=False)
class Stack:
    """A conducting plane at z = 0, layers on it from the bottom up, and air above; all without end.

    metal_on: the number of layers below the metal; all of them unless given, which is the top. plane: the metal of the
    plane, many skin depths thick; a perfect conductor unless given.
    """

    layers: tuple[Layer, ...]
    metal_on: int
    plane: Metal | None

    has_plane = True
    grounds = True
    tabled = True

    def __init__(
        self, layers: Iterable[Layer] | Layer, metal_on: int | None = None, plane: Metal | str | None = None
    ) -> None:
        own = (layers,) if isinstance(layers, Layer) else tuple(layers)
        if not own:
            raise UsageError("stack: it has no layers; give one, or use perfect_plane()")
        count = len(own) if metal_on is None else metal_on
        if not 1 <= count <= len(own):
            raise UsageError(f"stack: metal_on {count} is not between 1 and its {len(own)} layers")
        object.__setattr__(self, "layers", own)
        object.__setattr__(self, "metal_on", count)
        object.__setattr__(self, "plane", metal(plane) if isinstance(plane, str) else plane)

    @property
    def below(self) -> tuple[Layer, ...]:
        """The layers between the plane and the metal, from the bottom up."""
        return self.layers[: self.metal_on]

    @property
    def above(self) -> tuple[Layer, ...]:
        """The layers over the metal, from the bottom up."""
        return self.layers[self.metal_on :]

    @cached_property
    def level(self) -> float:
        """Height of the metal over the plane, metres."""
        return math.fsum(layer.thickness for layer in self.below)

    @property
    def height(self) -> float:
        """Height of the topmost face, metres."""
        return math.fsum(layer.thickness for layer in self.layers)

    @property
    def slowest(self) -> float:
        """The largest index of refraction of the layers."""
        return max(math.sqrt(x.material.permittivity * x.material.permeability) for x in self.layers)

    def scaled(self, factor: float) -> Stack:
        """The same layers, every thickness multiplied by a factor."""
        return Stack([Layer(factor * x.thickness, x.material) for x in self.layers], self.metal_on, self.plane)

    @property
    def lossless(self) -> Stack:
        """The same stack with every loss tangent zero, on a perfect conductor."""
        from dataclasses import replace

        return Stack([Layer(x.thickness, replace(x.material, loss_tangent=0.0)) for x in self.layers], self.metal_on)

    def __str__(self) -> str:
        words = [
            f"{units.engineering(x.thickness, 'm')} of {x.material.name} "
            f"(εr {x.material.permittivity:g}, tan δ {x.material.loss_tangent:g})"
            for x in self.layers
        ]
        inner = f", metal on layer {self.metal_on}" if self.above else ""
        return f"{' under '.join(words)} on a plane{f' of {self.plane.name}' if self.plane else ''}{inner}"


def substrate(
    thickness: str | float,
    material: Dielectric | str | float,
    loss_tangent: float = 0.0,
    plane: Metal | str | None = None,
) -> Stack:
    """One layer on a plane, metal on top of it: of a dielectric, of a named one, or of a relative permittivity.

    plane: the metal of the plane; a perfect conductor unless given.

    >>> substrate("1.6 mm", 4.4, 0.02).level
    0.0016
    """
    if isinstance(material, int | float):
        material = Dielectric("substrate", float(material), loss_tangent)
    elif loss_tangent:
        raise UsageError("substrate: a named dielectric brings its own loss tangent; give a permittivity instead")
    return Stack(Layer(thickness, material), plane=plane)
