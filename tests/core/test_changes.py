"""What a draft lacks, which type fits it, what stands against another, what a scan says."""

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.changes import (
    AS_EXPECTED,
    BACK_OUT,
    EMERGENCY,
    IMPLEMENT,
    NEEDS,
    NORMAL,
    NOT_SEEN,
    OTHERWISE,
    SHIPPED_TYPES,
    STANDARD,
    TEST,
    WAY,
    AddedStage,
    ChangeType,
    Draft,
    EndsProblem,
    Step,
    against,
    following,
    lacks,
    lacks_of,
    needs_cab,
    planned_minutes,
    problem_stays,
    read_settings,
    standing_in,
    suggested,
    turn_back_by,
    verified,
    way,
)
from gannet_core.risk import RATINGS

FULL = Draft(
    why="It breaks at sea.",
    service="Ship-to-shore link",
    items=1,
    starts_s=1000,
    ends_s=1000 + 3600,
    steps=(
        Step("1", IMPLEMENT, "Load it", minutes=30),
        Step("2", TEST, "Call", minutes=15),
        Step("3", BACK_OUT, "Load the old one", minutes=20),
    ),
    tried="On the spare",
)
ALL = ChangeType("all", "All", NORMAL, tuple(NEEDS))


def without(**changes: object) -> Draft:
    return Draft(**{**{name: getattr(FULL, name) for name in FULL.__slots__}, **changes})  # type: ignore[arg-type]


def only(*parts: str) -> tuple[Step, ...]:
    return tuple(step for step in FULL.steps if step.part in parts)


@pytest.mark.parametrize(
    ("draft", "places"),
    [
        (FULL, []),
        (without(why="  "), ["why"]),
        (without(service=""), ["service"]),
        (without(items=0), ["items"]),
        (without(starts_s=None), ["span"]),
        (without(ends_s=None), ["span"]),
        (without(steps=only(TEST, BACK_OUT)), ["plan"]),
        (without(steps=only(IMPLEMENT, BACK_OUT)), ["test"]),
        (without(steps=only(IMPLEMENT, TEST)), ["backout"]),
        (without(steps=(Step("1", IMPLEMENT, " "),)), ["plan", "test", "backout"]),
        (without(tried=""), ["tried"]),
        (without(ends_s=1000), ["span"]),
        (without(ends_s=999), ["span"]),
        (without(ends_s=1000 + 44 * 60), ["span"]),  # 45 minutes of work in 44
        (without(ends_s=1000 + 45 * 60), []),  # backing out is not planned for
        (Draft(), ["why", "service", "items", "span", "plan", "test", "backout", "tried"]),
    ],
)
def test_what_a_draft_lacks(draft: Draft, places: list[str]) -> None:
    found = lacks(ALL, draft)
    assert [one.place for one in found] == places
    assert all(one.says.endswith(".") for one in found)


@given(st.sets(st.sampled_from(sorted(NEEDS))))
def test_a_change_manager_is_spared_what_the_type_says_and_nothing_else(needs: set[str]) -> None:
    spared = {"why", "plan"}
    kind = ChangeType("some", "Some", NORMAL, tuple(needs), spares=tuple(spared))
    assert {one.place for one in lacks(kind, Draft(), is_manager=True)} == needs - spared
    assert {one.place for one in lacks(kind, Draft(), is_manager=False)} == needs


@given(st.sets(st.sampled_from(sorted(NEEDS))))
def test_a_type_asks_for_what_it_needs_and_for_nothing_else(needs: set[str]) -> None:
    kind = ChangeType("some", "Some", NORMAL, tuple(needs))
    assert {one.place for one in lacks(kind, Draft())} == needs


@pytest.mark.parametrize(
    ("is_preauthorised", "rating", "is_urgent", "like"),
    [
        (True, "low", False, STANDARD),
        (True, "moderate", False, NORMAL),
        (True, "critical", False, NORMAL),
        (False, "low", False, NORMAL),
        (False, "critical", False, NORMAL),
        (True, "low", True, EMERGENCY),
        (False, "high", True, EMERGENCY),
    ],
)
def test_the_type_that_fits(
    is_preauthorised: bool, rating: str, is_urgent: bool, like: str
) -> None:
    settings = read_settings({})
    kind, why = suggested(
        settings, is_preauthorised=is_preauthorised, rating=rating, is_urgent=is_urgent
    )
    assert (kind.like, bool(why)) == (like, True)


