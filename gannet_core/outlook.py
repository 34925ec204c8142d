"""Outlook: what a team will probably miss in its next eight service hours (computation, §17).

The team's work is played a thousand times: what is open, what is likely to come (Poisson, by
the hour of the week), and who is on. Whoever is free takes what runs out soonest, and is busy
with it as long as something of its priority kept people busy in the last 90 days. A promise is
missed when nobody gets to it in time, or when it takes longer by itself: how long it takes in
all is drawn from those of its priority that had taken as long as it has by now.

Every draw comes from one seed, before anything is played: the same question has the same
answer, and *one more person* or *these three first* is played over the very same draws.

Times are whole seconds: of the epoch where they are instants, of work where they last.
"""

import heapq
import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from operator import attrgetter
from random import Random
from typing import Any, NamedTuple

from gannet_core.measures import percentile
from gannet_core.servicetime import Span

RUNS, HORIZON_S, HOURS_OF_WEEK = 1_000, 8 * 3600, 168
HELP_RUNS = 250
BAND = (10, 90)  # the ends of the 80 % band, in percent
HELP_S, FIRST = 2 * 3600, 3
# What somebody is told to look at first is neither lost already nor safe anyway.
_LOST, _SAFE = 0.97, 0.1
# How many said chances a step of the calibration stands on at least.
FEWEST = 40
_NEVER = 1 << 62


@dataclass(frozen=True, slots=True)
class Running:
    """A promise that runs: when it is due, and the service time that it has used of its target."""

    due_s: int
    spent_s: int
    target_s: int


@dataclass(frozen=True, slots=True)
class Open:
    """One open ticket: its number, its priority, and its promises that run.

    None is no promise, one that was kept, or one that is missed already and cannot be missed
    again. `since_s` decides between what is due at the same time.
    """

    number: int
    priority: int
    answer: Running | None
    fix: Running | None
    since_s: int = 0

    @property
    def due_s(self) -> int:
        """When the next of its promises runs out; far away where there is none."""
        return min((one.due_s for one in (self.answer, self.fix) if one), default=_NEVER)


@dataclass(frozen=True, slots=True)
class Coming:
    """What comes to a team: how many an hour of the span, by priority, and what is promised.

    `hours` are pairs of an hour's start and the mean number that comes in it; `shares` says
    how likely each priority is; `promised` gives, for a priority and each hour's start, what
    is promised of an answer and of a resolution to what comes then.
    """

    hours: Sequence[tuple[int, float]] = ()
    shares: Mapping[int, float] = field(default_factory=dict)
    promised: Mapping[int, Sequence[tuple[int, Running | None, Running | None]]] = field(
        default_factory=dict
    )


@dataclass(frozen=True)
class Taken:
    """How long something took before, in seconds, by priority; for one of which too little is
    known, all that is known of any."""

    by_priority: Mapping[int, Sequence[int]] = field(default_factory=dict)

    @cached_property
    def _ordered(self) -> Mapping[int, Sequence[int]]:
        trusted = {p: took for p, took in self.by_priority.items() if len(took) >= _OWN_TIMES}
        return {priority: sorted(took) for priority, took in trusted.items()}

    @cached_property
    def _all(self) -> Sequence[int]:
        return sorted(one for took in self.by_priority.values() for one in took)

    def of(self, priority: int) -> Sequence[int]:
        """The times of a priority in order."""
        return self._ordered.get(priority) or self._all

    def drawn(self, priority: int, spent_s: int, chance: float) -> int | None:
        """One of those that took longer than `spent_s`; None where nothing is known."""
        known = self.of(priority)
        if not known:
            return None
        first = self.first(known, spent_s)
        return known[first + int(chance * (len(known) - first))]

    @staticmethod
    def first(known: Sequence[int], spent_s: int) -> int:
        """From which of some times in order one is drawn: those longer than was spent already."""
        first = bisect_right(known, spent_s) if spent_s else 0
        return max(0, min(first, len(known) - _TAIL))


