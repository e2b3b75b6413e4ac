"""What waves do in layers unasked: shut in by fences of pins between planes, or leaking on their way."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ..arraytypes import Floats
from ..constants import SPEED_OF_LIGHT
from ..media.leaky import leaky_waves
from ..media.stack import Stack
from .findings import Finding

if TYPE_CHECKING:
    from shapely import Polygon as Area

    from .printed_check import OnBoard

_FENCE = 0.25
"""Pins farther apart than this share of a wavelength between them are no fence."""
_GRID = 60
_MODES, _FEWEST = 8, 3
_NEAR = 0.05
_FAINT = 3.0
"""Leaky waves that fade by more dB in a wavelength are told by the pattern alone."""


def trapped(board: OnBoard, frequency: float) -> Iterator[Finding]:
    """Rooms between both planes, fenced by pins, that resonate near a frequency."""
    stack = board.stack
    if not stack.lid:
        return
    pins = [w for w in board.probes if np.ptp(w.corners[:, 2]) > stack.thickness * (1.0 - 1e-6)]
    places = np.array([w.corners[0, :2] for w in pins]).reshape(-1, 2)
    for room in rooms(places, _FENCE * SPEED_OF_LIGHT / (frequency * stack.slowest)):
        near = [f for f in resonances_of(room, stack).tolist() if abs(f / frequency - 1.0) < _NEAR]
        if near:
            middle = np.array([room.representative_point().x, room.representative_point().y, 0.0])
            says = (
                f"the room between both planes that pins fence in, round {board.words(middle)}, resonates at "
                f"{near[0] / 1e6:.4g} MHz"
            )
            remedy = (
                "what is fed into it there stays: move the fence or put pins across it; where an opening is to let it "
                "out, expect a sharp line"
            )
            yield Finding("warn", board.antenna.name, says, remedy, board.place(middle))


def rooms(places: Floats, apart: float) -> list[Area]:
    """What pins at places (n, 2), m, fence in that are nearer to one another than a distance, m."""
    from scipy.spatial import cKDTree
    from shapely import LineString, MultiPoint, get_parts, polygonize, union_all

    if len(places) < _FEWEST:
        return []
    joined = MultiPoint(places).buffer(0.5 * apart)
    pairs = cKDTree(places).query_pairs(apart, output_type="ndarray")
    faces = get_parts(polygonize(get_parts(union_all([LineString(places[pair]) for pair in pairs]))))
    # Between pins of a fence of several rows there is no room for a place clear of them all.
    return [face for face in faces if not joined.covers(face)]


def resonances_of(room: Area, stack: Stack) -> Floats:
    """Where a room between both planes resonates, Hz, rising: no E on its walls, and all of its height alike.

    Eigenvalues of the Laplacian by differences; layers as thin as this have the permittivity of capacitors in a row.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.linalg import eigsh
    from shapely import contains_xy

    low_x, low_y, high_x, high_y = room.bounds
    step = max(high_x - low_x, high_y - low_y) / _GRID
    x, y = (np.arange(low + 0.5 * step, high, step) for low, high in ((low_x, high_x), (low_y, high_y)))
    inside = contains_xy(room, *np.meshgrid(x, y, indexing="ij"))
    count = int(inside.sum())
    if count <= _MODES + 1:
        return np.zeros(0)
    number = np.full((len(x) + 2, len(y) + 2), -1)
    number[1:-1, 1:-1][inside] = np.arange(count)
    rows, columns, values = [np.arange(count)], [np.arange(count)], [np.full(count, 4.0)]
    own = number[1:-1, 1:-1]
    for beside in (number[2:, 1:-1], number[:-2, 1:-1], number[1:-1, 2:], number[1:-1, :-2]):
        both = inside & (beside >= 0)
        rows.append(own[both])
        columns.append(beside[both])
        values.append(np.full(int(both.sum()), -1.0))
        # The wall is half a step beyond a place at it, where the field is mirrored, negated.
        wall = own[inside & (beside < 0)]
        rows.append(wall)
        columns.append(wall)
        values.append(np.ones(len(wall)))
    laplacian = coo_matrix((np.concatenate(values), (np.concatenate(rows), np.concatenate(columns)))).tocsc()
    found = np.sort(eigsh(laplacian, _MODES, sigma=0.0, return_eigenvectors=False, v0=np.ones(count)))
    height = stack.thickness
    slow = sum(layer.thickness * layer.material.permeability for layer in stack.layers) / height
    slow *= height / sum(layer.thickness / layer.material.permittivity for layer in stack.layers)
    return np.asarray(SPEED_OF_LIGHT * np.sqrt(found / slow) / (2.0 * math.pi * step))


def leaking(board: OnBoard, frequency: float) -> Iterator[Finding]:
    """Leaky waves that go far: the pattern hangs on how far layers and metal reach."""
    for wave in leaky_waves(board.stack.at(frequency)):
        if wave.fading < _FAINT:
            kind = "TM" if wave.tm else "TE"
            says = (
                f"a leaky {kind} wave of index {wave.index.real:.3f} - {-wave.index.imag:.3f}j runs in the layers at "
                f"{frequency / 1e6:g} MHz: it leaves to {math.degrees(wave.angle):.0f} deg from straight up and fades "
                f"by {wave.fading:.2g} dB in a wavelength"
            )
            remedy = (
                "the pattern is that of layers without end: a board has it that reaches until little is left, "
                f"{10.0 / max(wave.fading, 0.01):.2g} wavelengths for a tenth"
            )
            yield Finding("note", board.antenna.name, says, remedy)
