"""Who leads a course, and in which role."""
