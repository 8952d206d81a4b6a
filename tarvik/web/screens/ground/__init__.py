"""The night's ground: survey, hazards, places for shelters."""
