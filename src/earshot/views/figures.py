"""Every figure there is of a solved design: its name, what it needs, and how it is drawn, side by side.

A figure is a function with `@figure`: the command line, the demonstration, the help, the tests and whatever shows
figures next go by this register alone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from ..answers.cases import Cut
from ..arrays.scanning import facing_of, in_words
from ..arrays.solved import SolvedArray, port_places
from ..arrays.weights import Weights
from ..errors import UsageError
from ..fields.far import FarField
from ..files.design_file import FileBuild
from ..files.ideal_array import ideal_array
from ..network.flow import Flow
from ..runs.run import Run
from .near_places import ground_lines, near_maps


@dataclass(frozen=True, slots=True)
class Wishes:
    """How figures are to be drawn: frequencies to read off, the radial scale of polar cuts, how far out a peak is.

    every: whether all cases lie over one another in cuts, instead of the first alone. which, limit: of near fields, E,
    H or S, and its edge. quantities: of patterns, "gain" unless given. cuts: instead of those the first case takes.
    """

    at: Sequence[str] = ()
    scale: str = "dB"
    reach: str | None = None
    every: bool = False
    which: str = "E"
    limit: float | None = None
    quantities: Sequence[str] = ()
    cuts: Sequence[Cut] = ()


Draw = Callable[[Run, Wishes], Any]


@dataclass(frozen=True, slots=True)
class Kind:
    """A figure: its name, whether there is one of a solution, what of in words, and how it is drawn."""

    name: str
    needs: Callable[[Run], bool]
    of: str
    draw: Draw


_FEW = 3
"""Fields whose cuts lie over one another in whatever planes they have; more share one circle."""
FIGURES: dict[str, Kind] = {}
"""By name, in the order in which they are drawn and told."""


def figure(name: str, *, needs: Callable[[Run], bool] = lambda _: True, of: str = "") -> Callable[[Draw], Draw]:
    """Enter a function in `FIGURES`. of: what it needs, in words, where not every solution has it."""

    def enter(draw: Draw) -> Draw:
        FIGURES[name] = Kind(name, needs, of, draw)
        return draw

    return enter


def figures_for(result: Run) -> list[str]:
    """The names of those there are of a solution."""
    return [kind.name for kind in FIGURES.values() if kind.needs(result)]


def figures_told() -> str:
    """All of them, in words."""
    return ", ".join(f"{kind.name} ({kind.of})" if kind.of else kind.name for kind in FIGURES.values())


def _printed(result: Run) -> bool:
    return result.solution.antenna.printed


def _on_layers(result: Run) -> bool:
    return result.solution.antenna.medium.layered


def _radiating(result: Run) -> bool:
    return result.cases[0].radiates


def _radiating_ports(result: Run) -> bool:
    return _radiating(result) and _of_several_ports(result)


def _along_wires(result: Run) -> bool:
    # Along a probe the current is of one strength.
    return bool(result.solution.antenna.wires) and not _printed(result)


def _of_sheets(result: Run) -> bool:
    return bool(result.solution.antenna.sheets)


def _over_ground(result: Run) -> bool:
    medium = result.solution.antenna.medium
    return medium.has_plane and not medium.layered


def _of_several_ports(result: Run) -> bool:
    return len(result.solution.antenna.ports) > 1


def _array_of(result: Run) -> Any:
    build = result.file.design.build
    return build.table.array if isinstance(build, FileBuild) else None


def _of_a_beam(result: Run) -> bool:
    own = _array_of(result)
    return own is not None and result.cases[0].case.name in own.beam


def _with_amplifiers(result: Run) -> bool:
    return _of_a_beam(result) and _array_of(result).chain is not None


def planes_of(cuts: Iterable[Cut]) -> tuple[list[str], dict[str, Any]]:
    """Cuts as figures take them: planes, and elevations and azimuths."""
    cuts = list(dict.fromkeys(cuts))
    return [c.plane for c in cuts if c.plane is not None], {
        "elevation": [c.elevation for c in cuts if c.elevation is not None],
        "azimuth": [c.azimuth for c in cuts if c.azimuth is not None],
    }


def over_one_another(
    fields: Sequence[FarField], labels: Sequence[str], cuts: Iterable[Cut], quantity: str = "gain"
) -> dict[str, Any]:
    """Drawings of one cut through several fields: in a circle, straight, and, of a dozen at most, small ones.

    The first plane that is named, E unless one is; of many fields an upright cut, if there is one.
    """
    from . import plots

    planes, angles = planes_of(cuts)
    # One cut in a circle is enough when several models lie over one another.
    planes = planes[:1] or ([] if any(angles.values()) else ["E"])
    if len(fields) > _FEW and any(angles.values()):
        kind = "azimuth" if angles["azimuth"] else "elevation"
        planes, angles = [], {kind: angles[kind][:1]}
    drawn: dict[str, Any] = {
        name: partial(draw, fields, *planes, **angles, labels=labels, quantity=quantity)
        for name, draw in (("polar", plots.polar), ("cartesian", plots.cartesian))
    }
    if _FEW < len(fields) <= plots.MOST_SMALL:
        drawn["multiples"] = partial(plots.multiples, fields, *planes, **angles, labels=labels, quantity=quantity)
    return drawn


@figure("geometry")
def _geometry(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.geometry(result.file.design, mesh=result.solution.sheet_mesh)


@figure("section", needs=_on_layers, of="with layers")
def _section(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.section(result.file.design)


@figure("vswr")
def _vswr(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.vswr(result.solution.network, at=wishes.at)


@figure("impedance")
def _impedance(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.impedance(result.solution.network, at=wishes.at)


@figure("return-loss")
def _return_loss(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.return_loss(result.solution.network, at=wishes.at)


@figure("scattering")
def _scattering(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.scattering(result.solution.network, at=wishes.at)


@figure("smith")
def _smith(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.smith(result.solution.network, at=wishes.at)


def _of_cuts(result: Run, wishes: Wishes) -> tuple[list[Any], list[str], dict[str, Any]]:
    """Fields, planes and the rest of what figures of cuts take."""
    planes, angles = planes_of(wishes.cuts or result.cases[0].case.cuts)
    several = wishes.every and len(result.cases) > 1
    shown = result.cases if several else result.cases[:1]
    labels = {"labels": [one.title.removeprefix("case ") for one in shown]} if several else {}
    quantity = {"quantity": list(wishes.quantities) if wishes.quantities else "gain"}
    return [one.field for one in shown], planes, {**angles, **labels, **quantity}


@figure("polar", needs=_radiating, of="with a far field")
def _polar(result: Run, wishes: Wishes) -> Any:
    from . import plots

    fields, planes, how = _of_cuts(result, wishes)
    return plots.polar(fields, *planes, **how, scale=wishes.scale)


@figure("cartesian", needs=_radiating, of="with a far field")
def _cartesian(result: Run, wishes: Wishes) -> Any:
    from . import plots

    fields, planes, how = _of_cuts(result, wishes)
    return plots.cartesian(fields, *planes, **how, title=result.solution.antenna.name)


@figure("embedded", needs=_radiating_ports, of="of several ports")
def _embedded(result: Run, wishes: Wishes) -> Any:
    """Every port's own pattern along one cut: the first case's, or azimuth 0 over a plane, elevation 0 without."""
    from . import plots

    fields = result.embedded()
    case = result.cases[0]
    own = [cut for cut in wishes.cuts or case.case.cuts if cut.plane is None][:1]
    angles = planes_of(own or [Cut(azimuth=0.0) if case.field.half_space else Cut(elevation=0.0)])[1]
    title = result.solution.antenna.name
    return plots.cartesian(
        list(fields.values()),
        **angles,
        quantity=list(wishes.quantities) or "realized_gain",
        labels=list(fields),
        title=f"{title}, port by port",
    )


@figure("sphere", needs=_radiating, of="with a far field")
def _sphere(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.sphere(result.cases[0].field, quantity=wishes.quantities[0] if wishes.quantities else "gain")


@figure("pattern", needs=_radiating, of="with a far field")
def _pattern(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.pattern(result.cases[0].field, result.solution.antenna, reach=wishes.reach)


@figure("currents", needs=_along_wires, of="of wires")
def _currents(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.currents(result.cases[0].driven)


@figure("charge", needs=_along_wires, of="of wires")
def _charge(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.currents(result.cases[0].driven, which="charge")


@figure("surface", needs=_of_sheets, of="of sheets")
def _surface(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.surface_currents(result.cases[0].driven)


@figure("animation", needs=_of_sheets, of="of sheets")
def _animation(result: Run, _: Wishes) -> Any:
    from . import plots

    return partial(plots.write_animation, result.cases[0].driven)


@figure("near")
def _near(result: Run, wishes: Wishes) -> Any:
    from . import plots

    return plots.near(
        near_maps(result.cases[0]), result.solution.antenna, which=wishes.which, rms=True, limit=wishes.limit
    )


@figure("along-ground", needs=_over_ground, of="over a plane or earth")
def _along_ground(result: Run, _: Wishes) -> Any:
    from . import plots

    title = f"{result.solution.antenna.name}: field along the ground"
    return plots.along(*ground_lines(result), rms=True, title=title)


def solved_array(result: Run) -> SolvedArray:
    """The ports of a solution as an array, where the first case is; raises UsageError when there is one port alone."""
    antenna = result.solution.antenna
    if len(antenna.ports) < 2:
        raise UsageError(f"antenna '{antenna.name}' has one port: an array has more")
    return SolvedArray(result.solution, port_places(antenna), result.cases[0].driven.frequency)


@figure("layout", needs=_of_several_ports, of="of several ports")
def _layout(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.layout(port_places(result.solution.antenna), result.cases[0].waves, label=result.solution.antenna.name)


@figure("beam-map", needs=_radiating_ports, of="of several ports")
def _beam_map(result: Run, _: Wishes) -> Any:
    from . import plots

    return plots.beam_map(result.cases[0].field)


@figure("coupling", needs=_of_several_ports, of="of several ports")
def _coupling(result: Run, _: Wishes) -> Any:
    from . import plots

    hertz = result.cases[0].driven.frequency
    return plots.coupling(solved_array(result).coupling(), title=result.solution.antenna.name, frequency=hertz)


_SCANNED = np.linspace(-80.0, 80.0, 81)
"""Degrees: as fine as the eye sees."""


@figure(
    "scan",
    needs=lambda result: _of_several_ports(result) and len(result.cases[0].driven.driven) > 1,
    of="of several driven ports",
)
def _scan(result: Run, _: Wishes) -> Any:
    """The match against scan, from the beam of the first case towards the axis the elements are spread over most."""
    from . import plots

    of = solved_array(result)
    if (np.abs(result.cases[0].waves.values) > 0.0).sum() < 2:
        raise UsageError(
            f"scan: case '{result.cases[0].case.name}' drives one port alone, and one is not scanned: drive the others "
            "too, in a case of their own"
        )
    facing, along = facing_of(of.layout, result.cases[0].field.peak)
    table = of.scan(Weights(np.abs(result.cases[0].waves.values)), facing=facing, along=along, angles=_SCANNED)
    return plots.scan(
        table, title=result.solution.antenna.name, towards=f"from {in_words(facing)} towards {in_words(along)}"
    )


@figure("ideal", needs=_of_a_beam, of="of a file's array")
def _ideal(result: Run, _: Wishes) -> Any:
    """The first case's beam as solved, over the same without coupling; raises UsageError where it is none of an array.

    In the cuts it names.
    """
    from . import plots

    case, driven = result.cases[0].case, result.cases[0].driven
    beam = ideal_array(result.file, driven.frequency).beam(case.name)
    solved = replace(result.cases[0].field, label=f"{case.name}, with coupling")
    planes, angles = planes_of(case.cuts)
    return plots.cartesian([solved, replace(beam.field, label=f"{case.name}, without")], *planes, **angles,
                           quantity="realized_gain", title=result.solution.antenna.name)  # fmt: skip


@figure("link", needs=_with_amplifiers, of="of a file's array with amplifiers")
def _link(result: Run, _: Wishes) -> Any:
    """EIRP and G/T of the first case's beam against scan, by the file's amplifiers, with coupling and without."""
    from . import plots

    case, driven = result.cases[0].case, result.cases[0].driven
    ideal = ideal_array(result.file, driven.frequency)
    beam = ideal.beam(case.name)
    without = ideal.link(beam)
    solved = ideal.link(beam, solved_array(result))
    if without is None or solved is None:
        raise UsageError(f"link: '{result.file.title}' names no amplifiers: add the key array.chain to its file")
    return plots.link(solved, without, labels=("with coupling", "without"), title=result.solution.antenna.name)


def _through_a_circuit(result: Run) -> bool:
    return any(one.driven.feed is not None for one in result.cases)


def _first_fed(result: Run) -> tuple[Flow, str]:
    """What goes on in the circuit in the first case that drives it, and that case in words."""
    one = next((c for c in result.cases if c.driven.feed is not None), None)
    if one is None or one.driven.feed is None:
        raise UsageError(f"no case of '{result.file.title}' drives an input of a circuit")
    return one.driven.feed, f"{result.solution.antenna.name}: {one.title.removeprefix('case ')}"


@figure("circuit", needs=_through_a_circuit, of="of cases through a circuit")
def _circuit(result: Run, _: Wishes) -> Any:
    from . import plots

    flow, title = _first_fed(result)
    return plots.circuit(flow, title=title)


@figure("power", needs=_through_a_circuit, of="of cases through a circuit")
def _power(result: Run, _: Wishes) -> Any:
    from . import plots

    flow, title = _first_fed(result)
    return plots.power(flow, title=f"{title}, where the power goes")


@figure("figures", needs=_radiating, of="with a far field")
def _figures(result: Run, _: Wishes) -> Any:
    """Figures of merit of the first case, joined in bands where currents are known between solved frequencies."""
    from . import plots

    case, solution = result.cases[0].case, result.solution
    table = solution.smooth_figures(case.drive, terminations=case.terminations)
    known = None if set(table.index) <= set(solution.solved.tolist()) else solution.currents_error
    return plots.figures(table, label=solution.antenna.name, between=known)
