"""Tasks whose turn has come: runbooks that run by themselves, people found for the others."""

from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from gannet.people.acting import Acting
from gannet.tickets.actions import timers
from gannet.tickets.actions.outward import run_for_task
from gannet.tickets.actions.talk import note
from gannet.tickets.actions.tasks import give_task, set_task
from gannet.tickets.models import Task, TaskState
from gannet.web.errors import Problem
from gannet.web.kept import Givens, KeptQueries, Rows


def run_runbook(ticket_id: int, acting: Acting, task_id: int) -> None:
    """Do the task that is a runbook's and whose turn has come, with its log."""
    task = having_their_turn(Task.objects.filter(pk=task_id, runbook__gt="")).first()
    if task is None:
        return
    try:
        with transaction.atomic():
            outputs = run_for_task(task, acting)
            set_task(ticket_id, acting, task.pk, TaskState.DONE, outputs=outputs)
    except Problem as error:
        # A person has to do it: nothing is tried for ever.
        Task.objects.filter(pk=task.pk).update(runbook="")
        note(ticket_id, acting, f"“{task.title}” could not run by itself: {error.detail}")


def find_person(ticket_id: int, acting: Acting, task_id: int) -> None:
    """Find the person of a task whose turn has come and whose team shares work out.

    Nobody there: it stays with the team and is looked at again when the next shift begins,
    or in an hour when none is known to.
    """
    task = having_their_turn(Task.objects.filter(pk=task_id, person=None)).first()
    if task is not None:
        give_task(ticket_id, acting, task.pk)


def _ready(givens: Givens) -> QuerySet[Any, Any]:
    found = Task.objects.filter(ticket=givens["ticket"], state=TaskState.OPEN, outlives=False)
    found = found.exclude(after__state=TaskState.OPEN)
    return found.values_list("pk", "runbook", "route_again_s", "person", "team")


_kept = KeptQueries()


def _tasks_ready(standing: timers.Standing) -> Rows:
    """The open tasks of a ticket that nothing holds up."""
    ticket = standing.ticket
    if not ticket.open_tasks or not ticket.is_open or ticket.approval == "pending":
        return []
    return _kept.rows("ready", _ready, {"ticket": ticket.pk})


def _runbooks(standing: timers.Standing) -> dict[str, int]:
    due = [str(key) for key, runbook, *_ in _tasks_ready(standing) if runbook]
    return {key: standing.armed.get(("runbook", key), standing.now_s) for key in due}


def _unassigned(standing: timers.Standing) -> dict[str, int]:
    found = {}
    for key, _, again_s, person, team in _tasks_ready(standing):
        if again_s is None or person is not None or team is None:
            continue
        at_s = max(again_s, standing.now_s)
        # One that is due now goes on being due since when it was.
        found[str(key)] = min(at_s, standing.armed.get(("task", str(key)), at_s))
    return found


timers.register(
    timers.TimerKind(
        key="runbook",
        fire=lambda timer, acting: run_runbook(timer.ticket_id or 0, acting, int(timer.subject)),
        wanted=_runbooks,
        is_for_open=True,
    )
)
timers.register(
    timers.TimerKind(
        key="task",
        fire=lambda timer, acting: find_person(timer.ticket_id or 0, acting, int(timer.subject)),
        wanted=_unassigned,
        is_for_open=True,
    )
)


def having_their_turn(tasks: QuerySet[Task]) -> QuerySet[Task]:
    """Of some open tasks those that nothing holds up: no other task, no decision."""
    free = tasks.filter(state=TaskState.OPEN, ticket__is_open=True).exclude(
        ticket__approval="pending"
    )
    return free.exclude(after__state=TaskState.OPEN).select_related("ticket", "team")
