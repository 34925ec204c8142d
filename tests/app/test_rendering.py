"""What orjson writes is what Django REST framework would have written."""

import json
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from enum import IntEnum, StrEnum
from typing import Any
from uuid import UUID

import pytest
from django.utils.safestring import mark_safe
from hypothesis import given
from hypothesis import strategies as st
from rest_framework.renderers import JSONRenderer

from gannet.web.rendering import Renderer


class Colour(StrEnum):
    RED = "red"


class Size(IntEnum):
    BIG = 3


PLAIN = st.recursive(
    st.none()
    | st.booleans()
    | st.integers()
    | st.text()
    | st.floats(allow_nan=False, allow_infinity=False),
    lambda inner: (
        st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=5), inner, max_size=4)
    ),
)


@given(PLAIN)
def test_plain_values_read_back_as_the_same(value: Any) -> None:
    assert json.loads(Renderer().render({"it": value})) == {"it": value}


@pytest.mark.parametrize(
    "value",
    [
        datetime(2026, 11, 28, 9, 30, 15, 123456, UTC),
        datetime(2026, 11, 28, 9, 30, tzinfo=UTC),
        date(2026, 11, 28),
        timedelta(hours=2),
        Decimal("1.50"),
        UUID(int=7),
        Colour.RED,
        Size.BIG,
        mark_safe("<b>"),
        ("a", 1),
        {1: "one", "two": 2},
        2**70,
        {"deep": [Colour.RED, {"er": Size.BIG}]},
    ],
)
def test_other_values_are_written_as_they_were(value: Any) -> None:
    ours = json.loads(Renderer().render({"it": value}))
    assert ours == json.loads(JSONRenderer().render({"it": value}))


def test_nothing_is_an_empty_body() -> None:
    assert Renderer().render(None) == b""
