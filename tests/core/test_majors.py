"""Major incidents: call signs, who is affected, when news is due, how long all took."""

import random
from dataclasses import asdict

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import majors
from gannet_core.errors import MajorError
from gannet_core.majors import LOOKS, THINGS, Figure, draw_call_sign, many_at_once, times_of

NOW = 1_795_000_000
_DAY, _YEAR = 86_400, 365 * 86_400


def test_the_word_lists_can_be_told_apart_when_spoken() -> None:
    words = [*LOOKS, *THINGS]
    assert len(words) == len({word.casefold() for word in words}), "no word is in both lists"
    assert all(word.isalpha() and word[0].isupper() for word in words)
    assert len(LOOKS) * len(THINGS) > 2_000


def test_no_call_sign_is_drawn_twice_within_two_years() -> None:
    chance, used = random.Random(7), {}
    for day in range(700):
        sign = draw_call_sign(used, NOW + day * _DAY, chance)
        assert sign not in used, f"drawn again after {day} days"
        used[sign] = NOW + day * _DAY


@pytest.mark.parametrize(
    ("ago", "may_be_drawn"), [(2 * _YEAR - 1, False), (2 * _YEAR, True), (1, False)]
)
def test_a_call_sign_rests_two_years(ago: int, may_be_drawn: bool) -> None:
    lists = (["Copper"], ["Lantern"])
    used = {"Copper Lantern": NOW - ago}
    if may_be_drawn:
        assert draw_call_sign(used, NOW, random.Random(1), *lists) == "Copper Lantern"
    else:
        with pytest.raises(MajorError, match="every call sign"):
            draw_call_sign(used, NOW, random.Random(1), *lists)


@given(st.integers(0, 2**32))
def test_words_heard_within_a_year_are_left_out_while_others_are_left(seed: int) -> None:
    used = {"Copper Lantern": NOW - 30 * _DAY, "Quiet Mill": NOW - 300 * _DAY}
    sign = draw_call_sign(used, NOW, random.Random(seed))
    assert not {"Copper", "Lantern", "Quiet", "Mill"} & set(sign.split())
    # An older one may give its words again, in another pair.
    lists = (["Copper", "Quiet"], ["Lantern", "Mill"])
    old = {"Copper Lantern": NOW - 400 * _DAY}
    assert draw_call_sign(old, NOW, random.Random(seed), *lists) != "Copper Lantern"


PEOPLE = [
    (1, "Freight", "Saltgate"),
    (2, "Freight", "Orrin Bay"),
    (3, "Finance", "Saltgate"),
    (4, "Catering", ""),
]


@pytest.mark.parametrize(
    ("departments", "places", "named", "hit"),
    [
        ([], [], [], set()),
        (["Freight"], [], [], {1, 2}),
        (["Freight"], ["Saltgate"], [], {1, 2, 3}),
        (["Freight"], ["Saltgate"], [1, 2, 3], {1, 2, 3}),
        ([], [""], [], set()),
        ([], [], [4, 99], {4}),
    ],
)
def test_everybody_affected_is_counted_once(
    departments: list[str], places: list[str], named: list[int], hit: set[int]
) -> None:
    assert majors.people_affected(PEOPLE, departments, places, named) == hit


def test_what_somebody_said_counts_and_the_derived_figure_stays() -> None:
    assert Figure(212).counts == 212
    corrected = Figure(212, 40, "only the lorry deck")
    assert (corrected.counts, corrected.derived) == (40, 212)
    assert Figure(212, 0, "none of them was there").counts == 0


@pytest.mark.parametrize(("last", "due"), [(None, 1_000 + 1_800), (1_500, 3_300), (900, 2_700)])
def test_an_audience_hears_an_interval_after_it_last_did(last: int | None, due: int) -> None:
    assert majors.next_update(1_000, last, 1_800) == due


def test_lateness_is_counted_from_when_it_was_due() -> None:
    assert [majors.lateness(600, told) for told in (0, 600, 601, 1_200)] == [0, 0, 1, 600]
    with pytest.raises(MajorError):
        majors.next_update(0, None, 0)


@pytest.mark.parametrize(
    ("said", "expected"),
    [
        (
            {"reported_s": 100, "declared_s": 400},
            (None, 300, None, None, None),
        ),
        (
            {"began_s": 40, "reported_s": 100, "declared_s": 400, "first_update_s": 1_000,
             "restored_s": 4_040, "stood_down_s": 5_000},
            (60, 300, 600, 4_000, 4_600),
        ),
        # An update that went out within the second of declaring took no time.
        (
            {"reported_s": 100, "declared_s": 400, "first_update_s": 400, "restored_s": 900},
            (None, 300, 0, 800, None),
        ),
    ],
)  # fmt: skip
def test_how_long_each_part_took(said: dict[str, int], expected: tuple[int | None, ...]) -> None:
    assert tuple(asdict(times_of(**said)).values()) == expected


@pytest.mark.parametrize(
    "said",
    [
        {"reported_s": 100, "declared_s": 99},
        {"began_s": 101, "reported_s": 100, "declared_s": 200},
        {"reported_s": 100, "declared_s": 200, "restored_s": 99},
        {"reported_s": 100, "declared_s": 200, "stood_down_s": 50},
    ],
)
def test_times_that_run_backwards_are_refused(said: dict[str, int]) -> None:
    with pytest.raises(MajorError):
        times_of(**said)


@pytest.mark.parametrize(
    ("reports", "found"),
    [
        ([(0, "till"), (10, "till")], {}),
        ([(0, "till"), (10, "till"), (20, "till")], {"till": 20}),
        ([(20, "till"), (0, "till"), (10, "till")], {"till": 20}),
        ([(0, "till"), (61, "till"), (62, "till")], {}),
        # The first three are too far apart; the last three are not.
        ([(0, "till"), (50, "till"), (70, "till"), (100, "till")], {"till": 100}),
        ([(0, "a"), (1, "b"), (2, "a"), (3, "b"), (4, "a")], {"a": 4}),
    ],
)
def test_many_reports_of_one_thing_in_a_short_time(
    reports: list[tuple[int, str]], found: dict[str, int]
) -> None:
    assert many_at_once(reports, 3, 60) == found


@given(st.lists(st.tuples(st.integers(0, 300), st.sampled_from("ab")), max_size=30))
def test_it_is_many_exactly_where_a_window_holds_so_many(reports: list[tuple[int, str]]) -> None:
    found = many_at_once(reports, 4, 60)
    for about in "ab":
        times = sorted(at for at, what in reports if what == about)
        windows = [sum(at <= other <= at + 60 for other in times) for at in times]
        assert (about in found) == (max(windows, default=0) >= 4)


def test_many_are_at_least_two() -> None:
    with pytest.raises(MajorError):
        many_at_once([], 1, 60)