@dataclass(frozen=True)
class Situation:
    """All that an outlook is computed from, at an instant.

    `people` are the spans in which each one works from now on, in order; `handling` is how long
    tickets kept somebody busy, `answers` and `fixes` how much service time went by until they
    were answered and resolved; `until_s` is the end of the span.
    """

    now_s: int
    until_s: int
    open: Sequence[Open]
    people: Sequence[Sequence[Span]]
    handling: Taken
    answers: Taken = field(default_factory=Taken)
    fixes: Taken = field(default_factory=Taken)
    coming: Coming = field(default_factory=Coming)


@dataclass(frozen=True, slots=True)
class Band:
    """A number of missed promises: what is expected, and within what it is 8 times in 10."""

    expected: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Outlook:
    """What is probably missed: all in all, of what is open, and how likely for each ticket.

    `spread` is how likely it is that none, one, two … are missed; `spread_of_coming` the same
    of what comes alone.
    """

    missed: Band
    spread: tuple[float, ...]
    spread_of_coming: tuple[float, ...]
    of_open: float
    of_coming: float
    chances: Mapping[int, float]


@dataclass(frozen=True, slots=True)
class Help:
    """What would help: `expected` missed promises with it, so many fewer than without."""

    kind: str
    expected: float
    fewer: float
    numbers: tuple[int, ...] = ()


ONE_MORE, THESE_FIRST = "one more person", "these first"
# Fewest times of a priority before they are trusted, and fewest that one is drawn from.
_OWN_TIMES, _TAIL = 20, 5


class _Fixed(NamedTuple):
    """What of something to be done is the same in every run.

    `number` is None for what has not come yet. `answer_s` and `fix_s` are when promises run out
    that count, those within the span; None are the others. A promise is missed however soon
    somebody gets to it where a draw below one, times the first of a pair, reaches the second.
    """

    number: int | None
    at_s: int
    due_s: int
    since_s: int
    answer_s: int | None
    fix_s: int | None
    works: Sequence[int]
    answer_slow: tuple[int, int]
    fix_slow: tuple[int, int]


# Something to be done in one run: what is fixed, how long it takes, and whether its answer and
# its resolution take longer than is promised.
_Job = tuple[_Fixed, int, bool, bool]
_NEVER_SLOW = (0, 1)


def look_ahead(situation: Situation, *, runs: int = RUNS, seed: int = 1) -> Outlook:
    """The outlook of a team: `runs` plays from one seed."""
    return _told(situation, [_play(situation, one) for one in _draws(situation, runs, seed)])


def what_helps(
    situation: Situation, found: Outlook, *, runs: int = RUNS, seed: int = 1
) -> tuple[Help, ...]:
    """What would help, most first; what helps nothing is left out.

    It is played over the first `HELP_RUNS` of the same draws, and held against what is missed in
    those.
    """
    draws = list(_draws(situation, min(runs, HELP_RUNS), seed))
    without = _mean([_play(situation, one)[0] for one in draws])
    offers: list[Help] = []
    until = situation.now_s + HELP_S
    more = replace(situation, people=[*situation.people, [(situation.now_s, until)]])
    expected = _mean([_play(more, one)[0] for one in draws])
    offers.append(Help(ONE_MORE, found.missed.expected - without + expected, without - expected))
    first = _worth_first(situation, found)
    if first:
        expected = _mean([_play(situation, one, first)[0] for one in draws])
        numbers = tuple(sorted(first, key=lambda one: -found.chances[one]))
        fewer = without - expected
        offers.append(Help(THESE_FIRST, found.missed.expected - fewer, fewer, numbers))
    worth = [one for one in offers if one.fewer >= 0.05]
    return tuple(sorted(worth, key=lambda one: (-one.fewer, one.kind)))


def _worth_first(situation: Situation, found: Outlook) -> frozenset[int]:
    """Up to three that are in danger and can still be saved, the quickest work first."""
    handling = situation.handling
    usual = {
        priority: percentile(took, 50)
        for priority in handling.by_priority
        if (took := handling.of(priority))
    }
    in_danger = [
        one
        for one in situation.open
        if _SAFE < found.chances.get(one.number, 0) < _LOST and one.due_s > situation.now_s
    ]
    in_danger.sort(key=lambda one: (usual.get(one.priority, 0), one.due_s, one.number))
    return frozenset(one.number for one in in_danger[:FIRST])


