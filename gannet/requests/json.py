"""A request as its record, the portal and its approvers see it."""

from collections.abc import Mapping
from typing import Any

from django.db.models import QuerySet

from gannet.people.models import Person
from gannet.requests.models import facts_of
from gannet.rulebook.book import Book
from gannet.tickets.approval_json import answers_json, answers_of, budget_line, stages_json
from gannet.tickets.listed import seen_by
from gannet.tickets.models import Approval, ApprovalState, StageState, StateCode, Ticket
from gannet.tickets.requester_path import as_path
from gannet.tickets.states import state_name
from gannet.web.kept import Givens, KeptQueries
from gannet_core.catalogue import cost_of

_MOST_BEFORE = 3


def request_json(ticket: Ticket, reader: Person, book: Book, now_s: int) -> dict[str, Any]:
    """What was asked for and where its approval stands."""
    facts = facts_of(ticket)
    offer = book.items.get(facts.item) or book.bundles.get(facts.item) or {}
    return {
        "item": facts.item,
        "item_name": facts.item_name,
        "icon": offer.get("icon", ""),
        "is_bundle": bool(facts.is_bundle),
        "beneficiary": (ticket.beneficiary or ticket.requester).name,
        "is_for_other": ticket.beneficiary_id not in (None, ticket.requester_id),
        "once_pence": facts.once_pence,
        "monthly_pence": facts.monthly_pence,
        "planned_pence": ticket.cost_pence,
        "spent_pence": ticket.spent_pence,
        "budget_line": budget_line(ticket),
        "delivery": book.agreement_name(facts.delivery) if facts.delivery else "",
        "approval": ticket.approval,
        "answers": answers_json(ticket, book),
        "again": {
            "answers": ticket.values,
            "beneficiary": ticket.beneficiary_id,
            "chosen": list(facts.parts),
            "part_answers": facts.parts,
        },
        "stages": stages_json(ticket, now_s),
        "parts": [
            {
                "id": child.pk,
                "title": facts_of(child).item_name or child.title,
                "state": state_name(child.state),
                "is_open": child.is_open,
                "team": child.team.name,
                "holder": child.holder.name if child.holder else "",
                "approval": child.approval,
            }
            for child in _parts(ticket, reader)
        ],
        # Before they are opened: what will be.
        "parts_to_come": [] if ticket.children.exists() else parts_asked(ticket, book),
        "covered_by": ticket.parent_id
        if ticket.parent_id
        and ticket.parent
        and facts_of(ticket.parent).is_bundle
        and not ticket.route
        else None,
        "may_ask_again": not ticket.is_open
        and ticket.requester_id == reader.pk
        and bool(offer)
        and bool(offer.get("is_alone", True)),
        "may_change_answers": bool(ticket.is_open and offer.get("form"))
        and ticket.requester_id == reader.pk,
    }


_kept = KeptQueries()


def _parts(ticket: Ticket, reader: Person) -> list[Ticket]:
    """The parts of a request that somebody may know of."""
    seen = seen_by(reader)

    def build(givens: Givens) -> QuerySet[Any]:
        found = seen.build(givens).filter(parent=givens["whole"]).order_by("id")
        return found.select_related("team", "holder", "request_facts")

    return seen.objects(_kept, "parts", build, {"whole": ticket.pk})


def approver_sees(asked: Approval, book: Book) -> Mapping[str, Any]:
    """What an approver sees of a request: why, its parts, and what the same person had before."""
    ticket, facts = asked.ticket, facts_of(asked.ticket)
    before = Approval.objects.none()
    if facts.item:
        before = Approval.objects.filter(
            ticket__beneficiary=ticket.beneficiary or ticket.requester,
            ticket__request_facts__item=facts.item,
            state=ApprovalState.APPROVED,
        ).exclude(ticket=ticket)
    rows = before.order_by("-decided_s").values_list("ticket_id", "decided_s", "decided_by__name")
    first = ticket.events.filter(kind="logged").first()
    return {
        "why": first.text if first else "",
        "parts": parts_asked(ticket, book),
        "before": [
            {"ticket": number, "decided_s": at_s, "by": name or ""}
            for number, at_s, name in rows[:_MOST_BEFORE]
        ],
    }


def parts_asked(ticket: Ticket, book: Book) -> list[dict[str, Any]]:
    """The parts of a request as they were asked for: what each costs, and its answers."""
    found = []
    for key, answers in facts_of(ticket).parts.items():
        item = book.items.get(key)
        if item is None:
            continue
        cost = cost_of(item)
        found.append(
            {
                "item": key,
                "name": str(item["name"]),
                "once_pence": cost.once_pence,
                "monthly_pence": cost.monthly_pence,
                "answers": answers_of(answers, book),
            }
        )
    return found


def request_path(ticket: Ticket) -> list[dict[str, Any]]:
    """The steps of a request as who asked sees them: the stages of its route among them."""
    asked: list[tuple[str, int | None]] = [("Requested", ticket.opened_s)]
    for stage in ticket.stages.all():  # of a list of them, they have been read already
        if stage.state in (StageState.SKIPPED, StageState.DROPPED):
            continue
        done = stage.ended_s if stage.state == StageState.APPROVED else None
        label = f"{stage.name} refused" if stage.state == StageState.REFUSED else stage.name
        asked.append((label, done or (stage.ended_s if not ticket.is_open else None)))
    if ticket.state == StateCode.CANCELLED:
        ending = "Not approved" if ticket.approval == "refused" else "Cancelled"
        return as_path([*asked, (ending, ticket.closed_s)], None)
    is_waiting = ticket.state == StateCode.WAITING and ticket.waiting_on == "requester"
    if is_waiting:
        asked = [step for step in asked if step[1]] + [("Waiting for you", None)]
        return as_path(asked, ("Delivered", None))
    done = ticket.resolved_s if not ticket.is_open else None
    if ticket.approval == "pending":
        first = next((n for n, step in enumerate(asked) if step[1] is None), len(asked) - 1)
        path = as_path([*asked, (f"With {ticket.team.name}", None)], ("Delivered", None))
        for index, step in enumerate(path):
            step["is_now"], step["is_done"] = index == first, index < first
        return path
    return as_path([*asked, (f"With {ticket.team.name}", done)], ("Delivered", done))
