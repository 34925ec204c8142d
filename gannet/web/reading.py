"""What is read once for a request that only reads: the edition in force, say.

While a request is answered that writes nothing, what it has read stays true for it. An act
does not take part: what it reads may be what it has just written.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, TypeVar

_T = TypeVar("_T")
_read: ContextVar[dict[str, Any] | None] = ContextVar("read in this request", default=None)


@contextmanager
def one_reading() -> Iterator[None]:
    """Within it, what is read by `read_once` is read once."""
    token = _read.set({})
    try:
        yield
    finally:
        _read.reset(token)


def read_once(name: str, read: Callable[[], _T]) -> _T:
    """What `read` gives; within one reading it is asked for each name but once."""
    known = _read.get()
    if known is None:
        return read()
    if name not in known:
        known[name] = read()
    found: _T = known[name]
    return found
