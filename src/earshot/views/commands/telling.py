"""What commands tell of studies: tables or JSON, and files into a folder."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import typer

from ...errors import UsageError
from ...files.atomic import folder as make_folder
from ...files.formats import write
from ...files.tables import records
from ...studies import Fitted, Front, Optimised, Study, Toleranced, Tuned
from ...studies.goals import named
from ..figures import over_one_another
from ..search_tables import fitted_tables, front_tables, optimised_tables
from ..study_tables import FIRST, toleranced_tables, tuned_tables, variants_table
from .plot import save_figures
from .screen import complain, paragraphs, show, show_json

Drawn = dict[str, Callable[[], Any]]


def tell(found: Any, *, out: Path | None, ending: str, json: bool, **more: Any) -> None:
    """Write an answer's files and figures, then print it; exit status 1 for goals that are not met."""
    known: dict[type, tuple[Callable[..., list[Path]], Callable[[Any], Any], Callable[..., Any]]] = {
        Study: (_write_study, _study_json, _study_tables),
        Tuned: (_write_tuned, _tuned_json, tuned_tables),
        Optimised: (_write_optimised, _optimised_json, optimised_tables),
        Front: (_write_front, _front_json, front_tables),
        Toleranced: (_write_toleranced, _toleranced_json, toleranced_tables),
        Fitted: (_write_fitted, _fitted_json, fitted_tables),
    }
    writing, plain, tables = known[type(found)]
    if isinstance(found, Study):
        more["figures"] = _chosen(found, more.get("figures", ()))
    if out is not None:
        make_folder(out)
        complain(f"{len(writing(found, out, ending, **more))} files written to {out}")
    if json:
        show_json(plain(found))
    else:
        show(*paragraphs(tables(found, more["figures"]) if isinstance(found, Study) else tables(found)))
    if isinstance(found, Tuned | Optimised) and not found.met:
        raise typer.Exit(1)


def _chosen(study: Study, figures: Sequence[str]) -> list[str]:
    """The figures that are shown."""
    chosen = [named(name) for name in figures] or [name for name in FIRST if name in study.units]
    for name in chosen:
        if study.units and name not in study.units:
            raise UsageError(f"--figure: there is no figure '{name}'; there are: {', '.join(study.units)}")
    return chosen


def _study_tables(study: Study, figures: Sequence[str]) -> Any:
    return variants_table(study, figures)


def _study_json(study: Study) -> Any:
    return {"title": study.title, "variants": records(study.table), "units": study.units, "failed": study.failed}


def _write_study(study: Study, out: Path, ending: str, figures: Sequence[str]) -> list[Path]:
    from .. import plots

    if not study.units:
        return []
    drawn: Drawn = {"against": partial(plots.against, study, *figures[:4])} if _drawable(study) else {}
    if _gridded(study):
        drawn |= {f"map-{name.replace(' ', '-')}": partial(plots.over_two, study, name) for name in figures[:4]}
    there = [(field, label) for field, label in zip(study.fields, study.labels, strict=False) if field is not None]
    if there:
        drawn |= over_one_another([field for field, _ in there], [label for _, label in there], study.cuts)
    return [write(study.table, out / "variants.csv"), *save_figures(drawn, out, ending)]


def _drawable(study: Study) -> bool:
    """Whether the first change is a quantity to draw against."""
    from .. import plots

    try:
        plots.numbers(study, study.changes[0])
    except UsageError:
        return False
    return len(study.table) > 1


def _gridded(study: Study) -> bool:
    """Whether two quantities make a grid that is worth a map."""
    from .. import plots

    try:
        sizes = [len(set(plots.numbers(study, change)[0].tolist())) for change in study.changes]
    except UsageError:
        return False
    return len(sizes) == 2 and min(sizes) >= 3 and len(study.table) == sizes[0] * sizes[1]


def _tuned_json(found: Tuned) -> Any:
    return {"met": found.met, "values": records(found.values), "goals": records(found.goals),
            "tries": records(found.tries)}  # fmt: skip


def _write_tuned(found: Tuned, out: Path, _: str) -> list[Path]:
    return [write(found.file, out / "tuned.toml"), write(found.tries.reset_index(), out / "tries.csv")]


def _optimised_json(found: Optimised) -> Any:
    return {"met": found.met, "values": records(found.values), "aims": records(found.goals),
            "tries": records(found.tries), "solves": found.solves, "seconds": found.seconds}  # fmt: skip


def _write_optimised(found: Optimised, out: Path, ending: str, pick: Sequence[int] = ()) -> list[Path]:
    from .. import plots

    picked = {number: found.try_file(number) for number in pick}
    written = [write(found.file, out / "best.toml"), write(found.tries.reset_index(), out / "tries.csv")]
    written += [write(file, out / f"try-{number}.toml") for number, file in picked.items()]
    return written + save_figures({"history": lambda: plots.history(found)}, out, ending)


def _front_json(found: Front) -> Any:
    return {"points": records(found.points), "tries": records(found.tries), "solves": found.solves}


def _write_front(found: Front, out: Path, ending: str, pick: Sequence[int] = ()) -> list[Path]:
    from .. import plots

    if pick:
        raise UsageError("--pick goes with a single search; every point of a front is written")
    written = [write(file, out / f"point-{number}.toml") for number, file in enumerate(found.files, 1)]
    written += [write(found.points, out / "front.csv"), write(found.tries.reset_index(), out / "tries.csv")]
    return written + save_figures({"front": lambda: plots.front(found)}, out, ending)


def _toleranced_json(found: Toleranced) -> Any:
    return {"percentiles": records(found.percentiles.rename_axis("figure").reset_index()),
            "yields": found.yields.to_dict(), "shares": records(found.shares.rename_axis("value").reset_index()),
            "allowed": found.allowed.to_dict(), "disagreement": found.disagreement.to_dict()}  # fmt: skip


def _write_toleranced(found: Toleranced, out: Path, _: str) -> list[Path]:
    tables = {"percentiles": found.percentiles.rename_axis("figure"), "shares": found.shares.rename_axis("value")}
    return [write(table.reset_index(), out / f"{name}.csv") for name, table in tables.items()]


def _fitted_json(found: Fitted) -> Any:
    return {"values": records(found.values), "left": found.left, "with_phase": found.phased,
            "alike": [list(pair) for pair in found.alike], "solves": len(found.tries)}  # fmt: skip


def _write_fitted(found: Fitted, out: Path, ending: str) -> list[Path]:
    from .. import plots

    written = [write(found.file, out / "fitted.toml"), write(found.curve, out / "curves.csv"),
               write(found.values.reset_index(), out / "values.csv")]  # fmt: skip
    return written + save_figures({"fit": lambda: plots.fitted(found)}, out, ending)
