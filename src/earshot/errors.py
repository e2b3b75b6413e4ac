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


def unknown(kind: str, name: str, known: Iterable[str]) -> str:
    """Say that a name is unknown, which names there are, and which one was probably meant.

    >>> unknown("wire", "dirven", ["driven", "boom"])
    "there is no wire 'dirven'; did you mean 'driven'? (there are: boom, driven)"
    """
    names = sorted(known)
    close = difflib.get_close_matches(name, names, n=1)
    hint = f"; did you mean '{close[0]}'?" if close else ""
    listed = ", ".join(names) if names else "none"
    return f"there is no {kind} '{name}'{hint} (there are: {listed})"
