"""Conditions read as English; the front end's tests read the same table."""

import json
from pathlib import Path

import pytest

from gannet_core.conditions import OPERATORS
from gannet_core.sentences import actual_words, describe

CASES = [
    json.loads(line)
    for line in (Path(__file__).parent / "sentences.jsonl").read_text().splitlines()
]
FIELDS = {
    "service": {"label": "service", "type": "choice", "said": {"empty": "no service chosen"}},
    "holder": {"label": "assignee", "type": "person", "said": {"empty": "unassigned"}},
    "open": {"label": "is open", "type": "yes/no", "said": {"yes": "open", "no": "no longer open"}},
    "priority": {"label": "priority", "type": "choice"},
    "tags": {"label": "tags", "type": "several choices"},
    "opened": {"label": "opened", "type": "instant"},
}


@pytest.mark.parametrize("case", CASES, ids=[case["note"] for case in CASES])
def test_a_leaf_reads_as_english(case: dict[str, object]) -> None:
    leaf = dict(case["leaf"])  # type: ignore[call-overload]
    said = describe(leaf, {str(leaf["field"]): case["about"]})  # type: ignore[dict-item]
    assert said == str(case["says"])[:1].upper() + str(case["says"])[1:]


def test_every_operator_has_a_case_and_none_shows_its_sign() -> None:
    moments = {"before", "after"}
    assert {str(case["leaf"]["op"]) for case in CASES} | moments == set(OPERATORS)
    assert not any(sign in case["says"] for case in CASES for sign in ("<", ">", "="))


@pytest.mark.parametrize(
    ("tree", "says"),
    [
        ({"all": []}, "Always"),
        ({"any": []}, "Never"),
        ({"not": {"field": "holder", "op": "is filled"}}, "Unassigned"),
        ({"not": {"field": "service", "op": "is one of", "value": ["A", "B"]}}, "Service is not A or B"),
        ({"not": {"field": "opened", "op": "in the last", "value": 60}}, "Not (opened in the last minute)"),
        ({"field": "opened", "op": "before", "value": "2026-03-03T00:00:00Z"}, "Opened before 3 Mar 2026"),
        ({"field": "opened", "op": "after", "value": "2026-03-03T09:30:00Z"}, "Opened after 3 Mar 2026 09:30 UTC"),
        ({"all": [{"field": "open", "op": "is", "value": True},
                  {"any": [{"field": "holder", "op": "is empty"}, {"field": "priority", "op": "is", "value": "P1"}]}]},
         "Open, and (unassigned, or priority is P1)"),
    ],
)  # fmt: skip
def test_groups_read_as_one_sentence(tree: dict[str, object], says: str) -> None:
    assert describe(tree, FIELDS) == says


@pytest.mark.parametrize(
    ("name", "value", "says"),
    [
        ("service", None, "no service chosen"),
        ("holder", "", "unassigned"),
        ("priority", "P3", "it is P3"),
        ("open", False, "no longer open"),
        ("tags", [], "tags: none"),
        ("tags", ["storm", "gate"], "tags: storm, gate"),
        ("unknown", 3, "it is 3"),
    ],
)
def test_what_a_field_is_instead_is_said_in_words(name: str, value: object, says: str) -> None:
    assert actual_words(name, value, FIELDS) == says
