"""Tasks of a ticket: by hand or from a template, in order, done, skipped, open after all."""

from collections.abc import Mapping, Sequence
from typing import Any

from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.tickets import policies, routing
from gannet.tickets.actions import endings
from gannet.tickets.actions.closing import check_stage
from gannet.tickets.actions.endings import Ending, end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Task, TaskState, Ticket
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core import routing as core_routing
from gannet_core import tasks as core
from gannet_core.errors import TaskError
from gannet_core.lifecycle import Act

MOST_TASKS = 60
# Nobody could take a task, and no shift is known to begin: when to look again, in seconds.
_LOOK_AGAIN = 3600


def add_task(ticket_id: int, acting: Acting, given: Mapping[str, Any]) -> Ticket:
    """Add a task by hand, to any team or person, behind others if need be.

    A follow-up (`outlives`) is taken on a record that has ended too, and holds no end up.
    """
    outlives = bool(given.get("outlives"))
    with writing(ticket_id, acting, Act.NOTED if outlives else Act.CHANGED) as write:
        ticket = write.ticket
        if not ticket.is_open and not outlives:
            raise Invalid(f"This is {write.state_name}: reopen it to add a task.")
        if ticket.tasks.count() >= MOST_TASKS:
            raise Invalid(f"A ticket has at most {MOST_TASKS} tasks.")
        task = Task(
            ticket=ticket, made_s=acting.now_s, position=ticket.all_tasks, outlives=outlives
        )
        _fill(task, given)
        task.save()
        _set_order(ticket, task, given.get("after") or ())
        write.record(TicketEvent.TASKS_ADDED, values={"titles": [task.title], "by": "hand"})
        count_tasks(ticket)
        _tell_holder(write, task)
    return write.ticket


def change_task(ticket_id: int, acting: Acting, task_id: int, given: Mapping[str, Any]) -> Ticket:
    """Change a task: words, team, person, order, estimate, cost, due."""
    with writing(ticket_id, acting, _act_on(ticket_id, task_id)) as write:
        task = _task(ticket_id, task_id)
        before = task.person_id
        _fill(task, given)
        task.save()
        if "after" in given:
            _set_order(write.ticket, task, given["after"])
        write.record(TicketEvent.TASK_CHANGED, values={"title": task.title})
        count_tasks(write.ticket)
        if task.person_id != before:
            messenger().gone(acting.now_s, about=f"task:{task.pk}")
            _tell_holder(write, task)
    return write.ticket


def drop_task(ticket_id: int, acting: Acting, task_id: int) -> Ticket:
    """Take a task away; the history keeps that it was there."""
    with writing(ticket_id, acting, _act_on(ticket_id, task_id)) as write:
        task = _task(ticket_id, task_id)
        write.record(TicketEvent.TASK_CHANGED, values={"title": task.title, "state": "taken away"})
        messenger().gone(acting.now_s, about=f"task:{task.pk}")
        task.delete()
        count_tasks(write.ticket)
    return write.ticket


def set_task(
    ticket_id: int,
    acting: Acting,
    task_id: int,
    state: str,
    *,
    outputs: Mapping[str, str] | None = None,
    spent_pence: int | None = None,
) -> Ticket:
    """Set the state of a task; the ticket's holder is told, and of all being done.

    `outputs` says what doing it yielded; done without one of them is refused, for a later
    task may need it. `spent_pence` is what it did cost, if that is known.
    """
    with writing(ticket_id, acting) as write:
        task = _task(ticket_id, task_id)
        _check_may(write, task)
        if task.state == state:
            return write.ticket
        if not write.ticket.is_open and not task.outlives:
            raise Conflict(f"This is {write.state_name}: reopen it first.")
        old, spent_before = dict(task.outputs), task.spent_pence
        if state == TaskState.DONE:
            _check_turn(task)
            _take_outputs(task, outputs or {})
            task.spent_pence = task.spent_pence if spent_pence is None else spent_pence
        before: dict[str, Any] = {
            "state": str(task.state),
            "outputs": old,
            "spent_pence": spent_before,
        }
        task.state = TaskState(state)
        is_over = state != TaskState.OPEN
        task.done_s = acting.now_s if is_over else None
        task.done_by = acting.person if is_over else None
        task.save()
        before["skipped"] = settle_conditions(write) if is_over else []
        said = {name: value for name, value in task.outputs.items() if value}
        yielded = {"outputs": said} if said and state == TaskState.DONE else {}
        write.record(
            TicketEvent.TASK_DONE,
            facts={"task": task.pk, "before": before},
            values={"title": task.title, "state": state, **yielded},
        )
        ticket = write.ticket
        count_tasks(ticket)
        if is_over:
            messenger().gone(acting.now_s, about=f"task:{task.pk}")
            left = f"{ticket.open_tasks} to go" if ticket.open_tasks else "all are done"
            left = "a follow-up" if task.outlives else left
            write.tell(ticket.holder, "task done", f"{task.title} ({left})")
            for following in task.before.filter(state=TaskState.OPEN):
                if is_ready(following):
                    _tell_holder(write, following)
            if ticket.is_open and ticket.open_tasks == 0 and not task.outlives:
                _all_done(write)
    return write.ticket


