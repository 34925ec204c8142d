"""Schedule: recurrence against a library, clashes against a slow reading, slots by property."""

from collections.abc import Mapping
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import assume, given
from hypothesis import strategies as st

from gannet_core.errors import ScheduleError, WindowError
from gannet_core.impact import Edge, Web
from gannet_core.recurrence import read_recurrence
from gannet_core.schedule import (
    Absence,
    Freeze,
    Occasion,
    Planned,
    meeting_of,
    next_meeting,
    review_date,
)
from gannet_core.servicetime import ServiceCalendar
from gannet_core.windows import gaps, merged, read_window

LONDON = ZoneInfo("Europe/London")
HOUR = 3600
DAY = 24 * HOUR
NOON = int(datetime(2026, 11, 24, 12, tzinfo=UTC).timestamp())


def rules() -> st.SearchStrategy[str]:
    """Rules that the library reads as the standard does: not plain and numbered days mixed."""
    weekdays = st.lists(st.sampled_from("MO TU WE TH FR SA SU".split()), min_size=1, unique=True)
    numbered = st.lists(
        st.tuples(st.sampled_from([1, 2, 4, -1, -2]), st.sampled_from("MO TU SU".split())).map(
            lambda pair: f"{pair[0]}{pair[1]}"
        ),
        min_size=1,
        unique=True,
    )
    month_days = st.lists(st.sampled_from([1, 15, 29, 31, -1, -3]), min_size=1, unique=True)
    months = st.lists(st.integers(1, 12), min_size=1, max_size=4, unique=True)

    def part(name: str, values: st.SearchStrategy[Any]) -> st.SearchStrategy[str]:
        given = values.map(lambda found: f";{name}=" + ",".join(map(str, found)))
        return st.one_of(st.just(""), given)

    def of(frequency: str) -> st.SearchStrategy[str]:
        days = part("BYDAY", weekdays)
        if frequency in ("MONTHLY", "YEARLY"):
            days = st.one_of(days, part("BYDAY", numbered))
        in_month = part("BYMONTHDAY", month_days) if frequency != "WEEKLY" else st.just("")
        interval = st.integers(1, 3).map(lambda n: f";INTERVAL={n}")
        count = st.one_of(st.just(""), st.integers(1, 9).map(lambda n: f";COUNT={n}"))
        parts = st.tuples(interval, count, days, in_month, part("BYMONTH", months))
        return parts.map(lambda found: f"FREQ={frequency}" + "".join(found))

    return st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]).flatmap(of)


@given(rules(), st.dates(date(2023, 1, 1), date(2026, 12, 31)), st.integers(0, 900))
def test_a_rule_falls_on_the_days_that_the_library_finds(
    text: str, first: date, later: int
) -> None:
    near = first + timedelta(days=later)
    until = near + timedelta(days=800)
    start = datetime.combine(first, datetime.min.time())
    library = rrulestr(text, dtstart=start)
    span = (datetime.combine(day, datetime.min.time()) for day in (near, until))
    wanted = [found.date() for found in library.between(*span, inc=True)]

    found = []
    for day in read_recurrence(text).dates(first, near):
        if day > until:
            break
        if day >= near:
            found.append(day)
        assume(len(found) < 2000)

    assert found == wanted


def test_plain_and_numbered_weekdays_of_one_rule_are_both_meant() -> None:
    rule = read_recurrence("FREQ=MONTHLY;BYDAY=1SU,FR;COUNT=6")

    assert [day.isoformat() for day in rule.dates(date(2026, 11, 1))] == [
        "2026-11-01",
        "2026-11-06",
        "2026-11-13",
        "2026-11-20",
        "2026-11-27",
        "2026-12-04",
    ]


