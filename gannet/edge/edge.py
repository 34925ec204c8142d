"""The edge: bodies come whole before anything is done, answers leave at their reader's pace."""

import asyncio
from collections import Counter
from collections.abc import Collection

from gannet.edge.limits import Limits
from gannet.edge.problems import Application, Message, Receive, Scope, Send, refuse
from gannet.edge.spool import Room, Spool, SpoolFull

_HAS_BODY = frozenset({"POST", "PUT", "PATCH", "DELETE"})
_KEPT = "Nothing was changed, and what you typed is kept."


class _TooLarge(Exception):
    pass


class _TooSlow(Exception):
    pass


class _Left(Exception):
    """The client went away while it was sending."""


class Edge:
    """ASGI: passes whole requests on, and answers as fast as they are read.

    `streams` are paths whose answers go on for as long as they are read; they are passed
    on as they are.
    """

    def __init__(
        self,
        application: Application,
        limits: Limits | None = None,
        streams: Collection[str] = (),
    ) -> None:
        self._application = application
        self._limits = limits or Limits()
        self._streams = frozenset(streams)
        self._room = Room(self._limits.spool_bytes)
        self._at_once: Counter[str] = Counter()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._application(scope, receive, send)
            return
        # "A_B" and "A-B" become one in what the application reads: the first is a forgery.
        scope["headers"] = [pair for pair in scope["headers"] if b"_" not in pair[0]]
        if scope["path"] in self._streams:
            await self._application(scope, receive, send)
            return
        address = (scope.get("client") or ("",))[0]
        if self._at_once[address] >= self._limits.at_once_from_one:
            await refuse(
                send, 429, f"Too much comes from your address at once. {_KEPT}", again_in=2
            )
            return
        if self._at_once.total() >= self._limits.at_once:
            await refuse(send, 503, f"Too many are asking at once. {_KEPT}", again_in=2)
            return
        self._at_once[address] += 1
        try:
            await self._whole(scope, receive, send)
        finally:
            self._at_once[address] -= 1
            if not self._at_once[address]:
                del self._at_once[address]

    async def _whole(self, scope: Scope, receive: Receive, send: Send) -> None:
        body = Spool(self._limits.memory_bytes, self._room)
        try:
            if scope["method"] in _HAS_BODY or _said_length(scope):
                await self._read_body(scope, receive, body)
            body.end()
            await self._answer(scope, body, receive, send)
        except _TooLarge:
            most = self._most(scope) // 1_048_576
            await refuse(send, 413, f"At most {most} MB fit. {_KEPT}")
        except _TooSlow:
            await refuse(send, 408, f"It came too slowly to be taken. {_KEPT}")
        except SpoolFull:
            await refuse(send, 503, f"There is no room for it at the moment. {_KEPT}", again_in=10)
        except ValueError:
            await refuse(send, 400, "The length that it says it has is no number.")
        except _Left:
            return
        finally:
            body.close()

    async def _read_body(self, scope: Scope, receive: Receive, body: Spool) -> None:
        most = self._most(scope)
        if _said_length(scope) > most:
            raise _TooLarge
        loop = asyncio.get_running_loop()
        begun, size = loop.time(), 0
        while True:
            rest = self._limits.rest_seconds
            left = begun + rest + size / self._limits.bytes_per_second - loop.time()
            try:
                message = await asyncio.wait_for(receive(), max(0.001, min(rest, left)))
            except TimeoutError as error:
                raise _TooSlow from error
            if message["type"] == "http.disconnect":
                raise _Left
            piece = message.get("body", b"")
            size += len(piece)
            if size > most:
                raise _TooLarge
            await body.write(piece)
            if not message.get("more_body", False):
                return

    def _most(self, scope: Scope) -> int:
        kind = next((value for name, value in scope["headers"] if name == b"content-type"), b"")
        is_upload = kind.lower().startswith(b"multipart/form-data")
        return self._limits.upload_bytes if is_upload else self._limits.body_bytes

    async def _answer(self, scope: Scope, body: Spool, receive: Receive, send: Send) -> None:
        answer = _Answer(self._limits, self._room, send)
        leaving = asyncio.create_task(answer.leave())

        async def whole() -> Message:
            piece = await body.read()
            if piece is None:
                return {"type": "http.request", "body": b"", "more_body": False}
            return {"type": "http.request", "body": piece, "more_body": True}

        try:
            await self._application(scope, whole, answer.put)
            answer.end()
            await asyncio.wait({leaving})
            if answer.failure is not None:
                if not answer.has_begun:
                    raise answer.failure
                # What was sent so far is cut, so that nobody takes it for the whole.
                raise ConnectionError("the answer was not read in time") from answer.failure
        finally:
            if not leaving.done():
                leaving.cancel()
                await asyncio.wait({leaving})
            answer.close()


class _Answer:
    """An answer on its way: the application puts it down at once, its reader takes it later.

    Putting down never fails and never waits for the reader: the thread that does it must
    not be held, nor left in the middle.
    """

    def __init__(self, limits: Limits, room: Room, send: Send) -> None:
        self._limits = limits
        self._send = send
        self._spool = Spool(limits.memory_bytes, room)
        self._head: asyncio.Future[Message] = asyncio.get_running_loop().create_future()
        self.failure: Exception | None = None
        self.has_begun = False

    async def put(self, message: Message) -> None:
        if self.failure is not None:
            return
        if message["type"] == "http.response.start":
            if not self._head.done():
                self._head.set_result(message)
        elif message["type"] == "http.response.body":
            try:
                await self._spool.write(message.get("body", b""))
            except (SpoolFull, OSError) as error:
                self.failure = error

    def end(self) -> None:
        self._spool.end()
        if not self._head.done():
            self._head.cancel()

    async def leave(self) -> None:
        """Send what was put down, as fast as it is read."""
        try:
            head = await self._head
            self.has_begun = True
            await self._in_time(head)
            while (piece := await self._spool.read()) is not None:
                if self.failure is not None:
                    return
                await self._in_time(
                    {"type": "http.response.body", "body": piece, "more_body": True}
                )
            await self._in_time({"type": "http.response.body", "body": b""})
        except (TimeoutError, OSError) as error:
            self.failure = error

    async def _in_time(self, message: Message) -> None:
        await asyncio.wait_for(self._send(message), self._limits.unread_seconds)

    def close(self) -> None:
        self._spool.close()


def _said_length(scope: Scope) -> int:
    for name, value in scope["headers"]:
        if name == b"content-length":
            if not value.isdigit() or len(value) > 18:
                raise ValueError(value)
            return int(value)
        if name == b"transfer-encoding":
            return 1
    return 0
