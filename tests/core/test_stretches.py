"""Where a record's time went: against a plain reading of what was so between two events."""

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.lifecycle import INCIDENT, Act, Happening
from gannet_core.stretches import Stretch, hand_overs, stretches


def at(second: int, act: str, actor: str = "1", **facts: object) -> Happening:
    return Happening(second, act, actor, by_desk=True, facts=facts)


def said(found: list[Stretch]) -> list[tuple[object, ...]]:
    return [(one.start, one.end, one.team, one.person, one.waiting) for one in found]


LOGGED = at(0, Act.LOGGED, team="desk", person=None)


@pytest.mark.parametrize(
    ("history", "expected"),
    [
        ([LOGGED], [(0, None, "desk", None, "")]),
        ([LOGGED, at(9, Act.REPLIED)], [(0, None, "desk", None, "")]),
        (
            [LOGGED, at(5, Act.TAKEN, person="7"), at(9, Act.RESOLVED)],
            [(0, 5, "desk", None, ""), (5, 9, "desk", "7", "")],
        ),
        (
            [LOGGED, at(5, Act.TAKEN, person="7"), at(6, Act.WAITING, on="supplier", supplier="Orrin"),
             at(8, Act.WAITING, on="supplier", supplier="Orrin"), at(20, Act.RESUMED)],
            [(0, 5, "desk", None, ""), (5, 6, "desk", "7", ""), (6, 20, "desk", "7", "supplier"),
             (20, None, "desk", "7", "")],
        ),
        (  # one supplier after another are two waits
            [LOGGED, at(6, Act.WAITING, on="supplier", supplier="Orrin"),
             at(8, Act.WAITING, on="supplier", supplier="Fell")],
            [(0, 6, "desk", None, ""), (6, 8, "desk", None, "supplier"),
             (8, None, "desk", None, "supplier")],
        ),
        (  # what is resolved is nobody's; opened again, it is whose it was
            [LOGGED, at(5, Act.TAKEN, person="7"), at(9, Act.RESOLVED), at(30, Act.REOPENED),
             at(31, Act.CANCELLED)],
            [(0, 5, "desk", None, ""), (5, 9, "desk", "7", ""), (30, 31, "desk", "7", "")],
        ),
        (  # a wait ends with the record, and does not begin again when it is opened again
            [LOGGED, at(5, Act.WAITING, on="date"), at(9, Act.RESOLVED), at(30, Act.REOPENED)],
            [(0, 5, "desk", None, ""), (5, 9, "desk", None, "date"), (30, None, "desk", None, "")],
        ),
        (  # what could not be done changes nothing
            [LOGGED, at(5, Act.RESUMED), at(6, Act.CLOSED), at(7, Act.REOPENED)],
            [(0, None, "desk", None, "")],
        ),
    ],
)  # fmt: skip
def test_a_stretch_ends_when_hands_or_the_wait_change(
    history: list[Happening], expected: list[tuple[object, ...]]
) -> None:
    assert said(stretches(history, INCIDENT)) == expected


@pytest.mark.parametrize(
    ("then", "is_one"),
    [
        (at(5, Act.HANDED_OVER, team="ships", person=None), True),
        (at(5, Act.HANDED_OVER, team="desk", person="8"), False),  # its first holder is found
        (at(5, Act.TAKEN, person="8"), False),
    ],
)
def test_finding_the_first_holder_is_no_hand_over(then: Happening, is_one: bool) -> None:
    found = hand_overs(stretches([LOGGED, then], INCIDENT))
    assert [one.next_team for one in found] == (["ships"] if is_one else [])


def test_from_one_person_to_another_is_a_hand_over_and_back_to_the_team_too() -> None:
    history = [LOGGED, at(1, Act.TAKEN, person="7"), at(2, Act.HANDED_OVER, team="desk", person="8"),
               at(2, Act.TAKEN, person="9"), at(3, Act.HANDED_OVER, team="desk", person=None)]  # fmt: skip
    found = hand_overs(stretches(history, INCIDENT))
    assert [(one.person, one.next_person) for one in found] == [("7", "8"), ("8", "9"), ("9", None)]


ACTS = st.one_of(
    st.tuples(st.just(Act.TAKEN), st.fixed_dictionaries({"person": st.sampled_from("789")})),
    st.tuples(
        st.just(Act.HANDED_OVER),
        st.fixed_dictionaries({"team": st.sampled_from(["desk", "ships"]),
                               "person": st.sampled_from(["7", "8", None])}),
    ),
    st.tuples(
        st.just(Act.WAITING),
        st.fixed_dictionaries({"on": st.sampled_from(["requester", "supplier", "date"]),
                               "supplier": st.sampled_from(["Orrin", "Fell"])}),
    ),
    st.tuples(
        st.sampled_from([Act.RESUMED, Act.RESOLVED, Act.REOPENED, Act.CLOSED, Act.CANCELLED,
                         Act.REPLIED, Act.NOTED, Act.REQUESTER_WROTE]),
        st.just({}),
    ),
)  # fmt: skip


@given(st.lists(st.tuples(st.integers(0, 4), ACTS), max_size=16))
def test_they_tile_the_time_in_which_it_was_open_and_say_whose_it_was(
    steps: list[tuple[int, tuple[str, dict[str, object]]]],
) -> None:
    history, now = [LOGGED], 0
    for pause, (act, facts) in steps:
        now += pause
        history.append(at(now, act, **facts))
    found = stretches(history, INCIDENT)
    end = now + 1
    # Second by second, what was so after all that had happened by then.
    for second in range(end):
        stage, team, person, waiting = INCIDENT.first, "desk", None, ""
        for event in history[1:]:
            if event.at > second or not INCIDENT.can(stage.name, event.act):
                continue
            stage = INCIDENT.stage(INCIDENT.after(stage.name, event.act))
            team = str(event.facts.get("team", team))
            if "person" in event.facts:
                person = event.facts["person"]
            if event.act == Act.WAITING:
                waiting = str(event.facts["on"])
            elif event.act in (Act.RESUMED, Act.RESOLVED, Act.CANCELLED):
                waiting = ""
        there = [
            one for one in found if one.start <= second < (end if one.end is None else one.end)
        ]
        assert len(there) == int(stage.is_open), (second, there)
        for one in there:
            assert (one.team, one.person, one.waiting) == (team, person, waiting)
    for one, other in pairwise(found):
        assert one.end is not None
        assert one.end <= other.start
