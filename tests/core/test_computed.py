"""Computed fields: what is read, what is refused and where, and how emptiness travels."""

from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.computed import Moment, check, evaluate
from gannet_core.errors import ExpressionError
from gannet_core.servicetime import ServiceCalendar

FIELDS = {
    "impact": {"type": "number"},
    "hand-overs": {"type": "number"},
    "title": {"type": "text"},
    "open": {"type": "yes/no"},
    "opened": {"type": "instant"},
    "resolved": {"type": "instant"},
}
OFFICE = ServiceCalendar.from_json(
    {
        "zone": "UTC",
        "weeks": [
            {
                "from": "2020-01-01",
                "hours": {"fri": [["08:00", "18:00"]], "mon": [["08:00", "18:00"]]},
            }
        ],
    }
)
MOMENT = Moment(datetime(2026, 11, 23, 12, tzinfo=UTC), OFFICE)
RECORD: dict[str, Any] = {
    "impact": 2,
    "hand-overs": 0,
    "title": "Gate",
    "open": True,
    "opened": "2026-11-20T16:30:00Z",
    "resolved": None,
}


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("1 + 2 × 3", 7),
        ("(1 + 2) * 3", 9),
        ("-impact - -3", 1),
        ("10 / 4", 2.5),
        ("0.1 + 0.2 = 0.3", True),  # numbers are exact
        ("impact ÷ [hand-overs]", None),  # a division by nothing is empty
        ('title + " 3"', "Gate 3"),
        ("impact ≥ 2", True),
        ("open = no", False),
        ("days between(opened, now)", 2.8125),
        ("hours between(now, opened)", -67.5),
        ("service hours between(opened, now)", 5.5),  # Fri 16:30–18:00 and Mon 08:00–12:00
        ("service hours between(now, opened)", -5.5),
        ("hours between(opened, resolved)", None),  # empty stays empty
        ("hours between(opened, if empty(resolved, now)) > 24", True),
        ("if empty(resolved, opened) = opened", True),
    ],
)
def test_values(text: str, wanted: Any) -> None:
    assert evaluate(check(text, FIELDS), RECORD, MOMENT) == wanted


@pytest.mark.parametrize(
    ("text", "part"),
    [
        ("", "missing at the end"),
        ("1 +", "missing at the end"),
        ("1 2", "at 3: “2” does not belong"),
        ("(1 + 2", "at 1: this bracket is never closed"),
        ("nothing + 1", "at 1: there is no field “nothing”"),
        ("title + 1", "at 7: “+” needs number, this is text"),
        ("title < 3", "at 7: text cannot be compared with number"),
        ("open < no", "no order"),
        ("hours between(opened, 3)", "needs instant"),
        ("if empty(title, 3)", "one type"),
        ("days between(opened)", "takes two parts"),
        ("1 & 2", "at 2: “& 2” is not understood"),
        ("(" * 60 + "1" + ")" * 60, "nested too deeply"),
        ("1" * 2001, "at most 2000"),
    ],
)
def test_refusals_say_where(text: str, part: str) -> None:
    with pytest.raises(ExpressionError) as refused:
        check(text, FIELDS)
    assert part in str(refused.value)


@given(st.text(max_size=60))
def test_any_text_is_read_or_refused_by_name(text: str) -> None:
    try:
        node = check(text, FIELDS)
    except ExpressionError:
        return
    evaluate(node, RECORD, MOMENT)


@given(st.lists(st.tuples(st.sampled_from("+-*"), st.integers(0, 99)), min_size=1, max_size=12))
def test_arithmetic_agrees_with_pythons(steps: list[tuple[str, int]]) -> None:
    text = "1" + "".join(f" {sign} {number}" for sign, number in steps)
    assert evaluate(check(text, FIELDS), RECORD, MOMENT) == eval(text)  # noqa: S307
