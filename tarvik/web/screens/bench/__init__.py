"""One sheet in one pitch, with everything about it."""
