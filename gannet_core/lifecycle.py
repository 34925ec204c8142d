"""Lifecycles, moves and markers, and the clock events that a history means.

One table holds every legal move of a record; code, checks and documentation read it.
Markers and clock events are derived from the history alone, so none of them can be
left standing when it is no longer true.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

from gannet_core.clocks import ClockEvent, EventKind
from gannet_core.errors import LifecycleError
from gannet_core.lifecycles import CHANGE, MAJOR, PROBLEM, TASK, Lifecycle, Moves, Stage


class State(StrEnum):
    NEW = "new"
    IN_PROGRESS = "in progress"
    WAITING = "waiting"
    RESOLVED = "resolved"
    CLOSED = "closed"
    CANCELLED = "cancelled"


class Move(StrEnum):
    """Whose turn it is."""

    OURS = "ours"
    REQUESTER = "requester's"
    SUPPLIER = "supplier's"
    APPROVER = "approver's"
    SCHEDULED = "scheduled"
    NOBODY = "nobody's"


class Waiting(StrEnum):
    """What a record waits on."""

    REQUESTER = "requester"
    SUPPLIER = "supplier"
    APPROVAL = "approval"
    DATE = "date"


class Act(StrEnum):
    """What can happen to a record, as far as the rules of the job care."""

    LOGGED = "logged"
    TAKEN = "taken"
    HANDED_OVER = "handed over"
    REPLIED = "replied"
    NOTED = "noted"
    REQUESTER_WROTE = "requester wrote"
    WAITING = "waiting"
    RESUMED = "resumed"
    RESOLVED = "resolved"
    REOPENED = "reopened"
    CLOSED = "closed"
    CANCELLED = "cancelled"
    CHANGED = "changed"
    OPENED = "opened"
    WORKAROUND_GIVEN = "workaround given"


# The legal moves of incidents and requests: act -> state it may start from -> state it
# leads to. Taking or answering a new record puts it in progress; a waiting one stays waiting.
MOVES: Moves = {
    Act.TAKEN: {
        State.NEW: State.IN_PROGRESS,
        State.IN_PROGRESS: State.IN_PROGRESS,
        State.WAITING: State.WAITING,
    },
    Act.HANDED_OVER: {state: state for state in (State.NEW, State.IN_PROGRESS, State.WAITING)},
    Act.REPLIED: {
        State.NEW: State.IN_PROGRESS,
        **{state: state for state in (State.IN_PROGRESS, State.WAITING, State.RESOLVED)},
    },
    Act.NOTED: {state: state for state in State},
    Act.REQUESTER_WROTE: {state: state for state in State},
    Act.WAITING: dict.fromkeys((State.NEW, State.IN_PROGRESS, State.WAITING), State.WAITING),
    Act.RESUMED: {State.WAITING: State.IN_PROGRESS},
    Act.RESOLVED: dict.fromkeys((State.NEW, State.IN_PROGRESS, State.WAITING), State.RESOLVED),
    Act.REOPENED: {State.RESOLVED: State.IN_PROGRESS},
    Act.CLOSED: {State.RESOLVED: State.CLOSED},
    Act.CANCELLED: dict.fromkeys((State.NEW, State.IN_PROGRESS, State.WAITING), State.CANCELLED),
    Act.WORKAROUND_GIVEN: {
        State.NEW: State.IN_PROGRESS,
        State.IN_PROGRESS: State.IN_PROGRESS,
        State.WAITING: State.WAITING,
    },
    Act.CHANGED: {
        state: state for state in (State.NEW, State.IN_PROGRESS, State.WAITING, State.RESOLVED)
    },
}

_STAGES = (
    Stage(State.NEW),
    Stage(State.IN_PROGRESS),
    Stage(State.WAITING, waits=True, move=""),
    Stage(State.RESOLVED, is_open=False, move=Move.NOBODY),
    Stage(State.CLOSED, is_open=False, move=Move.NOBODY),
    Stage(State.CANCELLED, is_open=False, move=Move.NOBODY),
)
_CLOCKS = ("answer", "fix", "workaround", "team answer", "team", "supplier")
INCIDENT = Lifecycle("incident", _STAGES, MOVES, _CLOCKS)
REQUEST = Lifecycle("request", _STAGES, MOVES, _CLOCKS)
LIFECYCLES: Mapping[str, Lifecycle] = {
    one.kind: one for one in (INCIDENT, REQUEST, TASK, PROBLEM, CHANGE, MAJOR)
}

_MOVE_OF_WAITING = {
    Waiting.REQUESTER: Move.REQUESTER,
    Waiting.SUPPLIER: Move.SUPPLIER,
    Waiting.APPROVAL: Move.APPROVER,
    Waiting.DATE: Move.SCHEDULED,
}


@dataclass(frozen=True, slots=True)
class Happening:
    """One event of a record's history as the core reads it.

    `at` is in epoch seconds; `act` is an `Act`, or one of a kind's own lifecycle;
    `by_desk` says that a person of the desk did it. `facts`
    carries what the act says: `team`, `person`, `to`, `on`, `supplier`, `for_team`.
    """

    at: int
    act: str
    actor: str | None = None
    by_desk: bool = False
    is_automatic: bool = False
    facts: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Markers:
    """What a list shows beside a ticket; all derived from its history."""

    is_unread: bool
    needs_reply: bool
    is_answered: bool
    handed_to: str | None


def move_of(stage: Stage, waiting_on: Waiting | None) -> Move:
    """Whose move it is in a stage: the stage's own, or that of whom it waits on."""
    if not stage.waits:
        return Move(stage.move)
    if waiting_on is None:
        raise LifecycleError("a waiting record must say what it waits on")
    return _MOVE_OF_WAITING[waiting_on]


