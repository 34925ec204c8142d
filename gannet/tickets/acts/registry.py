"""The registry of acts: what each needs, who may do it and when, and how it is offered.

The API, acts on many, routines, the record page, its keys and menus all read it. An act's
reasons against it are worked out in one place, `why_not`: a record that offers an act does
it, and one that does not says the very words with which it would refuse.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions.frame import RecordWrite, cannot
from gannet.tickets.kinds import RecordKind, kind_of
from gannet.tickets.models import Ticket
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet.web.shape import Shape

Params = Mapping[str, Any]


class Place(StrEnum):
    """Where a record offers an act."""

    BAR = "bar"
    MAIN = "main"  # at the end of the bar: what the work comes to
    MENU = "menu"
    PANEL = "panel"  # by a part of the page of its own, such as the composer


@dataclass(frozen=True, kw_only=True)
class ActInput:
    """One thing that an act without a dialog of its own asks for."""

    name: str
    label: str
    type: str = "text"  # text, lines, number, yes/no, choice
    choices: tuple[str, ...] = ()
    is_needed: bool = True


@dataclass(frozen=True, kw_only=True)
class OnMany:
    """How an act is done to many records: its check of what is said once, and the act.

    `does` works on one record within an act that has been checked; `one_by_one` says that
    each has to be finished before the next is looked at.
    """

    label: str
    does: Callable[[RecordWrite, Params], None]
    # On the bar of what is chosen.
    button: str
    check: Callable[[Params, Acting], None] = lambda params, acting: None
    one_by_one: Callable[[Params], bool] = lambda params: False
    # Following is a person's own affair, no part of a routine.
    in_routines: bool = True


@dataclass(frozen=True, kw_only=True)
class RecordAct:
    """One act: the shape of its input, what does it, and who may do it when.

    `core` is the act of the lifecycle that it is, whose permission and moves hold for it;
    without one, whoever sees the record may do it. `against` gives a further reason why
    it cannot be done to a record, in words, or nothing.
    """

    name: str
    label: str
    about: str
    shape: type[Shape]
    does: Callable[[int, Acting, Params], Any]
    core: str | None = None
    # In a sentence of the command bar, where {} is the record's number.
    command: str = ""
    key: str = ""
    place: Place = Place.MENU
    is_undoable: bool = False
    asks: tuple[ActInput, ...] = ()
    on_many: OnMany | None = None
    # Of which kinds of record it is; of all, if none is named.
    kinds: frozenset[str] = frozenset()
    against: Callable[[Ticket, Person], str] = lambda ticket, person: ""
    # Who may, beyond what the lifecycle says: why somebody may not, or nothing.
    may: Callable[[Ticket, Person], str] = lambda ticket, person: ""
    # What it would come to, if that is worth saying before; one that has it is shown greyed
    # on the bar where it cannot be done.
    hint: Callable[[Ticket, Person], str] = lambda ticket, person: ""
    # Whether it makes sense to show it, greyed, where it cannot be done.
    is_worth_greying: Callable[[Ticket, Person], bool] = lambda ticket, person: True
    # Whether doing it would do nothing: it is not shown, and harms nobody.
    is_moot: Callable[[Ticket, Person], bool] = lambda ticket, person: False
    # Whether an address of its own takes it; the record's own address takes changes.
    has_address: bool = True


_acts: dict[str, RecordAct] = {}


def register(*entries: RecordAct) -> None:
    """Let acts be done; told twice, it is one act still."""
    for entry in entries:
        _acts[entry.name] = entry


def acts() -> Mapping[str, RecordAct]:
    """Every act that there is, by name."""
    return _acts


def act_named(name: str) -> RecordAct:
    if name not in _acts:
        raise Missing("There is no such act.")
    return _acts[name]


def acts_of(kind: RecordKind) -> Iterable[RecordAct]:
    """The acts of a kind of record: its own, and those of the frame that its lifecycle knows."""
    moves = kind.lifecycle.moves
    return [
        act
        for act in _acts.values()
        if (kind.key in act.kinds if act.kinds else act.core is None or act.core in moves)
    ]


def why_not(act: RecordAct, ticket: Ticket, person: Person) -> Exception | None:
    """Why somebody cannot do an act on a record that they see; nothing when they can."""
    if act.kinds and ticket.kind not in act.kinds:
        return Invalid(f"{ticket.kind.capitalize()} {ticket.pk} has nothing like that.")
    if act.core is not None:
        decision = policies.may(person, act.core, ticket)
        if not decision:
            return Refused(decision.reason)
        words = cannot(ticket, act.core)
        if words:
            return Conflict(words)
    words = act.may(ticket, person)
    if words:
        return Refused(words)
    words = act.against(ticket, person)
    return Conflict(words) if words else None


def check(act: RecordAct, ticket: Ticket, person: Person) -> None:
    """Refuse an act that cannot be done, with the words that the record's page shows."""
    reason = why_not(act, ticket, person)
    if reason is not None:
        raise reason


def offered(ticket: Ticket, person: Person) -> list[dict[str, Any]]:
    """The acts of a record as its page offers them, each with why it cannot be done."""
    found = []
    for act in acts_of(kind_of(ticket)):
        if act.is_moot(ticket, person):
            continue
        reason = why_not(act, ticket, person)
        if reason is not None and not act.is_worth_greying(ticket, person):
            continue
        found.append(
            {
                "name": act.name,
                "label": act.label,
                "command": act.command.format(ticket.pk),
                "key": act.key,
                "place": str(act.place),
                "is_undoable": act.is_undoable,
                "why_not": "" if reason is None else str(reason),
                "hint": act.hint(ticket, person),
                "asks": [
                    {
                        "name": one.name,
                        "label": one.label,
                        "type": one.type,
                        "choices": list(one.choices),
                        "is_needed": one.is_needed,
                    }
                    for one in act.asks
                ],
            }
        )
    return found
