"""The outlook: what is played, what would help, and whether what is said comes true."""

import random
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import outlook as core
from gannet_core.json_lines import OPERATIONS
from gannet_core.outlook import Coming, Open, Running, Situation, Taken

NOW, HOUR, MINUTE = 1_800_000_000, 3600, 60
UNTIL = NOW + 8 * HOUR
ALL_DAY = [(NOW, NOW + 20 * HOUR)]


def fix(minutes: float, spent: int = 0, target: int = 4 * HOUR) -> Running:
    return Running(NOW + int(minutes * MINUTE), spent, target)


def ticket(number: int, minutes: float | None, **more: Any) -> Open:
    return Open(number, 3, more.pop("answer", None), None if minutes is None else fix(minutes))


def situation(
    *open_: Open, people: int = 1, work: int = 30, coming: Coming | None = None, **more: Any
) -> Situation:
    """A team of so many, whose every ticket keeps somebody busy for the same minutes."""
    spans = more.pop("spans", [ALL_DAY] * people)
    handling = Taken({3: [work * MINUTE] * 25})
    return Situation(NOW, UNTIL, open_, spans, handling, coming=coming or Coming(), **more)


def chances(given: Situation) -> dict[int, float]:
    return dict(core.look_ahead(given, runs=50).chances)


@pytest.mark.parametrize(
    ("given", "expected"),
    [
        # One person, half an hour each: the third in turn is begun after an hour.
        (situation(ticket(1, 31), ticket(2, 61), ticket(3, 89)), {1: 0, 2: 0, 3: 1}),
        # Two people do it.
        (situation(ticket(1, 31), ticket(2, 61), ticket(3, 89), people=2), {1: 0, 2: 0, 3: 0}),
        # Done exactly when it is due is in time.
        (situation(ticket(1, 30)), {1: 0}),
        (situation(ticket(1, 29.9)), {1: 1}),
        # Without a target nothing is missed, but it takes its turn after those with one.
        (situation(ticket(1, None), ticket(2, 30)), {1: 0, 2: 0}),
        # What is due beyond the span is not missed within it.
        (situation(ticket(1, 8 * 60 + 1), people=0, spans=[]), {1: 0}),
        # Nobody works: all that falls due is missed.
        (situation(ticket(1, 60), people=0, spans=[]), {1: 1}),
        # An answer is given when somebody begins: the second waits for the first.
        (
            situation(
                Open(1, 3, fix(0.5), None, 1), Open(2, 3, fix(29), None, 2), people=1
            ),
            {1: 0, 2: 1},
        ),
        # Who comes at noon begins at noon; work goes on over their break.
        (
            situation(
                ticket(1, 150), ticket(2, 240),
                spans=[[(NOW + 2 * HOUR, NOW + 135 * MINUTE), (NOW + 3 * HOUR, UNTIL)]],
            ),
            {1: 1, 2: 0},
        ),
    ],
)  # fmt: skip
def test_what_is_certain_is_said(given: Situation, expected: dict[int, float]) -> None:
    assert chances(given) == expected


def test_it_is_as_slow_as_others_that_had_taken_as_long() -> None:
    """Of 100 that took longer than 2 h, 30 took longer than the 4 h that are promised."""
    took = [1 * HOUR] * 200 + [3 * HOUR] * 70 + [5 * HOUR] * 30
    given = situation(
        Open(1, 3, None, fix(120, spent=2 * HOUR)), Open(2, 3, None, fix(240)),
        people=2, fixes=Taken({3: took}),
    )  # fmt: skip
    found = core.look_ahead(given, runs=4_000).chances
    assert found[1] == pytest.approx(0.3, abs=0.03)
    assert found[2] == pytest.approx(0.1, abs=0.02)


def test_a_priority_of_which_little_is_known_is_as_slow_as_any() -> None:
    taken = Taken({1: [9 * HOUR] * 3, 3: [HOUR] * 30})
    assert list(taken.of(3)) == [HOUR] * 30
    assert len(taken.of(1)) == len(taken.of(2)) == 33
    assert Taken().drawn(1, 0, 0.5) is None
    # Beyond all that is known, the slowest few are drawn from.
    assert Taken({3: list(range(30))}).drawn(3, 1_000, 0.0) == 25


def test_what_comes_is_played_too() -> None:
    promised = {2: [(NOW, Running(NOW + 10 * MINUTE, 0, 10 * MINUTE), None)]}
    coming = Coming([(NOW, 6.0)], {2: 1.0}, promised)
    none = core.look_ahead(situation(people=0, spans=[], coming=coming), runs=2_000)
    assert none.of_open == 0
    assert none.of_coming == pytest.approx(6.0, abs=0.25)
    assert none.missed.low <= 6 <= none.missed.high
    many = core.look_ahead(situation(people=40, coming=coming), runs=500)
    assert many.missed.expected == 0


def test_it_says_what_helps_most() -> None:
    """Two of half an hour are both due in 30 minutes: one more person saves one of them."""
    given = situation(ticket(1, 31), ticket(2, 32), work=30)
    found = core.look_ahead(given, runs=50)
    assert found.missed == core.Band(1.0, 1.0, 1.0)
    helps = core.what_helps(given, found, runs=50)
    assert [(one.kind, one.fewer) for one in helps] == [(core.ONE_MORE, 1.0)]


