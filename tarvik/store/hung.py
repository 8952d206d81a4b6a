"""Hung shapes, kept by content: one once worked out is never worked out again."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from tarvik.store.models import HungShape

if TYPE_CHECKING:
    from collections.abc import Collection

    from sqlalchemy.orm import Session

    from tarvik.core.plain import JsonMapping, JsonObject


def told(session: Session, keys: Collection[str]) -> dict[str, JsonObject]:
    """The accounts of the shapes that are known, by key."""
    if not keys:
        return {}
    query = select(HungShape.key, HungShape.told).where(HungShape.key.in_(list(keys)))
    return {key: dict(value) for key, value in session.execute(query)}


def nodes(session: Session, key: str) -> bytes | None:
    """Where the nodes of a known shape hang; None when it is not known."""
    return session.scalar(select(HungShape.nodes).where(HungShape.key == key))


def keep(
    session: Session, key: str, value: JsonMapping, places: bytes | None = None
) -> None:
    """Keep a shape; one that is there stays as it is."""
    row = {"key": key, "told": dict(value), "nodes": places}
    session.execute(insert(HungShape).values(row).on_conflict_do_nothing())
