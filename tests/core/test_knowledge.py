"""Articles: how surely one helps, where it stands and why, what a search forgives, what is saved."""

import math
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import knowledge as core
from gannet_core.json_lines import OPERATIONS
from gannet_core.knowledge import Hit, Sought

DAY = 86_400
NOW = 1_800_000_000
VOTES = st.integers(0, 300)


@pytest.mark.parametrize(
    ("helped", "not_helped", "low", "high"),
    [
        # By hand from (p + z²/2n ± z √(p(1−p)/n + z²/4n²)) / (1 + z²/n), z = 1.959964.
        (1, 0, 0.206549, 1.0),
        (0, 1, 0.0, 0.793451),
        (5, 5, 0.236593, 0.763407),
        (52, 33, 0.505477, 0.708387),
        (90, 10, 0.825634, 0.944771),
    ],
)
def test_how_surely_it_helps(helped: int, not_helped: int, low: float, high: float) -> None:
    assert core.interval(helped, not_helped) == pytest.approx((low, high), abs=1e-5)
    assert core.helpfulness(helped, not_helped) == pytest.approx(low, abs=1e-5)


def test_without_votes_it_helps_three_in_ten() -> None:
    assert core.helpfulness(0, 0) == 0.3
    assert core.interval(0, 0) == (0.0, 1.0)


@given(VOTES, VOTES)
def test_one_more_that_was_helped_never_makes_it_worse(helped: int, not_helped: int) -> None:
    if helped + not_helped:
        assert core.helpfulness(helped + 1, not_helped) > core.helpfulness(helped, not_helped)
        assert core.helpfulness(helped, not_helped + 1) <= core.helpfulness(helped, not_helped)
    low, high = core.interval(helped, not_helped)
    assert 0 <= low <= high <= 1
    if helped + not_helped:
        assert low <= helped / (helped + not_helped) <= high


@pytest.mark.parametrize(
    ("review", "expected"),
    [
        (None, 1.0), (NOW + 1, 1.0), (NOW, 1.0), (NOW - 30 * DAY, 0.9), (NOW - 15 * DAY, 0.95),
        (NOW - 150 * DAY, 0.5), (NOW - 3_000 * DAY, 0.5),
    ],
)  # fmt: skip
def test_how_fresh_it_is(review: int | None, expected: float) -> None:
    assert core.freshness(review, NOW) == pytest.approx(expected)


def test_where_it_stands_is_the_product_of_its_parts() -> None:
    hits = [
        Hit(1, 8.0),  # the best words: 1 × 0.8
        Hit(2, 4.0, 90, 10),  # half the words, surely helps: 0.5 × 1.3256
        Hit(3, 4.0, 90, 10, service=7),  # of one's own service: × 1.25
        Hit(4, 8.0, service=8, review_s=NOW - 150 * DAY),  # long not reviewed: × 0.5
    ]
    found = core.rank(hits, {7}, NOW)
    assert [one.number for one in found] == [3, 1, 2, 4]
    assert found[0].score == pytest.approx(0.5 * (0.5 + 0.825634) * 1.25, abs=1e-5)
    assert found[1].score == pytest.approx(0.8)
    assert found[3].score == pytest.approx(0.4)


