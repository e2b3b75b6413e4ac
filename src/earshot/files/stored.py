"""The antenna of a results file as the text of a design file that needs no other file, and reads back as it was."""

from __future__ import annotations

import tomllib
from typing import Any

from .. import units
from ..answers.solution import Solution
from ..description.design import Design
from .array_keys import ELEMENTS
from .circuit_keys import tables_named
from .design_file import DesignFile, FileBuild, alone
from .design_text import antenna_text, design_text
from .feed_keys import files_named
from .reading import LARGEST_TABLE, read_text
from .schema import DesignTable


def stored(solution: Solution, file: DesignFile | None, frequency: float) -> tuple[str, dict[str, str]]:
    """The text, and the tables (CSV) it names, by name.

    Of a file with an array it is one element, the array and its beams; of any other, all the metal there is. Cases are
    kept as they are written.
    """
    design = file.design if file is not None else None
    if design is None or not isinstance(design.build, FileBuild):
        return antenna_text(solution.antenna, frequency), {}
    said = tomllib.loads(design_text(design))
    kept: dict[str, Any] = {key: said[key] for key in ("case", "circuit") if key in said}
    if design.build.table.array is None:
        if "circuit" in kept:
            kept["values"] = _values(design)
        return antenna_text(solution.antenna, frequency) + _sections(kept), _tables(design.build)
    element = alone(design).antenna
    kept |= {"array": said["array"], "values": _values(design)}
    return antenna_text(element, frequency) + _sections(kept), _tables(design.build)


def _sections(content: dict[str, Any]) -> str:
    import tomlkit

    return "\n" + tomlkit.dumps({key: part for key, part in content.items() if part})


def _values(design: Design) -> dict[str, str]:
    """The values, worked out."""
    return {name: f"{q.si!r} {units.KINDS[q.kind]}".strip() for name, q in design.values.quantities.items()}


def _tables(build: FileBuild) -> dict[str, str]:
    """The text of every table that the array and the cases name."""
    found = {}
    for name in _named(build.table):
        source = build.texts.file(name)
        found[name] = source.text if hasattr(source, "text") else read_text(source, LARGEST_TABLE)
    return found


def _named(table: DesignTable) -> list[str]:
    names: list[str | None] = []
    if table.array is not None:
        element = table.array.element
        names += [table.array.places, *(beam.weights for beam in table.array.beam.values())]
        names += [element.kind] if element is not None and element.kind not in ELEMENTS else []
    for case in table.case.values():
        names += [name for end in case.terminations.values() for name in tables_named(end)]
    names += [] if table.circuit is None else files_named(table.circuit)
    return [name for name in dict.fromkeys(names) if name is not None]
