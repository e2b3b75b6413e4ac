"""A kernel is compiled once: arrays in another order, or a number written into a call, would be another version."""

import importlib
import pkgutil

import numpy as np
from numba.core.dispatcher import Dispatcher

import earshot as es
from earshot import kernels

TWO_PRECISIONS = {"both_ways", "sums_up", "sums_down"}


def test_every_kernel_has_one_version():
    points = np.array([[0.02, 0.01, 0.05]])
    for antenna, frequency in [
        (es.antennas.slot_patch("5.8 GHz").antenna, "5.8 GHz"),
        (es.antennas.patch("5.8 GHz").antenna, "5.8 GHz"),
        (es.antennas.bow_tie("868 MHz").antenna.raised("0.4 m").over(es.earth("meadow")), "868 MHz"),
    ]:
        es.solve(antenna, frequency, rule=es.MeshRule(density=0.5)).drive().near_field(points)
    for module in pkgutil.iter_modules(kernels.__path__):
        for name, kernel in vars(importlib.import_module(f"earshot.kernels.{module.name}")).items():
            if isinstance(kernel, Dispatcher) and kernel.stats.cache_path and name not in TWO_PRECISIONS:
                assert len(kernel.signatures) <= 1, (name, kernel.signatures)
