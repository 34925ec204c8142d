"""Setting a field of a ticket by its name, as rules, steps, templates and imports do.

The value is the one that people and conditions see ("P2", "Boarding gates"), so that the
rulebook stays readable; a value that does not exist is `Invalid` and says so.
"""

from collections.abc import Callable, Mapping
from typing import Any

from django.utils import timezone

from gannet.estate.models import ConfigItem, Service
from gannet.rulebook.book import Book
from gannet.tickets.custom_conditions import joined
from gannet.tickets.fields import registry
from gannet.tickets.known import as_kept, why_unknown
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Invalid
from gannet_core.conditions import fold, is_empty
from gannet_core.errors import PriorityError
from gannet_core.forms import wrong_value
from gannet_core.priority import priority_of

# A change of one of these chooses the agreement again.
RETARGETS = frozenset({"priority", "impact", "urgency", "service", "place", "category", "ci"})


def set_field(ticket: Ticket, name: str, value: Any, book: Book) -> None:
    """Set one field; the caller records it and follows up."""
    field = registry(book).get(name)
    if field is None or not field.is_settable:
        raise Invalid(f"{name} cannot be set.", fields={name: "Not a field that can be set."})
    if field.is_custom:
        set_custom(ticket, name, value, book)
        return
    _SETTERS[name](ticket, value, book)


def set_custom(ticket: Ticket, name: str, value: Any, book: Book) -> None:
    """Set a custom field of the rulebook, checked against its type."""
    entry = book.fields[name]
    if not is_empty(value):
        value = as_kept(value, entry)
        wrong = wrong_value(value, entry, today=timezone.localdate()) or why_unknown(value, entry)
        if wrong:
            raise Invalid(f"{entry['label']}: {wrong}", fields={name: wrong})
    values = {key: kept for key, kept in ticket.values.items() if key != name}
    if not is_empty(value):
        values[name] = value
    ticket.values = values
    ticket.values_folded = {key: folded(kept) for key, kept in values.items()}


def set_tags(ticket: Ticket, tags: list[str]) -> None:
    """Replace the tags; blanks and doubles are dropped."""
    kept: dict[str, str] = {}
    for tag in tags:
        words = " ".join(str(tag).replace("|", " ").split())[:40]
        if words:
            kept.setdefault(fold(words), words)
    ticket.tags = list(kept.values())[:30]
    ticket.tags_folded = joined(ticket.tags)


def folded(value: Any) -> Any:
    """A custom value as its column holds it for comparing."""
    if isinstance(value, list):
        return joined(value)
    return fold(value) if isinstance(value, str) else value


def follow_matrix(ticket: Ticket, book: Book) -> bool:
    """Read the priority off the matrix again; says whether it became another."""
    try:
        answer = priority_of(book.matrix, ticket.impact, ticket.urgency)
    except PriorityError as error:
        raise Invalid(str(error), fields={"impact": str(error)}) from error
    changed = answer.priority != ticket.priority
    ticket.priority, ticket.priority_reason = answer.priority, ""
    return changed


def set_level(ticket: Ticket, axis: str, value: int) -> bool:
    """Set impact or urgency as somebody said it; says whether it was only assumed before."""
    was_assumed = bool(getattr(ticket, f"is_{axis}_assumed"))
    setattr(ticket, axis, value)
    setattr(ticket, f"is_{axis}_assumed", 0)
    return was_assumed


def _level(axis: str) -> Callable[[Ticket, Any, Book], None]:
    def setter(ticket: Ticket, value: Any, book: Book) -> None:
        count = len(book.matrix[axis])
        if not isinstance(value, int) or isinstance(value, bool) or not 1 <= value <= count:
            raise Invalid(f"There is {axis} 1 to {count}.", fields={axis: "Not a level."})
        set_level(ticket, axis, value)

    return setter


def _priority(ticket: Ticket, value: Any, book: Book) -> None:
    known = {f"P{number}": number for number in book.priorities}
    if value not in known:
        raise Invalid(f"There is no priority {value}.", fields={"priority": "Not a priority."})
    ticket.priority = known[value]


def _service(ticket: Ticket, value: Any, book: Book) -> None:
    found = None
    if not is_empty(value):
        found = Service.objects.select_related("team", "owner").filter(name=value).first()
        if found is None:
            raise Invalid(f"There is no service {value}.", fields={"service": "Not a service."})
    ticket.service = found
    if found and found.category:
        ticket.category = found.category


def _ci(ticket: Ticket, value: Any, book: Book) -> None:
    ticket.ci = None
    if not is_empty(value):
        ticket.ci = ConfigItem.objects.filter(name=value).first()
        if ticket.ci is None:
            raise Invalid(f"There is no {value}.", fields={"ci": "Not a configuration item."})


def _category(ticket: Ticket, value: Any, book: Book) -> None:
    if not is_empty(value) and value not in book.categories:
        raise Invalid(f"There is no category {value}.", fields={"category": "Not a category."})
    ticket.category = value or ""


def _status(ticket: Ticket, value: Any, book: Book) -> None:
    if is_empty(value):
        ticket.status = ""
        return
    stage = state_name(ticket.state)
    fits = {entry["key"] for entry in book.states if entry["stage"] == stage}
    if value not in fits:
        raise Invalid(
            f"{value} is no status of a ticket that is {stage}.", fields={"status": stage}
        )
    ticket.status = value


def _text(name: str, most: int) -> Callable[[Ticket, Any, Book], None]:
    def setter(ticket: Ticket, value: Any, book: Book) -> None:
        words = " ".join(str(value or "").split())[:most]
        if name == "title" and not words:
            raise Invalid("A ticket needs a title.", fields={"title": "This is empty."})
        setattr(ticket, name, words)

    return setter


def _flag(name: str) -> Callable[[Ticket, Any, Book], None]:
    def setter(ticket: Ticket, value: Any, book: Book) -> None:
        setattr(ticket, name, int(bool(value)))

    return setter


_SETTERS: Mapping[str, Callable[[Ticket, Any, Book], None]] = {
    "title": _text("title", 200),
    "place": _text("place", 80),
    "impact": _level("impact"),
    "urgency": _level("urgency"),
    "priority": _priority,
    "service": _service,
    "ci": _ci,
    "category": _category,
    "status": _status,
    "suggested as major": _flag("is_major_suggested"),
    "confidential": _flag("is_confidential"),
}
