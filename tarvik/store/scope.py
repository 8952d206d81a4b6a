"""Who is asking, and what of the database that one may see. The one place where queries are kept to
a provider.

The web sets the scope of each request; what runs for the server itself (workers, commands) has none
and sees everything.
"""

from __future__ import annotations

from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

from sqlalchemy import event, select, text
from sqlalchemy.orm import Session, with_loader_criteria

from tarvik.core.kept import keep_last
from tarvik.store.models import (
    Account,
    Attempt,
    Base,
    Course,
    HungShape,
    Night,
    Provider,
    Secret,
    Site,
)

if TYPE_CHECKING:
    from collections.abc import Iterator

    from sqlalchemy.engine import Connection
    from sqlalchemy.orm import ORMExecuteState, SessionTransaction, UOWTransaction


@dataclass(frozen=True)
class Scope:
    """A request's asker. `provider_id` 0: nobody's, so that nothing of any provider is found."""

    provider_id: int = 0
    account_id: int | None = None


NOBODY: Final = Scope()
SHARED: Final[tuple[Any, ...]] = (Attempt, HungShape, Secret)
"""What is nobody's: counts of tries by hash, shapes by content, and this server's secrets."""
_current: ContextVar[Scope | None] = ContextVar("tarvik_scope", default=None)


def current() -> Scope | None:
    """The scope of what runs now; None for the server itself."""
    return _current.get()


@contextmanager
def within(scope: Scope | None) -> Iterator[None]:
    """Run something within a scope."""
    mark = _current.set(scope)
    try:
        yield
    finally:
        _current.reset(mark)


def _criterion(kind: Any, provider_id: int) -> Any:
    """What makes a row of a table a provider's own, found by the column that leads to it; None
    where no column does.
    """
    columns = kind.__table__.columns
    if kind is Provider:
        return Provider.id == provider_id
    if "provider_id" in columns:
        return kind.provider_id == provider_id
    courses = select(Course.id).where(Course.provider_id == provider_id)
    if "course_id" in columns:
        return kind.course_id.in_(courses.scalar_subquery())
    for column, parent in (("night_id", Night), ("site_id", Site)):
        if column in columns:
            mine = select(parent.id).where(parent.course_id.in_(courses.scalar_subquery()))
            return getattr(kind, column).in_(mine.scalar_subquery())
    if "account_id" in columns:
        mine = select(Account.id).where(Account.provider_id == provider_id)
        return kind.account_id.in_(mine.scalar_subquery())
    return None


def kinds() -> list[Any]:
    """Every table's class."""
    return [mapper.class_ for mapper in Base.registry.mappers]


@keep_last(512)
def _own(provider_id: int) -> tuple[Any, ...]:
    """What keeps a query to one provider, whatever table it asks."""
    return tuple(
        with_loader_criteria(kind, _criterion(kind, provider_id), include_aliases=True)
        for kind in kinds()
        if kind not in SHARED
    )


def install(sessions: object) -> None:
    """Have every session of this kind keep its queries to the scope, and tell the database who
    makes changes.
    """

    @event.listens_for(sessions, "do_orm_execute")
    def _keep(state: ORMExecuteState) -> None:
        scope = current()
        if scope is None or state.is_column_load or state.is_relationship_load:
            return
        state.statement = state.statement.options(*_own(scope.provider_id))

    @event.listens_for(sessions, "after_flush")
    def _wrote(session: Session, _context: UOWTransaction) -> None:
        session.info["wrote"] = True

    @event.listens_for(sessions, "after_begin")
    def _tell(
        _session: Session, _transaction: SessionTransaction, connection: Connection
    ) -> None:
        scope = current()
        if scope is not None and scope.account_id is not None:
            connection.execute(
                text("select set_config('tarvik.account', :who, true)"),
                {"who": str(scope.account_id)},
            )
