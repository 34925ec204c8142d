"""Requests as a kind of record."""

from collections.abc import Mapping
from typing import Any

from gannet.requests.asking import named_for
from gannet.requests.fulfilment import PARTS, WHOLE, follow_parts, not_there_yet
from gannet.requests.json import approver_sees, request_json, request_path
from gannet.requests.models import KIND, facts_of
from gannet.requests.shapes import RequestShape
from gannet.rulebook.book import Book, current, edition
from gannet.tickets.field import Field
from gannet.tickets.kinds import RecordKind, Section
from gannet.tickets.models import Ticket
from gannet_core.catalogue import Cost
from gannet_core.lifecycle import REQUEST


def _cost(ticket: Ticket) -> Cost:
    facts = facts_of(ticket)
    return Cost(facts.once_pence, facts.monthly_pence)


def _form(book: Book, ticket: Ticket) -> Mapping[str, Any] | None:
    """The form of what was asked for."""
    item = facts_of(ticket).item
    offer = book.items.get(item) or book.bundles.get(item) or {}
    return book.forms.get(offer.get("form") or "")


def _of_request(name: str) -> Any:
    """A fact as conditions read it: nothing on a record that is no request."""
    return lambda ticket: getattr(facts_of(ticket), name) if ticket.kind == KIND else None


def _named_for(ticket: Ticket) -> str:
    """The newcomer whom a bundle, or a part of it, is for."""
    whole = ticket.parent if ticket.parent_id and ticket.parent else ticket
    return named_for(edition(ticket.edition).bundles.get(facts_of(whole).item) or {}, whole.values)


def _promises() -> list[str]:
    return [entry["key"] for entry in current().agreements]


REQUESTS = RecordKind(
    key=KIND,
    label="request",
    plural="requests",
    mark="R",
    lifecycle=REQUEST,
    is_logged_by_hand=False,
    facts="request_facts",
    fields=(
        Field(
            "item",
            "text",
            "item",
            "request_facts__item_name",
            _of_request("item_name"),
            is_nullable=True,
        ),
        Field(
            "delivery",
            "choice",
            "delivery SLA",
            "request_facts__delivery",
            _of_request("delivery"),
            is_nullable=True,
            values=_promises,
        ),
        Field(
            "cost once",
            "number",
            "cost once in pence",
            "request_facts__once_pence",
            _of_request("once_pence"),
            is_nullable=True,
        ),
        Field(
            "cost monthly",
            "number",
            "cost per month in pence",
            "request_facts__monthly_pence",
            _of_request("monthly_pence"),
            is_nullable=True,
        ),
    ),
    sections=(
        Section(key="request", shape=RequestShape, read=request_json, is_for_requester=True),
    ),
    endings=(PARTS, WHOLE),
    not_ready=not_there_yet,
    held=follow_parts,
    cost=_cost,
    case=lambda ticket: {"item": facts_of(ticket).item_name},
    named_for=_named_for,
    form=_form,
    approver_sees=approver_sees,
    path=request_path,
)
