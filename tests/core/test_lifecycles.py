"""Lifecycles as values: each says its own moves, and a value that contradicts itself is refused."""

from collections.abc import Iterable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.errors import LifecycleError
from gannet_core.lifecycle import (
    INCIDENT,
    LIFECYCLES,
    MOVES,
    REQUEST,
    SHIPPED_CLOCKS,
    Act,
    Happening,
    Move,
    State,
    has_clock,
    markers,
    move_of,
)
from gannet_core.lifecycle import stage_of as lifecycle_of
from gannet_core.lifecycles import CHANGE, MAJOR, PROBLEM, TASK, Lifecycle, Stage, leads, stays

HEAD = (
    "# Lifecycles\n\nWhich act leads a record from which stage (above) to which; a dot leaves it "
    "where it is. Drawn from\nthe values of `gannet_core` by `tools/lifecycles`. Labels, and further "
    "states within a stage, are the rulebook's.\n"
)


def page(lifecycles: Iterable[Lifecycle]) -> str:
    """The tables of the docs."""
    parts = [HEAD]
    for one in lifecycles:
        parts.append(f"\n## {one.kind.capitalize()}\n\n")
        ended = [stage.name for stage in one.stages if not stage.is_open]
        parts.append(f"Begins {one.first.name}; nothing is left to do when {', '.join(ended)}.\n\n")
        head, *rows = one.table()
        parts.append("| " + " | ".join(head) + " |\n" + "|---" * len(head) + "|\n")
        parts.extend("| " + " | ".join(row) + " |\n" for row in rows)
    return "".join(parts)


def test_the_docs_are_drawn_from_the_values() -> None:
    drawn = Path(__file__).parents[2] / "docs" / "lifecycles.md"
    assert drawn.read_text(encoding="utf-8") == page(LIFECYCLES.values()), "run tools/lifecycles"


# Walks through each, act by act, with where they lead; None: it is not legal there.
WALKS = [
    (CHANGE, ["submitted", "assessed", "authorised", "started", "implemented", "looked back"],
     ["assess", "authorise", "planned", "under way", "look back", "done"]),
    (CHANGE, ["submitted", "refused", "submitted"], ["assess", "refused", None]),
    (CHANGE, ["submitted", "assessed", "sent back", "submitted"], ["assess", "authorise", "draft", "assess"]),
    (CHANGE, ["submitted", "assessed", "authorised", "moved", "started", "backed out", "noted"],
     ["assess", "authorise", "planned", "planned", "under way", "backed out", "backed out"]),
    (CHANGE, ["cancelled", "submitted"], ["cancelled", None]),
    (CHANGE, ["started"], [None]),
    (CHANGE, ["submitted", "assessed", "authorised", "started", "cancelled"],
     ["assess", "authorise", "planned", "under way", None]),
    (PROBLEM, ["taken", "cause found", "resolved", "closed"],
     ["looking for the cause", "known error", "resolved", "closed"]),
    (PROBLEM, ["cause found", "cause doubted", "waiting", "resumed"],
     ["known error", "looking for the cause", "waiting", "looking for the cause"]),
    (PROBLEM, ["cancelled", "resolved"], ["cancelled", None]),
    (PROBLEM, ["resolved", "reopened"], ["resolved", "looking for the cause"]),
    (MAJOR, ["reviewed", "stood down", "stood down", "reviewed", "declared again", "stood down"],
     [None, "review", None, "reviewed", "running", "review"]),
    (MAJOR, ["stood down", "declared again", "noted"], ["review", "running", "running"]),
    (TASK, ["done", "done", "reopened", "skipped"], ["done", None, "open", "skipped"]),
    (INCIDENT, ["taken", "waiting", "resumed", "resolved", "reopened", "resolved", "closed", "reopened"],
     ["in progress", "waiting", "in progress", "resolved", "in progress", "resolved", "closed", None]),
    (REQUEST, ["cancelled", "replied"], ["cancelled", None]),
]  # fmt: skip


@pytest.mark.parametrize("lifecycle, acts, stages", WALKS)
def test_walks(lifecycle: Lifecycle, acts: list[str], stages: list[str | None]) -> None:
    here = lifecycle.first.name
    for act, there in zip(acts, stages, strict=True):
        assert lifecycle.can(here, act) == (there is not None)
        if there is None:
            with pytest.raises(LifecycleError, match=f"this is {here}: it cannot be {act}"):
                lifecycle.after(here, act)
        else:
            here = lifecycle.after(here, act)
            assert here == there
    legal = [act for act, there in zip(acts, stages, strict=True) if there is not None]
    assert lifecycle.stage_after(acts) == lifecycle.stage_after(legal) == here


