"""What the rows of arrays say that kernels are given: of segments (8, n) and of triangles (17, m)."""

SX, SY, SZ = 0, 1, 2
"""Where a segment starts, metres."""
TX, TY, TZ = 3, 4, 5
"""Its tangent, a unit vector."""
LENGTH, RADIUS = 6, 7
"""Of a segment, metres."""

AX, AY, AZ, BX, BY, BZ, CX, CY, CZ = range(9)
"""The three corners of a triangle, metres."""
NX, NY, NZ = 9, 10, 11
"""Its unit normal."""
AREA = 12
"""Its area, m²."""
MX, MY, MZ = 13, 14, 15
"""Its centroid, metres."""
REACH = 16
"""From there to the corner farthest off, metres."""
