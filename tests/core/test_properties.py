"""What must hold for every input, against slow and exact reckonings."""

from collections import Counter
from datetime import UTC, datetime, timedelta
from fractions import Fraction

from hypothesis import assume, given, settings
from hypothesis import strategies as st

from gannet_core import clocks, measures, routing
from gannet_core.clocks import ClockEvent, ClockState, EventKind, RowKind
from gannet_core.errors import CalendarExhausted
from gannet_core.instants import seconds_of
from gannet_core.servicetime import ServiceCalendar

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
ZONES = ("Europe/London", "Atlantic/Azores", "Africa/Cairo", "UTC")
QUARTER = 15
START = seconds_of(datetime(2026, 1, 1, tzinfo=UTC))
YEAR = 366 * 86_400


def clock_text(minute: int) -> str:
    return f"{minute // 60:02}:{minute % 60:02}"


@st.composite
def day_hours(draw: st.DrawFn) -> list[list[str]]:
    edges = draw(st.lists(st.integers(0, 95), max_size=4, unique=True).map(sorted))
    pairs = [edges[i : i + 2] for i in range(0, len(edges) - 1, 2)]
    hours = [[clock_text(a * QUARTER), clock_text(b * QUARTER)] for a, b in pairs]
    if pairs and draw(st.booleans()):
        hours.append([clock_text(max(b for _, b in pairs) * QUARTER), "24:00"])
    elif not pairs and draw(st.booleans()):
        hours.append(["22:00", "06:00"])
    return hours


@st.composite
def calendars(draw: st.DrawFn) -> ServiceCalendar:
    week = {day: draw(day_hours()) for day in DAYS}
    assume(any(week.values()))
    return ServiceCalendar.from_json(
        {
            "zone": draw(st.sampled_from(ZONES)),
            "weeks": [{"from": "2020-01-01", "hours": week}],
            "exceptions": [{"date": "2026-12-25", "hours": []}],
        }
    )


instants = st.integers(START, START + YEAR)
amounts = st.integers(0, 40 * 86_400)


@given(calendars(), instants, amounts)
@settings(max_examples=150, deadline=None)
def test_due_and_elapsed_are_inverse(calendar: ServiceCalendar, start: int, amount: int) -> None:
    due = calendar.due_s(start, amount)
    assert calendar.elapsed_s(start, due) == amount
    if amount:
        assert calendar.elapsed_s(start, due - 1) == amount - 1, "a due must be the earliest"


@given(calendars(), st.lists(instants, min_size=3, max_size=3))
@settings(max_examples=100, deadline=None)
def test_elapsed_adds_up_and_equals_its_spans(calendar: ServiceCalendar, at: list[int]) -> None:
    a, b, c = sorted(at)
    whole = calendar.elapsed_s(a, c)
    assert whole == calendar.elapsed_s(a, b) + calendar.elapsed_s(b, c)
    assert whole == sum(end - start for start, end in calendar.open_spans_s(a, c))


@given(calendars(), instants, st.integers(0, 3 * 86_400))
@settings(max_examples=40, deadline=None)
def test_elapsed_equals_counting_minutes(calendar: ServiceCalendar, start: int, span: int) -> None:
    start -= start % 60
    span -= span % 60
    counted = sum(60 for at in range(start, start + span, 60) if calendar.is_open_s(at))
    assert calendar.elapsed_s(start, start + span) == counted


@given(calendars(), instants)
@settings(max_examples=100, deadline=None)
def test_openings_and_closings_are_the_edges_of_being_open(
    calendar: ServiceCalendar, at: int
) -> None:
    opening, closing = calendar.next_opening_s(at), calendar.next_closing_s(at)
    if opening is not None:
        assert calendar.is_open_s(opening) and not calendar.is_open_s(opening - 1)
    if closing is not None:
        assert calendar.is_open_s(closing - 1) and not calendar.is_open_s(closing)


@st.composite
def histories(draw: st.DrawFn) -> list[ClockEvent]:
    kinds = draw(st.lists(st.sampled_from(list(EventKind)), max_size=10))
    at = START
    events = [ClockEvent(at, EventKind.START)]
    for kind in kinds:
        at += draw(st.integers(0, 2 * 86_400))
        events.append(ClockEvent(at, kind))
    return events


targets = st.integers(0, 30 * 3600)


