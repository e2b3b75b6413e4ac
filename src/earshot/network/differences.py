"""Two networks side by side: a circuit and the metal it stands for, a model and what was measured."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ..errors import UsageError, needs
from .network import Network

if TYPE_CHECKING:
    import pandas as pd


def differences(one: Network, other: Network) -> pd.DataFrame:
    """Every S of two networks at the frequencies both have, by frequency (Hz) and the first's ports `to` and `from`.

    Levels of both (dB), how much the first is above the second (dB), and how much its phase is ahead (deg). Raises
    UsageError for networks of unlike ports or references, and without a frequency in common.
    """
    import pandas as pd

    for network in (one, other):
        needs(network, Network, "differences", "Networks, such as solve_circuit(...).network")
    if len(one.ports) != len(other.ports) or np.abs(one.references - other.references).max() > 1e-6:
        raise UsageError("differences: the networks have unlike ports or references: bring them to the same ones first")
    close = np.abs(one.frequencies[:, None] - other.frequencies) <= 1e-9 * other.frequencies
    mine, theirs = np.nonzero(close)
    if not len(mine):
        raise UsageError("differences: the networks have no frequency in common: work both out at the same ones")
    a, b = one.s().values[mine], other.s().values[theirs]
    rows = []
    for n, hertz in enumerate(one.frequencies[mine].tolist()):
        for i, to in enumerate(one.ports):
            for j, by in enumerate(one.ports):
                levels = [20.0 * np.log10(max(abs(s[n, i, j]), 1e-10)) for s in (a, b)]
                turn = float(np.degrees(np.angle(a[n, i, j] * np.conj(b[n, i, j]))))
                rows.append((hertz, to, by, *levels, levels[0] - levels[1], turn))
    columns = ["frequency_Hz", "to", "from", "first_dB", "second_dB", "above_dB", "ahead_deg"]
    return pd.DataFrame(rows, columns=columns).set_index(["frequency_Hz", "to", "from"])
