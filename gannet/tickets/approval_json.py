"""What is asked of approvers, and how far a route has come, as pages show it."""

from collections.abc import Sequence
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


def budget_line(ticket: Ticket) -> str:
    """The cost centre that pays for what is for somebody."""
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
        "before": [],
        **kind.approver_sees(asked, book),
    }
