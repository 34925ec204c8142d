"""Service time: how much open time lies between instants, and when an amount runs out.

Theory. A calendar is compiled, a year at a time and only as far as questions reach,
to sorted, merged spans of epoch seconds with the open seconds before each of them.
With F(t) = open seconds up to t, `elapsed(a, b) = F(b) - F(a)` and
`due(a, d) = F^-1(F(a) + d)`; both are binary searches, so a span of years costs what
a span of days costs.

A local time becomes an instant by RFC 5545 section 3.3.5: a time that happens twice
is its first occurrence, a time that is skipped is read with the offset in force
before the gap. Python's `fold=0` is exactly that rule.
"""

from bisect import bisect_left, bisect_right
from datetime import MAXYEAR, MINYEAR, UTC, date, datetime, timedelta
from itertools import accumulate

from gannet_core._calendar_data import MINUTES_PER_DAY, CalendarData, read_calendar
from gannet_core.errors import CalendarError, CalendarExhausted
from gannet_core.instants import instant_of, seconds_of

__all__ = ["CalendarError", "CalendarExhausted", "ServiceCalendar"]

# Weekdays against dates repeat after 28 years, after 40 across a century that is no
# leap year: what has not happened in that many years of plain rhythm never happens.
_RHYTHM_YEARS = 41
_LAST_YEAR = MAXYEAR - 2

Span = tuple[int, int]


