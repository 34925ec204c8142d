"""Service-time arithmetic beside a plain loop over days, and beside a recurrence library."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from dateutil.rrule import DAILY, rrule

from bench.timing import best, verdict
from gannet_core.servicetime import ServiceCalendar

ZONE = ZoneInfo("Europe/London")
HOURS = [[["08:00", "12:30"], ["13:00", "18:00"]]] * 5
CALENDAR = {
    "zone": "Europe/London",
    "weeks": [
        {
            "from": "2020-01-01",
            "hours": dict(zip(("mon", "tue", "wed", "thu", "fri"), HOURS, strict=True)),
        }
    ],
}
SPANS = ((8, 0, 12, 30), (13, 0, 18, 0))
REPEAT = 400


def loop_elapsed(start: datetime, end: datetime) -> int:
    """Open seconds by walking the days of a recurrence rule."""
    total = 0.0
    first = start.astimezone(ZONE).replace(hour=0, minute=0, second=0, microsecond=0, tzinfo=None)
    until = end.astimezone(ZONE).replace(tzinfo=None)
    for day in rrule(DAILY, dtstart=first, until=until, byweekday=range(5)):
        for h1, m1, h2, m2 in SPANS:
            opening = day.replace(hour=h1, minute=m1, tzinfo=ZONE)
            closing = day.replace(hour=h2, minute=m2, tzinfo=ZONE)
            low, high = max(opening, start), min(closing, end)
            if low < high:
                total += (high.astimezone(UTC) - low.astimezone(UTC)).total_seconds()
    return int(total)


def day_loop_elapsed(start: datetime, end: datetime) -> int:
    """Open seconds by walking the days one after the other, with nothing but the clock."""
    total = 0.0
    day = start.astimezone(ZONE).date()
    last = end.astimezone(ZONE).date()
    while day <= last:
        if day.weekday() < 5:
            for h1, m1, h2, m2 in SPANS:
                opening = datetime(day.year, day.month, day.day, h1, m1, tzinfo=ZONE)
                closing = datetime(day.year, day.month, day.day, h2, m2, tzinfo=ZONE)
                low, high = max(opening, start), min(closing, end)
                if low < high:
                    total += high.timestamp() - low.timestamp()
        day += timedelta(days=1)
    return int(total)


def run() -> list[str]:
    calendar = ServiceCalendar.from_json(CALENDAR)
    start = datetime(2024, 3, 4, 9, 17, tzinfo=UTC)
    lines, ours_by_span = [], {}
    for name, days in (("3 days", 3), ("30 days", 30), ("3 years", 1095)):
        end = start + timedelta(days=days, hours=3)
        assert calendar.elapsed(start, end) == loop_elapsed(start, end)
        ours = best(lambda e=end: [calendar.elapsed(start, e) for _ in range(REPEAT)]) / REPEAT
        plain = best(lambda e=end: loop_elapsed(start, e), 3)
        assert calendar.elapsed(start, end) == day_loop_elapsed(start, end)
        walked = best(lambda e=end: day_loop_elapsed(start, e), 3)
        ours_by_span[name] = ours
        lines.append(
            verdict(
                f"elapsed over {name}, recurrences / ours ({1 / ours:,.0f} a second)",
                plain / ours,
                ">= 25",
                is_met=plain / ours >= 25,
            )
        )
        lines.append(f"{f'elapsed over {name}, plain day loop / ours':<58} {walked / ours:>9.2f}")
    amount = 40 * 3600
    ours = best(lambda: [calendar.due(start, amount) for _ in range(REPEAT)]) / REPEAT
    plain = best(lambda: loop_elapsed(start, start + timedelta(days=6)), 3)
    lines.append(
        verdict(
            f"due of 40 h, recurrences / ours ({1 / ours:,.0f} a second)",
            plain / ours,
            ">= 25",
            is_met=plain / ours >= 25,
        )
    )
    growth = ours_by_span["3 years"] / ours_by_span["3 days"]
    lines.append(
        verdict(
            "elapsed over 3 years / over 3 days (flat is 1)", growth, "<= 1.5", is_met=growth <= 1.5
        )
    )
    return lines