@pytest.mark.parametrize(
    "text",
    [
        "",
        "DAILY",
        "FREQ=",
        "FREQ=DAILY;",
        "FREQ=DAILY;FREQ=DAILY",
        "FREQ=SECONDLY",
        "FREQ=DAILY;WKST=MO",
        "FREQ=DAILY;INTERVAL=0",
        "FREQ=DAILY;COUNT=-1",
        "FREQ=DAILY;COUNT=1;UNTIL=20270101",
        "FREQ=WEEKLY;BYDAY=1MO",
        "FREQ=WEEKLY;BYMONTHDAY=1",
        "FREQ=MONTHLY;BYDAY=0MO",
        "FREQ=MONTHLY;BYDAY=54MO",
        "FREQ=MONTHLY;BYMONTHDAY=32",
        "FREQ=YEARLY;BYMONTH=13",
        "FREQ=YEARLY;BYMONTH=-1",
        "FREQ=DAILY;UNTIL=20270230",
        "FREQ=DAILY;UNTIL=20270101T000000",
        "FREQ=DAILY;BYHOUR=3",
        "RRULE:FREQ=DAILY",
    ],
)
def test_a_rule_that_cannot_be_read_is_refused(text: str) -> None:
    with pytest.raises(WindowError):
        read_recurrence(text)


def test_a_rule_that_fits_no_day_ends() -> None:
    never = window(rrule="FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30")

    assert never.spans(NOON, NOON + 400 * DAY) == []
    assert never.following(NOON) == []


def window(**given: Any) -> Any:
    base = {"zone": "Europe/London", "from": "2026-01-04T01:30", "to": "2026-01-04T05:30"}
    return read_window({**base, **given})


def test_the_next_of_a_window_lie_on_the_wall_whatever_the_clocks_do() -> None:
    sundays = window(rrule="FREQ=WEEKLY;BYDAY=SU", **{"except": ["2026-04-05"]})
    at = int(datetime(2026, 3, 23, tzinfo=UTC).timestamp())

    found = sundays.following(at, 3)

    told = [datetime.fromtimestamp(start, LONDON).strftime("%d %b %H:%M") for start, _ in found]
    assert told == ["29 Mar 02:30", "12 Apr 01:30", "19 Apr 01:30"]
    assert [(end - start) / HOUR for start, end in found] == [3, 4, 4]


@given(
    st.lists(st.tuples(st.integers(0, 50), st.integers(0, 50)), max_size=8),
    st.integers(0, 50),
    st.integers(0, 50),
)
def test_gaps_and_spans_share_out_the_time_between_them(
    spans: list[tuple[int, int]], start: int, length: int
) -> None:
    end = start + length
    taken = {at for a, b in merged(spans) for at in range(a, b)}
    free = [at for a, b in gaps(spans, start, end) for at in range(a, b)]

    assert taken == {at for a, b in spans for at in range(a, b)}
    assert free == [at for at in range(start, end) if at not in taken]


def test_the_meeting_is_judged_by_its_local_day() -> None:
    meeting = meeting_of("tue", "10:30", ZoneInfo("America/New_York"), 24 * 60)
    late_monday = int(datetime(2026, 11, 24, 4, 30, tzinfo=UTC).timestamp())

    found = datetime.fromtimestamp(next_meeting(meeting, late_monday), UTC)

    assert found == datetime(2026, 12, 1, 15, 30, tzinfo=UTC)


@pytest.mark.parametrize("given", [("Tue", "10:30", 0), ("tue", "25:00", 0), ("tue", "10:30", -1)])
def test_a_meeting_that_cannot_be_is_refused(given: tuple[str, str, int]) -> None:
    with pytest.raises(ScheduleError):
        meeting_of(given[0], given[1], LONDON, given[2])


@pytest.mark.parametrize(
    ("end", "days", "wanted"),
    [
        ("2026-11-24T10:00", 3, "2026-11-27T10:00"),
        ("2026-11-26T16:00", 2, "2026-11-30T16:00"),  # over a weekend
        ("2026-11-24T06:15", 1, "2026-11-25T09:00"),  # before hours: that day's opening
        ("2026-11-24T22:00", 1, "2026-11-26T09:00"),  # after hours: the next one
        ("2026-03-27T10:00", 1, "2026-03-30T10:00"),  # the clocks go forward between
    ],
)
def test_the_look_back_falls_on_a_service_day(end: str, days: int, wanted: str) -> None:
    hours = {day: [["09:00", "17:00"]] for day in ("mon", "tue", "wed", "thu", "fri")}
    calendar = ServiceCalendar.from_json(
        {"zone": "Europe/London", "weeks": [{"from": "2020-01-01", "hours": hours}]}
    )
    ended = int(datetime.fromisoformat(end).replace(tzinfo=LONDON).timestamp())

    found = review_date(calendar, ended, days, LONDON)

    assert datetime.fromtimestamp(found, LONDON).strftime("%Y-%m-%dT%H:%M") == wanted


