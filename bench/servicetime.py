"""Service-time arithmetic beside a plain day loop with a general calendar library."""

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
SPANS = ((8, 30, 12, 30), (13, 0, 18, 0))
REPEAT = 400


def loop_elapsed(start: datetime, end: datetime) -> int:
    """Open seconds by walking the days of a recurrence rule."""
    total = 0.0
    first = start.astimezone(ZONE).replace(hour=0, minute=0, second=0, microsecond=0, tzinfo=None)
    until = end.astimezone(ZONE).replace(tzinfo=None)
    for day in rrule(DAILY, dtstart=first, until=until, byweekday=range(5)):
        for h1, m1, h2, m2 in ((8, 0, 12, 30), (13, 0, 18, 0)):
            opening = day.replace(hour=h1, minute=m1, tzinfo=ZONE)
            closing = day.replace(hour=h2, minute=m2, tzinfo=ZONE)
            low, high = max(opening, start), min(closing, end)
            if low < high:
                total += (high.astimezone(UTC) - low.astimezone(UTC)).total_seconds()
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
        ours_by_span[name] = ours
        lines.append(
            verdict(
                f"elapsed over {name}, day loop / ours ({1 / ours:,.0f} a second)",
                plain / ours,
                ">= 25",
                is_met=plain / ours >= 25,
            )
        )
    amount = 40 * 3600
    ours = best(lambda: [calendar.due(start, amount) for _ in range(REPEAT)]) / REPEAT
    plain = best(lambda: loop_elapsed(start, start + timedelta(days=6)), 3)
    lines.append(
        verdict(
            f"due of 40 h, day loop / ours ({1 / ours:,.0f} a second)",
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