def set_task_back(write: RecordWrite, task_id: int, before: Mapping[str, Any]) -> None:
    """Take the last setting of a task back; those who were told it is their turn are not."""
    task = _task(write.ticket.pk, task_id)
    task.state, task.outputs = TaskState(before["state"]), dict(before["outputs"])
    task.spent_pence = before["spent_pence"]
    if task.state == TaskState.OPEN:
        task.done_s, task.done_by = None, None
        for following in task.before.filter(state=TaskState.OPEN):
            messenger().gone(write.acting.now_s, about=f"task:{following.pk}")
        _tell_holder(write, task)
    task.save()
    write.ticket.tasks.filter(pk__in=before.get("skipped") or ()).update(
        state=TaskState.OPEN, done_s=None
    )
    count_tasks(write.ticket)


def settle_conditions(write: RecordWrite) -> list[int]:
    """Skip the open tasks whose condition is false, or can never be true; which these are."""
    skipped: list[int] = []
    while True:
        tasks = list(write.ticket.tasks.all())
        outputs = {name: value for task in tasks for name, value in task.outputs.items() if value}
        to_come = {name for task in tasks if task.state == TaskState.OPEN for name in task.outputs}
        wrong = [
            task
            for task in tasks
            if task.state == TaskState.OPEN
            and (
                core.holds(task.only_if, outputs) is False
                or (
                    core.holds(task.only_if, outputs) is None
                    and task.only_if["output"] not in to_come
                )
            )
        ]
        if not wrong:
            return skipped
        for task in wrong:
            task.state, task.done_s = TaskState.SKIPPED, write.acting.now_s
            task.save(update_fields=["state", "done_s"])
            messenger().gone(write.acting.now_s, about=f"task:{task.pk}")
            why = f"{task.only_if['output']} is not {task.only_if['is']}"
            told = {"title": task.title, "state": f"not needed: {why}"}
            write.record(TicketEvent.TASK_CHANGED, is_automatic=True, values=told)
            skipped.append(task.pk)


def give_task(ticket_id: int, acting: Acting, task_id: int) -> Ticket:
    """Give a task to the person of its team whose turn it is, or who has the least load."""
    with writing(ticket_id, acting) as write:
        task = _task(ticket_id, task_id)
        if task.person_id is not None or task.team is None or not task.mode:
            return write.ticket
        found = routing.choose_for_task(write.policy, task.team, task.mode, acting.now_s)
        task.person = found.person
        team, person = task.team, found.person
        if person is None:
            task.route_again_s = found.retry_at_s or acting.now_s + _LOOK_AGAIN
            task.save()
            write.rearm()
        else:
            task.route_again_s = None
            told = {"title": task.title, "state": f"given to {person.name}", "why": found.why}
            write.record(TicketEvent.TASK_CHANGED, values=told)
            write.afterwards(lambda: routing.mark_turn(team, person.pk, write.events[0].id))
            _tell_holder(write, task)
        task.save()
    return write.ticket


def plan_of(tasks: Sequence[Task]) -> core.Plan:
    """The plan of a ticket's tasks: what is ready, when each can run, what decides the end."""
    return core.plan(_as_core(tasks))


