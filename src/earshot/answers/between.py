"""Currents between the solved frequencies of a band: the rational fit that the admittances have.

Currents for one volt at a gap have the poles that admittances have, so the same support points and weights interpolate
them. Samples that the fit was not made from tell how far it misses.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Complexes, Floats
from ..moments.response import Response
from ..network.rational import Rational, fit

if TYPE_CHECKING:
    import pandas as pd

_LEAST, _KEPT_OUT = 5, 2
_PLACES, _BEND = 21, 0.25


@dataclass(frozen=True, slots=True, eq=False)
class Between:
    """Coefficients (gaps, functions) and admittances (gaps, gaps) anywhere in a band.

    low, high: its ends, Hz. error: the greatest share by which it misses the currents of a sample it was not made from.
    """

    low: float
    high: float
    error: float
    model: Rational
    shape: tuple[int, int]

    def at(self, hertz: float) -> tuple[Complexes, Complexes]:
        """Both at a frequency in the band."""
        gaps = self.shape[0]
        found = self.model(np.array([hertz / self.high]))[0]
        return found[gaps * gaps :].reshape(self.shape), found[: gaps * gaps].reshape(gaps, gaps)


def between(response: Response, low: float, high: float) -> Between | None:
    """What lies between the samples of a band, or None where they are too few to tell how good it is."""
    inside = np.flatnonzero((response.frequencies >= low) & (response.frequencies <= high))
    if len(inside) < _LEAST:
        return None
    x, count = response.frequencies[inside] / high, len(inside)
    ports: Complexes = response.admittance[inside].reshape(count, -1)
    currents: Complexes = response.coefficients[inside].reshape(count, -1)
    poles = fit(x, ports, most=count - _KEPT_OUT)
    # Every support point is a sample or the mirror of one, where all is conjugate.
    own = np.argmin(np.abs(np.abs(poles.points)[:, None] - x), axis=1)
    values = np.concatenate([ports, currents], axis=1)[own]
    model = Rational(poles.points, np.where(poles.points[:, None] > 0.0, values, values.conj()), poles.weights)
    others = np.setdiff1d(np.arange(count), own)
    missed = model(x[others])[:, ports.shape[1] :] - currents[others]
    error = float(np.max(_size(missed) / _size(currents[others])))
    return Between(low, high, error, model, response.coefficients.shape[1:])


def _size(rows: Complexes) -> Floats:
    return np.asarray(np.linalg.norm(rows, axis=1))


def followed(
    measure: Callable[[Floats], pd.DataFrame],
    solved: Floats,
    spans: Sequence[tuple[float, float]],
    names: Sequence[str],
    most: int,
) -> pd.DataFrame:
    """What measure gives at solved frequencies outside spans and evenly within, and between them where it bends.

    names: of the columns that are followed: as long as a place is a quarter of a unit off the line through its
    neighbours, the middles on both its sides are added, up to `most` rows.
    """
    import pandas as pd

    alone = [f for f in solved.tolist() if not any(low <= f <= high for low, high in spans)]
    table = measure(np.unique(np.concatenate([alone, *(np.linspace(*span, _PLACES) for span in spans)])))
    while len(table) < most:
        x = table.index.to_numpy(float)
        y = table[[n for n in names if n in table]].to_numpy(float)
        line = y[:-2] + (y[2:] - y[:-2]) * ((x[1:-1] - x[:-2]) / (x[2:] - x[:-2]))[:, None]
        off = np.nan_to_num(np.abs(y[1:-1] - line)).max(axis=1, initial=0.0)
        # Where there is no room for all, the sharpest bends first.
        bent = np.argsort(-off, kind="stable")[: min(int((off > _BEND).sum()), (most - len(table) + 1) // 2)] + 1
        middles = np.unique(np.concatenate([0.5 * (x[bent - 1] + x[bent]), 0.5 * (x[bent] + x[bent + 1])]))
        inside = np.array([any(low < m < high for low, high in spans) for m in middles], bool)
        fresh = np.setdiff1d(middles[inside], x)[: most - len(table)]
        if not fresh.size:
            break
        table = pd.concat([table, measure(fresh)]).sort_index()
    return table
