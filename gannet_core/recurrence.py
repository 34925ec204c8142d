"""Recurrence rules: the days on which something that recurs begins (RFC 5545, section 3.3.10).

A subset, read strictly: FREQ of DAILY, WEEKLY, MONTHLY or YEARLY with INTERVAL, COUNT, UNTIL,
BYDAY, BYMONTHDAY and BYMONTH. Days are local dates; times of day are the business of what
recurs. Weeks begin on Monday.
"""

import re
from calendar import monthrange
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import MAXYEAR, UTC, date, datetime, timedelta

from gannet_core.errors import WindowError

WEEKDAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
_FREQUENCIES = ("DAILY", "WEEKLY", "MONTHLY", "YEARLY")
_PARTS = ("FREQ", "INTERVAL", "COUNT", "UNTIL", "BYDAY", "BYMONTHDAY", "BYMONTH")
_NUMBER = re.compile(r"[0-9]{1,9}")
_DAY = re.compile(r"([+-]?[0-9]{1,2})?(MO|TU|WE|TH|FR|SA|SU)")
_SIGNED = re.compile(r"[+-]?[0-9]{1,2}")
_DATE = re.compile(r"[0-9]{8}")
_INSTANT = re.compile(r"[0-9]{8}T[0-9]{6}Z")
_MONTHS, _LONGEST_MONTH, _MOST_WEEKS = 12, 31, 53


@dataclass(frozen=True, slots=True)
class Recurrence:
    """A rule as it was read; `until` is a local date or a UTC instant, both inclusive.

    `days` are (number, weekday 0 … 6): every such weekday when the number is 0, else the
    n-th of the month or year, from its end when negative.
    """

    frequency: str
    interval: int = 1
    count: int | None = None
    until: date | datetime | None = None
    days: tuple[tuple[int, int], ...] = ()
    month_days: tuple[int, ...] = ()
    months: tuple[int, ...] = ()

    def dates(self, first: date, near: date | None = None) -> Iterator[date]:
        """The days from `first` on that fit, in order, endless unless counted or until a date.

        Without COUNT those long before `near` are passed over. UNTIL as an instant is for
        the caller to hold to, who knows the time of day. Ends with year 9999.
        """
        last = None if isinstance(self.until, datetime) else self.until
        number = 0
        for day in self._candidates(first, None if self.count else near):
            if day < first:
                continue
            if last is not None and day > last:
                return
            number += 1
            if self.count is not None and number > self.count:
                return
            yield day

    def _candidates(self, first: date, near: date | None) -> Iterator[date]:
        """The days that fit, period by period, from that of the first day or of `near`."""
        skipped = max(0, self._periods_between(first, near)) if near else 0
        index = skipped - skipped % self.interval
        while (period := self._period(first, index)) is not None:
            yield from self._within(first, *period)
            index += self.interval

    def _periods_between(self, first: date, near: date) -> int:
        """How many periods lie wholly before `near`, one fewer for safety."""
        days = (near - first).days
        if self.frequency == "DAILY":
            return days - 1
        if self.frequency == "WEEKLY":
            return days // 7 - 1
        if self.frequency == "MONTHLY":
            return (near.year - first.year) * _MONTHS + near.month - first.month - 1
        return near.year - first.year - 1

    def _period(self, first: date, index: int) -> tuple[date, date] | None:
        """First and last day of the period that many periods after that of the first day."""
        try:
            if self.frequency == "DAILY":
                day = first + timedelta(days=index)
                return day, day
            if self.frequency == "WEEKLY":
                monday = first - timedelta(days=first.weekday()) + timedelta(weeks=index)
                return monday, monday + timedelta(days=6)
        except OverflowError:
            return None
        if self.frequency == "MONTHLY":
            year, month = divmod(first.year * _MONTHS + first.month - 1 + index, _MONTHS)
            return None if year > MAXYEAR else _month(year, month + 1)
        year = first.year + index
        return None if year > MAXYEAR else (date(year, 1, 1), date(year, _MONTHS, _LONGEST_MONTH))

    def _within(self, first: date, start: date, end: date) -> Iterator[date]:
        """The days of one period that fit."""
        if self.frequency == "YEARLY" and (self.months or not self.days):
            # A year is gone through month by month: numbers of weekdays count within each.
            months = self.months or self._months_of_a_year(first)
            for month in sorted(set(months)):
                yield from self._in_span(first, *_month(start.year, month))
        else:
            yield from self._in_span(first, start, end)

    def _months_of_a_year(self, first: date) -> Sequence[int]:
        return range(1, _MONTHS + 1) if self.month_days else (first.month,)

    def _in_span(self, first: date, start: date, end: date) -> Iterator[date]:
        length = (end - start).days + 1
        for offset in range(length):
            day = start + timedelta(days=offset)
            if self.months and day.month not in self.months:
                continue
            if self.month_days and not self._is_month_day(day):
                continue
            if self.days and not self._is_weekday(day, offset, length):
                continue
            if self._fits_plainly(day, first):
                yield day

    def _fits_plainly(self, day: date, first: date) -> bool:
        """Without a part that names days, the first day says which one of the period it is."""
        if self.days or self.month_days or self.frequency == "DAILY":
            return True
        if self.frequency == "WEEKLY":
            return day.weekday() == first.weekday()
        return day.day == first.day

    def _is_month_day(self, day: date) -> bool:
        from_end = day.day - monthrange(day.year, day.month)[1] - 1
        return day.day in self.month_days or from_end in self.month_days

    def _is_weekday(self, day: date, offset: int, length: int) -> bool:
        number, from_end = offset // 7 + 1, -((length - 1 - offset) // 7 + 1)
        return any(
            weekday == day.weekday() and wanted in (0, number, from_end)
            for wanted, weekday in self.days
        )


