"""Plans for the group."""
