"""Tasks of a ticket: done, skipped, open after all."""

from gannet.audit.models import Kind
from gannet.tickets.actions.frame import Acting, working
from gannet.tickets.models import Task, TaskState, Ticket
from gannet.web.errors import Missing
from gannet_core.lifecycle import Act


def set_task(ticket_id: int, acting: Acting, task_id: int, state: str) -> Ticket:
    """Set the state of a task; its ticket's history says who did it."""
    with working(ticket_id, acting, Act.CHANGED) as work:
        task = Task.objects.filter(pk=task_id, ticket_id=ticket_id).first()
        if task is None:
            raise Missing("There is no such task.")
        if task.state == state:
            return work.ticket
        task.state = TaskState(state)
        is_done = state != TaskState.OPEN
        task.done_s = acting.now_s if is_done else None
        task.done_by = acting.person if is_done else None
        task.save()
        work.record(Kind.TASK_DONE, values={"title": task.title, "state": state})
    return work.ticket