def _told(situation: Situation, plays: Sequence[tuple[int, int, Sequence[int]]]) -> Outlook:
    runs = len(plays)
    counts = sorted(float(play[0]) for play in plays)
    missed: dict[int, int] = {one.number: 0 for one in situation.open}
    for _, _, numbers in plays:
        for number in set(numbers):
            missed[number] += 1
    expected = _mean([play[0] for play in plays])
    coming = _mean([play[1] for play in plays])
    return Outlook(
        Band(expected, percentile(counts, BAND[0]), percentile(counts, BAND[1])),
        _spread([play[0] for play in plays]),
        _spread([play[1] for play in plays]),
        expected - coming,
        coming,
        {number: times / runs for number, times in missed.items()},
    )


def _spread(counts: Sequence[int]) -> tuple[float, ...]:
    times = Counter(counts)
    return tuple(times[many] / len(counts) for many in range(max(counts) + 1))


def together(spreads: Iterable[Sequence[float]]) -> Band:
    """The band of several spreads at once, whose misses do not hang on each other."""
    whole = joined(spreads)
    expected = sum(many * chance for many, chance in enumerate(whole))
    return Band(expected, _reached(whole, BAND[0] / 100), _reached(whole, BAND[1] / 100))


def joined(spreads: Iterable[Sequence[float]]) -> list[float]:
    """How likely none, one, two … are missed of several spreads in all."""
    whole = [1.0]
    for spread in spreads:
        added = [0.0] * (len(whole) + len(spread) - 1)
        for many, chance in enumerate(whole):
            for more, another in enumerate(spread):
                added[many + more] += chance * another
        whole = added
    return whole


def _reached(spread: Sequence[float], share: float) -> float:
    """The least number that a share of all plays does not exceed."""
    total = 0.0
    for many, chance in enumerate(spread):
        total += chance
        if total >= share - 1e-9:
            return float(many)
    return float(len(spread) - 1)


def _mean(values: Sequence[int]) -> float:
    return sum(values) / len(values)


def _draws(situation: Situation, runs: int, seed: int) -> Iterable[list[_Job]]:
    """The jobs of each run: what is open and what comes, with how long each takes."""
    random = Random(seed)
    draw, coming = random.random, situation.coming
    priorities = sorted(coming.shares)
    edges: list[float] = []
    for priority in priorities:
        edges.append((edges[-1] if edges else 0.0) + coming.shares[priority])
    known = [
        _fixed(situation, one.number, situation.now_s, one.priority, one.answer, one.fix,
               one.since_s)
        for one in situation.open
    ]  # fmt: skip
    rows = {priority: _rows(situation, priority) for priority in priorities}
    for _ in range(runs):
        jobs = [_job(one, draw(), draw(), draw()) for one in known]
        for start, mean in coming.hours:
            for _ in range(_poisson(mean, random)):
                at = start + int(draw() * 3600)
                drawn = draw() * (edges[-1] if edges else 1.0)
                if not (priorities and situation.now_s <= at < situation.until_s):
                    continue
                place = min(bisect_right(edges, drawn), len(priorities) - 1)
                fixed = _arrived(situation, rows[priorities[place]], at)
                jobs.append(_job(fixed, draw(), draw(), draw()))
        yield jobs


def _rows(situation: Situation, priority: int) -> Sequence[_Fixed]:
    """What is fixed of what comes with a priority, by the start of the hour in which it comes.

    Before the first of them nothing is promised.
    """
    promised = situation.coming.promised.get(priority, ())
    first = _fixed(situation, None, -_NEVER, priority, None, None, 0)
    return [first, *(
        _fixed(situation, None, start, priority, answer, fix, start, is_whole=True)
        for start, answer, fix in promised
    )]  # fmt: skip


def _arrived(situation: Situation, rows: Sequence[_Fixed], at: int) -> _Fixed:
    """Something that comes at an instant: promised as in its hour, as much later as it comes."""
    row = rows[bisect_right(rows, at, key=_begins) - 1]
    late, until = at - row.at_s, situation.until_s
    answer_s = None if row.answer_s is None else row.answer_s + late
    fix_s = None if row.fix_s is None else row.fix_s + late
    return _Fixed(
        None,
        at,
        row.due_s + late if row.due_s < _NEVER else _NEVER,
        at,
        answer_s if answer_s is not None and situation.now_s < answer_s <= until else None,
        fix_s if fix_s is not None and situation.now_s < fix_s <= until else None,
        row.works,
        row.answer_slow,
        row.fix_slow,
    )


