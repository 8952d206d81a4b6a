"""The made-up course that Tarvik starts with."""
