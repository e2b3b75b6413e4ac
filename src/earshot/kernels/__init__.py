"""Numba functions on plain arrays: tube kernels, segment-pair integrals, matrix fill, radiation sums.

Lengths are metres, wavenumbers rad/m, time convention exp(+jωt). Nothing here knows of objects, units or files.
"""
