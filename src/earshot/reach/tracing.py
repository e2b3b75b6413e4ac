"""Which rays there are from a source to places: mirror images and edges of a scene, looked for once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ..arraytypes import Floats, Ints
from ..constants import wavelength
from ..errors import UsageError
from ..kernels.bends import bent_paths, seen_from, twice_bent_paths
from ..kernels.rays import images, mirrored_paths, walls_from
from ..running import announce, in_parallel
from .scene import Scene
from .transport import Found

MOST_ORDER, MOST_WALLS = 5, 8
_MOST_IMAGES = 3_000_000
_SAMPLES, _EITHER_WAY = 200, 16
"""Places along an edge, and either way on a face, at which it is looked for from a source."""
_ROOM = 300
"""Rays of a kind that are expected to each end; where there are more, it is looked again."""


@dataclass(frozen=True, eq=False)
class Tracer:
    """Rays from a source (3,): mirrored and bent up to `order` times in all, through so many faces at most.

    edges: whether they bend: once, with one mirror before or after, and the ground besides; or twice, round one body,
    with the ground before and after.
    """

    scene: Scene
    source: Floats
    frequency: float
    order: int
    walls: int
    edges: bool

    @cached_property
    def mirrors(self) -> tuple[Floats, Ints, Ints, Ints]:
        """places (n, 3) of images, the face that made each (n,), the image it was made of (n,), and where each order
        begins; the source is the first.
        """  # fmt: skip
        places, faces, parents, last = self.source[None].astype(float), *(np.array([-1]) for _ in range(3))
        starts = [0, 1]
        announce(images)
        own = self.scene.faces
        sights = np.zeros((len(own.offsets), len(own.offsets) + 1), np.bool_)
        if self.order > 1:
            from_here = np.zeros(len(own.offsets), np.bool_)
            walls_from(own, self.source, _EITHER_WAY, from_here)
            sights[:, :-1], sights[:, -1] = self.scene.wall_sights, from_here
        for _ in range(self.order):
            found = images(own, places, faces, last, sights, starts[-2], len(places))
            places, faces, parents, last = (
                np.concatenate(pair) for pair in zip((places, faces, parents, last), found, strict=True)
            )
            starts.append(len(places))
            if len(places) > _MOST_IMAGES:
                raise UsageError(
                    f"rays: order {self.order} makes {len(places):,} mirror images; "
                    f"{_MOST_IMAGES:,} are the most: take a lower order"
                )
        return places, faces, parents, np.array(starts)

    @cached_property
    def tries(self) -> Ints:
        """Edges that may bend rays: an image, an edge and a face or -1 in each row (n, 3)."""
        places, faces, _, starts = self.mirrors
        count = len(self.scene.edges.length)
        if not (self.edges and self.order and count):
            return np.zeros((0, 3), np.int64)
        announce(seen_from)
        images_, ground = range(starts[2] if self.order > 1 else 1), len(self.scene.faces.offsets)

        sights = self.scene.sights if self.order > 1 else np.zeros((count, ground + 1), np.bool_)

        def edges_of(image: int) -> Ints:
            seen = np.zeros(count, np.bool_)
            seen_from(
                self.scene.faces, self.scene.edges, places[image], faces[image], self.source, _SAMPLES, sights, seen
            )  # fmt: skip
            return np.flatnonzero(seen)

        rows = []
        for image, own in zip(images_, in_parallel(edges_of, images_), strict=True):
            bends = 1 + (image > 0)
            rows.append(np.stack([np.full(len(own), image), own, np.full(len(own), -1)], axis=1))
            if bends < self.order:
                after = sights[own]
                if image and faces[image] < ground:
                    # Between two walls and an edge there would be too many: one of both mirrors is the ground.
                    after = after & (np.arange(ground + 1) == ground)
                e, f = np.nonzero(after)
                rows.append(np.stack([np.full(len(e), image), own[e], f], axis=1))
        return np.ascontiguousarray(np.concatenate(rows), dtype=np.int64)

    @cached_property
    def pairs(self) -> Ints:
        """Two edges of a body that may bend rays one after the other, and whether the ground mirrors before and after
        (n, 4).
        """  # fmt: skip
        bodies = self.scene.of_face[self.scene.edges.faces[:, 0]]
        _, faces, _, starts = self.mirrors
        if self.order < 2 or not len(self.tries):
            return np.zeros((0, 4), np.int64)
        ground = np.flatnonzero(faces[: starts[2]] == len(self.scene.faces.offsets))
        rows = []
        for before, image in enumerate((0, *ground)):
            if 2 + before > self.order:
                break
            own = np.unique(self.tries[self.tries[:, 0] == image, 1])
            n, d = np.nonzero(self.scene.edge_sights[own] & (bodies[own][:, None] == bodies))
            for after in range(2 if 3 + before <= self.order else 1):
                rows.append(np.stack([own[n], d, np.full(len(d), before), np.full(len(d), after)], axis=1))
        return np.ascontiguousarray(np.concatenate(rows), dtype=np.int64)

    def prepare(self) -> None:
        """Look for all of that, so that several threads may use it."""
        _ = self.mirrors, self.tries, self.pairs

    def found(self, ends: Floats) -> Found:
        """Rays to ends (n, 3), in the order of these."""
        places, faces, parents, _ = self.mirrors
        straight = _grown(
            len(ends), self.order + self.walls,
            lambda *out: mirrored_paths(
                self.scene.faces, places, faces, parents, self.order, self.walls, ends, *out
            ),
        )  # fmt: skip
        if not len(self.tries):
            return straight
        round_ = _grown(
            len(ends), straight.kinds.shape[1],
            lambda *out: bent_paths(
                self.scene.faces, self.scene.edges, wavelength(self.frequency), self.source, places, faces, self.tries,
                ends, *out,
            ),
        )  # fmt: skip
        twice = _grown(
            len(ends), straight.kinds.shape[1],
            lambda *out: twice_bent_paths(
                self.scene.faces, self.scene.edges, wavelength(self.frequency), self.source, self.pairs, ends, *out
            ),
        )  # fmt: skip
        every = (straight, round_, twice)
        return Found(
            np.concatenate([part.to for part in every]), np.concatenate([part.kinds for part in every]),
            np.concatenate([part.numbers for part in every]), np.concatenate([part.points for part in every]),
        ).only(np.argsort(np.concatenate([part.to for part in every]), kind="stable"))  # fmt: skip


def _grown(ends: int, most: int, looked: Callable[..., int]) -> Found:
    """What is found, in as much room as it takes."""
    room, most = _ROOM * ends, max(most, 4)
    while True:
        to, kinds = np.empty(room, np.int64), np.full((room, most), -1)
        numbers, points = np.zeros((room, most), np.int64), np.zeros((room, most, 3))
        count = looked(to, kinds, numbers, points)
        if count <= room:
            return Found(to[:count], kinds[:count], numbers[:count], points[:count])
        room = count
