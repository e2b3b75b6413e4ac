"""What stands between two antennas: facts of one profile of terrain, and of all profiles round a place.

Distances and heights above the sea in metres, over an effective earth of curvature 1/radius. Formulas are those of
ITU-R P.526-15, section 4.5.
"""

import math

from numba import njit

FACTS = 7
"""Heights of the smooth surface under both ends; ν of Bullington's edge over the profile, where that is, m, and ν over
the smooth surface alone; the least room of the ray over the first Fresnel zone's radius, and where that is, m.
"""


@njit(inline="always")
def _edge(up, down, near, far, total, wave):
    """Distance and ν of the edge where both horizons meet, of slopes seen from both ends."""
    at = (far - near + down * total) / (up + down)
    at = min(max(at, 1e-6 * total), (1.0 - 1e-6) * total)
    over = near + up * at - (near * (total - at) + far * at) / total
    return at, over * math.sqrt(2.0 * total / (wave * at * (total - at)))


@njit(nogil=True, cache=True, error_model="numpy")
def _edge_over_smooth(step, count, near, far, wave, curvature):
    """ν of Bullington's edge over a smooth earth, for ends so high above it."""
    total = step * (count - 1)
    up, down, worst = -1e300, -1e300, -1e300
    for n in range(1, count - 1):
        d = step * n
        rest = total - d
        raised = 0.5 * curvature * d * rest
        up = max(up, (raised - near) / d)
        down = max(down, (raised - far) / rest)
        worst = max(worst, (raised - (near * rest + far * d) / total) * math.sqrt(2.0 * total / (wave * d * rest)))
    if up < (far - near) / total:
        return worst
    return _edge(up, down, near, far, total, wave)[1]


@njit(nogil=True, cache=True, error_model="numpy")
def profile_facts(step, heights, count, near, far, wave, curvature, out):
    """Facts of a profile of so many heights, a step apart, with antennas so high above the sea, into out (7,)."""
    total = step * (count - 1)
    up, down, worst, where = -1e300, -1e300, -1e300, 0.5 * total
    room, tightest = 1e300, 0.5 * total
    first, second = 0.0, 0.0
    over, seen_near, seen_far = -1e300, -1e300, -1e300
    for n in range(1, count):
        d, before = step * n, step * (n - 1)
        low, high = heights[n - 1], heights[n]
        first += step * (high + low)
        second += step * (high * (2.0 * d + before) + low * (d + 2.0 * before))
        if n == count - 1:
            break
        rest = total - d
        raised = high + 0.5 * curvature * d * rest
        ray = (near * rest + far * d) / total
        zone = math.sqrt(wave * d * rest / total)
        up = max(up, (raised - near) / d)
        down = max(down, (raised - far) / rest)
        nu = math.sqrt(2.0) * (raised - ray) / zone
        if nu > worst:
            worst, where = nu, d
        if (ray - raised) / zone < room:
            room, tightest = (ray - raised) / zone, d
        over = max(over, high - ray)
        seen_near = max(seen_near, (high - ray) / d)
        seen_far = max(seen_far, (high - ray) / rest)
    if up >= (far - near) / total:
        where, worst = _edge(up, down, near, far, total, wave)
    one, two = (2.0 * first * total - second) / total**2, (second - first * total) / total**2
    if over > 0.0:
        one -= over * seen_near / (seen_near + seen_far)
        two -= over * seen_far / (seen_near + seen_far)
    one, two = min(one, heights[0]), min(two, heights[count - 1])
    out[0], out[1], out[2], out[3] = one, two, worst, where
    out[4] = _edge_over_smooth(step, count, max(near - one, 0.0), max(far - two, 0.0), wave, curvature)
    out[5], out[6] = room, tightest


@njit(nogil=True, cache=True, error_model="numpy")
def facts_around(heights, row, column, step, near, above, wave, curvature, rows, finest, along, out):
    """Facts of the profiles from a place, at (row, column) of a grid of heights, to every point of some rows of it.

    near: height above the sea of the antenna there; above: of the others above their ground. finest: steps of a
    profile at least. along: scratch. out (rows, columns, 8): facts and distance, NaN where there is none.
    """
    for i in range(len(rows)):
        for j in range(heights.shape[1]):
            away_row, away_column = rows[i] - row, j - column
            cells = math.hypot(away_row, away_column)
            count = int(max(math.ceil(cells), finest)) + 1
            out[i, j] = math.nan
            if cells < 0.5:
                continue
            whole = 0.0
            for n in range(count):
                share = n / (count - 1)
                y, x = row + share * away_row, column + share * away_column
                low, left = min(int(y), heights.shape[0] - 2), min(int(x), heights.shape[1] - 2)
                b, a = y - low, x - left
                along[n] = (1.0 - b) * ((1.0 - a) * heights[low, left] + a * heights[low, left + 1]) + b * (
                    (1.0 - a) * heights[low + 1, left] + a * heights[low + 1, left + 1]
                )
                whole += along[n]
            if math.isnan(whole):
                continue
            far = along[count - 1] + above
            profile_facts(step * cells / (count - 1), along, count, near, far, wave, curvature, out[i, j])
            out[i, j, FACTS] = step * cells
