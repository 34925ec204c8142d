"""Articles: how surely one helps, where it stands for a query, and what a search forgives (§21)."""

import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from gannet_core.similarity import wilson

UNVOTED, OWN_SERVICE, LEAST_FRESH = 0.3, 1.25, 0.5
# Freshness falls by a tenth a month of 30 days once its review date has passed.
MONTH_S, A_MONTH = 30 * 86_400, 0.1
SAVED_WITHIN_S = 86_400
# A word of so many letters forgives one slip, one of so many two.
ONE_SLIP, TWO_SLIPS = 4, 8


def interval(helped: int, not_helped: int) -> tuple[float, float]:
    """The Wilson 95 % interval of the share that was helped; 0 to 1 without votes."""
    many = helped + not_helped
    return wilson(Fraction(helped), many) if many else (0.0, 1.0)


def helpfulness(helped: int, not_helped: int) -> float:
    """The lower end of that interval; 0.3 without votes."""
    return interval(helped, not_helped)[0] if helped + not_helped else UNVOTED


def freshness(review_s: int | None, now_s: int) -> float:
    """1 until the review date (or without one), then less by a tenth a month, at least 0.5."""
    if review_s is None or now_s <= review_s:
        return 1.0
    return max(LEAST_FRESH, 1.0 - A_MONTH * (now_s - review_s) / MONTH_S)


@dataclass(frozen=True, slots=True)
class Hit:
    """An article that a search found: its text score, votes, service, and when it is reviewed."""

    number: int
    text: float
    helped: int = 0
    not_helped: int = 0
    service: int | None = None
    review_s: int | None = None


@dataclass(frozen=True, slots=True)
class Ranked:
    """Where an article stands, and the parts whose product that is."""

    number: int
    score: float
    text: float
    helps: float
    service: float
    fresh: float

    def explain(self) -> list[dict[str, Any]]:
        """The parts in words, each with its factor."""
        return [
            {"part": "words", "factor": self.text},
            {"part": "helpfulness", "factor": 0.5 + self.helps},
            {"part": "service", "factor": self.service},
            {"part": "freshness", "factor": self.fresh},
        ]


def rank(hits: Iterable[Hit], services: Collection[int], now_s: int) -> list[Ranked]:
    """Articles in their order for a query: text × (0.5 + helpfulness) × service × freshness.

    Text scores are scaled to the best hit; `services` are the ticket's or requester's. What is
    equal stands by its number, so that the same search has the same answer.
    """
    listed = list(hits)
    best = max((hit.text for hit in listed), default=0.0)
    found = []
    for hit in listed:
        text = hit.text / best if best > 0 else 0.0
        helps = helpfulness(hit.helped, hit.not_helped)
        own = OWN_SERVICE if hit.service is not None and hit.service in services else 1.0
        fresh = freshness(hit.review_s, now_s)
        score = text * (0.5 + helps) * own * fresh
        found.append(Ranked(hit.number, score, text, helps, own, fresh))
    return sorted(found, key=lambda one: (-one.score, one.number))


def slips(word: str) -> int:
    """How many slips of the keyboard a word forgives."""
    return 2 if len(word) >= TWO_SLIPS else 1 if len(word) >= ONE_SLIP else 0


def distance(one: str, other: str, most: int) -> int:
    """How many slips lie between two words; `most` + 1 where more.

    A slip is a letter more, less, another, or two neighbours in the wrong order (optimal
    string alignment).
    """
    if abs(len(one) - len(other)) > most:
        return most + 1
    before: list[int] = []
    row = list(range(len(other) + 1))
    for i, a in enumerate(one, 1):
        last, before, row = before, row, [i]
        for j, b in enumerate(other, 1):
            cost = min(before[j] + 1, row[j - 1] + 1, before[j - 1] + (a != b))
            if i > 1 and j > 1 and a == other[j - 2] and one[i - 2] == b:
                cost = min(cost, last[j - 2] + 1)
            row.append(cost)
        if min(row) > most:
            return most + 1
    return min(row[-1], most + 1)


def nearest(word: str, known: Iterable[str], *, most: int = 4) -> list[str]:
    """The known words that a mistyped one may stand for, the nearest first.

    The first letter is right: hardly anybody mistypes it, and looking for others would find
    words that nobody meant.
    """
    allowed = slips(word)
    if allowed == 0:
        return []
    found = []
    for other in known:
        if other == word or not other or other[0] != word[0]:
            continue
        apart = distance(word, other, allowed)
        if apart <= allowed:
            found.append((apart, other))
    return [other for _, other in sorted(found)[:most]]


def alike(words: Iterable[str], groups: Iterable[Sequence[str]]) -> dict[str, list[str]]:
    """For each word what the desk says is the same, from groups of words that are."""
    same: dict[str, list[str]] = {}
    wanted = set(words)
    for group in groups:
        for word in group:
            if word in wanted:
                others = [other for other in group if other != word]
                same.setdefault(word, []).extend(o for o in others if o not in same.get(word, []))
    return same


# An article surely has what somebody said when it has so much of their words.
SURE = 0.75


