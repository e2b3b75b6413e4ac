"""Many solves asked as one question: values varied, figures against values, values tuned to goals."""

from .goals import Goal, goal
from .sensitivity import sensitivities
from .store import Store, open_store
from .tolerating import Spread, Toleranced, spread_of, tolerate
from .tuning import Tuned, tune
from .varying import Study, steps_of, vary

__all__ = [
    "Goal",
    "Spread",
    "Store",
    "Study",
    "Toleranced",
    "Tuned",
    "goal",
    "open_store",
    "sensitivities",
    "spread_of",
    "steps_of",
    "tolerate",
    "tune",
    "vary",
]
