"""Rules, escalation steps, forms, checks and differences, as tables with a reason per row."""

import json
from collections.abc import Mapping
from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import checks, difference, escalation, forms, logic, rulebook, rules
from gannet_core import json_lines as face
from gannet_core.clocks import ClockEvent, EventKind, ledger_s
from gannet_core.conditions import evaluate
from gannet_core.errors import DocumentError, FormError, RuleError
from gannet_core.servicetime import ServiceCalendar

HOUR = 3600
ALWAYS = ServiceCalendar.from_json(
    {
        "name": "All hours",
        "zone": "UTC",
        "weeks": [
            {
                "from": "2020-01-01",
                "hours": {
                    day: [["00:00", "24:00"]]
                    for day in ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
                },
            }
        ],
    }
)
START = 1_700_000_000
FIELDS: dict[str, dict[str, Any]] = {
    "priority": {"type": "choice", "label": "priority", "choices": {"P1": "P1", "P2": "P2"}},
    "service": {"type": "choice", "label": "service"},
    "number": {"type": "number", "label": "number"},
    "open": {"type": "yes/no", "label": "open"},
    "title": {"type": "text", "label": "title"},
    "tags": {"type": "several choices", "label": "tags"},
}


def leaf(field: str, op: str, value: Any = None) -> dict[str, Any]:
    return {"field": field, "op": op, "value": value}


def rule(key: str, condition: Any, *then: Any, **more: Any) -> dict[str, Any]:
    return {"key": key, "name": key, "when": ["created"], "if": condition, "then": then, **more}


def put(field: str, value: Any) -> dict[str, Any]:
    return {"do": "set", "field": field, "value": value}


# Rules


def test_each_rule_sees_what_earlier_ones_set_and_the_last_word_counts() -> None:
    listed = [
        rule("one", leaf("service", "is", "Gates"), put("priority", "P1")),
        rule("two", leaf("priority", "is", "P1"), put("priority", "P2"), {"do": "tag", "tags": ["x"]}),
        rule("three", leaf("priority", "changed to", "P2"), put("title", "now")),
        rule("off", {"all": []}, put("title", "never"), is_on=False),
        rule("later", {"all": []}, put("title", "never"), when=["updated"]),
    ]  # fmt: skip
    run = rules.run(listed, ("created",), {"service": "Gates", "priority": "P4"})
    assert run.fired == ("one", "two", "three")
    assert {name: effect.parts["value"] for name, effect in run.sets.items()} == {
        "priority": "P2",
        "title": "now",
    }
    assert run.traces[1].overridden == ("priority, set by one",)
    assert [effect.do for effect in run.effects] == ["tag"]
    assert run.record["priority"] == "P2"


def test_stop_here_ends_the_pass_and_the_trace_says_what_failed() -> None:
    listed = [
        rule("no", leaf("number", ">", 5), put("title", "a")),
        rule("stops", {"all": []}, put("title", "b"), stop=True),
        rule("after", {"all": []}, put("title", "c")),
    ]
    run = rules.run(listed, ("created",), {"number": 3}, with_leaves=True)
    assert [trace.key for trace in run.traces] == ["no", "stops"]
    assert run.traces[0].because == "Number is over 5 – but it is 3"
    assert run.traces[0].leaves == ({"says": "Number is over 5", "actual": 3, "holds": False},)
    assert run.traces[1].stopped


def test_what_follows_from_a_set_is_seen_by_later_rules() -> None:
    def follow(record: Mapping[str, Any], names: frozenset[str]) -> dict[str, Any]:
        return {"priority": "P1"} if "impact" in names and "priority" not in names else {}

    listed = [
        rule("one", {"all": []}, put("impact", 1)),
        rule("two", leaf("priority", "is", "P1"), put("title", "seen")),
    ]
    run = rules.run(listed, ("created",), {"priority": "P3"}, follow=follow)
    assert run.fired == ("one", "two")
    assert "priority" not in run.sets, "it follows; no rule set it"


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"when": ["sometimes"]}, "sometimes"),
        ({"when": []}, "at least one moment"),
        ({"then": []}, "at least one thing"),
        ({"then": [{"do": "explode"}]}, "explode"),
        ({"then": [{"do": "notify", "who": []}]}, "choose for whom"),
        ({"then": [put("open", True)]}, "cannot be set"),
        ({"then": [put("nonsense", 1)]}, "no field “nonsense”"),
    ],
)
def test_a_malformed_rule_is_refused_naming_the_place(wrong: dict[str, Any], says: str) -> None:
    whole = {**rule("r", {"all": []}, {"do": "suggest major"}), **wrong}
    with pytest.raises(RuleError, match=says):
        rules.check_rule(whole, FIELDS)
    with pytest.raises(RuleError, match="wait for"):
        rules.run([], ("sometimes",), {})


