"""Reading mail in a process of its own, with a deadline and bounded memory.

What a message makes of the standard library's parsers, only reading it can tell. So it is
read where it harms nobody: no lock is held, and a reader that takes too long, or more
memory than a message needs, is ended and its message set aside.

The two ends speak in frames: eight bytes of length, then that many bytes.
"""

import json
import resource
import struct
import subprocess
import sys
import threading
from pathlib import Path
from typing import IO, Any, Final

from gannet.messages.reading import File, ReadMail, as_sent, read_mail

SECONDS: Final = 20
_MEMORY_BYTES: Final = 1_500_000_000
_LENGTH: Final = struct.Struct(">Q")
_ROOT: Final = Path(__file__).resolve().parents[2]


class UnreadableMail(Exception):
    """A message that could not be read in its time; it says why, for whoever looks at it."""


class Reader:
    """One reading process, started when it is needed; used by one thread at a time."""

    def __init__(self, seconds: float = SECONDS) -> None:
        self._seconds = seconds
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    def read(self, raw: bytes) -> ReadMail:
        """What is read of a message; `UnreadableMail` when that ends badly or not at all."""
        with self._lock:
            process = self._started()
            is_late = threading.Event()

            def give_up() -> None:
                is_late.set()
                process.kill()

            timer = threading.Timer(self._seconds, give_up)
            timer.start()
            try:
                return _asked(process, raw)
            except (OSError, EOFError, ValueError, struct.error) as error:
                self.stop()
                raise UnreadableMail(
                    f"Reading it took more than {self._seconds:g} seconds."
                    if is_late.is_set()
                    else "Reading it ended badly."
                ) from error
            finally:
                timer.cancel()

    def stop(self) -> None:
        """End the process; the next message starts another."""
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        process.wait()
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                pipe.close()

    def _started(self) -> "subprocess.Popen[bytes]":
        if self._process is None or self._process.poll() is not None:
            self.stop()
            self._process = subprocess.Popen(
                [sys.executable, "-m", "gannet.messages.reader"],
                cwd=_ROOT,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
        return self._process


def _asked(process: "subprocess.Popen[bytes]", raw: bytes) -> ReadMail:
    if process.stdin is None or process.stdout is None:
        raise OSError("the reader has no pipes")
    _write(process.stdin, raw)
    said: dict[str, Any] = json.loads(_read(process.stdout))
    if "failed" in said:
        raise ValueError(said["failed"])
    files = [File(name, kind, _read(process.stdout)) for name, kind, _ in said.pop("files")]
    return ReadMail(**said, files=files)


def _write(pipe: IO[bytes], content: bytes) -> None:
    pipe.write(_LENGTH.pack(len(content)))
    pipe.write(content)
    pipe.flush()


def _read(pipe: IO[bytes]) -> bytes:
    (length,) = _LENGTH.unpack(pipe.read(_LENGTH.size))
    content = pipe.read(length)
    if len(content) != length:
        raise EOFError("the other end is gone")
    return content


def serve() -> None:
    """The reading end: message after message, until nobody asks any more."""
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY_BYTES, _MEMORY_BYTES))
    asks, answers = sys.stdin.buffer, sys.stdout.buffer
    while True:
        head = asks.read(_LENGTH.size)
        if len(head) < _LENGTH.size:
            return
        raw = asks.read(_LENGTH.unpack(head)[0])
        contents: list[bytes] = []
        try:
            said, contents = as_sent(read_mail(raw))
        except (Exception, RecursionError) as error:
            said = {"failed": f"{type(error).__name__}"}
        _write(answers, json.dumps(said).encode())
        for content in contents:
            _write(answers, content)


reader = Reader()

if __name__ == "__main__":
    serve()
