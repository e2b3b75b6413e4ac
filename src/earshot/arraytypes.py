"""Types of arrays, by what they hold."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Complexes = NDArray[np.complex128]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]