_STATE_CHANGES = frozenset(
    {Act.TAKEN, Act.WAITING, Act.RESUMED, Act.RESOLVED, Act.REOPENED, Act.CLOSED, Act.CANCELLED}
)


def stage_of(history: Iterable[Happening], lifecycle: Lifecycle) -> Stage:
    """The stage that a history leads to; acts that were not legal change nothing."""
    return lifecycle.stage(lifecycle.stage_after(event.act for event in history))


def markers(history: Iterable[Happening], lifecycle: Lifecycle) -> Markers:
    """Derive the markers of a record from its whole history, oldest first."""
    state = lifecycle.first
    on: Waiting | None = None
    is_unread = True
    is_open_message = False
    is_answered = False
    handed_to: str | None = None
    for event in history:
        act, facts = event.act, event.facts
        if act in (Act.LOGGED, Act.REQUESTER_WROTE):
            if act == Act.REQUESTER_WROTE and state.waits and on is Waiting.REQUESTER:
                is_answered = True
            is_open_message = is_open_message or act == Act.REQUESTER_WROTE or not event.by_desk
        if act == Act.HANDED_OVER:
            if facts.get("team") != facts.get("from_team"):
                is_unread = True
            handed_to = facts.get("person")
        if event.by_desk and not event.is_automatic:
            if act == Act.REPLIED:
                is_open_message = False
            if act in (Act.REPLIED, Act.NOTED) or act in _STATE_CHANGES:
                is_answered = False
            if act not in (Act.LOGGED, Act.HANDED_OVER):
                is_unread = False
                if event.actor == handed_to:
                    handed_to = None
        state = lifecycle.stage(lifecycle.stage_after([act], state.name))
        on = Waiting(facts["on"]) if act == Act.WAITING else on
    is_open = state.is_open
    return Markers(
        is_unread=is_unread and is_open,
        needs_reply=is_open_message and is_open,
        is_answered=is_answered and is_open,
        handed_to=handed_to if is_open else None,
    )


# The kinds of clock that ship; the rulebook lists its own in the same form. Tokens are
# acts, and "gained" and "lost" for the team or supplier whose clock it is.
SHIPPED_CLOCKS: tuple[Mapping[str, Any], ...] = (
    {
        "key": "answer",
        "label": "response",
        "of": "customer",
        "starts": ["logged"],
        "stops": ["replied", "resolved"],
    },
    {
        "key": "fix",
        "label": "resolution",
        "of": "customer",
        "starts": ["logged"],
        "stops": ["resolved"],
        "restarts": ["reopened"],
    },
    {
        "key": "workaround",
        "label": "workaround",
        "of": "customer",
        "starts": ["logged"],
        "stops": ["workaround given", "resolved"],
    },
    {
        "key": "cause",
        "label": "cause found",
        "of": "customer",
        "starts": ["logged"],
        "stops": ["cause found", "resolved"],
        "restarts": ["cause doubted", "reopened"],
    },
    {
        "key": "decision",
        "label": "decision",
        "of": "customer",
        "starts": ["cause found"],
        "stops": ["fix decided", "resolved"],
        "restarts": ["resumed"],
    },
    {
        "key": "authorisation",
        "label": "authorisation",
        "of": "customer",
        "starts": ["submitted"],
        "stops": ["authorised", "refused", "resolved"],
        "restarts": ["asked again", "fell back"],
    },
    {
        "key": "look back",
        "label": "look back",
        "of": "customer",
        "starts": ["implemented"],
        "stops": ["looked back", "backed out", "resolved"],
    },
    {
        "key": "team answer",
        "label": "team response",
        "of": "team",
        "starts": ["gained"],
        "stops": ["acted", "lost", "resolved"],
    },
    {
        "key": "team",
        "label": "",
        "of": "team",
        "starts": ["gained"],
        "stops": ["lost", "resolved"],
        "restarts": ["gained", "reopened"],
    },
    {
        "key": "supplier",
        "label": "",
        "of": "supplier",
        "starts": ["gained"],
        "stops": ["lost", "resolved"],
        "restarts": ["gained"],
    },
)


