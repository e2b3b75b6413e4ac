"""Changing more of a design file than its values, in its own text, so that comments and order stay."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from ..description.design import Design
from ..errors import UsageError, unknown
from ..media.board import read_board
from ..media.stack import Dielectric
from .design_file import DesignFile, FileBuild, design_from_text
from .design_text import design_text

_HELD = {"height": "0 m", "scale": "1", "roll": "0 deg", "tilt": "0 deg", "azimuth": "0 deg"}
KEYS = ("medium", "board", *_HELD, "metal", "without", "only", "others", "band")
"""What may be changed besides values: what it stands in, how large it is, how it is held and how far up, what metal it
is of, parts to be left out or alone left in, what closes the ports that are not driven, and the band."""
_LAYOUT = re.compile(r"(?P<count>\d{1,3})(?:\s*x\s*(?P<rows>\d{1,3})|\s+along\s+(?P<axis>[xyz]))?", re.ASCII)
_STRETCH = re.compile(r"(?P<low>.+?)\s+to\s+(?P<high>.+?)(?:\s+in\s+(?P<points>\d{1,5})\s+points)?")
_POINTS = 101
_METAL, _GAPS = ("wire", "sheet"), ("port", "load", "terminal")
_DRIVES = ("power", "voltage", "current")


def edited(file: DesignFile, keys: dict[str, str]) -> DesignFile:
    """A design file with some of `KEYS` changed; raises UsageError for parts there are not, DesignFileError as reading.

    medium: by the word of a design file. board: as `read_board`, of the one layer there is. height, roll, tilt,
    azimuth: as there; with +, - or * behind, what is there is changed by that. metal: by name, "none" for a perfect
    conductor. without: parts by name, with "and" or ";" between; gaps on them go with them, and what is joined to those
    gaps. only: wires and sheets by name, all others left out. others: an impedance, for every port that a case does not
    drive. band: "140 MHz to 160 MHz", perhaps "... in 81 points".
    """
    import tomlkit

    build = file.design.build
    if not isinstance(build, FileBuild):
        raise UsageError(f"'{file.title}' was made in Python: change its parts there, such as antenna.over(...)")
    document: Any = tomlkit.parse(design_text(file.design))
    for key, told in keys.items():
        bare = key.rstrip("+-*")
        sign = key.removeprefix(bare)
        if sign and bare not in _HELD:
            raise UsageError(f"{bare}: it has no amount that {sign} would change; write {bare}=...")
        before = f"({document.get(bare, _HELD[bare])}) {sign} " if sign else ""
        _CHANGES[bare](document, f"{before}({told})" if sign else told)
    return _again(file, tomlkit.dumps(document))


def in_array(file: DesignFile, layout: str, spacing: str) -> DesignFile:
    """A file's antenna repeated: "6" in a line along y, "6 along z", "3x6" in columns and rows; one beam, in phase.

    Raises UsageError for a layout that is none of these, and DesignFileError as reading.
    """
    import tomlkit

    match = _LAYOUT.fullmatch(layout.strip())
    if match is None:
        raise UsageError(f"array '{layout}': give how many in a line, such as '6' or '6 along z', or a grid as '3x6'")
    document: Any = tomlkit.parse(design_text(file.design))
    cuts = [cut for case in document.get("case", {}).values() for cut in case.get("cuts", [])]
    document.pop("case", None)
    if match["rows"]:
        where = {"grid": {"columns": int(match["count"]), "rows": int(match["rows"]), "spacing": spacing}}
    else:
        where = {"line": {"count": int(match["count"]), "spacing": spacing, "axis": match["axis"] or "y"}}
    document["array"] = {**where, "beam": {"in_phase": {"cuts": cuts}}}
    return _again(file, tomlkit.dumps(document))


def _again(file: DesignFile, text: str) -> DesignFile:
    """A file of another text, asked for the same frequencies."""
    build = file.design.build
    assert isinstance(build, FileBuild)
    again = design_from_text(text, build.name, build.folder, dict(build.tables))
    again.design.antenna  # noqa: B018 - built for its complaints
    same = again.design.build.table.band == build.table.band  # type: ignore[attr-defined]
    return replace(again, frequencies=file.frequencies) if same else again


def relative(name: str, sign: str, by: str, design: Design) -> str:
    """The text of a value changed by so much ("+", "-") or times ("*"); raises UsageError for one it has not."""
    given = dict(design.given)
    if name not in given:
        raise UsageError(f"the design: {unknown('value', name, given)}")
    return f"({given[name].text}) {sign} ({by})"


def _medium(document: Any, told: str) -> None:
    for key in ("layer", "under", "plane"):
        document.pop(key, None)
    document["medium"] = told


def _held(key: str) -> Callable[[Any, str], None]:
    """What changes how the antenna is held."""

    def change(document: Any, told: str) -> None:
        document[key] = told

    return change


def _board(document: Any, told: str) -> None:
    """The one layer of another material and thickness; where its thickness is a value, that value."""
    layers = document.get("layer", [])
    layers = layers if isinstance(layers, list) else [layers]
    if len(layers) != 1:
        raise UsageError(f"board: the file has {len(layers)} layers, not one to be changed: change them there")
    made, thickness = read_board(told)
    if isinstance(made, Dielectric):
        keys = ("permittivity", "loss_tangent")
        document.setdefault("dielectrics", {})[made.name] = {key: getattr(made, key) for key in keys}
    if made is not None:
        layers[0]["of"] = made if isinstance(made, str) else made.name
    values = document.get("values", {})
    if thickness is not None and str(layers[0]["thickness"]) in values:
        own = str(layers[0]["thickness"])
        if isinstance(values[own], dict):
            values[own]["is"] = thickness
        else:
            values[own] = thickness
    elif thickness is not None:
        layers[0]["thickness"] = thickness


def _others(document: Any, told: str) -> None:
    cases, ports = document.get("case", {}), list(document.get("port", {}))
    if len(ports) < 2 or not cases or "array" in document:
        raise UsageError("others: it is for files of several ports with a [case.NAME] that drives some of them")
    for case in cases.values():
        driven = {name for key in _DRIVES for name in case.get(key, {})}
        case["terminations"] = {name: told for name in ports if name not in driven}


def _metal(document: Any, told: str) -> None:
    document.pop("metal", None)
    for kind in _METAL:
        for part in document.get(kind, {}).values():
            part.pop("metal", None)
    if told != "none":
        document["metal"] = told


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
        for key in (*_DRIVES, "phase", "terminations"):
            for name in gaps & set(case.get(key, {})):
                _drop(case, key, name)


def _only(document: Any, told: str) -> None:
    kept = {name.strip() for piece in told.split(";") for name in piece.split(" and ")}
    metal = [name for kind in _METAL for name in document.get(kind, {})]
    for name in kept:
        if name not in metal:
            raise UsageError(f"only: {unknown('wire or sheet', name, metal)}")
    gone = [name for name in metal if name not in kept]
    if gone:
        _without(document, " and ".join(gone))


def _band(document: Any, told: str) -> None:
    match = _STRETCH.fullmatch(told.strip())
    if match is None:
        raise UsageError(f"band '{told}': write it like '140 MHz to 160 MHz', or '140 MHz to 160 MHz in 81 points'")
    before = document.pop("band", {})
    points = match["points"] or (before.get("points", _POINTS) if isinstance(before, dict) else _POINTS)
    document["band"] = {"from": match["low"], "to": match["high"], "points": int(points)}


def _drop(table: Any, key: str, name: str) -> None:
    """Take a name out of a table of the document, and the table when it was the last."""
    del table[key][name]
    if not table[key]:
        del table[key]


_CHANGES: dict[str, Callable[[Any, str], None]] = {
    "medium": _medium, "board": _board, **{key: _held(key) for key in _HELD}, "metal": _metal, "without": _without,
    "only": _only, "others": _others, "band": _band,
}  # fmt: skip


def changes_of(texts: Sequence[str] | None) -> dict[str, str]:
    """What changes say, by name: each "NAME=VALUE", or several of them with commas between.

    A name may end with +, - or *: then the value is added, taken off, or how many times as much it is to be.
    """
    changes = {}
    for text in texts or []:
        for part in re.split(r",(?=\s*\w+\s*[-+*]?=)", text):
            name, sign, value = (piece.strip() for piece in part.partition("="))
            if not sign or not name.rstrip("+-*") or not value:
                raise UsageError(f"'{text}' is not NAME=VALUE; write it like driven='0.96 m'")
            changes[name] = value
    return changes


def changed(file: DesignFile, changes: Mapping[str, str]) -> DesignFile:
    """The file with values changed, and its medium, its metal, or parts left out; what makes no antenna is told now."""
    own = dict(file.design.given)
    bare = {name: name.rstrip("+-* ") for name in changes}
    keys = {name: told for name, told in changes.items() if bare[name] in KEYS and bare[name] not in own}
    values = {}
    for name, told in changes.items():
        word = bare[name]
        if name not in keys:
            values[word] = relative(word, name[-1], told, file.design) if word != name else told
    if values:
        file = _with_values(file, values)
    if not keys:
        return file
    return edited(file, keys)


def _with_values(file: DesignFile, values: dict[str, str]) -> DesignFile:
    found = file.with_(**values)
    build = found.design.build
    if not (isinstance(build, FileBuild) and build.table.pattern_only):
        found.antenna  # noqa: B018 - built for its complaints
    return found