def test_these_first_are_in_danger_and_can_still_be_saved() -> None:
    """One that is lost anyway comes first by its time; what can be saved is offered first."""
    times = [10 * MINUTE] * 20 + [50 * MINUTE] * 20
    lost = Open(1, 3, None, fix(1))
    open_ = [lost, *(ticket(number, 62) for number in (2, 3))]
    given = Situation(NOW, UNTIL, open_, [ALL_DAY], Taken({3: times}))
    found = core.look_ahead(given)
    helps = {one.kind: one for one in core.what_helps(given, found)}
    first = helps[core.THESE_FIRST]
    assert set(first.numbers) == {2, 3}
    assert first.fewer > 0.1
    assert first.expected == pytest.approx(found.missed.expected - first.fewer)


OPENS = st.lists(
    st.builds(
        lambda number, priority, due, spent, since: Open(
            number, priority, None, fix(due, spent * MINUTE), since
        ),
        st.integers(1, 9_999), st.integers(1, 4), st.integers(1, 700), st.integers(0, 200),
        st.integers(0, 5),
    ),
    max_size=12,
    unique_by=lambda one: one.number,
)  # fmt: skip
TIMES = st.dictionaries(
    st.integers(1, 4), st.lists(st.integers(60, 4 * HOUR), min_size=1, max_size=30), max_size=4
)


@given(OPENS, TIMES, TIMES, st.integers(0, 3), st.floats(0, 5))
def test_it_always_adds_up(
    open_: list[Open], busy: Any, took: Any, people: int, mean: float
) -> None:
    promised = {1: [(NOW, None, fix(240))]}
    coming = Coming([(NOW + hour * HOUR, mean) for hour in range(8)], {1: 1.0}, promised)
    given = Situation(
        NOW, UNTIL, open_, [ALL_DAY] * people, Taken(busy), Taken(), Taken(took), coming
    )
    found = core.look_ahead(given, runs=30)
    assert found == core.look_ahead(given, runs=30)  # the same question, the same answer
    assert set(found.chances) == {one.number for one in open_}
    assert sum(found.chances.values()) == pytest.approx(found.of_open)
    assert found.of_open + found.of_coming == pytest.approx(found.missed.expected)
    assert sum(found.spread) == pytest.approx(1)
    assert core.together([found.spread]).expected == pytest.approx(found.missed.expected)
    assert found.missed.low <= found.missed.high
    for one in open_:
        if not NOW < one.due_s <= UNTIL:
            assert found.chances[one.number] == 0


@given(OPENS, TIMES, st.integers(0, 3))
def test_what_is_offered_is_never_worse(open_: list[Open], busy: Any, people: int) -> None:
    given = Situation(NOW, UNTIL, open_, [ALL_DAY] * people, Taken(busy))
    found = core.look_ahead(given, runs=20)
    for one in core.what_helps(given, found, runs=20):
        assert one.fewer > 0
        assert one.expected == pytest.approx(found.missed.expected - one.fewer)


@given(st.lists(st.floats(0, 1), max_size=8))
def test_several_together_are_all_of_their_chances(each: list[float]) -> None:
    band = core.together([1 - chance, chance] for chance in each)
    assert band.expected == pytest.approx(sum(each))
    assert 0 <= band.low <= band.high <= len(each)


def test_what_is_said_comes_true() -> None:
    """Played chances that are far too bold become chances that are kept, on fresh tickets too."""
    drawn = random.Random(7)

    def known(many: int) -> list[tuple[float, bool]]:
        played = [drawn.random() for _ in range(many)]
        return [(chance, drawn.random() < chance**2) for chance in played]

    steps = core.calibrated(known(6_000))
    assert len(steps) > 8
    late: dict[int, list[bool]] = {}
    for chance, was_late in known(20_000):
        late.setdefault(int(core.said_of(chance, steps) * 10), []).append(was_late)
    for tenth, truths in late.items():
        if len(truths) > 400:
            assert sum(truths) / len(truths) == pytest.approx(tenth / 10 + 0.05, abs=0.1)


@given(st.lists(st.tuples(st.sampled_from([0.0, 0.1, 0.4, 0.5, 0.9, 1.0]), st.booleans())))
def test_what_is_said_rises_with_what_is_played(known: list[tuple[float, bool]]) -> None:
    steps = core.calibrated(known, fewest=5)
    said = [step.said for step in steps]
    assert said == sorted(said)
    assert all(step.known >= 5 for step in steps)
    assert sum(step.known for step in steps) == (len(known) if len(known) >= 5 else 0)
    if steps:
        late = sum(step.said * step.known for step in steps)
        assert late == pytest.approx(sum(was_late for _, was_late in known))
    else:
        assert core.said_of(0.42, steps) == 0.42


def test_the_json_face_answers() -> None:
    case = {
        "now_s": NOW, "until_s": UNTIL, "runs": 40,
        "open": [
            {"number": 7, "priority": 2, "fix": {"due_s": NOW + 60, "spent_s": 0, "target_s": 60}}
        ],
        "people": [[[NOW, UNTIL]]], "handling": {"2": [600]},
        "coming": {
            "hours": [[NOW, 0.0]], "shares": {"2": 1.0},
            "promised": {"2": [[NOW, None, {"due_s": NOW + 60, "spent_s": 0, "target_s": 60}]]},
        },
    }  # fmt: skip
    assert OPERATIONS["outlook.run"](case) == {
        "expected": 1.0, "low": 1.0, "high": 1.0, "of_open": 1.0, "of_coming": 0.0,
        "chances": {"7": 1.0}, "helps": [],
    }  # fmt: skip
