"""Far along the ground: the path round air's branch point against the one along the real axis, and physics."""

import math
from functools import partial

import numpy as np
import pytest

import earshot as es
from earshot.media import half_space


@pytest.mark.parametrize("seed", range(12))
def test_both_paths_agree(seed):
    rng = np.random.default_rng(seed)
    permittivity = complex(rng.uniform(2, 80), -(10.0 ** rng.uniform(0, 3)))
    rho = np.full(4, 10.0 ** rng.uniform(2.4, 3.4))
    zeta = np.array([0.05, 1.0, 5.0, 1.9 * math.sqrt(rho[0])])
    earth = half_space.HalfSpace(permittivity)
    assert half_space._far_along(earth, rho, zeta).all()
    spectra = partial(half_space._both_orders, earth, None)
    far, near = (
        half_space._kernels(*half_space._together(earth, spectra, rho, zeta, kind, 0.0), rho) for kind in (2, 1)
    )
    # Against the kernel it belongs to: what rises with height over the ground is a small difference there.
    scale = np.maximum(np.abs(near), np.abs(near[1]) * 1e-2)
    assert (np.abs(far - near) / scale).max() < 3e-6


def test_fields_kilometres_off_fall_as_they_should():
    wire = es.Wire("mast", [(0, 0, 1.0), (0, 0, 1.17)], radius=1e-3)
    antenna = es.Antenna("mast", [wire], [es.Port("feed", "mast")], es.earth("meadow"))
    driven = es.solve(antenna, "868 MHz").drive(es.watts(1))
    driven.near_field([(50, 0, 1.5)])
    fields = [driven.near_field([(x, 0, 1.5)]).e[0, 2] for x in (300, 1500, 6000, 24000)]
    # Low over the ground fields fall with the square of the distance once the direct and reflected waves cancel.
    assert abs(fields[3] / fields[2]) == pytest.approx(1 / 16, rel=0.03)
    beam = driven.far_field()
    for x, e in zip((1500, 6000), fields[1:3], strict=True):
        theta = math.pi / 2 - 1.5 / x
        assert abs(e) == pytest.approx(float(abs(beam.field(theta, 0.0)[0])) / x, rel=0.02)


def test_many_places_say_together_what_each_says_alone():
    """Near and far, low and high over the sea in one call: where direct and reflected waves cancel it shows."""
    long = 2.0
    wire = es.Wire("rod", [(0, 0, 2 * long - 0.02), (0, 0, 2 * long + 0.02)], radius=1e-4)
    driven = es.solve(es.Antenna("rod", [wire], [es.Port("feed", "rod")], es.earth("sea")), "150 MHz").drive()
    places = np.array([(50, 0, 2), (700, 0, 50), (1500, 0, 2), (5000, 0, 10)]) * long
    together = driven.near_field(places).e[:, 2]
    alone = np.array([driven.near_field(place[None]).e[0, 2] for place in places])
    assert np.abs(20 * np.log10(np.abs(together / alone))).max() < 0.04
