"""Changes: what a draft still lacks, which type fits it, and who has to agree (computation, §12).

Nothing here knows a date of today or a database: the application says what there is, and is
told what is missing, which type is suggested and why, and what stands against another one.
The settings are the rulebook's section `changes`; what it leaves out ships here.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from types import MappingProxyType
from typing import Any

from gannet_core.item_types import same
from gannet_core.risk import FACTORS, RATINGS, SHIPPED, RiskModel

STANDARD, NORMAL, EMERGENCY = "standard", "normal", "emergency"
LIKE = (STANDARD, NORMAL, EMERGENCY)
IMPLEMENT, TEST, BACK_OUT = "implement", "test", "back out"
PARTS = (IMPLEMENT, TEST, BACK_OUT)
# The stages within which a type may have further ones, as its rulebook says.
WITHIN = ("draft", "assess", "planned", "under way", "look back")
# What of a ticket's own fields a stage asks for is written with this before the field's key.
FIELD = "field."
# The shipped stages in their order, as a change goes that nothing stops.
WAY = ("draft", "assess", "authorise", "planned", "under way", "look back", "done")
# What a type may ask for before it is submitted, and how a reader is told of it.
NEEDS: Mapping[str, str] = {
    "why": "Say why it is needed.",
    "service": "Say which service it is for.",
    "items": "Name the items that it touches.",
    "span": "Say when it begins and ends.",
    "plan": "Write the steps that implement it.",
    "test": "Write how it is tested afterwards.",
    "backout": "Write how it is backed out.",
    "tried": "Say where it was tried before.",
}
SHIPPED_NEEDS = ("why", "items", "span", "plan", "backout")


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a plan: its part, what is done, by whom (an id or empty), minutes it takes."""

    id: str
    part: str
    says: str
    who: str = ""
    minutes: int = 0


@dataclass(frozen=True, slots=True)
class Draft:
    """What of a change counts when it is submitted; times in epoch seconds, or None.

    `fields` are the keys of the ticket's own fields that have a value.
    """

    why: str = ""
    service: str = ""
    items: int = 0
    starts_s: int | None = None
    ends_s: int | None = None
    steps: tuple[Step, ...] = ()
    tried: str = ""
    fields: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Lack:
    """One thing that a change lacks: where it is written, and what to do."""

    place: str
    says: str


@dataclass(frozen=True, slots=True)
class AddedStage:
    """A stage that a rulebook adds: within which shipped one, what is needed to leave it.

    What is among `spares` is not asked of a change manager.
    """

    key: str
    name: str
    within: str
    needs: tuple[str, ...] = ()
    spares: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ChangeType:
    """A type of change: what it is like, what it asks for, its approval route, its CAB ratings.

    `needs` is asked for before it is submitted; what of it is among `spares` a change manager
    may leave open. A change whose rating is among `cab` goes to
    the change advisory board. `stages` are passed one by one, each within a shipped stage.
    """

    key: str
    name: str
    like: str
    needs: tuple[str, ...] = SHIPPED_NEEDS
    route: str = ""
    cab: tuple[str, ...] = ()
    stages: tuple[AddedStage, ...] = ()
    spares: tuple[str, ...] = ()

    def within(self, stage: str) -> tuple[AddedStage, ...]:
        """The stages that are added within a shipped one, in their order."""
        return tuple(one for one in self.stages if one.within == stage)


SHIPPED_TYPES = (
    ChangeType(STANDARD, "Standard", STANDARD, ("items", "span", "plan", "backout")),
    ChangeType(NORMAL, "Normal", NORMAL, SHIPPED_NEEDS, "", ("moderate", "high", "critical")),
    ChangeType(EMERGENCY, "Emergency", EMERGENCY, ("why", "items", "span")),
)


DONE = "done"


@dataclass(frozen=True, slots=True)
class EndsProblem:
    """When a change that was looked back on resolves the problem that asked for it.

    It does at these outcomes (none: never), with the problem's open incidents where
    `with_incidents` says so.
    """

    outcomes: tuple[str, ...] = (DONE,)
    with_incidents: bool = True


def problem_stays(rule: EndsProblem, outcome: str, *, caused: int, others: int) -> str:
    """Why a problem stays open after the look back on a change for it, in words, or nothing.

    `caused` are incidents linked as caused by the change, `others` open changes for the
    same problem.
    """
    if not rule.outcomes:
        return "The rulebook leaves it to a person."
    if outcome not in rule.outcomes:
        return f"It is resolved only when its change is {' or '.join(rule.outcomes)}."
    if caused:
        how = "One incident was" if caused == 1 else f"{caused} incidents were"
        return f"{how} caused by its change."
    if others:
        what = "Another change for it is" if others == 1 else f"{others} other changes for it are"
        return f"{what} open."
    return ""


