"""What couples wires and feet to sheets: their currents as weighted points, seen through the triangles' potentials."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..constants import wavenumber
from ..meshing.mesh import WireMesh
from ..meshing.sheet_mesh import MIRROR
from ..running import announce, in_threads, thread_count
from .basis import Basis
from .sheet_basis import Fan, SheetBasis
from .sheet_matrix import scales

_NODES = 4


@dataclass(frozen=True, slots=True)
class Points:
    """Currents as points: places (p, 3) on tubes of radii (p,), two unit vectors across (p, 6), which row each adds to,
    and two sets of weights (p, 2, 4): current moment and charge per unit coefficient."""

    places: Floats
    frames: Floats
    radii: Floats
    owner: Ints
    weights: Floats

    @property
    def image(self) -> Points:
        """The image in a perfect plane z = 0: mirrored, and negated."""
        return Points(
            self.places * MIRROR,
            self.frames * np.tile(MIRROR, 2),
            self.radii,
            self.owner,
            self.weights * np.array([-1.0, -1.0, 1.0, -1.0]),
        )

    @property
    def rows(self) -> int:
        """How many rows they add to."""
        return int(self.owner.max(initial=-1)) + 1

    def of_rows(self, rows: Ints) -> Points:
        """Those of some rows, of which all have as many, numbered anew."""
        each = len(self.places) // max(self.rows, 1)
        at = (each * rows[:, None] + np.arange(each)).ravel()
        owner = np.repeat(np.arange(len(rows)), each)
        return Points(self.places[at], self.frames[at], self.radii[at], owner, self.weights[at])


def frames_of(tangents: Floats) -> Floats:
    """Two unit vectors square to each tangent (n, 6)."""
    helper = np.where(np.abs(tangents[:, :1]) < 0.9, np.array([[1.0, 0.0, 0.0]]), np.array([[0.0, 1.0, 0.0]]))
    one = np.cross(tangents, helper)
    one /= np.linalg.norm(one, axis=1)[:, None]
    return np.concatenate([one, np.cross(tangents, one)], axis=1)


def wire_points(mesh: WireMesh) -> Points:
    """Gauss points of every segment; the two sets are its half functions, a row is a segment."""
    nodes, weights = np.polynomial.legendre.leggauss(_NODES)
    share, weights = (nodes + 1.0) / 2.0, weights / 2.0
    start, tangents, lengths, n = mesh.starts, mesh.tangents, mesh.lengths, len(mesh)
    places = start[:, None] + (share * lengths[:, None])[..., None] * tangents[:, None]
    both = np.zeros((n, _NODES, 2, 4))
    for end, shape, slope in ((0, 1.0 - share, -1.0), (1, share, 1.0)):
        both[:, :, end, :3] = (weights * shape * lengths[:, None])[..., None] * tangents[:, None]
        both[:, :, end, 3] = weights * slope
    return Points(
        places.reshape(-1, 3),
        np.repeat(frames_of(tangents), _NODES, axis=0),
        np.repeat(mesh.radii, _NODES),
        np.repeat(np.arange(n), _NODES),
        both.reshape(-1, 2, 4),
    )


def fan_points(basis: SheetBasis, fans: tuple[Fan, ...], *, near: bool = True) -> Points:
    """Feet as points, a row each; set 0 is the ordinary halves, set 1 the part without divergence.

    near: points as triangles that touch have, else those that do for what is well off.
    """
    from ..kernels.sheets import P3, P75, W3, W75

    rule, rule_weights = (P75, W75) if near else (P3, W3)
    places, owner, weights = [], [], []
    for row, one in enumerate(fans):
        # The rule that triangles which touch have: charges of the foot and of the functions beside it nearly cancel.
        inside = np.einsum("pc,tcx->tpx", rule, basis.mesh.corners[one.triangles])
        share = one.coefficients[:, None] * rule_weights * basis.mesh.areas[one.triangles, None]
        ordinary = np.zeros((inside.shape[0] * inside.shape[1], 2, 4))
        ordinary[:, 0, :3] = (share[..., None] * (inside - one.apex)).reshape(-1, 3)
        ordinary[:, 0, 3] = 2.0 * share.ravel()
        points, moments = (one.points, one.moments) if near else (one.far_points, one.far_moments)
        solenoid = np.zeros((len(points), 2, 4))
        solenoid[:, 1, :3] = moments
        places += [inside.reshape(-1, 3), points]
        weights += [ordinary, solenoid]
        owner += [np.full(len(ordinary) + len(solenoid), row)]
    count = sum(len(p) for p in places)
    return Points(
        np.concatenate(places),
        np.zeros((count, 6)),
        np.zeros(count),
        np.concatenate(owner),
        np.concatenate(weights),
    )


def potentials_of(points: Points, triangles: Floats, frequency: float) -> Complexes:
    """What triangles, columns (17, m), do to every row and set: (rows, 2, 5, triangles), see the kernel."""
    from ..kernels.coupling import potentials

    announce(potentials)
    t, m, threads = np.ascontiguousarray(triangles), triangles.shape[1], thread_count()
    out = np.zeros((points.rows, 2, 5, m), np.complex128)
    places, frames, radii, owner, weights = (
        np.ascontiguousarray(x) for x in (points.places, points.frames, points.radii, points.owner, points.weights)
    )
    k = wavenumber(frequency)
    stops = np.linspace(0, m, 4 * threads + 1).astype(int)

    def work(own: int) -> None:
        for part in range(own, 4 * threads, threads):
            potentials(t, places, frames, radii, owner, weights, k, stops[part], stops[part + 1], out)

    in_threads(work, range(threads))
    return out


def with_halves(seen: Complexes, triangles: Ints, coefficients: Floats, apexes: Floats, frequency: float) -> Complexes:
    """Entries of rows and sets with half functions c (r - p): (rows, 2, halves)."""
    flow, charge = scales(frequency)
    here = seen[..., triangles]
    flux = here[:, :, 0] - np.einsum("hx,rsxh->rsh", apexes, here[:, :, 1:4])
    return np.asarray(1j * coefficients * (flow * flux - 2.0 * charge * here[:, :, 4]))


def with_sheets(seen: Complexes, basis: SheetBasis, frequency: float) -> Complexes:
    """The same with every function of the sheets: (rows, 2, functions)."""
    return sum(  # type: ignore[return-value]
        with_halves(seen, basis.pairs[s], basis.coefficients[s], basis.apexes[s], frequency) for s in (0, 1)
    )


def couple(basis: Basis, frequency: float, matrix: Complexes, *, plane: bool = False) -> None:
    """Add to a matrix what couples wires to sheets, and all that feet bring; sheets and wires alone are there.

    plane: over a perfect plane z = 0: the sheets see the image of every wire and foot too.
    """
    sheets, wires = basis.sheets, basis.wires
    if sheets is None or not wires.size:
        return
    first = basis.first_wire
    for image in (False, True)[: 1 + plane]:
        between, added = _coupled(basis, frequency, image)
        matrix[first:, :first] += between
        matrix[:first, first:] += between.T
        matrix[first:, first:] += added


def _coupled(basis: Basis, frequency: float, image: bool) -> tuple[Complexes, Complexes]:
    """Wires, or their image, with the functions of the sheets (wires, sheets), and what feet add among wires."""
    sheets, wires = basis.sheets, basis.wires
    assert sheets is not None
    n = wires.size
    on_wires = wire_points(basis.mesh)
    on_wires = on_wires.image if image else on_wires
    seen = potentials_of(on_wires, sheets.mesh.columns, frequency)
    between = wires.ends.T @ with_sheets(seen, sheets, frequency).reshape(2 * len(basis.mesh), -1)
    added = np.zeros((n, n), np.complex128)
    if basis.feet:
        k = wavenumber(frequency)

        def free(r: Floats) -> Complexes:
            return np.asarray(np.exp(-1j * k * r) / r)

        fans = tuple(f for f, _ in basis.feet)
        into = np.array([amount for _, amount in basis.feet])
        points = fan_points(sheets, fans)
        from_fans = potentials_of(points.image if image else points, sheets.mesh.columns, frequency)
        between += into.T @ with_sheets(from_fans, sheets, frequency).sum(axis=1)
        # Wires with feet, and feet with feet; the ordinary halves in closed form, the rest as points.
        to_wires = np.stack([with_fan(seen, f, frequency).reshape(-1) for f in fans], axis=1)
        to_wires += np.stack([point_moments(on_wires, f, frequency).ravel() for f in fans], axis=1)
        crossed = wires.ends.T @ to_wires @ into
        added += crossed + crossed.T
        halves = np.stack([with_fan(from_fans, f, frequency) for f in fans], axis=2)
        square = halves[:, 0] + halves[:, 1] + halves[:, 1].T
        square += moments_of(fans, radii_of(basis), frequency, free, image=image)
        added += into.T @ (0.5 * (square + square.T)) @ into
    return between, added


def with_fan(seen: Complexes, one: Fan, frequency: float) -> Complexes:
    """Entries of rows and sets with the ordinary halves of a fan: (rows, 2)."""
    apexes = np.broadcast_to(one.apex, (len(one.triangles), 3))
    return np.asarray(with_halves(seen, one.triangles, one.coefficients, apexes, frequency).sum(axis=2))


def radii_of(basis: Basis) -> Floats:
    """Radius of the wires on each foot, the thickest (feet,)."""
    starts = basis.mesh.radii[basis.wires.halves[0] // 2]
    return np.array([starts[amount != 0.0].max() for _, amount in basis.feet])


def point_moments(points: Points, one: Fan, frequency: float, *, near: bool = True) -> Complexes:
    """Entries of rows and sets with the part of a foot that has no divergence: (rows, 2); near: see `fan_points`."""
    flow, _ = scales(frequency)
    k = wavenumber(frequency)
    found = np.zeros((points.rows, 2), np.complex128)
    places, moments = (one.points, one.moments) if near else (one.far_points, one.far_moments)
    gap = points.places[:, None] - places
    # The mean of R² round the tube.
    r = np.sqrt(np.einsum("pqx,pqx->pq", gap, gap) + points.radii[:, None] ** 2)
    vector = np.exp(-1j * k * r) / r @ moments
    values = 1j * flow * np.einsum("psx,px->ps", points.weights[..., :3], vector)
    np.add.at(found, points.owner, values)
    return found


def moments_between(
    fans: tuple[Fan, ...], others: tuple[Fan, ...], frequency: float, kernel: Callable[[Floats], Complexes]
) -> Complexes:  # fmt: skip
    """Entries of the parts without divergence of feet with those of feet on another level (feet, others)."""
    flow, _ = scales(frequency)
    found = np.zeros((len(fans), len(others)), np.complex128)
    for i, one in enumerate(fans):
        for j, two in enumerate(others):
            gap = one.points[:, None, :2] - two.points[:, :2]
            r = np.sqrt(np.einsum("pqx,pqx->pq", gap, gap) + 1e-30)
            found[i, j] = 1j * flow * np.einsum("pq,pq->", kernel(r), one.moments @ two.moments.T)
    return found


def moments_of(
    fans: tuple[Fan, ...], radii: Floats, frequency: float, kernel: Callable[[Floats], Complexes], *,
    image: bool = False, rows: Ints | None = None,
) -> Complexes:  # fmt: skip
    """Entries of the parts without divergence with one another (feet, feet); no nearer than the wire is thick.

    image: with the image of each in a perfect plane z = 0.
    """
    flow, _ = scales(frequency)
    found = np.zeros((len(fans), len(fans)), np.complex128)
    asked = np.ones(len(fans), bool) if rows is None else np.isin(np.arange(len(fans)), rows)
    for i, one in enumerate(fans):
        for j, two in enumerate(fans[: i + 1]):
            if not (asked[i] or asked[j]):
                continue
            wide = sum(np.linalg.norm(x.points - x.apex, axis=1).max() for x in (one, two))
            if np.linalg.norm(one.apex - two.apex) > 4.0 * wide:
                (p, u), (q, v) = (one.far_points, one.far_moments), (two.far_points, two.far_moments)
            else:
                (p, u), (q, v) = (one.points, one.moments), (two.points, two.moments)
            if image:
                q, v = q * MIRROR, -v * MIRROR
            gap = p[:, None] - q
            r = np.sqrt(np.einsum("pqx,pqx->pq", gap, gap) + radii[i] * radii[j])
            found[i, j] = found[j, i] = 1j * flow * np.einsum("pq,pq->", kernel(r), u @ v.T)
    return found
