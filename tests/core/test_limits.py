"""What a field takes beyond its type, as cases and as properties."""

from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.errors import FormError
from gannet_core.forms import problems, resolve, wrong_value
from gannet_core.limits import check_limits, day_of, fits_pattern, limit_words

TODAY = date(2026, 11, 23)


@pytest.mark.parametrize(
    ("value", "about", "says"),
    [
        (5, {"type": "number", "minimum": 1, "maximum": 5}, None),
        (0, {"type": "number", "minimum": 1}, "At least 1."),
        (5.01, {"type": "number", "maximum": 5}, "At most 5."),
        (-3, {"type": "number"}, None),
        (-0.01, {"type": "money"}, "At least 0."),
        (-50, {"type": "money", "minimum": -100}, None),
        (1250.5, {"type": "money", "maximum": 1250}, "At most 1,250."),
        (float("nan"), {"type": "number"}, "Give a number."),
        (float("inf"), {"type": "money"}, "Give an amount, such as 210.50."),
        ("210,50", {"type": "money"}, "Give an amount, such as 210.50."),
        ("ab", {"type": "text", "least_length": 3}, "At least 3 characters."),
        ("  abc  ", {"type": "text", "most_length": 3}, None),
        ("abcd", {"type": "text", "most_length": 3}, "At most 3 characters; there are 4."),
        ("till-042", {"type": "text", "pattern": "TILL-###"}, None),
        ("TILL-42", {"type": "text", "pattern": "TILL-###"}, "Write it like TILL-123."),
        ("TILL-04x", {"type": "text", "pattern": "TILL-###"}, "Write it like TILL-123."),
        ("7b", {"type": "text", "pattern": "??"}, None),
        ("b7", {"type": "text", "pattern": "@#"}, None),
        ("77", {"type": "text", "pattern": "@#"}, "Write it like A1."),
        ("2026-11-23", {"type": "date", "first_day": "today"}, None),
        ("2026-11-22", {"type": "date", "first_day": "today"}, "Not before 23 November 2026."),
        ("2026-12-08", {"type": "date", "last_day": "today+14"}, "Not after 7 December 2026."),
        ("2026-12-25", {"type": "date", "last_day": "2026-12-24"}, "Not after 24 December 2026."),
        ("2026-11-24", {"type": "date", "last_day": "today-1"}, "Not after 22 November 2026."),
        # A limit of another type than the field's is none.
        ("anything", {"type": "text", "minimum": 4, "last_day": "today"}, None),
    ],
)
def test_a_value_outside_the_limits_is_told_of_them(
    value: Any, about: dict[str, Any], says: str | None
) -> None:
    assert wrong_value(value, about, today=TODAY) == says


def test_days_counted_from_today_hold_only_where_today_is_known() -> None:
    about = {"type": "date", "first_day": "today", "last_day": "2026-12-24"}
    assert wrong_value("2020-01-01", about) is None
    assert wrong_value("2027-01-01", about) == "Not after 24 December 2026."


def test_a_form_holds_what_is_shown_to_the_limits_of_its_fields() -> None:
    fields = {"berth": {"type": "number", "minimum": 1, "maximum": 9}}
    form = {"fields": [{"field": "berth", "requester": {"required": True}}]}
    states = resolve(form, {"berth": 12}, "requester")
    assert problems(states, fields, TODAY) == {"berth": "At most 9."}
    hidden = {"fields": [{"field": "berth", "requester": {"shown": False}}]}
    assert problems(resolve(hidden, {"berth": 12}, "requester"), fields, TODAY) == {}


@pytest.mark.parametrize(
    ("about", "words"),
    [
        ({"type": "number", "minimum": 1, "maximum": 900}, "At least 1, at most 900."),
        ({"type": "text", "pattern": "TILL-###"}, "Like TILL-123."),
        ({"type": "date", "first_day": "today+1"}, "From 24 November 2026."),
        ({"type": "text"}, ""),
        ({"type": "text", "pattern": "", "most_length": None}, ""),
    ],
)
def test_limits_are_said_before_they_are_met(about: dict[str, Any], words: str) -> None:
    assert limit_words(about, TODAY) == words


@pytest.mark.parametrize(
    "about",
    [
        {"type": "number", "minimum": 9, "maximum": 1},
        {"type": "text", "least_length": 9, "most_length": 1},
        {"type": "date", "first_day": "2026-12-02", "last_day": "2026-12-01"},
        {"type": "date", "first_day": "today+2", "last_day": "today+1"},
        {"type": "date", "first_day": "soon"},
        {"type": "date", "last_day": "2026-02-30"},
        {"type": "date", "last_day": "today+9999999"},
    ],
)
def test_limits_that_nothing_can_keep_are_refused(about: dict[str, Any]) -> None:
    with pytest.raises(FormError):
        check_limits(about)


@given(st.integers(-3000, 3000))
def test_a_day_counted_from_today_lies_so_many_days_away(days: int) -> None:
    assert day_of(f"today{days:+d}", TODAY) == TODAY + timedelta(days=days)
    check_limits({"type": "date", "first_day": f"today{days:+d}"})


@given(st.text(alphabet="#@?-/ A1é", max_size=12))
def test_the_example_of_a_pattern_has_its_shape(pattern: str) -> None:
    example = limit_words({"type": "text", "pattern": pattern}, TODAY)
    if pattern:
        assert fits_pattern(example.removeprefix("Like ").removesuffix("."), pattern)


@given(st.text(max_size=8), st.text(alphabet="#@?-A1", max_size=8))
def test_what_fits_a_pattern_is_as_long_as_it(text: str, pattern: str) -> None:
    if fits_pattern(text, pattern):
        assert len(text) == len(pattern)
