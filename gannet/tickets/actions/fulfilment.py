"""Fulfilling a request that may go ahead: its tasks, its parts, and when it is all there."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from gannet.audit.models import Audience
from gannet.messages.outbox import withdraw
from gannet.people.acting import Acting
from gannet.rulebook.book import edition
from gannet.tickets.actions import endings, timers
from gannet.tickets.actions.closing import cancel, set_resolved
from gannet.tickets.actions.endings import Ending, end
from gannet.tickets.actions.follow import follow_parts
from gannet.tickets.actions.frame import Work, working
from gannet.tickets.actions.from_template import add_from_template
from gannet.tickets.directory import case_of
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import StateCode, Task, TaskState, Ticket
from gannet.web.errors import Problem


def fulfil(work: Work) -> None:
    """Add the item's tasks whose conditions hold, and open the parts of a bundle."""
    ticket = work.ticket
    if ticket.all_tasks or ticket.children.exists():
        return  # it had begun before its answers changed
    book = edition(ticket.edition)
    if ticket.parts:
        work.afterwards(lambda: _open_parts(ticket, work.acting))
    item = book.items.get(ticket.item)
    if item is None:
        return
    record = case_of(ticket, book).record
    for key in item.get("tasks") or ():
        template = book.task_templates.get(key)
        if template is not None:
            add_from_template(work, template, record, f"the item “{item['name']}”")


def _open_parts(parent: Ticket, acting: Acting) -> None:
    from gannet.catalogue.asking import open_part

    # The parts were asked for by who asked for the whole, not by who approved it last.
    asking = Acting(person=parent.requester, now=acting.now)
    for key, answers in parent.parts.items():
        open_part(parent, key, answers, asking)
    follow_parts(parent)


def run_runbook(ticket_id: int, acting: Acting, task_id: int) -> None:
    """Do the task that is a runbook's and whose turn has come, with its log."""
    from gannet.tickets.actions.outward import run_for_task
    from gannet.tickets.actions.talk import note
    from gannet.tickets.actions.tasks import set_task

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
    from gannet.tickets.actions.tasks import give_task

    task = having_their_turn(Task.objects.filter(pk=task_id, person=None)).first()
    if task is not None:
        give_task(ticket_id, acting, task.pk)


def _tasks_due(standing: timers.Standing, tasks: QuerySet[Task]) -> dict[str, int]:
    ticket = standing.ticket
    if not ticket.open_tasks or not ticket.is_open or ticket.approval == "pending":
        return {}
    ready = tasks.filter(ticket=ticket, state=TaskState.OPEN)
    ready = ready.exclude(after__state=TaskState.OPEN)
    return {
        str(key): standing.now_s if at_s is None else max(at_s, standing.now_s)
        for key, at_s in ready.values_list("pk", "route_again_s")
    }


def _runbooks(standing: timers.Standing) -> dict[str, int]:
    due = _tasks_due(standing, Task.objects.filter(runbook__gt=""))
    armed = standing.armed
    return {subject: armed.get(("runbook", subject), standing.now_s) for subject in due}


def _unassigned(standing: timers.Standing) -> dict[str, int]:
    sought = Task.objects.filter(route_again_s__isnull=False, person=None, team__isnull=False)
    due = _tasks_due(standing, sought)
    armed = standing.armed
    # One that is due now goes on being due since when it was.
    return {subject: min(at_s, armed.get(("task", subject), at_s)) for subject, at_s in due.items()}


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
    free = tasks.filter(state=TaskState.OPEN, ticket__is_open=1).exclude(ticket__approval="pending")
    return free.exclude(after__state=TaskState.OPEN).select_related("ticket", "team")


def part_over(child: Ticket, acting: Acting) -> None:
    """A part has arrived or was dropped: with none left open the whole is there."""
    from gannet.tickets.actions.frame import working

    parent = child.parent
    if parent is None or not parent.is_open or not parent.parts:
        return
    with working(parent.pk, Acting(person=None, now=acting.now)) as work:
        left = work.ticket.children.filter(is_open=1).count()
        work.record(
            TicketEvent.CHILD_ENDED,
            by_desk=False,
            is_automatic=True,
            audience=Audience.EVERYBODY,
            values={
                "title": child.title,
                "state": StateCode(child.state).label,
                "by": f"{left} still to come" if left else "all are there",
            },
        )
        how = "is there" if child.state != StateCode.CANCELLED else "does not come"
        rest = f"{left} still to come" if left else "it was the last"
        work.tell(work.ticket.holder, "part ended", f"{child.title} {how}; {rest}.")
        if left or work.ticket.open_tasks:
            return
        done = work.ticket.children.filter(state__in=(StateCode.RESOLVED, StateCode.CLOSED))
        if not done.exists():
            words = "None of its parts goes ahead."
            end(work, TicketEvent.CANCELLED, text=words, is_automatic=True)
            work.tell(work.ticket.requester, "cancelled", words)
            return
        set_resolved(work, "Everything that was asked for is there.")


def _tell_whole(work: Work, ending: Ending) -> dict[str, Any] | None:
    """A part of a bundle has ended: the whole hears of it, in the same transaction."""
    if work.ticket.parent_id is None or ending.kind == TicketEvent.CLOSED:
        return None
    work.afterwards(lambda: part_over(work.ticket, work.acting))
    return {"parent": work.ticket.parent_id}


def _bring_whole_back(work: Work, kept: Mapping[str, Any], is_undo: bool) -> None:
    """A part is open again: so is the whole that had ended with it."""
    part, acting = work.ticket, Acting(person=None, now=work.acting.now)

    def bring() -> None:
        with working(kept["parent"], acting) as whole:
            if not whole.ticket.parts or whole.state != StateCode.RESOLVED:
                return
            ended = endings.last_ending(whole.ticket)
            words = f"{part.title} is not there after all."
            whole.record(
                TicketEvent.REOPENED, text=words, audience=Audience.EVERYBODY, is_automatic=True
            )
            if ended is not None:
                endings.bring_back(whole, ended, is_undo=is_undo)
                if is_undo:
                    withdraw(ended.id)
            whole.tell(whole.ticket.holder, "reopened", words)

    work.afterwards(bring)


def _drop_parts(work: Work, ending: Ending) -> dict[str, Any] | None:
    """A whole that is not wanted any more takes its parts with it."""
    ticket, acting = work.ticket, work.acting
    if not ticket.parts or ending.kind != TicketEvent.CANCELLED:
        return None
    said = ending.text or "it is not wanted"
    why = f"Request {ticket.pk} was cancelled: {said}"

    def drop() -> None:
        for child in ticket.children.filter(is_open=1).order_by("id"):
            cancel(child.pk, acting, why)

    work.afterwards(drop)
    return None


endings.register(endings.EndingPart(name="parts", drop=_drop_parts))
endings.register(endings.EndingPart(name="whole", drop=_tell_whole, restore=_bring_whole_back))
