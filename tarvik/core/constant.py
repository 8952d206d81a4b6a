"""Constants as records: value, unit, source and meaning. Docs and on-screen explanations are
derived from them.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

COMMON_PRACTICE: Final = "common practice"
ENGINEERING: Final = "engineering assumption"
EXACT: Final = "exact by definition"


@dataclass(frozen=True, slots=True)
class Constant:
    """One named number. `source` is a publication, `common practice`, `engineering assumption` or
    `from memory`.
    """

    name: str
    value: float
    unit: str
    source: str
    meaning: str

    def __float__(self) -> float:
        return self.value


_REGISTRY: dict[str, Constant] = {}


def constant(name: str, value: float, unit: str, source: str, meaning: str) -> float:
    """Record a constant and return its bare value. Raises ValueError when a name is used twice with
    another value.
    """
    record = Constant(name, float(value), unit, source, meaning)
    known = _REGISTRY.setdefault(name, record)
    if known != record:
        raise ValueError(f"constant {name} is recorded twice with different contents")
    return record.value


def all_constants() -> tuple[Constant, ...]:
    """Every constant recorded by the modules imported so far, by name."""
    return tuple(_REGISTRY[name] for name in sorted(_REGISTRY))


def constant_record(name: str) -> Constant:
    """The record of one constant. Raises KeyError for an unknown name."""
    return _REGISTRY[name]
