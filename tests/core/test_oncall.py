"""Rotas: who is on call when, across hand-overs, people away, people standing in, clock changes."""

from datetime import UTC, date, datetime, time
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import oncall
from gannet_core.errors import OnCallError
from gannet_core.instants import seconds_of
from gannet_core.oncall import AWAY, INSTEAD, NOBODY, NOT_BEGUN, Rota, Span

LONDON = ZoneInfo("Europe/London")
_HOUR, _DAY, _WEEK = 3600, 86_400, 7 * 86_400
# Thursdays at 09:00, from the autumn before the clocks go back.
ROTA = Rota(("ada", "ben", "cem"), LONDON, date(2026, 10, 15), time(9))


def at(text: str) -> int:
    return seconds_of(datetime.fromisoformat(text).replace(tzinfo=UTC))


@pytest.mark.parametrize(
    ("instant", "who"),
    [
        ("2026-10-15T08:00", "ada"),  # 09:00 in summer
        ("2026-10-22T07:59", "ada"),
        ("2026-10-22T08:00", "ben"),
        ("2026-10-29T08:59", "ben"),  # 09:00 in winter is an hour later
        ("2026-10-29T09:00", "cem"),
        ("2026-11-05T09:00", "ada"),
        ("2027-03-25T09:00", "cem"),
        ("2027-04-01T08:00", "ada"),
    ],
)
def test_the_rota_hands_over_at_its_local_time(instant: str, who: str) -> None:
    found = oncall.on_call(ROTA, (), (), at(instant))
    assert (found.person, found.why) == (who, oncall.ROTA)


def test_who_is_away_leaves_a_gap_and_who_stands_in_fills_it() -> None:
    away = [Span("ben", at("2026-10-24T00:00"), at("2026-10-26T00:00"))]
    instead = [Span("cem", at("2026-10-25T00:00"), at("2026-10-27T00:00"))]
    found = oncall.turns(ROTA, instead, away, at("2026-10-22T08:00"), at("2026-10-29T09:00"))
    said = [(one.person, one.why, one.whose) for one in found]
    assert said == [
        ("ben", oncall.ROTA, None), (None, AWAY, "ben"), ("cem", INSTEAD, None),
        ("ben", oncall.ROTA, None),
    ]  # fmt: skip
    assert [one.start_s for one in found[1:]] == [
        at("2026-10-24T00:00"), at("2026-10-25T00:00"), at("2026-10-27T00:00"),
    ]  # fmt: skip


def test_before_it_begins_and_without_people_nobody_is() -> None:
    before = oncall.on_call(ROTA, (), (), at("2026-10-15T07:59"))
    assert (before.person, before.why) == (None, NOT_BEGUN)
    empty = Rota((), LONDON, date(2026, 10, 15), time(9))
    assert oncall.on_call(empty, (), (), at("2026-12-01T00:00")).why == NOBODY
    assert oncall.order(empty, (), (), at("2026-12-01T00:00")) == []


def test_of_two_who_stand_in_the_one_entered_last_does() -> None:
    span = (at("2026-11-01T00:00"), at("2026-11-02T00:00"))
    instead = [Span("ben", *span), Span("dora", *span)]
    assert oncall.on_call(ROTA, instead, (), span[0]).person == "dora"


def test_the_next_are_those_after_whose_turn_it_is_without_those_away() -> None:
    moment = at("2026-10-23T00:00")  # ben's week
    assert oncall.order(ROTA, (), (), moment) == ["ben", "cem", "ada"]
    cem = Span("cem", moment - _DAY, moment + _DAY)
    assert oncall.order(ROTA, (), [cem], moment) == ["ben", "ada"]
    ben = Span("ben", moment - _DAY, moment + _DAY)
    assert oncall.order(ROTA, (), [ben], moment) == ["cem", "ada"]
    dora = Span("dora", moment - _DAY, moment + _DAY)
    assert oncall.order(ROTA, [dora], (), moment) == ["dora", "cem", "ada", "ben"]


@pytest.mark.parametrize(
    "wrong",
    [
        lambda: Rota(("ada", "ada"), LONDON, date(2026, 1, 1), time(9)),
        lambda: Rota(("ada",), LONDON, date(2026, 1, 1), time(9), weeks=0),
        lambda: Rota(("ada",), LONDON, date(2026, 1, 1), time(9), weeks=13),
        lambda: oncall.turns(ROTA, (), (), 10, 9),
    ],
)
def test_what_is_no_rota_is_refused(wrong: object) -> None:
    with pytest.raises(OnCallError):
        wrong()  # type: ignore[operator]


_START = at("2026-10-01T00:00")
_moments = st.integers(_START, _START + 40 * _WEEK)
_spans = st.builds(
    lambda person, start, length: Span(person, start, start + length),
    st.sampled_from(["ada", "ben", "cem", "dora"]),
    _moments,
    st.integers(1, 5 * _WEEK),
)
_rotas = st.builds(
    lambda people, weeks, hour, day: Rota(tuple(people), LONDON, day, time(hour), weeks),
    st.lists(st.sampled_from(["ada", "ben", "cem"]), unique=True, max_size=3),
    st.integers(1, 3),
    st.integers(0, 23),
    st.dates(date(2026, 9, 1), date(2027, 2, 1)),
)


@given(
    _rotas, st.lists(_spans, max_size=4), st.lists(_spans, max_size=4), _moments,
    st.integers(0, 20 * _WEEK), st.data(),
)  # fmt: skip
def test_turns_share_out_the_time_and_say_at_each_instant_who_is_on_call(
    rota: Rota, instead: list[Span], away: list[Span], start: int, length: int, data: st.DataObject
) -> None:
    end = start + length
    found = oncall.turns(rota, instead, away, start, end)
    assert sum(one.end_s - one.start_s for one in found) == length
    assert [one.start_s for one in found] == [start, *(one.end_s for one in found)][: len(found)]
    for one, other in pairwise(found):
        assert (one.person, one.why, one.whose) != (other.person, other.why, other.whose)
    if not length:
        return
    moment = data.draw(st.integers(start, end - 1))
    here = next(one for one in found if one.start_s <= moment < one.end_s)
    now = oncall.on_call(rota, instead, away, moment)
    assert (here.person, here.why, here.whose) == (now.person, now.why, now.whose)
    paged = oncall.order(rota, instead, away, moment)
    assert len(set(paged)) == len(paged)
    assert now.person is None or paged[0] == now.person


@given(_rotas, _moments)
def test_in_as_many_turns_as_people_each_has_one(rota: Rota, moment: int) -> None:
    turn = max(0, rota.turn_at(moment))
    span = rota.hand_over(turn), rota.hand_over(turn + max(1, len(rota.people)))
    found = oncall.turns(rota, (), (), *span)
    assert sorted(one.person or "" for one in found) == sorted(rota.people or [""])
    for one in found:
        local = datetime.fromtimestamp(one.start_s, LONDON)
        assert (local.hour, local.weekday()) in {
            (rota.at.hour, rota.starts.weekday()),
            (rota.at.hour + 1, rota.starts.weekday()),  # a time that the clocks leave out
        }