class ServiceCalendar:
    """The open hours of a service, compiled for arithmetic.

    Instants are aware datetimes, amounts whole seconds. The `_s` forms of the
    methods take and give epoch seconds and are what tight loops use.
    """

    __slots__ = (
        "_covered_from",
        "_covered_to",
        "_data",
        "_ends",
        "_first_year",
        "_last_year",
        "_opened",
        "_opened_end",
        "_starts",
    )

    def __init__(self, data: CalendarData) -> None:
        self._data = data
        self._starts: list[int] = []
        self._ends: list[int] = []
        self._opened: list[int] = []  # open seconds before each span
        self._opened_end: list[int] = []  # and after it
        self._first_year = 0
        self._last_year = -1
        self._covered_from, self._covered_to = 0, 0

    @classmethod
    def from_json(cls, data: object) -> "ServiceCalendar":
        """Check and compile the JSON form; `CalendarError` names the place in the data."""
        return cls(read_calendar(data))

    @property
    def name(self) -> str:
        return self._data.name

    def is_open(self, at: datetime) -> bool:
        """Whether `at` lies in a span; spans are half open: [opening, closing)."""
        return self.is_open_s(seconds_of(at))

    def next_opening(self, at: datetime) -> datetime | None:
        """The earliest start of a span at or after `at`; None when there is none, ever."""
        found = self.next_opening_s(seconds_of(at))
        return None if found is None else instant_of(found)

    def next_closing(self, at: datetime) -> datetime | None:
        """The earliest end of a span after `at`; None when there is none, ever."""
        found = self.next_closing_s(seconds_of(at))
        return None if found is None else instant_of(found)

    def elapsed(self, start: datetime, end: datetime) -> int:
        """Open seconds in [start, end); `end` before `start` is `ValueError`."""
        return self.elapsed_s(seconds_of(start), seconds_of(end))

    def due(self, start: datetime, amount_seconds: int) -> datetime:
        """The earliest instant t with `elapsed(start, t) == amount_seconds`.

        An amount that runs out exactly at closing time is due at closing time. A
        negative amount is `ValueError`; never enough open time is `CalendarExhausted`.
        """
        return instant_of(self.due_s(seconds_of(start), amount_seconds))

    def open_spans(self, start: datetime, end: datetime) -> list[tuple[datetime, datetime]]:
        """The open spans clipped to [start, end); `end` before `start` is `ValueError`."""
        spans = self.open_spans_s(seconds_of(start), seconds_of(end))
        return [(instant_of(a), instant_of(b)) for a, b in spans]

    def is_open_s(self, at: int) -> bool:
        self._cover(at, at)
        index = bisect_right(self._starts, at) - 1
        return index >= 0 and at < self._ends[index]

    def elapsed_s(self, start: int, end: int) -> int:
        if end < start:
            raise ValueError("the end of a span lies before its start")
        self._cover(start, end)
        return self._opened_until(end) - self._opened_until(start)

    def due_s(self, start: int, amount: int) -> int:
        if amount < 0:
            raise ValueError(f"an amount of time cannot be negative: {amount}")
        if amount == 0:
            return start
        self._cover(start, start)
        while True:
            # Covering earlier years re-bases F, so both readings are taken together.
            wanted = self._opened_until(start) + amount
            index = bisect_left(self._opened_end, wanted)
            if index < len(self._opened_end):
                return self._starts[index] + wanted - self._opened[index]
            if self._extend(start):
                continue
            if not (self._opens_for_ever() and self._extend(start, beyond_rhythm=True)):
                reached = self._opened_end[-1] if self._opened_end else 0
                raise CalendarExhausted(wanted - reached)

    def open_spans_s(self, start: int, end: int) -> list[Span]:
        if end < start:
            raise ValueError("the end of a span lies before its start")
        self._cover(start, end)
        first = bisect_right(self._ends, start)
        last = bisect_left(self._starts, end)
        return [
            (max(start, self._starts[i]), min(end, self._ends[i]))
            for i in range(first, last)
            if max(start, self._starts[i]) < min(end, self._ends[i])
        ]

    def next_opening_s(self, at: int) -> int | None:
        self._cover(at, at)
        while True:
            index = bisect_left(self._starts, at)
            if index < len(self._starts):
                return self._starts[index]
            if not self._extend(at):
                return None

    def next_closing_s(self, at: int) -> int | None:
        self._cover(at, at)
        while True:
            index = bisect_right(self._ends, at)
            # The last span may still grow into the next year: it is no closing yet.
            if index < len(self._ends) - 1:
                return self._ends[index]
            if not self._extend(at):
                return self._true_end(index)

    def _true_end(self, index: int) -> int | None:
        """The closing of the last span, unless it only ends because compiling ended."""
        if index >= len(self._ends):
            return None
        horizon = _local_seconds(self._data, date(self._last_year, 12, 31), 0)
        return self._ends[index] if self._ends[index] < horizon else None

    def _opened_until(self, at: int) -> int:
        index = bisect_right(self._starts, at) - 1
        if index < 0:
            return 0
        return self._opened[index] + min(at, self._ends[index]) - self._starts[index]

    def _cover(self, start: int, end: int) -> None:
        """Compile the years around [start, end], with one to spare on either side."""
        if self._covered_from <= start and end < self._covered_to:
            return
        first = max(_year_of(start) - 1, MINYEAR + 1)
        last = min(_year_of(end) + 1, _LAST_YEAR)
        if self._last_year < self._first_year:
            self._first_year, self._last_year = first, first - 1
        changed = False
        if first < self._first_year:
            self._add_years(first, self._first_year - 1)
            self._first_year = first
            changed = True
        if last > self._last_year:
            self._add_years(self._last_year + 1, last)
            self._last_year = last
            changed = True
        if changed:
            self._sum_up()
        # Asking again within what is compiled, with a year to spare, needs no calendar.
        self._covered_from = seconds_of(datetime(self._first_year + 1, 1, 2, tzinfo=UTC))
        self._covered_to = seconds_of(datetime(self._last_year, 1, 1, tzinfo=UTC)) - 86_400

    def _extend(self, start: int, *, beyond_rhythm: bool = False) -> bool:
        """Compile further ahead; False when looking further can bring nothing new."""
        limit = _LAST_YEAR if beyond_rhythm else self._rhythm_end_year(start)
        if self._last_year >= limit:
            return False
        ahead = max(2, self._last_year - _year_of(start))
        last = min(self._last_year + ahead, limit)
        self._add_years(self._last_year + 1, last)
        self._last_year = last
        self._sum_up()
        return True

    def _rhythm_end_year(self, start: int) -> int:
        """The year by which everything that ever happens has happened once."""
        if self._data.valid_to is not None:
            return min(self._data.valid_to.year + 1, _LAST_YEAR)
        special = self._data.last_special_year() or 0
        return min(max(special, _year_of(start)) + _RHYTHM_YEARS, _LAST_YEAR)

    def _opens_for_ever(self) -> bool:
        """Whether a calendar compiled to the end of its rhythm still opens there."""
        if self._data.valid_to is not None or not self._ends:
            return False
        return _year_of(self._ends[-1]) > self._last_year - _RHYTHM_YEARS

    def _add_years(self, first: int, last: int) -> None:
        spans = list(zip(self._starts, self._ends, strict=True))
        for year in range(first, last + 1):
            spans.extend(_spans_of_year(self._data, year))
        spans.sort()
        self._starts, self._ends = [], []
        for start, end in spans:
            if self._ends and start <= self._ends[-1]:
                self._ends[-1] = max(self._ends[-1], end)
            else:
                self._starts.append(start)
                self._ends.append(end)

    def _sum_up(self) -> None:
        lengths = [end - start for start, end in zip(self._starts, self._ends, strict=True)]
        self._opened_end = list(accumulate(lengths))
        self._opened = [0, *self._opened_end[:-1]] if lengths else []


def _spans_of_year(data: CalendarData, year: int) -> list[Span]:
    spans = []
    day = date(year, 1, 1)
    one = timedelta(days=1)
    while day.year == year:
        for start_minute, end_minute in data.hours_on(day):
            start = _local_seconds(data, day, start_minute)
            end = _local_seconds(data, day, end_minute)
            if start < end:
                spans.append((start, end))
        day += one
    return spans


def _local_seconds(data: CalendarData, day: date, minute: int) -> int:
    if minute >= MINUTES_PER_DAY:
        day, minute = day + timedelta(days=1), minute - MINUTES_PER_DAY
    if minute >= MINUTES_PER_DAY:  # 24 h from a late start reach the day after
        day, minute = day + timedelta(days=1), minute - MINUTES_PER_DAY
    local = datetime(day.year, day.month, day.day, minute // 60, minute % 60, tzinfo=data.zone)
    return seconds_of(local)


def _year_of(seconds: int) -> int:
    return instant_of(seconds).year
