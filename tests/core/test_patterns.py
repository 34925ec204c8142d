"""Patterns against exact arithmetic, and problems' figures: they add up, and say both."""

from decimal import Decimal, getcontext
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core import patterns, problems
from gannet_core.errors import ProblemError
from gannet_core.patterns import Counted

getcontext().prec = 60


def exact_tail(mean: float, count: int) -> Decimal:
    """1 less the sum of all smaller terms, in sixty digits."""
    exact = Decimal(mean)
    term = (-exact).exp()
    below = Decimal(0)
    for number in range(count):
        below += term
        term = term * exact / (number + 1)
    return 1 - below


@given(st.integers(0, 400), st.integers(0, 120))
def test_the_tail_is_exact_to_nine_digits_on_both_sides(before: int, recent: int) -> None:
    mean = patterns.usual(before)
    found, exact = patterns.tail(mean, recent), exact_tail(mean, recent)
    assert abs(Decimal(found) - exact) <= max(exact, Decimal("1e-30")) * Decimal("1e-9")


@given(st.integers(0, 3000), st.integers(0, 600))
def test_one_more_is_never_likelier(before: int, recent: int) -> None:
    mean = patterns.usual(before)
    assert patterns.tail(mean, recent + 1) <= patterns.tail(mean, recent) <= 1


def test_what_stands_out_comes_strongest_first_with_how_many_chance_would_show() -> None:
    quiet = [Counted(f"quiet {number}", 0, 0) for number in range(998)]
    found = patterns.examine([*quiet, Counted("gate", 6, 3), Counted("till", 4, 0)])
    assert [pattern.key for pattern in found.patterns] == ["gate", "till"]
    assert found.examined == 1000
    # Three out of nothing come by chance once in seventy.
    assert found.by_chance == pytest.approx(1000 * patterns.tail(0.5, 3), rel=0.01)
    assert found.patterns[1].once_in == round(1 / patterns.tail(0.5, 4))


def test_common_words_are_those_of_several_and_count_each_text_once() -> None:
    said = [
        "Gate 3 rejects every barcode, barcode, barcode",
        "Barcode refused at the gate",
        "Red light, barcode not read",
    ]
    assert patterns.common_words(said) == [("barcode", 3), ("gate", 2)]
    assert patterns.common_words(["only one"]) == []


@pytest.mark.parametrize(
    ("was", "now", "again"), [(6, 8, False), (6, 9, True), (3, 4, False), (3, 5, True)]
)
def test_a_dismissed_pattern_comes_back_when_it_has_grown_by_half(
    was: int, now: int, again: bool
) -> None:
    assert patterns.has_grown(was, now) is again


RATES = problems.Rates(2_400, 3_600, {"team": 6, "ships": 40})
linked = st.builds(
    problems.LinkedIncident,
    id=st.uuids().map(str),
    opened_s=st.integers(0, 20_000_000),
    service_s=st.integers(0, 3_000_000),
    urgency=st.integers(1, 4),
    stopped=st.sampled_from(["", "me", "team", "ships"]),
    minutes=st.integers(0, 5_000),
)


@given(st.lists(linked, max_size=12), st.integers(0, 20_000_000))
def test_a_figure_is_the_sum_of_its_incidents_and_a_month_at_most_a_third(
    incidents: list[problems.LinkedIncident], now_s: int
) -> None:
    so_far = problems.cost_so_far(incidents, RATES)
    going_on = problems.cost_of_going_on(incidents, RATES, now_s)
    assert so_far.pence == so_far.lost_hours * 2_400 + so_far.desk_hours * 3_600
    assert going_on.pence * 3 <= so_far.pence
    assert {one.id for one in going_on.incidents} <= {one.id for one in so_far.incidents}


@given(st.integers(0, 10**9), st.integers(1, 10**7))
def test_after_the_months_that_it_takes_the_fix_has_cost_as_much_as_going_on(
    fix: int, month: int
) -> None:
    months = problems.pays_back_after(Fraction(fix), Fraction(month))
    assert months is not None
    assert months * month == fix


def test_what_somebody_says_instead_counts_and_the_computed_stays() -> None:
    figure = problems.Figure(Fraction(5_000), Fraction(8_000), "two crews were lent from Orrin Bay")
    assert (figure.counts, figure.computed) == (8_000, 5_000)
    assert problems.Figure(Fraction(5_000)).counts == 5_000
    with pytest.raises(ProblemError):
        problems.Figure(Fraction(5_000), Fraction(8_000), "  ")
    with pytest.raises(ProblemError):
        problems.Figure(Fraction(5_000), Fraction(-1), "no")
