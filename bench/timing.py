"""Timing in turns: both sides of a ratio see the same machine."""

import statistics
import time
from collections.abc import Callable


def best(does: Callable[[], object], rounds: int = 5) -> float:
    """The shortest of some runs, in seconds: the one the machine disturbed least."""
    return min(_once(does) for _ in range(rounds))


def in_turns(
    left: Callable[[], object], right: Callable[[], object], rounds: int = 15
) -> tuple[float, float]:
    """The medians of two things run in turns, in seconds."""
    lefts, rights = [], []
    for _ in range(rounds):
        lefts.append(_once(left))
        rights.append(_once(right))
    return statistics.median(lefts), statistics.median(rights)


def _once(does: Callable[[], object]) -> float:
    started = time.perf_counter()
    does()
    return time.perf_counter() - started


def verdict(name: str, ratio: float, goal: str, *, is_met: bool) -> str:
    return f"{name:<58} {ratio:>9.2f}   goal {goal:<10} {'met' if is_met else 'MISSED'}"


def cpu_of(do: Callable[[], object]) -> float:
    """Seconds of CPU that something takes, once."""
    began = time.process_time()
    do()
    return time.process_time() - began
