"""Reach over random estates: against a slow reading of the rule, and what must always hold."""

from itertools import count

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gannet_core.errors import ImpactError
from gannet_core.impact import HARD, REDUNDANT, SOFT, Edge, Web, reach

NODES = [f"n{number}" for number in range(7)]
_plain = st.builds(
    Edge, st.sampled_from(NODES), st.sampled_from(NODES), st.sampled_from([HARD, SOFT])
)
_member = st.builds(
    Edge,
    st.sampled_from(NODES),
    st.sampled_from(NODES),
    st.just(REDUNDANT),
    st.sampled_from(["pair", "trio"]),
)
estates = st.lists(_plain | _member, max_size=14)
strikes = st.sets(st.sampled_from(NODES), min_size=1, max_size=3)


def _share(edge: Edge, edges: list[Edge], lost: set[str]) -> float:
    if edge.strength != REDUNDANT:
        return {HARD: 1.0, SOFT: 0.5}[edge.strength]
    others = {
        other.target
        for other in edges
        if (other.source, other.group, other.strength) == (edge.source, edge.group, REDUNDANT)
    } - {edge.target}
    return 0.25 if others - lost else 1.0


def _products(edges: list[Edge], hit: set[str], lost: set[str]) -> dict[str, float]:
    """Relaxed until nothing changes: slow, and plainly the largest product of any path."""
    best = dict.fromkeys(hit, 1.0)
    changed = True
    while changed:
        changed = False
        for edge in edges:
            found = best.get(edge.target, 0.0) * _share(edge, edges, lost)
            if found > best.get(edge.source, 0.0):
                best[edge.source] = found
                changed = True
    return best


def by_the_rule(edges: list[Edge], hit: set[str]) -> dict[str, float]:
    lost = set(hit)
    for _ in count():
        found = _products(edges, hit, lost)
        wholly = {node for node, share in found.items() if share == 1.0}
        if wholly == lost:
            return found
        lost = wholly
    raise AssertionError


@given(estates, strikes)
def test_it_is_what_the_rule_says(edges: list[Edge], hit: set[str]) -> None:
    assert dict(reach(edges, hit)) == by_the_rule(edges, hit)


@given(estates, strikes, st.sampled_from(NODES))
def test_striking_more_never_lowers_a_reach(edges: list[Edge], hit: set[str], more: str) -> None:
    before, after = reach(edges, hit), reach(edges, hit | {more})
    assert all(after[node] >= share for node, share in before.items())


@given(estates, strikes, _plain)
def test_one_more_dependency_never_lowers_a_reach(
    edges: list[Edge], hit: set[str], more: Edge
) -> None:
    before, after = reach(edges, hit), reach([*edges, more], hit)
    assert all(after[node] >= share for node, share in before.items())


@given(estates, strikes)
def test_one_more_member_of_a_group_never_raises_what_stands_on_it(
    edges: list[Edge], hit: set[str]
) -> None:
    """A spare that stands can only help."""
    groups = {(edge.source, edge.group) for edge in edges if edge.strength == REDUNDANT}
    spares = [Edge(source, "spare", REDUNDANT, group) for source, group in groups]
    before, after = reach(edges, hit), reach([*edges, *spares], hit)
    assert all(share <= before[node] for node, share in after.items())


@given(estates, strikes)
def test_every_path_explains_its_reach(edges: list[Edge], hit: set[str]) -> None:
    found = Web(edges).stopped(hit)
    for node, share in found.reach.items():
        steps = found.path(node)
        product = 1.0
        for step in steps:
            product *= step.share
            assert any((e.source, e.target) == (step.node, step.target) for e in edges)
        assert product == share
        assert ([node, *(step.target for step in steps)][-1]) in hit
        assert [step.node for step in steps] == [node, *(s.target for s in steps[:-1])][
            : len(steps)
        ]


@given(estates, strikes)
def test_order_and_repetition_of_the_edges_do_not_matter(edges: list[Edge], hit: set[str]) -> None:
    assert dict(reach(edges, hit)) == dict(reach([*reversed(edges), *edges], hit))


def test_a_pair_on_one_host_is_redundant_on_paper_only_and_the_host_is_named() -> None:
    pair = [
        Edge("planner", "server 1", REDUNDANT, "planner servers"),
        Edge("planner", "server 2", REDUNDANT, "planner servers"),
        Edge("server 1", "host"),
        Edge("server 2", "host"),
        Edge("host", "power"),
    ]
    found = Web(pair).stopped(["power"])
    assert found.reach["planner"] == 1
    (lost,) = found.lost_groups
    assert (lost.node, lost.group) == ("planner", "planner servers")
    assert set(lost.members) == {"server 1", "server 2"}
    # The nearest thing that both stand on: that is where a second one would help.
    assert lost.causes == ("host",)


def test_two_struck_on_their_own_are_two_causes() -> None:
    pair = [Edge("a", "x", REDUNDANT, "g"), Edge("a", "y", REDUNDANT, "g")]
    found = Web(pair).stopped(["x", "y"])
    assert found.lost_groups[0].causes == ("x", "y")
    assert Web(pair).stopped(["x"]).lost_groups == ()


def test_a_circle_does_not_hold_itself_up_nor_fall_by_itself() -> None:
    ring = [Edge("a", "b"), Edge("b", "c"), Edge("c", "a"), Edge("c", "z", SOFT)]
    assert dict(reach(ring, ["z"])) == {"z": 1, "c": 0.5, "b": 0.5, "a": 0.5}


@pytest.mark.parametrize(
    "edge", [Edge("a", "b", "rather"), Edge("a", "b", REDUNDANT)], ids=["strength", "group"]
)
def test_what_cannot_be_is_refused(edge: Edge) -> None:
    with pytest.raises(ImpactError):
        Web([edge])


@settings(deadline=None, max_examples=5)
@given(st.integers(min_value=900, max_value=1300))
def test_a_long_chain_of_halves_ends_in_nearly_nothing_without_an_error(length: int) -> None:
    chain = [Edge(f"c{number + 1}", f"c{number}", SOFT) for number in range(length)]
    found = reach(chain, ["c0"])
    assert len(found) == length + 1
    assert found["c3"] == 0.125
