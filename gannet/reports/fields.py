"""What reports can ask about records of a kind: fields, values, events, and who sees people."""

from collections.abc import Mapping, Sequence
from zoneinfo import ZoneInfo

from django.conf import settings

from gannet.people.models import Person, Role
from gannet.reports.own_values import own_expressions
from gannet.reports.source import Source
from gannet.reports.values import OF_TICKETS, Values
from gannet.rulebook.book import Book, current
from gannet.tickets.computing import computed_fields
from gannet.tickets.field import Field
from gannet.tickets.fields import registry
from gannet_core import reports as core

# Fields that name single people of the desk, and who sees figures by them where nothing is said.
BY_PERSON = ("holder", "resolver")
_SEE_PEOPLE = (Role.TEAM_LEAD, Role.MANAGER, Role.ADMINISTRATOR)
_NUMBERS = frozenset(
    {"impact", "urgency", "score", "hand-overs", "reopenings", "service.criticality",
     "ci.criticality", "item.criticality", "survey.score"}
)  # fmt: skip
_NOT_GROUPED = frozenset(
    {"title", "next step does", "announced", "unread", "needs reply", "answered", "workaround",
     "impact assumed", "urgency assumed", "open"}
)  # fmt: skip
_MOST_NUMBERS = 10_000  # that a query is given at once
_GROUPED = ("choice", "person", "team", "number", "yes/no", "text")


def zone() -> ZoneInfo:
    """The zone in which reports read the calendar."""
    return ZoneInfo(settings.ORGANISATION_ZONE)


def first_month(book: Book) -> int:
    """The month in which the financial year begins, by the rulebook."""
    return int(book.reports.get("first_month", 1))


def groupable(field: Field) -> bool:
    """Whether records can be grouped by a field."""
    if field.groups is not None or field.items_of is not None or field.through is not None:
        return False
    if field.type == "number" and not field.is_custom and field.computed is None:
        return field.name in _NUMBERS
    return field.is_instant or (field.type in _GROUPED and field.name not in _NOT_GROUPED)


def fields_of(source: Source | None, book: Book) -> Mapping[str, Field]:
    """The fields by which records of a kind are grouped."""
    every = {**registry(book), **computed_fields(book)}
    if source is None:
        return every
    mine = {one.name for one in source.fields}
    return {name: one for name, one in source.known(book).items() if name in mine or name in every}


def values_of(source: Source | None, book: Book) -> Values:
    """What records of a kind are measured by."""
    return source.values if source else {**OF_TICKETS, **own_expressions(book)}


def events_of(source: Source | None) -> Sequence[str]:
    """What can have happened to records of a kind."""
    return source.events if source else core.OF_TICKETS


def names_people(source: Source | None, name: str) -> bool:
    """Whether a field names single people of the desk."""
    return name in BY_PERSON or (source is not None and name in source.people)


def may_group_people(person: Person) -> bool:
    """Whether somebody may see figures of single people of the desk, by the rulebook."""
    said = current().reports.get("people", _SEE_PEOPLE)
    return person.has_role(*(Role(one) for one in said))
