"""Land of waves, for all tests of places."""

import math

import numpy as np
import pytest

from earshot import reach


@pytest.fixture
def hills():
    """Rolling land by its number, so many metres wide and high."""

    def made(seed, size=12e3, step=60.0, high=60.0):
        rng = np.random.default_rng(seed)
        waves = [(*rng.uniform(-1, 1, 2) * 2 * math.pi / rng.uniform(1500, 5000), rng.uniform(0, 7)) for _ in range(9)]
        return reach.made_up(
            lambda x, y: high / 3 * sum(np.sin(a * x + b * y + c) for a, b, c in waves),
            f"{size} m", f"{size} m", f"{step} m",
        )  # fmt: skip

    return made
