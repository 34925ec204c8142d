"""Reading and checking the JSON form of a service calendar.

The form is that of the rulebook file: hours are local wall times by weekday, in
effective-dated weeks, with exceptions by date. Everything wrong is a
`CalendarError` that names the place.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

from gannet_core.errors import CalendarError

DAY_NAMES = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MINUTES_PER_DAY = 24 * 60

# Minutes from local midnight; an end above MINUTES_PER_DAY lies on the next day.
Interval = tuple[int, int]
WeekHours = tuple[tuple[Interval, ...], ...]

_TIME = re.compile(r"([0-9]{2}):([0-9]{2})\Z", re.ASCII)
_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}\Z", re.ASCII)
_YEARLY = re.compile(r"([0-9]{2})-([0-9]{2})\Z", re.ASCII)


@dataclass(frozen=True, slots=True)
class CalendarData:
    """A checked calendar, before it is compiled to spans."""

    name: str
    zone: ZoneInfo
    valid_from: date | None
    valid_to: date | None
    dated: tuple[tuple[date, WeekHours], ...]
    yearly: tuple[tuple[tuple[int, int], WeekHours], ...]
    exceptions: Mapping[date, tuple[Interval, ...]]

    def is_valid_on(self, day: date) -> bool:
        if self.valid_from is not None and day < self.valid_from:
            return False
        return self.valid_to is None or day <= self.valid_to

    def week_on(self, day: date) -> WeekHours | None:
        """The week entry in force on a date, or None before the first one."""
        best: tuple[date, int] | None = None
        hours: WeekHours | None = None
        for start, week in self.dated:
            if start <= day and (best is None or (start, 1) > best):
                best, hours = (start, 1), week
        for (month, day_of_month), week in self.yearly:
            start = date(day.year, month, day_of_month)
            if start > day:
                if day.year == 1:
                    continue
                start = date(day.year - 1, month, day_of_month)
            if best is None or (start, 0) > best:
                best, hours = (start, 0), week
        return hours

    def hours_on(self, day: date) -> tuple[Interval, ...]:
        """The intervals that start on a date."""
        if not self.is_valid_on(day):
            return ()
        week = self.week_on(day)
        if week is None:
            return ()
        exception = self.exceptions.get(day)
        return week[day.weekday()] if exception is None else exception

    def last_special_year(self) -> int | None:
        """The last year in which something other than the yearly rhythm happens."""
        years = [start.year for start, _ in self.dated]
        years += [day.year for day in self.exceptions]
        if self.valid_to is not None:
            years.append(self.valid_to.year)
        if self.valid_from is not None:
            years.append(self.valid_from.year)
        return max(years) if years else None


def read_calendar(data: object) -> CalendarData:
    """Check the JSON form and return it parsed; `CalendarError` names what is wrong."""
    if not isinstance(data, Mapping):
        raise CalendarError("a calendar must be an object")
    valid_from = _optional_date(data.get("valid_from"), "valid_from")
    valid_to = _optional_date(data.get("valid_to"), "valid_to")
    if valid_from and valid_to and valid_to < valid_from:
        raise CalendarError(f"valid_to {valid_to} is before valid_from {valid_from}")
    dated, yearly = _weeks(data.get("weeks"))
    return CalendarData(
        name=str(data.get("name") or ""),
        zone=_zone(data.get("zone")),
        valid_from=valid_from,
        valid_to=valid_to,
        dated=dated,
        yearly=yearly,
        exceptions=_exceptions(data.get("exceptions")),
    )


def _zone(value: object) -> ZoneInfo:
    if not isinstance(value, str) or not value:
        raise CalendarError(f"zone: {value!r} is no time zone name")
    try:
        return ZoneInfo(value)
    except (ValueError, OSError, LookupError) as error:
        raise CalendarError(f"zone: {value!r} is not a known time zone") from error


def _optional_date(value: object, place: str) -> date | None:
    return None if value is None else _date(value, place)


def _date(value: object, place: str) -> date:
    if not isinstance(value, str) or not _DATE.match(value):
        raise CalendarError(f"{place}: {value!r} is not a date written YYYY-MM-DD")
    try:
        return date.fromisoformat(value)
    except ValueError as error:
        raise CalendarError(f"{place}: {value!r} does not exist") from error


def _weeks(
    value: object,
) -> tuple[
    tuple[tuple[date, WeekHours], ...],
    tuple[tuple[tuple[int, int], WeekHours], ...],
]:
    if not isinstance(value, list):
        raise CalendarError("weeks: missing, or not a list")
    dated: dict[date, WeekHours] = {}
    yearly: dict[tuple[int, int], WeekHours] = {}
    for index, entry in enumerate(value):
        place = f"weeks[{index}]"
        if not isinstance(entry, Mapping):
            raise CalendarError(f"{place}: must be an object")
        hours = _week_hours(entry.get("hours"), f"{place}.hours")
        start = entry.get("from")
        if isinstance(start, str) and (match := _YEARLY.match(start)):
            month_day = _yearly_start(int(match[1]), int(match[2]), f"{place}.from")
            if month_day in yearly:
                raise CalendarError(f"{place}.from: {start} stands twice")
            yearly[month_day] = hours
        else:
            day = _date(start, f"{place}.from")
            if day in dated:
                raise CalendarError(f"{place}.from: {start} stands twice")
            dated[day] = hours
    return tuple(sorted(dated.items())), tuple(sorted(yearly.items()))


def _yearly_start(month: int, day: int, place: str) -> tuple[int, int]:
    try:
        date(2023, month, day)  # a common year: 29 February does not return every year
    except ValueError as error:
        raise CalendarError(f"{place}: {month:02}-{day:02} does not exist in every year") from error
    return month, day


def _week_hours(value: object, place: str) -> WeekHours:
    if not isinstance(value, Mapping):
        raise CalendarError(f"{place}: missing, or not an object")
    for name in value:
        if name not in DAY_NAMES:
            raise CalendarError(f"{place}: {name!r} is not one of {', '.join(DAY_NAMES)}")
    return tuple(_day_hours(value.get(name, []), f"{place}.{name}") for name in DAY_NAMES)


def _day_hours(value: object, place: str) -> tuple[Interval, ...]:
    if not isinstance(value, list):
        raise CalendarError(f"{place}: must be a list of [start, end] pairs")
    intervals = sorted(_interval(pair, f"{place}[{i}]") for i, pair in enumerate(value))
    for (_, end), (start, _) in pairwise(intervals):
        if start < end:
            raise CalendarError(f"{place}: hours of the same day overlap")
    return tuple(intervals)


def _interval(pair: Any, place: str) -> Interval:
    if not isinstance(pair, list) or len(pair) != 2:
        raise CalendarError(f"{place}: must be a pair [start, end]")
    start = _minutes(pair[0], place)
    end = _minutes(pair[1], place)
    if start == MINUTES_PER_DAY:
        raise CalendarError(f"{place}: 24:00 may only be an end")
    return start, end if end > start else end + MINUTES_PER_DAY


def _minutes(text: object, place: str) -> int:
    match = _TIME.match(text) if isinstance(text, str) else None
    if match is None:
        raise CalendarError(f"{place}: {text!r} is not a time written HH:MM")
    hours, minutes = int(match[1]), int(match[2])
    if minutes > 59 or hours > 24 or (hours == 24 and minutes > 0):
        raise CalendarError(f"{place}: {text!r} does not exist")
    return hours * 60 + minutes


def _exceptions(value: object) -> dict[date, tuple[Interval, ...]]:
    if value is None:
        return {}
    if not isinstance(value, list):
        raise CalendarError("exceptions: must be a list")
    found: dict[date, tuple[Interval, ...]] = {}
    for index, entry in enumerate(value):
        place = f"exceptions[{index}]"
        if not isinstance(entry, Mapping):
            raise CalendarError(f"{place}: must be an object")
        day = _date(entry.get("date"), f"{place}.date")
        if day in found:
            raise CalendarError(f"{place}.date: {day} stands twice")
        if "hours" not in entry:
            raise CalendarError(f"{place}.hours: missing")
        found[day] = _day_hours(entry["hours"], f"{place}.hours")
    return found
