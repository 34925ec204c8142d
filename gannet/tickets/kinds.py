"""The kinds of record: what each declares of itself, and where the frame asks it.

The frame – number, people, holder, clocks, lists, conversation, history, links – knows no
kind. Each is an app that declares itself once, when Django starts, with
`gannet.tickets.declaring.declare`. What the frame has to know of a record that only its kind
can say – what it may do next, what it costs, why it cannot be resolved yet – it asks here.
"""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Protocol

from gannet.audit.kinds import EventKind
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets.models import Ticket
from gannet.tickets.states import know_states
from gannet.web.shape import Shape
from gannet_core.catalogue import Cost
from gannet_core.lifecycles import Lifecycle
from gannet_core.rules import WHEN

if TYPE_CHECKING:
    from gannet.people.acting import Acting
    from gannet.tickets.actions.endings import EndingPart
    from gannet.tickets.actions.frame import RecordWrite
    from gannet.tickets.actions.timers import TimerKind
    from gannet.tickets.acts import RecordAct
    from gannet.tickets.field import Field
    from gannet.tickets.models import Approval
    from gannet.tickets.policies import Decision

Step = tuple[str, int | None]


@dataclass(frozen=True, kw_only=True)
class Panel:
    """A part of the record's page that lists facts: pairs of a label and words."""

    key: str
    label: str
    rows: Callable[[Ticket], Sequence[tuple[str, str]]]


@dataclass(frozen=True, kw_only=True)
class Section:
    """A part of a record's answer with a shape of its own, drawn by a page of its own.

    `read` is given the ticket, who reads, the rulebook in force and now, in epoch seconds.
    """

    key: str
    shape: type[Shape]
    read: Callable[[Ticket, Person, Book, int], Any]
    is_for_requester: bool = False


class CausedBy(Protocol):
    """How incidents that a record causes are linked to it, or taken off it, by the kind itself."""

    def link(self, number: int, acting: "Acting", incident: int) -> None: ...
    def unlink(self, number: int, acting: "Acting", incident: int) -> None: ...


@dataclass(frozen=True, kw_only=True)
class RecordKind:
    """A kind of record; everything but its name, its label and its lifecycle may be left out.

    `codes` gives the states that no other kind has their numbers in the row: below 50 for
    one in which somebody has something to do, 50 or more for one that is an end.
    `facts` names the one-to-one table of what belongs to this kind alone, as the ticket
    calls it.
    """

    key: str
    label: str
    plural: str
    lifecycle: Lifecycle
    # What stands for it where there is no room for words.
    mark: str = ""
    codes: Mapping[str, int] = field(default_factory=dict)
    # What is logged when nobody says what it is.
    is_usual: bool = False
    # Whether the desk logs one by hand.
    is_logged_by_hand: bool = True
    # Whether people ask for it: what only the desk opens stands in nobody's own things.
    is_for_requesters: bool = True
    facts: str = ""
    fields: Sequence["Field"] = ()
    acts: Sequence["RecordAct"] = ()
    sections: Sequence[Section] = ()
    panels: Sequence[Panel] = ()
    endings: Sequence["EndingPart"] = ()
    timers: Sequence["TimerKind"] = ()
    # Of an event's name: what a notification of it is about, so that one replaces another.
    notices: Mapping[str, str] = field(default_factory=dict)
    # What may happen to it that rules can wait for, beyond what may happen to every record.
    moments: Sequence[str] = ()
    # Who may do what, where it is not as with every record; None: as with every record.
    may: "Callable[[Person, str, Ticket], Decision | None]" = lambda person, act, ticket: None
    # Why it cannot be resolved yet, in words, or nothing.
    not_ready: Callable[[Ticket], str] = lambda ticket: ""
    # Somebody else holds it now.
    held: Callable[[Ticket], None] = lambda ticket: None
    # Linking an incident as caused by it is the kind's own affair; None: it is a plain link.
    causes: "CausedBy | None" = None
    # All its tasks are done; None: it may resolve by itself, as the rulebook says.
    tasks_done: "Callable[[RecordWrite], None] | None" = None
    # It was waiting and goes on, within that act.
    resumed: "Callable[[RecordWrite], None]" = lambda write: None
    # Who, beside whose it is, may not decide on it: those who carry it out.
    involved: Callable[[Ticket], frozenset[int]] = lambda ticket: frozenset()
    # The technical or service owners of what it touches; None: those of its item and service.
    owners: Callable[[Ticket, str], Sequence[int] | None] = lambda ticket, who: None
    # Facts of it changed that were authorised: what is asked again; None: the stages they touch.
    touched: "Callable[[RecordWrite, Sequence[str]], None] | None" = None
    # The event by which its approval route ends when it is refused; None: it is cancelled.
    refusal: EventKind | None = None
    cost: Callable[[Ticket], Cost] = lambda ticket: Cost()
    # Whom it is for, where that is nobody whom the application knows.
    named_for: Callable[[Ticket], str] = lambda ticket: ""
    # What routes may ask about it, beyond what they may ask about every record.
    case: Callable[[Ticket], Mapping[str, Any]] = lambda ticket: {}
    # The form its answers belong to; None: by its kind and category.
    form: Callable[[Book, Ticket], Mapping[str, Any] | None] | None = None
    # What an approver sees beyond the question.
    approver_sees: "Callable[[Approval, Book], Mapping[str, Any]]" = lambda asked, book: {}
    # Whether somebody, or (None) another system, may hear of a record at all: of a drill only
    # who is in it does.
    hears: Callable[[Ticket, Person | None], bool] = lambda ticket, person: True
    # Of records that are announced: what was said of each last, in words for everybody.
    news: Callable[[Sequence[int]], Mapping[int, str]] = lambda numbers: {}
    # The steps that its requester sees, worked out by the kind; None: as for every record.
    path: Callable[[Ticket], list[dict[str, Any]]] | None = None


_kinds: dict[str, RecordKind] = {}


def know(kind: RecordKind) -> None:
    """Let there be a kind of record: its name and its states; told twice, it is one still."""
    know_states(kind.lifecycle, kind.codes)
    _kinds[kind.key] = kind


def kinds() -> Mapping[str, RecordKind]:
    """Every kind of record that there is, by key."""
    return _kinds


def usual() -> RecordKind:
    """What is logged when nobody says what it is."""
    return next(kind for kind in _kinds.values() if kind.is_usual)


def for_requesters() -> list[str]:
    """The kinds of record that people ask for, and find among their own."""
    return [kind.key for kind in _kinds.values() if kind.is_for_requesters]


def kind_of(ticket: Ticket) -> RecordKind:
    """The kind of a record; one whose app is gone is read as the usual one."""
    return _kinds.get(ticket.kind) or usual()


def moments() -> Collection[str]:
    """Every moment at which rules can run: of any record, and of those of one kind."""
    return dict.fromkeys([*WHEN, *(one for kind in _kinds.values() for one in kind.moments)])


def facts_tables() -> list[str]:
    """The one-to-one tables of the kinds, for reading them with their records."""
    return [kind.facts for kind in _kinds.values() if kind.facts]
