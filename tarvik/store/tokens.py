"""Tokens: random, and kept as hashes, so that a copy of the database opens nothing."""

from __future__ import annotations

import hashlib


def hashed(token: str) -> str:
    """How a token is kept: its SHA-256."""
    return hashlib.sha256(token.encode("utf-8", "surrogatepass")).hexdigest()
