"""Fulfilling a request that may go ahead: its tasks, its parts, and when it is all there."""

from django.db import transaction

from gannet.audit.models import Audience, Kind
from gannet.people.models import Team
from gannet.rulebook.book import edition, fill
from gannet.tickets.actions.frame import Acting, Work
from gannet.tickets.directory import case_of
from gannet.tickets.models import StateCode, Task, TaskState, Ticket
from gannet.web.errors import Problem
from gannet_core.conditions import evaluate
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
            _add(work, template, record, f"the item “{item['name']}”")


def _add(work: Work, template: dict, record: object, by: str) -> None:  # type: ignore[type-arg]
    """The tasks of a template in their order; one whose condition fails is left out."""
    ticket = work.ticket
    teams = {team.name: team for team in Team.objects.all()}
    entries = [
        one
        for one in template["tasks"]
        if evaluate(one.get("if") or {"all": []}, record).result  # type: ignore[arg-type]
    ]
    left_out = {one["title"] for one in template["tasks"]} - {one["title"] for one in entries}
    before = {one["title"]: _known(one, template, left_out) for one in entries}
    rows = {
        one["title"]: Task(
            ticket=ticket,
            title=str(one["title"])[:200],
            team=teams.get(one.get("team", "")),
            phase=str(one.get("phase") or "")[:40],
            estimate_minutes=int(one.get("estimate_minutes") or 0),
            cost_pence=int(one.get("cost_pence") or 0),
            runbook=str(one.get("runbook") or ""),
            inputs=dict(one.get("inputs") or {}),
            position=ticket.all_tasks + index,
            made_s=work.acting.now_s,
        )
        for index, one in enumerate(entries)
    }
    Task.objects.bulk_create(rows.values())
    for title, after in before.items():
        rows[title].after.set([rows[name] for name in after])
    ticket.all_tasks += len(rows)
    ticket.open_tasks += len(rows)
    if rows:
        work.record(
            Kind.TASKS_ADDED,
            is_automatic=True,
            by_desk=False,
            values={"template": template["name"], "titles": list(rows), "by": by},
        )


def _known(entry: dict, template: dict, left_out: set[str]) -> set[str]:  # type: ignore[type-arg]
    """What a task waits for; a task that is left out passes on what it waited for."""
    entries = {one["title"]: one for one in template["tasks"]}
    found: set[str] = set()
    waiting = list(entry.get("after") or ())
    while waiting:
        name = waiting.pop()
        if name in left_out:
            waiting.extend(entries[name].get("after") or ())
        else:
            found.add(name)
    return found


def _open_parts(parent: Ticket, acting: Acting) -> None:
    from gannet.catalogue.asking import open_part

    for key, answers in parent.parts.items():
        open_part(parent, key, answers, acting)


def run_runbooks(now_s: int, most: int = 20) -> int:
    """Do the tasks that are a runbook's and whose turn has come, with their log."""
    from gannet.tickets.actions.outward import pass_out
    from gannet.tickets.actions.talk import note
    from gannet.tickets.actions.tasks import set_task

    waiting = Task.objects.filter(state=TaskState.OPEN, runbook__gt="", ticket__is_open=1).exclude(
        ticket__approval="pending"
    )
    ready = waiting.exclude(after__state=TaskState.OPEN).select_related("ticket")
    acting = Acting(person=None, now=instant_of(now_s))
    done = 0
    for task in ready.order_by("id")[:most]:
        values = {str(name): str(value) for name, value in task.ticket.values.items()}
        inputs = {name: fill(str(words), values) for name, words in task.inputs.items()}
        try:
            with transaction.atomic():
                pass_out(task.ticket_id, acting, "runbook", {"runbook": task.runbook, **inputs})
                set_task(task.ticket_id, acting, task.pk, TaskState.DONE)
        except Problem as error:
            # A person has to do it: nothing is tried for ever.
            Task.objects.filter(pk=task.pk).update(runbook="")
            note(task.ticket_id, acting, f"“{task.title}” could not run by itself: {error.detail}")
        done += 1
    return done


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
