"""Several shelters side by side."""