@pytest.mark.parametrize("kind", LIFECYCLES)
def test_each_says_what_ends_it(kind: str) -> None:
    lifecycle = LIFECYCLES[kind]
    ending = lifecycle.ending_acts()
    assert ending == {
        "incident": {"resolved", "cancelled"},
        "request": {"resolved", "cancelled"},
        "task": {"done", "skipped"},
        "problem": {"resolved", "cancelled"},
        "change": {"refused", "backed out", "looked back", "cancelled"},
        "major incident": {"reviewed"},
    }[kind]  # fmt: skip
    for stage in lifecycle.stages:
        assert (stage.move == "nobody's") == (not stage.is_open)


@given(st.sampled_from(sorted(LIFECYCLES)), st.lists(st.text(max_size=3) | st.sampled_from(Act)))
def test_no_history_leads_anywhere_unknown(kind: str, acts: list[str]) -> None:
    lifecycle = LIFECYCLES[kind]
    assert lifecycle.stage(lifecycle.stage_after(acts)) in lifecycle.stages


@pytest.mark.parametrize("kind", ["change", "problem", "task"])
@given(data=st.data())
def test_legal_acts_go_on_until_nothing_is_left_to_do(kind: str, data: st.DataObject) -> None:
    lifecycle = LIFECYCLES[kind]
    here, path = lifecycle.first.name, []
    for _ in range(30):
        legal = sorted(act for act in lifecycle.moves if lifecycle.can(here, act))
        assert legal or not lifecycle.is_open(here), "an open record has something to be done"
        if not legal:
            break
        path.append(data.draw(st.sampled_from(legal)))
        here = lifecycle.after(here, path[-1])
    assert lifecycle.stage_after(path) == here


def test_incidents_and_requests_are_values_of_it() -> None:
    assert INCIDENT.moves is MOVES and REQUEST.moves is MOVES
    opens = {stage.name for stage in INCIDENT.stages if stage.is_open}
    assert opens == {State.NEW, State.IN_PROGRESS, State.WAITING}
    assert [stage.name for stage in INCIDENT.stages if stage.waits] == [State.WAITING]
    shipped = {str(clock["key"]) for clock in SHIPPED_CLOCKS}
    kinds = [set(one.clocks) for one in (INCIDENT, PROBLEM, CHANGE)]
    assert set.union(*kinds) == shipped
    assert sum(map(len, kinds)) == len(shipped), "none of one stands on the other"


def test_what_is_read_off_a_history_follows_the_kind_of_record() -> None:
    """The same acts are other stages, and other turns, for a problem than for an incident."""
    acts = ("logged", "taken", "cause found", "waiting", "requester wrote")
    history = [
        Happening(at, act, "ann", by_desk=act == "taken", facts={"on": "requester"})
        for at, act in enumerate(acts)
    ]
    for kind, name in ((INCIDENT, "waiting"), (PROBLEM, "waiting"), (CHANGE, "draft")):
        stage = lifecycle_of(history, kind)
        assert stage.name == name
        found = markers(history, kind)
        # Only what waits is answered by its requester's word.
        assert (found.needs_reply, found.is_answered) == (True, stage.waits)
    known = lifecycle_of(history[:3], PROBLEM)
    assert (known.name, move_of(known, None)) == ("known error", Move.OURS)
    assert move_of(CHANGE.stage("authorise"), None) is Move.APPROVER
    assert lifecycle_of(history[:3], INCIDENT).name == State.IN_PROGRESS


@pytest.mark.parametrize(
    ("lifecycle", "clock", "has"),
    [(INCIDENT, "fix", True), (REQUEST, "supplier", True), (INCIDENT, "our own", True),
     (CHANGE, "fix", False), (CHANGE, "look back", True), (TASK, "our own", False)],
)  # fmt: skip
def test_which_clocks_a_kind_of_record_has(lifecycle: Lifecycle, clock: str, has: bool) -> None:
    assert has_clock(lifecycle, clock) is has


A, B = Stage("a"), Stage("b", is_open=False, move="nobody's")
WRONG = [
    ((A, A), {}, "two stages"),
    ((A, B), {"go": {"a": "c"}}, "from or to c"),
    ((A, B), {"go": {"d": "b"}}, "from or to d"),
    ((A, B), {"stay": stays("a")}, "never comes to be b"),
    ((A, Stage("e"), B), {"go": {"a": "b"}, "fall": leads("e", "a")}, "that is e never ends"),
]


@pytest.mark.parametrize("stages, moves, why", WRONG)
def test_a_value_that_contradicts_itself_is_refused(
    stages: tuple[Stage, ...], moves: dict[str, dict[str, str]], why: str
) -> None:
    with pytest.raises(LifecycleError, match=why):
        Lifecycle("thing", stages, moves)


def test_a_stage_of_no_such_name() -> None:
    with pytest.raises(LifecycleError, match="a task is never late"):
        TASK.is_open("late")
