"""A ticket's conversation: messages and what happened between them, as one may see it.

The messages of duplicates that were merged into a ticket stand among its own, each with the
number it came from, so that nobody has to read two pages to know what was said.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import QuerySet

from gannet.audit.kinds import Telling, kind_of, kinds
from gannet.audit.models import Audience, Event
from gannet.people.models import Person, Team
from gannet.rulebook.book import edition
from gannet.tickets import policies
from gannet.tickets.events import TicketEvent, author_of
from gannet.tickets.listed import seen_by
from gannet.tickets.models import Attachment, Ticket
from gannet.tickets.telling import messenger
from gannet.tickets.words import due_words
from gannet.web.kept import Givens, KeptQueries
from gannet.web.markdown import Html


class Names:
    """Names of the teams and people that events speak of by key."""

    def __init__(self, events: Sequence[Event]) -> None:
        self._events = events
        self._teams: dict[str, str] | None = None
        self._people: dict[int, str] | None = None

    def team(self, key: str) -> str:
        if self._teams is None:
            self._teams = dict(Team.objects.values_list("key", "name"))
        return self._teams.get(key, key)

    def person(self, key: str) -> str:
        if self._people is None:
            named = (e.facts.get(name) for e in self._events for name in ("person", "from_person"))
            keys = {int(one) for one in named if one}
            self._people = dict(Person.objects.filter(pk__in=keys).values_list("id", "name"))
        return self._people.get(int(key), "somebody")


_kept = KeptQueries()


def quiet(event: Event) -> bool:
    """Whether an event is left out of what people read: it is the machinery's own."""
    kind = kind_of(event.kind)
    return kind is not None and kind.is_quiet


def conversation(
    ticket: Ticket,
    events: Sequence[Event],
    names: Names,
    reader: Person,
    *,
    now_s: int,
    is_desk: bool,
    only_public: bool = False,
) -> list[dict[str, Any]]:
    """Messages and happenings in order; what was taken back is shown as such.

    The desk also reads what was said on duplicates that it may see; a requester does not,
    for that was said to somebody else.
    """
    reading = _Reading(reader, names, now_s, is_desk=is_desk)
    told = _entries(ticket, events, reading, only_public=only_public)
    if not is_desk or only_public:
        return told
    seen = seen_by(reader)

    def build(givens: Givens) -> QuerySet[Any]:
        found = seen.build(givens).filter(duplicate_of=givens["ticket"])
        return found.select_related("team").order_by("pk")

    for other in seen.objects(_kept, "merged", build, {"ticket": ticket.pk}):
        if not policies.reads_as_desk(reader, other):
            continue
        messages = [kind for kind in kinds().values() if kind.is_message]
        said = Event.objects.filter(ticket=other, kind__in=(*messages, TicketEvent.UNDONE))
        listed = list(said.select_related("actor").order_by("id"))
        entries = _entries(other, listed, reading, of=other.pk)
        told += [entry for entry in entries if entry["is_message"]]
    return sorted(told, key=lambda entry: (entry["at_s"], entry["id"]))


@dataclass(frozen=True)
class _Reading:
    """Who reads a conversation, when, and how things are named to them."""

    reader: Person
    names: Names
    now_s: int
    is_desk: bool


def _entries(
    ticket: Ticket,
    events: Sequence[Event],
    reading: _Reading,
    *,
    only_public: bool = False,
    of: int | None = None,
) -> list[dict[str, Any]]:
    undone = _undone(events)
    files = _files(ticket)
    said = [event.id for event in events if event.kind in _SENT] if reading.is_desk else []
    fared = messenger().deliveries(ticket.pk, said) if said else {}
    return [
        {
            **_entry(ticket, event, reading),
            "is_undone": event.id in undone,
            "files": files.get(event.id, []),
            "sent_to": fared.get(event.id, []),
            "of": of,
        }
        for event in events
        if not quiet(event) and (not only_public or _is_public(event, undone))
    ]


# Of what mail goes out in somebody's own words.
_SENT = frozenset({TicketEvent.REPLIED, TicketEvent.RESOLVED})