# What is planned in the properties below: a small estate with a pair, few people, one day.
EDGES = [
    Edge("Booking", "app"),
    Edge("app", "db", "soft"),
    Edge("Booking", "web-1", "redundant", "pair"),
    Edge("Booking", "web-2", "redundant", "pair"),
    Edge("web-1", "host"),
    Edge("web-2", "host"),
    Edge("Tills", "switch", "soft"),
]
SERVICES = frozenset({"Booking", "Tills"})
ITEMS = st.frozensets(
    st.sampled_from(["app", "db", "web-1", "web-2", "host", "switch"]), max_size=3
)
PEOPLE = st.frozensets(st.sampled_from(["Ines", "Joss"]), max_size=2)


@st.composite
def spans(draw: st.DrawFn, most: int = 24) -> tuple[int, int]:
    start = draw(st.integers(-4, most * 4)) * 15 * 60 + draw(st.sampled_from([0, 420]))
    return NOON + start, NOON + start + draw(st.integers(1, 20)) * 15 * 60


@st.composite
def occasions(draw: st.DrawFn) -> Occasion:
    number = iter(range(20))
    others = draw(
        st.lists(
            st.builds(
                lambda span, people, items: Planned(
                    f"C{next(number)}", span[0], span[1], people, items
                ),
                spans(),
                PEOPLE,
                ITEMS,
            ),
            max_size=5,
        )
    )
    freezes = draw(
        st.lists(
            st.builds(
                lambda span, covers: Freeze(f"F{next(number)}", (span,), covers),
                spans(),
                st.one_of(st.none(), st.sampled_from([frozenset({"app"}), frozenset({"Tills"})])),
            ),
            max_size=2,
        )
    )
    absences = draw(
        st.lists(
            st.builds(
                lambda person, span: Absence(person, *span),
                st.sampled_from(["Ines", "Joss"]),
                spans(),
            ),
            max_size=2,
        )
    )
    windows: Mapping[str, list[tuple[int, int]]] = draw(
        st.dictionaries(st.sampled_from(["app", "db"]), st.lists(spans(), max_size=3), max_size=1)
    )
    cab = draw(st.one_of(st.none(), st.integers(0, 6).map(lambda hour: NOON + hour * HOUR)))
    return Occasion(
        "own",
        draw(PEOPLE),
        draw(ITEMS),
        others,
        Web(EDGES),
        SERVICES,
        freezes,
        windows,
        cab,
        absences,
    )


@given(occasions(), st.integers(1, 300))
def test_a_slot_that_is_taken_never_clashes(occasion: Occasion, minutes: int) -> None:
    for slot in occasion.slots(NOON + 420, NOON + DAY, minutes):
        assert slot.end_s - slot.start_s == minutes * 60
        assert slot.start_s % (15 * 60) == 0 and slot.start_s >= NOON + 420
        assert occasion.clashes(slot.start_s, slot.end_s) == []


@given(occasions(), st.integers(1, 300))
def test_no_earlier_quarter_would_have_been_free(occasion: Occasion, minutes: int) -> None:
    found = occasion.slots(NOON, NOON + DAY, minutes, count=1)
    first = found[0].start_s if found else NOON + DAY - minutes * 60 + 1

    for start in range(NOON, first, 15 * 60):
        assert occasion.clashes(start, start + minutes * 60)


@given(occasions(), spans())
def test_shared_services_agree_with_the_whole_estate_struck(
    occasion: Occasion, span: tuple[int, int]
) -> None:
    """The search looks at a part of the estate only; this one strikes all of it each time."""
    web = Web(EDGES)
    alone = web.stopped(occasion.items).reach
    told = {clash.other: clash.what for clash in occasion.clashes(*span) if clash.kind == "service"}

    for other in occasion.others:
        if other.start_s >= span[1] or span[0] >= other.end_s:
            assert other.id not in told
            continue
        theirs, both = (
            web.stopped(other.items).reach,
            web.stopped(occasion.items | other.items).reach,
        )
        wanted = tuple(
            name
            for name in sorted(SERVICES)
            if min(alone.get(name, 0), theirs.get(name, 0)) >= 0.5
            or (
                both.get(name, 0) >= 0.5
                and both[name] > max(alone.get(name, 0), theirs.get(name, 0))
            )
        )
        assert told.get(other.id, ()) == wanted
