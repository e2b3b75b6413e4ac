"""What a plain chain behind every element makes of a beam: EIRP when it sends, G/T when it receives."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike

from .. import units
from ..errors import UsageError
from ..fields.far import FarField
from ..fields.gains import decibels
from .array import Array
from .scanning import directions
from .solved import SolvedArray
from .weights import Weights

if TYPE_CHECKING:
    import pandas as pd

_ROOM = 290.0


@dataclass(frozen=True, slots=True)
class Chain:
    """One for every element. drive: W into the amplifier of an element whose weight is 1.

    gain: dB, of the amplifier. saturated: W that it gives at most; below, it limits softly (Rapp 1991, smoothness 2).
    loss: dB between the element and the amplifier. noise_figure: dB, of the receiving amplifier. Raises UsageError for
    what is out of range.
    """

    gain: float = 20.0
    drive: float = 1e-3
    saturated: float = math.inf
    loss: float = 0.0
    noise_figure: float = 0.0

    def __post_init__(self) -> None:
        for name, value in (("drive", self.drive), ("saturated", self.saturated)):
            if not value > 0.0:
                raise UsageError(f"chain: {name} {value} W is not above zero")
        for name, value in (("loss", self.loss), ("noise figure", self.noise_figure)):
            if not (math.isfinite(value) and value >= 0.0):
                raise UsageError(f"chain: {name} {value} dB is below zero")

    def output(self, weights: Weights) -> Weights:
        """Waves into the elements, √W, after gain, limiting and loss; phases are kept."""
        linear = np.abs(weights.values) * math.sqrt(self.drive) * 10.0 ** (self.gain / 20.0)
        top = math.sqrt(self.saturated)
        limited = linear if math.isinf(top) else linear / (1.0 + (linear / top) ** 4) ** 0.25
        size = np.where(linear > 0.0, limited / np.where(linear > 0.0, np.abs(weights.values), 1.0), 0.0)
        return weights.times(size * 10.0 ** (-self.loss / 20.0))

    def noise_temperature(self, antenna: float) -> float:
        """System temperature at the elements, K, with the antenna's own: T_a + T0 (L F - 1) (Pozar 2012, sec. 10.1)."""
        return float(antenna + _ROOM * (10.0 ** ((self.loss + self.noise_figure) / 10.0) - 1.0))


def link_figures(
    of: Array | SolvedArray,
    chain: Chain,
    weights: Weights,
    *,
    frequency: str | float | None = None,
    facing: ArrayLike = (0.0, 0.0, 1.0),
    along: ArrayLike = (1.0, 0.0, 0.0),
    angles: ArrayLike | None = None,
    antenna_temperature: float = 290.0,
) -> pd.DataFrame:
    """Steered from where the array faces towards an axis: per angle, deg, EIRP (dBW), G/T (dB/K), and power in W.

    weights: amplitudes, before they are steered. frequency: of an ideal array; a solved one has its own, and its
    mismatch is in. facing, along: (x, y, z), made square to one another. angles: every 5 up to 60 either way unless
    given. EIRP is the power sent by all amplifiers, `sent_W`, times the realized gain of what they send (IEEE Std 145);
    G/T is the realized gain of the weights as they are, over the system temperature at the elements: that of the
    antenna and of the amplifiers behind them, alike for all. Raises UsageError, also for weights that are steered.
    """
    import pandas as pd

    if isinstance(of, Array) and frequency is None:
        raise UsageError("link_figures: an ideal array has no frequency of its own: give one in Hz")
    hertz = of.frequency if isinstance(of, SolvedArray) else units.frequency(frequency or 0.0)
    system = chain.noise_temperature(antenna_temperature)

    def steered(*way: float) -> Weights:
        theta, turn = (math.degrees(x) for x in way)
        if isinstance(of, SolvedArray):
            return of.steered(weights, theta=theta, phi=turn)
        return of.steered(weights, frequency=hertz, theta=theta, phi=turn)

    def beam(own: Weights) -> FarField:
        return of.beam(own) if isinstance(of, SolvedArray) else of.beam(hertz, own)

    turned = np.abs(np.angle(weights.values[np.abs(weights.values) > 0.0]))
    if weights.delays.any() or (np.minimum(turned, math.pi - turned) > 1e-9).any():
        raise UsageError(
            "link_figures: the weights have phases or delays, as if they were steered already: give amplitudes, such "
            "as those of tapered(...); each angle steers them"
        )
    rows = {}
    for angle, *way in directions(facing, along, angles, 60.0):
        own = steered(*way)
        sent = chain.output(own)
        power = float((np.abs(sent.values) ** 2).sum())
        eirp = power * float(beam(sent).realized_gain(*way))
        gain = float(beam(own).realized_gain(*way))
        rows[angle] = [*decibels([eirp, gain / system]), power]
    columns = ["EIRP_dBW", "G_over_T_dB_per_K", "sent_W"]
    return pd.DataFrame.from_dict(rows, orient="index", columns=columns).rename_axis("angle_deg")