def _undone(events: Iterable[Event]) -> set[int]:
    return {event.facts["event"] for event in events if event.kind == TicketEvent.UNDONE}


def _is_public(event: Event, undone: set[int]) -> bool:
    kind = kind_of(event.kind)
    if kind is None or not kind.for_requester or event.id in undone:
        return False
    # Who holds it is no secret, though why it was handed over is.
    return event.audience == Audience.EVERYBODY or kind.moves_hands


def _entry(ticket: Ticket, event: Event, reading: _Reading) -> dict[str, Any]:
    kind = kind_of(event.kind)
    is_message = kind is not None and kind.is_message
    text = event.text
    if event.audience != Audience.EVERYBODY and not reading.is_desk:
        text = ""  # what happened is told, the reason is for the desk
    is_said = event.kind == TicketEvent.LOGGED
    return {
        "id": event.id,
        "at_s": event.at_s,
        "kind": event.kind,
        "is_message": is_message,
        "is_desk_only": event.audience == Audience.DESK and event.kind == TicketEvent.NOTED,
        "by_desk": bool(event.by_desk),
        "is_automatic": bool(event.is_automatic),
        "is_redacted": event.redacted_by is not None,
        "actor": _actor(event),
        "actor_id": event.actor_id,
        "text": text,
        "html": Html(text) if is_message and text else "",
        "sentence": _sentence(ticket, event, text, reading),
        "channel": event.values.get("channel", ticket.channel) if is_said else "",
        "unverified": str(event.values.get("unverified", "")) if reading.is_desk else "",
    }


def _actor(event: Event) -> str:
    return author_of(event, "Gannet")


def _sentence(ticket: Ticket, event: Event, text: str, reading: _Reading) -> str:
    """What happened, in a sentence; a requester reads none of what the desk keeps to itself."""
    kind = kind_of(event.kind)
    if kind is None:
        return f"{_actor(event)}: {event.kind}"
    values = dict(event.values) if reading.is_desk else _for_everybody(event.values)
    is_own = ticket.requester_id == reading.reader.pk
    if "changes" in values:
        values["changes"] = _levels_in_words(ticket, values["changes"])
    if event.kind == TicketEvent.LOGGED:
        values.setdefault("channel", ticket.channel)
    return kind.says(
        Telling(
            who=_actor(event),
            text="" if event.redacted_by is not None else text,
            facts=event.facts,
            values=values,
            is_automatic=bool(event.is_automatic),
            by_desk=bool(event.by_desk),
            requester="you" if is_own else ticket.requester.name,
            when=lambda at_s: due_words(at_s, reading.now_s, reading.reader.zone),
            team=reading.names.team,
            person=reading.names.person,
        )
    )


def _levels_in_words(ticket: Ticket, changes: Mapping[str, Any]) -> dict[str, Any]:
    """Changes with impact and urgency by the names that the matrix gives them."""
    found = dict(changes)
    for name in ("impact", "urgency"):
        if name in found:
            levels = edition(ticket.edition).matrix[name]
            found[name] = [
                levels[one - 1] if isinstance(one, int) and 0 < one <= len(levels) else one
                for one in found[name]
            ]
    return found


# What of an event's values is in sentences that requesters read.
_PUBLIC_VALUES = ("channel", "what", "title", "state", "by")


def _for_everybody(values: Mapping[str, Any]) -> dict[str, Any]:
    return {name: values[name] for name in _PUBLIC_VALUES if name in values}


def _files(ticket: Ticket) -> dict[int, list[dict[str, Any]]]:
    found: dict[int, list[dict[str, Any]]] = {}
    for file in Attachment.objects.filter(ticket=ticket, event_id__isnull=False):
        found.setdefault(file.event_id or 0, []).append(file_json(file))
    return found


def file_json(file: Attachment) -> dict[str, Any]:
    return {
        "id": str(file.pk),
        "name": file.name,
        "size": file.size,
        "content_type": file.content_type,
        "is_picture": file.content_type.startswith("image/"),
    }
