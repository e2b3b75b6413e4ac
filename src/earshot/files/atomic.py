"""Writing a file whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path

from ..errors import RunError


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


def write_atomically(path: str | Path, write: Callable[[Path], object]) -> Path:
    """Have write(temporary) make the file beside its place, then move it there in one step.

    Raises RunError when that fails; whatever was at the place before is then still there.
    """
    target = Path(path)
    folder(target.parent)
    handle, name = tempfile.mkstemp(prefix=f".{target.stem}-", suffix=target.suffix, dir=target.parent)
    os.close(handle)
    temporary = Path(name)
    try:
        write(temporary)
        temporary.chmod(0o644)
        temporary.replace(target)
    except OSError as problem:
        raise RunError(f"cannot write '{target}': {problem.strerror or problem}; choose another place") from None
    finally:
        temporary.unlink(missing_ok=True)
    return target


def stem_of(name: str) -> str:
    """A name of the user's as the stem of a file's: without blanks and slashes."""
    return name.replace(" ", "-").replace("/", "-")
