"""Writing a file whole or not at all."""

from __future__ import annotations

import contextlib
import os
import tempfile
import time
import unicodedata
from collections.abc import Callable, Iterable
from pathlib import Path

from ..errors import RunError, UsageError
from ..lettering import told


def folder(path: str | Path) -> Path:
    """Make sure a folder is there and can be written to; raises RunError when not."""
    place = Path(path)
    try:
        place.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=place):
            pass
    except OSError as problem:
        raise RunError(f"cannot write into folder '{place}': {problem.strerror}; choose another folder") from None
    return place


_HALF_WRITTEN = ".earshot-half-written-"
_ABANDONED = 3600.0
"""Seconds after which a half-written file is nobody's any more."""


def _clear_away(place: Path) -> None:
    """Take away what a run that was killed has left half-written in a folder."""
    for left in place.glob(f"{_HALF_WRITTEN}*"):
        with contextlib.suppress(OSError):
            if time.time() - left.stat().st_mtime > _ABANDONED:
                left.unlink()


def write_atomically(path: str | Path, write: Callable[[Path], object]) -> Path:
    """Have write(temporary) make the file beside its place, then move it there in one step.

    Raises RunError when that fails; whatever was at the place before is then still there.
    """
    target = Path(path)
    _clear_away(folder(target.parent))
    temporary = None
    try:
        handle, name = tempfile.mkstemp(prefix=f"{_HALF_WRITTEN}", suffix=target.suffix, dir=target.parent)
        os.close(handle)
        temporary = Path(name)
        write(temporary)
        temporary.chmod(0o644)
        temporary.replace(target)
    except OSError as problem:
        raise RunError(f"cannot write '{target}': {problem.strerror or problem}; choose another place") from None
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)
    return target


def write_bytes(path: str | Path, content: bytes) -> Path:
    """Write bytes as `write_atomically` does."""
    return write_atomically(path, lambda place: place.write_bytes(content))


LONGEST_STEM = 60
"""Bytes of a file's name that come from a name of the user's."""


def stem_of(name: str) -> str:
    """A name of the user's as a piece of a file's name: letters, digits and "-+_." only, and never a way elsewhere.

    >>> stem_of("/../../x"), stem_of("to the north"), stem_of("..")
    ('x', 'to-the-north', 'unnamed')
    """
    kept = "".join(c if c.isalnum() or c in "-+_." else "-" for c in unicodedata.normalize("NFC", name))
    short = kept.strip("-.").encode()[:LONGEST_STEM].decode(errors="ignore")
    return short.strip("-.") or "unnamed"


def told_apart(names: Iterable[str], what: str) -> None:
    """Raise UsageError when two names would make files of one name, on any system."""
    taken: dict[str, str] = {}
    for name in names:
        before = taken.setdefault(stem_of(name).casefold(), name)
        if before != name:
            raise UsageError(
                f"{what} {told(before)} and {told(name)} would both be written as '{stem_of(name)}': rename one"
            )


class Written:
    """The files of one command in one folder: no two of one name, none outside it."""

    def __init__(self, place: Path) -> None:
        self.folder = place
        self.paths: dict[str, Path] = {}

    def path(self, name: str) -> Path:
        """Where a file of this name goes; raises UsageError when one of this run went there already."""
        if Path(name).name != name:
            raise UsageError(f"file {told(name)} would leave the folder '{self.folder}'")
        place = self.folder / name
        if self.paths.setdefault(name.casefold(), place) is not place:
            raise UsageError(f"'{name}' would be written twice into '{self.folder}': rename a case, beam or near field")
        return place

    def __len__(self) -> int:
        return len(self.paths)
