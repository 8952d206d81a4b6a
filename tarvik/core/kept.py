"""Memories of what was worked out: each has a name and a limit, and counts how often it knew."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields, is_dataclass
from enum import Enum
from functools import lru_cache
from typing import TYPE_CHECKING, Final, TypeVar

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Hashable, Iterator
    from functools import _lru_cache_wrapper

    from _typeshed import DataclassInstance

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Use:
    """How a memory was used: what it holds and may hold at the most, how often it knew the answer,
    and how often not.
    """

    name: str
    held: int
    most: int
    hits: int
    misses: int


_MEMORIES: Final[dict[str, Callable[[], Use]]] = {}


def register(name: str, use: Callable[[], Use]) -> None:
    """Have a memory told of under a name; a later one of that name takes its place."""
    _MEMORIES[name] = use


def memories() -> list[Use]:
    """How every memory of this process was used, by name."""
    return sorted((use() for use in _MEMORIES.values()), key=lambda use: use.name)


def keep_last(most: int) -> Callable[[Callable[..., T]], _lru_cache_wrapper[T]]:
    """Keep the answers to the last `most` different questions that a function was asked. Its memory
    has the function's name, module first.
    """

    def keeping(function: Callable[..., T]) -> _lru_cache_wrapper[T]:
        asked = lru_cache(maxsize=most)(function)
        name = f"{function.__module__}.{function.__qualname__}".removeprefix("tarvik.")

        def use() -> Use:
            hits, misses, _, held = asked.cache_info()
            return Use(name, held, most, hits, misses)

        register(name, use)
        return asked

    return keeping


def key_of(value: object, without: Collection[str] = ()) -> Hashable:
    """What makes two values the same: all fields of a dataclass but those named. What has a slug is
    known by it. Raises KeyError for a name that is no field, TypeError for what makes no key.
    """
    if is_dataclass(value) and not isinstance(value, type):
        parts = ((name, _key_of_part(part)) for name, part in _parts(value, without))
        return (type(value).__name__, *parts)
    return _key_of_part(value)


def _parts(
    value: DataclassInstance, without: Collection[str]
) -> Iterator[tuple[str, object]]:
    """Fields of a dataclass by name. Raises KeyError where one of those left out is none."""
    names = [field.name for field in fields(value)]
    for name in without:
        if name not in names:
            raise KeyError(name)
    return ((name, getattr(value, name)) for name in names if name not in without)


def _key_of_part(value: object) -> Hashable:
    slug = getattr(value, "slug", None)
    if isinstance(slug, str):
        return slug
    if isinstance(value, Mapping):
        return tuple(sorted((k, _key_of_part(v)) for k, v in value.items()))
    if isinstance(value, list | tuple):
        return tuple(_key_of_part(v) for v in value)
    try:
        hash(value)
    except TypeError:
        if not is_dataclass(value):
            raise
        return key_of(value)
    return value


DIGITS: Final = 4
"""Numbers that differ less than this many places behind the point make the same plain value."""


def plain_of(value: object, without: Collection[str] = ()) -> object:
    """The fields of a value but those named, as lists, texts and numbers that can be written down:
    the same for values that are as good as the same. Raises KeyError for a name that is no field,
    TypeError for what cannot be written down.
    """
    if is_dataclass(value) and not isinstance(value, type):
        return [[name, plain_of(part)] for name, part in _parts(value, without)]
    if isinstance(value, Mapping):
        return sorted([plain_of(k), plain_of(v)] for k, v in value.items())
    if isinstance(value, np.ndarray):
        return (np.round(value, DIGITS) + 0.0).tolist()
    if isinstance(value, list | tuple):
        return [plain_of(part) for part in value]
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, float):
        return round(value, DIGITS) + 0.0
    if value is None or isinstance(value, bool | int | str):
        return value
    raise TypeError(f"{type(value).__name__} cannot be written down")
