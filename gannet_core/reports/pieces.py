"""The groups of a dimension: bands of a value, pieces of time, and how a heading says each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from zoneinfo import ZoneInfo

from gannet_core import measures
from gannet_core.errors import ReportError
from gannet_core.instants import instant_of, seconds_of
from gannet_core.reports.definition import HOUR_OF_DAY, MOST_BUCKETS, WEEKDAY, Dimension

_WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
_DAY = 86_400
# Where bands of a value begin, from the least up; beyond them by ones, twos and fives.
_LADDERS: Mapping[str, Sequence[int]] = {
    "seconds": (
        0, 300, 900, 1_800, 3_600, 7_200, 14_400, 28_800, _DAY, 2 * _DAY, 4 * _DAY, 7 * _DAY,
        14 * _DAY, 28 * _DAY, 56 * _DAY, 91 * _DAY, 182 * _DAY, 365 * _DAY, 730 * _DAY,
    ),
    "minutes": (0, 5, 10, 15, 30, 60, 120, 240, 480, 960, 2_400),
}  # fmt: skip
MOST_BANDS = 24


def bands(unit: str, least: int, most: int) -> tuple[int, ...]:
    """Where the bands begin into which values from `least` to `most` fall, and the last ends.

    Each takes its beginning and not its end. Durations go by steps that people say (an hour, a
    day, a week), few numbers one by one, others by ones, twos and fives.
    """
    ladder = _LADDERS.get(unit)
    if ladder is not None and least >= 0 and most < ladder[-1]:
        first = max(at for at, edge in enumerate(ladder) if edge <= least)
        last = min(at for at, edge in enumerate(ladder) if edge > most)
        return tuple(ladder[first : last + 1])
    step, place = 1, 0
    while (most - least) // step >= MOST_BANDS // 2:
        place += 1
        step = (1, 2, 5)[place % 3] * 10 ** (place // 3)
    first = least // step * step
    return tuple(range(first, most // step * step + 2 * step, step))


def band_label(low: int, high: int, unit: str) -> str:
    """A band as a heading of a report says it."""
    if unit == "seconds":
        return f"{_length(low)} to {_length(high)}" if low else f"under {_length(high)}"
    if unit == "minutes":
        return f"{low} to {high} min" if low else f"under {high} min"
    if unit == "pence":
        return f"{low / 100:,.2f} to {high / 100:,.2f}"
    return str(low) if high == low + 1 else f"{low} to {high - 1}"


def _length(seconds: int) -> str:
    for name, size in (("week", 7 * _DAY), ("day", _DAY), ("h", 3_600), ("min", 60)):
        if abs(seconds) >= size and seconds % size == 0:
            many = seconds // size
            plural = "s" if many != 1 and name in ("week", "day") else ""
            return f"{many} {name}{plural}"
    return f"{seconds} s"


def bucket_label(key: str, by: str) -> str:
    """A piece of time as a heading of a report says it."""
    if by == WEEKDAY:
        return _WEEKDAYS[int(key) - 1]
    if by == HOUR_OF_DAY:
        return f"{int(key):02}:00"
    if by == "hour":
        return f"{date.fromisoformat(key[:10]):%-d %b} {key[11:13]}:00"
    if by == "day":
        return f"{date.fromisoformat(key):%a %-d %b}"
    if by == "week":
        year, week = key.split("-W")
        return f"week {int(week)}, {date.fromisocalendar(int(year), int(week), 1):%-d %b %Y}"
    if by == "month":
        return f"{date.fromisoformat(key + '-01'):%B %Y}"
    return key.replace("-", " ").replace("FY", "year from ") if by == "year" else _quarter(key)


def _quarter(key: str) -> str:
    year, quarter = key.rsplit("-", 1)
    return f"{quarter} {year.replace('FY', 'of the year from ')}"


@dataclass(frozen=True, slots=True)
class Edges:
    """The pieces of time of a dimension between two instants: keys, and where each begins.

    `starts_s` has one more than there are keys: the end of the last.
    """

    keys: tuple[str, ...]
    starts_s: tuple[int, ...]


def edges(
    dimension: Dimension, start: datetime, end: datetime, zone: ZoneInfo, first_month: int = 1
) -> Edges:
    """The pieces of time that touch [start, end), the empty ones included."""
    found = measures.buckets(start, end, dimension.by, zone, first_month)
    if len(found) > MOST_BUCKETS:
        raise ReportError(
            "rows", f"{len(found)} pieces of a {dimension.by} each: choose longer ones"
        )
    starts = [seconds_of(one.start) for one in found]
    return Edges(
        tuple(one.key for one in found),
        (*starts, *([seconds_of(found[-1].end)] if found else ())),
    )


def offsets(start_s: int, end_s: int, zone: ZoneInfo) -> list[tuple[int, int]]:
    """How far local time is ahead of UTC between two instants: [(until, seconds), …].

    Each offset holds up to its `until`, the last for all that comes after. Clocks move at
    whole quarters of an hour.
    """
    found: list[tuple[int, int]] = []
    at, offset = start_s, _offset(start_s, zone)
    while at < end_s:
        following = min(at + 7 * _DAY, end_s)
        if _offset(following, zone) != offset:
            low, high = at, following
            while high - low > 1:
                middle = (low + high) // 2
                low, high = (middle, high) if _offset(middle, zone) == offset else (low, middle)
            found.append((high, offset))
            offset = _offset(high, zone)
            following = high
        at = following
    found.append((end_s, offset))
    return found


def _offset(at_s: int, zone: ZoneInfo) -> int:
    shift = instant_of(at_s).astimezone(zone).utcoffset()
    return 0 if shift is None else int(shift.total_seconds())


ROUND = {
    HOUR_OF_DAY: tuple(f"{hour:02}" for hour in range(24)),
    WEEKDAY: tuple(str(day) for day in range(1, 8)),
}
