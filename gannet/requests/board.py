"""The board of a team's requests by phase, beside the list."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from gannet.people.models import Person
from gannet.requests.models import KIND, facts_of
from gannet.tickets import policies
from gannet.tickets.models import StateCode, Task, TaskState, Ticket

MOST_CARDS = 400
_WEEK = 7 * 86_400
APPROVAL, TO_BEGIN, UNDER_WAY = "Waiting for approval", "To begin", "Under way"
_RELATED = ("requester", "beneficiary", "holder", "team", "request_facts")
# All that a card reads.
_SHOWN = (
    *("kind", "title", "state", "approval", "rank_s", "due_s", "late_from_s", "left_seconds"),
    *("due_kind", "waiting_until_s", "waiting_reason", "open_tasks", "all_tasks", "parent"),
    "resolved_s",
    *(f"{one}__name" for one in _RELATED[:4]),
    "request_facts__parts",
)
WAITING, ARRIVED = "Waiting on others", "There this week"


def board_json(person: Person, team: int | None, now_s: int) -> dict[str, Any]:
    """The requests that somebody may see, of one team or of all, column by column.

    The columns between are the phases of the tasks, in the order in which they come.
    """
    seen = policies.visible_to(person).filter(kind=KIND)
    if team is not None:
        seen = seen.filter(team=team)
    seen = seen.select_related(*_RELATED).only(*_SHOWN)
    rows = list(seen.filter(is_open=True).order_by("rank_s", "id")[: MOST_CARDS + 1])
    tasks = _tasks_of(rows)
    rest = seen.filter(is_open=False, resolved_s__gte=now_s - _WEEK).exclude(
        state=StateCode.CANCELLED
    )
    there = list(rest.order_by("-resolved_s")[:50])
    phases: list[str] = []
    cards: dict[str, list[dict[str, Any]]] = {}
    for ticket in rows[:MOST_CARDS]:
        phase, task = phase_of(ticket, tasks.get(ticket.pk, ()))
        if phase not in (APPROVAL, TO_BEGIN, UNDER_WAY, WAITING) and phase not in phases:
            phases.append(phase)
        cards.setdefault(phase, []).append(_card(ticket, task))
    for ticket in there:
        cards.setdefault(ARRIVED, []).append(_card(ticket, ""))
    order = _in_order(phases, tasks.values())
    names = [APPROVAL, TO_BEGIN, *order, UNDER_WAY, WAITING, ARRIVED]
    return {
        "columns": [{"name": name, "cards": cards.get(name, [])} for name in names],
        "is_capped": len(rows) > MOST_CARDS,
        "now_s": now_s,
    }


@dataclass(frozen=True)
class _Task:
    """What the board reads of a task; `is_held_up` while one before it is open."""

    title: str
    phase: str
    is_open: bool
    is_held_up: bool


def _tasks_of(tickets: Sequence[Ticket]) -> dict[int, list[_Task]]:
    """The tasks of some requests, in their order, with two queries for all of them."""
    numbers = [ticket.pk for ticket in tickets]
    before = Task.after.through.objects.filter(
        from_task__ticket__in=numbers, to_task__state=TaskState.OPEN
    )
    held_up = set(before.values_list("from_task", flat=True))
    found: dict[int, list[_Task]] = {}
    rows = Task.objects.filter(ticket__in=numbers, outlives=False).order_by("position", "id")
    for ticket, number, title, phase, state in rows.values_list(
        "ticket", "id", "title", "phase", "state"
    ):
        task = _Task(title, phase, state == TaskState.OPEN, number in held_up)
        found.setdefault(ticket, []).append(task)
    return found


def phase_of(ticket: Ticket, tasks: Sequence[_Task]) -> tuple[str, str]:
    """The phase that a request is in, and the task whose turn it is."""
    if ticket.approval == "pending":
        return APPROVAL, ""
    if ticket.state == StateCode.WAITING:
        return WAITING, ""
    for task in tasks:
        if task.is_open and not task.is_held_up:
            return task.phase or UNDER_WAY, task.title
    return (UNDER_WAY, "") if ticket.holder_id or tasks else (TO_BEGIN, "")


def _in_order(phases: list[str], requests: Iterable[Sequence[_Task]]) -> list[str]:
    """The phases as they follow each other in the requests' own tasks."""
    place: dict[str, float] = {}
    for tasks in requests:
        own = list(dict.fromkeys(task.phase for task in tasks if task.phase))
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