# Escalation


def step(key: str, **moment: float) -> dict[str, Any]:
    return {"key": key, "clock": "fix", "moment": moment, "then": []}


STEPS = [step("due", after_due=0), step("half", at_percent=50), step("near", before_due=1800)]


def moments(events: list[tuple[int, str]], target: int, now: int) -> list[tuple[str, int]]:
    read = [ClockEvent(START + at, EventKind(kind)) for at, kind in events]
    ledger = ledger_s(read, target, ALWAYS, START + now)
    found = escalation.moments(STEPS, "fix", ledger, ALWAYS, START + now)
    return [(moment.step["key"], moment.at - START) for moment in found]


@pytest.mark.parametrize(
    ("events", "now", "expected", "why"),
    [
        ([(0, "start")], 0, [("half", 2 * HOUR), ("near", 12600), ("due", 4 * HOUR)], "all ahead"),
        ([(0, "start")], 3 * HOUR, [("half", 2 * HOUR), ("near", 12600), ("due", 4 * HOUR)], "past"),
        ([(0, "start"), (HOUR, "pause")], 2 * HOUR, [], "a paused clock has none"),
        (
            [(0, "start"), (HOUR, "pause"), (3 * HOUR, "resume")],
            3 * HOUR,
            [("half", 4 * HOUR), ("near", 19800), ("due", 6 * HOUR)],
            "a pause moves what is ahead",
        ),
        (
            [(0, "start"), (3 * HOUR, "pause"), (4 * HOUR, "resume")],
            4 * HOUR,
            [("half", 2 * HOUR), ("near", 16200), ("due", 5 * HOUR)],
            "and not what was before it",
        ),
        ([(0, "start"), (HOUR, "stop")], 2 * HOUR, [], "a stopped clock has none"),
    ],
)  # fmt: skip
def test_moments_are_read_off_the_ledger(
    events: list[tuple[int, str]], now: int, expected: list[tuple[str, int]], why: str
) -> None:
    assert moments(events, 4 * HOUR, now) == expected, why


def test_of_several_that_are_past_only_the_latest_fires() -> None:
    read = [ClockEvent(START, EventKind.START)]
    ledger = ledger_s(read, 4 * HOUR, ALWAYS, START + 5 * HOUR)
    ordered = escalation.moments(STEPS, "fix", ledger, ALWAYS, START + 5 * HOUR)
    firing = escalation.firing(ordered, (), START + 5 * HOUR)
    assert firing.fires is not None and firing.fires["key"] == "due"
    assert [one["key"] for one in firing.passed_over] == ["half", "near"]
    rest = escalation.firing(ordered, ("half", "due"), START + 5 * HOUR)
    assert rest.fires is not None and rest.fires["key"] == "near"
    assert escalation.next_moment(ordered, ("half", "near", "due")) is None
    assert escalation.firing(ordered, (), START).fires is None


@pytest.mark.parametrize(
    ("moment", "target", "amount", "why"),
    [
        ({"at_percent": 50}, 3, 2, "half a second is rounded up"),
        ({"at_percent": 12.5}, 8 * HOUR, HOUR, "percent may have a fraction"),
        ({"before_due": 7200}, HOUR, None, "before the start it can never fire"),
        ({"before_due": 3600}, HOUR, 0, "at the start it can"),
        ({"after_due": 60}, HOUR, HOUR + 60, "after the due it goes on"),
        ({"untouched": 60}, HOUR, 60, "untouched asks no target"),
    ],
)
def test_amounts(moment: dict[str, float], target: int, amount: int | None, why: str) -> None:
    assert escalation.amount_of({"moment": moment}, target) == amount, why


