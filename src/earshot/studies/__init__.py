"""Many solves asked as one question: values varied, figures against values, values tuned to goals."""

from .goals import Goal, goal
from .sensitivity import sensitivities
from .tuning import Tuned, tune
from .varying import Study, steps_of, vary

__all__ = ["Goal", "Study", "Tuned", "goal", "sensitivities", "steps_of", "tune", "vary"]
