"""Track record: the interval against its definition, and what a comparison must hold to."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from gannet_core.similarity import Finished, Likeness, Outing, rank, summary, wilson, words_of

TEXTS = st.lists(st.sampled_from("patch quay switch router berth till".split()), max_size=5).map(
    " ".join
)
ITEMS = st.frozensets(st.sampled_from(["sw-1", "sw-2", "app"]), max_size=3)
NAMES = st.sampled_from(["Network", "Tills", "", None])


@st.composite
def pasts(draw: st.DrawFn) -> list[Finished]:
    return [
        Finished(draw(NAMES), draw(ITEMS), draw(TEXTS), draw(NAMES), f"C{number}", number % 3)
        for number in range(draw(st.integers(0, 14)))
    ]


@given(pasts(), st.builds(Likeness, NAMES, ITEMS, TEXTS, NAMES))
def test_the_closest_come_in_order_and_none_is_too_far(
    past: list[Finished], change: Likeness
) -> None:
    found = rank(change, past)
    finished = {one.id: one.finished_s for one in past}

    assert len(found) <= 10
    assert all(0.25 < one.score <= 1 for one in found)
    keys = [(-one.score, -finished[one.id], one.id) for one in found]
    assert keys == sorted(keys)


@given(pasts())
def test_what_is_alike_in_all_is_the_closest_there_can_be(past: list[Finished]) -> None:
    twin = Finished("Switch swap", frozenset({"sw-9"}), "Swap the quay switch", "Network", "A", 9)

    found = rank(Likeness(twin.template, twin.items, twin.text, twin.category), [*past, twin])

    assert (found[0].id, found[0].score) == ("A", 1.0)
    assert found[0].common_items == ("sw-9",)


def test_words_end_at_a_mark_that_composes_with_nothing() -> None:
    assert words_of("Straße 7b, Cafe\u0301 x\u0301y") == ["strasse", "7b", "café"]


@given(st.integers(1, 60).flatmap(lambda n: st.tuples(st.integers(0, n), st.just(n))))
def test_the_interval_is_where_the_rate_stands_two_deviations_off(pair: tuple[int, int]) -> None:
    """Wilson's ends are the rates p at which |x/n - p| is z times the deviation of p."""
    counted, n = pair
    low, high = wilson(Fraction(counted), n)

    assert 0 <= low <= counted / n <= high <= 1
    for end in (low, high):
        if 1e-9 < end < 1 - 1e-9:
            deviation = (end * (1 - end) / n) ** 0.5
            assert abs(abs(counted / n - end) / deviation - 1.959963984540054) < 1e-6


def test_a_summary_leaves_out_what_is_not_known() -> None:
    found = summary(
        [
            Outing("done", Fraction(60), Fraction(90), 1),
            Outing("with issues", Fraction(0), Fraction(90)),
            Outing("failed", None, Fraction(90), 2),
            Outing("backed out", Fraction(60), Fraction(60)),
        ]
    )

    assert (found.n, found.failed, found.with_issues) == (4, 2, 1)
    assert (found.rate, found.ratio, found.incidents) == (0.625, 1.25, 3)
