"""Typed errors: each names the field, the bad value and the remedy, so that a person can put it
right.
"""

from __future__ import annotations


class TarvikError(Exception):
    """Base of everything the core refuses."""


class InputError(TarvikError, ValueError):
    """A value that cannot be used. `field` is a path such as `sheet.width_m`; `message` says what
    to do.
    """

    def __init__(self, field: str, message: str) -> None:
        super().__init__(f"{field}: {message}")
        self.field = field
        self.message = message


class FoldError(TarvikError):
    """A fold that did not come out rigid: a fault in a pitch's description, never the user's."""