def test_what_is_suggested_is_never_refused() -> None:
    settings = read_settings({})
    for is_preauthorised, rating, is_urgent in product((True, False), RATINGS, (True, False)):
        kind, _ = suggested(
            settings, is_preauthorised=is_preauthorised, rating=rating, is_urgent=is_urgent
        )
        assert not against(
            kind,
            is_preauthorised=is_preauthorised,
            rating=rating,
            is_urgent=is_urgent,
            reason="",
        )


@pytest.mark.parametrize(
    ("like", "is_preauthorised", "rating", "is_urgent", "reason", "is_refused"),
    [
        (STANDARD, True, "low", False, "", False),
        (STANDARD, True, "moderate", False, "", True),
        (STANDARD, False, "low", False, "", True),
        (NORMAL, False, "critical", False, "", False),
        (EMERGENCY, False, "low", False, "", True),
        (EMERGENCY, False, "low", False, " ", True),
        (EMERGENCY, False, "low", False, "Three ships have no link.", False),
        (EMERGENCY, False, "critical", True, "", False),
    ],
)
def test_the_gates_of_each_type(
    like: str, is_preauthorised: bool, rating: str, is_urgent: bool, reason: str, is_refused: bool
) -> None:
    kind = next(one for one in SHIPPED_TYPES if one.like == like)
    said = against(
        kind,
        is_preauthorised=is_preauthorised,
        rating=rating,
        is_urgent=is_urgent,
        reason=reason,
    )
    assert bool(said) is is_refused


def test_a_type_that_is_gone_is_read_as_a_normal_one() -> None:
    settings = read_settings({"types": [{"key": "x", "name": "X", "like": "standard"}]})
    assert settings.type_of("x").like == STANDARD
    assert settings.type_of("gone").like == NORMAL
    assert settings.like(EMERGENCY).key == EMERGENCY


@pytest.mark.parametrize("rating", RATINGS)
def test_which_ratings_go_to_the_cab(rating: str) -> None:
    normal = next(one for one in SHIPPED_TYPES if one.like == NORMAL)
    standard = next(one for one in SHIPPED_TYPES if one.like == STANDARD)
    assert needs_cab(normal, rating) is (rating != "low")
    assert not needs_cab(standard, rating)


minutes = st.integers(0, 600)
plans = st.lists(
    st.builds(
        Step, st.just("s"), st.sampled_from([IMPLEMENT, TEST, BACK_OUT]), st.just("x"), st.just(""),
        minutes,
    ),
    max_size=12,
)  # fmt: skip


@given(plans, st.integers(0, 10**9))
def test_turning_back_in_time_leaves_just_enough_to_back_out(
    steps: list[Step], ends_s: int
) -> None:
    back = sum(step.minutes for step in steps if step.part == BACK_OUT)
    by = turn_back_by(steps, ends_s)
    assert (by is None) is (back == 0)
    if by is not None:
        assert ends_s - by == back * 60
    assert planned_minutes(steps) + back == sum(step.minutes for step in steps)


values = st.one_of(st.booleans(), st.integers(-5, 5), st.text("ab ", max_size=4))


@given(
    st.dictionaries(st.sampled_from("xyz"), values),
    st.dictionaries(st.sampled_from("xyz"), st.one_of(st.none(), values)),
    st.one_of(st.none(), st.integers(0, 20)),
)
def test_a_scan_speaks_of_what_it_saw_after_the_end_and_of_nothing_else(
    expected: dict[str, object], seen: dict[str, object], seen_s: int | None
) -> None:
    found = verified(expected, seen, seen_s, 10)
    assert list(found) == list(expected)
    for key, verdict in found.items():
        assert verdict in (AS_EXPECTED, OTHERWISE, NOT_SEEN)
        is_silent = seen_s is None or seen_s < 10 or seen.get(key) is None
        assert (verdict == NOT_SEEN) is is_silent
        if not is_silent and seen[key] == expected[key] and type(seen[key]) is type(expected[key]):
            assert verdict == AS_EXPECTED


