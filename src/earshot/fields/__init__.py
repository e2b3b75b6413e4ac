"""Fields of given currents: far and near, cuts, lobes, polarisation, figures of merit, power."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
