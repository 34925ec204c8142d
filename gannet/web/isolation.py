"""Work done piece by piece, so that one piece that fails harms no other.

What failed is left alone for a while, longer each time, and kept with its words until it
succeeds, for whoever looks after the installation. It is kept in memory: after a restart
everything is tried again.
"""

import logging
import threading
from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

from django.db import transaction

Key = TypeVar("Key", bound=Hashable)
log = logging.getLogger(__name__)
FIRST_PAUSE_SECONDS = 2
LONGEST_PAUSE_SECONDS = 3_600


@dataclass(frozen=True)
class Trouble:
    """Something that failed: how often in a row, with what words, and until when it rests."""

    times: int
    words: str
    until_s: int


_troubles: dict[tuple[str, Hashable], Trouble] = {}
_lock = threading.Lock()


def attempt(name: str, key: Hashable, do: Callable[[], int | None], now_s: int) -> int:
    """Do one piece of some work; how much was done, which is nothing when it failed or rests."""
    known = _troubles.get((name, key))
    if known is not None and now_s < known.until_s:
        return 0
    try:
        done = do()
    except Exception as error:
        times = 1 if known is None else known.times + 1
        pause = min(FIRST_PAUSE_SECONDS * 2 ** (times - 1), LONGEST_PAUSE_SECONDS)
        words = f"{type(error).__name__}: {error}"[:300]
        with _lock:
            _troubles[name, key] = Trouble(times, words, now_s + pause)
        log.exception("%s %s failed, %s times now; again in %s s", name, key, times, pause)
        return 0
    if known is not None:
        with _lock:
            _troubles.pop((name, key), None)
    return 1 if done is None else done


def each(name: str, keys: Iterable[Key], do: Callable[[Key], object], now_s: int) -> int:
    """Do the same to several rows, each in a transaction of its own; how many went well."""

    def one(key: Key) -> int:
        with transaction.atomic():
            do(key)
        return 1

    return sum(attempt(name, key, partial(one, key), now_s) for key in keys)


def troubles(name: str) -> list[Trouble]:
    """What of some work fails at present, most often first."""
    with _lock:
        found = [trouble for (whose, _), trouble in _troubles.items() if whose == name]
    return sorted(found, key=lambda trouble: -trouble.times)


def forget() -> None:
    """Try everything again at once."""
    with _lock:
        _troubles.clear()
