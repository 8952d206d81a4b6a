"""Findings: what is wrong or worth knowing, where, and what to do about it. A user sees all of them
at once.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable


class Level(IntEnum):
    """How grave a finding is; a higher number is graver."""

    NOTE = 0
    CAUTION = 1
    STOPS = 2


@dataclass(frozen=True, slots=True)
class Finding:
    """One finding. `element` names what it is about: an hour, a mat, a stake, a field."""

    code: str
    element: str
    message: str
    remedy: str = ""
    level: Level = Level.CAUTION


def gravest(findings: Iterable[Finding]) -> Finding | None:
    """The gravest finding, the first of equals; None when there is none."""
    return max(findings, key=lambda f: f.level, default=None)
