"""The group's plan for a night."""
