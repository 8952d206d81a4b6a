"""A folder a screen: its routes, what they show, and its templates."""
