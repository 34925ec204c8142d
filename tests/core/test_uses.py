"""What names what in a rulebook, and whether a bundle's approval covers its parts."""

from datetime import date
from typing import Any

import pytest

from gannet_core.approvals import covers
from gannet_core.checks import check_document
from gannet_core.findings import ERROR, World
from gannet_core.rulebook import empty
from gannet_core.uses import used_by, uses_of, without_target

MANAGER = {"key": "m", "approvers": [{"who": "line manager"}]}
SECURITY = {"key": "s", "approvers": [{"who": "team", "of": "Security"}], "quorum": "all"}
DEAR = {**MANAGER, "if": {"field": "cost", "op": ">", "value": 100}}
LINK = {"field": "where", "op": "is", "value": "Server room"}


def route(*stages: dict[str, Any]) -> dict[str, Any]:
    return {"key": "r", "name": "R", "stages": list(stages)}


@pytest.mark.parametrize(
    ("whole", "part", "is_covered", "because"),
    [
        (route(MANAGER), route(), True, "the part asks nobody"),
        (route(), route(MANAGER), False, "the bundle asks nobody"),
        (route(MANAGER), route(MANAGER), True, "the same people"),
        (route(MANAGER, SECURITY), route(SECURITY), True, "another stage more"),
        (route(MANAGER), route(MANAGER, SECURITY), False, "security is not asked"),
        (route(MANAGER), route(DEAR), True, "asked whatever it costs"),
        (route(DEAR), route(MANAGER), False, "a cheap bundle is not asked about"),
        (route(DEAR), route(DEAR), True, "the whole costs no less than its part"),
        (route({**MANAGER, "if": LINK}), route({**MANAGER, "if": LINK}), False,
         "the bundle's answers need not be the part's"),
        (route({**SECURITY, "quorum": "any"}), route(SECURITY), False, "one of them is not all"),
        (route({**SECURITY, "approvers": [{"who": "team", "of": "Desk"}]}), route(SECURITY), False, "another team"),
    ],
)  # fmt: skip
def test_a_bundles_route_covers_a_part_or_does_not(
    whole: dict[str, Any], part: dict[str, Any], is_covered: bool, because: str
) -> None:
    assert covers(whole, part) is is_covered, because


def book(**sections: Any) -> dict[str, Any]:
    return {**empty(), **sections}


EVERYTHING = book(
    calendars=[{"key": "office", "name": "Office"}],
    agreements=[{"key": "std", "name": "Standard", "kind": "customer", "calendar": "office", "scope": {"all": []},
                 "targets": {"1": {"fix": 60, "calendar": "office"}},
                 "steps": [{"key": "late", "clock": "fix", "then": [{"do": "notify", "who": [], "message": "late"}]}]}],
    messages=[{"key": "late", "subject": "late", "body": "{title}"}],
    notifications=[{"key": "n", "event": "late", "to": "holder", "message": "late"}],
    hooks=[{"key": "wall", "name": "Wall", "url": "http://x"}],
    rules=[{"key": "r", "name": "Tell the wall", "when": ["created"], "if": {"all": []},
            "then": [{"do": "post", "hook": "wall"}, {"do": "add tasks", "tasks": ["look"]},
                     {"do": "set", "field": "category", "value": "Till"}]}],
    tasks=[{"key": "look", "name": "Look", "tasks": []}],
    categories=[{"key": "Till"}],
    fields=[{"key": "drawer", "label": "Drawer", "type": "text"}],
    questions=[{"key": "who", "asks": "Who?", "kind": "choice", "choices": []}],
    forms=[{"key": "till", "name": "Till", "categories": ["Till"],
            "fields": [{"field": "drawer"}, {"field": "who"}, {"field": "title"}],
            "effects": [{"if": {"all": []}, "then": [{"do": "show", "field": "drawer"}]}]}],
    templates=[{"key": "jam", "name": "Jam", "form": "till", "category": "Till",
                "prefill": {"drawer": "Main"}, "require": ["drawer"]}],
    starters=[{"key": "s", "name": "Jam", "template": "jam", "values": {"category": "Till"}}],
    routes=[{"key": "boss", "name": "Boss", "stages": []}],
    items=[{"key": "laptop", "name": "Laptop", "form": "till", "route": "boss", "delivery": "std", "tasks": ["look"]}],
    bundles=[{"key": "new", "name": "Newcomer", "route": "boss", "parts": [{"item": "laptop"}]}],
    closing={"calendar": "office"},
)  # fmt: skip
NAMED = ["calendars", "messages", "hooks", "tasks", "categories", "fields", "questions", "forms",
         "templates", "routes", "agreements", "items"]  # fmt: skip


def test_nothing_is_missing_while_everything_is_there() -> None:
    assert without_target(EVERYTHING, ["fix"], []) == []


@pytest.mark.parametrize("section", NAMED)
def test_what_is_removed_is_missed_wherever_it_is_named(section: str) -> None:
    key = EVERYTHING[section][0]["key"]
    users = used_by(EVERYTHING)[section][key]
    assert users, "the table has a use of each kind"
    missed = without_target({**EVERYTHING, section: []}, ["fix"], [])
    assert {(use.by_section, use.by_key, use.place) for use in users} <= {
        (use.by_section, use.by_key, use.place) for use in missed
    }


def test_each_use_says_where_in_words_and_no_key_of_the_document_shows() -> None:
    places = {use.place for use in uses_of(EVERYTHING)}
    assert {
        "its calendar",
        "the calendar of P1",
        "step 1, action 1",
        "action 3",
        "part 1",
    } <= places
    assert not any(sign in place for place in places for sign in "[]{}._")


def findings(document: dict[str, Any], **world: Any) -> list[str]:
    given = World(
        fields={},
        clock_kinds={"fix": {"key": "fix", "label": "resolution", "of": "customer"}},
        **world,
    )
    return [
        one.says
        for one in check_document(document, given, date(2026, 11, 28))
        if one.severity == ERROR
    ]


def test_the_checks_refuse_what_would_break_later() -> None:
    gone = {**EVERYTHING, "calendars": [], "waits": [{"key": "w", "label": "w", "on": "requester"}]}
    said = findings(gone, named_outside=[("calendars", "ships", "12 people")])
    assert any("no calendar “office”" in one and "its calendar" in one for one in said)
    assert any("“ships” is gone, but still needed by 12 people" in one for one in said)
    assert any("None waits on an approval" in one for one in said)
    odd = {
        **EVERYTHING,
        "messages": [{"key": "late", "subject": "{titel}", "body": "{title} {a_b}"}],
    }
    said = findings(odd, placeholders=frozenset({"title"}))
    assert any("{a_b} and {titel} stand for nothing" in one for one in said)
