"""A request as its record and the portal show it: what, for whom, at what cost, and its path."""

from datetime import date
from typing import Any

from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import forms, policies
from gannet.tickets.directory import deputies_at
from gannet.tickets.models import Approval, Ask, StateCode, Through, Ticket

_MOST_BEFORE = 3


def request_json(ticket: Ticket, reader: Person, book: Book, now_s: int) -> dict[str, Any] | None:
    """What was asked for and where its approval stands; None for what is no request."""
    if ticket.kind != "request":
        return None
    offer = book.items.get(ticket.item) or book.bundles.get(ticket.item) or {}
    sees = policies.visible_to(reader)
    return {
        "item": ticket.item,
        "item_name": ticket.item_name,
        "icon": offer.get("icon", ""),
        "is_bundle": bool(ticket.is_bundle),
        "beneficiary": (ticket.beneficiary or ticket.requester).name,
        "is_for_other": ticket.beneficiary_id not in (None, ticket.requester_id),
        "once_pence": ticket.once_pence,
        "monthly_pence": ticket.monthly_pence,
        "planned_pence": ticket.cost_pence,
        "spent_pence": ticket.spent_pence,
        "budget_line": _budget_line(ticket),
        "delivery": book.agreement_name(ticket.delivery) if ticket.delivery else "",
        "approval": ticket.approval,
        "answers": answers_json(ticket, book),
        "again": {
            "answers": ticket.values,
            "beneficiary": ticket.beneficiary_id,
            "chosen": list(ticket.parts),
            "part_answers": ticket.parts,
        },
        "stages": stages_json(ticket, now_s),
        "parts": [
            {
                "id": child.pk,
                "title": child.item_name or child.title,
                "state": StateCode(child.state).label,
                "is_open": bool(child.is_open),
                "team": child.team.name,
                "holder": child.holder.name if child.holder else "",
                "approval": child.approval,
            }
            for child in sees.filter(parent=ticket).select_related("team", "holder").order_by("id")
        ],
        "covered_by": ticket.parent_id
        if ticket.parent_id and ticket.parent and ticket.parent.is_bundle
        else None,
        "may_ask_again": not ticket.is_open
        and ticket.requester_id == reader.pk
        and bool(offer)
        and bool(offer.get("is_alone", True)),
        "may_change_answers": bool(ticket.is_open and offer.get("form"))
        and ticket.requester_id == reader.pk,
    }


def _budget_line(ticket: Ticket) -> str:
    centre = (ticket.beneficiary or ticket.requester).cost_centre
    return str(centre) if centre else ""


def answers_json(ticket: Ticket, book: Book) -> list[dict[str, str]]:
    """The answers of a request in words."""
    about = forms.about(book)
    found = []
    for name, value in ticket.values.items():
        if name in about:
            label = str(about[name]["label"])
            words = _words(value, str(about[name]["type"]))
            found.append({"field": name, "label": label, "value": words})
    return found


def _words(value: object, kind: str) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if kind == "date":
        try:
            day = date.fromisoformat(str(value))
        except ValueError:
            return str(value)
        return f"{day:%A} {day.day} {day:%B %Y}"
    if kind == "money" and isinstance(value, (int, float)):
        return f"£{value:,.2f}".removesuffix(".00")
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)


def stages_json(ticket: Ticket, now_s: int) -> list[dict[str, Any]]:
    """The route as a path: skipped and why, decided by whom, waiting on whom since when."""
    found = []
    for stage in ticket.stages.prefetch_related("asked__asked_of", "asked__decided_by"):
        rows = list(stage.asked.all())
        pending = [row.asked_of_id for row in rows if row.state == Ask.PENDING]
        deputies = deputies_at(pending, now_s) if pending else {}
        names = dict(
            Person.objects.filter(
                pk__in=[one for many in deputies.values() for one in many]
            ).values_list("id", "name")
        )
        found.append(
            {
                "name": stage.name,
                "state": stage.state,
                "because": stage.because,
                "notes": stage.notes,
                "needs": _needs(stage.quorum, len(rows)),
                "since_s": stage.since_s,
                "ended_s": stage.ended_s,
                "decide_by_s": stage.decide_by_s,
                "people": [
                    {
                        "name": row.asked_of.name,
                        "state": row.state,
                        "because": row.because,
                        "reason": row.reason,
                        "question": row.question,
                        "decided_s": row.decided_s,
                        "decided_by": row.decided_by.name
                        if row.decided_by and row.decided_by_id != row.asked_of_id
                        else "",
                        "through": row.get_through_display()
                        if row.through not in ("", Through.SIGNED_IN)
                        else "",
                        "is_old": row.round != stage.round,
                        "deputies": [
                            names[one]
                            for one in deputies.get(row.asked_of_id, [])
                            if row.state == Ask.PENDING and one in names
                        ],
                    }
                    for row in rows
                ],
            }
        )
    return found


def _needs(quorum: object, asked: int) -> str:
    if asked < 2 or quorum == "any":
        return ""
    return "all of them" if quorum == "all" else f"{quorum['of']} of them"  # type: ignore[index]


def asked_json(asked: Approval, reader: Person, book: Book) -> dict[str, Any]:
    """What an approver sees beyond the question: for whom, why, cost, what came before."""
    ticket = asked.ticket
    beneficiary = ticket.beneficiary or ticket.requester
    before = (
        Approval.objects.filter(
            ticket__beneficiary=beneficiary, ticket__item=ticket.item, state=Ask.APPROVED
        )
        .exclude(ticket=ticket)
        .exclude(ticket__item="")
        .order_by("-decided_s")
        .values_list("ticket_id", "decided_s", "decided_by__name")[:_MOST_BEFORE]
    )
    first = ticket.events.filter(kind="logged").first()
    return {
        "is_staged": asked.stage_id is not None,
        "for_whom": beneficiary.name,
        "because": asked.because,
        "instead_of": asked.instead_of.name if asked.instead_of else "",
        "for_deputy": asked.asked_of.name if asked.asked_of_id != reader.pk else "",
        "why": first.text if first and ticket.kind == "request" else "",
        "budget_line": _budget_line(ticket),
        "monthly_pence": ticket.monthly_pence,
        "answers": answers_json(ticket, book),
        "parts": [str(book.items[key]["name"]) for key in ticket.parts if key in book.items],
        "question": asked.question,
        "before": [
            {"ticket": number, "decided_s": at_s, "by": name or ""} for number, at_s, name in before
        ],
    }
