"""The fabric as it really hangs: from the taut fold to the shape in which weight, pulls and wind
balance.
"""
