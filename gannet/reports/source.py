"""A kind of record that reports count: which there are, what happened to them, what they say.

Tickets are one; the others stand beside tickets (their tasks, approvals, waits…) or by
themselves (articles, items). Each has fields of its own, and those of its ticket.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import partial
from typing import Any

from django.db.models import Model, Q, QuerySet

from gannet.people.models import Person, Team
from gannet.reports.values import Values
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.field import Field
from gannet.tickets.list_fields import list_registry
from gannet.tickets.listed import context_of
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import joined, leaf_q, to_q
from gannet_core import reports as core
from gannet_core.conditions import Context, Tree, check

_PREFIX = "ticket__"


def own(
    name: str,
    type_: str,
    label: str,
    path: str,
    *,
    is_nullable: bool = False,
    is_instant: bool = False,
    values: Callable[[], list[str]] = list,
    folded: str = "",
) -> Field:
    """A field that a kind of record has of its own, read by the database alone."""
    return Field(
        name, type_, label, path, lambda _: None, folded=folded, is_nullable=is_nullable,
        is_instant=is_instant, values=values,
    )  # fmt: skip


def somebody(name: str, label: str, path: str) -> Field:
    """A person, by name."""
    return own(
        name, "person", label, f"{path}__name", is_nullable=True, folded=f"{path}__name_folded"
    )


def team(name: str, label: str, path: str) -> Field:
    """A team, by name."""
    return own(
        name, "team", label, f"{path}__name", is_nullable=True,
        values=lambda: list(Team.objects.values_list("name", flat=True)),
    )  # fmt: skip


def words(name: str, label: str, path: str, values: Callable[[], list[str]]) -> Field:
    """One of some words."""
    return own(name, "choice", label, path, values=values)


def moment(name: str, label: str, path: str) -> Field:
    """An instant of its own."""
    return own(name, "instant", label, path, is_nullable=True, is_instant=True)


@dataclass(frozen=True)
class Source:
    """One kind of record beside tickets.

    `events` are what can be counted of it: fields of moments by which records fall into a span,
    and perhaps what is open; `came` and `gone` are the paths of the moments between which one is
    open. `values` are what it is measured by, `people` the fields that name people of the desk.
    `title` is the path of what it is called, `link` what opens (ticket, article, item) and the
    path of its number; `on_ticket` says that it stands beside one.
    """

    key: str
    plural: str
    about: str
    model: type[Model]
    fields: Sequence[Field]
    events: Sequence[str]
    title: str
    link: tuple[str, str] = ("ticket", "ticket_id")
    values: Values = field(default_factory=dict)
    came: str = ""
    gone: str = ""
    people: Sequence[str] = ()
    on_ticket: bool = True
    only: Q = field(default_factory=Q)
    # Which of them anybody may know of; what is confidential of a ticket is told apart anyway.
    is_open: Q = field(default_factory=Q)
    # What somebody wrote with one, beside what it is called.
    says: Callable[[], Any] | None = None
    # Which of them somebody may know of, where that is not what they know of its ticket.
    seen: Callable[[Person], QuerySet[Any]] | None = None

    def known(self, book: Book) -> Mapping[str, Field]:
        """The fields that conditions can ask about and groups are made by."""
        name = f"report fields of {self.key}"
        if name not in book.kept:
            theirs = _of_ticket(book) if self.on_ticket else {}
            mine = {one.name: one for one in self.fields}
            others = {key: one for key, one in theirs.items() if key not in mine}
            book.kept[name] = {**mine, **others}
        found: Mapping[str, Field] = book.kept[name]
        return found

    def rows(self, person: Person, tree: Tree | None, now: datetime, book: Book) -> QuerySet[Any]:
        """Those that somebody may know of and that a condition lets through."""
        found = self.seen(person) if self.seen else self.model._default_manager.all()
        found = found.filter(self.only).order_by()
        if self.on_ticket:
            found = found.filter(policies.visible_q(person, _PREFIX))
        if not tree:
            return found
        fields = self.known(book)
        check(tree, {name: one.about() for name, one in fields.items()})
        mine = {one.name for one in self.fields}
        read = partial(_leaf, context=context_of(person, now), fields=fields, own=mine)
        return found.filter(joined(tree, read))

    def opened(self, now_s: int) -> Q | None:
        """Which are open now; nothing where none ever is."""
        if not self.came:
            return None
        return Q(**{f"{self.came}__lte": now_s, f"{self.gone}__isnull": True})


def _of_ticket(book: Book) -> dict[str, Field]:
    """The fields of tickets, as read from what stands beside one."""
    return {
        name: replace(
            one,
            path=f"{_PREFIX}{one.path}",
            folded=f"{_PREFIX}{one.folded}" if one.folded else "",
            written=f"{_PREFIX}{one.written}" if one.written else "",
            prefix=_PREFIX,
        )
        for name, one in list_registry(book).items()
    }


def _leaf(leaf: Tree, *, context: Context, fields: Mapping[str, Field], own: Iterable[str]) -> Q:
    if leaf["field"] in own:
        return leaf_q(fields[leaf["field"]], leaf["op"], leaf.get("value"), context)
    return Q(ticket__in=Ticket.objects.filter(to_q(leaf, context)).values("pk"))


def ways_of(key: str) -> Sequence[str]:
    """How a value is summed up."""
    if key in (core.RECORDS, core.CAME, core.WENT):
        return (core.COUNT,)
    if key in core.VALUES and core.VALUES[key].is_share:
        return (core.SHARE,)
    return core.AGGREGATES
