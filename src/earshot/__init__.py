"""Earshot: antennas of wires and sheets by the method of moments, from a description to impedance, patterns and gain.

Everything public is here and is loaded when first used; `import earshot` itself loads next to nothing.

>>> import earshot as es
>>> rod = es.Wire("rod", [(0, 0, "-0.48 m"), (0, 0, "0.48 m")], radius="3 mm")
>>> answer = es.solve(es.Antenna("dipole", [rod], [es.Port("feed", on="rod")]), "150.1 MHz")
>>> round(float(answer.network.vswr()[0, 0]), 2)
1.64
"""

import lazy_loader

__version__ = "0.1.0"

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
