"""Packing: what the course takes along, the cord to cut, and who carries what."""