_begins = attrgetter("at_s")


def _fixed(
    situation: Situation, number: int | None, at: int, priority: int,
    answer: Running | None, fix: Running | None, since_s: int, *, is_whole: bool = False,
) -> _Fixed:  # fmt: skip
    """What is the same in every run; `is_whole` keeps promises that run out beyond the span."""
    now, until = situation.now_s, situation.until_s
    due = min(answer.due_s if answer else _NEVER, fix.due_s if fix else _NEVER)
    return _Fixed(
        number,
        at,
        due,
        since_s,
        answer.due_s if answer and (is_whole or now < answer.due_s <= until) else None,
        fix.due_s if fix and (is_whole or now < fix.due_s <= until) else None,
        situation.handling.of(priority),
        _slow(situation.answers, priority, answer),
        _slow(situation.fixes, priority, fix),
    )


def _job(fixed: _Fixed, busy: float, until_answer: float, until_fix: float) -> _Job:
    """Something to be done with all that is drawn for it; the same number of draws for each."""
    works, (answers, slow_answer), (fixes, slow_fix) = fixed[6], fixed[7], fixed[8]
    return (
        fixed,
        works[int(busy * len(works))] if works else 0,
        until_answer * answers >= slow_answer,
        until_fix * fixes >= slow_fix,
    )


def _slow(taken: Taken, priority: int, promise: Running | None) -> tuple[int, int]:
    """From how many times it is drawn how long something takes, and from which on that is longer
    than is promised, however soon somebody gets to it."""
    if promise is None:
        return _NEVER_SLOW
    known = taken.of(priority)
    if not known:
        return _NEVER_SLOW
    first = taken.first(known, promise.spent_s)
    return len(known) - first, max(0, bisect_right(known, promise.target_s) - first)


def _poisson(mean: float, random: Random) -> int:
    """How many come where so many come on average (multiplying, after Knuth)."""
    if mean <= 0:
        return 0
    least, product, count = math.exp(-min(mean, 500.0)), random.random(), 0
    while product > least:
        product *= random.random()
        count += 1
    return count


def _play(
    situation: Situation, jobs: Sequence[_Job], first: frozenset[int] = frozenset()
) -> tuple[int, int, list[int]]:
    """One run: promises missed by the end, those of what comes, and whose (with repeats)."""
    free = [
        (spans[0][0] if spans[0][0] > situation.now_s else situation.now_s, index)
        for index, spans in enumerate(situation.people)
        if spans
    ]
    heapq.heapify(free)
    until, people = situation.until_s, situation.people
    order = sorted(range(len(jobs)), key=lambda place: jobs[place][0].at_s)
    ready: list[tuple[int, int, int, int]] = []
    began: dict[int, int] = {}
    done: dict[int, int] = {}
    next_in = 0
    while free:
        at, who = heapq.heappop(free)
        if at >= until:
            break
        while next_in < len(order) and (fixed := jobs[order[next_in]][0]).at_s <= at:
            rank = 0 if fixed.number in first else 1
            heapq.heappush(ready, (rank, fixed.due_s, fixed.since_s, order[next_in]))
            next_in += 1
        if not ready:
            if next_in == len(order):
                break
            soonest = jobs[order[next_in]][0].at_s
            there = _on_from(people[who], soonest)
            if there is not None:
                heapq.heappush(free, (there, who))
            continue
        place = heapq.heappop(ready)[3]
        began[place] = at
        end = _worked(people[who], at, jobs[place][1])
        if end is not None:
            done[place] = end
            there = _on_from(people[who], end)
            if there is not None:
                heapq.heappush(free, (there, who))
    missed, of_coming, numbers = 0, 0, []
    for place, (fixed, _, is_answer_slow, is_fix_slow) in enumerate(jobs):
        times = 0
        if fixed.answer_s is not None:
            times += is_answer_slow or began.get(place, _NEVER) > fixed.answer_s
        if fixed.fix_s is not None:
            times += is_fix_slow or done.get(place, _NEVER) > fixed.fix_s
        if times:
            missed += times
            if fixed.number is None:
                of_coming += times
            else:
                numbers.append(fixed.number)
    return missed, of_coming, numbers


