"""What a person sees: tables, plots and commands."""

import lazy_loader

__getattr__, __dir__, __all__ = lazy_loader.attach(__name__, submodules=["plots"])
