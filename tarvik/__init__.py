"""Tarvik: which pitch each sheet can form, what room it gives, and a plan for the whole group."""

__version__ = "0.1.0"
