"""A night's weather and needs, and what they lead to."""
