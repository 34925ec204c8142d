"""Renaming a category: everything that named it names it still, and it can be taken back."""

import copy
from itertools import count
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import rulebook
from gannet_core.errors import DocumentError
from gannet_core.renaming import edits_between, renamed
from gannet_core.uses import used_by

BOOK: dict[str, Any] = {
    **rulebook.empty(),
    "categories": [{"key": key} for key in ("Printing", "Network › Wi-Fi", "Tills", "Doors")],
    "forms": [
        {"key": "print", "name": "Print", "categories": ["Printing", "Tills"], "fields": []},
        {"key": "any", "name": "Any", "fields": [{"field": "title"}]},
    ],
    "templates": [
        {"key": "jam", "name": "Jam", "category": "Printing", "prefill": {"category": "Printing"}},
        {"key": "air", "name": "Air", "category": "Network › Wi-Fi"},
    ],
    "starters": [{"key": "s", "name": "S", "values": {"category": "Tills", "title": "Tills"}}],
    "items": [
        {"key": "paper", "name": "Paper", "category": "Printing", "group": "Printing"},
        {"key": "key", "name": "Key", "category": "Doors"},
        {"key": "card", "name": "Card", "category": "Doors"},
    ],
    "rules": [
        {
            "key": "r", "name": "R", "when": ["created"], "if": {"all": []},
            "then": [{"do": "set", "field": "category", "value": "Network › Wi-Fi"}],
        }
    ],
    "closing": {"calendar": "c", "after_seconds": 60},
}  # fmt: skip
KEYS = [one["key"] for one in BOOK["categories"]]


@pytest.mark.parametrize("key", KEYS)
def test_what_named_it_names_it_still(key: str) -> None:
    after = renamed(BOOK, "categories", key, "Another name")
    before_uses = used_by(BOOK).get("categories", {}).get(key, [])
    after_uses = used_by(after).get("categories", {})
    assert key not in after_uses
    assert len(after_uses.get("Another name", [])) == len(before_uses)
    assert [one["key"] for one in after["categories"]] == [
        "Another name" if one == key else one for one in KEYS
    ]
    assert list(after) == list(BOOK)


def test_conditions_and_actions_are_about_the_new_name() -> None:
    book = copy.deepcopy(BOOK)
    leaf = {"field": "category", "op": "is one of", "value": [KEYS[0], KEYS[1]]}
    book["rules"] = [
        {
            "key": "r", "name": "R", "when": ["created"],
            "if": {"not": {"all": [leaf, {"field": "title", "op": "contains", "value": KEYS[0]}]}},
            "then": [{"do": "set", "field": "category", "value": KEYS[0]}],
        }
    ]  # fmt: skip
    rule = renamed(book, "categories", KEYS[0], "Print")["rules"][0]
    parts = rule["if"]["not"]["all"]
    assert parts[0]["value"] == ["Print", KEYS[1]]
    assert parts[1]["value"] == KEYS[0], "a title that has these words is no category"
    assert rule["then"][0]["value"] == "Print"


@pytest.mark.parametrize(
    ("section", "old", "new", "says"),
    [
        ("categories", "nothing of the kind", "New", "there is no"),
        ("categories", KEYS[0], KEYS[1], "is taken"),
        ("categories", KEYS[0], "  ", "give it a name"),
        ("items", "laptop", "new", "a name beside their key"),
    ],
)
def test_what_cannot_be_renamed_is_refused(section: str, old: str, new: str, says: str) -> None:
    with pytest.raises(DocumentError, match=says):
        renamed(BOOK, section, old, new)


LISTS = [one.name for one in rulebook.SECTIONS if one.is_list and len(BOOK[one.name]) > 2]


@given(st.data())
def test_edits_between_two_documents_lead_there_and_back(data: st.DataObject) -> None:
    after: dict[str, Any] = copy.deepcopy(BOOK)
    fresh = count()
    for section in data.draw(st.lists(st.sampled_from(LISTS), min_size=1, max_size=3)):
        entries = after[section]
        at = data.draw(st.integers(0, len(entries) - 1))
        match data.draw(st.sampled_from(["remove", "change", "add"])):
            case "remove" if len(entries) > 1:
                entries.pop(at)
            case "change":
                entries[at] = {**entries[at], "note": data.draw(st.text(max_size=5))}
            case _:
                entries.insert(at, {"key": f"new-{next(fresh)}"})
    edits = edits_between(BOOK, after)
    there: dict[str, Any] = BOOK
    for one in edits:
        there = rulebook.apply(there, one)
    assert there == after
    back = there
    for one in reversed(edits):
        back = rulebook.apply(back, one.reversed())
    assert back == BOOK
