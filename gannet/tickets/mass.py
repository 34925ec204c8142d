"""One act on many tickets: a preview of what it does and where it is refused, the act, its undo.

The preview runs the very code that the act runs, on tickets that are not saved; what it
says would happen is what happens, unless somebody else changes a ticket in between.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db import transaction

from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.actions.frame import RecordWrite, finish_all, load_many, writing
from gannet.tickets.actions.undo import take_back
from gannet.tickets.acts import OnMany, RecordAct, acts
from gannet.tickets.acts.registry import why_not
from gannet.tickets.models import MoveCode, Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Invalid, Problem
from gannet_core.errors import GannetError
from gannet_core.instants import seconds_of

MOST = 5_000
CHUNK = 100
UNDO_SECONDS = 600
Progress = Callable[[int, int], bool]
Params = Mapping[str, Any]


def act_on_many(name: str) -> tuple[RecordAct, OnMany]:
    """An act that can be done to many, with how."""
    act = acts().get(name)
    if act is None or act.on_many is None:
        raise Invalid("That cannot be done to many tickets.", fields={"act": "Not an act."})
    return act, act.on_many


def preview(
    person: Person, numbers: Sequence[int], name: str, params: Params, now: datetime
) -> Any:
    """What the act would do to each ticket, and where it is refused; nothing is changed."""
    act, many = act_on_many(name)
    acting = Acting(person=person, now=now)
    many.check(params, acting)
    will: list[dict[str, Any]] = []
    refused: list[dict[str, Any]] = []
    for chunk in _chunks(numbers):
        with transaction.atomic():
            for write, before, why in _tried(person, acting, chunk, act, params, lock=False):
                ticket = write.ticket
                if why:
                    refused.append({"id": ticket.pk, "title": before["title"], "why": why})
                    continue
                write._derive()
                changes = difference(before, shown(ticket))
                if not write.entries and not write._afterwards:
                    refused.append(
                        {"id": ticket.pk, "title": before["title"], "why": "It is so already."}
                    )
                else:
                    will.append({"id": ticket.pk, "title": before["title"], "changes": changes})
            transaction.set_rollback(True)
    return {"will": will, "refused": refused, "unknown": len(numbers) - len(will) - len(refused)}


def do(
    person: Person | None,
    numbers: Sequence[int],
    name: str,
    params: Params,
    now: datetime,
    report: Progress = lambda done, total: True,
) -> dict[str, Any]:
    """Do the act, chunk by chunk, each in its own transaction; says what was refused and why."""
    if person is None:
        raise Invalid("Whoever asked for this is gone.")
    act, many = act_on_many(name)
    acting = Acting(person=person, now=now)
    many.check(params, acting)
    done: list[int] = []
    refused: list[dict[str, Any]] = []
    seen = 0
    for chunk in _chunks(numbers):
        try:
            with transaction.atomic():
                did, why_not = _do_together(person, acting, chunk, act, params)
        except (Problem, GannetError):
            # What follows from the act of one of them is refused: the others go ahead.
            did, why_not = _do_one_by_one(person, acting, chunk, act, params)
        done += did
        refused += why_not
        seen += len(chunk)
        if not report(seen, len(numbers)):
            break
    return {"done": done, "refused": refused}


Refusals = list[dict[str, Any]]


def _do_together(
    person: Person, acting: Acting, numbers: Sequence[int], act: RecordAct, params: Params
) -> tuple[list[int], Refusals]:
    """The act on a few tickets, written with few statements."""
    refused: Refusals = []
    finished: list[int] = []
    good: list[RecordWrite] = []
    for write, before, why in _tried(person, acting, numbers, act, params, lock=True):
        if why:
            refused.append({"id": write.ticket.pk, "title": before["title"], "why": why})
        elif _how(act).one_by_one(params):
            write.finish()
            finished.append(write.ticket.pk)
        else:
            good.append(write)
    finish_all(good)
    return [*finished, *(write.ticket.pk for write in good if write.entries)], refused


def _do_one_by_one(
    person: Person, acting: Acting, numbers: Sequence[int], act: RecordAct, params: Params
) -> tuple[list[int], Refusals]:
    """The same, each ticket in a transaction of its own."""
    done: list[int] = []
    refused: Refusals = []
    for number in numbers:
        try:
            with transaction.atomic():
                did, why_not = _do_together(person, acting, [number], act, params)
        except (Problem, GannetError) as error:
            title = Ticket.objects.filter(pk=number).values_list("title", flat=True).first()
            did, why_not = [], [{"id": number, "title": title or "", "why": str(error)}]
        done += did
        refused += why_not
    return done, refused


def undo(
    person: Person | None,
    numbers: Sequence[int],
    now: datetime,
    report: Progress = lambda done, total: True,
) -> dict[str, Any]:
    """Take an act on many tickets back, where nothing has happened since."""
    acting = Acting(person=person, now=now)
    done: list[int] = []
    refused: list[dict[str, Any]] = []
    for at, number in enumerate(numbers, 1):
        try:
            with writing(number, acting) as write:
                take_back(write, UNDO_SECONDS)
            done.append(number)
        except (Problem, GannetError) as error:
            title = Ticket.objects.filter(pk=number).values_list("title", flat=True).first()
            refused.append({"id": number, "title": title or "", "why": str(error)})
        if not report(at, len(numbers)):
            break
    return {"done": done, "refused": refused}


def _tried(
    person: Person,
    acting: Acting,
    numbers: Sequence[int],
    act: RecordAct,
    params: Params,
    *,
    lock: bool,
) -> Iterator[tuple[RecordWrite, dict[str, Any], str]]:
    """Each ticket with the act done to it in memory, how it was, and why it was refused."""
    visible = policies.visible_to(person).filter(pk__in=numbers).values_list("pk", flat=True)
    for write in load_many(list(visible), acting, lock=lock):
        before = shown(write.ticket)
        yield write, before, refusal(write, act, params)


def refusal(write: RecordWrite, act: RecordAct, params: Params) -> str:
    """Do an act to one of many, or say why not; a refusal half way leaves nothing begun."""
    person = write.acting.person
    if person is not None:
        reason = why_not(act, write.ticket, person)
        if reason is not None:
            return str(reason)
    try:
        with transaction.atomic():
            _how(act).does(write, params)
    except (Problem, GannetError) as error:
        return str(error)
    return ""


def _how(act: RecordAct) -> OnMany:
    return act_on_many(act.name)[1]


def _chunks(numbers: Sequence[int]) -> Iterator[Sequence[int]]:
    if len(numbers) > MOST:
        raise Invalid(f"At most {MOST:,} tickets at once.", fields={"ids": "Too many."})
    for start in range(0, len(numbers), CHUNK):
        yield numbers[start : start + CHUNK]


def shown(ticket: Ticket) -> dict[str, Any]:
    """What a preview compares, in the words that people read."""
    return {
        "title": ticket.title,
        "state": state_name(ticket.state),
        "move": MoveCode(ticket.move).label,
        "team": ticket.team.name,
        "holder": ticket.holder.name if ticket.holder else "nobody",
        "priority": f"P{ticket.priority}",
        "service": ticket.service.name if ticket.service else "",
        "category": ticket.category,
        "place": ticket.place,
        "ci": ticket.ci.name if ticket.ci else "",
        "requester": ticket.requester.name,
        "due": ticket.due_s,
        "tags": ", ".join(ticket.tags),
        "status": ticket.status,
        **{f"field {key}": value for key, value in ticket.values.items()},
    }


def difference(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[dict[str, Any]]:
    names = dict.fromkeys([*before, *after])
    return [
        {"field": name.removeprefix("field "), "before": before.get(name), "after": after.get(name)}
        for name in names
        if before.get(name) != after.get(name)
    ]


def until_s(made_at: datetime) -> int:
    """Until when an act on many can be taken back."""
    return seconds_of(made_at) + UNDO_SECONDS
