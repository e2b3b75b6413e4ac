"""Many solves asked as one question: values varied, figures against values, values tuned to goals."""

from .goals import Goal, goal
from .sensitivity import sensitivities
from .store import Store, open_store
from .tuning import Tuned, tune
from .varying import Study, steps_of, vary

__all__ = ["Goal", "Store", "Study", "Tuned", "goal", "open_store", "sensitivities", "steps_of", "tune", "vary"]
