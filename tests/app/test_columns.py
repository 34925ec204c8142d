"""Columns that take less room give back to the letter what was put into them."""

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gannet.audit.models import Event
from gannet.web.columns import pack, unpack
from tests.conftest import NOW

TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=60)
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**53), 2**53) | TEXTS | st.floats(-1e9, 1e9),
    lambda inner: st.lists(inner, max_size=6) | st.dictionaries(TEXTS, inner, max_size=6),
    max_leaves=40,
)
WHY = {
    "agreement": "offices",
    "why": [
        {"label": f"Promise {n}", "value": f"Service is {n} \N{EN DASH} but it is nothing", "chosen": n == 3}
        for n in range(4)
    ],
    "targets": {"answer": 3600, "fix": 43200},
}  # fmt: skip


@given(VALUES)
@settings(max_examples=300)
def test_what_is_packed_comes_back(value: Any) -> None:
    assert unpack(pack(value)) == value


def test_an_explanation_takes_a_third_of_its_room() -> None:
    assert len(pack(WHY)) * 3 < len(json.dumps(WHY))


def test_what_does_not_shrink_stays_as_it_is() -> None:
    assert pack({}) == b"\x00{}"
    assert pack([1]) == b"\x00[1]"


@pytest.mark.parametrize(
    ("kept", "value"),
    [
        (b'\x00{"a":1}', {"a": 1}),
        # Packed on 28 November 2026: whatever becomes of the packing, it has to be readable.
        (
            bytes.fromhex(
                "01ab46090760ee00baa2184b700414e5e76616a7824312e67a24471b901e0c30130db19b6848be89"
                "46d84d3422df4463ec26a217a4982692127bb500"
            ),
            WHY,
        ),
    ],
)
def test_what_was_packed_before_is_still_read(kept: bytes, value: Any) -> None:
    assert unpack(kept) == value


def test_what_is_packed_in_no_known_way_is_not_guessed_at() -> None:
    with pytest.raises(ValueError, match="not known"):
        unpack(b"\x07{}")


def test_a_key_that_is_no_text_is_kept_as_json_keeps_it() -> None:
    assert unpack(pack({1: "x"})) == {"1": "x"}


@pytest.mark.django_db
@given(salt=st.binary(max_size=16), values=st.dictionaries(TEXTS, VALUES, max_size=3))
@settings(max_examples=30, deadline=None)
def test_an_event_reads_back_as_it_was_written(salt: bytes, values: dict[str, Any]) -> None:
    made = Event.objects.create(
        at_s=int(NOW.timestamp()), kind="noted", values=values, salt=salt.hex(),
        digest="ab" * 32, hash="0F" * 32,
    )  # fmt: skip
    stored = Event.objects.get(pk=made.pk)
    assert (stored.salt, stored.values, stored.digest) == (salt.hex(), values, "ab" * 32)
    assert stored.hash == "0f" * 32
    assert stored.at == NOW
    assert Event.objects.filter(pk=made.pk, hash="0f" * 32).exists()
    Event.objects.filter(pk=made.pk).update(values={}, salt="")
    stored = Event.objects.get(pk=made.pk)
    assert (stored.values, stored.salt) == ({}, "")
