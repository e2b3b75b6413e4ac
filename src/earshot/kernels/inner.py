"""How functions are compiled that only kernels call: without what Python would need to call them, in a tenth less."""

from typing import Any

from numba import njit

_BARE: Any = {"error_model": "numpy", "no_cpython_wrapper": True, "no_cfunc_wrapper": True}
inner: Any = njit(**_BARE)
inner_fast: Any = njit(fastmath=True, **_BARE)
"""The same where sums may be taken in any order, and nothing is infinite."""
