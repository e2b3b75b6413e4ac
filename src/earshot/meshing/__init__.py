"""Segments and triangles of what is described."""
