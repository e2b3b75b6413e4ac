"""What would stop a solve, and what would make its answer doubtful."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
