"""Fulfilling a request that may go ahead: its tasks, its parts, and when it is all there."""

from django.db import transaction
from django.db.models import QuerySet

from gannet.audit.models import Audience, Kind
from gannet.rulebook.book import edition
from gannet.tickets.actions.follow import follow_parts
from gannet.tickets.actions.frame import Acting, Work
from gannet.tickets.actions.from_template import add_from_template
from gannet.tickets.directory import case_of
from gannet.tickets.models import StateCode, Task, TaskState, Ticket
from gannet.web.errors import Problem
from gannet_core.instants import instant_of


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


def run_runbooks(now_s: int, most: int = 20) -> int:
    """Do the tasks that are a runbook's and whose turn has come, with their log."""
    from gannet.tickets.actions.outward import run_for_task
    from gannet.tickets.actions.talk import note
    from gannet.tickets.actions.tasks import set_task

    waiting = Task.objects.filter(state=TaskState.OPEN, runbook__gt="")
    acting = Acting(person=None, now=instant_of(now_s))
    done = 0
    for task in having_their_turn(waiting).order_by("id")[:most]:
        try:
            with transaction.atomic():
                outputs = run_for_task(task, acting)
                set_task(task.ticket_id, acting, task.pk, TaskState.DONE, outputs=outputs)
        except Problem as error:
            # A person has to do it: nothing is tried for ever.
            Task.objects.filter(pk=task.pk).update(runbook="")
            note(task.ticket_id, acting, f"“{task.title}” could not run by itself: {error.detail}")
        done += 1
    return done


def route_tasks(now_s: int, most: int = 20) -> int:
    """Find the person of tasks whose turn has come and whose team shares work out.

    Nobody there: it stays with the team and is looked at again when the next shift begins,
    or in an hour when none is known to.
    """
    from gannet.tickets.actions.tasks import give_task

    waiting = Task.objects.filter(
        state=TaskState.OPEN, route_again_s__lte=now_s, person=None, team__isnull=False
    )
    acting = Acting(person=None, now=instant_of(now_s))
    done = 0
    for task in having_their_turn(waiting).order_by("route_again_s", "id")[:most]:
        with transaction.atomic():
            give_task(task.ticket_id, acting, task.pk)
        done += 1
    return done


def having_their_turn(tasks: QuerySet[Task]) -> QuerySet[Task]:
    """Of some open tasks those that nothing holds up: no other task, no decision."""
    free = tasks.filter(ticket__is_open=1).exclude(ticket__approval="pending")
    return free.exclude(after__state=TaskState.OPEN).select_related("ticket", "team")


def part_over(child: Ticket, acting: Acting) -> None:
    """A part has arrived or was dropped: with none left open the whole is there."""
    from gannet.tickets.actions.closing import set_resolved
    from gannet.tickets.actions.frame import working
    from gannet.tickets.actions.talk import end_wait

    parent = child.parent
    if parent is None or not parent.is_open or not parent.parts:
        return
    with working(parent.pk, Acting(person=None, now=acting.now)) as work:
        left = work.ticket.children.filter(is_open=1).count()
        work.record(
            Kind.CHILD_ENDED,
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
            end_wait(work)
            work.record(
                Kind.CANCELLED,
                text=words,
                by_desk=False,
                is_automatic=True,
                audience=Audience.EVERYBODY,
            )
            work.ticket.closed_s = acting.now_s
            work.tell(work.ticket.requester, "cancelled", words)
            return
        set_resolved(work, "Everything that was asked for is there.")
