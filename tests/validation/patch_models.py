"""Patches that the reference values are about."""

import earshot as es

PATCHES = {
    "P57x38": (38e-3, 57e-3, 2.33, 3.175e-3, 10e-3, 0.635e-3, 2.3548e9),
    "FR4_38x29": (29e-3, 38e-3, 4.4, 1.6e-3, 6e-3, 0.5e-3, 2.3627e9),
}


def probed(sheet, level, place, radius, number=""):
    """A sheet with a probe under it, fed at its foot."""
    x, y = place
    name = f"probe{number}"
    wire = es.Wire(name, [(x, y, 0), (x, y, level)], radius=radius)
    return [sheet], [wire], [es.Port(f"feed{number}", name, at=0)]


def rectangular(name, loss=0.0):
    length, width, permittivity, level, offset, radius, _ = PATCHES[name]
    sheet = es.Sheet("patch", es.shapes.plate(length, width, centre=(0, 0, level)))
    sheets, wires, ports = probed(sheet, level, (offset, 0), radius)
    return es.Antenna(name, wires, ports, es.substrate(level, permittivity, loss), sheets=sheets)


def circular(offset=6e-3):
    level = 3.175e-3
    sheet = es.Sheet("patch", es.shapes.disk(40e-3, centre=(0, 0, level)))
    sheets, wires, ports = probed(sheet, level, (offset, 0), 0.5e-3)
    return es.Antenna("disk", wires, ports, es.substrate(level, 2.33), sheets=sheets)


def pair(dx, dy):
    length, width, permittivity, level, offset, radius, _ = PATCHES["P57x38"]
    parts = [[], [], []]
    for n, (x, y) in enumerate(((0.0, 0.0), (dx, dy)), 1):
        sheet = es.Sheet(f"patch{n}", es.shapes.plate(length, width, centre=(x, y, level)))
        for whole, part in zip(parts, probed(sheet, level, (x + offset, y), radius, n), strict=True):
            whole += part
    return es.Antenna("pair", parts[1], parts[2], es.substrate(level, permittivity), sheets=parts[0])


def strip(length=32e-3, width=3.2e-3, level=1.6e-3, permittivity=4.4):
    """A half-wave strip, open at both ends, fed by a thin probe near its middle so as to be loaded little."""
    sheet = es.Sheet("strip", es.shapes.plate(length, width, centre=(0, 0, level)))
    sheets, wires, ports = probed(sheet, level, (2e-3, 0), 0.2e-3)
    return es.Antenna("strip", wires, ports, es.substrate(level, permittivity), sheets=sheets)
