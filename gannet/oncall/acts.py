"""Paging as acts of every record."""

from rest_framework import serializers

from gannet.oncall import paging
from gannet.people.models import Person
from gannet.tickets.acts.registry import ActInput, Place, RecordAct, register
from gannet.tickets.models import Ticket
from gannet.web.shape import Shape
from gannet_core.lifecycle import Act


class PageShape(Shape):
    """Why whoever is on call is paged, and of which team; none for the record's own."""

    why = serializers.CharField(max_length=300, allow_blank=True)
    team = serializers.IntegerField(required=False, allow_null=True, default=None)


class AnswerPageShape(Shape):
    pass


def _has_ended(ticket: Ticket, person: Person) -> str:
    return "" if ticket.is_open else "This has ended."


def _no_page_waits(ticket: Ticket, person: Person) -> str:
    return "" if paging.calls_to(ticket, person) else paging.NOBODY_WAITS


register(
    RecordAct(
        name="page",
        label="Page on call…",
        command="Page whoever is on call about {}",
        about="Page whoever is on call for the team; the next is paged if nobody answers.",
        shape=PageShape,
        core=Act.NOTED,
        against=_has_ended,
        does=lambda n, who, d: paging.page(n, who, d["why"], d["team"]),
        asks=(ActInput(name="why", label="Why they are paged", type="lines"),),
    ),
    RecordAct(
        name="answer-page",
        label="Answer the page",
        about="You see to it: nobody else is paged for it.",
        shape=AnswerPageShape,
        core=Act.NOTED,
        place=Place.PANEL,
        against=_no_page_waits,
        is_moot=lambda ticket, person: _no_page_waits(ticket, person) != "",
        does=lambda n, who, d: paging.answer(n, who),
    ),
)
