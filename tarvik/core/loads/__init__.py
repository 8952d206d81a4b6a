"""Loads: wind on panels, forces in lines, poles and stakes, ridge tension. Estimates, never a
guarantee.
"""
