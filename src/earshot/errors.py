"""One tree for everything Earshot refuses.

    EarshotError
    ├── UsageError        a call, a key, a unit or a name that makes no sense as written
    │   ├── UnitError         a quantity with a wrong or missing unit
    │   └── DesignFileError   a design file that cannot be read as one
    ├── ModelError        a model that cannot be solved as it stands (carries the findings)
    └── RunError          a sound model whose run failed (no room on disk, no memory, singular matrix)

Every message names the thing, the value, the limit and the remedy.
"""

from __future__ import annotations

import difflib
import reprlib
from collections.abc import Iterable
from typing import Any


class EarshotError(Exception):
    """Anything Earshot refuses to do, with the reason and the cure in its message."""


class UsageError(EarshotError):
    """A call, key, unit or name that makes no sense as written."""


class UnitError(UsageError):
    """A quantity with a wrong or missing unit."""


class DesignFileError(UsageError):
    """A design file that cannot be read as one."""


class ModelError(EarshotError):
    """A model that cannot be solved as it stands.

    `findings` holds what `check` found, when it was `check` that stopped it.
    """

    def __init__(self, message: str, findings: Any = ()) -> None:
        super().__init__(message)
        self.findings = findings


class RunError(EarshotError):
    """A sound model whose run failed."""


def needs(thing: object, kinds: Any, what: str, give: str) -> None:
    """Raise UsageError unless a thing is of the kinds it must be.

    >>> needs("1 mm", float, "jacket", "a number")
    Traceback (most recent call last):
    earshot.errors.UsageError: jacket: '1 mm' is a str; give a number
    """
    if not isinstance(thing, kinds):
        kind = type(thing).__name__
        raise UsageError(
            f"{what}: {reprlib.repr(thing)} is {'an' if kind[0] in 'aeioAEIO' else 'a'} {kind}; give {give}"
        )


_LONGEST, _MOST_COMPARED, _MOST_LISTED = 60, 2_000, 40


def unknown(kind: str, name: str, known: Iterable[str]) -> str:
    """Say that a name is unknown, which names there are, and which one was probably meant.

    >>> unknown("wire", "dirven", ["driven", "boom"])
    "there is no wire 'dirven'; did you mean 'driven'? (there are: boom, driven)"
    """
    names = sorted(known)
    shown = name if len(name) <= _LONGEST else f"{name[:_LONGEST]}..."
    close = difflib.get_close_matches(shown, names[:_MOST_COMPARED], n=1)
    hint = f"; did you mean '{close[0]}'?" if close else ""
    listed = ", ".join(names[:_MOST_LISTED]) if names else "none"
    more = f" and {len(names) - _MOST_LISTED} more" if len(names) > _MOST_LISTED else ""
    return f"there is no {kind} '{shown}'{hint} (there are: {listed}{more})"
