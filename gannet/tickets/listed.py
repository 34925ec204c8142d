"""The tickets that somebody may see and a filter lets through: what lists are made of."""

import json
from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from functools import cached_property
from typing import Any

from django.db.models import Q, QuerySet

from gannet.people.models import Person
from gannet.people.roles import team_names
from gannet.rulebook import book
from gannet.tickets.computing import computed_fields
from gannet.tickets.field import Field
from gannet.tickets.models import Ticket
from gannet.tickets.orm_conditions import spellings, to_q
from gannet.tickets.policies import Sight, sight_of, visible_q
from gannet.web.kept import Givens, KeptQueries, Rows
from gannet_core.conditions import Context, check, leaves


def seen_by(person: Person) -> "Listed":
    """Every ticket that somebody may see."""
    return Listed(sight_of(person), None, Context())


def context_of(person: Person, now: datetime) -> Context:
    """Whose eyes a filter is read with."""
    return Context(now=now, me=person.name, my_teams=team_names(person))


@dataclass(frozen=True)
class Listed:
    """The tickets that somebody may see and a filter lets through, at an instant.

    A list's page, its figures and its groups are made of the same one; `shape` is all of
    it that decides the SQL, `givens` the rest (see `web.kept`).
    """

    sight: Sight
    tree: Mapping[str, Any] | None
    context: Context
    only_open: bool = False
    only_ended: bool = False
    # What else they must fulfil; such a list is compiled anew each time.
    also: Q | None = None

    def objects(
        self,
        kept: KeptQueries,
        asked: Hashable,
        build: Callable[[Givens], QuerySet[Any]],
        more: Givens | None = None,
    ) -> list[Any]:
        """As `rows`, for a queryset of models."""
        return kept.objects((self.shape, asked), build, {**self.givens, **(more or {})})

    def rows(
        self,
        kept: KeptQueries,
        asked: Hashable,
        build: Callable[[Givens], QuerySet[Any, Any]],
        more: Givens | None = None,
    ) -> Rows:
        """Rows of a query of these tickets: `asked` is what it asks of them, `more` further
        givens that it is built from."""
        givens = {**self.givens, **(more or {})}
        if self.also is not None:
            return [tuple(row) for row in build(givens)]
        return kept.rows((self.shape, asked), build, givens)

    @cached_property
    def shape(self) -> Hashable:
        sight, tree = self.sight, self.tree
        whose = (
            len(sight.teams),
            sight.is_active,
            sight.reads_desk,
            self.only_open,
            self.only_ended,
        )
        if not tree:
            return whose
        asked = json.dumps(tree, sort_keys=True)
        me = (self.context.me, tuple(self.context.my_teams)) if asks_who(tree) else ()
        return (*whose, book.number_now(), asked, me, spellings(tree))

    @cached_property
    def givens(self) -> dict[str, Any]:
        numbers = {f"team {n}": team for n, team in enumerate(self.sight.teams)}
        when = {"now": self.context.now} if self.tree and asks_when(self.tree) else {}
        return {"person": self.sight.person, **numbers, **when}

    def teams(self, givens: Givens) -> tuple[int, ...]:
        """The numbers of their teams, as the givens have them."""
        return tuple(givens[f"team {n}"] for n in range(len(self.sight.teams)))

    def sight_in(self, givens: Givens) -> Sight:
        return replace(self.sight, person=givens["person"], teams=self.teams(givens))

    def build(self, givens: Givens) -> QuerySet[Ticket]:
        """The queryset, read with these givens."""
        found = Ticket.objects.filter(visible_q(self.sight_in(givens)))
        if self.tree:
            context = replace(self.context, now=givens.get("now", self.context.now))
            found = found.filter(to_q(self.tree, context))
        if self.also is not None:
            found = found.filter(self.also)
        if self.only_open or self.only_ended:
            found = found.filter(is_open=self.only_open)
        return found

    @property
    def found(self) -> QuerySet[Ticket]:
        return self.build(self.givens)


def listed(person: Person, tree: Mapping[str, Any] | None, now: datetime) -> Listed:
    """A filter as somebody's eyes read it; `ConditionError` if it is none."""
    if tree:
        check(tree)
    context = context_of(person, now) if tree and asks_who(tree) else Context(now=now)
    return Listed(sight_of(person), tree or None, context)


def asks_who(tree: Mapping[str, Any]) -> bool:
    return any(leaf["op"] in ("is me", "is my team") for leaf in leaves(tree))


def asks_when(tree: Mapping[str, Any]) -> bool:
    fields = computed_fields(book.current())
    return any(
        leaf["op"] in ("in the last", "in the next") or asks_now(fields.get(leaf["field"]))
        for leaf in leaves(tree)
    )


def asks_now(field: Field | None) -> bool:
    """Whether what a field says changes as time passes."""
    return field is not None and field.computed is not None and field.computed.asks_now


def filtered(person: Person, tree: Mapping[str, Any] | None, now: datetime) -> QuerySet[Ticket]:
    """The tickets that a person may see and a filter lets through."""
    return listed(person, tree, now).found
