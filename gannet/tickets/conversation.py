"""A ticket's conversation: messages and what happened between them, as one may see it.

The messages of duplicates that were merged into a ticket stand among its own, each with the
number it came from, so that nobody has to read two pages to know what was said.
"""

from collections.abc import Iterable, Sequence
from typing import Any

from gannet.audit.models import Audience, Event, Kind
from gannet.people.models import Person, Team
from gannet.tickets import policies
from gannet.tickets.models import Attachment, Ticket
from gannet.web.markdown import Html

# What stands in the conversation; the rest is history (drawn in the lifeline).
_MESSAGES = {Kind.LOGGED, Kind.REPLIED, Kind.NOTED, Kind.REQUESTER_WROTE}
_QUIET = {Kind.OPENED, Kind.PROMISED, Kind.MAILED, Kind.DENIED}
# What an automatic event says of itself, for the desk.
_TOLD_VALUES = (
    "name",
    "when",
    "did",
    "why",
    "by",
    "set",
    "titles",
    "title",
    "state",
    "people",
    "edition",
    "minutes",
    "what",
    "how",
    "through",
    "unverified",
    "other",
    "into",
    "system",
    "key",
    "log",
    "score",
    "answers",
    "cost_pence",
    "sender",
    "copies",
    "outside",
    "to_requester",
    "cause",
    "article",
    "alert",
    "outputs",
)
_FOR_REQUESTER = (
    Kind.LOGGED,
    Kind.TAKEN,
    Kind.HANDED_OVER,
    Kind.REPLIED,
    Kind.REQUESTER_WROTE,
    Kind.WAITING,
    Kind.RESUMED,
    Kind.RESOLVED,
    Kind.REOPENED,
    Kind.CLOSED,
    Kind.CANCELLED,
    Kind.ROUTE_ENDED,
    Kind.ASKED_BACK,
    Kind.ANSWERS_CHANGED,
    Kind.CHILD_ENDED,
)


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


def quiet(event: Event) -> bool:
    """Whether an event is left out of what people read: it is the machinery's own."""
    return event.kind in _QUIET


def conversation(
    ticket: Ticket,
    events: Sequence[Event],
    names: Names,
    reader: Person,
    *,
    is_desk: bool,
    only_public: bool = False,
) -> list[dict[str, Any]]:
    """Messages and happenings in order; what was taken back is shown as such.

    The desk also reads what was said on duplicates that it may see; a requester does not,
    for that was said to somebody else.
    """
    told = _entries(ticket, events, names, is_desk=is_desk, only_public=only_public)
    if not is_desk or only_public:
        return told
    merged = policies.visible_to(reader).filter(duplicate_of=ticket)
    for other in merged.select_related("team").order_by("pk"):
        if not policies.reads_as_desk(reader, other):
            continue
        said = Event.objects.filter(ticket=other, kind__in=(*_MESSAGES, Kind.UNDONE))
        listed = list(said.select_related("actor").order_by("id"))
        entries = _entries(other, listed, names, is_desk=True, only_public=False, of=other.pk)
        told += [entry for entry in entries if entry["is_message"]]
    return sorted(told, key=lambda entry: (entry["at_s"], entry["id"]))


def _entries(
    ticket: Ticket,
    events: Sequence[Event],
    names: Names,
    *,
    is_desk: bool,
    only_public: bool,
    of: int | None = None,
) -> list[dict[str, Any]]:
    undone = _undone(events)
    files = _files(ticket)
    return [
        {
            **_entry(ticket, event, names, is_desk=is_desk),
            "is_undone": event.id in undone,
            "files": files.get(event.id, []),
            "of": of,
        }
        for event in events
        if event.kind not in _QUIET and (not only_public or _is_public(event, undone))
    ]


def _undone(events: Iterable[Event]) -> set[int]:
    return {event.facts["event"] for event in events if event.kind == Kind.UNDONE}


def _is_public(event: Event, undone: set[int]) -> bool:
    is_told = event.audience == Audience.EVERYBODY or event.kind in _FOR_REQUESTER[1:3]
    return event.kind in _FOR_REQUESTER and is_told and event.id not in undone


def _entry(ticket: Ticket, event: Event, names: Names, *, is_desk: bool) -> dict[str, Any]:
    is_message = event.kind in _MESSAGES
    text = event.text
    if event.kind == Kind.HANDED_OVER and not is_desk:
        text = ""  # the reason is for the new holder
    return {
        "id": event.id,
        "at_s": event.at_s,
        "kind": event.kind,
        "is_message": is_message,
        "is_desk_only": event.audience == Audience.DESK and event.kind == Kind.NOTED,
        "by_desk": bool(event.by_desk),
        "is_automatic": bool(event.is_automatic),
        "is_redacted": event.redacted_by is not None,
        "actor": event.actor.name if event.actor else "Gannet",
        "actor_id": event.actor_id,
        "text": text,
        "html": Html(text) if is_message and text else "",
        "details": _details(ticket, event, names, is_desk=is_desk),
    }


def _details(ticket: Ticket, event: Event, names: Names, *, is_desk: bool) -> dict[str, Any]:
    details = {**event.facts}
    if is_desk:
        details["changes"] = event.values.get("changes", {})
        for name in _TOLD_VALUES:
            if name in event.values:
                details[name] = event.values[name]
    if event.kind == Kind.LOGGED:
        details["channel"] = event.values.get("channel", ticket.channel)
    for key in ("team", "from_team"):
        if details.get(key):
            details[key] = names.team(details[key])
    if details.get("person"):
        details["person"] = names.person(details["person"])
    return details


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
