"""A folder that keeps every solve, so that nothing is solved twice, across studies and after whatever stopped one.

Each solve is a results file named by its content: the antenna to the last digit, the mesh rule, the frequencies, and
the version that solved it. An index (SQLite) knows sizes, titles and checksums. A file is there whole or not at all,
and is entered after it is there; one that is damaged is set aside and solved again. Several processes may work in one
store.
"""

from __future__ import annotations

import hashlib
import json
import logging
import sqlite3
import time
from collections.abc import Iterator, Sequence
from contextlib import closing, contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path

import pandas as pd

from ..answers.solution import Solution
from ..answers.solve import solve
from ..description.antenna import Antenna
from ..description.design import Design
from ..errors import EarshotError, RunError, UsageError
from ..files.atomic import folder
from ..files.design_text import antenna_text
from ..files.results import FORMAT, read_results, write_results
from ..meshing.mesh import MeshRule

_log = logging.getLogger("earshot")
LAYOUT = 1
"""Of the folder and its index."""
_WAIT = 60.0
"""Seconds to wait for another process that writes the index."""
_TABLE = """
CREATE TABLE IF NOT EXISTS solves (
    key TEXT PRIMARY KEY, title TEXT, frequencies TEXT, unknowns INTEGER, seconds REAL, bytes INTEGER, sha256 TEXT,
    made REAL
)
"""


@dataclass(frozen=True, slots=True)
class Store:
    """A store in a folder; made by `open_store`."""

    place: Path

    def solution(self, model: Design | Antenna, frequencies: Sequence[float], rule: MeshRule | None = None) -> Solution:
        """A model solved at frequencies, Hz: taken from the store where it is, else solved and kept."""
        rule = rule or MeshRule()
        antenna = model.antenna if isinstance(model, Design) else model
        key = key_of(antenna, frequencies, rule)
        kept = self._kept(key)
        if kept is not None:
            return kept
        found = solve(model, list(frequencies), rule=rule, errors=False)
        try:
            self._enter(key, found, write_results(found, self._path(key)))
        except EarshotError as problem:
            # The answer is there all the same; only the next study has to solve it again.
            _log.warning("store '%s' keeps no more solves: %s", self.place, str(problem).partition("\n")[0])
        return found

    def _kept(self, key: str) -> Solution | None:
        """What is kept under a key; what is damaged is set aside, and what is not entered is looked at before use."""
        path = self._path(key)
        if not path.is_file():
            return None
        with self._index() as index:
            row = index.execute("SELECT sha256 FROM solves WHERE key = ?", (key,)).fetchone()
        if row is None or row[0] == _sum_of(path):
            try:
                found = read_results(path)
            except EarshotError:
                found = None
            if found is not None:
                if row is None:
                    self._enter(key, found, path)
                return found
        aside = folder(self.place / "set-aside") / path.name
        path.replace(aside)
        return None

    def _enter(self, key: str, found: Solution, path: Path) -> None:
        """Into the index."""
        with self._index() as index:
            row = (key, found.antenna.name, json.dumps(found.frequencies.tolist()), found.unknowns, found.seconds,
                   path.stat().st_size, _sum_of(path), time.time())  # fmt: skip
            index.execute("INSERT OR REPLACE INTO solves VALUES (?, ?, ?, ?, ?, ?, ?, ?)", row)

    def _path(self, key: str) -> Path:
        return self.place / "solves" / f"{key}.nc"

    @contextmanager
    def _index(self) -> Iterator[sqlite3.Connection]:
        """The index, for one change or question."""
        try:
            with closing(sqlite3.connect(self.place / "index.sqlite", timeout=_WAIT)) as index, index:
                yield index
        except sqlite3.Error as problem:
            raise RunError(
                f"store '{self.place}': its index cannot be used ({problem}): make room, or take index.sqlite away; "
                "it is made again from the solves"
            ) from None

    def table(self) -> pd.DataFrame:
        """Every solve that is kept: antenna, frequencies, unknowns, seconds it took, bytes, when."""
        with self._index() as index:
            rows = index.execute(
                "SELECT key, title, frequencies, unknowns, seconds, bytes, made FROM solves ORDER BY made, key"
            ).fetchall()
        columns = ["key", "antenna", "frequencies_Hz", "unknowns", "seconds", "bytes", "made"]
        return pd.DataFrame(rows, columns=columns).set_index("key")

    def clear(self) -> tuple[int, int]:
        """Take everything out; returns how many solves and bytes there were."""
        paths = [*(self.place / "solves").glob("*.nc"), *(self.place / "set-aside").glob("*.nc")]
        size = sum(path.stat().st_size for path in paths)
        for path in paths:
            path.unlink(missing_ok=True)
        with self._index() as index:
            index.execute("DELETE FROM solves")
        return len(paths), size


def open_store(path: str | Path, *, make: bool = True) -> Store:
    """A store in a folder, made where there is none; raises UsageError for a folder of something else or of a later
    version, RunError where nothing can be written.
    """  # fmt: skip
    place = Path(path)
    mark = place / "store.json"
    if not mark.is_file():
        if not make or (place.is_dir() and any(place.iterdir())):
            raise UsageError(f"'{place}' is no store: choose one, or an empty folder to make one in")
        folder(place / "solves")
        mark.write_text(json.dumps({"earshot_store": LAYOUT}), encoding="utf-8")
    try:
        layout = json.loads(mark.read_text(encoding="utf-8"))["earshot_store"]
    except (ValueError, KeyError, TypeError, OSError):
        layout = None
    if layout != LAYOUT:
        raise UsageError(f"store '{place}' has layout {layout}, this version {LAYOUT}: use another folder")
    found = Store(place)
    with found._index() as index:
        index.execute(_TABLE)
    return found


def key_of(antenna: Antenna, frequencies: Sequence[float], rule: MeshRule) -> str:
    """What a solve is known by."""
    from .. import __version__

    places = [float(f) for f in frequencies]
    content = [antenna_text(antenna, max(places)), asdict(rule), places, __version__, FORMAT]
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()[:32]


def _sum_of(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()
