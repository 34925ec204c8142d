"""Rhythms of deliveries: local times on the days that they name, across clock changes."""

from datetime import UTC, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.deliveries import Rhythm, Threshold, after, read_rhythm, rhythm_words
from gannet_core.errors import ReportError

LONDON = ZoneInfo("Europe/London")


def rhythm(**said: Any) -> Rhythm:
    return read_rhythm({"every": "day", "at": "07:00", "zone": "Europe/London", **said})


def at(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


@pytest.mark.parametrize(
    ("said", "now", "expected"),
    [
        ({}, "2026-11-23T06:59", "2026-11-23T07:00"),
        ({}, "2026-11-23T07:00", "2026-11-24T07:00"),
        ({"every": "week", "weekdays": [1]}, "2026-11-23T07:00", "2026-11-30T07:00"),
        ({"every": "week", "weekdays": [5, 1]}, "2026-11-23T07:00", "2026-11-27T07:00"),
        ({"every": "month", "day": 31}, "2026-02-01T00:00", "2026-02-28T07:00"),
        ({"every": "month", "day": 31}, "2026-02-28T08:00", "2026-03-31T06:00"),  # summer time
        ({"every": "month", "day": 1}, "2026-12-01T07:00", "2027-01-01T07:00"),
        # 01:30 is left out on 29 March: it is taken at 02:30 by the new clock.
        ({"at": "01:30"}, "2026-03-28T12:00", "2026-03-29T01:30"),
        # 01:30 comes twice on 25 October: the first.
        ({"at": "01:30"}, "2026-10-24T12:00", "2026-10-25T00:30"),
        ({"at": "01:30"}, "2026-10-25T00:30", "2026-10-26T01:30"),
        ({"zone": "Atlantic/Azores"}, "2026-11-23T06:00", "2026-11-23T08:00"),
    ],
)
def test_when_it_goes_out_next(said: dict[str, Any], now: str, expected: str) -> None:
    assert after(rhythm(**said), at(now)) == at(expected)


RHYTHMS = st.builds(
    Rhythm,
    st.sampled_from(["day", "week", "month"]),
    st.builds(time, st.integers(0, 23), st.integers(0, 59)),
    st.sampled_from([LONDON, ZoneInfo("Asia/Kolkata"), ZoneInfo("Pacific/Chatham")]),
    st.frozensets(st.integers(1, 7), min_size=1),
    st.integers(1, 31),
)


@given(RHYTHMS, st.integers(0, 4 * 366 * 86_400))
def test_it_comes_later_at_the_time_on_the_wall_and_nothing_is_left_out(
    found: Rhythm, seconds: int
) -> None:
    now = at("2024-01-01T00:00") + timedelta(seconds=seconds)
    first = after(found, now)
    assert first > now
    local = first.astimezone(found.zone)
    is_left_out = local.time().replace(tzinfo=None) != found.at
    # A time that is not on the wall that day is an hour beside it, and no other is.
    assert not is_left_out or local.utcoffset() != (local - timedelta(hours=3)).utcoffset()
    if found.every == "week":
        assert local.isoweekday() in found.weekdays
    again = after(found, first - timedelta(seconds=1))
    assert again == first, "the one before is not jumped over"
    longest = {"day": 2, "week": 8, "month": 32}[found.every]
    assert after(found, first) - first <= timedelta(days=longest)


@pytest.mark.parametrize(
    ("wrong", "place"),
    [
        ({"every": "hour"}, "every"),
        ({"every": None}, "every"),
        ({"at": "25:00"}, "at"),
        ({"at": "noon"}, "at"),
        ({"at": None}, "at"),
        ({"zone": "Nowhere/There"}, "zone"),
        ({"zone": "../../etc/passwd"}, "zone"),
        ({"zone": ""}, "zone"),
        ({"every": "week"}, "weekdays"),
        ({"every": "week", "weekdays": [0]}, "weekdays"),
        ({"every": "week", "weekdays": ["Monday"]}, "weekdays"),
        ({"every": "month", "day": 32}, "day"),
        ({"every": "month", "day": "last"}, "day"),
    ],
)
def test_what_is_no_rhythm_is_refused_at_its_place(wrong: dict[str, Any], place: str) -> None:
    with pytest.raises(ReportError) as refused:
        rhythm(**wrong)
    assert refused.value.place == place


@pytest.mark.parametrize(
    ("said", "words"),
    [
        ({}, "every day at 07:00"),
        ({"every": "week", "weekdays": [1]}, "every Monday at 07:00"),
        ({"every": "week", "weekdays": [5, 1, 3]}, "every Monday, Wednesday and Friday at 07:00"),
        ({"every": "month", "day": 3}, "on day 3 of every month at 07:00"),
        ({"every": "month", "day": 31}, "on the last day of every month at 07:00"),
    ],
)
def test_a_rhythm_is_said_in_words(said: dict[str, Any], words: str) -> None:
    assert rhythm_words(rhythm(**said)) == words


@pytest.mark.parametrize(
    ("op", "value", "found", "holds"),
    [
        (">", 10, 10.1, True),
        (">", 10, 10, False),
        ("<", 90, 89.9, True),
        ("<", 90, 90, False),
        (">", 0, None, False),
        ("<", 0, None, False),
    ],
)
def test_only_when_a_figure_is_beyond_its_value(
    op: str, value: float, found: float | None, holds: bool
) -> None:
    assert Threshold(0, op, value).holds(found) is holds
