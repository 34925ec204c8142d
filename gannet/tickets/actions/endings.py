"""The one way in which a record ends, and how what ended with it comes back.

Whatever must not outlive a record – a wait, questions, tasks, an announcement, the parts
of a bundle – is an `EndingPart`, registered by the module that owns it. `end` records the
ending and runs every part in the same transaction; what a part took away is kept in the
facts of the ending's own event, so that undoing it, or reopening the record, brings just
that back. Nothing else may record an ending: the frame refuses it.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from gannet.audit.kinds import EventKind, kinds
from gannet.audit.models import Audience, Event
from gannet.people.models import Person
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket

Kept = Mapping[str, Any]


@dataclass(frozen=True, kw_only=True)
class Ending:
    """How a record ends: by which act, in whose words, and where it goes on, if it does."""

    kind: EventKind
    text: str = ""
    goes_on_as: Ticket | None = None
    is_unwanted: bool = False
    # The open tasks of which whoever ends it says that they are done.
    done_tasks: Sequence[int] = ()


@dataclass(frozen=True, kw_only=True)
class EndingPart:
    """One thing that does not outlive a record.

    `drop` takes it away and returns what is needed to bring it back, as JSON, or nothing
    when there was nothing to take. `restore` brings it back when the record is open again:
    at once by undoing the ending, or later by reopening.
    """

    name: str
    drop: Callable[[RecordWrite, Ending], Kept | None]
    restore: Callable[[RecordWrite, Kept, bool], None] | None = None


_parts: dict[str, EndingPart] = {}


def register(part: EndingPart) -> None:
    """Let something end with every record; told twice, it is one part still."""
    _parts[part.name] = part


def parts() -> list[EndingPart]:
    return list(_parts.values())


def end(
    write: RecordWrite,
    kind: EventKind,
    *,
    text: str = "",
    facts: Mapping[str, Any] | None = None,
    values: Mapping[str, Any] | None = None,
    audience: Audience = Audience.EVERYBODY,
    is_automatic: bool | None = None,
    resolver: Person | None = None,
    goes_on_as: Ticket | None = None,
    is_unwanted: bool = False,
    done_tasks: Sequence[int] = (),
) -> None:
    """End a record within an act that has been checked; telling people is the caller's.

    `is_automatic` says that nobody did it by hand, whoever's act brought it about.
    """
    ticket = write.ticket
    ending = Ending(
        kind=kind,
        text=text,
        goes_on_as=goes_on_as,
        is_unwanted=is_unwanted,
        done_tasks=done_tasks,
    )
    write.record(
        kind,
        text=text,
        facts=dict(facts or {}),
        values=dict(values or {}),
        audience=audience,
        is_automatic=is_automatic,
        by_desk=False if is_automatic else None,
        is_ending=True,
    )
    kept = write.entries[-1].facts
    if kind == TicketEvent.RESOLVED:
        ticket.resolution, ticket.resolved_s = text, write.acting.now_s
        ticket.resolver = resolver
    else:
        ticket.closed_s = write.acting.now_s
    write.end_wait()
    for part in parts():
        dropped = part.drop(write, ending)
        if dropped is not None:
            kept.setdefault("dropped", {})[part.name] = dict(dropped)


def bring_back(write: RecordWrite, ended: Event, *, is_undo: bool) -> None:
    """Bring back what an ending had taken, in the act that opens the record again."""
    ticket = write.ticket
    ticket.resolved_s, ticket.resolution = None, ""
    ticket.resolver, ticket.is_first_line = None, 0
    dropped = ended.facts.get("dropped", {})
    for part in parts():
        if part.restore is not None and part.name in dropped:
            part.restore(write, dropped[part.name], is_undo)


def last_ending(ticket: Ticket) -> Event | None:
    """The event by which a record ended last and that was not taken back."""
    events = Event.objects.filter(ticket=ticket)
    undone = [
        facts["event"]
        for facts in events.filter(kind=TicketEvent.UNDONE).values_list("facts", flat=True)
    ]
    return (
        events.filter(kind__in=[kind for kind in kinds().values() if kind.ends])
        .exclude(pk__in=undone)
        .order_by("-id")
        .first()
    )
