"""Rigging: what carries the high points, which lines and stakes that takes, and what is short."""
