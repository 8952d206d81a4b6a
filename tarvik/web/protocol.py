"""Connections that say nothing, or half a request, are closed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

if TYPE_CHECKING:
    from asyncio import TimerHandle

HEAD_WITHIN_S: Final = 10.0
"""A connection's first request, and each next one once its first byte has come, has to be there
down to its last header by then.
"""


class PatientProtocol(H11Protocol):
    """HTTP as uvicorn speaks it, with an end to patience."""

    _head_timer: TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """The first request is awaited."""
        super().connection_made(transport)
        self._await_head()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing is awaited any more."""
        self._head_came()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Part of a request came; what follows of its head is awaited, but not for ever."""
        if self._head_timer is None and self.conn.their_state is h11.IDLE:
            self._await_head()
        super().data_received(data)
        if self.conn.their_state is not h11.IDLE:
            self._head_came()

    def on_response_complete(self) -> None:
        """Between requests the connection is kept as long as uvicorn keeps idle ones."""
        super().on_response_complete()
        self._head_came()

    def _await_head(self) -> None:
        self._head_timer = self.loop.call_later(HEAD_WITHIN_S, self._give_up)

    def _head_came(self) -> None:
        if self._head_timer is not None:
            self._head_timer.cancel()
            self._head_timer = None

    def _give_up(self) -> None:
        self._head_timer = None
        if not self.transport.is_closing():
            self.transport.abort()
