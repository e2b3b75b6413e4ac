"""Field along the ground against distance."""

import numpy as np
import pytest

import earshot as es
from earshot.views import plots


@pytest.fixture(scope="module")
def driven():
    wire = es.Wire("rod", [(0, 0, 0.2), (0, 0, 1.1)], radius="2 mm")
    antenna = es.Antenna("rod", [wire], [es.Port("feed", "rod", at=0.5)], es.earth("meadow"))
    return es.solve(antenna, "150 MHz").drive(es.watts(1))


def test_the_surface_wave_falls_as_the_square(driven):
    off = 2.0 * np.geomspace(1, 100, 21)
    field = driven.near_field(np.stack([off, 0 * off, 0 * off], axis=1))
    level = field.magnitude(rms=True)
    assert level[-5] / level[-1] == pytest.approx((off[-1] / off[-5]) ** 2, rel=0.1)
    figure = plots.along(field, labels=["on the ground"], rms=True)
    (axes,) = figure.axes
    assert np.allclose(axes.lines[0].get_xydata(), np.stack([off, level], axis=1))
    assert "rms" in axes.get_ylabel()


def test_what_is_no_line_is_told(driven):
    line = driven.near_field(es.fields.line_of_points((0, 0, 2), (5, 0, 2), 3))
    with pytest.raises(es.UsageError, match="on the z axis"):
        plots.along(line)
    plane = driven.near_field(es.fields.plane_of_points((3, 0, 0), (1, 0, 0), (0, 0, 1), (2, 2)))
    with pytest.raises(es.UsageError, match="needs a line of points"):
        plots.along(plane)
    with pytest.raises(es.UsageError, match="one label each"):
        plots.along(line, labels=["a", "b"])
