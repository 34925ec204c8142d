"""Fulfilling a request that may go ahead: its tasks, its parts, and when it is all there."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from gannet.audit.models import Audience, Kind
from gannet.messages.outbox import withdraw
from gannet.rulebook.book import edition
from gannet.tickets.actions import endings
from gannet.tickets.actions.closing import cancel, set_resolved
from gannet.tickets.actions.endings import Ending, end
from gannet.tickets.actions.follow import follow_parts
from gannet.tickets.actions.frame import Acting, Work, working
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
    from gannet.tickets.actions.frame import working

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
            end(work, Kind.CANCELLED, text=words, is_automatic=True)
            work.tell(work.ticket.requester, "cancelled", words)
            return
        set_resolved(work, "Everything that was asked for is there.")


def _tell_whole(work: Work, ending: Ending) -> dict[str, Any] | None:
    """A part of a bundle has ended: the whole hears of it, in the same transaction."""
    if work.ticket.parent_id is None or ending.kind == Kind.CLOSED:
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
            whole.record(Kind.REOPENED, text=words, audience=Audience.EVERYBODY, is_automatic=True)
            if ended is not None:
                endings.bring_back(whole, ended, is_undo=is_undo)
                if is_undo:
                    withdraw(ended.id)
            whole.tell(whole.ticket.holder, "reopened", words)

    work.afterwards(bring)


def _drop_parts(work: Work, ending: Ending) -> dict[str, Any] | None:
    """A whole that is not wanted any more takes its parts with it."""
    ticket, acting = work.ticket, work.acting
    if not ticket.parts or ending.kind != Kind.CANCELLED:
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
