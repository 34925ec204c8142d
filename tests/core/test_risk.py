"""Risk: the worked example part by part, and what must hold whatever is weighed."""

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gannet_core.errors import RiskError
from gannet_core.risk import (
    FACTORS,
    SHIPPED,
    Affected,
    Circumstances,
    RiskModel,
    Track,
    half_up,
    percent,
    remedies,
    score,
)

SHARES = st.sampled_from([Fraction(1, 8), Fraction(1, 4), Fraction(1, 2), Fraction(1)])
SERVICES = st.lists(
    st.builds(Affected, st.integers(1, 4), SHARES, st.just("Web booking")), max_size=5
)
TRACKS = st.integers(0, 30).flatmap(
    lambda n: st.integers(0, n).flatmap(
        lambda failed: st.builds(Track, st.just(n), st.just(failed), st.integers(0, n - failed))
    )
)
CIRCUMSTANCES = st.builds(
    Circumstances,
    in_freeze=st.booleans(),
    outside_window=st.booleans(),
    clashes=st.integers(0, 6),
    lead_time_short=st.booleans(),
    no_backout=st.booleans(),
    untested=st.booleans(),
    first_on_service=st.booleans(),
    items=st.integers(0, 12),
)
VITAL = Affected(1, Fraction(1), "Web booking")


def test_the_worked_example_tells_what_adds_how_much() -> None:
    risk = score([VITAL], Track(), Circumstances(outside_window=True, no_backout=True, items=1))

    assert (risk.points, risk.rating) == (32, "high")
    assert [(part.name, percent(part.adds)) for part in risk.likelihood_parts] == [
        ("track_record", 10.0),
        ("outside_window", 9.0),
        ("no_backout", 16.2),
    ]
    assert [(part.name, part.adds) for part in risk.consequence_parts] == [
        ("Web booking", Fraction(9, 10))
    ]


@given(SERVICES, TRACKS, CIRCUMSTANCES)
def test_the_parts_add_up_to_each_side_exactly(
    services: list[Affected], track: Track, circumstances: Circumstances
) -> None:
    risk = score(services, track, circumstances)

    assert sum(part.adds for part in risk.consequence_parts) == risk.consequence
    assert sum(part.adds for part in risk.likelihood_parts) == risk.likelihood
    assert risk.points == half_up(100 * risk.consequence * risk.likelihood) <= 100
    assert [part.name for part in risk.likelihood_parts[1:]] == [
        factor for factor in FACTORS if circumstances.times(factor, SHIPPED)
    ]


@given(SERVICES, TRACKS, CIRCUMSTANCES)
def test_whatever_falls_away_never_raises_the_risk(
    services: list[Affected], track: Track, circumstances: Circumstances
) -> None:
    risk = score(services, track, circumstances)

    for one in remedies(services, track, circumstances):
        assert one.risk.likelihood < risk.likelihood
        assert one.risk.points <= risk.points
    for left_out in range(len(services)):
        fewer = services[:left_out] + services[left_out + 1 :]
        assert score(fewer, track, circumstances).consequence <= risk.consequence
    if circumstances.clashes:
        one_fewer = replace(circumstances, clashes=circumstances.clashes - 1)
        assert score(services, track, one_fewer).likelihood <= risk.likelihood


def test_remedies_stand_with_the_most_helpful_first() -> None:
    found = remedies([VITAL], Track(), Circumstances(clashes=3, untested=True, no_backout=True))

    assert [one.factor for one in found] == ["clashes", "no_backout", "untested"]


def test_a_model_of_ones_own_is_obeyed() -> None:
    model = RiskModel(
        weights={1: Fraction(1, 2)},
        shares={**SHIPPED.shares, "untested": Fraction(1)},
        thresholds=(10, 20, 40),
        many_items=2,
    )

    risk = score([VITAL], Track(), Circumstances(untested=True, items=2), model)

    assert (risk.points, risk.rating, risk.likelihood) == (50, "critical", 1)
    assert model.rating(19) == "moderate" and SHIPPED.rating(7) == "low"


@pytest.mark.parametrize("wrong", [Affected(5, Fraction(1)), Affected(1, Fraction(3, 2))])
def test_what_cannot_be_weighed_is_refused(wrong: Affected) -> None:
    with pytest.raises(RiskError):
        score([wrong], Track(), Circumstances())
