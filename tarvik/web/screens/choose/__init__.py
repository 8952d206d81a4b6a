"""Choosing a shelter for a sheet."""
