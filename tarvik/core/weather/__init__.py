"""Weather as it acts on a shelter."""