@given(st.integers(1, 10**6), st.integers(0, 300))
def test_a_percentage_lies_where_its_share_of_the_target_does(target: int, percent: int) -> None:
    amount = escalation.amount_of({"moment": {"at_percent": percent}}, target)
    assert amount is not None and abs(amount * 100 - target * percent) <= 50


# What conditions can mean


@pytest.mark.parametrize(
    ("tree", "is_impossible", "why"),
    [
        ({"all": [leaf("priority", "is", "P1"), leaf("priority", "is", "P2")]}, True, "two values"),
        ({"all": [leaf("priority", "is not", "P1"), leaf("priority", "is not", "P2")]}, False,
         "nothing is neither"),
        ({"all": [leaf("priority", "is none of", ["P1", "P2"]), leaf("priority", "is filled")]},
         True, "no other choice exists"),
        ({"all": [leaf("number", ">", 5), leaf("number", "<", 5)]}, True, "no number is both"),
        ({"all": [leaf("number", ">", 5), leaf("number", "<", 6)]}, False, "five and a half is"),
        ({"all": [leaf("tags", "is", "a"), leaf("tags", "is", "b")]}, False, "tags can be both"),
        ({"all": [leaf("title", "contains", "a"), {"not": leaf("title", "contains", "a")}]},
         True, "a leaf and its opposite"),
        ({"all": [leaf("title", "contains", "a"), leaf("title", "starts with", "b")]}, False,
         "text is open"),
        ({"not": {"any": [leaf("open", "is", True), leaf("open", "is", False),
                          leaf("open", "is empty")]}}, True, "yes, no, or nothing"),
        ({"any": []}, True, "never"),
        ({"all": []}, False, "always"),
    ],
)  # fmt: skip
def test_impossible(tree: dict[str, Any], is_impossible: bool, why: str) -> None:
    assert logic.is_impossible(tree, FIELDS) is is_impossible, why


_values = {
    "priority": [None, "P1", "P2"],
    "number": [None, -1, 0, 1, 2, 3, 2.5],
    "open": [True, False, None],
    "service": [None, "Gates", "Tills", "Pay"],
}
_leaves = st.one_of(
    st.builds(leaf, st.just("priority"), st.sampled_from(["is", "is not"]), st.sampled_from(["P1", "P2"])),
    st.builds(leaf, st.just("number"), st.sampled_from(["<", "<=", ">", ">=", "is"]), st.integers(0, 2)),
    st.builds(leaf, st.just("service"), st.sampled_from(["is one of", "is none of"]),
              st.lists(st.sampled_from(["Gates", "Tills"]), max_size=2)),
    st.sampled_from([leaf("open", "is", True), leaf("number", "is empty"), leaf("open", "is filled")]),
)  # fmt: skip
_trees = st.recursive(
    _leaves,
    lambda node: st.one_of(
        st.lists(node, max_size=3).map(lambda parts: {"all": parts}),
        st.lists(node, max_size=3).map(lambda parts: {"any": parts}),
        node.map(lambda part: {"not": part}),
    ),
    max_leaves=6,
)


@given(_trees, _trees)
def test_a_claim_of_impossibility_or_implication_has_no_counterexample(
    first: Any, second: Any
) -> None:
    records = [
        {"priority": p, "number": n, "open": o, "service": s}
        for p in _values["priority"]
        for n in _values["number"]
        for o in _values["open"]
        for s in _values["service"]
    ]  # fmt: skip
    holds = [evaluate(first, record).result for record in records]
    if logic.is_impossible(first, FIELDS):
        assert not any(holds)
    if logic.implies(first, second, FIELDS):
        assert all(
            evaluate(second, r).result for r, held in zip(records, holds, strict=True) if held
        )


# Forms


def field(name: str, **more: Any) -> dict[str, Any]:
    return {"field": name, "requester": {"shown": True}, "agent": {"shown": True}, **more}


