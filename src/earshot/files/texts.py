"""The texts of one design file: what they come to in SI, and everything that is wrong with them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from .. import units
from ..constants import wavelength
from ..errors import DesignFileError, EarshotError, UnitError
from ..media.stack import Stack
from ..media.surroundings import FreeSpace, Medium
from .reading import KeptText


@dataclass(frozen=True, slots=True)
class Fault:
    """A complaint about a place in a file, such as "wire.rod.radius"."""

    place: str
    says: str

    def explains(self, says: str) -> bool:
        """Whether another complaint only follows from this one."""
        kind, _, name = self.place.partition(".")
        if kind == "values" and f"there is no value '{name.split('.')[0]}'" in says:
            return True
        return f": {self.place}:" in says or (kind == "frequency" and "uses lambda" in says)


class Texts:
    """Reads the texts of one file, with its name in every complaint, and gathers complaints to tell them all at once.

    name: of the file. folder: where the files it names are. frequency: where "lambda" is measured, as text. faults:
    places already known to be wrong; what follows from them is not told again, but counts among the stumbles. tables:
    texts of files it names, by name, that are not in the folder. medium: once it is known. feed: parts of its circuit.
    """

    def __init__(
        self,
        name: str,
        folder: Path,
        frequency: str | float,
        faults: Iterable[Fault] = (),
        tables: Mapping[str, str] | None = None,
    ) -> None:
        self.name, self.folder, self.tables = name, folder, tables or {}
        self.faults, self.stumbles = list(faults), 0
        self.frequency: float | None = None
        self.medium: Medium = FreeSpace()
        self.feed: Mapping[str, Any] = {}
        with self.gathering("frequency"):
            hertz = self.quantity(frequency, "frequency", "frequency")
            if hertz <= 0.0:
                raise UnitError(f"{name}: frequency: {frequency} is not above zero; write it like '150.1 MHz'")
            self.frequency = hertz

    def board_at(self, height: float) -> Stack | None:
        """The layers that strips at a height are printed on, if there are any."""
        side = self.medium.stack if height >= 0.0 or not self.medium.sides else self.medium.sides[1]
        level = -1 if side is None else int(side.level_at(np.array(abs(height))))
        return side if side is None or level < 0 else side.on(level)

    @property
    def wavelength(self) -> float | None:
        """Length of "lambda", metres; None while the frequency is at fault."""
        return None if self.frequency is None else wavelength(self.frequency)

    @contextmanager
    def gathering(self, place: str) -> Iterator[None]:
        """Keep a complaint made inside for `told`, unless it follows from one that is already there."""
        try:
            yield
        except EarshotError as problem:
            self.stumbles += 1
            for line in str(problem).splitlines():
                # Faults found by the parts themselves do not know which file they came from.
                says = line if line.startswith(f"{self.name}: ") else f"{self.name}: {line}"
                if not any(fault.explains(says) for fault in self.faults):
                    self.faults.append(Fault(place, says))

    def file(self, name: str) -> Path | KeptText:
        """A file that is named."""
        return KeptText(name, self.tables[name]) if name in self.tables else self.folder / name

    def told(self) -> None:
        """Raise DesignFileError with every complaint, a line each, if there are any."""
        if self.faults:
            raise DesignFileError("\n".join(dict.fromkeys(fault.says for fault in self.faults)))

    def quantity(
        self, value: str | float, kind: str, what: str, names: Mapping[str, units.Quantity] | None = None
    ) -> float:
        """A text as an SI number; raises UnitError naming file and place."""
        long = self.wavelength if what != "frequency" else None
        return units.read(value, kind, what=f"{self.name}: {what}", names=names, wavelength=long, bare=False)

    def number(self, value: str | float, what: str, names: Mapping[str, units.Quantity] | None = None) -> float:
        """A plain number, or what a text of values comes to."""
        return self.quantity(value, "number", what, names) if isinstance(value, str) else float(value)

    def hertz(self, value: str | float, what: str) -> float:
        """A frequency above zero."""
        found = self.quantity(value, "frequency", what)
        if found <= 0.0:
            raise UnitError(f"{self.name}: {what}: {value} is not above zero; write it like '150.1 MHz'")
        return found

    def cells(self, text: str, what: str) -> list[str]:
        """The three coordinates of a point's text."""
        cells = _split(text)
        if len(cells) != 3:
            raise DesignFileError(f"{self.name}: {what}: '{text}' has {len(cells)} coordinates; write three, 'x, y, z'")
        return cells

    def degrees(self, text: str | float, what: str, names: Mapping[str, units.Quantity] | None = None) -> float:
        """An angle as calls take it: a number of degrees."""
        return math.degrees(self.quantity(text, "angle", what, names))

    def point(self, text: str, what: str, names: Mapping[str, units.Quantity] | None = None) -> list[float]:
        """A point's text as three lengths, metres."""
        return [self.quantity(cell, "length", what, names) for cell in self.cells(text, what)]


def _split(text: str) -> list[str]:
    """Split at the commas that are not inside brackets."""
    cells, depth = [""], 0
    for letter in text:
        depth += (letter == "(") - (letter == ")")
        if letter == "," and depth == 0:
            cells.append("")
        else:
            cells[-1] += letter
    return [cell.strip() for cell in cells]
