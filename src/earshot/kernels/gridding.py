"""Points onto a grid of squares and back, each seen by a few lines of the grid on either side."""

from numba import njit


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def spread(first, shares, values, grid):
    """Add values (points,) to a grid (lines, lines), by shares (2, points, width) from lines first (2, points) on."""
    width = shares.shape[2]
    for p in range(len(values)):
        x, y = first[0, p], first[1, p]
        for a in range(width):
            amount = shares[0, p, a] * values[p]
            for b in range(width):
                grid[x + a, y + b] += amount * shares[1, p, b]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def gather(first, shares, grid, values):
    """Put what points see of a grid into values (points,); see `spread`."""
    width = shares.shape[2]
    for p in range(len(values)):
        x, y = first[0, p], first[1, p]
        found = 0.0 + 0.0j
        for a in range(width):
            line = 0.0 + 0.0j
            for b in range(width):
                line += grid[x + a, y + b] * shares[1, p, b]
            found += shares[0, p, a] * line
        values[p] = found