FORM: dict[str, Any] = {
    "name": "A fault",
    "fields": [
        field("who"),
        field("sailing", requester={"shown": False}),
        field("reason", requester={"shown": True, "required": True}),
        field("cause", agent={"shown": True, "required": True}, required_at=["resolving"]),
    ],
    "effects": [
        {
            "if": leaf("who", "is", "ships"),
            "then": [{"do": "show", "field": "sailing"}, {"do": "require", "field": "sailing"}],
        },
        {"if": leaf("sailing", "is", "Tern"), "then": [{"do": "fill", "field": "reason", "value": "Storm"}]},
    ],
}  # fmt: skip


def test_effects_run_to_a_fixed_point_and_hidden_answers_are_dropped() -> None:
    shown = forms.resolve(FORM, {"who": "ships", "sailing": "Tern"}, "requester")
    assert (shown["sailing"].is_shown, shown["reason"].value) == (True, "Storm")
    hidden = forms.resolve(FORM, {"who": "me", "sailing": "Tern"}, "requester")
    assert (hidden["sailing"].is_shown, hidden["sailing"].value) == (False, None)
    assert hidden["reason"].value is None, "what is hidden has no effect"
    assert forms.kept_answers(hidden) == {"who": "me"}


@pytest.mark.parametrize(
    ("audience", "stage", "missing", "why"),
    [
        ("requester", "raising", [], "a draft needs nothing"),
        ("requester", "submitting", ["reason"], "submitting needs all"),
        ("agent", "submitting", [], "agents are asked for the cause only when resolving"),
        ("agent", "resolving", ["cause"], "then they are"),
    ],
)
def test_what_is_needed_depends_on_who_and_when(
    audience: str, stage: str, missing: list[str], why: str
) -> None:
    assert forms.missing(forms.resolve(FORM, {}, audience, stage)) == missing, why


def test_a_template_prefills_hides_and_requires() -> None:
    template = {"prefill": {"who": "ships"}, "hide": ["reason"], "require": ["sailing"]}
    states = forms.resolve(FORM, {}, "agent", "submitting", template)
    assert states["who"].value == "ships"
    assert not states["reason"].is_shown
    assert forms.missing(states) == ["sailing"]


def test_a_circle_of_effects_is_refused_with_its_path() -> None:
    circle = {
        "fields": [field("a"), field("b")],
        "effects": [
            {"if": leaf("a", "is filled"), "then": [{"do": "hide", "field": "b"}]},
            {"if": leaf("b", "is empty"), "then": [{"do": "hide", "field": "a"}]},
        ],
    }
    with pytest.raises(FormError, match="a → b → a"):
        forms.check_form(circle)
    forms.check_form(FORM)
    with pytest.raises(FormError, match="not in the form"):
        forms.check_form({"fields": [field("a")], "effects": [{"if": leaf("z", "is filled"), "then": []}]})  # fmt: skip


@pytest.mark.parametrize(
    ("value", "about", "is_fine"),
    [
        (3, {"type": "number"}, True),
        (True, {"type": "number"}, False),
        ("3", {"type": "number"}, False),
        ("SPARE", {"type": "choice", "choices": ["Spare"]}, True),
        (["Spare", "x"], {"type": "several choices", "choices": ["Spare"]}, False),
        ("Spare", {"type": "several choices", "choices": ["Spare"]}, False),
        ("2026-02-29", {"type": "date"}, False),
        ("2028-02-29", {"type": "date"}, True),
        ("yes", {"type": "yes/no"}, False),
    ],
)
def test_values_fit_their_fields(value: Any, about: dict[str, Any], is_fine: bool) -> None:
    assert (forms.wrong_value(value, about) is None) is is_fine


# Documents


