"""Passing a ticket to other systems, and taking over what they say."""

from collections.abc import Mapping

from gannet.people.acting import Acting
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import ExternalWork, ExternalWorkKind, Task, Ticket
from gannet.tickets.outward import Reply, runbooks, system
from gannet.tickets.task_json import values_for
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.isolation import each
from gannet_core.instants import instant_of
from gannet_core.lifecycle import Act
from gannet_core.tasks import filled

_MAX_INPUT = 200


def pass_out(
    ticket_id: int, acting: Acting, kind: str, inputs: Mapping[str, str], title: str = ""
) -> Ticket:
    """Pass a ticket to development, start remote help, or run a runbook."""
    given = {name: " ".join(str(value).split())[:_MAX_INPUT] for name, value in inputs.items()}
    if kind == ExternalWorkKind.RUNBOOK:
        _check_runbook(given)
    _start(ticket_id, acting, kind, given, title)
    return Ticket.objects.get(pk=ticket_id)


def run_for_task(task: Task, acting: Acting) -> dict[str, str]:
    """Run a task's runbook with its inputs as they read now; what it yielded, by name.

    A runbook that lacks an input, or fails, is refused: somebody has to do it by hand.
    """
    values = values_for(task.ticket)
    inputs = {name: filled(str(words), values) for name, words in task.inputs.items()}
    lacking = [name for _, names in inputs.values() for name in names]
    if lacking:
        raise Invalid(f"It needs {', '.join(lacking)}, which nobody has said.")
    given = {"runbook": task.runbook, **{name: words for name, (words, _) in inputs.items()}}
    _check_runbook(given)
    answer = _start(task.ticket_id, acting, ExternalWorkKind.RUNBOOK, given, "")
    if answer.state == "failed":
        raise Invalid("; ".join(answer.log))
    return {name: value for name, value in answer.outputs.items() if name in task.outputs}


def _start(ticket_id: int, acting: Acting, kind: str, given: dict[str, str], title: str) -> Reply:
    with writing(ticket_id, acting, Act.NOTED) as write:
        ticket = write.ticket
        words = " ".join(title.split())[:200] or ticket.title
        if kind == ExternalWorkKind.RUNBOOK:
            words = runbooks()[given["runbook"]].name
        key, answer = system(kind).start(words, given)
        ExternalWork.objects.create(
            ticket=ticket,
            kind=kind,
            key=key,
            title=words,
            state=answer.state,
            inputs=given,
            log=answer.log,
            started_by=acting.person,
            made_s=acting.now_s,
            changed_s=acting.now_s,
            ended_s=acting.now_s if answer.is_over else None,
        )
        said = {"system": kind, "title": words, "state": answer.state, "log": answer.log}
        if kind != ExternalWorkKind.RUNBOOK:
            said["key"] = key
        is_runbook = kind == ExternalWorkKind.RUNBOOK
        write.record(TicketEvent.RUNBOOK_RAN if is_runbook else TicketEvent.PASSED_OUT, values=said)
    return answer


def end_remote(ticket_id: int, acting: Acting, outward_id: int) -> Ticket:
    """End a session of remote help."""
    with writing(ticket_id, acting, Act.NOTED) as write:
        found = ExternalWork.objects.filter(pk=outward_id, ticket_id=ticket_id).first()
        if found is None or found.kind != ExternalWorkKind.REMOTE:
            raise Missing("There is no such session.")
        if found.ended_s is not None:
            raise Conflict("It has ended already.")
        found.inputs = {**found.inputs, "ended": "yes"}
        found.state, found.ended_s, found.changed_s = "ended", acting.now_s, acting.now_s
        found.save()
        minutes = max(1, (acting.now_s - found.made_s) // 60)
        write.record(
            TicketEvent.OUTSIDE_CHANGED,
            values={"system": found.kind, "title": found.title, "state": f"ended, {minutes} min"},
        )
    return write.ticket


def look_outside(now_s: int, most: int = 40) -> int:
    """Take over what other systems say by now; the worker calls it. Says how many changed."""
    rows = ExternalWork.objects.filter(ended_s=None).order_by("changed_s")[:most]
    changed = []

    def look(number: int) -> None:
        if _look(number, Acting(person=None, now=instant_of(now_s))):
            changed.append(number)

    each("looking at other systems", list(rows.values_list("pk", flat=True)), look, now_s)
    return len(changed)


def _look(number: int, acting: Acting) -> bool:
    row = ExternalWork.objects.get(pk=number)
    answer = system(row.kind).look(row.key, row.inputs, acting.now_s - row.made_s)
    if answer.state == row.state:
        return False
    with writing(row.ticket_id, acting) as write:
        row.state, row.changed_s = answer.state, acting.now_s
        row.log = [*row.log, f"Now {answer.state}"]
        row.ended_s = acting.now_s if answer.is_over else None
        row.save()
        write.record(
            TicketEvent.OUTSIDE_CHANGED,
            values={"system": row.kind, "title": row.title, "state": row.state},
            is_automatic=True,
            by_desk=False,
        )
        if answer.is_over:
            words = f"{row.title}: {row.state}"
            write.tell(write.ticket.holder, "outside changed", words)
    return True


def _check_runbook(given: Mapping[str, str]) -> None:
    book = runbooks().get(given.get("runbook", ""))
    if book is None:
        raise Invalid("There is no such runbook.", fields={"runbook": "Choose one."})
    empty = {name: "This is empty." for name in book.inputs if not given.get(name)}
    if empty:
        labels = ", ".join(book.inputs[name] for name in empty)
        raise Invalid(f"Fill in: {labels}.", fields=empty)
