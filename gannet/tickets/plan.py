"""The plan of a record's tasks: when each can and must run, and which decide the end."""

from typing import Any

from gannet.rulebook.book import Book
from gannet.tickets.models import TaskState, Ticket
from gannet_core import tasks as core


def plan_json(ticket: Ticket, book: Book, now_s: int) -> dict[str, Any] | None:
    """When each open task can and must run from now, and which decide the end.

    Minutes of the plan are service time of the closing calendar; None without estimates.
    """
    rows = list(ticket.tasks.filter(outlives=False).prefetch_related("after"))
    left = [task for task in rows if task.state == TaskState.OPEN]
    if len(left) < 2 or not any(task.estimate_minutes for task in left):
        return None
    here = {task.pk for task in left}
    found = core.plan(
        [
            core.Task(
                task.pk,
                task.estimate_minutes,
                tuple(other.pk for other in task.after.all() if other.pk in here),
            )
            for task in left
        ]
    )
    calendar = book.calendar(str(book.closing["calendar"]))

    def at(minutes: int) -> int:
        return calendar.due_s(now_s, minutes * 60)

    return {
        "length_minutes": found.length,
        "ends_s": at(found.length),
        "rows": [
            {
                "task": task.pk,
                "title": task.title,
                "earliest": list(found.earliest[task.pk]),
                "latest": list(found.latest[task.pk]),
                "earliest_s": at(found.earliest[task.pk][0]),
                "latest_s": at(found.latest[task.pk][0]),
                "slack_minutes": found.slack[task.pk],
                "is_critical": task.pk in found.critical,
            }
            for task in sorted(left, key=lambda one: (found.earliest[one.pk], one.position))
        ],
    }
