"""How much, how long, and how many at once."""

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Limits:
    """Bounds of what is taken from the network; a settings file may have others."""

    # The largest body: of JSON and small forms, and of an upload with its form.
    body_bytes: int = 5 * 1024 * 1024
    upload_bytes: int = 11 * 1024 * 1024
    # A body may rest this long; a whole one may come as slowly as a ship's link sends.
    rest_seconds: float = 20
    bytes_per_second: int = 8 * 1024
    # The head of a request is short: it comes at once, or not at all.
    head_seconds: float = 15
    # Requests being sent or answered, of one address and of all.
    at_once_from_one: int = 128
    at_once: int = 1_000
    # Kept in memory of one body or answer; what is more goes into a temporary file.
    memory_bytes: int = 512 * 1024
    # Answers that wait in temporary files for slow readers, all together.
    spool_bytes: int = 512 * 1024 * 1024
    # A reader that takes nothing for so long is gone.
    unread_seconds: float = 60
