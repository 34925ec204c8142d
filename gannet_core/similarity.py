"""Track record: which past changes are like this one, and how they went (computation, §14).

Similarity = 0.40 same template + 0.30 Jaccard of CIs + 0.20 cosine of TF-IDF words of title
and plan + 0.10 same category. The summary of those chosen gives the failure rate with its
Wilson 95 % interval and how long they took against what was planned.
"""

import math
import unicodedata
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from fractions import Fraction
from functools import lru_cache

from gannet_core.measures import percentile

OUTCOMES = ("done", "with issues", "backed out", "failed")
MOST, ABOVE = 10, Decimal("0.25")
_TEMPLATE, _ITEMS, _WORDS, _CATEGORY = 0.40, 0.30, 0.20, 0.10
_BILLIONTH = Decimal("0.000000001")
# The two-sided 95 % point of the normal distribution.
_Z = 1.959963984540054


@dataclass(frozen=True, slots=True)
class Likeness:
    """What a change is compared by: its template, CIs, title and plan as one text, category."""

    template: str | None
    items: frozenset[str]
    text: str
    category: str | None


@dataclass(frozen=True, slots=True)
class Finished(Likeness):
    """A past change: when it ended, in epoch seconds, beside what it is compared by."""

    id: str
    finished_s: int


@dataclass(frozen=True, slots=True)
class Similar:
    """A past change and how like it is, above 0.25 and at most 1, to nine decimals."""

    id: str
    score: float
    same_template: bool
    common_items: tuple[str, ...]
    words: float
    same_category: bool


@dataclass(frozen=True, slots=True)
class Outing:
    """How one past change went: minutes planned and taken (or None), incidents within 5 days."""

    outcome: str
    planned_minutes: Fraction | None = None
    actual_minutes: Fraction | None = None
    incidents: int = 0


@dataclass(frozen=True, slots=True)
class Record:
    """A summary: counts, failure rate with its interval (0 to 1), median of actual / planned."""

    n: int
    failed: int
    with_issues: int
    rate: float | None
    low: float | None
    high: float | None
    ratio: float | None
    incidents: int


def words_of(text: str) -> list[str]:
    """The folded words of a text: runs of letters and digits, of two characters or more."""
    folded = unicodedata.normalize("NFC", unicodedata.normalize("NFC", text).casefold())
    spaced = "".join(char if _is_in_word(char) else " " for char in folded)
    return [word for word in spaced.split() if len(word) > 1]


@lru_cache(maxsize=4096)
def _is_in_word(char: str) -> bool:
    return unicodedata.category(char)[0] in "LN"


class Corpus:
    """Past changes made ready to be compared with, once for many questions."""

    def __init__(self, past: Sequence[Finished]) -> None:
        self._past = past
        self._texts = [Counter(words_of(one.text)) for one in past]
        known_in = Counter(word for words in self._texts for word in words)
        self._rarity = _Rarity(len(past), known_in)
        self._weighed = [self._rarity.weighed(words) for words in self._texts]

    def closest(self, change: Likeness) -> list[Similar]:
        """The ten that are most like a change, above 0.25.

        Equal scores: the later finished, then the smaller id.
        """
        own = self._rarity.weighed(Counter(words_of(change.text)))
        found: list[tuple[Decimal, int, str, Similar]] = []
        for one, weighed in zip(self._past, self._weighed, strict=True):
            common = change.items & one.items
            every = len(change.items | one.items)
            alike = _cosine(own, weighed)
            same_template = bool(change.template) and change.template == one.template
            same_category = bool(change.category) and change.category == one.category
            score = _rounded(
                _TEMPLATE * same_template
                + (_ITEMS * len(common) / every if every else 0)
                + _WORDS * alike
                + _CATEGORY * same_category
            )
            if score > ABOVE:
                similar = Similar(
                    one.id, float(score), same_template, tuple(sorted(common)), alike, same_category
                )
                found.append((-score, -one.finished_s, one.id, similar))
        found.sort(key=lambda entry: entry[:3])
        return [entry[3] for entry in found[:MOST]]


def rank(change: Likeness, past: Sequence[Finished]) -> list[Similar]:
    """The ten past changes that are most like this one, above 0.25."""
    return Corpus(past).closest(change)


class _Rarity:
    """Weights of words: how often in a text, and how few of the past texts know them."""

    def __init__(self, texts: int, known_in: Mapping[str, int]) -> None:
        self._texts, self._known_in = texts, known_in

    def weighed(self, words: Mapping[str, int]) -> dict[str, float]:
        return {
            word: often * (math.log((1 + self._texts) / (1 + self._known_in.get(word, 0))) + 1)
            for word, often in words.items()
        }


def _cosine(left: Mapping[str, float], right: Mapping[str, float]) -> float:
    if not left or not right:
        return 0.0
    product = math.fsum(weight * right[word] for word, weight in left.items() if word in right)
    lengths = math.hypot(*left.values()) * math.hypot(*right.values())
    return min(1.0, product / lengths)


def _rounded(score: float) -> Decimal:
    return Decimal(score).quantize(_BILLIONTH, rounding=ROUND_HALF_UP)


def summary(past: Iterable[Outing]) -> Record:
    """How the chosen past changes went; another outcome than the four is `ValueError`."""
    outings = list(past)
    for one in outings:
        if one.outcome not in OUTCOMES:
            raise ValueError(f"there is no outcome {one.outcome!r}")
    n = len(outings)
    failed = sum(one.outcome in ("backed out", "failed") for one in outings)
    with_issues = sum(one.outcome == "with issues" for one in outings)
    incidents = sum(one.incidents for one in outings)
    ratio = median_ratio(outings)
    if not n:
        return Record(0, 0, 0, None, None, None, ratio, incidents)
    counted = failed + Fraction(with_issues, 2)
    low, high = wilson(counted, n)
    return Record(n, failed, with_issues, float(counted / n), low, high, ratio, incidents)


def median_ratio(past: Collection[Outing]) -> float | None:
    """The median of taken / planned minutes, of those that have both; None when none has."""
    ratios = sorted(
        float(one.actual_minutes / one.planned_minutes)
        for one in past
        if one.actual_minutes is not None and one.planned_minutes and one.planned_minutes > 0
    )
    return percentile(ratios, 50) if ratios else None


def wilson(counted: Fraction, n: int) -> tuple[float, float]:
    """The Wilson 95 % interval of `counted` in `n` above 0, from 0 to 1."""
    x, square = float(counted), _Z * _Z
    centre = (x + square / 2) / (n + square)
    half = _Z / (n + square) * math.sqrt(x * (n - x) / n + square / 4)
    # At the ends the interval reaches them exactly; floats would miss by a hair.
    return (max(0.0, centre - half) if counted else 0.0), (
        min(1.0, centre + half) if counted < n else 1.0
    )
