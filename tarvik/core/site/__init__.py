"""The ground: surveyed, its hazards found, shelters placed on it. x is east, y is north, metres."""
