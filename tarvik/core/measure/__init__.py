"""Figures of a solved shelter: headroom, covered and dry ground, sleepers, sections, runoff.
Shelter in, figures out.
"""
