"""Basis functions, the matrix, ports as tested fields, and the solve."""