def count_tasks(ticket: Ticket) -> None:
    """Keep the counts that lists show, without follow-ups; the caller saves the ticket."""
    states = list(ticket.tasks.filter(outlives=False).values_list("state", flat=True))
    ticket.all_tasks = len(states)
    ticket.open_tasks = states.count(TaskState.OPEN)
    counted = ticket.tasks.exclude(state=TaskState.SKIPPED)
    costs = list(counted.values_list("cost_pence", "spent_pence"))
    ticket.cost_pence = sum(planned for planned, _ in costs)
    ticket.spent_pence = sum(spent or 0 for _, spent in costs)


def _all_done(write: RecordWrite) -> None:
    """The ticket resolves by itself when the conditions for closing say so."""
    kind = kind_of(write.ticket)
    if kind.tasks_done is not None:
        kind.tasks_done(write)
        return
    by_hand = write.ticket.tasks.filter(runbook="", outlives=False).exclude(state=TaskState.SKIPPED)
    # What nobody had a hand in needs nobody to say that it is done.
    if by_hand.exists() and not write.policy.closing.get("when_tasks_done"):
        return
    ticket = write.ticket
    if ticket.open_approvals or ticket.approval == "pending":
        return  # what somebody is still to decide is not over with its tasks
    try:
        check_stage(write, "resolving")
    except Invalid:
        return  # what is lacking is asked for when somebody resolves it
    done = ticket.tasks.filter(state=TaskState.DONE, outlives=False)
    titles = ", ".join(done.values_list("title", flat=True))
    said = f"All its tasks are done: {titles}."[:2000]
    end(write, TicketEvent.RESOLVED, text=said, is_automatic=True, resolver=write.acting.person)
    write.tell(ticket.requester, "resolved", said)


def skip_tasks(write: RecordWrite) -> None:
    """What is still to do need not be done any more, though the record goes on."""
    for task in write.ticket.tasks.filter(state=TaskState.OPEN, outlives=False):
        task.state, task.done_s = TaskState.SKIPPED, write.acting.now_s
        task.save(update_fields=["state", "done_s"])
        messenger().gone(write.acting.now_s, about=f"task:{task.pk}")
    count_tasks(write.ticket)


