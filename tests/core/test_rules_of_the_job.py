"""Lifecycle, markers, clock events, agreements, priority, suggestions – by table."""

from datetime import date
from typing import Any

import pytest

from gannet_core import agreements, conditions, lifecycle, priority, routing, suggest
from gannet_core.clocks import EventKind
from gannet_core.errors import (
    AgreementError,
    ConditionError,
    LifecycleError,
    PriorityError,
    RoutingError,
)
from gannet_core.lifecycle import INCIDENT, Act, Happening, Move, State, Waiting
from gannet_core.sentences import describe

KINDS = {kind["key"]: kind for kind in lifecycle.SHIPPED_CLOCKS}


def happened(at: int, act: Act, *, desk: bool = False, who: str = "req", **facts: Any) -> Happening:
    return Happening(at, act, who, by_desk=desk, facts=facts)


LOGGED = happened(0, Act.LOGGED, team="a", person=None)


@pytest.mark.parametrize(
    ("state", "act", "leads_to"),
    [
        (State.NEW, Act.TAKEN, State.IN_PROGRESS),
        (State.WAITING, Act.TAKEN, State.WAITING),  # taking over does not end a wait
        (State.NEW, Act.REPLIED, State.IN_PROGRESS),
        (State.WAITING, Act.REPLIED, State.WAITING),
        (State.WAITING, Act.RESUMED, State.IN_PROGRESS),
        (State.RESOLVED, Act.REOPENED, State.IN_PROGRESS),
        (State.RESOLVED, Act.CLOSED, State.CLOSED),
        (State.NEW, Act.CLOSED, None),
        (State.CLOSED, Act.REOPENED, None),
        (State.CANCELLED, Act.RESOLVED, None),
        (State.IN_PROGRESS, Act.RESUMED, None),
    ],
)
def test_moves(state: State, act: Act, leads_to: State | None) -> None:
    assert INCIDENT.can(state, act) == (leads_to is not None)
    if leads_to is None:
        with pytest.raises(LifecycleError, match=state.value):
            INCIDENT.after(state, act)
    else:
        assert INCIDENT.after(state, act) == leads_to


def test_whose_move_it_is() -> None:
    assert lifecycle.move_of(INCIDENT.stage(State.IN_PROGRESS), None) is Move.OURS
    assert lifecycle.move_of(INCIDENT.stage(State.WAITING), Waiting.DATE) is Move.SCHEDULED
    assert lifecycle.move_of(INCIDENT.stage(State.CLOSED), None) is Move.NOBODY
    with pytest.raises(LifecycleError):
        lifecycle.move_of(INCIDENT.stage(State.WAITING), None)


WAIT = happened(2, Act.WAITING, desk=True, who="ann", on="requester")
BACK = happened(3, Act.REQUESTER_WROTE)


@pytest.mark.parametrize(
    ("why", "history", "wanted"),
    [
        ("just logged", [LOGGED], (True, True, False, None)),
        ("opened by the team", [LOGGED, happened(1, Act.OPENED, desk=True, who="ann")], (False, True, False, None)),
        ("replied", [LOGGED, happened(1, Act.REPLIED, desk=True, who="ann")], (False, False, False, None)),
        ("an answer to a wait", [LOGGED, happened(1, Act.REPLIED, desk=True, who="ann"), WAIT, BACK], (False, True, True, None)),
        (
            "resumed by itself stays answered",
            [LOGGED, happened(1, Act.REPLIED, desk=True), WAIT, BACK, Happening(3, Act.RESUMED, None, is_automatic=True)],
            (False, True, True, None),
        ),
        ("a note ends answered, not needs reply", [LOGGED, WAIT, BACK, happened(4, Act.NOTED, desk=True)], (False, True, False, None)),
        ("a reply ends both", [LOGGED, WAIT, BACK, happened(4, Act.REPLIED, desk=True)], (False, False, False, None)),
        (
            "an automatic reply ends nothing",
            [LOGGED, Happening(1, Act.REPLIED, None, by_desk=True, is_automatic=True)],
            (True, True, False, None),
        ),
        ("handed to bo", [LOGGED, happened(1, Act.HANDED_OVER, desk=True, who="ann", team="b", from_team="a", person="bo")], (True, True, False, "bo")),
        (
            "bo opens it",
            [
                LOGGED,
                happened(1, Act.HANDED_OVER, desk=True, who="ann", team="b", from_team="a", person="bo"),
                happened(2, Act.OPENED, desk=True, who="bo"),
            ],
            (False, True, False, None),
        ),
        ("resolved: nothing is left standing", [LOGGED, happened(1, Act.RESOLVED, desk=True)], (False, False, False, None)),
    ],
)  # fmt: skip
def test_markers(why: str, history: list[Happening], wanted: tuple[Any, ...]) -> None:
    found = lifecycle.markers(history, INCIDENT)
    assert (found.is_unread, found.needs_reply, found.is_answered, found.handed_to) == wanted, why


