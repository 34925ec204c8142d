"""What changed since somebody looked: a write conflicts only with what it would overwrite.

A ticket keeps, for each thing that people set on it, the version at which it last changed
and who changed it. A write says which of them it overwrites; a note, an alert or an
escalation step makes nobody's open dialog stale.
"""

from collections.abc import Iterable, Mapping
from typing import Any

from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Stale

STATE = "state"
# What is watched beside the rulebook's own fields, with its name in a sentence.
WATCHED: Mapping[str, str] = {
    "title": "the title",
    "service": "the service",
    "ci": "the configuration item",
    "category": "the category",
    "place": "the place",
    "requester": "the requester",
    "impact": "the impact",
    "urgency": "the urgency",
    "priority": "the priority",
    "tags": "the tags",
    "status": "the status",
    "team": "the team",
    "holder": "the holder",
    STATE: "the state",
}
_REFERENCES = frozenset({"service", "ci", "requester", "team", "holder"})
_WAIT = ("waiting_on", "waiting_supplier", "waiting_reason", "waiting_until_s")


def watched(ticket: Ticket) -> dict[str, Any]:
    """The values of everything that is watched, to be compared later."""
    found = {name: _value(ticket, name) for name in WATCHED}
    return {**found, **ticket.values}


def _value(ticket: Ticket, name: str) -> Any:
    if name == STATE:
        return (int(ticket.state), *(getattr(ticket, column) for column in _WAIT))
    value = getattr(ticket, f"{name}_id" if name in _REFERENCES else name)
    return list(value) if isinstance(value, list) else value


def note_changes(ticket: Ticket, before: Mapping[str, Any], person_id: int | None) -> None:
    """Keep at which version, and by whom, what is watched has changed; nobody is Gannet."""
    after = watched(ticket)
    for name in {*before, *after}:
        if before.get(name) != after.get(name):
            ticket.changed_at_version[name] = [ticket.version, person_id]


def check(ticket: Ticket, book: Book, seen_version: int | None, overwrites: Iterable[str]) -> None:
    """Refuse a write over what somebody changed since `seen_version`, saying what and who."""
    if seen_version is None or seen_version == ticket.version:
        return
    crossed = {
        name: ticket.changed_at_version[name][1]
        for name in overwrites
        if ticket.changed_at_version.get(name, [0])[0] > seen_version
    }
    if not crossed:
        return
    people = Person.objects.in_bulk([key for key in crossed.values() if key is not None])
    said = [
        f"{people[key].name if key in people else 'Gannet'} changed {_label(book, name)}"
        f"{_to(ticket, name)}"
        for name, key in crossed.items()
    ]
    raise Stale(
        f"{'; '.join(said)}, since you opened it.",
        version=ticket.version,
        changed=sorted(crossed),
    )


def _label(book: Book, name: str) -> str:
    if name in WATCHED:
        return WATCHED[name]
    return str(book.fields.get(name, {}).get("label") or name)


def _to(ticket: Ticket, name: str) -> str:
    value: Any = ticket.values.get(name)
    if name == STATE:
        value = state_name(ticket.state)
    elif name == "priority":
        value = f"P{ticket.priority}"
    elif name == "tags":
        value = ", ".join(ticket.tags)
    elif name in _REFERENCES:
        thing = getattr(ticket, name)
        value = "nobody" if thing is None and name == "holder" else getattr(thing, "name", None)
    elif name in WATCHED:
        value = getattr(ticket, name)
    return f" to {value}" if value not in (None, "", []) else ""
