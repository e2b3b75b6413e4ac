"""The antennas of the reference cases, in wavelengths at 299.792458 MHz."""

import math

import earshot as es

ONE_METRE = "299.792458 MHz"


def dipole(length, radius, gap=6.0, name="dipole", x=0.0, y=0.0, z=0.0):
    wire = es.Wire(name, [(x, y, z - length / 2), (x, y, z + length / 2)], radius=radius)
    return es.Antenna(name, [wire], [es.Port(name, on=name, gap=gap * radius)])


def pair(length, radius, gap, dx=0.0, dz=0.0):
    one, two = dipole(length, radius, gap, "one"), dipole(length, radius, gap, "two", x=dx, z=dz)
    return es.Antenna("pair", one.wires + two.wires, one.ports + two.ports)


def horizontal(length, radius, height, gap=6.0):
    wire = es.Wire("wire", [(-length / 2, 0, height), (length / 2, 0, height)], radius=radius)
    return es.Antenna("low dipole", [wire], [es.Port("feed", on="wire", gap=gap * radius)], es.perfect_plane())


def monopole(length, radius, gap=6.0):
    wire = es.Wire("mast", [(0, 0, 0), (0, 0, length)], radius=radius)
    return es.Antenna("monopole", [wire], [es.Port("foot", on="mast", at=0, gap=gap * radius)], es.perfect_plane())


def three_elements(lengths, places, radius, driven, gap=6.0):
    wires = [
        es.Wire(f"rod {i}", [(x, 0, -length / 2), (x, 0, length / 2)], radius=radius)
        for i, (length, x) in enumerate(zip(lengths, places, strict=True))
    ]
    return es.Antenna("beam", wires, [es.Port("feed", on=f"rod {driven}", gap=gap * radius)])


def loop(circumference, radius, gap=6.0, chords=48):
    """A polygon of the circle's area, fed in the middle of its first chord."""
    circle = circumference / (2 * math.pi)
    corner = circle * math.sqrt(2 * math.pi / chords / math.sin(2 * math.pi / chords))
    turns = [2 * math.pi * (i - 0.5) / chords for i in range(chords + 1)]
    points = [(corner * math.cos(t), corner * math.sin(t), 0.0) for t in turns]
    points[-1] = points[0]
    wire = es.Wire("loop", points, radius=radius)
    return es.Antenna("loop", [wire], [es.Port("feed", on="loop", at=0.5 / chords, gap=gap * radius)])
