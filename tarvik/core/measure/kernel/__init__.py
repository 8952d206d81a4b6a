"""Compiled inner loops: plane polygon work on small convex polygons. Used only by the modules above
them.
"""

from tarvik.core.compiled import compiled

__all__ = ["compiled"]
