"""The newer keys of a design file: circles, helices, dimensions, samples, open and short."""

from pathlib import Path

import numpy as np
import pytest

import earshot as es
from earshot.files.design_file import design_from_text, dimensions

TEXT = """
title = "shapes"
frequency = "300 MHz"
[values]
around = "1.05 lambda"
turns = 3
lead = "20 mm"
[dimensions]
lead = ["0, 0, 0", "0, 0, lead"]
[wire.coil]
radius = "2 mm"
[wire.coil.helix]
diameter = "around / pi"
rise = "0.2 lambda"
turns = "turns + 0.5"
base = "0, 0, lead"
lead = "lead"
hand = "left"
[wire.ring]
radius = "1 mm"
circle = { diameter = "0.3 m", centre = "2 m, 0, 0", axis = "y", start = "90 deg", chords = 31 }
[port.feed]
on = "coil"
at = 0
[load.gap]
on = "ring"
impedance = "open"
[load.join]
on = "ring"
at = 0.25
impedance = "short"
[load.table]
on = "ring"
at = 0.75
samples = [["200 MHz", "10 ohm", "-5 ohm"], ["400 MHz", "20 ohm", "5 ohm"]]
"""


def read(text=TEXT):
    return design_from_text(text, "shapes.toml", Path()).design


def test_shapes_are_those_of_python():
    design = read()
    coil, ring = design.antenna.wires
    v = design.values
    assert coil.points == tuple(
        es.shapes.helix_points(
            v.around / np.pi, 0.2 * 299_792_458 / 3e8, 3.5, base=(0, 0, v.lead), lead=v.lead, hand="left"
        )
    )
    assert ring.points == tuple(es.shapes.circle_points(0.3, centre=(2, 0, 0), axis="y", start="90 deg", chords=31))
    assert design.with_(turns=5).antenna.wires[0].length > coil.length


def test_impedances_in_words_and_samples():
    loads = {x.name: x.impedance for x in read().antenna.loads}
    assert loads["gap"].at(3e8) == complex(np.inf)
    assert loads["join"].at(3e8) == 0
    assert loads["table"].at(3e8) == 15 + 0j


def test_dimensions_follow_the_values():
    (one,) = dimensions(read().with_(lead="30 mm"))
    assert (one.name, one.stop) == ("lead", (0.0, 0.0, 0.03))
    assert one.quantity.si == 0.03
    assert dimensions(es.Design(lambda v: read().antenna, frequency="1 GHz")) == []


@pytest.mark.parametrize(
    ("old", "new", "says"),
    [
        ('lead = ["0, 0, 0"', 'laed = ["0, 0, 0"', "dimensions.laed: there is no value 'laed'; did you mean 'lead'"),
        ('"0, 0, lead"]', '"0, lead"]', "dimensions.lead: '0, lead' has 2 coordinates"),
        ('turns = "turns + 0.5"', 'turns = "3 m"', "wire.coil.helix.turns: '3 m' is a length; a number is needed"),
        ('hand = "left"', 'hand = "both"', "hand 'both' is not 'right' or 'left'"),
        ('rise = "0.2 lambda"\n', "", "wire.coil.helix.rise is missing"),
        ("chords = 31", "chords = 3", "chords = 3 is not a whole number from 6"),
        ("chords = 31", "chord = 31", "wire.ring.circle.chord is not a key.*did you mean 'chords'"),
        ('axis = "y"', 'axis = "up"', "axis 'up' is not one of x, y, z"),
        ('start = "90 deg"', 'start = "90"', "start: '90' has no unit; a angle|an angle|angle needs"),
        ('[wire.ring]\n', '[wire.ring]\npoints = ["0,0,0", "1 m,0,0"]\n', "give exactly one of points, circle, helix"),
        ('impedance = "short"', 'impedance = "shut"', "load.join.impedance"),
        ('["400 MHz", "20 ohm", "5 ohm"]', '["100 MHz", "20 ohm", "5 ohm"]', "rising frequencies"),
        ('["400 MHz", "20 ohm", "5 ohm"]', '["400 MHz", "20 ohm", "5 m"]', "load.table.samples: '5 m' is a length"),
    ],
)  # fmt: skip
def test_mistakes_are_told_with_their_place(old, new, says):
    assert old in TEXT
    with pytest.raises(es.DesignFileError, match=says):
        read(TEXT.replace(old, new, 1))