def kinds_of(events: list[Any]) -> list[tuple[int, str]]:
    return [(event.at, str(event.kind)) for event in events]


def test_the_fix_clock_pauses_on_listed_reasons_only() -> None:
    history = [
        LOGGED,
        happened(1, Act.WAITING, desk=True, on="supplier"),
        happened(2, Act.WAITING, desk=True, on="requester"),
        happened(3, Act.RESUMED),
        happened(4, Act.RESOLVED, desk=True),
        happened(5, Act.REOPENED),
    ]
    found = lifecycle.clock_events(KINDS["fix"], history, ["requester", "date"])
    assert kinds_of(found) == [
        (0, "start"),
        (2, "pause"),
        (3, "resume"),
        (4, "stop"),
        (5, "restart"),
    ]


def test_only_a_reply_of_the_desk_meets_the_answer_clock() -> None:
    automatic = Happening(1, Act.REPLIED, None, by_desk=True, is_automatic=True)
    noted = happened(2, Act.NOTED, desk=True)
    replied = happened(3, Act.REPLIED, desk=True)
    found = lifecycle.clock_events(KINDS["answer"], [LOGGED, automatic, noted, replied], [])
    assert kinds_of(found) == [(0, "start"), (3, "stop")]


def test_a_team_clock_goes_on_when_the_ticket_comes_back() -> None:
    over = happened(10, Act.HANDED_OVER, desk=True, team="b", from_team="a")
    back = happened(30, Act.HANDED_OVER, desk=True, team="a", from_team="b")
    solved = happened(40, Act.RESOLVED, desk=True)
    history = [LOGGED, over, back, solved]
    own = lifecycle.clock_events(KINDS["team"], history, [], "a")
    other = lifecycle.clock_events(KINDS["team"], history, [], "b")
    assert [e for e in kinds_of(own) if e[1] != "restart" or e[0] > 0] == [
        (0, "start"), (10, "stop"), (30, "start"), (30, "restart"), (40, "stop"),
    ]  # fmt: skip
    assert kinds_of(other)[:3] == [(10, "start"), (10, "restart"), (30, "stop")]


def test_a_team_that_gets_a_waiting_ticket_starts_paused() -> None:
    history = [LOGGED, WAIT, happened(9, Act.HANDED_OVER, desk=True, team="b", from_team="a")]
    found = lifecycle.clock_events(KINDS["team"], history, ["requester"], "b")
    assert [event.kind for event in found][-1] is EventKind.PAUSE


def test_the_first_act_of_a_member_meets_the_team_answer() -> None:
    why_unknown = happened(1, Act.NOTED, desk=True)
    member = happened(2, Act.NOTED, desk=True, for_team="a")
    found = lifecycle.clock_events(KINDS["team answer"], [LOGGED, why_unknown, member], [], "a")
    assert kinds_of(found) == [(0, "start"), (2, "stop")]


def test_a_supplier_clock_runs_while_that_supplier_is_waited_on() -> None:
    history = [
        LOGGED,
        happened(1, Act.WAITING, desk=True, on="supplier", supplier="loam"),
        happened(5, Act.RESUMED, desk=True),
    ]
    found = lifecycle.clock_events(KINDS["supplier"], history, [], "loam")
    assert (1, "start") in kinds_of(found) and (5, "stop") in kinds_of(found)
    assert lifecycle.clock_events(KINDS["supplier"], history, [], "other") == []


AGREEMENTS = [
    {
        "key": "vital", "name": "Vital", "kind": "customer", "position": 1, "calendar": "all",
        "scope": {"field": "service", "op": "is", "value": "Gates"},
        "targets": {"1": {"answer": 900, "fix": 7200}},
    },
    {
        "key": "old", "name": "Old", "kind": "customer", "position": 2, "calendar": "all",
        "ends": "2026-01-31", "scope": {"all": []}, "targets": {},
    },
    {
        "key": "rest", "name": "Rest", "kind": "customer", "position": 9, "calendar": "office",
        "scope": {"all": []}, "targets": {"1": {"answer": 900, "fix": 7200, "calendar": "all"}},
    },
]  # fmt: skip


