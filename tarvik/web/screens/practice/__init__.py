"""Practice: drills from the course's own kit and nights, and pitches timed at home."""
