"""Speaking to the network, which takes as long as the other end likes.

Whoever holds the write lock meanwhile stops everybody – and stops for good when the other
end needs the lock to answer, as the stand-in mail server does. So it is refused.
"""

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection


class HoldsTheLock(RuntimeError):
    """Somebody would speak to the network inside a transaction: a fault of ours."""


@contextmanager
def speaking(with_what: str) -> Iterator[None]:
    """Wraps every connection that is opened to something outside."""
    if getattr(connection, "atomic_blocks", None) and not _is_a_test_s_own():
        raise HoldsTheLock(f"{with_what} is spoken to inside a transaction")
    yield


# How many blocks a test wraps around what it tries; none outside tests.
tests_own_blocks = 0


def _is_a_test_s_own() -> bool:
    return len(connection.atomic_blocks) <= tests_own_blocks
