"""The span of a report as instants, and the one that it is held against."""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from gannet_core import measures
from gannet_core.instants import instant_of, seconds_of
from gannet_core.reports.definition import YEAR_BEFORE, Definition


@dataclass(frozen=True, slots=True)
class Span:
    """A span as instants; `until` is where it has got to, before its end while it runs."""

    start: datetime
    end: datetime
    until: datetime

    @property
    def is_running(self) -> bool:
        """Whether a part of it is still to come."""
        return self.until < self.end


def span_of(found: Definition, now: datetime, zone: ZoneInfo, first_month: int = 1) -> Span:
    """The span of a report on the local calendar, as it is now."""
    if isinstance(found.span, tuple):
        first, last = found.span
        start, end = (
            _day_begins(first, zone),
            _day_begins(last + timedelta(days=1), zone),
        )
    else:
        start, end = measures.relative_range(found.span, now, zone, first_month)
    return Span(start, end, max(start, min(end, now)))


def span_before(found: Definition, span: Span, zone: ZoneInfo, first_month: int = 1) -> Span:
    """The span that a report is held against: as far into it as the report's has got.

    The period before is the calendar's own for a relative range (the month before this
    month), and as long a one for others.
    """
    if found.against == YEAR_BEFORE:
        start, end = _year_before(span.start, zone), _year_before(span.end, zone)
    elif isinstance(found.span, str) and found.span.split(" ")[0] in ("this", "last") and (
        len(found.span.split(" ")) == 2
    ):  # fmt: skip
        by = found.span.split(" ")[1]
        start = measures.bucket(span.start - timedelta(hours=1), by, zone, first_month).start
        end = span.start
    else:
        days = (span.end.astimezone(zone).date() - span.start.astimezone(zone).date()).days
        start = _days_before(span.start, max(days, 1), zone)
        end = span.start
    if not span.is_running:
        return Span(start, end, end)
    gone = span.until.astimezone(zone).replace(tzinfo=None) - span.start.astimezone(zone).replace(
        tzinfo=None
    )
    there = (start.astimezone(zone).replace(tzinfo=None) + gone).replace(tzinfo=zone)
    return Span(start, end, min(end, instant_of(seconds_of(there))))


def _day_begins(day: date, zone: ZoneInfo) -> datetime:
    return measures.bucket(instant_of(seconds_of(datetime.combine(day, time(12), zone))),
                           "day", zone).start  # fmt: skip


def _days_before(at: datetime, days: int, zone: ZoneInfo) -> datetime:
    local = at.astimezone(zone).replace(tzinfo=None) - timedelta(days=days)
    return instant_of(seconds_of(local.replace(tzinfo=zone)))


def _year_before(at: datetime, zone: ZoneInfo) -> datetime:
    local = at.astimezone(zone).replace(tzinfo=None)
    day = local.day if (local.month, local.day) != (2, 29) else 28
    return instant_of(seconds_of(local.replace(year=local.year - 1, day=day, tzinfo=zone)))
