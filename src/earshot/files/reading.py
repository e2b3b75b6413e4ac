"""What every file that is read goes through: it is an ordinary file of a bearable size, and its tables are of numbers.

Complaints name the file, the row and the column, and never repeat what the file holds: it may be anybody's.
"""

from __future__ import annotations

import stat
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from ..arraytypes import Floats
from ..errors import EarshotError, UsageError
from ..lettering import visible

if TYPE_CHECKING:
    import pandas as pd

Complaint = Callable[[str], EarshotError]
"""Makes the error that a reader raises, from what is wrong."""

MEGABYTE = 2**20
LARGEST_TEXT = 4 * MEGABYTE
"""Bytes of a design file."""
LARGEST_TABLE = 64 * MEGABYTE
"""Bytes of a table, a curve, or a file of triangles."""
MOST_ROWS, MOST_COLUMNS = 1_000_000, 64
"""Of a table."""


def read_bytes(path: str | Path, most: int, wrong: Complaint = UsageError) -> bytes:
    """What an ordinary file holds; raises what `wrong` makes for a missing, special or larger one."""
    place = Path(path)
    try:
        about = place.stat()
        if not stat.S_ISREG(about.st_mode):
            what = "a folder" if stat.S_ISDIR(about.st_mode) else "a device or a pipe"
            raise wrong(f"cannot read '{place}': it is {what}, not an ordinary file")
        if about.st_size > most:
            raise wrong(
                f"cannot read '{place}': it has {about.st_size / MEGABYTE:.1f} MiB; {most / MEGABYTE:.0f} are the most"
            )
        with place.open("rb") as stream:
            return stream.read(most)
    except (OSError, ValueError) as problem:
        reason = getattr(problem, "strerror", None) or "its name is none that a file can have"
        raise wrong(f"cannot read '{visible(str(place))}': {reason}") from None


def read_text(path: str | Path, most: int, wrong: Complaint = UsageError) -> str:
    """The text of an ordinary file in UTF-8; raises what `wrong` makes."""
    try:
        return read_bytes(path, most, wrong).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise wrong(f"cannot read '{path}': it is not UTF-8 text") from None


@dataclass(frozen=True, slots=True)
class KeptText:
    """The text of a file that is kept elsewhere, as in a results file."""

    name: str
    text: str


def read_table(path: str | Path | KeptText, wrong: Complaint = UsageError) -> pd.DataFrame:
    """A table (CSV) with one line of headings; remarks begin with #. Raises what `wrong` makes."""
    import io
    import warnings

    import pandas as pd

    text = path.text if isinstance(path, KeptText) else read_text(path, LARGEST_TABLE, wrong)
    name = name_of(path)
    if text.count("\n") > MOST_ROWS:
        raise wrong(f"'{name}' has {text.count(chr(10)):,} lines; {MOST_ROWS:,} are the most")
    heading = next((line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")), "")
    if heading.count(",") >= MOST_COLUMNS:
        raise wrong(f"'{name}' has {heading.count(',') + 1:,} columns; {MOST_COLUMNS} are the most")
    if "\0" in text or not heading:
        raise wrong(f"cannot read '{name}' as a table: {'it is no text' if heading else 'it is empty'}")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", pd.errors.ParserWarning)
            table = pd.read_csv(
                io.StringIO(text), comment="#", skipinitialspace=True, index_col=False, dtype=str, keep_default_na=False
            )
    except (ValueError, pd.errors.ParserWarning):
        raise wrong(f"'{name}' is not a table: not every row has as many fields as the headings") from None
    table.columns = pd.Index([str(column).strip() for column in table.columns])
    return table


def name_of(path: str | Path | KeptText) -> str:
    """What to call a file in complaints."""
    return path.name if isinstance(path, KeptText) else Path(path).name


def numbers(table: pd.DataFrame, names: Sequence[str], name: str, wrong: Complaint = UsageError) -> dict[str, Floats]:
    """Those of the columns that are there, as finite numbers; raises what `wrong` makes, naming row and column."""
    return {column: number_column(table[column], name, column, wrong) for column in names if column in table}


def number_column(column: Any, name: str, heading: str, wrong: Complaint = UsageError) -> Floats:
    """A column of a table as finite numbers."""
    import pandas as pd

    found = np.asarray(pd.to_numeric(column, errors="coerce").to_numpy(float))
    if not np.isfinite(found).all():
        row = int(np.flatnonzero(~np.isfinite(found))[0]) + 1
        raise wrong(f"'{name}', row {row}, {visible(heading)}: not a number; mend that line")
    return found


def need(table: pd.DataFrame, names: Sequence[str], name: str, wrong: Complaint = UsageError) -> None:
    """Raise what `wrong` makes unless the table has these columns and at least one row."""
    missing = [column for column in names if column not in table]
    if missing:
        raise wrong(f"'{name}' has no column {missing[0]}; it needs {', '.join(names)}")
    if not len(table):
        raise wrong(f"'{name}' has headings and no rows")
