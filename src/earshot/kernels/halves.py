"""Products of a matrix in parts with several columns: dense parts and their transposes, and sums by clusters."""

from numba import njit


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def both_ways(entries, rows, columns, own, given, out):
    """Add a part (rows, columns) of a matrix times given (functions, columns) to out, and its transpose times it.

    The transpose of the first `own` columns, which are the rows themselves, is left out.
    """
    count = given.shape[1]
    for i in range(len(rows)):
        row, line = rows[i], entries[i]
        if count == 1:
            here, total = given[row, 0], out[row, 0]
            for j in range(own):
                total += line[j] * given[columns[j], 0]
            for j in range(own, len(columns)):
                total += line[j] * given[columns[j], 0]
                out[columns[j], 0] += line[j] * here
            out[row, 0] = total
            continue
        for j in range(len(columns)):
            entry, column = line[j], columns[j]
            for c in range(count):
                out[row, c] += entry * given[column, c]
            if j >= own:
                for c in range(count):
                    out[column, c] += entry * given[row, c]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def sums_up(values, first, candidates, start, few, held):
    """Add to the few of every cluster in held (all, columns) what those hold that they are taken out of.

    The last cluster comes first.

    values: (candidates, few) of every cluster, at first; candidates, at start; few: where in held their few are.
    """
    count = held.shape[1]
    for one in range(len(start) - 2, -1, -1):
        at, size = first[one], few[one + 1] - few[one]
        for n in range(start[one], start[one + 1]):
            for r in range(few[one], few[one] + size):
                value = values[at]
                at += 1
                for c in range(count):
                    held[r, c] += value * held[candidates[n], c]


@njit(nogil=True, cache=True, fastmath=True, error_model="numpy")
def sums_down(values, first, candidates, start, few, held):
    """The other way, the first cluster first: give what the few of every cluster see to those they are taken out of."""
    count = held.shape[1]
    for one in range(len(start) - 1):
        at, size = first[one], few[one + 1] - few[one]
        for n in range(start[one], start[one + 1]):
            for r in range(few[one], few[one] + size):
                value = values[at]
                at += 1
                for c in range(count):
                    held[candidates[n], c] += value * held[r, c]
