"""Approval routes: who is asked, what it comes to, and that nothing can hang."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gannet_core.approvals import (
    Case,
    Decision,
    Directory,
    acts_for,
    ask,
    ask_all,
    check_route,
    ends_of,
    settle,
    touched,
)
from gannet_core.errors import ApprovalError

MANAGERS = {"ines": "dario", "maeve": "dario", "dario": "helle", "tomas": "helle"}
KINDS = {
    "line manager": lambda case: [MANAGERS[case]] if case in MANAGERS else [],
    "cost centre owner": lambda case: ["tomas"],
    "service owner": lambda case: [],
}


def directory(requester: str, gone: set[str] = frozenset(), **more: Any) -> Directory:  # type: ignore[assignment]
    def find(who: str, of: str) -> list[str]:
        return [of] if who == "person" else list(KINDS[who](requester))

    return Directory(find, MANAGERS.get, lambda one: one not in gone, more.get("keepers", ()))


def stage(key: str = "one", who: str = "line manager", of: str = "", **more: Any) -> dict[str, Any]:
    whole = {"key": key, "approvers": [{"who": who, "of": of}], "quorum": "any"}
    return {**whole, "fallback": "bo", **more}


def route(*stages: dict[str, Any]) -> dict[str, Any]:
    return {"key": "r", "owner": "olga", "stages": list(stages)}


def leaf(field: str, op: str, value: Any) -> dict[str, Any]:
    return {"field": field, "op": op, "value": value}


@pytest.mark.parametrize(
    ("requester", "beneficiary", "gone", "asked", "instead_of"),
    [
        ("ines", None, set(), "dario", None),
        ("ines", None, {"dario"}, "helle", "dario"),  # left: their line manager
        ("maeve", "dario", set(), "helle", "dario"),  # their own request: their line manager
        ("helle", None, set(), "bo", None),  # nobody above: the fallback
        ("helle", "bo", set(), "olga", None),  # whose own it is: the route's owner
        ("ines", None, {"dario", "helle", "bo"}, "olga", "dario"),
        ("olga", "bo", set(), "kim", None),  # at last an administrator
    ],
)
def test_whom_a_stage_asks(
    requester: str, beneficiary: str | None, gone: set[str], asked: str, instead_of: str | None
) -> None:
    one = stage()
    case = Case({}, requester, beneficiary)
    found = ask(one, route(one), case, directory(requester, gone, keepers=("olga", "kim")))
    assert [(a.person, a.instead_of) for a in found.approvers] == [(asked, instead_of)]


def test_nobody_at_all_is_refused_before_it_can_hang() -> None:
    one = stage()
    with pytest.raises(ApprovalError, match="add a fallback"):
        ask(one, route(one), Case({}, "olga", "bo"), directory("olga"))


def test_skipped_stages_say_why_and_a_smaller_quorum_says_so() -> None:
    dear = stage("dear", "cost centre owner", **{"if": leaf("cost", ">", 500)})
    both = stage("both", "line manager", quorum={"of": 3})
    both["approvers"].append({"who": "person", "of": "dario"})
    found = ask_all(route(dear, both), Case({"cost": 20}, "ines"), directory("ines"))
    assert found[0].is_skipped and found[0].because == "asked only when cost is over 500"
    assert found[1].people == ("dario",) and found[1].quorum == {"of": 1}
    assert found[1].notes == ("3 were asked for, 1 can approve",)


def test_deputies_decide_for_one_and_not_for_themselves() -> None:
    deputies = {"dario": ["vera", "ines"], "vera": ["kim"]}
    own = frozenset({"ines"})
    assert acts_for("dario", ["dario"], deputies, own) == "dario"
    assert acts_for("vera", ["dario"], deputies, own) == "dario"
    assert acts_for("ines", ["dario"], deputies, own) is None, "her own request"
    assert acts_for("kim", ["dario"], deputies, own) is None, "a deputy's deputy"
    assert acts_for("vera", ["dario"], deputies, own, decided=["dario"]) is None


def test_changed_answers_reopen_what_they_touch() -> None:
    cost = stage("cost", **{"if": leaf("cost", ">", 5), "shows": ["cost"]})
    reach = stage("reach", shows=["where"])
    whole = stage("whole")
    assert touched(route(cost, reach, whole), ["where"]) == ("reach", "whole")
    assert touched(route(cost, reach, whole), ["cost"]) == ("cost", "whole")
    assert touched(route(cost, reach, whole), []) == ()


def test_the_dead_end_check_lists_each_outcome_with_an_example() -> None:
    dear = stage("dear", **{"if": leaf("cost", ">=", 500)})
    remote = stage("remote", **{"if": leaf("remote", "is", True), "fallback": None})
    fields = {"cost": {"type": "number"}, "remote": {"type": "yes/no"}}
    found = ends_of(route(dear, remote), fields)
    assert found.is_complete and found.combinations == 6
    by_stages = {end.stages: end for end in found.ends}
    assert set(by_stages) == {(), ("dear",), ("remote",), ("dear", "remote")}
    assert by_stages[()].is_automatic and not by_stages[()].problem
    assert by_stages[("remote",)].example == {"cost": 499, "remote": True}
    assert "nobody" in by_stages[("remote",)].problem
    assert any("fallback" in words for words in check_route(route(dear, remote)))
    assert check_route(route(dear)) == []


def test_too_many_combinations_are_tried_by_pairs_and_say_so() -> None:
    names = [f"f{n}" for n in range(15)]
    stages = [stage(name, **{"if": leaf(name, "is", True)}) for name in names]
    found = ends_of(route(*stages), {name: {"type": "yes/no"} for name in names})
    assert not found.is_complete and found.combinations == 2**15
    seen = {end.stages for end in found.ends}
    assert all(any({a, b} <= set(one) for one in seen) for a in names for b in names)


PEOPLE = ["ines", "maeve", "dario", "helle", "tomas", "bo", "olga", "kim"]
ENTRY = st.one_of(
    st.sampled_from([{"who": kind} for kind in KINDS]),
    st.sampled_from([{"who": "person", "of": one} for one in PEOPLE]),
)
CONDITION = st.one_of(
    st.just({"all": []}),
    st.builds(leaf, st.just("cost"), st.sampled_from([">", "<", ">="]), st.integers(0, 9)),
    st.builds(leaf, st.just("remote"), st.just("is"), st.booleans()),
)


@st.composite
def routes(draw: st.DrawFn) -> dict[str, Any]:
    stages = [
        {
            "key": f"s{n}",
            "approvers": draw(st.lists(ENTRY, min_size=1, max_size=3)),
            "quorum": draw(
                st.one_of(
                    st.sampled_from(["any", "all"]),
                    st.builds(lambda n: {"of": n}, st.integers(1, 4)),
                )
            ),
            "fallback": draw(st.sampled_from(PEOPLE)),
            "if": draw(CONDITION),
        }
        for n in range(draw(st.integers(0, 4)))
    ]
    return {"key": "r", "owner": draw(st.sampled_from(PEOPLE)), "stages": stages}


@settings(max_examples=150, deadline=None)
@given(
    routes(),
    st.fixed_dictionaries(
        {"cost": st.integers(-1, 10), "remote": st.sampled_from([True, False, None])}
    ),
    st.sampled_from(PEOPLE),
    st.sampled_from([None, *PEOPLE]),
    st.sets(st.sampled_from(PEOPLE), max_size=5),
    st.lists(st.booleans(), min_size=1, max_size=8),
)
def test_every_request_ends_or_waits_for_somebody_named(
    made: dict[str, Any], record: dict[str, Any], requester: str, beneficiary: str | None,
    gone: set[str], answers: list[bool],
) -> None:  # fmt: skip
    case = Case(record, requester, beneficiary)
    people = directory(requester, gone, keepers=("ada", "ben", "cy"))
    for asked in ask_all(made, case, people):
        if asked.is_skipped:
            continue
        assert asked.people and not set(asked.people) & case.own
        assert not set(asked.people) & gone
        decisions = [
            Decision(one, answers[n % len(answers)], n) for n, one in enumerate(asked.people)
        ]
        for upto in range(len(decisions) + 1):
            state = settle(asked.quorum, asked.people, decisions[:upto]).state
            if state != "pending":
                break
            left = set(asked.people) - {one.by for one in decisions[:upto]}
            assert left, "a pending stage waits for somebody who has not decided"
        assert state in ("approved", "refused"), "once all have decided it is settled"
