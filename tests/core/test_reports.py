"""Reports: definitions that can be and cannot, spans and what they are held against, tables."""

from collections.abc import Iterable
from datetime import UTC, date, datetime, timedelta
from statistics import median
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gannet_core import reports
from gannet_core.errors import ReportError
from gannet_core.instants import instant_of, seconds_of
from gannet_core.reports import (
    BEFORE,
    OPEN_AT_END,
    REST,
    TOTAL,
    YEAR_BEFORE,
    Definition,
    Dimension,
    Heading,
    Key,
    Measure,
    Tally,
    bucket_label,
    edges,
    merged,
    offsets,
    read_definition,
    span_before,
    span_of,
    table,
)
from tests.pieces import piece_of

LONDON, KOLKATA = ZoneInfo("Europe/London"), ZoneInfo("Asia/Kolkata")
NOW = datetime(2026, 11, 23, 9, 46, tzinfo=UTC)


def said(**some: Any) -> dict[str, Any]:
    return {
        "kind": "incident",
        "event": "opened",
        "span": "this month",
        "rows": [{"field": "team"}],
        "measures": [{"of": "records", "way": "count"}],
        **some,
    }


def defined(**some: Any) -> Definition:
    return read_definition(said(**some))


@pytest.mark.parametrize(
    ("wrong", "place"),
    [
        ({"event": "eaten"}, "event"),
        ({"span": "this fortnight"}, "span"),
        ({"span": "last 0 days"}, "span"),
        ({"span": "last 99999 days"}, "span"),
        ({"span": {"from": "2026-02-30", "to": "2026-03-01"}}, "span"),
        ({"span": {"from": "2026-03-02", "to": "2026-03-01"}}, "span"),
        ({"span": {"from": "0001-01-01", "to": "9999-12-31"}}, "span"),
        ({"span": None}, "span"),
        ({"rows": "team"}, "rows"),
        ({"rows": [{"by": "month"}]}, "rows"),
        ({"rows": [{"field": "opened", "by": "fortnight"}]}, "rows"),
        ({"rows": [{"field": "a"}, {"field": "b"}, {"field": "c"}]}, "rows"),
        ({"columns": {"field": "team"}}, "columns"),
        ({"measures": [{"of": "luck", "way": "mean"}]}, "measures"),
        ({"measures": [{"of": "age", "way": "count"}]}, "measures"),
        ({"measures": [{"of": "records", "way": "mean"}]}, "measures"),
        ({"measures": [{"of": "reopened", "way": "median"}]}, "measures"),
        ({"measures": [{"of": "age", "way": way} for way in ("mean", "min", "max", "sum", "p90")]},
         "measures"),
        ({"top": 1000}, "top"),
        ({"top": True}, "top"),
        ({"draw": "a pie"}, "draw"),
        ({"against": "yesterday’s me"}, "against"),
        ({"event": "open at the end of each"}, "rows"),
        ({"event": "open at the end of each", "rows": [{"field": "opened", "by": "weekday"}]},
         "rows"),
        ({"event": "open at the end of each", "rows": [{"field": "opened", "by": "week"}],
          "measures": [{"of": "age", "way": "mean"}]}, "measures"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_at_its_place(wrong: dict[str, Any], place: str) -> None:
    with pytest.raises(ReportError) as refused:
        defined(**wrong)
    assert refused.value.place == place


@given(
    st.recursive(
        st.none() | st.booleans() | st.integers() | st.text(max_size=8),
        lambda inner: st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["kind", "event", "rows", "span", "measures", "field", "by", "of",
                             "way", "top"]) | st.text(max_size=4),
            inner, max_size=4),
        max_leaves=12,
    )
)  # fmt: skip
def test_nonsense_is_refused_in_words_or_is_a_report(nonsense: Any) -> None:
    wild = nonsense if isinstance(nonsense, dict) else {"rows": nonsense}
    try:
        found = read_definition(wild)
    except ReportError as error:
        assert str(error)
    else:
        assert found.event in reports.EVENTS and found.measures


def local(at: datetime) -> str:
    return at.astimezone(LONDON).strftime("%Y-%m-%d %H:%M")


@pytest.mark.parametrize(
    ("span", "against", "expected", "held"),
    [
        # 1 November to now, against October as far: 22 days, 9:46 of the 23rd.
        ("this month", BEFORE, ("2026-11-01 00:00", "2026-12-01 00:00", "2026-11-23 09:46"),
         ("2026-10-01 00:00", "2026-11-01 00:00", "2026-10-23 09:46")),
        ("last month", BEFORE, ("2026-10-01 00:00", "2026-11-01 00:00", "2026-11-01 00:00"),
         ("2026-09-01 00:00", "2026-10-01 00:00", "2026-10-01 00:00")),
        ("this quarter", BEFORE, ("2026-10-01 00:00", "2027-01-01 00:00", "2026-11-23 09:46"),
         ("2026-07-01 00:00", "2026-10-01 00:00", "2026-08-23 09:46")),
        ("this month", YEAR_BEFORE, ("2026-11-01 00:00", "2026-12-01 00:00", "2026-11-23 09:46"),
         ("2025-11-01 00:00", "2025-12-01 00:00", "2025-11-23 09:46")),
        ("today", BEFORE, ("2026-11-23 00:00", "2026-11-24 00:00", "2026-11-23 09:46"),
         ("2026-11-22 00:00", "2026-11-23 00:00", "2026-11-22 09:46")),
        ("last 30 days", BEFORE, ("2026-10-25 00:00", "2026-11-24 00:00", "2026-11-23 09:46"),
         ("2026-09-25 00:00", "2026-10-25 00:00", "2026-10-24 09:46")),
        ({"from": "2026-03-01", "to": "2026-03-31"}, BEFORE,
         ("2026-03-01 00:00", "2026-04-01 00:00", "2026-04-01 00:00"),
         ("2026-01-29 00:00", "2026-03-01 00:00", "2026-03-01 00:00")),
        ({"from": "2024-02-29", "to": "2024-02-29"}, YEAR_BEFORE,
         ("2024-02-29 00:00", "2024-03-01 00:00", "2024-03-01 00:00"),
         ("2023-02-28 00:00", "2023-03-01 00:00", "2023-03-01 00:00")),
    ],
)  # fmt: skip
def test_a_span_and_what_it_is_held_against(
    span: Any, against: str, expected: tuple[str, ...], held: tuple[str, ...]
) -> None:
    found = defined(span=span, against=against)
    now = span_of(found, NOW, LONDON)
    assert (local(now.start), local(now.end), local(now.until)) == expected
    before = span_before(found, now, LONDON)
    assert (local(before.start), local(before.end), local(before.until)) == held


def test_a_financial_year_begins_where_the_rulebook_says() -> None:
    found = defined(span="this year", against=BEFORE)
    now = span_of(found, NOW, LONDON, 4)
    assert (local(now.start), local(now.end)) == ("2026-04-01 00:00", "2027-04-01 00:00")
    assert local(span_before(found, now, LONDON, 4).start) == "2025-04-01 00:00"


Records = list[tuple[str | None, int, str, int | None]]
RECORDS = st.lists(
    st.tuples(
        st.sampled_from(["Quay", "quay", "Desk", "", None, "Ships", "Ämter", "Ferries"]),
        st.integers(1, 4),
        st.sampled_from(["mon", "tue"]),
        st.none() | st.integers(-5, 40),
    ),
    max_size=40,
)


def headings(dimension: Dimension, keys: Iterable[Key]) -> list[Heading]:
    there = set(keys) - {REST}
    named = sorted((key for key in there if key is not None), key=str)
    empty = [Heading(None, "none")] if None in there else []
    return [*(Heading(key, str(key)) for key in named), *empty]


@settings(max_examples=120)
@given(RECORDS, st.integers(0, 4), st.booleans(), st.booleans())
def test_every_cell_is_what_a_plain_recount_of_its_records_says(
    records: Records, top: int, has_columns: bool, has_inner: bool
) -> None:
    wanted = (
        Measure("records", "count"), Measure("age", "mean"), Measure("age", "median"),
        Measure("age", "sum"),
    )  # fmt: skip
    found = Definition(
        "", "opened", "this month",
        (Dimension("team"), *((Dimension("day"),) if has_inner else ())),
        Dimension("priority") if has_columns else None, wanted, top=top,
    )  # fmt: skip
    names = merged([team for team, *_ in records])
    plain = [(names[team], priority, day, age) for team, priority, day, age in records]
    groups: dict[Any, dict[str, Tally]] = {}
    for team, priority, day, age in plain:
        key = ((team, day) if has_inner else (team,), priority if has_columns else TOTAL)
        there = groups.setdefault(key, {"records": Tally(), "age": Tally()})
        there["records"].add(Tally(1))
        if age is not None:
            there["age"].add(Tally.of([age]))
    shown = table(found, groups, headings)
    heads = [row.path[0].key for row in shown.rows if len(row.path) == 1]
    assert len(heads) == len(set(heads))

    def recount(path: tuple[Key, ...], column: Key) -> tuple[float | None, ...]:
        mine = [
            age
            for team, priority, day, age in plain
            if (not path or team == path[0] or (path[0] == REST and team not in heads))
            and (len(path) < 2 or day == path[1])
            and column in (TOTAL, priority)
        ]
        ages = [age for age in mine if age is not None]
        if not ages:
            return len(mine), None, None, 0
        return len(mine), sum(ages) / len(ages), median(ages), sum(ages)

    for row in (*shown.rows, reports.Row((), shown.totals, shown.total)):
        path = tuple(one.key for one in row.path)
        cells = zip((*(one.key for one in shown.columns), TOTAL), (*row.cells, row.total),
                    strict=True)  # fmt: skip
        for column, figures in cells:
            assert figures == pytest.approx(recount(path, column)), (path, column)
    if top and len(set(names.values())) > top:
        assert heads[-1] == REST and len(heads) == top + 1
        assert shown.gathered == len(set(names.values())) - top


@given(st.lists(st.integers(-(10**9), 10**9), min_size=1, max_size=30), st.data())
def test_tallies_of_parts_are_the_tally_of_the_whole(values: list[int], data: Any) -> None:
    cut = data.draw(st.integers(0, len(values)))
    parts = Tally.of(values[:cut])
    parts.add(Tally.of(values[cut:]))
    whole = Tally.of(values)
    for way in ("count", "sum", "mean", "median", "p90", "min", "max"):
        assert parts.figure(way) == whole.figure(way)


def test_nothing_is_zero_for_counts_and_blank_for_averages() -> None:
    nothing = Tally()
    assert (nothing.figure("count"), nothing.figure("sum")) == (0, 0)
    assert [nothing.figure(way) for way in ("mean", "median", "p90", "min", "max", "share")] == (
        [None] * 6
    )


@given(
    st.integers(seconds_of(datetime(2024, 1, 1, tzinfo=UTC)),
                seconds_of(datetime(2027, 1, 1, tzinfo=UTC))),
    st.sampled_from([LONDON, KOLKATA, ZoneInfo("Atlantic/Azores"), ZoneInfo("Pacific/Chatham")]),
)  # fmt: skip
def test_offsets_tell_the_hour_and_weekday_that_the_wall_shows(at_s: int, zone: ZoneInfo) -> None:
    start, end = at_s - 400 * 86_400, at_s + 400 * 86_400
    steps = offsets(start, end, zone)
    ahead = next(by for until, by in steps if at_s < until)
    assert f"{(at_s + ahead) // 3600 % 24:02}" == piece_of(at_s, "hour of day", zone)
    assert str(((at_s + ahead) // 86_400 + 3) % 7 + 1) == piece_of(at_s, "weekday", zone)


@given(st.sampled_from(["day", "week", "month", "quarter", "year"]), st.integers(1, 12),
       st.integers(0, 60 * 86_400))  # fmt: skip
def test_an_instant_falls_into_the_piece_whose_edges_hold_it(
    by: str, month: int, past: int
) -> None:
    start, end = datetime(2026, 2, 20, tzinfo=UTC), datetime(2026, 4, 22, tzinfo=UTC)
    found = edges(Dimension("opened", by), start, end, LONDON, month)
    at_s = min(seconds_of(start) + past, seconds_of(end) - 1)
    places = [n for n in range(len(found.keys))
              if found.starts_s[n] <= at_s < found.starts_s[n + 1]]  # fmt: skip
    assert len(places) == 1
    assert found.keys[places[0]] == piece_of(at_s, by, LONDON, month)
    assert len(found.starts_s) == len(found.keys) + 1


def test_too_many_pieces_are_refused() -> None:
    with pytest.raises(ReportError, match="choose longer ones"):
        edges(Dimension("opened", "hour"), NOW, NOW + timedelta(days=60), LONDON)


@pytest.mark.parametrize(
    ("key", "by", "label"),
    [
        ("3", "weekday", "Wednesday"),
        ("07", "hour of day", "07:00"),
        ("2026-11-23", "day", "Mon 23 Nov"),
        ("2026-11-23T07", "hour", "23 Nov 07:00"),
        ("2026-W48", "week", "week 48, 23 Nov 2026"),
        ("2026-11", "month", "November 2026"),
        ("2026-Q4", "quarter", "Q4 2026"),
        ("FY2026-Q3", "quarter", "Q3 of the year from 2026"),
        ("2026", "year", "2026"),
        ("FY2026", "year", "year from 2026"),
    ],
)
def test_a_piece_of_time_is_called_as_people_call_it(key: str, by: str, label: str) -> None:
    assert bucket_label(key, by) == label


def test_words_that_differ_in_case_alone_are_one_and_nothing_is_nothing() -> None:
    assert merged(["Quay", "quay", "", None, 3]) == {
        "Quay": "Quay", "quay": "Quay", "": None, None: None, 3: 3
    }  # fmt: skip


def test_a_day_of_a_span_is_the_local_one() -> None:
    found = defined(span={"from": "2026-03-29", "to": "2026-03-29"})
    span = span_of(found, NOW, LONDON)
    assert seconds_of(span.end) - seconds_of(span.start) == 23 * 3600  # the clocks went forward
    assert instant_of(seconds_of(span.start)).astimezone(LONDON).date() == date(2026, 3, 29)


@pytest.mark.parametrize(
    ("unit", "least", "most", "expected"),
    [
        ("seconds", 0, 0, (0, 300)),
        ("seconds", 1_800, 7_199, (1_800, 3_600, 7_200)),
        ("seconds", 90_000, 8 * 86_400, tuple(d * 86_400 for d in (1, 2, 4, 7, 14))),
        ("minutes", 3, 29, (0, 5, 10, 15, 30)),
        ("number", 2, 2, (2, 3)),
        ("number", 0, 5, (0, 1, 2, 3, 4, 5, 6)),
        ("number", 0, 40, (0, 5, 10, 15, 20, 25, 30, 35, 40, 45)),
        ("number", -3, 3, (-3, -2, -1, 0, 1, 2, 3, 4)),
    ],
)
def test_bands_begin_where_people_would_cut(
    unit: str, least: int, most: int, expected: tuple[int, ...]
) -> None:
    assert reports.bands(unit, least, most) == expected


@given(
    st.sampled_from(["seconds", "minutes", "number", "pence"]),
    st.lists(st.integers(-(10**6), 10**10), min_size=1, max_size=20),
)
def test_every_value_falls_into_one_band_and_neither_end_is_empty(
    unit: str, values: list[int]
) -> None:
    steps = reports.bands(unit, min(values), max(values))
    assert list(steps) == sorted(set(steps))
    assert len(steps) - 1 <= reports.MOST_BANDS
    assert steps[0] <= min(values) < steps[1]
    assert steps[-2] <= max(values) < steps[-1]


@pytest.mark.parametrize(
    ("low", "high", "unit", "label"),
    [
        (0, 300, "seconds", "under 5 min"),
        (3_600, 7_200, "seconds", "1 h to 2 h"),
        (86_400, 172_800, "seconds", "1 day to 2 days"),
        (604_800, 1_209_600, "seconds", "1 week to 2 weeks"),
        (0, 5, "minutes", "under 5 min"),
        (30, 60, "minutes", "30 to 60 min"),
        (2, 3, "number", "2"),
        (5, 10, "number", "5 to 9"),
        (0, 1000, "pence", "0.00 to 10.00"),
    ],
)
def test_a_band_is_called_by_its_ends(low: int, high: int, unit: str, label: str) -> None:
    assert reports.band_label(low, high, unit) == label


@pytest.mark.parametrize(
    ("event", "measures", "is_refused"),
    [
        (OPEN_AT_END, ["came", "went", "records"], False),
        (OPEN_AT_END, ["records", "age"], True),
        ("opened", ["came"], True),
        ("open now", ["went"], True),
    ],
)
def test_what_came_and_went_stands_beside_what_was_open_alone(
    event: str, measures: list[str], is_refused: bool
) -> None:
    said = {"event": event, "span": "this year", "rows": [{"field": "opened", "by": "week"}],
            "measures": [{"of": one, "way": "mean" if one == "age" else "count"}
                         for one in measures]}  # fmt: skip
    if is_refused:
        with pytest.raises(ReportError) as refused:
            read_definition(said)
        assert refused.value.place == "measures"
    else:
        assert [one.label for one in read_definition(said).measures] == ["came", "went", "count"]