def document() -> dict[str, Any]:
    """A small rulebook in which nothing is wrong."""
    targets = {str(n): {"answer": 600, "fix": HOUR} for n in (1, 2)}
    whole = rulebook.empty()
    whole.update(
        calendars=[{"key": "all", "name": "All", "zone": "UTC", "weeks": [
            {"from": "2020-01-01", "hours": {"mon": [["08:00", "18:00"]]}}]}],
        matrix={"impact": ["High", "Low"], "urgency": ["Now"], "cells": [[1], [2]]},
        questions=[{"key": "who", "asks": "Who?", "kind": "choice", "sets": "impact",
                    "choices": [{"key": "all", "label": "All", "level": 1}]}],
        agreements=[{"key": "gates", "name": "Gates", "kind": "customer", "status": "active",
                     "scope": leaf("service", "is", "Gates"), "calendar": "all", "targets": targets},
                    {"key": "rest", "name": "Rest", "kind": "customer", "status": "active",
                     "scope": {"all": []}, "calendar": "all", "targets": targets}],
        routing={"teams": [], "chains": []},
        closing={"calendar": "all", "after_seconds": HOUR},
        messages=[{"key": "hello", "subject": "s", "body": "b"}],
        waits=[{"key": "requester", "label": "them", "on": "requester"}],
    )  # fmt: skip
    copied: dict[str, Any] = json.loads(json.dumps(whole))  # nothing shared between entries
    return copied


CLOCKS = {"answer": {"of": "customer"}, "fix": {"of": "customer"}, "team": {"of": "team"}}
WORLD = checks.World(
    fields={
        **FIELDS,
        "service": {"type": "choice", "label": "service", "choices": {"Gates": 1, "Tills": 1}},
        "title": {"type": "text", "label": "title", "settable": True},
    },
    teams=frozenset({"Desk"}),
    people=frozenset({"a@b.example"}),
    services=frozenset({"Gates"}),
    clock_kinds=CLOCKS,
)


def _set(path: str, value: Any) -> Any:
    def change(whole: dict[str, Any]) -> None:
        place: Any = whole
        *parts, last = path.split(".")
        for part in parts:
            place = place[int(part)] if isinstance(place, list) else place[part]
        if isinstance(place, list):
            place.insert(int(last), value)
        else:
            place[last] = value

    return change


def _rule(**more: Any) -> Any:
    return _set("rules.0", rule("r", {"all": []}, {"do": "tag", "tags": ["x"]}) | more)


@pytest.mark.parametrize(
    ("change", "where", "says"),
    [
        (_set("agreements.1.scope", leaf("number", ">", 1)), "agreements", "No customer agreement is the default"),
        (_set("agreements.1.ends", "2020-01-01"), "agreements", "No customer agreement is the default"),
        (_set("agreements.0.targets", {"1": {"answer": 60, "fix": 60}}), "agreements", "P2 has no targets"),
        (_set("agreements.0.calendar", "gone"), "agreements", "no calendar “gone”"),
        (_set("agreements.0.scope", leaf("service", "is", "Trains")), "agreements", "“Trains”"),
        (_set("agreements.0.scope", leaf("colour", "is", "red")), "agreements", "no field “colour”"),
        (_set("agreements.0.scope", {"all": [leaf("service", "is", "Gates"), leaf("service", "is", "Tills")]}),
         "agreements", "can never match"),
        (_set("agreements.0.scope", {"all": []}), "agreements", "can never apply"),
        (_set("agreements.0.steps", [{"key": "s", "clock": "fix", "moment": {"before_due": 9 * HOUR},
                                      "then": [{"do": "suggest major"}]}]), "agreements", "can never fire"),
        (_set("agreements.0.steps", [{"key": "s", "clock": "team", "moment": {"at_percent": 5},
                                      "then": [{"do": "suggest major"}]}]), "agreements", "can never fire"),
        (_set("agreements.0.steps", [{"key": "s", "clock": "fix", "moment": {"at_percent": 5},
                                      "then": [{"do": "notify", "who": ["x@y.example"], "message": "hello"}]}]),
         "agreements", "x@y.example"),
        (_set("calendars.0.weeks", [{"from": "2020-01-01", "hours": {}}]), "calendars", "never opens"),
        (_set("calendars.0.valid_to", "2021-01-01"), "calendars", "never opens"),
        (_set("calendars.0.zone", "Atlantis"), "calendars", "Atlantis"),
        (_set("matrix.cells", [[1], [2, 3]]), "matrix", "one cell for each"),
        (_set("questions.0.choices.1", {"key": "z", "label": "Z", "level": 7}), "questions", "sets impact 7"),
        (_rule(**{"if": {"all": [leaf("open", "is", True), leaf("open", "is", False)]}}), "rules", "can never run"),
        (_rule(then=[{"do": "assign team", "team": "Gone"}]), "rules", "“Gone”"),
        (_rule(then=[{"do": "page", "team": "Gone"}]), "rules", "“Gone”"),
        (_rule(then=[{"do": "webhook", "hook": "gone"}]), "rules", "“gone”"),
        (_rule(then=[{"do": "set", "field": "title", "value": 5}, {"do": "tasks", "tasks": ["gone"]}]), "rules", "“gone”"),
        (_set("closing.calendar", "gone"), "closing", "gone"),
        (_set("problems", {"words": "Dear {nobody}"}), "problems", "{nobody}"),
        (_set("problems", {"question": "gone", "people": [{"answer": "x", "people": 2}]}), "problems", "“gone”"),
        (_set("problems", {"question": "who", "people": [{"answer": "gone", "people": 2}]}), "problems", "“gone”"),
        (_set("notifications.0", {"key": "n", "event": "logged", "to": "requester", "message": "gone"}),
         "notifications", "gone"),
        (_set("waits.0.on", "godot"), "waits", "godot"),
        (_set("routing.chains", [{"service": "Trains", "teams": ["Desk"]}]), "routing", "Trains"),
        (_set("templates.0", {"key": "t", "name": "T", "form": "gone"}), "templates", "gone"),
    ],
)  # fmt: skip
def test_checks_say_where_why_and_what_to_do(change: Any, where: str, says: str) -> None:
    assert checks.check_document(document(), WORLD, date(2026, 11, 23)) == []
    whole = document()
    change(whole)
    found = checks.check_document(whole, WORLD, date(2026, 11, 23))
    assert any(one.section == where and says in f"{one.says} {one.name}" for one in found), found
    assert all(one.why and one.do for one in found)


