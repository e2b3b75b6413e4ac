"""Touchstone 1.x and 2.0: network parameters as text, written and read."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np

from ..arraytypes import Complexes, Floats
from ..errors import UsageError
from ..network.components import BlockPart, block
from ..network.network import Network, admittance_of
from .atomic import write_atomically
from .reading import LARGEST_TABLE, KeptText, read_bytes

_UNITS = {"HZ": 1.0, "KHZ": 1e3, "MHZ": 1e6, "GHZ": 1e9}
_FORMS = ("RI", "MA", "DB")
_PARAMETERS = ("S", "Y", "Z")


def is_touchstone(path: Path) -> bool:
    """Whether a path ends in .s1p, .s2p, ... or .ts."""
    return path.suffix.lower() == ".ts" or re.fullmatch(r"\.s\d+p", path.suffix.lower()) is not None


def _pairs(values: Complexes, form: str) -> Complexes:
    """Complex numbers as the two real ones a form asks for, kept in the real and imaginary parts."""
    if form == "RI":
        return values
    size = np.abs(values)
    size = 20.0 * np.log10(np.maximum(size, 1e-300)) if form == "DB" else size
    return np.asarray(size + 1j * np.degrees(np.angle(values)))


def _from_pairs(pairs: Complexes, form: str) -> Complexes:
    if form == "RI":
        return pairs
    size = 10.0 ** (pairs.real / 20.0) if form == "DB" else pairs.real
    return np.asarray(size * np.exp(1j * np.radians(pairs.imag)))


def touchstone(network: Network, *, version: int = 1, parameters: str = "S", form: str = "RI") -> str:
    """The network as Touchstone text, in Hz, at its own references.

    version: 1, where all ports share one real reference and Z and Y are divided by it, or 2, where each port has its
    own. parameters: "S", "Y" or "Z". form: "RI", "MA" or "DB". Raises UsageError for references the version cannot
    hold.
    """
    for what, given, known in (("parameters", parameters, _PARAMETERS), ("form", form, _FORMS)):
        if given not in known:
            raise UsageError(f"touchstone: {what} '{given}' is not one of {', '.join(known)}")
    alike = len(np.unique(network.references)) == 1
    if network.references.imag.any() or (version == 1 and not alike):
        listed = ", ".join(f"{p} {r:g} ohm" for p, r in zip(network.ports, network.references, strict=True))
        holds = "one real reference impedance" if version == 1 else "real reference impedances"
        raise UsageError(
            f"Touchstone {version}.x holds {holds}, and the ports have other ones ({listed}): "
            f"use network.referred_to(50){', write version 2 (.ts)' if version == 1 else ''} or write CSV or JSON"
        )
    count, reference = len(network.ports), float(network.references[0].real)
    matrices = {"S": network.s, "Y": network.y, "Z": network.z}[parameters]().values
    if version == 1 and parameters != "S":
        matrices = matrices * reference if parameters == "Y" else matrices / reference
    lines = [f"! port {i + 1}: {name}" for i, name in enumerate(network.ports)]
    option = f"# Hz {parameters} {form} R {reference:.12g}"
    if version == 1:
        lines.append(option)
    else:
        references = " ".join(f"{r.real:.12g}" for r in network.references)
        lines = ["[Version] 2.0", *lines, option, f"[Number of Ports] {count}"]
        lines += ["[Two-Port Data Order] 12_21"] if count == 2 else []
        lines += [f"[Number of Frequencies] {len(network.frequencies)}", f"[Reference] {references}", "[Network Data]"]
    for hertz, matrix in zip(network.frequencies, _pairs(matrices, form), strict=True):
        # Version 1 has two ports column by column (11 21 12 22); all else goes row by row, four values a line at most.
        flat = [matrix.T.ravel() if version == 1 else matrix.ravel()] if count <= 2 else None
        rows = flat or [row[i : i + 4] for row in matrix for i in range(0, count, 4)]
        texts = [" ".join(f"{v.real:.12e} {v.imag:.12e}" for v in row) for row in rows]
        lines.append(f"{hertz:.12g} {texts[0]}")
        lines += [f"  {text}" for text in texts[1:]]
    return "\n".join([*lines, *(["[End]"] if version == 2 else [])]) + "\n"


def write_touchstone(network: Network, path: Path, *, parameters: str = "S", form: str = "RI") -> Path:
    """Write a network as .s1p, .s2p, ... (version 1) or .ts (version 2).

    Raises UsageError for a suffix that does not fit the number of ports.
    """
    count, ending = len(network.ports), path.suffix.lower()
    if ending not in (".ts", f".s{count}p"):
        raise UsageError(f"'{path.name}': a network of {count} ports is written to a file ending in .s{count}p or .ts")
    text = touchstone(network, version=2 if ending == ".ts" else 1, parameters=parameters, form=form)
    return write_atomically(path, lambda temporary: temporary.write_text(text, encoding="utf-8"))


class _Sheet:
    """A Touchstone file taken apart: what the option line and the keywords say, and the numbers."""

    def __init__(self, text: str, name: str) -> None:
        self.name = name
        self.unit, self.parameters, self.form, self.reference = 1e9, "S", "MA", 50.0
        self.keywords: dict[str, str] = {}
        self.ports: dict[int, str] = {}
        self.numbers: list[float] = []
        self._references: list[float] = []
        self._option = False
        for number, line in enumerate(text.splitlines(), 1):
            self._line(line, number)
            if "end" in self.keywords:
                break

    def wrong(self, number: int, says: str) -> UsageError:
        return UsageError(f"{self.name}, line {number}: {says}")

    def _line(self, line: str, number: int) -> None:
        named = re.match(r"\s*!\s*port\s+(\d+)\s*[:=]\s*(\S.*?)\s*$", line, re.IGNORECASE)
        if named:
            self.ports[int(named[1])] = named[2]
        said = line.split("!")[0].strip()
        if not said or ("begin information" in self.keywords and not said.lower().startswith("[end inf")):
            return
        if said.startswith("#"):
            # Only the first option line counts.
            if not self._option:
                self._options(said[1:].upper().split(), number)
            self._option = True
        elif said.startswith("["):
            keyword, _, rest = said[1:].partition("]")
            word = " ".join(keyword.lower().split())
            self.keywords.pop("begin information", None)
            self.keywords[word] = rest.strip()
            if word == "reference":
                self._references += self._floats(rest, number)
        elif "noise data" not in self.keywords:
            values = self._floats(said, number)
            if "reference" in self.keywords and "network data" not in self.keywords:
                self._references += values
            else:
                self.numbers += values

    def _floats(self, text: str, number: int) -> list[float]:
        try:
            values = [float(word) for word in text.split()]
        except ValueError:
            raise self.wrong(number, "it holds something that is not a number") from None
        if not all(map(math.isfinite, values)):
            raise self.wrong(number, "it holds a number that is not finite")
        return values

    def _options(self, words: list[str], number: int) -> None:
        count = len(words)
        while words:
            word = words.pop(0)
            if word in _UNITS:
                self.unit = _UNITS[word]
            elif word in (*_PARAMETERS, "G", "H"):
                self.parameters = word
            elif word in _FORMS:
                self.form = word
            elif word == "R" and words:
                self.reference = self._floats(words.pop(0), number)[0]
            else:
                said = f"word {count - len(words)} of the option line is no unit, parameter, form or R ohms"
                raise self.wrong(number, said)
        if self.parameters in "GH":
            raise self.wrong(number, f"{self.parameters} parameters are not read; S, Y and Z are")

    @property
    def version(self) -> int:
        return 2 if "version" in self.keywords else 1

    def port_count(self, suffix: str) -> int:
        given = self.keywords.get("number of ports", suffix[2:-1])
        if not given.isdigit() or not int(given):
            raise UsageError(f"{self.name}: how many ports it has is not said: end its name in .s1p, .s2p, ...")
        return int(given)

    def references(self, count: int) -> Complexes:
        given = self._references or [self.reference] * count
        if len(given) != count or min(given) <= 0.0:
            raise UsageError(f"{self.name}: [Reference] gives {len(given)} values; {count} above zero are needed")
        return np.array(given, np.complex128)


def _records(sheet: _Sheet, count: int) -> tuple[Floats, Complexes]:
    """Frequencies (n,), Hz, and matrices (n, ports, ports) as the pairs the file holds."""
    shape = sheet.keywords.get("matrix format", "full").lower()
    if shape not in ("full", "lower", "upper"):
        raise UsageError(f"{sheet.name}: [Matrix Format] {shape} is not Full, Lower or Upper")
    if any(word.startswith("mixed-mode") for word in sheet.keywords):
        raise UsageError(f"{sheet.name}: mixed-mode parameters are not read; write single-ended ones")
    values = count * count if shape == "full" else count * (count + 1) // 2
    size, numbers = 1 + 2 * values, np.array(sheet.numbers)
    if sheet.version == 1 and count == 2:
        # Noise parameters may follow, beginning at a lower frequency.
        places = numbers[::size]
        back = np.flatnonzero(np.diff(places) <= 0.0)
        numbers = numbers[: (int(back[0]) + 1) * size] if len(back) else numbers
    if not len(numbers) or len(numbers) % size:
        raise UsageError(
            f"{sheet.name}: {len(numbers)} numbers are not whole records of {size} for {count} ports; "
            "it is cut off, or its name has the wrong ending"
        )
    table = numbers.reshape(-1, size)
    told = sheet.keywords.get("number of frequencies", str(len(table)))
    if told != str(len(table)):
        raise UsageError(f"{sheet.name}: [Number of Frequencies] says {told}, but there are {len(table)}")
    if (np.diff(table[:, 0]) <= 0.0).any() or table[0, 0] < 0.0:
        raise UsageError(f"{sheet.name}: its frequencies do not rise; sort the file")
    flat = table[:, 1::2] + 1j * table[:, 2::2]
    matrices = np.zeros((len(table), count, count), complex)
    half = np.tril_indices(count) if shape == "lower" else np.triu_indices(count)
    rows, columns = np.indices((count, count)).reshape(2, -1) if shape == "full" else half
    matrices[:, rows, columns] = flat
    if shape != "full":
        matrices[:, columns, rows] = flat
    elif count == 2 and (sheet.version == 1 or sheet.keywords.get("two-port data order", "12_21") == "21_12"):
        matrices = np.swapaxes(matrices, 1, 2)
    return table[:, 0] * sheet.unit, matrices


def read_touchstone(path: Path) -> Network:
    """Read a Touchstone file, version 1 or 2, of S, Y or Z parameters; noise parameters are passed over.

    Port names are taken from remarks such as "! port 1: feed". Raises UsageError, naming file and line, for one that is
    cut off or says what it may not.
    """
    return _Read(_text(path), path).network


def read_block(source: Path | KeptText) -> BlockPart:
    """A Touchstone file as a part of a circuit: of S at one reference just as it is, even where it has no admittance.

    Raises UsageError as `read_touchstone` does.
    """
    read = _Read(_text(source), source) if isinstance(source, Path) else _Read(source.text, Path(source.name))
    references = set(read.references.tolist())
    if read.sheet.parameters != "S" or len(references) > 1:
        return block(read.network)
    return BlockPart(read.ports, read.frequencies, read.matrices, float(references.pop().real))


def _text(path: Path) -> str:
    return read_bytes(path, LARGEST_TABLE).decode("utf-8", errors="replace")


class _Read:
    """What a sheet says: frequencies, Hz, and matrices as they stand there."""

    def __init__(self, text: str, path: Path) -> None:
        self.path, self.sheet = path, _Sheet(text, path.name)
        count = self.sheet.port_count(path.suffix)
        self.references = self.sheet.references(count)
        self.frequencies, pairs = _records(self.sheet, count)
        self.matrices = _from_pairs(pairs, self.sheet.form)
        self.ports = tuple(self.sheet.ports.get(i + 1, f"port {i + 1}") for i in range(count))

    @property
    def network(self) -> Network:
        sheet, matrices = self.sheet, self.matrices
        if sheet.parameters != "S" and sheet.version == 1:
            matrices = matrices / sheet.reference if sheet.parameters == "Y" else matrices * sheet.reference
        try:
            admittance = {
                "S": lambda: admittance_of(matrices, self.references),
                "Y": lambda: matrices,
                "Z": lambda: np.asarray(np.linalg.inv(matrices), np.complex128),
            }[sheet.parameters]()
        except np.linalg.LinAlgError:
            raise UsageError(
                f"{self.path.name}: at some frequency its ports are joined by nothing or a perfect short"
            ) from None
        return Network(self.frequencies, admittance, self.ports, self.references, self.path.stem)
