"""Fields that only lists can ask about: whole texts, and what a person keeps for themselves.

Reading one costs a query, and some depend on whose eyes look; so rules, scopes and forms
do not know them.
"""

from collections.abc import Mapping
from typing import Any

from gannet.audit.models import Event
from gannet.rulebook.book import Book, current
from gannet.tickets.computing import computed_fields
from gannet.tickets.field import Field
from gannet.tickets.fields import registry
from gannet.tickets.models import Approval, ApprovalState, Follower, Mark, Task, TaskState, Ticket


def _talk(ticket: Ticket) -> str:
    texts = Event.objects.filter(ticket_id=ticket.pk).exclude(text="").order_by("id")
    return "\n".join([ticket.title, *texts.values_list("text", flat=True)])


def _people(model: Any, person: str, **only: Any) -> Any:
    def read(ticket: Ticket) -> list[str]:
        rows = model.objects.filter(ticket=ticket, **only)
        return list(rows.values_list(f"{person}__name", flat=True))

    return read


def _through(model: Any, person: str, **only: Any) -> Any:
    return lambda: model.objects.filter(**only), person


_FIELDS = [
    Field("words", "words", "words", "", _talk),
    Field(
        "follower",
        "person",
        "followed by",
        "followers__person__name",
        _people(Follower, "person"),
        through=_through(Follower, "person"),
        is_nullable=True,
    ),
    Field(
        "marked by",
        "person",
        "marked for later by",
        "marks__person__name",
        _people(Mark, "person"),
        through=_through(Mark, "person"),
        is_nullable=True,
    ),
    Field(
        "task holder",
        "person",
        "has an open task of",
        "tasks__person__name",
        _people(Task, "person", state=TaskState.OPEN, person__isnull=False),
        through=_through(Task, "person", state=TaskState.OPEN, person__isnull=False),
        is_nullable=True,
    ),
    Field(
        "approver",
        "person",
        "waits for an approval by",
        "approvals__asked_of__name",
        _people(Approval, "asked_of", state=ApprovalState.PENDING),
        through=_through(Approval, "asked_of", state=ApprovalState.PENDING),
        is_nullable=True,
    ),
]

LIST_ONLY: Mapping[str, Field] = {field.name: field for field in _FIELDS}


def list_registry(book: Book | None = None) -> Mapping[str, Field]:
    """Every field that a list can be filtered by."""
    book = book or current()
    if "list registry" not in book.kept:
        book.kept["list registry"] = {
            **LIST_ONLY,
            **registry(book),
            **computed_fields(book),
        }
    found: Mapping[str, Field] = book.kept["list registry"]
    return found


def about_list_fields(book: Book | None = None) -> Mapping[str, Mapping[str, Any]]:
    """What the core needs to know of each field that a list can ask about."""
    book = book or current()
    if "about list" not in book.kept:
        book.kept["about list"] = {
            name: field.about() for name, field in list_registry(book).items()
        }
    found: Mapping[str, Mapping[str, Any]] = book.kept["about list"]
    return found