def test_an_empty_cell_matters_only_where_the_questions_lead() -> None:
    whole = document()
    whole["matrix"]["cells"][1][0] = None
    assert checks.check_document(whole, WORLD, date(2026, 11, 23)) == []
    whole["matrix"]["cells"][0][0] = None
    whole["questions"].append({"key": "when", "asks": "When?", "kind": "choice", "sets": "urgency",
                               "choices": [{"key": "now", "label": "Now", "level": 1}]})  # fmt: skip
    (found,) = [one for one in checks.check_document(whole, WORLD, date(2026, 11, 23)) if one.section == "matrix"]  # fmt: skip
    assert "High × Now is empty" in found.says


def test_a_rule_hidden_by_a_wider_one_that_stops_is_found_and_others_are_not() -> None:
    whole = document()
    wide = rule("wide", leaf("service", "is one of", ["Gates", "Tills"]), {"do": "tag", "tags": ["x"]}, stop=True)  # fmt: skip
    narrow = rule("narrow", leaf("service", "is", "Gates"), {"do": "tag", "tags": ["y"]})
    whole["rules"] = [wide, narrow]
    (found,) = checks.check_document(whole, WORLD, date(2026, 11, 23))
    assert (found.key, found.says) == ("narrow", "It can never run.")
    for change in ({"stop": False}, {"when": ["updated"]}, {"is_on": False}):
        whole["rules"] = [{**wide, **change}, narrow]
        assert checks.check_document(whole, WORLD, date(2026, 11, 23)) == []


@pytest.mark.parametrize(
    ("change", "sentences"),
    [
        (_set("agreements.0.targets.2.fix", 1800), ["Gates: P2 fix 1 h → 30 min"]),
        (_set("agreements.0.scope", leaf("service", "is", "Tills")),
         ["Gates: scope “Service is Gates” → “Service is Tills”"]),
        (_set("calendars.0.weeks.0.hours.tue", [["08:00", "12:00"], ["13:00", "18:00"]]),
         ["All: weeks 2020-01-01 Tuesday nothing → 08:00–12:00, 13:00–18:00"]),
        (_set("messages.0.body", "c"), ["hello: body b → c"]),
        (_set("rules.0", rule("r", {"all": []})), ["r: a new rule"]),
        (lambda whole: whole["messages"].clear(), ["hello: message removed"]),
        (lambda whole: whole["agreements"].reverse(), ["Gates: moved to the end"]),
        (_set("closing.after_seconds", 7200), ["after 1 h → 2 h"]),
    ],
)  # fmt: skip
def test_differences_are_sentences(change: Any, sentences: list[str]) -> None:
    before, after = document(), document()
    change(after)
    found = difference.compare(before, after, FIELDS)
    assert [sentence for one in found for sentence in one.sentences] == sentences