def has_clock(lifecycle: Lifecycle, key: str) -> bool:
    """Whether a kind of record has a clock: of those that ship only the ones its lifecycle
    names, and of the rulebook's own every one, if it has clocks at all."""
    shipped = {str(clock["key"]) for clock in SHIPPED_CLOCKS}
    return key in lifecycle.clocks if key in shipped else bool(lifecycle.clocks)


def clock_events(
    kind: Mapping[str, Any],
    history: Iterable[Happening],
    pauses_on: Sequence[str],
    holder: str | None = None,
) -> list[ClockEvent]:
    """The events of one clock, read off a record's history.

    `kind` is an entry like those of `SHIPPED_CLOCKS`; `holder` the team or supplier
    whose clock it is. A clock that starts or restarts while the record waits on
    something it pauses on starts paused.
    """
    found: list[ClockEvent] = []
    on: str | None = None
    follower = _HolderFollower(kind["of"], holder)
    starts, stops = set(kind["starts"]), set(kind["stops"])
    restarts = set(kind.get("restarts", ()))
    for event in history:
        tokens = follower.tokens(event)
        if event.act == Act.CANCELLED:
            found.append(ClockEvent(event.at, EventKind.CANCEL))
        if tokens & stops:
            found.append(ClockEvent(event.at, EventKind.STOP))
        began = False
        if tokens & starts:
            found.append(ClockEvent(event.at, EventKind.START))
            began = True
        if tokens & restarts:
            found.append(ClockEvent(event.at, EventKind.RESTART))
            began = True
        was_on = on
        on = waiting_after(on, event)
        if on in pauses_on and (began or on != was_on):
            found.append(ClockEvent(event.at, EventKind.PAUSE))
        elif was_on in pauses_on and on not in pauses_on:
            found.append(ClockEvent(event.at, EventKind.RESUME))
    return found


def waiting_after(on: str | None, event: Happening) -> str | None:
    """What a record waits on after an event, or nothing, given what it waited on before."""
    if event.act == Act.WAITING:
        return str(event.facts["on"])
    if event.act in (Act.RESUMED, Act.RESOLVED, Act.REOPENED, Act.CANCELLED):
        return None
    return on


class _HolderFollower:
    """Says, event by event, what an event means for one holder of a record."""

    def __init__(self, of: str, holder: str | None) -> None:
        self._of = of
        self._holder = holder
        self._has_it = False

    def tokens(self, event: Happening) -> set[str]:
        tokens = {self._own_name(event)}
        if self._of == "customer":
            return tokens
        if not self._has_it:
            tokens.discard("resolved")
            tokens.discard("reopened")
        has_it = self._has_after(event)
        if has_it and not self._has_it:
            tokens.add("gained")
        if self._has_it and not has_it:
            tokens.add("lost")
        self._has_it = has_it
        acts = (Act.TAKEN, Act.REPLIED, Act.NOTED)
        if event.act in acts and event.by_desk and event.facts.get("for_team") == self._holder:
            tokens.add("acted")
        return tokens

    def _has_after(self, event: Happening) -> bool:
        if self._of == "team":
            if event.act in (Act.LOGGED, Act.HANDED_OVER) and "team" in event.facts:
                return bool(event.facts["team"] == self._holder)
            return self._has_it
        if event.act == Act.WAITING:
            return (
                event.facts["on"] == Waiting.SUPPLIER
                and event.facts.get("supplier") == self._holder
            )
        ends = (Act.RESUMED, Act.RESOLVED, Act.CANCELLED)
        return self._has_it and event.act not in ends

    @staticmethod
    def _own_name(event: Happening) -> str:
        """A reply counts as one only when a person of the desk wrote it."""
        if event.act == Act.REPLIED and (event.is_automatic or not event.by_desk):
            return "replied automatically"
        return str(event.act)