@given(
    st.lists(
        st.builds(
            Hit, st.integers(1, 99), st.floats(0.01, 50), VOTES, VOTES,
            st.one_of(st.none(), st.integers(1, 3)),
            st.one_of(st.none(), st.integers(NOW - 400 * DAY, NOW + DAY)),
        ),
        max_size=8, unique_by=lambda hit: hit.number,
    ),
    st.sets(st.integers(1, 3)),
)  # fmt: skip
def test_every_rank_is_explained(hits: list[Hit], services: set[int]) -> None:
    found = core.rank(hits, services, NOW)
    assert sorted(one.number for one in found) == sorted(hit.number for hit in hits)
    assert [one.score for one in found] == sorted((o.score for o in found), reverse=True)
    for one in found:
        assert math.prod(part["factor"] for part in one.explain()) == pytest.approx(one.score)
    assert found == core.rank(list(reversed(hits)), services, NOW)
    if hits:
        assert max(one.text for one in found) == pytest.approx(1.0)


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [
        ("printer", "printer", 0), ("pritner", "printer", 1), ("prnter", "printer", 1),
        ("prinnter", "printer", 1), ("prinder", "printer", 1), ("prtiner", "printer", 2),
        ("printer", "painter", 1), ("gate", "gates", 1), ("abc", "xyz", 3), ("", "ab", 2),
        ("certificate", "certifcaite", 2), ("abcdefgh", "h", 3),
    ],
)  # fmt: skip
def test_how_many_slips_lie_between(one: str, other: str, expected: int) -> None:
    assert core.distance(one, other, 2) == min(expected, 3)
    assert core.distance(other, one, 2) == min(expected, 3)


WORD = st.text("abcd", max_size=9)


@given(WORD, st.data())
def test_one_slip_is_one_slip(word: str, data: Any) -> None:
    at = data.draw(st.integers(0, len(word)))
    typed = word[:at] + data.draw(st.sampled_from("abcdz")) + word[at:]
    assert core.distance(word, typed, 2) == 1
    assert core.distance(typed, word, 2) == 1
    if len(word) > 1:
        at = data.draw(st.integers(0, len(word) - 2))
        swapped = word[:at] + word[at + 1] + word[at] + word[at + 2 :]
        assert core.distance(word, swapped, 2) == (0 if swapped == word else 1)


@pytest.mark.parametrize(
    ("word", "expected"),
    [
        ("gaet", ["gate"]),
        ("gate", ["gaze"]),  # it is there itself; near it lies one other
        ("cat", []),  # so short a word forgives nothing
        ("xprinter", []),  # the first letter is right
        ("certifcaite", ["certificate"]),
        ("printr", ["printer"]),
    ],
)
def test_what_a_mistyped_word_may_stand_for(word: str, expected: list[str]) -> None:
    known = ["gate", "gaze", "car", "printer", "certificate", "berth"]
    found = core.nearest(word, known)
    assert found[: len(expected)] == expected and bool(found) == bool(expected)


def test_words_that_mean_the_same_find_each_other() -> None:
    groups = [["till", "register"], ["till", "cash"], ["wifi", "wlan"]]
    assert core.alike(["till", "berth"], groups) == {"till": ["register", "cash"]}
    assert core.alike(["wlan"], groups) == {"wlan": ["wifi"]}
    assert core.alike([], groups) == {}


def test_what_was_sought_in_vain() -> None:
    searches = [
        Sought("badge ribbon", 1, 0.1, False), Sought("badge ribbon", 1, 0.2, True),
        Sought("badge ribbon", 2, 0.1, False), Sought("berth", 3, 0.9, False),
        Sought("berth", 4, 0.9, True), Sought("van", 5, 0.0, False), Sought("van", 6, 0.0, False),
    ]  # fmt: skip
    found = [(one.words, one.people, one.asked) for one in core.not_found(searches, enough=0.6)]
    assert found == [("badge ribbon", 2, 1), ("van", 2, 0), ("berth", 1, 1)]


@pytest.mark.parametrize(
    ("reads", "logged", "expected"),
    [
        ([(1, NOW, 7)], {}, 1),
        ([(1, NOW, 7)], {1: [(NOW + DAY, 7)]}, 0),
        ([(1, NOW, 7)], {1: [(NOW + DAY + 1, 7)]}, 1),
        ([(1, NOW, 7)], {1: [(NOW - 1, 7)]}, 1),  # it was asked before
        ([(1, NOW, 7)], {1: [(NOW + 5, 8)]}, 1),  # of something else
        ([(1, NOW, 7)], {2: [(NOW + 5, 7)]}, 1),  # by somebody else
        ([(1, NOW, 7), (1, NOW + 60, 7), (1, NOW + DAY, 7)], {}, 2),  # once a day
        ([(1, NOW, None)], {1: [(NOW + 5, None)]}, 0),
    ],
)
def test_what_reading_saved(reads: Any, logged: Any, expected: int) -> None:
    assert core.saved(reads, logged) == expected


