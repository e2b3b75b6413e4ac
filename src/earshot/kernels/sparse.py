"""A sparse matrix in rows, times several columns at once."""

from numba import njit


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def sparse_rows(row_start, columns, entries, first, last, given, out):
    """Put rows first to last of a matrix times given (functions, columns) into out (functions, columns)."""
    count = given.shape[1]
    for row in range(first, last):
        if count == 1:
            total = 0.0 + 0.0j
            for at in range(row_start[row], row_start[row + 1]):
                total += entries[at] * given[columns[at], 0]
            out[row, 0] = total
            continue
        out[row] = 0.0
        for at in range(row_start[row], row_start[row + 1]):
            entry, other = entries[at], columns[at]
            for c in range(count):
                out[row, c] += entry * given[other, c]