@pytest.mark.parametrize(
    ("tell", "hours", "ratings"),
    [
        ({}, 0, ()),
        ({"hours": 24, "ratings": ["high", "critical"]}, 24, ("high", "critical")),
        ({"hours": 0, "ratings": []}, 0, ()),
    ],
)
def test_whom_changes_are_told_of_is_read(
    tell: dict[str, object], hours: int, ratings: tuple[str, ...]
) -> None:
    settings = read_settings({"tell": tell} if tell else {})
    assert (settings.tell_hours, settings.tell_ratings) == (hours, ratings)


STAGED = ChangeType(
    "cutover", "Cutover", NORMAL,
    stages=(
        AddedStage("read", "reading", "assess", ("test",)),
        AddedStage("rehearse", "rehearsal", "assess"),
        AddedStage("pack", "packing", "planned"),
    ),
)  # fmt: skip


@pytest.mark.parametrize(
    ("state", "at", "after"),
    [
        ("draft", "", None),
        ("assess", "", "read"),
        ("assess", "read", "rehearse"),
        ("assess", "rehearse", None),
        ("assess", "a stage that is gone", "read"),
        ("assess", "pack", "read"),
        ("planned", "", "pack"),
        ("planned", "pack", None),
        ("done", "", None),
    ],
)
def test_the_stage_that_comes_next(state: str, at: str, after: str | None) -> None:
    found = following(STAGED, state, at)
    assert (found.key if found else None) == after


@given(st.sampled_from(WAY), st.sampled_from(["", "read", "rehearse", "pack", "gone"]))
def test_a_way_has_one_stage_that_is_now_and_all_before_it_are_past(state: str, at: str) -> None:
    found = way(STAGED, state, at)
    now = [index for index, one in enumerate(found) if one.is_now]
    assert len(now) == 1
    assert [one.is_past for one in found] == [index < now[0] for index in range(len(found))]
    assert [one.name for one in found if not one.key] == list(WAY)
    here = standing_in(STAGED, state, at)
    assert found[now[0]].name == (here.name if here else state)


@pytest.mark.parametrize("state", ["refused", "backed out", "cancelled"])
def test_what_ended_otherwise_is_nowhere_on_the_way(state: str) -> None:
    assert not any(one.is_now or one.is_past for one in way(STAGED, state, ""))


def test_a_field_of_the_rulebooks_own_is_asked_for_by_its_name_while_it_is_there() -> None:
    needs = ("why", "field.ship", "field.gone")
    labels = {"ship": "Ship"}
    assert [one.says for one in lacks_of(needs, Draft(why="x"), labels)] == ["Fill in Ship."]
    assert lacks_of(needs, Draft(why="x", fields=frozenset({"ship"})), labels) == []


@pytest.mark.parametrize(
    ("rule", "outcome", "caused", "others", "stays"),
    [
        (EndsProblem(), "done", 0, 0, ""),
        (EndsProblem(), "with issues", 0, 0, "It is resolved only when its change is done."),
        (EndsProblem(("done", "with issues")), "with issues", 0, 0, ""),
        (EndsProblem(("done", "with issues")), "failed", 0, 0,
         "It is resolved only when its change is done or with issues."),
        (EndsProblem(), "done", 1, 0, "One incident was caused by its change."),
        (EndsProblem(), "done", 3, 2, "3 incidents were caused by its change."),
        (EndsProblem(), "done", 0, 1, "Another change for it is open."),
        (EndsProblem(), "done", 0, 2, "2 other changes for it are open."),
        (EndsProblem(()), "done", 0, 0, "The rulebook leaves it to a person."),
    ],
)  # fmt: skip
def test_why_a_problem_stays_open(
    rule: EndsProblem, outcome: str, caused: int, others: int, stays: str
) -> None:
    assert problem_stays(rule, outcome, caused=caused, others=others) == stays


def test_stages_and_the_rule_of_ending_are_read_from_a_rulebook() -> None:
    stage = {"key": "x", "name": "X", "within": "assess", "needs": ["test"]}
    kind = {"key": "t", "name": "T", "like": "normal", "stages": [stage]}
    found = read_settings({"types": [kind], "ends_problem": {"outcomes": ["with issues"]}})
    assert found.types[0].stages == (AddedStage("x", "X", "assess", ("test",)),)
    assert found.ends_problem == EndsProblem(("with issues",), True)
    assert read_settings({}).ends_problem == EndsProblem(("done",), True)
