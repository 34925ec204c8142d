"""Turns: many want to write one file, each waits for those who came before.

In a process the waiting stand in a queue; the first of each process's queue waits for the
lock on a file beside the database, which the system gives in the order of asking.
"""

import fcntl
import os
from collections import deque
from functools import cache
from pathlib import Path
from threading import Lock


class TurnTimeoutError(Exception):
    """Whoever had the turn has kept it for longer than somebody was ready to wait."""


class Turns:
    """Who may write a file next, over all threads and processes."""

    def __init__(self, file: Path) -> None:
        self._file = file
        self._descriptor: int | None = None
        self._process = 0
        self._guard = Lock()
        self._is_taken = False
        self._waiting: deque[Lock] = deque()

    def take(self, patience: float) -> None:
        """Wait for the turn; `TurnTimeoutError` after so many seconds in this queue."""
        with self._guard:
            mine: Lock | None = None
            if self._is_taken:
                mine = Lock()
                mine.acquire()
                self._waiting.append(mine)
            self._is_taken = True
        if mine is not None and not mine.acquire(timeout=patience):
            with self._guard:
                if mine in self._waiting:
                    self._waiting.remove(mine)
                    raise TurnTimeoutError(f"nobody let go within {patience:g} s")
        try:
            fcntl.flock(self._open(), fcntl.LOCK_EX)
        except BaseException:
            self._next()
            raise

    def end(self) -> None:
        """Let the next one in."""
        fcntl.flock(self._open(), fcntl.LOCK_UN)
        self._next()

    @property
    def waiting(self) -> int:
        """How many of this process wait."""
        return len(self._waiting)

    def _next(self) -> None:
        with self._guard:
            if self._waiting:
                self._waiting.popleft().release()
            else:
                self._is_taken = False

    def _open(self) -> int:
        if self._descriptor is None or self._process != os.getpid():
            # A child process has the lock of its parent if they share what is open.
            name = self._file.with_name(f"{self._file.name}-turn")
            self._descriptor = os.open(name, os.O_RDWR | os.O_CREAT, 0o600)
            self._process = os.getpid()
        return self._descriptor


@cache
def turns_of(file: Path) -> Turns:
    """The turns at a file, the same for everybody in this process."""
    return Turns(file)
