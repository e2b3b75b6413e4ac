"""Write docs/antennas.md and a sketch of every ready-made antenna: python docs/antennas.py."""

import inspect
from pathlib import Path

import earshot as es

PAGE = Path(__file__).parent / "antennas.md"
SKETCHES = Path(__file__).parent / "antennas"
FREQUENCY = "150 MHz"

_HEAD = """# Ready-made antennas

`earshot new KIND --frequency F` writes one as a commented design file; `es.antennas.KIND(F)` gives it as a `Design`.
Every dimension is a value with a range and a note. The sketches are drawn for 150 MHz by `python docs/antennas.py`.
"""


def page() -> str:
    """The page, from the antennas' own words and values."""
    parts = [_HEAD]
    for name in es.antennas.__all__:
        make = getattr(es.antennas, name)
        design = make(FREQUENCY)
        doc = " ".join((inspect.getdoc(make) or "").split("values: to change")[0].split())
        parts += [f"## {name.replace('_', '-')}", "", doc, "", f"![{design.antenna.name}](antennas/{name}.svg)", ""]
        parts += ["| value | is | from | to | |", "|---|---|---|---|---|"]
        parts += [f"| `{n}` | {v.is_} | {v.from_} | {v.to} | {v.note} |" for n, v in design.given]
        parts.append("")
    return "\n".join(parts)


if __name__ == "__main__":
    SKETCHES.mkdir(exist_ok=True)
    for kind in es.antennas.__all__:
        es.plots.geometry(getattr(es.antennas, kind)(FREQUENCY)).savefig(SKETCHES / f"{kind}.svg")
    PAGE.write_text(page(), encoding="utf-8")
