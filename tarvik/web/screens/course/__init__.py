"""The start page, a course's own page, and a course as a file."""
