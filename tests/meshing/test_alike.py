"""Elements of an array are divided alike, and as they would be alone."""

import numpy as np
import pytest

import earshot as es
from earshot import arrays
from earshot.meshing.sheet_mesh import sheet_mesh


@pytest.mark.parametrize("seed", range(3))
def test_every_element_has_the_same_triangles(seed):
    rng = np.random.default_rng(seed)
    outline = [(0, 0), (20, 0), (20, rng.uniform(8, 14)), (rng.uniform(9, 12), 9), (0, rng.uniform(9, 16))]
    shape = es.shapes.polygon([(1e-3 * x, 1e-3 * y, 1e-3) for x, y in outline])
    pin = es.Wire("pin", [(4e-3, 4e-3, 0), (4e-3, 4e-3, 1e-3)], radius=2e-4)
    one = es.Antenna(
        "one", [pin], [es.Port("feed", on="pin", at=0)], es.substrate("1 mm", 2.2), sheets=[es.Sheet("s", shape)]
    )
    pitch = rng.uniform(0.03, 0.05)
    several = arrays.repeated(one, arrays.grid(3, 2, pitch, 1.1 * pitch))
    wavelength, rule = 0.05, es.MeshRule()
    alone, together = sheet_mesh(one, wavelength, rule), sheet_mesh(several, wavelength, rule)
    assert len(together) == 6 * len(alone)
    areas = [np.sort(together.areas[together.sheet == n]) for n in range(6)]
    for other in areas:
        np.testing.assert_allclose(other, areas[0], rtol=1e-9)
    assert areas[0].sum() == pytest.approx(alone.areas.sum(), rel=1e-9)
