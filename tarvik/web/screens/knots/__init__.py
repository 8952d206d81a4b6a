"""Every knot the pitches want."""
