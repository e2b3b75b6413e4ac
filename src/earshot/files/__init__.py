"""Design files, results, measured curves, tables and triangles: in and out."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
