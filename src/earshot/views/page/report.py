"""Reports: one file of HTML that holds models and answers back."""

from __future__ import annotations

import datetime
import json
from collections.abc import Mapping, Sequence
from importlib import resources
from pathlib import Path
from typing import Any

from ... import __version__
from ...errors import UsageError
from ...fields import words
from ...fields.gains import decibels
from ...files.atomic import write_bytes
from ...files.tables import plain
from ...lettering import visible
from ...terms import terms
from ...units import engineering
from ..palette import SHORE_STEPS
from .contents import Share, measured_of, model_of, study_of
from .packing import Packed
from .subject import Measured, Reportable, Subject, Table, subjects

MOST_MODELS = 24
_SCRIPTS = ("sums.js", "fields.js", "open.js", "charts.js", "paper.js", "drawings.js", "scene.js", "page.js")


def report(
    models: Reportable | Mapping[str, Reportable] | Sequence[Reportable], path: str | Path, *, title: str = ""
) -> Path:
    """Write models as one page that turns, slides, steers and re-terminates, and needs neither network nor Earshot.

    models: a run, a solution, a solved array, a design file (which is solved) or a results file, several of them, or
    by name; measured networks and studies beside them. path: ends in .html. title: the first model's name unless given.

    Embedded fields are held in as few directions as tell all others to 3e-4 of the greatest, in whole numbers of two
    bytes; frequencies, currents and directions are cut down where it would be too large, with a note on the page.
    Raises UsageError for what is no model, for nothing that was solved, and for another ending.
    """
    target = Path(path)
    if target.suffix.lower() not in (".html", ".htm"):
        raise UsageError(f"report: '{target.name}' is no page: let its name end in .html")
    found = subjects(models)
    solved = [one for one in found if isinstance(one, Subject)]
    if len(solved) > MOST_MODELS:
        raise UsageError(f"report: {len(solved)} models are more than {MOST_MODELS} that a page holds: leave some out")
    packed, share = Packed(), Share.of(len(solved))
    content = {
        "title": visible(title or solved[0].label),
        "models": [model_of(one, share, packed) for one in solved],
        "measured": [curve for one in found if isinstance(one, Measured) for curve in measured_of(one, packed)],
        "studies": [study_of(one) for one in found if isinstance(one, Table)],
        "colours": list(SHORE_STEPS),
        "words": [{"name": t.name, "meaning": t.meaning, "formula": t.formula, "source": t.source} for t in terms()],
    }
    tables = [_plain_table(one) for one in solved]
    return write_bytes(target, page_of(content, packed.text(), tables).encode("utf-8"))


def page_of(content: dict[str, Any], packed: str, tables: Sequence[dict[str, Any]]) -> str:
    """The page as text. tables: what it shows where its script is switched off."""
    from jinja2 import Environment, PackageLoader
    from markupsafe import Markup

    room = Environment(loader=PackageLoader(__package__, "."), autoescape=True, keep_trailing_newline=True)
    # In a script only the end of a script, or of a comment, means anything.
    held = json.dumps(plain(content), ensure_ascii=False, allow_nan=False).replace("<", "\\u003c")
    script = "const PAGE = JSON.parse(document.getElementById('content').textContent);\n" + "\n".join(
        _text(name) for name in _SCRIPTS
    )
    library = _text("library/library.js")
    weight = (len(held) + len(packed) + len(script) + len(library)) / 1e6
    return room.get_template("page.html").render(
        title=content["title"],
        about=content["models"][0]["medium"],
        version=__version__,
        date=datetime.date.today().isoformat(),
        size=f"About {weight:.1f} MB, {len(packed) / 1e6:.1f} of them fields, currents and curves.",
        style=Markup(_text("page.css")),
        content=Markup(held),
        bytes=Markup(packed),
        library=Markup(library),
        script=Markup(script),
        licences=_text("library/LICENSES.txt"),
        plain_tables=tables,
    )


def _text(name: str) -> str:
    return resources.files(__package__).joinpath(name).read_text(encoding="utf-8")


def _plain_table(one: Subject) -> dict[str, Any]:
    """What is read first, for a page whose script is switched off."""
    first = one.cases[0]
    seen = first.driven.ports_table().iloc[0]
    z = complex(seen["active_impedance_ohm"])
    rows = [("impedance", f"{z.real:.2f} {z.imag:+.2f}j ohm"), ("VSWR", f"{float(seen['active_vswr'].real):.3g}")]
    if first.radiates:
        field = first.field
        rows += [
            ("gain", f"{float(decibels(field.gain(*field.peak))):.2f} dBi"),
            ("peak", words.peak_place(field, words.straight_above(field, first.driven.antenna.medium.layered))),
        ]
    title = f"{one.label}, {first.case.name} at {engineering(first.driven.frequency, 'Hz', 6)}"
    return {"title": visible(title), "rows": rows}
