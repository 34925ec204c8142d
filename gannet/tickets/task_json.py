"""The tasks of a ticket as its page shows them, and what their inputs may read."""

from typing import Any

from django.db.models import QuerySet, prefetch_related_objects

from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Task, TaskState, Ticket
from gannet.web.kept import Givens, KeptQueries
from gannet_core.tasks import filled


def values_for(ticket: Ticket) -> dict[str, str]:
    """What the inputs of a ticket's tasks may read: its answers, and what tasks yielded."""
    values = {str(name): str(value) for name, value in ticket.values.items()}
    whom = ticket.beneficiary or ticket.requester
    name = kind_of(ticket).named_for(ticket) or whom.name
    values |= {"person": name, "place": ticket.place, "number": str(ticket.pk)}
    for outputs in ticket.tasks.order_by("id").values_list("outputs", flat=True):
        values |= {name: str(value) for name, value in outputs.items() if value}
    return values


_kept = KeptQueries()


def _tasks_of(givens: Givens) -> QuerySet[Any]:
    related = ("team", "person", "done_by")
    return Task.objects.filter(ticket=givens["ticket"]).select_related(*related)


def tasks_json(ticket: Ticket) -> list[dict[str, Any]]:
    rows: list[Task] = _kept.objects("tasks", _tasks_of, {"ticket": ticket.pk})
    prefetch_related_objects(rows, "after")
    states = {task.pk: task.state for task in rows}
    values = values_for(ticket) if any(task.inputs for task in rows) else {}
    return [task_json(task, states, values) for task in rows]


def task_json(task: Task, states: dict[int, str], values: dict[str, str]) -> dict[str, Any]:
    after = [other.pk for other in task.after.all()]
    waits = any(states.get(key) == TaskState.OPEN for key in after)
    return {
        "id": task.pk,
        "title": task.title,
        "team": _named(task.team),
        "person": _named(task.person),
        "state": task.state,
        "after": after,
        "is_ready": task.state == TaskState.OPEN and not waits,
        "phase": task.phase,
        "outlives": task.outlives,
        "is_automatic": bool(task.runbook),
        "estimate_minutes": task.estimate_minutes,
        "cost_pence": task.cost_pence,
        "spent_pence": task.spent_pence,
        "mode": task.mode,
        "inputs": [_input(name, str(words), values) for name, words in task.inputs.items()],
        "outputs": [{"name": name, "value": value} for name, value in task.outputs.items()],
        "only_if": _condition(task),
        "due_s": task.due_s,
        "done_s": task.done_s,
        "done_by": task.done_by.name if task.done_by else "",
    }


def _condition(task: Task) -> str:
    """What a task is only for, in words, or nothing."""
    asked = task.only_if
    return f"{asked['output']} is {asked['is']}" if asked else ""


def _input(name: str, words: str, values: dict[str, str]) -> dict[str, Any]:
    """An input as it reads now; one that lacks something shows nothing rather than braces."""
    value, lacking = filled(words, values)
    return {"name": name, "value": "" if lacking else value}


def _named(thing: Any) -> dict[str, Any] | None:
    return None if thing is None else {"id": thing.pk, "name": thing.name}
