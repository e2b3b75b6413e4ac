"""What metal, jackets, layers and the ground are of; catalogues of them by name."""

from .media.earth import Earth, earths
from .media.metals import Jacket, Metal, metals
from .media.stack import Dielectric, dielectrics

__all__ = [
    "Dielectric",
    "Earth",
    "Jacket",
    "Metal",
    "dielectrics",
    "earths",
    "metals",
]
