"""Routing: which team gets a ticket, and which person in it.

Candidates and the people ruled out are data, so that the why note can say who was
passed over and by what.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from gannet_core.errors import RoutingError

DEFAULT_WEIGHTS: Mapping[str, Fraction] = {
    "P1": Fraction(8),
    "P2": Fraction(4),
    "P3": Fraction(2),
    "P4": Fraction(1),
}
_UNKNOWN_WEIGHT = Fraction(1)
BY_HAND, IN_TURN, LEAST_LOADED = "by hand", "in turn", "least loaded"
MODES = (BY_HAND, IN_TURN, LEAST_LOADED)
# What a reason is called where people read it, if otherwise than in the answer's own terms.
_IN_WORDS = {"set aside": "excluded from assignment", "at cap": "has as much as agreed"}


@dataclass(frozen=True, slots=True)
class OpenWork:
    """An open ticket as load counts it: its priority ("P2") and whose move it is."""

    priority: str
    move: str


@dataclass(frozen=True, slots=True)
class Candidate:
    """A member of a team as routing sees them; `last_auto` is a sequence number."""

    id: str
    active: bool = True
    set_aside: bool = False
    on_shift: bool = True
    absent: bool = False
    skills: frozenset[str] = frozenset()
    cap: int | None = None
    last_auto: int | None = None
    open: Sequence[OpenWork] = ()


@dataclass(frozen=True, slots=True)
class Pick:
    """Who was picked, and why each of the others could not be."""

    picked: str | None
    ruled_out: dict[str, str]
    loads: dict[str, float] = field(default_factory=dict)

    def explain(self, mode: str, names: Mapping[str, str]) -> list[dict[str, Any]]:
        steps: list[dict[str, Any]] = [
            {"label": names.get(who, who), "value": _IN_WORDS.get(reason, reason)}
            for who, reason in self.ruled_out.items()
        ]
        for who, load in self.loads.items():
            text = f"load {load:g}" if mode == LEAST_LOADED else "could take it"
            steps.append(
                {"label": names.get(who, who), "value": text, "chosen": who == self.picked}
            )
        return steps


@dataclass(frozen=True, slots=True)
class TeamChoice:
    """The team and the step of the search that found it."""

    team: str
    because: str


def choose_team(
    *,
    by_rule: str | None = None,
    by_service: str | None = None,
    by_category: str | None = None,
    triage: str,
) -> TeamChoice:
    """The first of: set by a rule, the service's (or item's), the category's, triage."""
    if by_rule:
        return TeamChoice(by_rule, "set by a rule")
    if by_service:
        return TeamChoice(by_service, "the service's team")
    if by_category:
        return TeamChoice(by_category, "the category's team")
    return TeamChoice(triage, "nothing says which team, so triage")


def escalate(chain: Sequence[str], current: str | None) -> str | None:
    """The next team of a support chain; None at its end.

    A team that is not in the chain escalates to its first.
    """
    if current not in chain:
        return chain[0] if chain else None
    following = chain.index(current) + 1
    return chain[following] if following < len(chain) else None


def pick(
    mode: str,
    candidates: Iterable[Candidate],
    needs: Iterable[str] = (),
    weights: Mapping[str, Fraction | int | float] | None = None,
) -> Pick:
    """The person who gets the ticket.

    `weights` replaces the default weight of the priorities it names. A mode other than
    those of `MODES` is `RoutingError`; by hand picks nobody.
    """
    if mode not in MODES:
        raise RoutingError(f"{mode!r} is not a way of routing: use {', '.join(MODES)}")
    needed = frozenset(needs)
    merged = {**DEFAULT_WEIGHTS, **_exact(weights or {})}
    ruled_out: dict[str, str] = {}
    able: list[Candidate] = []
    for candidate in candidates:
        reason = _ruled_out(candidate, needed)
        if reason is None:
            able.append(candidate)
        else:
            ruled_out[candidate.id] = reason
    loads = {candidate.id: load(candidate.open, merged) for candidate in able}
    shown = {who: float(amount) for who, amount in loads.items()}
    if mode == BY_HAND or not able:
        return Pick(None, ruled_out, shown)
    if mode == IN_TURN:
        best = min(able, key=_turn)
    else:
        best = min(able, key=lambda candidate: (loads[candidate.id], _turn(candidate)))
    return Pick(best.id, ruled_out, shown)


def load(work: Iterable[OpenWork], weights: Mapping[str, Fraction]) -> Fraction:
    """The load of open work: weights by priority, halved when the move is not ours."""
    total = Fraction(0)
    for item in work:
        weight = weights.get(item.priority, _UNKNOWN_WEIGHT)
        total += weight if item.move == "ours" else weight / 2
    return total


def _exact(weights: Mapping[str, Fraction | int | float]) -> dict[str, Fraction]:
    return {name: Fraction(str(weight)) for name, weight in weights.items()}


def _turn(candidate: Candidate) -> tuple[int, int, str]:
    if candidate.last_auto is None:
        return (0, 0, candidate.id)
    return (1, candidate.last_auto, candidate.id)


def _ruled_out(candidate: Candidate, needed: frozenset[str]) -> str | None:
    if not candidate.active:
        return "inactive"
    if candidate.set_aside:
        return "set aside"
    if not candidate.on_shift:
        return "off shift"
    if candidate.absent:
        return "absent"
    if not needed <= candidate.skills:
        return "lacks skill"
    if candidate.cap is not None and len(candidate.open) >= candidate.cap:
        return "at cap"
    return None
