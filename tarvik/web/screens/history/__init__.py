"""What was changed in a course, by whom, and bringing it back."""
