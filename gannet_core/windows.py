"""Windows: spans in which changes are meant to happen, or must not (computation, §13).

A window is written in local wall time of its zone: `starts` and `ends` of its first
occurrence, a recurrence rule that moves both by whole days on the wall, and dates on which it
falls out. Each end becomes an instant by itself by the rule of section 1, so that a night on
which the clocks move is shorter or longer, and an occurrence that vanishes is empty.
"""

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from itertools import islice
from typing import Any
from zoneinfo import ZoneInfo

from gannet_core.errors import WindowError
from gannet_core.instants import seconds_of
from gannet_core.recurrence import Recurrence, read_recurrence

MAINTENANCE, FREEZE = "maintenance", "freeze"
KINDS = (MAINTENANCE, FREEZE)
Span = tuple[int, int]

_LOCAL = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}")
_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_DAY_S = 86_400


@dataclass(frozen=True)
class Window:
    """A window as it was read; times are naive local ones of `zone`."""

    kind: str
    zone: ZoneInfo
    starts: datetime
    ends: datetime
    rule: Recurrence | None = None
    but_on: frozenset[date] = frozenset()

    def spans(self, start_s: int, end_s: int) -> list[Span]:
        """The occurrences that overlap [start_s, end_s), whole, by start, then end.

        Epoch seconds; empty occurrences are left out, overlapping ones are not merged. An
        end before the start is `ValueError`.
        """
        if end_s < start_s:
            raise ValueError("the end of a span lies before its start")
        # An occurrence may be as long as the window, and clocks differ by a day at most.
        length = self.ends - self.starts
        early = start_s - int(length.total_seconds()) - 2 * _DAY_S
        near = _day_of(early)
        found = []
        for day in self._days(near):
            starts, ends = self._on(day)
            if starts - 2 * _DAY_S > end_s:
                break
            if starts < ends and starts < end_s and ends > start_s:
                found.append((starts, ends))
        return sorted(found)

    def following(self, at_s: int, most: int = 10) -> list[Span]:
        """The next occurrences that have not ended at `at_s`, at most so many."""
        near = _day_of(at_s - int((self.ends - self.starts).total_seconds()) - 2 * _DAY_S)
        spans = (self._on(day) for day in self._days(near))
        # A rule may fit no day at all, or none for a lifetime: the search is bounded.
        horizon = at_s + 60 * 366 * _DAY_S
        soon = _until(spans, horizon)
        return list(islice((span for span in soon if span[0] < span[1] and span[1] > at_s), most))

    def _days(self, near: date | None) -> Iterator[date]:
        """The local dates on which it begins; those long before `near` may be left out."""
        first = self.starts.date()
        if self.rule is None:
            if first not in self.but_on:
                yield first
            return
        until = self.rule.until
        for day in self.rule.dates(first, near):
            if isinstance(until, datetime) and self._on(day)[0] > seconds_of(until):
                return
            if day not in self.but_on:
                yield day

    def _on(self, day: date) -> Span:
        """The occurrence that begins on a local date; its end may not be after its start."""
        moved = timedelta(days=(day - self.starts.date()).days)
        return self._instant(self.starts, moved), self._instant(self.ends, moved)

    def _instant(self, wall: datetime, moved: timedelta) -> int:
        try:
            return seconds_of((wall + moved).replace(tzinfo=self.zone))
        except OverflowError:
            return seconds_of(datetime.max.replace(tzinfo=UTC))


def _until(spans: Iterable[Span], horizon: int) -> Iterator[Span]:
    for span in spans:
        if span[0] > horizon:
            return
        yield span


def _day_of(at_s: int) -> date:
    try:
        return datetime.fromtimestamp(at_s, UTC).date()
    except (OverflowError, ValueError, OSError):
        return date.min


def read_window(data: Mapping[str, Any]) -> Window:
    """Read the JSON form `{kind, zone, from, to, rrule, except}`; `WindowError` says what is wrong.

    A kind that is left out is maintenance.
    """
    kind = data.get("kind") or MAINTENANCE
    if kind not in KINDS:
        raise WindowError(f"there is no kind of window “{kind}”")
    zone = read_zone(data.get("zone"))
    starts, ends = _local(data.get("from")), _local(data.get("to"))
    if ends <= starts:
        raise WindowError("its end is not after its start")
    rule = data.get("rrule")
    return Window(
        kind,
        zone,
        starts,
        ends,
        read_recurrence(rule) if rule is not None else None,
        frozenset(_date(day) for day in data.get("except") or ()),
    )


def read_zone(name: object) -> ZoneInfo:
    """The time zone of that name, or `WindowError`."""
    try:
        if not isinstance(name, str) or not name:
            raise ValueError(name)
        return ZoneInfo(name)  # keeps those it has read
    except (ValueError, OSError, LookupError):
        raise WindowError(f"there is no time zone “{name}”") from None


def _local(text: object) -> datetime:
    if isinstance(text, str) and _LOCAL.fullmatch(text):
        try:
            return datetime.fromisoformat(text)
        except ValueError:
            pass
    raise WindowError(f"“{text}” is no local time: YYYY-MM-DDTHH:MM is")


def _date(text: object) -> date:
    if isinstance(text, str) and _DATE.fullmatch(text):
        try:
            return date.fromisoformat(text)
        except ValueError:
            pass
    raise WindowError(f"“{text}” is no date: YYYY-MM-DD is")


def merged(spans: Iterable[Span]) -> list[Span]:
    """Spans with those that touch or overlap made one, in order; empty ones left out."""
    found: list[Span] = []
    for start, end in sorted(span for span in spans if span[0] < span[1]):
        if found and start <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((start, end))
    return found


def gaps(spans: Iterable[Span], start_s: int, end_s: int) -> list[Span]:
    """What is left of [start_s, end_s) between the spans."""
    found, at = [], start_s
    for start, end in merged(spans):
        if end <= start_s or start >= end_s:
            continue
        if start > at:
            found.append((at, start))
        at = max(at, end)
    if at < end_s:
        found.append((at, end_s))
    return found
