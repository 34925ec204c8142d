"""What tasks hand on to each other: held to reachability in the graph, worked out plainly."""

from datetime import date
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import tasks
from gannet_core.checks import check_document
from tests.core.test_rulebook_core import WORLD, document

TODAY = date(2026, 11, 23)
NAMES = ["tag", "address", "room", "port"]


@st.composite
def templates(draw: st.DrawFn) -> list[dict[str, Any]]:
    """Tasks that wait only for earlier ones; each may give a name of its own and read some."""
    size = draw(st.integers(1, 7))
    found: list[dict[str, Any]] = []
    for at in range(size):
        before = [f"t{n}" for n in range(at)]
        found.append(
            {
                "title": f"t{at}",
                "after": draw(st.lists(st.sampled_from(before), unique=True)) if before else [],
                "outputs": [f"out {at}"] if draw(st.booleans()) else [],
                "inputs": {
                    f"in {n}": f"see {{out {draw(st.integers(0, size - 1))}}}"
                    for n in range(draw(st.integers(0, 2)))
                },
            }
        )
    return draw(st.permutations(found))


def reaches(entries: list[dict[str, Any]], start: str) -> set[str]:
    """Everything before a task, by walking every path; slow and plain."""
    after = {one["title"]: one["after"] for one in entries}
    return {name for first in after[start] for name in {first} | reaches(entries, first)}


@given(templates())
def test_a_task_may_read_exactly_what_is_given_before_it(entries: list[dict[str, Any]]) -> None:
    giver = {name: one["title"] for one in entries for name in one["outputs"]}
    wrong = {
        (one["title"], name)
        for one in entries
        for words in one["inputs"].values()
        for name in tasks.reads(words)
        if name in giver and giver[name] not in reaches(entries, one["title"])
    }
    says = tasks.wrong_flow(entries)
    assert len(says) == len(wrong)
    for title, name in wrong:
        assert any(f"“{title}” reads “{name}”" in line and giver[name] in line for line in says)


@given(st.dictionaries(st.sampled_from(NAMES), st.text(max_size=12)), st.text(max_size=20))
def test_names_are_replaced_once_and_what_lacks_is_named(values: dict[str, str], tail: str) -> None:
    words = "for {tag} in {room}: " + tail.replace("{", "(").replace("}", ")")
    said, lacking = tasks.filled(words, values)
    assert lacking == [name for name in ("tag", "room") if not values.get(name)]
    # Worked out apart: cut at the names, then joined with what each stands for.
    expected = "for " + (values.get("tag") or "{tag}") + " in " + (values.get("room") or "{room}")
    assert said == expected + words[len("for {tag} in {room}") :]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"team": "Desk", "mode": "in turn"}, None),
        ({"team": "Nobodies"}, "not there"),
        ({"mode": "least loaded"}, "names no team"),
        ({"outputs": ["x"], "inputs": {"y": "{x}"}}, "does not wait"),
        ({"after": ["a"]}, "wait for each other"),
        ({"after": ["b"]}, "not there"),
        ({"if": {"field": "x"}}, "operator"),
    ],
)
def test_a_task_template_is_checked_with_the_rulebook(
    change: dict[str, Any], says: str | None
) -> None:
    template = {"key": "t", "name": "T", "tasks": [{"title": "a", **change}]}
    whole = {**document(), "tasks": [template]}
    found = [one for one in check_document(whole, WORLD, TODAY) if one.section == "tasks"]
    if says is None:
        assert found == []
    else:
        assert [says in one.says for one in found] == [True], found


@pytest.mark.parametrize(
    ("condition", "outputs", "expected"),
    [
        ({}, {}, True),
        ({"output": "tag", "is": "A-7"}, {"tag": "a-7"}, True),
        ({"output": "tag", "is": "A-7"}, {"tag": "A-8"}, False),
        ({"output": "tag", "is": "A-7"}, {"tag": ""}, None),
        ({"output": "tag", "is": "A-7"}, {"other": "A-7"}, None),
        ({"output": "tag", "is": "STRASSE"}, {"tag": "straße"}, True),
    ],
)
def test_what_a_task_is_only_for(
    condition: dict[str, str], outputs: dict[str, str], expected: bool | None
) -> None:
    assert tasks.holds(condition, outputs) is expected
