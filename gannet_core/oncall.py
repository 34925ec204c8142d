"""On call: who of a team answers outside of everything else, week after week, and who comes next.

A rota gives the turns to its people in order, from one local hand-over to the next: the same
weekday and time of its zone, whatever the clocks do. Somebody may stand in for a span; who is
away leaves a gap, which is shown and not filled silently.

Source: the trade's practice for on-call duty; the wording is ours.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

from gannet_core.errors import OnCallError
from gannet_core.instants import seconds_of

ROTA, INSTEAD, AWAY, NOBODY, NOT_BEGUN = "rota", "instead", "away", "nobody", "not begun"
MOST_WEEKS = 12


@dataclass(frozen=True, slots=True)
class Rota:
    """Whose turn it is: `people` in order, each for `weeks`, from `starts` at the local `at`.

    What makes no rota is `OnCallError`: no people is allowed and leaves every turn open.
    """

    people: tuple[str, ...]
    zone: ZoneInfo
    starts: date
    at: time
    weeks: int = 1

    def __post_init__(self) -> None:
        if not 1 <= self.weeks <= MOST_WEEKS:
            raise OnCallError(f"a turn lasts 1 to {MOST_WEEKS} weeks")
        if len(set(self.people)) != len(self.people):
            raise OnCallError("somebody is in the rota twice")

    def hand_over(self, number: int) -> int:
        """The instant of the hand-over that begins a turn, counted from 0, in epoch seconds."""
        day = self.starts + timedelta(weeks=self.weeks * number)
        return seconds_of(datetime.combine(day, self.at, self.zone))

    def turn_at(self, at_s: int) -> int:
        """The number of the turn that an instant lies in; below 0 before the rota begins."""
        number = (at_s - self.hand_over(0)) // (self.weeks * 7 * 86_400)
        while self.hand_over(number) > at_s:
            number -= 1
        while self.hand_over(number + 1) <= at_s:
            number += 1
        return number


@dataclass(frozen=True, slots=True)
class Span:
    """A span of somebody, in epoch seconds: standing in, or away."""

    person: str
    start_s: int
    end_s: int

    def covers(self, at_s: int) -> bool:
        return self.start_s <= at_s < self.end_s


@dataclass(frozen=True, slots=True)
class Turn:
    """Who is on call in [start_s, end_s), and why; `person` is None in a gap.

    `why` is `rota`, `instead` (standing in), `away` (whose turn it is is away: `whose`),
    `nobody` (the rota has no people) or `not begun`.
    """

    start_s: int
    end_s: int
    person: str | None
    why: str
    whose: str | None = None


def turns(
    rota: Rota, instead: Sequence[Span], away: Sequence[Span], start_s: int, end_s: int
) -> list[Turn]:
    """The turns that share out [start_s, end_s), in order, without a hole and none twice.

    Of several who stand in at once the one entered last does. An end before the start is
    `OnCallError`.
    """
    if end_s < start_s:
        raise OnCallError("the end of a span lies before its start")
    found: list[Turn] = []
    cuts = sorted({start_s, end_s, *_cuts(rota, [*instead, *away], start_s, end_s)})
    for begins, ends in pairwise(cuts):
        one = _turn(rota, instead, away, begins, ends)
        last = found[-1] if found else None
        if last and (last.person, last.why, last.whose) == (one.person, one.why, one.whose):
            # A hand-over of somebody to themselves is none.
            found[-1] = Turn(last.start_s, ends, one.person, one.why, one.whose)
        else:
            found.append(one)
    return found


def on_call(rota: Rota, instead: Sequence[Span], away: Sequence[Span], at_s: int) -> Turn:
    """Whose turn an instant lies in; its span is that second."""
    return _turn(rota, instead, away, at_s, at_s + 1)


def order(rota: Rota, instead: Sequence[Span], away: Sequence[Span], at_s: int) -> list[str]:
    """Who is paged at an instant: who is on call, then the others of the rota from there on.

    Who is away is passed over, whoever is on call.
    """
    first = on_call(rota, instead, away, at_s).person
    turn = rota.turn_at(at_s)
    count = len(rota.people)
    others = [rota.people[(turn + 1 + step) % count] for step in range(count)] if count else []
    here = [one for one in others if not any(s.person == one and s.covers(at_s) for s in away)]
    return list(dict.fromkeys([*([first] if first else []), *here]))


def _cuts(rota: Rota, spans: Iterable[Span], start_s: int, end_s: int) -> Iterator[int]:
    """The instants within a span at which who is on call may change."""
    for span in spans:
        for at_s in (span.start_s, span.end_s):
            if start_s < at_s < end_s:
                yield at_s
    number = max(0, rota.turn_at(start_s))
    while (at_s := rota.hand_over(number)) < end_s:
        if at_s > start_s:
            yield at_s
        number += 1


def _turn(
    rota: Rota, instead: Sequence[Span], away: Sequence[Span], start_s: int, end_s: int
) -> Turn:
    standing = [one for one in instead if one.covers(start_s)]
    if standing:
        return Turn(start_s, end_s, standing[-1].person, INSTEAD)
    number = rota.turn_at(start_s)
    if number < 0:
        return Turn(start_s, end_s, None, NOT_BEGUN)
    if not rota.people:
        return Turn(start_s, end_s, None, NOBODY)
    whose = rota.people[number % len(rota.people)]
    if any(one.person == whose and one.covers(start_s) for one in away):
        return Turn(start_s, end_s, None, AWAY, whose)
    return Turn(start_s, end_s, whose, ROTA)
