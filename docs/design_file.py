"""Write docs/design-file.md and docs/place-file.md, the formats, from their schemas: python docs/design_file.py."""

import inspect
from pathlib import Path
from typing import Any, get_args

from pydantic import BaseModel

from earshot.files.schema import DesignTable
from earshot.reach.place_schema import PlaceTable

PAGE, PLACES = (Path(__file__).parent / name for name in ("design-file.md", "place-file.md"))

_HEAD = """# Design files

A design file is TOML. Made from the schema that reads it (`python docs/design_file.py`); a test keeps the two the same.

A quantity is a text with a unit: `"6 mm"`, `"60 mil"`, `"12 ft + 3 in"`, `"150.1 MHz"`, `"30 deg"`, `"0.25 lambda"`.
The unit is required, except for zero. Lengths, angles, resistances and numbers of an antenna's parts may be worked out
from the file's own values: `"-driven / 2 + 3 mm"`, with `+ - * / **`, brackets, `pi`, `sqrt`, `sin`, `cos`, `tan`,
`hypot`, `min`, `max` and `abs`. A unit belongs to the number before it, and powers of lengths are written
`"(2 m) ** 2"`; a text has 400 characters at most. It describes a number and can do nothing else. A point is three of
them, `"x, y, z"`. A value may use those above it.

Everything wrong with a file is told at once, each with its place, and the key that was probably meant.

```toml
{example}```
"""

_PLACES = """# Place files

A place file is TOML, and tells the ground and the stations of a place for `earshot path` and `earshot coverage`, and
what is built there for `earshot scene` (`hamlet_place.toml` of the demonstration is one of those). Made from the
schema that reads it (`python docs/design_file.py`); a test keeps the two the same. Quantities are texts with units,
as in [design files](design-file.md).

```toml
{example}```
"""

_LISTED = ("band", "layer", "under", "array", "lattice", "circuit", "terrain")


def _model(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    return next((m for m in map(_model, get_args(annotation)) if m), None)


def _sections(table: type[BaseModel], key: str, seen: dict[type[BaseModel], str]) -> list[str]:
    """A table's keys, then those of the tables in it; each kind of table is told once."""
    seen[table] = key
    rows = [
        f"## `{key}`" if key else "## The file",
        "",
        inspect.cleandoc(str(table.__doc__)),
        "",
        "| key | | |",
        "|---|---|---|",
    ]
    inner: list[str] = []
    for name, field in table.model_fields.items():
        word = field.alias or name
        needed = "required" if field.is_required() else ""
        if not field.is_required() and isinstance(field.default, str | int | float) and field.default != "":
            needed = f"`{str(field.default).lower() if isinstance(field.default, bool) else field.default}`"
        found = _model(field.annotation)
        path = ".".join(filter(None, [key, word]))
        if found is not None and key == "" and word not in _LISTED:
            path += ".NAME"
        if key.startswith("circuit") and word in ("part", "own"):
            path += ".NAME"
        if (key, word) == ("array", "beam") or (key.startswith("case") and word in ("near", "sectors")):
            path += ".NAME"
        if found is not None and found not in seen:
            inner += _sections(found, path, seen)
        told = f" See `{seen[found]}`." if found is not None else ""
        # A row of a table is one line.
        rows.append(f"| `{word}` | {needed} | {' '.join(str(field.description).split())}{told} |")
    return [*rows, "", *inner]


def page() -> str:
    """The whole page of design files."""
    return _page(_HEAD, "tag_receiver.toml", DesignTable)


def places() -> str:
    """The whole page of place files."""
    return _page(_PLACES, "ternholm_place.toml", PlaceTable)


def _page(head: str, example: str, table: type[BaseModel]) -> str:
    demo = Path(__file__).parent.parent / "src/earshot/demo" / example
    whole = head.replace("{example}", demo.read_text(encoding="utf-8"))
    return "\n".join([whole, *_sections(table, "", {})]).rstrip() + "\n"


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
    PLACES.write_text(places(), encoding="utf-8")
