"""Drills: questions made from a course's own kit and nights, answered by the engine."""
