"""Changing more of a design file than its values, in its own text, so that comments and order stay."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from ..description.design import Design
from ..errors import UsageError, unknown
from .design_file import DesignFile, FileBuild, design_from_text
from .design_text import design_text

KEYS = ("medium", "height", "metal", "without")
"""What may be changed besides values: what it stands in, how far up, what metal it is of, and parts to be left out."""
_METAL, _GAPS = ("wire", "sheet"), ("port", "load", "terminal")


def edited(file: DesignFile, keys: dict[str, str]) -> DesignFile:
    """A design file with some of `KEYS` changed; raises UsageError for parts there are not, DesignFileError as reading.

    medium: by the word of a design file. height: a length. metal: by name, "none" for a perfect conductor. without:
    parts by name, with "and" or ";" between; gaps on them go with them, and what is joined to those gaps.
    """
    import tomlkit

    build = file.design.build
    if not isinstance(build, FileBuild):
        raise UsageError(f"'{file.title}' was made in Python: change its parts there, such as antenna.over(...)")
    document: Any = tomlkit.parse(design_text(file.design))
    for key, told in keys.items():
        _CHANGES[key](document, told)
    again = design_from_text(tomlkit.dumps(document), build.name, build.folder, dict(build.tables))
    again.design.antenna  # noqa: B018 - built for its complaints
    return replace(again, frequencies=file.frequencies)


def relative(name: str, sign: str, by: str, design: Design) -> str:
    """The text of a value changed by so much ("+", "-") or times ("*"); raises UsageError for one it has not."""
    given = dict(design.given)
    if name not in given:
        raise UsageError(f"the design: {unknown('value', name, given)}")
    return f"({given[name].text}) {sign} ({by})"


def _medium(document: Any, told: str) -> None:
    for key in ("layer", "plane"):
        document.pop(key, None)
    document["medium"] = told


def _height(document: Any, told: str) -> None:
    document["height"] = told


def _metal(document: Any, told: str) -> None:
    document.pop("metal", None)
    for kind in _METAL:
        for part in document.get(kind, {}).values():
            part.pop("metal", None)
            if told != "none":
                part["metal"] = told


def _without(document: Any, told: str) -> None:
    asked = {name.strip() for piece in told.split(";") for name in piece.split(" and ")}
    parts = [(kind, name) for kind in (*_METAL, *_GAPS, "line", "stub") for name in document.get(kind, {})]
    for name in asked:
        if name not in {known for _, known in parts}:
            raise UsageError(f"without: {unknown('part', name, [known for _, known in parts])}")
    # A wire and a port may share a name: what follows goes by what it is joined to.
    gone = {(kind, name) for kind, name in parts if name in asked}
    metal = {name for kind, name in gone if kind in _METAL}
    gone |= {(kind, name) for kind, name in parts if kind in _GAPS and document[kind][name]["on"] in metal}
    gaps = {name for kind, name in gone if kind in _GAPS}
    for kind, ends in (("line", ("from", "to")), ("stub", ("at",))):
        gone |= {(kind, n) for k, n in parts if k == kind and any(document[k][n].get(end) in gaps for end in ends)}
    for kind, name in gone:
        _drop(document, kind, name)
    for case in document.get("case", {}).values():
        for key in ("power", "voltage", "current", "phase", "terminations"):
            for name in gaps & set(case.get(key, {})):
                _drop(case, key, name)


def _drop(table: Any, key: str, name: str) -> None:
    """Take a name out of a table of the document, and the table when it was the last."""
    del table[key][name]
    if not table[key]:
        del table[key]


_CHANGES = {"medium": _medium, "height": _height, "metal": _metal, "without": _without}
