"""The bodies of metal the reference values are about; lengths in wavelengths, which are metres at ONE_METRE."""

import itertools
import math

import numpy as np

import earshot as es
from earshot import shapes


def on_disk(radius, height=0.235, thin=0.001):
    mast = es.Wire("mast", [(0, 0, 0), (0, 0, height)], radius=thin)
    return es.Antenna(
        "monopole", [mast], [es.Port("feed", "mast", at=0)], sheets=[es.Sheet("disk", shapes.disk(2 * radius))]
    )


def on_can():
    mast = es.Wire("mast", [(0, 0, 0), (0, 0, 0.24)], radius=0.001)
    can = shapes.cylinder(0.3, 0.4, base=(0, 0, -0.4), ends="closed")
    return es.Antenna("can", [mast], [es.Port("feed", "mast", at=0)], sheets=[es.Sheet("can", can)])


def fat_dipole(ends, gap=0.02):
    tube = shapes.cylinder(0.04, 0.45, base=(0, 0, -0.225), ends=ends)
    port = es.Port("feed", "tube", (0, 0, 0), gap, across="z")
    return es.Antenna("tube", [], [port], sheets=[es.Sheet("tube", tube)])


def cones(gap, half, slant=0.25, thin=0.001, disk=None):
    """Two cones joined by a tube, or a disk over one."""
    half = math.radians(half)

    def cone(way):
        wide = 2 * (thin + slant * math.sin(half))
        return shapes.cone(2 * thin, wide, slant * math.cos(half), base=(0, 0, way * gap / 2), axis=(0, 0, way))

    top = cone(1) if disk is None else shapes.annulus(2 * disk, 2 * thin, centre=(0, 0, gap / 2))
    tube = shapes.cylinder(2 * thin, gap, base=(0, 0, -gap / 2))
    sheets = [es.Sheet("top", top), es.Sheet("tube", tube), es.Sheet("low", cone(-1))]
    return es.Antenna("cones", [], [es.Port("feed", "tube", (0, 0, 0), gap, across="z")], sheets=sheets)


def two_disks():
    """Two disks of radius 1 m, joined by a wire fed in the middle."""
    wire = es.Wire("wire", [(0, 0, 0), (0, 0, 0.4)], radius=0.01)
    sheets = [es.Sheet("low", shapes.disk(2)), es.Sheet("high", shapes.disk(2, centre=(0, 0, 0.4)))]
    return es.Antenna("disks", [wire], [es.Port("feed", "wire")], sheets=sheets)


def strip(width, gap):
    port = es.Port("feed", "strip", (0, 0, 0), gap, across="x")
    return es.Antenna("strip", [], [port], sheets=[es.Sheet("strip", shapes.plate(0.47, width), sides=2)])


def guide(radius=0.35, length=4.0):
    probe = es.Wire("probe", [(-radius, 0, 0.3), (0.22 - radius, 0, 0.3)], radius=0.006)
    tube = es.Sheet("tube", shapes.cylinder(2 * radius, length, ends="first"))
    return es.Antenna("guide", [probe], [es.Port("feed", "probe", at=0)], sheets=[tube])


def bent_tube(path, radius, gap, chords=24, step=0.0125):
    """A tube along a bent line in the x-z plane as triangles, mitred at its bends; rings lie at the gap's edges."""
    path = np.array(path, float)
    steps = np.diff(path, axis=0)
    lengths = np.linalg.norm(steps, axis=1)
    along, arc = steps / lengths[:, None], np.concatenate([[0.0], np.cumsum(lengths)])
    part = 2 * math.pi / chords
    turn, wide = part * np.arange(chords), radius * math.sqrt(part / math.sin(part))
    rings = []
    for i, t in enumerate(along):
        marks = [arc[-1] / 2 + m - arc[i] for m in (-gap / 2, 0.0, gap / 2)]
        stops = [0.0, *(m for m in marks if 0.0 < m < lengths[i]), lengths[i]]
        pieces = itertools.pairwise(stops)
        places = np.concatenate([np.linspace(a, b, max(2, math.ceil((b - a) / step) + 1)) for a, b in pieces])
        # Short cells where the tube ends or bends, and beside the gap.
        near = radius * np.array([0.1, 0.3, 0.7, 1.4])
        beside = [m + way * r * radius for m, way in ((marks[0], -1), (marks[2], 1)) for r in (0.35, 0.9)]
        inside = [m for m in beside if 0.0 < m < lengths[i]]
        places = np.unique(np.round(np.concatenate([places, near, lengths[i] - near, inside]), 9))
        for s in places if i == 0 else places[1:]:
            middle = path[i] + s * t
            ring = middle + wide * (np.cos(turn)[:, None] * np.cross([0, 1, 0], t) + np.sin(turn)[:, None] * [0, 1, 0])
            for bent, at, other in ((i > 0, 0.0, i - 1), (i < len(along) - 1, lengths[i], i + 1)):
                if bent:
                    mitre = t + along[other]
                    share = max(0.0, 1.0 - abs(s - at) / (3 * radius))
                    ring = ring - share * ((ring - middle) @ mitre / (t @ mitre))[:, None] * t
            rings.append(ring)
    faces = []
    for a in range(len(rings) - 1):
        for s in range(chords):
            p, q = a * chords + s, a * chords + (s + 1) % chords
            faces += [(p, q, p + chords), (q, q + chords, p + chords)]
    return shapes.triangles(np.concatenate(rings), faces)