@dataclass(frozen=True)
class Settings:
    """What the rulebook says of changes."""

    model: RiskModel
    types: tuple[ChangeType, ...]
    lead_hours: int
    review_days: int
    review_calendar: str
    incident_days: int
    cab: Mapping[str, Any]
    # Those whom a change reaches hear so many hours before, where its rating is one of these.
    tell_hours: int = 0
    tell_ratings: tuple[str, ...] = ()
    ends_problem: EndsProblem = EndsProblem()

    def type_of(self, key: str) -> ChangeType:
        """The type of that key; one that is gone is read as the first normal one."""
        return next(
            (one for one in self.types if one.key == key),
            self.like(NORMAL),
        )

    def like(self, like: str) -> ChangeType:
        """The first type of a kind; a rulebook without one has the shipped."""
        known = (*self.types, *SHIPPED_TYPES)
        return next(one for one in known if one.like == like)


def read_settings(document: Mapping[str, Any]) -> Settings:
    """The settings of a rulebook's section `changes`, with the shipped where it is silent."""
    risk, ends = document.get("risk") or {}, document.get("ends_problem") or {}
    shares = {name: share for name, (share, _) in FACTORS.items()}
    shares.update(
        {
            str(one["factor"]): Fraction(int(one["percent"]), 100)
            for one in risk.get("factors") or ()
            if one["factor"] in FACTORS
        }
    )
    weights = dict(SHIPPED.weights)
    weights.update(
        {
            int(one["criticality"]): Fraction(int(one["percent"]), 100)
            for one in risk.get("weights") or ()
        }
    )
    given = risk.get("thresholds") or {}
    bounds = tuple(
        int(given.get(name, bound))
        for name, bound in zip(RATINGS[1:], SHIPPED.thresholds, strict=True)
    )
    model = RiskModel(
        weights,
        shares,
        (bounds[0], bounds[1], bounds[2]),
        int(risk.get("many_items", SHIPPED.many_items)),
    )
    types = tuple(
        ChangeType(
            str(one["key"]),
            str(one["name"]),
            str(one["like"]),
            tuple(str(need) for need in one.get("needs") or ()),
            str(one.get("route") or ""),
            tuple(str(rating) for rating in one.get("cab") or ()),
            tuple(
                AddedStage(
                    str(each["key"]),
                    str(each["name"]),
                    str(each["within"]),
                    tuple(str(need) for need in each.get("needs") or ()),
                    tuple(str(need) for need in each.get("spares") or ()),
                )
                for each in one.get("stages") or ()
            ),
            tuple(str(need) for need in one.get("spares") or ()),
        )
        for one in document.get("types") or ()
    )
    return Settings(
        model,
        types or SHIPPED_TYPES,
        int(document.get("lead_hours", 48)),
        int(document.get("review_days", 5)),
        str(document.get("review_calendar") or ""),
        int(document.get("incident_days", 5)),
        document.get("cab") or {},
        int((document.get("tell") or {}).get("hours", 0)),
        tuple(str(one) for one in (document.get("tell") or {}).get("ratings") or ()),
        EndsProblem(
            tuple(str(one) for one in ends.get("outcomes", (DONE,))),
            bool(ends.get("with_incidents", True)),
        ),
    )


def asked_of(kind: ChangeType | AddedStage, *, is_manager: bool) -> tuple[str, ...]:
    """What a type or a stage needs when a change manager moves it on, or when another does."""
    return tuple(one for one in kind.needs if not (is_manager and one in kind.spares))


def lacks(
    kind: ChangeType,
    draft: Draft,
    labels: Mapping[str, str] = MappingProxyType({}),
    *,
    is_manager: bool = False,
) -> list[Lack]:
    """All that a change lacks before it can be submitted, each with its place.

    `labels` are the names of the ticket's own fields by their keys; `is_manager` says that
    a change manager submits it.
    """
    found = lacks_of(asked_of(kind, is_manager=is_manager), draft, labels)
    starts, ends = draft.starts_s, draft.ends_s
    if starts is not None and ends is not None:
        if ends <= starts:
            found.append(Lack("span", "It ends before it begins."))
        elif planned_minutes(draft.steps) * 60 > ends - starts:
            minutes = planned_minutes(draft.steps)
            has = (ends - starts) // 60
            found.append(Lack("span", f"The plan takes {minutes} minutes, and the span has {has}."))
    return found


def lacks_of(
    needs: Collection[str], draft: Draft, labels: Mapping[str, str] = MappingProxyType({})
) -> list[Lack]:
    """What of some needs is not there: those of `NEEDS` first, then the ticket's own fields.

    A field that is gone from the rulebook (not in `labels`) is asked for no more.
    """
    there = {
        "why": draft.why.strip() != "",
        "service": draft.service != "",
        "items": draft.items > 0,
        "span": draft.starts_s is not None and draft.ends_s is not None,
        "plan": _has(draft.steps, IMPLEMENT),
        "test": _has(draft.steps, TEST),
        "backout": _has(draft.steps, BACK_OUT),
        "tried": draft.tried.strip() != "",
    }
    found = [Lack(need, NEEDS[need]) for need in NEEDS if need in needs and not there[need]]
    for need in needs:
        key = need.removeprefix(FIELD)
        if need.startswith(FIELD) and key in labels and key not in draft.fields:
            found.append(Lack(need, f"Fill in {labels[key]}."))
    return found