def test_the_first_matching_agreement_applies_and_the_others_say_why_not() -> None:
    choice = agreements.choose(AGREEMENTS, "customer", {"service": "Tills"}, date(2026, 2, 1))
    assert choice.agreement is not None and choice.agreement["key"] == "rest"
    assert [looked.because for looked in choice.looked_at] == [
        "Service is Gates – but it is Tills",
        "ended on 2026-01-31",
        "applies: Always",
    ]
    assert (
        agreements.choose(AGREEMENTS, "customer", {}, date(2026, 1, 31)).agreement["key"] == "old"
    )  # type: ignore[index]


def test_the_smallest_share_applies_rounded_to_the_minute() -> None:
    found = agreements.targets(AGREEMENTS[2], 1, {"crew": "0.70", "kind": "0.9"})
    assert found["answer"].seconds == 11 * 60 and found["answer"].tier == "crew"
    assert found["fix"].calendar == "all"
    with pytest.raises(AgreementError, match="P4"):
        agreements.targets(AGREEMENTS[2], 4)


def test_the_answer_clock_pauses_on_nothing_unless_listed() -> None:
    assert agreements.pauses({}, "fix") == ["requester", "date"]
    assert agreements.pauses({}, "answer") == []


MATRIX = {"impact": ["all", "one"], "urgency": ["now", "later"], "cells": [[1, 2], [3, None]]}


def test_priority_comes_from_the_matrix_and_an_override_keeps_both() -> None:
    found = priority.priority_of(MATRIX, 1, 2, (1, "full ship"))
    assert (found.priority, found.from_matrix) == (1, 2)
    assert found.explain(MATRIX)[-1] == {"label": "Set to P1 by hand", "value": "full ship"}
    for impact, urgency, override in ((2, 2, None), (3, 1, None), (1, 1, (2, " "))):
        with pytest.raises(PriorityError):
            priority.priority_of(MATRIX, impact, urgency, override)


def test_plain_answers_state_impact_and_urgency() -> None:
    questions = [{"key": "who", "sets": "impact", "choices": [{"key": "me", "level": 2}]}]
    assert priority.read_answers(questions, {"who": "me"}) == {"impact": 2}
    assert priority.read_answers(questions, {}) == {}
    with pytest.raises(PriorityError, match="nobody"):
        priority.read_answers(questions, {"who": "nobody"})


def test_teams_are_found_in_order_and_escalation_ends() -> None:
    assert routing.choose_team(by_service="s", by_category="c", triage="t").team == "s"
    assert routing.choose_team(triage="t").because.endswith("triage")
    assert routing.escalate(["a", "b"], "a") == "b"
    assert routing.escalate(["a", "b"], "b") is None
    assert routing.escalate(["a", "b"], "x") == "a"
    with pytest.raises(RoutingError):
        routing.pick("by magic", [])


def test_conditions_read_as_sentences() -> None:
    tree = {
        "all": [
            {"field": "service", "op": "is one of", "value": ["Gates", "Tills"]},
            {"any": [{"field": "impact", "op": "<=", "value": 2}, {"field": "vip", "op": "is", "value": True}]},
            {"not": {"field": "place", "op": "is empty"}},
        ]
    }  # fmt: skip
    assert describe(tree) == (
        "Service is Gates or Tills, and (impact is at most 2, or vip), and place is set"
    )


@pytest.mark.parametrize(
    ("leaf", "part"),
    [
        ({"field": "nothing", "op": "is", "value": 1}, "there is no field “nothing”"),
        ({"field": "title", "op": "<", "value": "a"}, "does not go with"),
        ({"field": "impact", "op": "is", "value": "high"}, "not of type number"),
        ({"field": "opened", "op": "before", "value": "yesterday"}, "opened"),
        ({"field": "title", "op": "in the last", "value": "x"}, "seconds"),
    ],
)
def test_a_leaf_that_cannot_be_asked_is_named(leaf: dict[str, Any], part: str) -> None:
    fields = {
        "title": {"type": "text"},
        "impact": {"type": "number"},
        "opened": {"type": "instant"},
    }
    with pytest.raises(ConditionError, match=part):
        conditions.check({"all": [leaf]}, fields)


def test_words_lead_to_the_label_they_were_taught_with() -> None:
    gates = [(f"gate {n} rejects every barcode", "gates") for n in range(30)]
    tills = [(f"till {n} prints blank receipts", "tills") for n in range(20)]
    wifi = [(f"no wireless in lounge {n}", "wifi") for n in range(10)]
    model = suggest.train([*gates, *tills, *wifi])
    assert model["accuracy"] > 0.9
    best = suggest.suggest(model, "The BARCODE reader of my gate is dead")
    assert best[0].label == "gates" and "barcode" in best[0].words
    assert abs(sum(s.probability for s in best) - 1) < 1e-9
    assert suggest.suggest(model, "zzz qqq") == []
    assert suggest.suggest(suggest.train([]), "gate") == []
