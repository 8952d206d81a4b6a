"""House rules and sites of a course."""
