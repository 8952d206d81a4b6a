"""Signing in and out, passwords, letters of invitation, one's own account."""
