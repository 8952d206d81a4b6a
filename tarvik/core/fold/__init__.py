"""From a crease pattern on the flat sheet to the taut shape in the world."""
