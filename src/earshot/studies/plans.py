"""Studies that a design file asks for itself, so that they can be shared with it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from ..errors import UsageError, unknown
from ..files.design_file import DesignFile, FileBuild
from ..files.design_text import AnyDesign, as_file
from ..files.study_schema import StudyTable
from .crew import Crew
from .fitting import Fitted, fit
from .optimising import Front, Optimised, front, optimise
from .tolerating import Toleranced, tolerate
from .tuning import Tuned, tune
from .varying import Study, vary

KINDS = ("vary", "tune", "optimise", "tolerate", "fit")
Answer = Study | Tuned | Optimised | Front | Toleranced | Fitted
_ONLY = {
    "figures": ("vary",), "sample": ("vary",), "goals": ("tune", "optimise", "tolerate"), "wishes": ("optimise",),
    "to": ("fit",), "feed": ("fit",), "port": ("fit",), "method": ("optimise",), "front": ("optimise",),
    "most": ("tune", "optimise", "fit"), "case": ("vary", "tune", "optimise", "tolerate"),
}  # fmt: skip


def studies_of(file: AnyDesign) -> Mapping[str, StudyTable]:
    """The studies a design file asks for, by name."""
    file = as_file(file)
    build = file.design.build
    return build.table.study if isinstance(build, FileBuild) else {}


def kind_of(name: str, study: StudyTable) -> str:
    """Which of `KINDS` a study is; raises UsageError for several or none, and for keys of another kind."""
    found = [kind for kind in KINDS if getattr(study, kind)]
    if len(found) != 1:
        raise UsageError(f"study '{name}': {' and '.join(found) or 'none'} of {', '.join(KINDS)} is there; give one")
    for key in sorted(study.model_fields_set & _ONLY.keys()):
        if found[0] not in _ONLY[key]:
            raise UsageError(f"study '{name}': {key} is for {' and '.join(_ONLY[key])}, not for {found[0]}")
    return found[0]


def planned(
    file: AnyDesign, name: str, *, store: str | Path | None = None, processes: int = 1, cluster: str | None = None
) -> Answer:
    """Answer a study of a design file by its name; raises UsageError for one there is not, and as its kind does."""
    file = as_file(file)
    there = studies_of(file)
    if name not in there:
        raise UsageError(f"'{file.title}': {unknown('study', name, there)}")
    study = there[name]
    shared: dict[str, Any] = {"store": store}
    crew: dict[str, Any] = {"processes": processes, "cluster": cluster}
    answers: dict[str, Callable[[], Answer]] = {
        "vary": lambda: vary(
            file, study.vary, sample=study.sample, case=study.case, also=study.figures, **shared, **crew
        ),
        "tune": lambda: tune(file, study.tune, study.goals, case=study.case, most=study.most or 12, **shared),
        "optimise": lambda: _optimised(file, study, shared, crew),
        "tolerate": lambda: tolerate(file, study.tolerate, study.goals, case=study.case),
        "fit": lambda: _fitted(file, name, study, shared),
    }
    kind = kind_of(name, study)
    if not Crew(processes, cluster).alone and not (kind == "vary" or study.method == "global"):
        raise UsageError(f"study '{name}': its solves follow from one another: leave processes and cluster out")
    return answers[kind]()


def _optimised(file: DesignFile, study: StudyTable, shared: dict[str, Any], crew: dict[str, Any]) -> Answer:
    if study.front is not None:
        return front(file, study.optimise, study.wishes, study.goals, case=study.case, count=study.front,
                     most=study.most or 150, **shared)  # fmt: skip
    return optimise(file, study.optimise, study.wishes, study.goals, case=study.case, method=study.method or "local",
                    most=study.most, **shared, **crew)  # fmt: skip


def _fitted(file: DesignFile, name: str, study: StudyTable, shared: dict[str, Any]) -> Fitted:
    build = file.design.build
    assert isinstance(build, FileBuild)
    if study.to is None:
        raise UsageError(f"study '{name}': say what was measured, such as to = 'meter.csv'")
    return fit(
        file, study.fit, build.folder / study.to, feed=study.feed, port=study.port, most=study.most or 20, **shared
    )
