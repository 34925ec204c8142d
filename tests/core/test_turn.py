"""The order of work: by table, and as an order."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.lifecycle import Move
from gannet_core.turn import Standing, Turn, turn_key, turn_of

NOW = 1_760_000_000
HOUR = 3600


def standing(number: int = 1, **given: object) -> Standing:
    facts = {
        "move": Move.OURS, "priority": 3, "late_from_s": NOW + HOUR, "rank_s": NOW + HOUR,
        "is_in_hours": True,
    }  # fmt: skip
    return Standing(number=number, **{**facts, **given})  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("given", "turn", "because"),
    [
        ({}, Turn.RUNNING, "an hour left in hours"),
        ({"late_from_s": NOW}, Turn.OVERDUE, "the target runs out at this instant"),
        ({"late_from_s": NOW + 1}, Turn.RUNNING, "one second is left"),
        ({"is_in_hours": False}, Turn.OUT_OF_HOURS, "nothing runs now"),
        ({"late_from_s": NOW - 1, "is_in_hours": False}, Turn.OVERDUE, "overdue stays overdue at night"),
        ({"late_from_s": NOW + HOUR, "rank_s": NOW - HOUR, "is_in_hours": False}, Turn.OUT_OF_HOURS,
         "no time is left, but it is not overdue before hours resume"),
        ({"late_from_s": None}, Turn.RUNNING, "no target at all"),
        ({"move": Move.REQUESTER, "late_from_s": NOW - HOUR}, Turn.WAITING, "it is not ours"),
        ({"move": Move.SCHEDULED}, Turn.WAITING, "a date"),
        ({"move": Move.NOBODY}, Turn.ENDED, "it has ended"),
    ],
)  # fmt: skip
def test_the_section_of_a_record(given: dict[str, object], turn: Turn, because: str) -> None:
    assert turn_of(standing(**given), NOW) is turn, because


def test_a_morning_in_order() -> None:
    rows = [
        standing(1, priority=2, late_from_s=NOW - 1, rank_s=NOW - 1),
        standing(2, priority=3, late_from_s=NOW - 9 * HOUR, rank_s=NOW - 9 * HOUR),
        standing(3, priority=1, late_from_s=NOW - 60, rank_s=NOW - 60),
        standing(4, priority=4, rank_s=NOW + 60),
        standing(5, priority=1, rank_s=NOW + HOUR),
        standing(6, is_in_hours=False, rank_s=NOW + 30),
        standing(7, move=Move.SUPPLIER, rank_s=NOW - HOUR),
        standing(8, move=Move.NOBODY, rank_s=NOW - 9 * HOUR),
        standing(9, move=Move.NOBODY, rank_s=NOW - HOUR),
        standing(10, priority=2, late_from_s=NOW - 2, rank_s=NOW - 2),
    ]
    random.Random(3).shuffle(rows)
    rows.sort(key=lambda row: turn_key(row, NOW))
    # Overdue by priority, longest overdue first; then as they run out, whatever their priority.
    assert [row.number for row in rows] == [3, 10, 1, 2, 4, 5, 6, 7, 9, 8]


ANY = st.builds(
    Standing,
    number=st.integers(1, 99),
    move=st.sampled_from(Move),
    priority=st.integers(1, 4),
    late_from_s=st.none() | st.integers(NOW - HOUR, NOW + HOUR),
    rank_s=st.integers(NOW - HOUR, NOW + HOUR),
    is_in_hours=st.booleans(),
)


@given(st.lists(ANY, max_size=12))
def test_nothing_overdue_stands_behind_what_is_not(rows: list[Standing]) -> None:
    order = [turn_of(row, NOW) for row in sorted(rows, key=lambda row: turn_key(row, NOW))]
    assert order == sorted(order)


@given(ANY, st.integers(0, 3 * HOUR))
def test_time_alone_brings_nothing_further_back_while_hours_last(row: Standing, later: int) -> None:
    if row.move is Move.OURS and row.is_in_hours:
        assert turn_key(row, NOW + later) <= turn_key(row, NOW) or turn_of(row, NOW) is Turn.OVERDUE
