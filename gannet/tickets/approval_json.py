"""What is asked of approvers, and how far a route has come, as pages show it."""

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.conf import settings
from django.db.models import QuerySet

from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import forms
from gannet.tickets.directory import deputies_at
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Approval, ApprovalState, RouteStage, Through, Ticket
from gannet.web.kept import Givens, KeptQueries
from gannet_core.catalogue import Cost


def budget_line(ticket: Ticket) -> str:
    """The cost centre that pays for what is for somebody."""
    centre = (ticket.beneficiary or ticket.requester).cost_centre
    return str(centre) if centre else ""


def answers_json(ticket: Ticket, book: Book) -> list[dict[str, str]]:
    """The answers of a request in words."""
    return answers_of(ticket.values, book)


def answers_of(values: Mapping[str, Any], book: Book) -> list[dict[str, str]]:
    """Answers in words, with the labels of their fields."""
    about = forms.about(book)
    found = []
    for name, value in values.items():
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
        return f"{settings.CURRENCY_SIGN}{value:,.2f}".removesuffix(".00")
    return ", ".join(map(str, value)) if isinstance(value, list) else str(value)


_kept = KeptQueries()


def _stages_of(givens: Givens) -> QuerySet[Any]:
    return RouteStage.objects.filter(ticket=givens["ticket"])


def _asked_of(givens: Givens) -> QuerySet[Any]:
    found = Approval.objects.filter(ticket=givens["ticket"], stage__isnull=False)
    return found.select_related("asked_of", "decided_by").order_by("id")


def _names(numbers: Sequence[int]) -> dict[int, str]:
    if not numbers:
        return {}
    return dict(Person.objects.filter(pk__in=numbers).values_list("id", "name"))


def stages_json(ticket: Ticket, now_s: int) -> list[dict[str, Any]]:
    """The route as a path: skipped and why, decided by whom, waiting on whom since when."""
    found = []
    stages = _kept.objects("stages", _stages_of, {"ticket": ticket.pk})
    asked: dict[int, list[Approval]] = {}
    for row in _kept.objects("asked", _asked_of, {"ticket": ticket.pk}) if stages else []:
        asked.setdefault(row.stage_id, []).append(row)
    for stage in stages:
        rows = asked.get(stage.pk, [])
        pending = [row.asked_of_id for row in rows if row.state == ApprovalState.PENDING]
        deputies = deputies_at(pending, now_s) if pending else {}
        own = (ticket.requester_id, ticket.beneficiary_id)
        deputies = {who: [one for one in them if one not in own] for who, them in deputies.items()}
        names = _names([one for many in deputies.values() for one in many])
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
                        "answered": row.answered,
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
                            if row.state == ApprovalState.PENDING and one in names
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


def asked_lines(asked: Approval, reader: Person, book: Book) -> str:
    """What a mail says of a question: what, for whom, its cost, why, its answers and parts,
    and what the same person was approved before; a line for each that there is."""
    shown = asked_json(asked, reader, book)
    once, monthly = asked.cost_pence or 0, shown["monthly_pence"]
    lines = [
        ("What", asked.what),
        ("For", shown["for_whom"]),
        ("Cost", cost_words(Cost(once, monthly))),
        ("Cost centre", shown["budget_line"]),
        ("Why", shown["why"]),
        *((one["label"], one["value"]) for one in shown["answers"]),
        *(
            (
                "With it",
                f"{part['name']} ({cost_words(Cost(part['once_pence'], part['monthly_pence']))})"
                + "".join(f"; {one['label']}: {one['value']}" for one in part["answers"]),
            )
            for part in shown["parts"]
        ),
        *((f"You asked: {one['question']}", one["answer"]) for one in shown["answered"]),
        *(("Approved before", f"{one['ticket']} by {one['by']}") for one in shown["before"]),
    ]
    return "\n".join(f"{label}: {words}" for label, words in lines if words)


def cost_words(cost: Cost) -> str:
    """A cost in the currency of the place: once, a month, both or none."""
    sign = settings.CURRENCY_SIGN
    once = f"{sign}{cost.once_pence / 100:,.2f}" if cost.once_pence else ""
    monthly = f"{sign}{cost.monthly_pence / 100:,.2f} a month" if cost.monthly_pence else ""
    return " and ".join(one for one in (once, monthly) if one) or "no cost"


def asked_json(asked: Approval, reader: Person, book: Book) -> dict[str, Any]:
    """What an approver sees beyond the question: for whom, why, cost, what came before."""
    ticket = asked.ticket
    kind = kind_of(ticket)
    return {
        "is_staged": asked.stage_id is not None,
        "for_whom": (ticket.beneficiary or ticket.requester).name,
        "because": asked.because,
        "instead_of": asked.instead_of.name if asked.instead_of else "",
        "for_deputy": asked.asked_of.name if asked.asked_of_id != reader.pk else "",
        "why": "",
        "budget_line": budget_line(ticket),
        "monthly_pence": kind.cost(ticket).monthly_pence,
        "answers": answers_json(ticket, book),
        "parts": [],
        "question": asked.question,
        "answered": asked.answered,
        "before": [],
        **kind.approver_sees(asked, book),
    }