def is_sure(coverage: float, asked: int, least_words: int) -> bool:
    """Whether an article may be offered without being looked at by a person first.

    `coverage` is the share of the `asked` words that it has; one word says too little.
    """
    return asked >= least_words and coverage >= SURE


_WAS_IT = re.compile(
    r"(?:yes |ok )?(?:thanks |thank you )?(?:that was it|that is it|thats it|this was it)"
    r"(?: (?:number |no )?([1-9]))?(?: thanks| thank you)?"
)


def said_was_it(text: str) -> int | None:
    """Which of the articles offered an answer says was it, if its first line says no more.

    “That was it” means the first, “that was it: 2” the second; anything else none.
    """
    lines = [line for line in text.splitlines() if line.strip()]
    if not lines or len(lines[0]) > 80:
        return None
    words = re.sub(r"[^\w ]", " ", lines[0].replace("’", "").replace("'", "").casefold())
    found = _WAS_IT.fullmatch(" ".join(words.split()))
    if found is None:
        return None
    return int(found[1] or 1)


@dataclass(frozen=True, slots=True)
class Sought:
    """One search: its folded words, by whom, how sure its best hit was, and whether a ticket
    followed."""

    words: str
    person: int
    best: float
    became_ticket: bool


@dataclass(frozen=True, slots=True)
class NotFound:
    """Words that were sought and not found: by how many people, of whom so many asked the desk."""

    words: str
    people: int
    asked: int


def not_found(searches: Iterable[Sought], *, enough: float) -> list[NotFound]:
    """Searches that found nothing good enough, or ended in a ticket, by their words.

    Somebody who sought the same several times counts once; most people first.
    """
    people: dict[str, dict[int, bool]] = {}
    for one in searches:
        if one.best >= enough and not one.became_ticket:
            continue
        by = people.setdefault(one.words, {})
        by[one.person] = by.get(one.person, False) or one.became_ticket
    found = [NotFound(words, len(by), sum(by.values())) for words, by in people.items()]
    return sorted(found, key=lambda one: (-one.people, -one.asked, one.words))


# A search that found nothing and one that did belong together within so long.
TRIED_AGAIN_S = 180


@dataclass(frozen=True, slots=True)
class Tried:
    """One search of somebody, when, and whether it found something good enough."""

    person: int
    words: tuple[str, ...]
    at_s: int
    is_found: bool


def suggested_same(
    searches: Iterable[Tried], known: Iterable[Sequence[str]], *, enough: int = 2
) -> list[tuple[str, str, int]]:
    """Words that may mean the same, from searches that failed and were tried in other words.

    One word of a search that found nothing was replaced by another, and then it was found. Who
    only corrected a slip said nothing of what is the same. With how many people; at least
    `enough`, most people first. What is `known` to be the same is left out.
    """
    groups = [set(group) for group in known]
    pairs: dict[tuple[str, str], set[int]] = {}
    last: dict[int, Tried] = {}
    for one in sorted(searches, key=lambda one: (one.at_s, one.words)):
        before = last.get(one.person)
        last[one.person] = one
        if before is None or before.is_found or not one.is_found:
            continue
        if one.at_s - before.at_s > TRIED_AGAIN_S:
            continue
        gone, came = set(before.words) - set(one.words), set(one.words) - set(before.words)
        if len(gone) != 1 or len(came) != 1:
            continue
        said, meant = gone.pop(), came.pop()
        if distance(said, meant, 2) <= 2 or any({said, meant} <= group for group in groups):
            continue
        pairs.setdefault((said, meant), set()).add(one.person)
    found = [(*pair, len(people)) for pair, people in pairs.items() if len(people) >= enough]
    return sorted(found, key=lambda one: (-one[2], one[0], one[1]))


def likeness(one: Collection[str], other: Collection[str]) -> float:
    """How much two sets of words have in common: the shared ones of all (Jaccard)."""
    left, right = set(one), set(other)
    return len(left & right) / len(left | right) if left or right else 0.0


Read = tuple[int, int, int | None]  # by whom, when, about which service


def saved(reads: Iterable[Read], logged: Mapping[int, Sequence[tuple[int, int | None]]]) -> int:
    """How many reads saved a ticket (§21); see `saved_at`."""
    return len(saved_at(reads, logged))


def saved_at(
    reads: Iterable[Read], logged: Mapping[int, Sequence[tuple[int, int | None]]]
) -> list[int]:
    """When reads saved a ticket: no ticket of that reader on the same service in 24 hours.

    A reader counts once a day on each service; `logged` are their tickets: when, on which.
    Instants in seconds, in their order. Source: §21.
    """
    counted: dict[tuple[int, int | None], int] = {}
    found: list[int] = []
    for reader, at_s, service in sorted(reads, key=lambda one: (one[1], one[0])):
        last = counted.get((reader, service))
        if last is not None and at_s - last < SAVED_WITHIN_S:
            continue
        counted[reader, service] = at_s
        if not any(
            at_s <= opened_s <= at_s + SAVED_WITHIN_S and on == service
            for opened_s, on in logged.get(reader, ())
        ):
            found.append(at_s)
    return found
