"""Bytes that wait: a little in memory, the rest in a temporary file, first in first out."""

import asyncio
import tempfile
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import IO

# Reading and writing temporary files must not hold up the event loop.
_disk = ThreadPoolExecutor(max_workers=2, thread_name_prefix="spool")
_CHUNK = 256 * 1024


class SpoolFull(Exception):
    """More waits than there is room for."""


class Room:
    """What all spools together may hold in files."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held = 0

    def take(self, size: int) -> None:
        if self._held + size > self._most:
            raise SpoolFull
        self._held += size

    def give_back(self, size: int) -> None:
        self._held -= size


class Spool:
    """A pipe whose writing end never waits for its reading end.

    In order of age: the first pieces in memory, then what is in the file, then the last
    pieces, which go to the file together once they are worth it.
    """

    def __init__(self, memory_bytes: int, room: Room) -> None:
        self._memory = memory_bytes
        self._room = room
        self._first: deque[bytes] = deque()
        self._first_size = 0
        self._last: list[bytes] = []
        self._last_size = 0
        self._file: IO[bytes] | None = None
        self._written = self._read = 0
        self._changed = asyncio.Event()
        self._lock = asyncio.Lock()
        self._is_ended = False

    async def write(self, content: bytes) -> None:
        """Add bytes; `SpoolFull` when there is no room for them anywhere."""
        if not content:
            return
        async with self._lock:
            is_over = self._written > self._read or self._last_size
            if not is_over and self._first_size + len(content) <= self._memory:
                self._first.append(content)
                self._first_size += len(content)
            else:
                self._room.take(len(content))
                self._last.append(content)
                self._last_size += len(content)
                if self._last_size >= _CHUNK:
                    await self._to_file()
        self._changed.set()

    def end(self) -> None:
        """Nothing more comes."""
        self._is_ended = True
        self._changed.set()

    async def read(self) -> bytes | None:
        """The next bytes, once there are any; None when all have been read."""
        while True:
            async with self._lock:
                if self._first:
                    piece = self._first.popleft()
                    self._first_size -= len(piece)
                    return piece
                if self._written > self._read:
                    piece = await self._run(self._next)
                    self._read += len(piece)
                    self._room.give_back(len(piece))
                    return piece
                if self._last:
                    piece = b"".join(self._last)
                    self._room.give_back(len(piece))
                    self._last, self._last_size = [], 0
                    return piece
                if self._is_ended:
                    return None
                self._changed.clear()
            await self._changed.wait()

    def close(self) -> None:
        self._room.give_back(self._written - self._read + self._last_size)
        self._read, self._last_size = self._written, 0
        self._first.clear()
        self._last.clear()
        if self._file is not None:
            self._file.close()
            self._file = None

    async def _to_file(self) -> None:
        content = b"".join(self._last)
        await self._run(self._append, content)
        self._written += len(content)
        self._last, self._last_size = [], 0

    def _append(self, content: bytes) -> bytes:
        if self._file is None:
            self._file = tempfile.TemporaryFile(prefix="gannet-")  # noqa: SIM115
        self._file.seek(self._written)
        self._file.write(content)
        return b""

    def _next(self) -> bytes:
        if self._file is None:
            return b""
        self._file.seek(self._read)
        return self._file.read(min(_CHUNK, self._written - self._read))

    @staticmethod
    async def _run(do: Callable[..., bytes], *given: object) -> bytes:
        return await asyncio.get_running_loop().run_in_executor(_disk, do, *given)
