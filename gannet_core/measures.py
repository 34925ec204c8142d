"""Measures: figures over values, and the buckets of local time they fall into."""

import re
from bisect import bisect_right
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from math import fsum
from zoneinfo import ZoneInfo

from gannet_core.instants import instant_of, seconds_of

BUCKETS = ("hour", "day", "week", "month", "quarter", "year")
_MONTHS = 12
_LAST_DAYS = re.compile(r"last ([1-9][0-9]{0,4}) days")


@dataclass(frozen=True, slots=True)
class Summary:
    """Count, sum, mean, median, 90th percentile, least and greatest; None without values."""

    count: int
    sum: float | None = None
    mean: float | None = None
    median: float | None = None
    p90: float | None = None
    min: float | None = None
    max: float | None = None


@dataclass(frozen=True, slots=True)
class Bucket:
    """A span of local time: `key` and `label` are local, the ends are instants."""

    key: str
    label: str
    start: datetime
    end: datetime


def summary(values: Iterable[float]) -> Summary:
    """The figures of a list of numbers; percentiles by linear interpolation (type 7)."""
    ordered = sorted(values)
    if not ordered:
        return Summary(0)
    total: float = sum(ordered) if all(isinstance(v, int) for v in ordered) else fsum(ordered)
    return Summary(
        count=len(ordered),
        sum=total,
        mean=total / len(ordered),
        median=percentile(ordered, 50),
        p90=percentile(ordered, 90),
        min=ordered[0],
        max=ordered[-1],
    )


def percentile(ordered: Sequence[float], percent: int) -> float:
    """The percentile of sorted values: linear interpolation at (n - 1) x percent / 100."""
    whole, rest = divmod((len(ordered) - 1) * percent, 100)
    if rest == 0:
        return ordered[whole]
    return ordered[whole] + (ordered[whole + 1] - ordered[whole]) * rest / 100


def share(part: int, whole: int) -> float | None:
    """A share in percent, from the counts; None of nothing."""
    return None if whole == 0 else 100 * part / whole


def bucket(at: datetime, by: str, zone: ZoneInfo, year_starts_month: int = 1) -> Bucket:
    """The bucket an instant falls into.

    `by` is one of `BUCKETS`. With `year_starts_month` other than 1, quarters and years
    are financial and named after the calendar year they begin in. An hour that happens
    twice is one bucket. An unknown kind or month is `ValueError`.
    """
    if not 1 <= year_starts_month <= _MONTHS:
        raise ValueError(f"a year cannot start in month {year_starts_month}")
    local = at.astimezone(zone)
    if by == "hour":
        return _hour_bucket(local, zone)
    key, first, following = _day_span(local.date(), by, year_starts_month)
    return Bucket(key, first.isoformat(), _midnight(first, zone), _midnight(following, zone))


def buckets(
    start: datetime, end: datetime, by: str, zone: ZoneInfo, year_starts_month: int = 1
) -> list[Bucket]:
    """The buckets that touch [start, end), in order, empty ones included."""
    found = []
    at = start
    while at < end:
        found.append(bucket(at, by, zone, year_starts_month))
        at = found[-1].end
    return found


def relative_range(
    name: str, now: datetime, zone: ZoneInfo, year_starts_month: int = 1
) -> tuple[datetime, datetime]:
    """A relative range on the local calendar as [start, end).

    Known are "today", "yesterday", "this X" and "last X" for week, month, quarter and
    year, and "last N days" (whole local days up to and with today). Others are
    `ValueError`.
    """
    words = name.split()
    if name == "today":
        words = ["this", "day"]
    elif name == "yesterday":
        words = ["last", "day"]
    if days := _LAST_DAYS.fullmatch(name):
        today = now.astimezone(zone).date()
        first = today - timedelta(days=int(days[1]) - 1)
        return _midnight(first, zone), _midnight(today + timedelta(days=1), zone)
    if len(words) != 2 or words[0] not in ("this", "last") or words[1] not in BUCKETS[1:]:
        raise ValueError(f"{name!r} is not a range: say for example 'this month'")
    this = bucket(now, words[1], zone, year_starts_month)
    if words[0] == "last":
        this = bucket(this.start - timedelta(hours=1), words[1], zone, year_starts_month)
    return this.start, this.end


def open_at(spans: Iterable[tuple[int, int | None]], moments: Sequence[int]) -> list[int]:
    """How many spans [opened, ended) were open at each moment; None ends never.

    All are epoch seconds. A ticket opened exactly at a moment counts, one that ended
    exactly then does not.
    """
    opened: list[int] = []
    ended: list[int] = []
    for start, end in spans:
        opened.append(start)
        if end is not None:
            ended.append(end)
    opened.sort()
    ended.sort()
    return [bisect_right(opened, moment) - bisect_right(ended, moment) for moment in moments]


def _hour_bucket(local: datetime, zone: ZoneInfo) -> Bucket:
    start = local.replace(minute=0, second=0, microsecond=0, tzinfo=None, fold=0)
    following = start + timedelta(hours=1)
    label = start.isoformat(timespec="minutes")
    return Bucket(label[:13], label, _resolve(start, zone), _resolve(following, zone))


def _day_span(day: date, by: str, year_starts_month: int) -> tuple[str, date, date]:
    if by == "day":
        return day.isoformat(), day, day + timedelta(days=1)
    if by == "week":
        year, week, weekday = day.isocalendar()
        first = day - timedelta(days=weekday - 1)
        return f"{year}-W{week:02}", first, first + timedelta(days=7)
    if by == "month":
        first = day.replace(day=1)
        return f"{first:%Y-%m}", first, _month_after(first, 1)
    if by not in ("quarter", "year"):
        raise ValueError(f"{by!r} is not a kind of bucket: use one of {', '.join(BUCKETS)}")
    starts_this_year = day.month >= year_starts_month
    year_start = date(day.year if starts_this_year else day.year - 1, year_starts_month, 1)
    name = f"{year_start.year}" if year_starts_month == 1 else f"FY{year_start.year}"
    if by == "year":
        return name, year_start, _month_after(year_start, _MONTHS)
    quarter = ((day.month - year_starts_month) % _MONTHS) // 3
    first = _month_after(year_start, 3 * quarter)
    return f"{name}-Q{quarter + 1}", first, _month_after(first, 3)


def _month_after(first: date, months: int) -> date:
    index = first.year * _MONTHS + first.month - 1 + months
    return date(index // _MONTHS, index % _MONTHS + 1, 1)


def _midnight(day: date, zone: ZoneInfo) -> datetime:
    return _resolve(datetime.combine(day, time()), zone)


def _resolve(local: datetime, zone: ZoneInfo) -> datetime:
    return instant_of(seconds_of(local.replace(tzinfo=zone)))
