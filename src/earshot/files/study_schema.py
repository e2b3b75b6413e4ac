"""The keys of a design file that ask it a study: what to vary, to tune, to wish for, to tolerate or to fit."""

from __future__ import annotations

from .sheet_schema import Table, Text


class StudyTable(Table):
    """A question that takes many solves. Exactly one of vary, tune, optimise, tolerate and fit says which."""

    vary: list[Text] = []
    """What is varied, and how far: "driven = 0.90 m to 0.98 m in 9", "height = 3 m; 6 m", "medium = meadow; sea"."""
    tune: list[Text] = []
    """Values to be changed until all goals are met, in few solves."""
    optimise: list[Text] = []
    """Values to be changed until wishes are granted as far as goals allow."""
    tolerate: list[Text] = []
    """How far values stray: "driven = ±0.5 mm", "rod = 1 % rms", "... together"."""
    fit: list[Text] = []
    """Values to be found from a measurement."""
    goals: list[Text] = []
    """For tune and optimise, and the limits of tolerate: "X = 0 at 868 MHz", "VSWR <= 1.5 from 149 MHz to 151 MHz"."""
    wishes: list[Text] = []
    """For optimise: "most gain", "most bandwidth at 145 MHz", "least VSWR from 144 MHz to 146 MHz", "2 x least boom".
    """
    figures: list[Text] = []
    """For vary: which figures are shown; those of a direction are "gain towards NE 20 deg"."""
    sample: int | None = None
    """For vary: so many variants, spread over the ranges, instead of a grid."""
    to: Text | None = None
    """For fit: the file that was measured, beside the design file."""
    feed: dict[str, Text] = {}
    """For fit: what is at the feed as well, and where it begins: capacitance, inductance, cable, loss."""
    port: Text | None = None
    """For fit: which port was measured; the first unless given."""
    method: Text | None = None
    """For optimise: "local", from where the design is, or "global", over all ranges."""
    front: int | None = None
    """For optimise with two wishes: the front between them, in so many points."""
    most: int | None = None
    """Tries at most."""
    case: Text | None = None
    """How it is driven: the first case unless given."""
    note: str = ""
    """What it is for, for people."""
