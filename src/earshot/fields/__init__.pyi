from .far import FarField as FarField
from .near import NearField as NearField
from .near import box_of_points as box_of_points
from .near import line_of_points as line_of_points
from .near import plane_of_points as plane_of_points