@pytest.mark.parametrize(
    ("one", "other", "expected"),
    [("ab", "ab", 1.0), ("ab", "cd", 0.0), ("abc", "bcd", 0.5), ("", "", 0.0)],
)
def test_how_alike_two_texts_are(one: str, other: str, expected: float) -> None:
    assert core.likeness(one, other) == expected


def test_the_json_face_answers() -> None:
    assert OPERATIONS["knowledge.helpfulness"]({"helped": 0, "not_helped": 0}) == {
        "helpfulness": 0.3, "low": 0.0, "high": 1.0
    }  # fmt: skip
    case = {
        "now": "2026-11-23T12:00:00Z", "services": ["gates"],
        "hits": [
            {"id": "a", "text": 2.0, "service": "gates"},
            {"id": "b", "text": 2.0, "review": "2026-10-24T12:00:00Z"},
        ],
    }  # fmt: skip
    found = OPERATIONS["knowledge.rank"](case)["ranked"]
    assert [(one["id"], one["score"]) for one in found] == [("a", 1.0), ("b", 0.72)]


def tried(person: int, words: str, at_s: int, found: bool = False) -> core.Tried:
    return core.Tried(person, tuple(words.split()), at_s, found)


def again(person: int, said: str, meant: str, at_s: int = 0) -> list[core.Tried]:
    return [tried(person, said, at_s), tried(person, meant, at_s + 60, found=True)]


def test_words_that_people_tried_again_by_may_mean_the_same() -> None:
    searches = [
        *again(1, "telly frozen", "screen frozen"),
        *again(2, "telly dark", "screen dark", 500),
        *again(3, "wage slip", "pay slip"),
    ]
    assert core.suggested_same(searches, []) == [("telly", "screen", 2)]
    assert core.suggested_same(searches, [["screen", "telly"]]) == []
    assert core.suggested_same(searches, [["telly", "box"]]) == [("telly", "screen", 2)]
    assert len(core.suggested_same(searches, [], enough=1)) == 2


@pytest.mark.parametrize(
    "searches",
    [
        again(1, "pirnter blank", "printer blank") + again(2, "pirnter blank", "printer blank"),
        # Two words were others: nobody knows which means which.
        again(1, "telly dark", "screen black") + again(2, "telly dark", "screen black"),
        # It was found at once, or never, or long after, or by somebody else.
        [tried(1, "telly", 0, found=True), tried(1, "screen", 9, found=True)] * 2,
        [tried(1, "telly", 0), tried(1, "screen", 9), tried(2, "telly", 0), tried(2, "screen", 9)],
        [tried(p, w, t, found=t > 0) for p in (1, 2) for w, t in (("telly", 0), ("screen", 900))],
        [tried(1, "telly", 0), tried(2, "screen", 9, found=True)] * 2,
        # One person, however often, is one.
        again(1, "telly", "screen") + again(1, "telly", "screen", 900),
    ],
)
def test_what_says_nothing_of_what_is_the_same(searches: list[core.Tried]) -> None:
    assert core.suggested_same(searches, []) == []


@given(
    st.lists(
        st.builds(
            core.Tried, st.integers(1, 4),
            st.lists(st.sampled_from(["telly", "screen", "dark", "till"]), min_size=1, max_size=3,
                     unique=True).map(tuple),
            st.integers(0, 2_000), st.booleans(),
        ),
        max_size=25,
    )
)  # fmt: skip
def test_what_is_suggested_was_searched_for_by_as_many(searches: list[core.Tried]) -> None:
    for said, meant, people in core.suggested_same(searches, []):
        lost = {one.person for one in searches if said in one.words and not one.is_found}
        got = {one.person for one in searches if meant in one.words and one.is_found}
        assert 2 <= people <= len(lost & got)