_entries = st.lists(st.sampled_from("abcdef"), unique=True, max_size=6)


@given(_entries, st.data())
def test_an_edit_taken_back_restores_the_document(keys: list[str], data: st.DataObject) -> None:
    whole = {**rulebook.empty(), "suppliers": [{"key": key, "name": key} for key in keys]}
    key = data.draw(st.sampled_from("abcdefg"))
    before = rulebook.entry(whole, "suppliers", key)
    after = data.draw(st.sampled_from([None, {"key": key, "name": "new"}]))
    position = data.draw(st.none() | st.integers(0, len(keys)))
    was = rulebook.position_of(whole, "suppliers", key)
    edit = rulebook.Edit("suppliers", key, before, after, position, was)
    changed = rulebook.apply(whole, edit)
    assert rulebook.entry(changed, "suppliers", key) == after
    assert rulebook.apply(changed, edit.reversed()) == whole


def test_the_order_of_an_export_does_not_depend_on_how_it_was_written() -> None:
    whole = document()
    shuffled = json.loads(json.dumps(dict(reversed(whole.items())), sort_keys=True))
    assert json.dumps(rulebook.canonical(shuffled)) == json.dumps(rulebook.canonical(whole))
    with pytest.raises(DocumentError, match="no such section"):
        rulebook.canonical({"colours": []})


CALENDAR = {
    "name": "Offices", "zone": "Europe/London",
    "weeks": [{"from": "2020-01-01", "hours": {"fri": [["08:00", "18:00"]], "mon": [["08:00", "18:00"]]}}],
}  # fmt: skip


@pytest.mark.parametrize(
    ("op", "given", "out"),
    [
        (
            "rules.run",
            {"rules": [rule("r", leaf("number", ">", 1), put("title", "x"), {"do": "suggest major"})],
             "events": ["created"], "record": {"number": 2}},
            {"fired": ["r"], "sets": {"title": "x"}, "effects": [{"rule": "r", "do": "suggest major"}]},
        ),
        ("rules.run", {"rules": [], "events": ["never"], "record": {}}, {"error": "RuleError"}),
        (
            "forms.resolve",
            {"form": {"fields": [field("a", requester={"shown": True, "required": True})]},
             "answers": {}, "audience": "requester"},
            {"fields": {"a": {"shown": True, "required": True, "read_only": False, "value": None}},
             "missing": ["a"]},
        ),
        ("forms.resolve", {"form": {}, "answers": {}, "audience": "cat"}, {"error": "FormError"}),
        (
            # Half of six hours from Friday 16:30 is Monday 09:30.
            "escalation.moments",
            {"steps": STEPS, "clock": "fix", "calendar": CALENDAR, "target": 6 * HOUR,
             "events": [{"at": "2026-11-27T16:30:00Z", "kind": "start"}], "now": "2026-11-27T17:00:00Z"},
            {"moments": [{"step": "half", "at": "2026-11-30T09:30:00Z"},
                         {"step": "near", "at": "2026-11-30T12:00:00Z"},
                         {"step": "due", "at": "2026-11-30T12:30:00Z"}]},
        ),
        (
            "rulebook.compare",
            {"before": {}, "after": {"suppliers": [{"key": "b", "name": "Brightmast"}]}},
            {"sentences": ["Brightmast: a new supplier"]},
        ),
    ],
)  # fmt: skip
def test_the_json_face_answers_for_them(
    op: str, given: dict[str, Any], out: dict[str, Any]
) -> None:
    answered = face.answer({"id": "1", "op": op, "in": given})["out"]
    assert {key: answered[key] for key in out} == out
