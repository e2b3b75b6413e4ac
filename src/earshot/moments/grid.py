"""What currents and charges do to one another by smooth kernels: on a grid, as a convolution.

Points are spread over a few lines of the grid by a window, convolved there by FFT with what makes window, convolution
and window together the kernel, and gathered again (as the adaptive integral method, Bleszynski, Bleszynski and
Jaroszewicz 1996, but that the kernel's spectrum is divided by the window's, Dutt and Rokhlin 1993). Window: e to the
β(√(1 - x²) - 1) (Barnett, Magland and af Klinteberg 2019, eq. 1.8).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..arraytypes import Complexes, Floats, Ints
from ..media.smooth_kernel import SmoothKernels
from ..running import announce, in_shares, in_threads, thread_count

LINES = 6.0
"""Lines of the grid in the reach of the smooth kernels."""
_WIDTH = 6
_BETA = 2.3 * _WIDTH


@dataclass(frozen=True, eq=False)
class Grid:
    """Points on a grid. first (2, points), shares (2, points, width): see `kernels.gridding.spread`.

    lines: of the grid along x and y, `step` m apart, the first of them before `low` (2,), m. spectra (2, ..., ...): of
    the vector and the scalar kernel, twice as many lines.
    """

    first: Ints
    shares: Floats
    lines: tuple[int, int]
    spectra: Complexes
    low: Floats
    step: float

    @property
    def bytes(self) -> int:
        """What it holds, and what it takes while it works."""
        spare = self.spectra[0].nbytes * (thread_count() + 1)
        return int(self.first.nbytes + self.shares.nbytes + self.spectra.nbytes + spare)

    def potentials(self, kernel: int, amounts: Complexes, places: Floats | None = None) -> Complexes:
        """What points (points,) see of what they hold, by the vector (0) or the scalar (1) kernel.

        places (n, 2): others that hold amounts (n,), among the points.
        """
        from scipy import fft

        from ..kernels.gridding import gather, spread

        square = np.zeros(self.lines, np.complex128)
        first, shares = (self.first, self.shares) if places is None else _placed(places, self.low, self.step)
        spread(first, shares, np.ascontiguousarray(amounts), square)
        long, wide = self.spectra.shape[1:]
        # Rows of nothing need no transform.
        square = fft.fft(fft.fft(square, wide, axis=1), long, axis=0, overwrite_x=True)
        square *= self.spectra[kernel]
        square = fft.ifft(square, axis=0, overwrite_x=True)[: self.lines[0]]
        square = fft.ifft(square, axis=1, overwrite_x=True)
        seen = np.empty(self.first.shape[1], np.complex128)
        gather(self.first, self.shares, square, seen)
        return seen


def grid_for(places: Floats, smooth: SmoothKernels) -> Grid:
    """The grid of points (points, 2), m, for smooth kernels."""
    from scipy import fft

    from ..kernels.gridding import gather, spread

    announce(spread)
    announce(gather)
    step = smooth.reach / LINES
    low, high = places.min(axis=0), places.max(axis=0)
    lines = tuple(int(n) for n in np.ceil((high - low) / step).astype(int) + _WIDTH + 2)
    first, shares = _placed(places, low, step)
    long, wide = (int(fft.next_fast_len(2 * n)) for n in lines)
    spectra = np.empty((2, long, wide), np.complex128)
    away = [step * np.arange(n // 2 + 1.0) for n in (long, wide)]
    seen = [_seen(n) for n in (long, wide)]

    half = long // 2 + 1

    def sample(part: slice) -> None:
        lines = slice(part.start, min(part.stop, half))
        spectra[:, lines] = smooth.at(np.hypot(away[0][lines, None], _folded(away[1], wide)))

    in_shares(sample, half)
    spectra[:, half:] = spectra[:, 1 : (long + 1) // 2][:, ::-1]

    def transform(kernel: int) -> None:
        spectra[kernel] = fft.fft2(spectra[kernel], overwrite_x=True)
        spectra[kernel] /= np.outer(seen[0], seen[1]) ** 2

    in_threads(transform, [0, 1])
    return Grid(first, shares, (lines[0], lines[1]), spectra, low, step)


def _placed(places: Floats, low: Floats, step: float) -> tuple[Ints, Floats]:
    """First lines (2, points) and shares (2, points, width) of points (points, 2)."""
    x = (places - low).T / step + 0.5 * _WIDTH + 0.5
    first = np.ceil(x - 0.5 * _WIDTH).astype(np.int64)
    return first, _window((first[..., None] + np.arange(_WIDTH) - x[..., None]) / (0.5 * _WIDTH))


def _folded(away: Floats, count: int) -> Floats:
    """Distances 0 to half way and back (count,)."""
    return np.concatenate([away, away[1 : (count + 1) // 2][::-1]])


def _window(x: Floats) -> Floats:
    inside = np.abs(x) < 1.0
    return np.where(inside, np.exp(_BETA * (np.sqrt(np.where(inside, 1.0 - x * x, 0.0)) - 1.0)), 0.0)


def _seen(count: int) -> Floats:
    """The window's Fourier transform (count,) at the frequencies of so many lines."""
    from scipy import fft

    nodes, weights = np.polynomial.legendre.leggauss(48)
    turns = np.outer(2.0 * np.pi * fft.fftfreq(count), 0.5 * _WIDTH * nodes)
    return np.asarray(0.5 * _WIDTH * np.cos(turns) @ (weights * _window(nodes)))
