"""Many solves asked as one question: values varied, figures against values, values tuned to goals."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)
