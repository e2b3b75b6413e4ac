"""Ports as tested fields: a uniform field over the gap, seen by every basis function under it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..geometry.antenna import Antenna
from ..geometry.mesh import WireMesh
from ..geometry.parts import Gap
from .basis import WireBasis


def _gap_halves(antenna: Antenna, port: Gap, mesh: WireMesh) -> NDArray[np.float64]:
    """Mean of both half functions of every segment over the gap, (segments, 2)."""
    wire = antenna.wire(port.on)
    low, high = port.span(wire, antenna.grounded(wire))
    on_wire = mesh.wire == antenna.wires.index(wire)
    s0, s1 = mesh.arc.T
    means = np.zeros((len(mesh), 2))
    if high == low:
        # No width: the current at the node, taken on the segment that follows it (or ends the wire there).
        after = np.flatnonzero(on_wire & (s0 <= low + 1e-12 * wire.length))
        seg = after[np.argmax(s0[after])]
        share = (low - s0[seg]) / (s1[seg] - s0[seg])
        means[seg] = 1.0 - share, share
        return means
    a, b = (np.clip((edge - s0) / (s1 - s0), 0.0, 1.0) for edge in (low, high))
    scale = (s1 - s0) / (high - low)
    rising = 0.5 * (b * b - a * a) * scale
    means[:, 1] = rising
    means[:, 0] = (b - a) * scale - rising
    means[~on_wire] = 0.0
    return means


def gap_vectors(antenna: Antenna, basis: WireBasis) -> NDArray[np.float64]:
    """Columns (functions, gaps): the tested field of 1 V at each gap, which also takes the gap's current.

    With Z I = v V, the mean current over gap p is v_p·I.
    """
    columns = [basis.ends.T @ _gap_halves(antenna, gap, basis.mesh).ravel() for gap in antenna.gaps]
    return np.array(columns).reshape(len(antenna.gaps), basis.size).T
