"""Numbers from a table (CSV), with the row and column named that is at fault."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ..errors import UsageError

if TYPE_CHECKING:
    import pandas as pd


def read_table(path: str | Path, what: str) -> pd.DataFrame:
    """A table as it stands; raises UsageError when it cannot be read."""
    import pandas as pd

    try:
        return pd.read_csv(path, skipinitialspace=True)
    except (OSError, ValueError) as problem:
        raise UsageError(f"{what} {path}: cannot be read: {problem}") from None


def numbers_of(
    table: pd.DataFrame, names: Sequence[str], path: str | Path, what: str
) -> dict[str, NDArray[np.float64]]:
    """Those of the columns that are there; raises UsageError for a cell that is not a number."""
    import pandas as pd

    found = {}
    for name in names:
        if name in table:
            column = pd.to_numeric(table[name], errors="coerce").to_numpy(float)
            if not np.isfinite(column).all():
                row = int(np.flatnonzero(~np.isfinite(column))[0])
                raise UsageError(f"{what} {path}: row {row + 1}, {name}: '{table[name][row]}' is not a number")
            found[name] = column
    return found