def _on_from(spans: Sequence[Span], at: int) -> int | None:
    """When somebody works next, from an instant on; None when not again."""
    for start, end in spans:
        if at < end:
            return max(at, start)
    return None


def _worked(spans: Sequence[Span], at: int, work_s: int) -> int | None:
    """When work begun at an instant is done, over the spans that somebody works in."""
    left = work_s
    for start, end in spans:
        if end <= at:
            continue
        begin = max(at, start)
        if begin + left <= end:
            return begin + left
        left -= end - begin
    return None


# --- whether what was said came true ----------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Step:
    """From which played chance on so much is said, over how many that this is known of."""

    from_chance: float
    said: float
    known: int


def calibrated(known: Iterable[tuple[float, bool]], *, fewest: int = FEWEST) -> tuple[Step, ...]:
    """What to say of each played chance, from what became of earlier ones.

    Isotonic regression by pooling adjacent violators: what is said never falls where the
    played chance rises. Steps are pooled until each stands on `fewest`; too few in all give
    no step, and then the played chance is said as it is.
    """
    pairs = sorted(known)
    if len(pairs) < fewest:
        return ()
    pools: list[list[float]] = []  # from which chance, late ones, all of them
    for chance, was_late in pairs:
        if pools and pools[-1][0] == chance:
            pools[-1][1] += was_late
            pools[-1][2] += 1
        else:
            pools.append([chance, float(was_late), 1.0])
    whole: list[list[float]] = []
    for pool in pools:
        whole.append(pool)
        while len(whole) > 1 and (
            whole[-2][2] < fewest or whole[-2][1] * whole[-1][2] >= whole[-1][1] * whole[-2][2]
        ):
            last = whole.pop()
            whole[-1][1] += last[1]
            whole[-1][2] += last[2]
    if len(whole) > 1 and whole[-1][2] < fewest:
        last = whole.pop()
        whole[-1][1] += last[1]
        whole[-1][2] += last[2]
    return tuple(Step(one[0], one[1] / one[2], int(one[2])) for one in whole)


def said_of(chance: float, steps: Sequence[Step]) -> float:
    """What is said of a played chance: that of its step."""
    if not steps:
        return chance
    place = bisect_right(steps, chance, key=lambda step: step.from_chance) - 1
    return steps[max(0, place)].said


def as_json(data: Mapping[str, Any]) -> dict[str, Any]:
    """A question as the JSON face has it, and its answer with chances to four places."""
    coming = data.get("coming") or {}

    def running(one: Any) -> Running | None:
        return None if one is None else Running(one["due_s"], one["spent_s"], one["target_s"])

    def taken(name: str) -> Taken:
        return Taken({int(key): list(took) for key, took in (data.get(name) or {}).items()})

    situation = Situation(
        now_s=data["now_s"],
        until_s=data["until_s"],
        open=[
            Open(
                one["number"],
                one["priority"],
                running(one.get("answer")),
                running(one.get("fix")),
                one.get("since_s", 0),
            )
            for one in data["open"]
        ],
        people=[[(start, end) for start, end in spans] for spans in data["people"]],
        handling=taken("handling"),
        answers=taken("answers"),
        fixes=taken("fixes"),
        coming=Coming(
            [(start, mean) for start, mean in coming.get("hours", [])],
            {int(key): share for key, share in coming.get("shares", {}).items()},
            {
                int(key): [(row[0], running(row[1]), running(row[2])) for row in rows]
                for key, rows in coming.get("promised", {}).items()
            },
        ),
    )
    runs, seed = data.get("runs", RUNS), data.get("seed", 1)
    found = look_ahead(situation, runs=runs, seed=seed)
    return {
        "expected": round(found.missed.expected, 4),
        "low": round(found.missed.low, 4),
        "high": round(found.missed.high, 4),
        "of_open": round(found.of_open, 4),
        "of_coming": round(found.of_coming, 4),
        "chances": {str(number): round(chance, 4) for number, chance in found.chances.items()},
        "helps": [
            {
                "kind": one.kind,
                "expected": round(one.expected, 4),
                "fewer": round(one.fewer, 4),
                "numbers": list(one.numbers),
            }
            for one in what_helps(situation, found, runs=runs, seed=seed)
        ],
    }
