"""The camp sheet, on screen, on paper and as files."""
