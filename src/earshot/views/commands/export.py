"""earshot export: a model's network, results or design in another format."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ... import units
from ...answers.line_ports import at_lines
from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.curves import read_network
from ...files.design_file import DesignFile
from ...files.formats import endings, known, write
from ...files.results import is_results, write_results
from ...files.touchstone import is_touchstone
from ...network.network import Network
from .options import Frequencies, Json, Sets, load
from .runs import opened
from .screen import complain, show, show_json

Model = Annotated[
    Path,
    typer.Argument(
        metavar="MODEL", help="Design (.toml), results (.nc) or curve (.s1p, .ts, .csv).", show_default=False
    ),
]
Target = Annotated[
    Path,
    typer.Argument(
        metavar="FILE", help="Where to: .s1p, .s2p, ..., .ts, .csv, .json, .nc, .vtu, .toml.", show_default=False
    ),
]
Parameters = Annotated[str, typer.Option("--parameters", help="What of the network: S, Y or Z.")]
Form = Annotated[str, typer.Option("--form", help="How it is written: RI, MA or DB.")]
References = Annotated[
    list[str] | None,
    typer.Option("--reference", metavar="OHM", help="Refer every port to this, or each to its own; such as '75 ohm'."),
]
Planes = Annotated[
    list[str] | None,
    typer.Option(
        "--plane",
        metavar="PORT[=LENGTH]",
        help="See a port from its line: from a plane so far along the trace that it feeds, or where waves are clear of "
        "the port; may be repeated.",
    ),
]


def export(
    path: Model,
    target: Target,
    parameters: Parameters = "S",
    form: Form = "RI",
    references: References = None,
    planes: Planes = None,
    sets: Sets = None,
    frequency: Frequencies = None,
    json: Json = False,
) -> None:
    """Write a model's network as Touchstone 1 (.s1p, ...) or 2 (.ts), CSV or JSON; its results as .nc; itself as .toml;
    its mesh with the currents of the first case as VTK (.vtu).

    A design is solved first, and said so, unless only its file is wanted; results and curves are not.
    """
    ending = target.suffix.lower()
    if not known(target):
        raise UsageError(f"'{target.name}': the ending is none of {endings()}")
    for option, given, words in (("--parameters", parameters, "SYZ"), ("--form", form, ("RI", "MA", "DB"))):
        if given not in words:
            raise UsageError(f"{option} {given} is not one of {', '.join(words)}")
    ohms = [units.read(text, "resistance", what="--reference") for text in references or []]
    make_folder(target.parent)
    if ending == ".toml":
        written = write(_design(path, sets).design, target)
    elif ending == ".nc":
        if path.suffix.lower() != ".toml":
            raise UsageError(f"'{path.name}' is not a design; only a design is solved into results (.nc)")
        result = opened(path, sets, frequency)
        written = write_results(result.solution, target, result.file)
    elif ending == ".vtu":
        written = write(opened(path, sets, frequency).cases[0].driven.flow, target)
    else:
        network = _network(path, sets, frequency, planes or [])
        network = network.referred_to(*ohms) if ohms else network
        written = write(network, target, parameters=parameters, form=form)
    if json:
        show_json({"file": str(written)})
    else:
        show(str(written))


def _design(path: Path, sets: list[str] | None) -> DesignFile:
    if is_results(path):
        result = opened(path, sets)
        complain("note: a results file holds the antenna as it was solved, without its values")
        return result.file
    return load(path, sets)


def _network(path: Path, sets: list[str] | None, frequency: list[str] | None, planes: list[str]) -> Network:
    if not (is_touchstone(path) or path.suffix.lower() == ".csv"):
        solution = opened(path, sets, frequency).solution
        if not planes:
            return solution.network
        parted = [text.partition("=") for text in planes]
        wanted = {name.strip(): length.strip() or None for name, _, length in parted}
        if len(wanted) < len(parted):
            raise UsageError(f"--plane {' --plane '.join(planes)}: a port is named twice: give each one plane")
        found = at_lines(solution, wanted)
        for name, line in found.lines.iterrows():
            complain(
                f"port '{name}': {units.engineering(line['plane_m'], 'm')} along trace '{line['trace']}', "
                f"{line['impedance_ohm']:.4g} ohm ({line['on_mesh_ohm']:.4g} on the mesh), effective permittivity "
                f"{line['effective_permittivity']:.4g}; currents within {line['misfit']:.1%} of two waves"
            )
        return found.network
    if sets or frequency or planes:
        raise UsageError(f"'{path.name}' is a curve: --set, --frequency and --plane are for designs")
    network = read_network(path)
    if not isinstance(network, Network):
        raise UsageError(f"'{path.name}' was measured without phase: it makes no network to write")
    return network
