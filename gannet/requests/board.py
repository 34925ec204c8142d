"""The board of a team's requests by phase, beside the list."""

from typing import Any

from gannet.people.models import Person
from gannet.requests.models import KIND, facts_of
from gannet.tickets import policies
from gannet.tickets.models import StateCode, TaskState, Ticket

MOST_CARDS = 400
_WEEK = 7 * 86_400
APPROVAL, TO_BEGIN, UNDER_WAY = "Waiting for approval", "To begin", "Under way"
WAITING, ARRIVED = "Waiting on others", "There this week"


def board_json(person: Person, team: int | None, now_s: int) -> dict[str, Any]:
    """The requests that somebody may see, of one team or of all, column by column.

    The columns between are the phases of the tasks, in the order in which they come.
    """
    seen = policies.visible_to(person).filter(kind=KIND)
    if team is not None:
        seen = seen.filter(team=team)
    related = ("requester", "beneficiary", "holder", "team", "request_facts")
    rows = list(
        seen.filter(is_open=True)
        .select_related(*related)
        .prefetch_related("tasks__after")
        .order_by("rank_s", "id")[: MOST_CARDS + 1]
    )
    rest = seen.filter(is_open=False, resolved_s__gte=now_s - _WEEK).exclude(
        state=StateCode.CANCELLED
    )
    there = list(rest.select_related(*related).order_by("-resolved_s")[:50])
    phases: list[str] = []
    cards: dict[str, list[dict[str, Any]]] = {}
    for ticket in rows[:MOST_CARDS]:
        phase, task = phase_of(ticket)
        if phase not in (APPROVAL, TO_BEGIN, UNDER_WAY, WAITING) and phase not in phases:
            phases.append(phase)
        cards.setdefault(phase, []).append(_card(ticket, task))
    for ticket in there:
        cards.setdefault(ARRIVED, []).append(_card(ticket, ""))
    order = _in_order(phases, rows)
    names = [APPROVAL, TO_BEGIN, *order, UNDER_WAY, WAITING, ARRIVED]
    return {
        "columns": [{"name": name, "cards": cards.get(name, [])} for name in names],
        "is_capped": len(rows) > MOST_CARDS,
        "now_s": now_s,
    }


def phase_of(ticket: Ticket) -> tuple[str, str]:
    """The phase that a request is in, and the task whose turn it is."""
    if ticket.approval == "pending":
        return APPROVAL, ""
    if ticket.state == StateCode.WAITING:
        return WAITING, ""
    tasks = list(ticket.tasks.all())
    over = {task.pk for task in tasks if task.state != TaskState.OPEN}
    for task in tasks:
        if task.pk not in over and all(other.pk in over for other in task.after.all()):
            return task.phase or UNDER_WAY, task.title
    return (UNDER_WAY, "") if ticket.holder_id or tasks else (TO_BEGIN, "")


def _in_order(phases: list[str], rows: list[Ticket]) -> list[str]:
    """The phases as they follow each other in the requests' own tasks."""
    place: dict[str, float] = {}
    for ticket in rows:
        own = list(dict.fromkeys(task.phase for task in ticket.tasks.all() if task.phase))
        for at, name in enumerate(own):
            place[name] = max(place.get(name, 0.0), (at + 1) / len(own))
    return sorted(phases, key=lambda name: (place.get(name, 1.0), name))


def _card(ticket: Ticket, task: str) -> dict[str, Any]:
    return {
        "id": ticket.pk,
        "title": ticket.title,
        "for_whom": (ticket.beneficiary or ticket.requester).name,
        "holder": ticket.holder.name if ticket.holder else "",
        "team": ticket.team.name,
        "due_s": ticket.due_s,
        "late_from_s": ticket.late_from_s,
        "left_seconds": ticket.left_seconds,
        "due_kind": ticket.due_kind,
        "waiting_until_s": ticket.waiting_until_s,
        "waits": ticket.waiting_reason,
        "task": task,
        "open_tasks": ticket.open_tasks,
        "all_tasks": ticket.all_tasks,
        "parent": ticket.parent_id,
        "is_whole": bool(facts_of(ticket).parts),
    }
