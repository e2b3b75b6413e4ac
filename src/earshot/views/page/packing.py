"""Arrays as one run of bytes in the page, each known by where it lies."""

from __future__ import annotations

import base64
import gzip
import math
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

_WIDEST = 32767
"""The greatest whole number of two bytes: what is packed into it is off by 1.5e-5 of the greatest value."""


class Packed:
    """Arrays one behind the other, each from a multiple of eight bytes on."""

    def __init__(self) -> None:
        self._parts: list[bytes] = []
        self._length = 0

    def _put(self, values: NDArray[Any], **more: Any) -> dict[str, Any]:
        raw = np.ascontiguousarray(values).astype(values.dtype.newbyteorder("<")).tobytes()
        where = {"type": values.dtype.str[1:], "at": self._length, "shape": list(values.shape), **more}
        padded = raw + bytes(-len(raw) % 8)
        self._parts.append(padded)
        self._length += len(padded)
        return where

    def reals(self, values: ArrayLike) -> dict[str, Any]:
        """Numbers in single precision; complex ones with real and imaginary part as a last axis."""
        return self._put(_split(values).astype(np.float32))

    def exactly(self, values: ArrayLike) -> dict[str, Any]:
        """Numbers in double precision."""
        return self._put(_split(values).astype(np.float64))

    def counts(self, values: ArrayLike) -> dict[str, Any]:
        """Whole numbers from 0 on."""
        return self._put(np.asarray(values).astype(np.uint32))

    def scaled(self, values: ArrayLike, leading: int) -> dict[str, Any]:
        """Numbers in two bytes, against the greatest of all that share their first axes."""
        split = _split(values)
        flat = split.reshape(math.prod(split.shape[:leading]), -1)
        greatest = np.maximum(np.abs(flat).max(axis=1, initial=0.0), 1e-300) / _WIDEST
        return self._put(
            np.rint(flat / greatest[:, None]).astype(np.int16).reshape(split.shape), scale=greatest.tolist()
        )

    def text(self) -> str:
        """All of it, packed, as letters."""
        return base64.b64encode(gzip.compress(b"".join(self._parts), 6, mtime=0)).decode("ascii")


def _split(values: ArrayLike) -> NDArray[Any]:
    given = np.asarray(values)
    return np.stack([given.real, given.imag], axis=-1) if np.iscomplexobj(given) else given