def _month(year: int, month: int) -> tuple[date, date]:
    return date(year, month, 1), date(year, month, monthrange(year, month)[1])


def read_recurrence(text: object) -> Recurrence:
    """Read a rule; whatever is not one of the subset is `WindowError` and says what."""
    if not isinstance(text, str):
        raise WindowError("a rule of recurrence is text")
    parts: dict[str, str] = {}
    for part in text.upper().split(";"):
        name, equals, value = part.partition("=")
        if not equals or not value:
            raise WindowError(f"“{part}” is no part of a rule: NAME=value is")
        if name not in _PARTS:
            raise WindowError(f"“{name}” is not understood: {', '.join(_PARTS)} are")
        if name in parts:
            raise WindowError(f"{name} stands twice")
        parts[name] = value
    frequency = parts.get("FREQ", "")
    if frequency not in _FREQUENCIES:
        raise WindowError(f"FREQ is one of {', '.join(_FREQUENCIES)}, not “{frequency}”")
    if "COUNT" in parts and "UNTIL" in parts:
        raise WindowError("COUNT and UNTIL end it twice: one of them")
    if "BYMONTHDAY" in parts and frequency == "WEEKLY":
        raise WindowError("a weekly rule knows no days of the month")
    days = tuple(_weekday(day) for day in parts["BYDAY"].split(",")) if "BYDAY" in parts else ()
    if frequency in ("DAILY", "WEEKLY") and any(number for number, _ in days):
        raise WindowError(f"a numbered weekday means nothing in a {frequency.lower()} rule")
    return Recurrence(
        frequency=frequency,
        interval=_at_least_one("INTERVAL", parts.get("INTERVAL", "1")),
        count=_at_least_one("COUNT", parts["COUNT"]) if "COUNT" in parts else None,
        until=_until(parts["UNTIL"]) if "UNTIL" in parts else None,
        days=days,
        month_days=_numbers("BYMONTHDAY", parts, _LONGEST_MONTH, is_signed=True),
        months=_numbers("BYMONTH", parts, _MONTHS, is_signed=False),
    )


def _at_least_one(name: str, value: str) -> int:
    if not _NUMBER.fullmatch(value) or int(value) < 1:
        raise WindowError(f"{name} is a whole number from 1, not “{value}”")
    return int(value)


def _weekday(value: str) -> tuple[int, int]:
    found = _DAY.fullmatch(value)
    if not found:
        raise WindowError(f"“{value}” is no weekday: MO … SU, also 1SU or -1FR")
    number = int(found[1]) if found[1] else 0
    if found[1] and not 1 <= abs(number) <= _MOST_WEEKS:
        raise WindowError(f"“{value}”: there is no such weekday")
    return number, WEEKDAYS.index(found[2])


def _numbers(name: str, parts: dict[str, str], most: int, *, is_signed: bool) -> tuple[int, ...]:
    if name not in parts:
        return ()
    found = []
    for value in parts[name].split(","):
        readable = _SIGNED.fullmatch(value) and (is_signed or value.isdigit())
        if not readable or not 1 <= abs(int(value)) <= most:
            raise WindowError(f"{name}: “{value}” is out of range")
        found.append(int(value))
    return tuple(found)


def _until(value: str) -> date | datetime:
    try:
        if _DATE.fullmatch(value):
            return date.fromisoformat(value)
        if _INSTANT.fullmatch(value):
            return datetime.strptime(value, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
    except ValueError:
        pass
    raise WindowError(f"UNTIL is a date or a UTC instant, not “{value}”")
