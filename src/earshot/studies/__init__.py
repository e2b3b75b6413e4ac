"""Many solves asked as one question: values varied, figures against values, values tuned to goals."""

from .cells import vary_cell, vary_surface
from .fitting import Fitted, fit
from .goals import Goal, Wish, goal, wish
from .optimising import Front, Optimised, front, optimise
from .planned import planned, studies_of
from .sensitivity import sensitivities
from .store import Store, open_store
from .tolerating import Spread, Toleranced, spread_of, tolerate
from .tuning import Tuned, tune
from .varying import Study, steps_of, vary

__all__ = [
    "Fitted",
    "Front",
    "Goal",
    "Optimised",
    "Spread",
    "Store",
    "Study",
    "Toleranced",
    "Tuned",
    "Wish",
    "fit",
    "front",
    "goal",
    "open_store",
    "optimise",
    "planned",
    "sensitivities",
    "spread_of",
    "steps_of",
    "studies_of",
    "tolerate",
    "tune",
    "vary",
    "vary_cell",
    "vary_surface",
    "wish",
]