def revolved(profile, chords=24, wide=math.inf):
    """Triangles of a surface of revolution through points (ρ, z), with twice the chords from ρ = wide on.

    A point with ρ = 0 is a pole.
    """
    rings, count = [], 0
    corners = []
    for rho, z in profile:
        n = 1 if rho == 0.0 else chords if rho < wide else 2 * chords
        part = 2 * math.pi / max(n, 3)
        turn, out = part * np.arange(n), rho * math.sqrt(part / math.sin(part))
        corners.append(np.stack([out * np.cos(turn), out * np.sin(turn), np.full(n, z)], axis=1))
        rings.append(count + np.arange(n))
        count += n
    faces = []
    for one, two in itertools.pairwise(rings):
        ratio = max(len(two) // len(one), 1) if len(one) > 1 else 1
        for s in range(max(len(one), len(two)) // ratio):
            p, q = one[s % len(one)], one[(s + 1) % len(one)]
            *_, r, t = (two[(ratio * s + i) % len(two)] for i in range(ratio + 1))
            first = two[ratio * s % len(two)]
            faces += [f for f in ((p, q, r), (q, t, r), (p, r, first)) if len(set(f)) == 3]
    return shapes.triangles(np.concatenate(corners), faces)


def on_ringed_disk(radius, step=0.06, rim=0.004, thin=0.001):
    """A disk in rings that widen from the mast by 0.3 each, and towards the rim by 1.8."""
    rings = [0.0, 2 * thin]
    while rings[-1] < radius:
        rings.append(rings[-1] + min(1.3 * (rings[-1] - rings[-2]), step))
    edges = list(itertools.takewhile(lambda e: e < 1.8 * step, (rim * 1.8**i for i in range(20))))
    inner = radius - np.cumsum(edges)
    rings = [r for r in rings if r < inner[-1] - 0.4 * edges[-1]]
    surface = revolved([(r, 0.0) for r in (*rings, *inner[::-1], radius)], chords=36, wide=0.8)
    mast = es.Wire("mast", [(0, 0, 0), (0, 0, 0.235)], radius=thin)
    return es.Antenna(
        "rings", [mast], [es.Port("feed", "mast", at=0, gap=6 * thin)], sheets=[es.Sheet("disk", surface)]
    )


def capped_bicone(thin=0.001, slant=0.25):
    """Two cones of 45 degrees, their tips cut off by a tube of a radius, closed by caps about the apex."""
    steps = [0.0]
    while steps[-1] < slant - thin * math.sqrt(2):
        steps.append(steps[-1] + min(0.6 * (thin + steps[-1] / math.sqrt(2)), 0.022))
    along = np.array(steps) / steps[-1] * (slant - thin * math.sqrt(2)) / math.sqrt(2)
    cap = np.radians(np.linspace(45, 0, 9))[1:]
    upper = (
        [(0.0, 0.0)] + [(thin + s, thin + s) for s in along] + [(slant * math.sin(t), slant * math.cos(t)) for t in cap]
    )
    upper[-1] = (0.0, slant)
    upper[0] = (thin, 0.0)
    lower = [(rho, -z) for rho, z in upper[:0:-1]]
    sheet = es.Sheet("cones", revolved([*lower, *upper]))
    port = es.Port("feed", "cones", (0, 0, 0), 2 * thin, across="z")
    return es.Antenna("capped", [], [port], sheets=[sheet])
