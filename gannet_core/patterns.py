"""Patterns: what comes more often of late than it used to (computation, §15).

Each thing – a CI, or a service with a category – is counted in the last fortnight and in
the twelve weeks before. How likely so many are by chance is the upper tail of the Poisson
distribution with the usual number as its mean.
"""

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from functools import lru_cache

from gannet_core.suggest import words_of

RECENT_DAYS, BEFORE_DAYS = 14, 84
FEWEST, RARE = 3, 0.02
# A pattern that somebody has dismissed is shown again when it has grown by half.
_GROWN = Fraction(3, 2)
_MILLIONTH = Decimal("0.000001")


@dataclass(frozen=True, slots=True)
class Counted:
    """One thing that incidents are counted of: recent in 14 days, before in the 84 earlier."""

    key: str
    recent: int
    before: int


@dataclass(frozen=True, slots=True)
class Pattern:
    """A thing that stands out: its count, what is usual in 14 days, and P of that by chance."""

    key: str
    recent: int
    usual: float
    p: float

    @property
    def once_in(self) -> int:
        """In how many fortnights chance alone would make as many once; at least 1."""
        return max(1, round(1 / self.p)) if self.p > 0 else 10**9


@dataclass(frozen=True, slots=True)
class Examined:
    """What stands out, strongest first, among how many, and how many chance would show."""

    patterns: tuple[Pattern, ...]
    examined: int
    by_chance: float


def usual(before: int) -> float:
    """The number usual in a fortnight, from that of the 84 days before: never nought."""
    return before / BEFORE_DAYS * RECENT_DAYS + 0.5


def tail(mean: float, count: int) -> float:
    """P(X ≥ count) of a Poisson number with a mean above 0, exact to double precision.

    The smaller of the two sides is summed, so that neither large means nor far tails
    lose what they are made of.
    """
    if count <= 0:
        return 1.0
    if count > mean:
        return min(1.0, _summed(mean, count, 1))
    return max(0.0, 1.0 - _summed(mean, count - 1, -1))


def _summed(mean: float, start: int, way: int) -> float:
    """The sum of the terms from one on, upwards or downwards, until they no longer count."""
    term = math.exp(start * math.log(mean) - mean - math.lgamma(start + 1))
    found, at = 0.0, start
    while at >= 0 and term > found * 1e-17:
        found += term
        term = term * mean / (at + 1) if way > 0 else term * at / mean
        at += way
    return found


def is_shown(recent: int, p: float) -> bool:
    """Whether a count is worth a look: at least three, and rarer than two in a hundred."""
    return recent >= FEWEST and p < RARE


@lru_cache(maxsize=4096)
def _chance_of_showing(mean: float) -> float:
    """How likely a thing with this usual number would be shown though nothing is the matter."""
    count = max(FEWEST, int(mean))
    while (p := tail(mean, count)) >= RARE:
        count += 1
    return p


def examine(counted: Iterable[Counted]) -> Examined:
    """Look through all that was counted; equal chances in order of the larger count, then key."""
    found, examined, by_chance = [], 0, 0.0
    for one in counted:
        mean = usual(one.before)
        examined += 1
        by_chance += _chance_of_showing(mean)
        if one.recent < FEWEST:
            continue
        p = tail(mean, one.recent)
        if is_shown(one.recent, p):
            found.append(Pattern(one.key, one.recent, mean, p))
    found.sort(key=lambda pattern: (pattern.p, -pattern.recent, pattern.key))
    return Examined(tuple(found), examined, by_chance)


def common_words(texts: Sequence[str], most: int = 4) -> list[tuple[str, int]]:
    """The words that most of the texts share, with in how many each stands; once is not shared."""
    counts = Counter(word for text in texts for word in set(words_of(text)))
    shared = [(word, count) for word, count in counts.items() if count > 1 and not word.isdigit()]
    return sorted(shared, key=lambda pair: (-pair[1], pair[0]))[:most]


def has_grown(dismissed_at: int, now: int) -> bool:
    """Whether a dismissed pattern is to be shown again: it has grown by half of what it was."""
    return now >= dismissed_at * _GROWN


def rounded(p: float) -> float:
    """A probability to six decimals, half up."""
    return float(Decimal(p).quantize(_MILLIONTH, rounding=ROUND_HALF_UP))


def as_json(recent: int, before: int) -> Mapping[str, float | bool]:
    """One tail as the shared cases tell it."""
    mean = usual(before)
    p = tail(mean, recent)
    return {"lambda": mean, "p": rounded(p), "shown": is_shown(recent, p)}
