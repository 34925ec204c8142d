"""Risk of a change: consequence × likelihood, each explained to the last part (computation, §12).

Both are shares of 1, computed exactly as fractions and rounded once, where they are shown.
Parts are told in a fixed order; each takes its share of what the earlier ones left, so that
they add up to the whole. Weights, factors and thresholds are a `RiskModel`, which the
rulebook may set; the terms are those of ISO 31000.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from fractions import Fraction
from math import floor
from typing import Any

from gannet_core.errors import RiskError

RATINGS = ("low", "moderate", "high", "critical")
# The factors in the order in which they are told, each with the share it takes of what is
# left and how often it may count.
FACTORS: Mapping[str, tuple[Fraction, int]] = {
    "in_freeze": (Fraction(25, 100), 1),
    "outside_window": (Fraction(10, 100), 1),
    "clashes": (Fraction(10, 100), 3),
    "lead_time_short": (Fraction(10, 100), 1),
    "no_backout": (Fraction(20, 100), 1),
    "untested": (Fraction(15, 100), 1),
    "first_on_service": (Fraction(10, 100), 1),
    "many_items": (Fraction(5, 100), 1),
}
TRACK = "track_record"


@dataclass(frozen=True)
class RiskModel:
    """What risk is weighed by: weight of each criticality, share of each factor, thresholds.

    `thresholds` are the points at which a change becomes moderate, high and critical;
    `many_items` the number of CIs from which the factor of that name counts.
    """

    weights: Mapping[int, Fraction] = field(
        default_factory=lambda: {
            1: Fraction(9, 10),
            2: Fraction(1, 2),
            3: Fraction(1, 4),
            4: Fraction(1, 10),
        }
    )
    shares: Mapping[str, Fraction] = field(
        default_factory=lambda: {name: share for name, (share, _) in FACTORS.items()}
    )
    thresholds: tuple[int, int, int] = (8, 25, 50)
    many_items: int = 6

    def rating(self, points: int) -> str:
        """The rating of whole points: low, moderate, high or critical."""
        return RATINGS[sum(points >= bound for bound in self.thresholds)]


SHIPPED = RiskModel()


@dataclass(frozen=True, slots=True)
class Affected:
    """A service that a change reaches: its criticality (1 vital … 4 minor), its reach 0 to 1."""

    criticality: int
    reach: Fraction
    name: str = ""


@dataclass(frozen=True, slots=True)
class Track:
    """How `n` similar changes went: `failed` counts backed out and failed."""

    n: int = 0
    failed: int = 0
    with_issues: int = 0

    @property
    def likelihood(self) -> Fraction:
        """The likelihood of failure that the record alone gives: one in ten without any."""
        return (self.failed + Fraction(self.with_issues, 2) + 1) / (self.n + 10)


@dataclass(frozen=True, slots=True)
class Circumstances:
    """What makes a change likelier to fail; `clashes` and `items` are counts."""

    in_freeze: bool = False
    outside_window: bool = False
    clashes: int = 0
    lead_time_short: bool = False
    no_backout: bool = False
    untested: bool = False
    first_on_service: bool = False
    items: int = 0

    def times(self, factor: str, model: RiskModel) -> int:
        """How often a factor counts here."""
        if factor == "many_items":
            return int(self.items >= model.many_items)
        most = FACTORS[factor][1]
        return min(int(getattr(self, factor)), most)


@dataclass(frozen=True, slots=True)
class Part:
    """One part of a share of 1: a service's name or a factor's, and how much it adds."""

    name: str
    adds: Fraction
    times: int = 1


@dataclass(frozen=True, slots=True)
class Risk:
    """A weighed risk; the parts of each side add up to it exactly."""

    consequence: Fraction
    likelihood: Fraction
    consequence_parts: tuple[Part, ...]
    likelihood_parts: tuple[Part, ...]
    points: int
    rating: str


@dataclass(frozen=True, slots=True)
class Remedy:
    """What would lower a risk: the factor that would fall away, and the risk then."""

    factor: str
    risk: Risk


def score(
    affected: Sequence[Affected],
    track: Track,
    circumstances: Circumstances,
    model: RiskModel = SHIPPED,
) -> Risk:
    """The risk of a change, with its parts in the order of computation.md, section 12.

    A criticality without a weight or a reach outside 0 to 1 is `RiskError`.
    """
    consequences = [(one.name, _weight(one, model), 1) for one in affected]
    likelihoods = [(TRACK, track.likelihood, 1)]
    for factor in FACTORS:
        times = circumstances.times(factor, model)
        if times:
            left = (1 - model.shares[factor]) ** times
            likelihoods.append((factor, 1 - left, times))
    consequence, consequence_parts = _accumulated(consequences)
    likelihood, likelihood_parts = _accumulated(likelihoods)
    points = half_up(100 * consequence * likelihood)
    return Risk(
        consequence,
        likelihood,
        consequence_parts,
        likelihood_parts,
        points,
        model.rating(points),
    )


def remedies(
    affected: Sequence[Affected],
    track: Track,
    circumstances: Circumstances,
    model: RiskModel = SHIPPED,
) -> list[Remedy]:
    """What would lower the risk, most first: each factor that counts, taken off by itself."""
    found = []
    for factor in FACTORS:
        if factor != "many_items" and circumstances.times(factor, model):
            changed: dict[str, Any] = {factor: 0 if factor == "clashes" else False}
            without = replace(circumstances, **changed)
            found.append(Remedy(factor, score(affected, track, without, model)))
    return sorted(found, key=lambda one: one.risk.likelihood)


def percent(share: Fraction) -> float:
    """A share of 1 as a percentage, half up to one decimal."""
    return half_up(share * 1000) / 10


def half_up(number: Fraction) -> int:
    """A number that is not negative, rounded half up to a whole one."""
    return floor(number + Fraction(1, 2))


def _weight(one: Affected, model: RiskModel) -> Fraction:
    if one.criticality not in model.weights:
        raise RiskError(f"criticality {one.criticality!r} of {one.name or 'a service'}: no weight")
    if not 0 <= one.reach <= 1:
        raise RiskError(f"a reach of {one.reach} on {one.name or 'a service'}")
    return model.weights[one.criticality] * one.reach


def _accumulated(
    shares: Iterable[tuple[str, Fraction, int]],
) -> tuple[Fraction, tuple[Part, ...]]:
    """Shares that each take of what the earlier ones left: the whole, and what each adds."""
    left, parts = Fraction(1), []
    for name, share, times in shares:
        parts.append(Part(name, left * share, times))
        left *= 1 - share
    return 1 - left, tuple(parts)
