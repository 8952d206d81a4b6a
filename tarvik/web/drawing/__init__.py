"""Drawings of solved shelters as SVG. Shapes say what colours say: stakes are numbered, panels
patterned by role.
"""