@dataclass(frozen=True, slots=True)
class OnTheWay:
    """A stage on a change's way: `is_past`, `is_now`; `key` is empty for a shipped one."""

    name: str
    key: str = ""
    is_past: bool = False
    is_now: bool = False


def following(kind: ChangeType, state: str, at: str) -> AddedStage | None:
    """The added stage that comes after the one a change is in, within its shipped stage.

    `at` is the key of the added stage that it is in, or nothing; one that is gone is nothing.
    """
    stages = kind.within(state)
    place = next((index for index, one in enumerate(stages) if one.key == at), -1)
    return stages[place + 1] if place + 1 < len(stages) else None


def standing_in(kind: ChangeType, state: str, at: str) -> AddedStage | None:
    """The added stage that a change is in, or None where it is in the shipped one itself."""
    return next((one for one in kind.within(state) if one.key == at), None)


def way(kind: ChangeType, state: str, at: str) -> list[OnTheWay]:
    """The stages of a type from draft to done, with the added ones at their places.

    A change that ended otherwise than done has no stage that is now, and none that is past.
    """
    names: list[tuple[str, str, str]] = []
    for name in WAY:
        names.append((name, "", name))
        names += [(one.name, one.key, name) for one in kind.within(name)]
    here = standing_in(kind, state, at)
    now = next(
        (
            index
            for index, (_, key, shipped) in enumerate(names)
            if shipped == state and key == (here.key if here else "")
        ),
        None,
    )
    return [
        OnTheWay(name, key, now is not None and index < now, index == now)
        for index, (name, key, _) in enumerate(names)
    ]


def planned_minutes(steps: Iterable[Step]) -> int:
    """How long implementing and testing take together; backing out is not planned for."""
    return sum(step.minutes for step in steps if step.part != BACK_OUT)


def turn_back_by(steps: Sequence[Step], ends_s: int) -> int | None:
    """The last instant at which backing out still ends in time; None without such steps."""
    minutes = sum(step.minutes for step in steps if step.part == BACK_OUT)
    return ends_s - minutes * 60 if minutes else None


def _has(steps: Iterable[Step], part: str) -> bool:
    return any(step.part == part and step.says.strip() for step in steps)


def suggested(
    settings: Settings, *, is_preauthorised: bool, rating: str, is_urgent: bool
) -> tuple[ChangeType, str]:
    """The type that fits a change, and why, in words.

    `is_urgent` says that an open P1 or P2 incident is linked to it.
    """
    if is_urgent:
        return settings.like(EMERGENCY), "a P1 or P2 incident is linked to it"
    if is_preauthorised and rating == RATINGS[0]:
        return settings.like(STANDARD), "its template is authorised beforehand, its risk is low"
    if is_preauthorised:
        return settings.like(NORMAL), f"its template is for low risks only, and it is {rating}"
    return settings.like(NORMAL), "it follows no template that is authorised beforehand"


def against(
    kind: ChangeType, *, is_preauthorised: bool, rating: str, is_urgent: bool, reason: str
) -> str:
    """Why a change cannot be of a type, in words, or nothing."""
    if kind.like == STANDARD and rating != RATINGS[0]:
        return f"A {kind.name.lower()} change has a low risk: this is {rating}."
    if kind.like == STANDARD and not is_preauthorised:
        name = kind.name.lower()
        return f"A {name} change follows a template that is authorised beforehand, step by step."
    if kind.like == EMERGENCY and not is_urgent and not reason.strip():
        return "An emergency needs a linked P1 or P2 incident, or a reason."
    return ""


AS_EXPECTED, OTHERWISE, NOT_SEEN = "as expected", "otherwise", "not seen"


def verified(
    expected: Mapping[str, Any], seen: Mapping[str, Any], seen_s: int | None, ended_s: int
) -> dict[str, str]:
    """How what is expected of an item compares with what a scan has seen of it, by attribute.

    Each is `AS_EXPECTED`, `OTHERWISE` or `NOT_SEEN`. A scan from before the change ended
    (`seen_s`, `ended_s`: epoch seconds) says nothing of what the change has made.
    """
    is_fresh = seen_s is not None and seen_s >= ended_s
    return {
        key: NOT_SEEN
        if not is_fresh or seen.get(key) is None
        else AS_EXPECTED
        if same(value, seen[key])
        else OTHERWISE
        for key, value in expected.items()
    }


def needs_cab(kind: ChangeType, rating: str) -> bool:
    """Whether a change of this type and rating goes to the change advisory board."""
    return rating in kind.cab
