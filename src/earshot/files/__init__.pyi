from .array_tables import read_layout as read_layout
from .array_tables import read_pattern as read_pattern
from .array_tables import read_weights as read_weights
from .triangles import read_triangles as read_triangles
from .triangles import write_vtk as write_vtk