@given(histories(), targets, calendars(), st.integers(0, 20 * 86_400))
@settings(max_examples=150, deadline=None)
def test_a_ledger_tiles_its_span_and_adds_up(
    events: list[ClockEvent], target: int, calendar: ServiceCalendar, later: int
) -> None:
    now = events[-1].at + later
    found = clocks.ledger_s(events, target, calendar, now)
    for before, after in zip(found.rows, found.rows[1:], strict=False):
        assert before.end == after.start and before.kind != after.kind
    assert all(row.seconds > 0 for row in found.rows)
    counted = sum(row.seconds for row in found.rows if row.kind is RowKind.COUNTED)
    assert counted == found.consumed == target - found.remaining
    is_over = found.consumed > target
    assert (found.missed_at is not None) == is_over
    if found.state in (ClockState.MET, ClockState.MISSED):
        assert (found.state is ClockState.MISSED) == is_over


@given(histories(), targets, calendars(), st.integers(1, 9 * 86_400), st.floats(0, 1))
@settings(max_examples=80, deadline=None)
def test_what_happens_later_does_not_change_what_was_read(
    events: list[ClockEvent], target: int, calendar: ServiceCalendar, later: int, share: float
) -> None:
    """A reading at a moment is the same whether or not the later events are known."""
    end = events[-1].at + later
    moment = events[0].at + int((end - events[0].at) * share)
    known = [event for event in events if event.at <= moment]
    early = clocks.ledger_s(events, target, calendar, moment)
    assert early == clocks.ledger_s(known, target, calendar, moment)
    final = clocks.ledger_s(events, target, calendar, end)
    assert early.missed_at in (None, final.missed_at), "a miss stays where it happened"
    assert final.consumed >= early.consumed


@given(histories(), st.integers(0, 60 * 3600), calendars())
@settings(max_examples=80, deadline=None)
def test_the_moment_an_amount_is_reached_is_where_the_ledger_says_so(
    events: list[ClockEvent], amount: int, calendar: ServiceCalendar
) -> None:
    now = events[-1].at + 3600
    at = clocks.reaches_s(events, amount, calendar, now)
    if at is not None and at <= now:
        assert clocks.ledger_s(events, amount, calendar, at).consumed == amount
    elif at is not None:
        assert clocks.ledger_s(events, amount, calendar, at).remaining == 0


@given(st.integers(1, 7), st.integers(1, 60), st.randoms(use_true_random=False))
@settings(deadline=None)
def test_in_turn_is_fair(people: int, tickets: int, rng: object) -> None:
    last: dict[str, int | None] = {f"p{n}": None for n in range(people)}
    counts: Counter[str] = Counter(dict.fromkeys(last, 0))
    for sequence in range(tickets):
        found = routing.pick(
            "in turn", [routing.Candidate(k, last_auto=v) for k, v in last.items()]
        )
        assert found.picked is not None
        last[found.picked] = sequence
        counts[found.picked] += 1
    assert max(counts.values()) - min(counts.values()) <= 1


@given(st.lists(st.integers(-1000, 1000), min_size=1, max_size=40))
def test_percentiles_stand_within_the_values(values: list[int]) -> None:
    found = measures.summary(values)
    assert found.min is not None and found.max is not None
    assert found.min <= found.median <= found.p90 <= found.max  # type: ignore[operator]
    assert found.mean == Fraction(sum(values), len(values)).__float__()


@given(instants, st.sampled_from(measures.BUCKETS), st.sampled_from(ZONES), st.integers(1, 12))
@settings(max_examples=150, deadline=None)
def test_buckets_follow_one_another(at: int, by: str, zone_name: str, month: int) -> None:
    from zoneinfo import ZoneInfo

    zone = ZoneInfo(zone_name)
    moment = datetime.fromtimestamp(at, UTC)
    found = measures.bucket(moment, by, zone, month)
    assert found.start <= moment < found.end
    following = measures.bucket(found.end, by, zone, month)
    assert following.start == found.end and following.key > found.key


@given(st.lists(st.tuples(instants, st.integers(0, 86_400) | st.none()), max_size=30), instants)
def test_open_at_counts_what_was_open(spans: list[tuple[int, int | None]], at: int) -> None:
    read = [(start, None if length is None else start + length) for start, length in spans]
    slowly = sum(1 for start, end in read if start <= at and (end is None or end > at))
    assert measures.open_at(read, [at]) == [slowly]


def test_a_calendar_that_ends_says_what_is_missing() -> None:
    calendar = ServiceCalendar.from_json(
        {
            "zone": "UTC",
            "valid_to": "2026-01-01",
            "weeks": [{"from": "2020-01-01", "hours": {"thu": [["08:00", "10:00"]]}}],
        }
    )
    try:
        calendar.due(datetime(2026, 1, 1, tzinfo=UTC), 3 * 3600)
    except CalendarExhausted as error:
        assert error.missing_seconds == 3600
    else:
        raise AssertionError("three hours do not fit into two")
    far = datetime(2026, 1, 1, tzinfo=UTC) + timedelta(days=400)
    assert calendar.next_opening(far) is None
