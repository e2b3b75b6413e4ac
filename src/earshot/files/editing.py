"""Changing more of a design file than its values, in its own text, so that comments and order stay."""

from __future__ import annotations

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
    parts by name, with
    "and" or ";" between; gaps on them go with them, and what is joined to those gaps.
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
    return again


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
    known = {name: kind for kind in (*_METAL, *_GAPS, "line", "stub") for name in document.get(kind, {})}
    gone = {name.strip() for piece in told.split(";") for name in piece.split(" and ")}
    for name in gone:
        if name not in known:
            raise UsageError(f"without: {unknown('part', name, known)}")
    for kind in _GAPS:
        gone |= {name for name, gap in document.get(kind, {}).items() if gap["on"] in gone}
    for kind, ends in (("line", ("from", "to")), ("stub", ("at",))):
        parts = document.get(kind, {}).items()
        gone |= {name for name, part in parts if any(part.get(end) in gone for end in ends)}
    for name in gone:
        _drop(document, known[name], name)
    for case in document.get("case", {}).values():
        for key in ("power", "voltage", "current", "phase", "terminations"):
            for name in gone & set(case.get(key, {})):
                _drop(case, key, name)


def _drop(table: Any, key: str, name: str) -> None:
    """Take a name out of a table of the document, and the table when it was the last."""
    del table[key][name]
    if not table[key]:
        del table[key]


_CHANGES = {"medium": _medium, "height": _height, "metal": _metal, "without": _without}