def _drop_tasks(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """What is still to do on a record that has ended need not be done, or is said to be."""
    left = list(write.ticket.tasks.filter(state=TaskState.OPEN, outlives=False))
    done = [task for task in left if task.pk in ending.done_tasks]
    for task in left:
        task.done_s = write.acting.now_s
        task.state = TaskState.SKIPPED
        if task in done:
            _take_outputs(task, {})
            task.state, task.done_by = TaskState.DONE, write.acting.person
        task.save(update_fields=["state", "done_s", "done_by"])
        messenger().gone(write.acting.now_s, about=f"task:{task.pk}")
    if not left:
        return None
    count_tasks(write.ticket)
    return {"tasks": [task.pk for task in left]}


def _restore_tasks(write: RecordWrite, kept: Mapping[str, Any], is_undo: bool) -> None:
    """The record is open again, and so is what was still to do; who has it hears of it."""
    tasks = write.ticket.tasks.filter(pk__in=kept["tasks"]).exclude(state=TaskState.OPEN)
    restored = list(tasks.select_related("person"))
    tasks.update(state=TaskState.OPEN, done_s=None, done_by=None)
    for task in restored:
        _tell_holder(write, task)
    count_tasks(write.ticket)


endings.register(endings.EndingPart(name="tasks", drop=_drop_tasks, restore=_restore_tasks))


def _act_on(ticket_id: int, task_id: int) -> Act:
    """What changing a task is: a follow-up may be changed on a record that has ended."""
    is_apart = Task.objects.filter(pk=task_id, ticket_id=ticket_id, outlives=True).exists()
    return Act.NOTED if is_apart else Act.CHANGED


def _task(ticket_id: int, task_id: int) -> Task:
    task = Task.objects.filter(pk=task_id, ticket_id=ticket_id).first()
    if task is None:
        raise Missing("There is no such task.")
    return task


def _check_may(write: RecordWrite, task: Task) -> None:
    """The desk may tick any task off; somebody outside it only their own."""
    person = write.acting.person
    if person is None or policies.works_on(person, write.ticket) or task.person_id == person.pk:
        return
    raise Refused("Only the desk, or whose task it is, can do that.")


def _take_outputs(task: Task, given: Mapping[str, str]) -> None:
    said = {name: " ".join(str(given.get(name, "")).split())[:200] for name in task.outputs}
    task.outputs = {name: said[name] or task.outputs[name] for name in task.outputs}
    lacking = {name: "This is empty." for name, value in task.outputs.items() if not value}
    if lacking:
        raise Invalid(f"Say what came of it: {', '.join(lacking)}.", fields=lacking)


def _check_turn(task: Task) -> None:
    waits = [other.title for other in task.after.filter(state=TaskState.OPEN)]
    if waits:
        raise Invalid(f"First comes: {', '.join(waits)}.", fields={"state": "It waits for others."})


def is_ready(task: Task) -> bool:
    """Whether it waits for no other that is still open."""
    return not task.after.filter(state=TaskState.OPEN).exists()


def _fill(task: Task, given: Mapping[str, Any]) -> None:
    if "title" in given:
        task.title = " ".join(str(given["title"]).split())[:200]
        if not task.title:
            raise Invalid("Say what is to be done.", fields={"title": "This is empty."})
    if "team" in given:
        task.team = _one(Team, given["team"], "team")
    if "person" in given:
        task.person = _one(Person, given["person"], "person")
    for name in ("estimate_minutes", "cost_pence"):
        if name in given:
            setattr(task, name, given[name] or 0)
    if "spent_pence" in given:
        task.spent_pence = given["spent_pence"]
    if "phase" in given:
        task.phase = " ".join(given["phase"].split())[:40]
    if "outputs" in given:
        names = dict.fromkeys(" ".join(name.split())[:60] for name in given["outputs"])
        task.outputs = {name: task.outputs.get(name, "") for name in names if name}
    if {"mode", "team", "person"} & set(given):
        task.mode = given.get("mode", task.mode) or ""
        task.mode = "" if task.mode == core_routing.BY_HAND else task.mode
        if task.mode and task.team is None:
            raise Invalid("Say which team.", fields={"team": "Its person is found in a team."})
        is_sought = task.mode and task.person is None
        task.route_again_s = task.made_s if is_sought else None
    if "due_s" in given:
        task.due_s = given["due_s"]


def _one(model: Any, key: int | None, name: str) -> Any:
    if key is None:
        return None
    found = model.objects.filter(pk=key).first()
    if found is None:
        raise Invalid(f"There is no such {name}.", fields={name: "Choose one."})
    return found


def _set_order(ticket: Ticket, task: Task, after: Sequence[int]) -> None:
    """Put a task behind others; a circle is refused, naming it."""
    known = {other.pk: other for other in ticket.tasks.prefetch_related("after")}
    if not set(after) <= set(known):
        raise Invalid("It waits for a task that is not there.", fields={"after": "Choose again."})
    planned = []
    for other in known.values():
        waits = after if other.pk == task.pk else [one.pk for one in other.after.all()]
        planned.append(core.Task(other.pk, other.estimate_minutes, tuple(waits)))
    try:
        core.plan(planned)
    except TaskError as error:
        words = str(error)
        for key, other in known.items():
            words = words.replace(f" {key} ", f" “{other.title}” ")
            words = words.replace(f" {key}.", f" “{other.title}”.")
        raise Invalid(words, fields={"after": "They would wait for each other."}) from error
    task.after.set(after)


def _as_core(tasks: Sequence[Task]) -> list[core.Task]:
    return [
        core.Task(
            task.pk,
            task.estimate_minutes,
            tuple(other.pk for other in task.after.all()),
            is_over=task.state != TaskState.OPEN,
        )
        for task in tasks
    ]


def _tell_holder(write: RecordWrite, task: Task) -> None:
    """Whoever has a task that is ready learns of it at once."""
    person = task.person
    if person is None or person.pk == write.acting.person_id or not is_ready(task):
        return
    write.tell(person, "task given", task.title)
    title, now_s, ticket = task.title, write.acting.now_s, write.ticket
    actor = write.acting.person.name if write.acting.person else ""
    write.afterwards(
        lambda: messenger().notify(
            person, "task given", f"task:{task.pk}", title, now_s, ticket=ticket, actor=actor
        )
    )
