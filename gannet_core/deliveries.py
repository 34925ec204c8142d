"""When something goes out again and again: each day, on weekdays, or once a month, on the wall.

A rhythm is a local time in a zone on the days that it names. A time that the clocks leave out
is taken as the instant at which it would have been; one that comes twice is the first.
"""

from calendar import monthrange
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from gannet_core.errors import ReportError
from gannet_core.instants import instant_of, seconds_of

DAILY, WEEKLY, MONTHLY = "day", "week", "month"
EVERY = (DAILY, WEEKLY, MONTHLY)
LAST_DAY = 31
_LOOKED_AHEAD = 400  # days: every rhythm comes by then
_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@dataclass(frozen=True, slots=True)
class Rhythm:
    """`weekdays` (1 Monday to 7) count for weeks, `day` (1 to 31, 31 the last) for months."""

    every: str
    at: time
    zone: ZoneInfo
    weekdays: frozenset[int] = frozenset()
    day: int = 1


@dataclass(frozen=True, slots=True)
class Threshold:
    """Something goes out only when a figure is above, or below, a value in its own unit."""

    figure: int
    op: str
    value: float

    def holds(self, found: float | None) -> bool:
        """Whether a figure is so; one that there is none of is neither above nor below."""
        if found is None:
            return False
        return found > self.value if self.op == ">" else found < self.value


def read_rhythm(said: dict[str, Any]) -> Rhythm:
    """A rhythm as it was written; `ReportError` names the place that cannot be."""
    every = said.get("every")
    if every not in EVERY:
        raise ReportError("every", "every day, week or month")
    try:
        hours, minutes = str(said.get("at")).split(":")
        at = time(int(hours), int(minutes))
    except ValueError as error:
        raise ReportError("at", "a time such as 07:00") from error
    try:
        zone = ZoneInfo(str(said.get("zone")))
    except (KeyError, ValueError, OSError) as error:
        raise ReportError("zone", "there is no such zone") from error
    given = said.get("weekdays") or []
    if not all(isinstance(one, int) and 1 <= one <= len(_DAYS) for one in given):
        raise ReportError("weekdays", "days from 1, Monday, to 7")
    if every == WEEKLY and not given:
        raise ReportError("weekdays", "choose a day")
    day = said.get("day") or 1
    if not isinstance(day, int) or not 1 <= day <= LAST_DAY:
        raise ReportError("day", "a day from 1 to 31")
    return Rhythm(str(every), at, zone, frozenset(given), day)


def after(rhythm: Rhythm, at: datetime) -> datetime:
    """The first instant of a rhythm that is later than another."""
    first = at.astimezone(rhythm.zone).date() - timedelta(days=1)
    for day in _days(rhythm, first):
        local = datetime.combine(day, rhythm.at, rhythm.zone)
        found = instant_of(seconds_of(local))
        if found > at:
            return found
    raise ReportError("every", "it never comes")  # pragma: no cover – every rhythm comes


def _days(rhythm: Rhythm, first: date) -> Iterator[date]:
    for ahead in range(_LOOKED_AHEAD):
        day = first + timedelta(days=ahead)
        last = monthrange(day.year, day.month)[1]
        if (
            rhythm.every == DAILY
            or (rhythm.every == WEEKLY and day.isoweekday() in rhythm.weekdays)
            or (rhythm.every == MONTHLY and day.day == min(rhythm.day, last))
        ):
            yield day


def rhythm_words(rhythm: Rhythm) -> str:
    """A rhythm as people say it: “every Monday and Friday at 07:00”."""
    at = f"at {rhythm.at:%H:%M}"
    if rhythm.every == DAILY:
        return f"every day {at}"
    if rhythm.every == MONTHLY:
        which = "the last day" if rhythm.day == LAST_DAY else f"day {rhythm.day}"
        return f"on {which} of every month {at}"
    names = [_DAYS[one - 1] for one in sorted(rhythm.weekdays)]
    said = names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
    return f"every {said} {at}"
