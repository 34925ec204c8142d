"""Connections that do not get on with it: a head has to come in time, a dead reader is cut."""

import asyncio
import contextlib
import socket
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol

from gannet.edge.limits import Limits

_LIMITS = Limits()


class PromptProtocol(H11Protocol):
    """uvicorn's, with a deadline for the head of each request."""

    def __init__(self, *given: Any, **more: Any) -> None:
        super().__init__(*given, **more)
        self._head_timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        found = transport.get_extra_info("socket")
        if found is not None and found.family in (socket.AF_INET, socket.AF_INET6):
            with contextlib.suppress(OSError):
                # Sent and never taken: the system ends the connection by itself.
                milliseconds = int(_LIMITS.unread_seconds * 1000)
                found.setsockopt(socket.IPPROTO_TCP, socket.TCP_USER_TIMEOUT, milliseconds)
        self._wait_for_head()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        if self.conn.their_state is h11.IDLE:
            self._wait_for_head()
        else:
            self._head_came()

    def connection_lost(self, exc: Exception | None) -> None:
        self._head_came()
        super().connection_lost(exc)

    def _wait_for_head(self) -> None:
        if self._head_timer is None:
            self._head_timer = self.loop.call_later(_LIMITS.head_seconds, self._no_head)

    def _head_came(self) -> None:
        if self._head_timer is not None:
            self._head_timer.cancel()
            self._head_timer = None

    def _no_head(self) -> None:
        self._head_timer = None
        if self.conn.their_state is h11.IDLE and not self.transport.is_closing():
            self.transport.close()
