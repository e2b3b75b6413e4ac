"""Composing the text of a design file, from which a ready-made antenna is read like any other."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from .. import units
from ..description.design import Design
from ..errors import UsageError
from ..files.design_file import design_from_text
from ..media.stack import Dielectric, dielectrics

_REMARKS = {
    "wire": "The metal: add metal = 'aluminium', say, for losses.",
    "sheet": "Metal sheets: add metal and thickness for losses, density for a finer mesh.",
    "under": "Under the plane, from it down: a sheet in the plane is an opening, through which both sides meet.",
    "layer": "From z = 0 up, where there is a plane unless the file says none; metal is printed where it is drawn.",
    "port": "Where it is fed, and the impedance it is matched to.",
    "terminal": "Where the line is joined to it.",
    "line": "Ideal lines; they have no field of their own.",
    "band": "Where port figures are wanted; it is solved where it needs to be and interpolated between.",
    "case": "How it is driven, and the cuts to take.",
}


class Draft:
    """A design file in the making. title and purpose head it; frequency is where "lambda" is measured."""

    def __init__(
        self, title: str, purpose: str, frequency: str | float, *, medium: str = "", plane: str = ""
    ) -> None:  # fmt: skip
        self.title = title
        self.hertz = units.frequency(frequency)
        self._head = [f"# {line}" for line in purpose.splitlines()]
        self._head += [f"title = {_quoted(title)}", f'frequency = "{units.engineering(self.hertz, "Hz", 12)}"']
        self._head += [f'medium = "{medium}"'] if medium else []
        self._head += [f'plane = "{plane}"'] if plane else []
        self._values: list[tuple[str, str]] = []
        self._dimensions: list[str] = []
        self._parts: list[str] = []
        self._told: set[str] = set()

    def value(self, name: str, is_: str | float, low: str | float, high: str | float, note: str, *at: str) -> None:
        """A value with its range and a note; at: the two points a drawing shows it between."""
        entry = f"is = {_quoted(is_)}, from = {_quoted(low)}, to = {_quoted(high)}, note = {_quoted(note)}"
        self._values.append((name, "{ " + entry + " }"))
        if at:
            self._dimensions.append(f"{name} = [{_quoted(at[0])}, {_quoted(at[1])}]")

    def rod(self, is_: str = "0.004 lambda") -> None:
        """The diameter every ready-made antenna has."""
        self.value("rod", is_, "0.000002 lambda", "0.03 lambda", "diameter of the metal")

    def layer(
        self, thickness: str, made: Dielectric, name: str = "", *, under: bool = False, lid: bool = False
    ) -> None:
        """A layer, the next from the plane, of a dielectric that is in the library or is written down here.

        name: of its face away from the plane, in arithmetic. under: whether it is under the plane. lid: whether another
        plane is on that face.
        """
        if made not in dielectrics.values():
            rows = [f"permittivity = {made.permittivity}", f"loss_tangent = {made.loss_tangent}"]
            rows += [f"permeability = {made.permeability}"] if made.permeability != 1.0 else []
            rows += [f"source = {_quoted(made.source)}"] if made.source else []
            self._parts.append("\n".join(["", f"[dielectrics.{_quoted(made.name)}]", *rows]))
        self._remark("under" if under else "layer")
        rows = [f"thickness = {_quoted(thickness)}", f"of = {_quoted(made.name)}"] + ["lid = true"] * lid
        self._parts.append(
            "\n".join(["[[under]]" if under else "[[layer]]", *rows, *([f"name = {_quoted(name)}"] if name else [])])
        )

    def wire(self, name: str, *points: str, radius: str = "rod / 2") -> None:
        """A wire through points."""
        rows = ", ".join(_quoted(p) for p in points)
        self._part("wire", name, f"radius = {_quoted(radius)}", f"points = [{rows}]")

    def curve(self, name: str, kind: str, keys: Mapping[str, str | int], radius: str = "rod / 2") -> None:
        """A wire along a circle or a helix."""
        entry = ", ".join(f"{key} = {_quoted(text)}" for key, text in keys.items())
        self._part("wire", name, f"radius = {_quoted(radius)}", f"{kind} = {{ {entry} }}")

    def sheet(self, name: str, kind: str, keys: Mapping[str, Any], *, sides: int = 1, density: float = 1.0) -> None:
        """A sheet in the shape of a plate, box, cylinder or the like."""
        rows = [f"{key} = {json.dumps(value, ensure_ascii=False)}" for key, value in keys.items()]
        self._part("sheet", name, f"{kind} = {{ {', '.join(rows)} }}", *([f"sides = {sides}"] if sides != 1 else []),
                   *([f"density = {density}"] if density != 1.0 else []))  # fmt: skip

    def sheet_port(self, name: str, on: str, at: str, across: str, gap: str, reference: str = "50 ohm") -> None:
        """A port across a gap of a sheet."""
        rows = [f"{key} = {_quoted(text)}" for key, text in (("on", on), ("at", at), ("across", across), ("gap", gap))]
        self._part("port", name, *rows, f"reference = {_quoted(reference)}")

    def port(self, name: str, on: str, at: str | float, reference: str = "50 ohm") -> None:
        """A port."""
        self._part("port", name, f"on = {_quoted(on)}", f"at = {_quoted(at)}", f"reference = {_quoted(reference)}")

    def terminal(self, name: str, on: str, at: str | float = 0.5) -> None:
        """A gap for a line."""
        self._part("terminal", name, f"on = {_quoted(on)}", f"at = {_quoted(at)}")

    def line(self, name: str, one: str, two: str, impedance: str, length: str, *, crossed: bool = False) -> None:
        """An ideal line between two gaps."""
        rows = [f"from = {_quoted(one)}", f"to = {_quoted(two)}", f"impedance = {_quoted(impedance)}"]
        self._part("line", name, *rows, f"length = {_quoted(length)}", *(["crossed = true"] if crossed else []))

    def band(self, low: float, high: float, points: int = 101) -> None:
        """A band, as shares of the frequency."""
        ends = [units.engineering(share * self.hertz, "Hz", 6) for share in (low, high)]
        self._remark("band")
        self._parts.append(f'[band]\nfrom = "{ends[0]}"\nto = "{ends[1]}"\npoints = {points}')

    def case(self, *cuts: str) -> None:
        """One watt into the port, and the cuts to take."""
        rows = ", ".join(_quoted(c) for c in cuts)
        self._remark("case")
        self._parts.append(f'[case.transmitting]\npower = {{ feed = "1 W" }}\ncuts = [{rows}]')

    def more(self, key: str, **rows: Any) -> None:
        """Any other table."""
        told = [f"{name} = {json.dumps(value, ensure_ascii=False)}" for name, value in rows.items()]
        self._parts.append("\n".join(["", f"[{key}]", *told]))

    def _part(self, kind: str, name: str, *rows: str) -> None:
        self._remark(kind)
        self._parts.append("\n".join([f"[{kind}.{name}]", *rows]))

    def _remark(self, kind: str) -> None:
        """An empty line, and a word on the first of its kind."""
        self._parts.append("")
        if kind not in self._told:
            self._told.add(kind)
            self._parts.append(f"# {_REMARKS[kind]}")

    @property
    def text(self) -> str:
        """The file."""
        width = max(len(name) for name, _ in self._values)
        values = [f"{name:<{width}} = {entry}" for name, entry in self._values]
        shown = ["", "# Where a drawing of the geometry shows them, from point to point.", "[dimensions]"]
        shown = [*shown, *self._dimensions] if self._dimensions else []
        return "\n".join([*self._head, "", "[values]", *values, *shown, *self._parts]) + "\n"

    def design(self, changes: Mapping[str, str | float]) -> Design:
        """The design, with values changed."""
        return design_from_text(self.text, self.title, Path()).design.with_(**changes)


def counted(number: int, what: str, least: int, most: int) -> int:
    """A number of parts, if it makes sense; raises UsageError."""
    if isinstance(number, bool) or not isinstance(number, int) or not least <= number <= most:
        raise UsageError(f"{what} = {number!r} is not a whole number from {least} to {most}")
    return number


def _quoted(value: str | float) -> str:
    return json.dumps(value, ensure_ascii=False)
