"""Problems: what one costs, when its fix pays back, and what causes it (computation, §20).

Every figure is made of its incidents' own and adds up to them exactly; what somebody says
instead of a computed figure stands beside it with the reason, so that both stay.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

from gannet_core.errors import ProblemError

OPEN, CONFIRMED, RULED_OUT = "open", "confirmed", "ruled out"
CAUSE_STATES = (OPEN, CONFIRMED, RULED_OUT)
# What of somebody's work is lost at each urgency, where the rulebook says nothing else.
SHIPPED_SHARES: Mapping[int, Fraction] = {
    1: Fraction(1),
    2: Fraction(3, 10),
    3: Fraction(1, 20),
}
_REST = Fraction(1, 20)
# What can stand in the words in which a workaround is told, and what stands there then.
PLACEHOLDERS: Mapping[str, str] = {
    "name": "the first name of the requester",
    "number": "the number of their incident",
    "title": "the title of their incident",
    "place": "the place of their incident",
    "workaround": "the workaround",
}
_HOUR, _DAY, GOING_ON_DAYS, GOING_ON_MONTHS = 3600, 86_400, 90, 3


@dataclass(frozen=True)
class Rates:
    """What is assumed: pence an hour lost and an hour of the desk cost, people, shares.

    `people` says how many stand for each answer to who is stopped; an answer that it does
    not name stands for one. `shares` is by urgency, 1 the highest.
    """

    lost_hour_pence: int
    desk_hour_pence: int
    people: Mapping[str, int] = field(default_factory=dict)
    shares: Mapping[int, Fraction] = field(default_factory=lambda: SHIPPED_SHARES)


@dataclass(frozen=True, slots=True)
class LinkedIncident:
    """What of a linked incident counts. `service_s`: service seconds from opening to
    resolution, or to now; `minutes`: logged by the desk; `opened_s`: seconds since 1970."""

    id: str
    opened_s: int
    service_s: int
    urgency: int
    stopped: str = ""
    minutes: int = 0


@dataclass(frozen=True, slots=True)
class IncidentCost:
    """One incident's part of a figure: hours lost (people × hours × share) and pence."""

    id: str
    people: int
    share: Fraction
    lost_hours: Fraction
    desk_hours: Fraction
    pence: Fraction


@dataclass(frozen=True, slots=True)
class Cost:
    """A figure and the incidents that it is made of; its parts add up to it exactly."""

    incidents: tuple[IncidentCost, ...]

    @property
    def lost_hours(self) -> Fraction:
        return sum((one.lost_hours for one in self.incidents), Fraction(0))

    @property
    def desk_hours(self) -> Fraction:
        return sum((one.desk_hours for one in self.incidents), Fraction(0))

    @property
    def pence(self) -> Fraction:
        return sum((one.pence for one in self.incidents), Fraction(0))


@dataclass(frozen=True, slots=True)
class Figure:
    """A figure as it counts: what somebody said instead, with the reason, else the computed."""

    computed: Fraction
    instead: Fraction | None = None
    reason: str = ""

    def __post_init__(self) -> None:
        if self.instead is not None and not self.reason.strip():
            raise ProblemError("say why another figure counts instead of the computed one")
        if self.instead is not None and self.instead < 0:
            raise ProblemError("a figure cannot be less than nought")

    @property
    def counts(self) -> Fraction:
        return self.computed if self.instead is None else self.instead


def incident_cost(one: LinkedIncident, rates: Rates) -> IncidentCost:
    """Hours lost by an incident, and what they and the desk's time cost."""
    if one.service_s < 0 or one.minutes < 0:
        raise ProblemError(f"incident {one.id} took less than no time")
    people = rates.people.get(one.stopped, 1)
    share = rates.shares.get(one.urgency, _REST)
    lost = people * Fraction(one.service_s, _HOUR) * share
    desk = Fraction(one.minutes, 60)
    pence = lost * rates.lost_hour_pence + desk * rates.desk_hour_pence
    return IncidentCost(one.id, people, share, lost, desk, pence)


def cost_so_far(incidents: Iterable[LinkedIncident], rates: Rates) -> Cost:
    """What all linked incidents have cost up to now."""
    return Cost(tuple(incident_cost(one, rates) for one in incidents))


def cost_of_going_on(incidents: Iterable[LinkedIncident], rates: Rates, now_s: int) -> Cost:
    """What a month costs: each incident of the last 90 days with a third of its cost."""
    since = now_s - GOING_ON_DAYS * _DAY
    found = []
    for one in incidents:
        if not since < one.opened_s <= now_s:
            continue
        whole = incident_cost(one, rates)
        found.append(
            IncidentCost(
                whole.id,
                whole.people,
                whole.share,
                whole.lost_hours / GOING_ON_MONTHS,
                whole.desk_hours / GOING_ON_MONTHS,
                whole.pence / GOING_ON_MONTHS,
            )
        )
    return Cost(tuple(found))


def pays_back_after(fix_pence: Fraction, going_on_pence: Fraction) -> Fraction | None:
    """After how many months a fix has paid for itself; None for never."""
    if fix_pence < 0 or going_on_pence < 0:
        raise ProblemError("a cost cannot be less than nought")
    return None if going_on_pence == 0 else fix_pence / going_on_pence


@dataclass(frozen=True, slots=True)
class Cause:
    """A possible cause under another, or under the symptom itself (`parent` empty)."""

    id: str
    says: str
    parent: str = ""
    state: str = OPEN
    evidence: tuple[str, ...] = ()


def root_cause(causes: Sequence[Cause]) -> list[Cause]:
    """The path of confirmed causes from the symptom down to a confirmed leaf; empty if none.

    A leaf has nothing beneath it that is still open or confirmed: a cause whose deeper ones
    are looked into is not the root yet. Of several such paths the first in order counts.
    """
    known = _checked(causes)
    deeper: dict[str, list[Cause]] = {}
    for cause in causes:
        deeper.setdefault(cause.parent, []).append(cause)

    def below(parent: str, path: list[Cause]) -> list[Cause]:
        for cause in deeper.get(parent, ()):
            if cause.state != CONFIRMED:
                continue
            way = [*path, cause]
            if all(child.state == RULED_OUT for child in deeper.get(cause.id, ())):
                return way
            if found := below(cause.id, way):
                return found
        return []

    return below("", []) if known else []


def _checked(causes: Sequence[Cause]) -> dict[str, Cause]:
    known = {cause.id: cause for cause in causes}
    if len(known) < len(causes):
        raise ProblemError("two causes have the same id")
    for cause in causes:
        if cause.state not in CAUSE_STATES:
            raise ProblemError(f"a cause is not “{cause.state}”")
        seen, at = {cause.id}, cause
        while at.parent:
            if at.parent not in known:
                raise ProblemError(f"“{at.says}” stands under a cause that is not there")
            if at.parent in seen:
                raise ProblemError(f"“{cause.says}” stands under itself")
            seen.add(at.parent)
            at = known[at.parent]
    return known


def cost_json(cost: Cost) -> dict[str, Any]:
    """A cost as plain data, with each incident's part."""
    return {
        "lost_hours": float(cost.lost_hours),
        "desk_hours": float(cost.desk_hours),
        "pence": float(cost.pence),
        "incidents": {one.id: float(one.pence) for one in cost.incidents},
    }
