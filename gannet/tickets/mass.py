"""One act on many tickets: a preview of what it does and where it is refused, the act, its undo.

The preview runs the very code that the act runs, on tickets that are not saved; what it
says would happen is what happens, unless somebody else changes a ticket in between.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction

from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.actions.closing import check_words, set_resolved
from gannet.tickets.actions.facts import set_facts
from gannet.tickets.actions.follow import set_followed
from gannet.tickets.actions.frame import Work, finish_all, load_many, working
from gannet.tickets.actions.holding import check_receiver, give, set_taken
from gannet.tickets.actions.talk import check_body, set_noted, set_replied
from gannet.tickets.actions.undo import take_back
from gannet.tickets.actions.waiting import Wait, set_resumed, set_waiting
from gannet.tickets.models import MoveCode, StateCode, Ticket
from gannet.tickets.routing import mode_of
from gannet.web.errors import Invalid, Problem
from gannet_core.conditions import fold
from gannet_core.errors import GannetError
from gannet_core.instants import parse_instant, seconds_of
from gannet_core.lifecycle import Act, Waiting

MOST = 5_000
CHUNK = 100
UNDO_SECONDS = 600
Progress = Callable[[int, int], bool]
Params = Mapping[str, Any]


@dataclass(frozen=True)
class Kindly:
    """One act that can be done to many: what it needs to be allowed, its check, the act."""

    act: Act | None
    check: Callable[[Params, Acting], None]
    does: Callable[[Work, Params], None]
    label: str
    # Each ticket is finished before the next is looked at, because the next depends on it.
    one_by_one: Callable[[Params], bool] = lambda params: False


def _nothing(params: Params, acting: Acting) -> None:
    pass


def _check_change(params: Params, acting: Acting) -> None:
    changes = params.get("changes") or {}
    if not changes and not params.get("add_tags") and not params.get("drop_tags"):
        raise Invalid("Choose a field to change.", fields={"changes": "Nothing is chosen."})


def _change(work: Work, params: Params) -> None:
    changes = dict(params.get("changes") or {})
    if params.get("add_tags") or params.get("drop_tags"):
        dropped = {fold(tag) for tag in params.get("drop_tags") or ()}
        kept = [tag for tag in work.ticket.tags if fold(tag) not in dropped]
        changes["tags"] = [*kept, *(params.get("add_tags") or ())]
    set_facts(work, changes)


def _receiver(params: Params) -> tuple[Team, Person | None]:
    team = Team.objects.filter(pk=params.get("team") or 0, is_board=False).first()
    if team is None:
        raise Invalid("Choose a team.", fields={"team": "Choose one."})
    person = None
    if params.get("person"):
        person = Person.objects.filter(pk=params["person"], is_active=True).first()
        if person is None:
            raise Invalid("There is no such person.", fields={"person": "Choose one."})
    return team, person


def _check_give(params: Params, acting: Acting) -> None:
    check_receiver(*_receiver(params), params.get("comment") or "")


def _give(work: Work, params: Params) -> None:
    team, person = _receiver(params)
    give(work, team, person, params["comment"])


def _gives_in_turn(params: Params) -> bool:
    team, person = _receiver(params)
    return person is None and mode_of(current(), team) != "by hand"


def _wait_of(params: Params) -> Wait:
    try:
        on = Waiting(params.get("on") or "")
    except ValueError as error:
        raise Invalid("Say what they wait for.", fields={"on": "Choose one."}) from error
    until = params.get("until")
    try:
        instant = None if not until else parse_instant(until)
    except ValueError as error:
        raise Invalid("Say until when.", fields={"until": str(error)}) from error
    return Wait(
        on=on,
        reason=params.get("reason") or "",
        until=instant,
        supplier=params.get("supplier") or "",
    )


def _follow(work: Work, params: Params) -> None:
    if work.acting.person is not None:
        set_followed(work, work.acting.person)


KINDS: Mapping[str, Kindly] = {
    "change": Kindly(Act.CHANGED, _check_change, _change, "Change fields"),
    "hand over": Kindly(Act.HANDED_OVER, _check_give, _give, "Hand over", _gives_in_turn),
    "take": Kindly(Act.TAKEN, _nothing, lambda work, params: set_taken(work), "Take"),
    "wait": Kindly(
        Act.WAITING,
        lambda params, acting: _wait_of(params).check(acting),
        lambda work, params: set_waiting(work, _wait_of(params)),
        "Wait",
    ),
    "resume": Kindly(
        Act.RESUMED,
        _nothing,
        lambda work, params: set_resumed(work, params.get("why") or ""),
        "Take up again",
    ),
    "resolve": Kindly(
        Act.RESOLVED,
        lambda params, acting: check_words(params.get("what") or ""),
        lambda work, params: set_resolved(work, params["what"], cause=params.get("cause") or ""),
        "Resolve",
    ),
    "note": Kindly(
        Act.NOTED,
        lambda params, acting: _said(params),
        lambda work, params: set_noted(work, params["text"]),
        "Leave a note for the desk",
    ),
    "reply": Kindly(
        Act.REPLIED,
        lambda params, acting: _said(params),
        lambda work, params: set_replied(work, params["text"]),
        "Reply to the requesters",
    ),
    "follow": Kindly(None, _nothing, _follow, "Follow"),
}


def _said(params: Params) -> None:
    check_body(params.get("text") or "")


def kind_of(name: str) -> Kindly:
    if name not in KINDS:
        raise Invalid("That cannot be done to many tickets.", fields={"act": "Not an act."})
    return KINDS[name]


def preview(
    person: Person, numbers: Sequence[int], name: str, params: Params, now: datetime
) -> Any:
    """What the act would do to each ticket, and where it is refused; nothing is changed."""
    kind = kind_of(name)
    acting = Acting(person=person, now=now)
    kind.check(params, acting)
    will: list[dict[str, Any]] = []
    refused: list[dict[str, Any]] = []
    for chunk in _chunks(numbers):
        with transaction.atomic():
            for work, before, why in _tried(person, acting, chunk, kind, params, lock=False):
                ticket = work.ticket
                if why:
                    refused.append({"id": ticket.pk, "title": before["title"], "why": why})
                    continue
                work._derive()
                changes = difference(before, shown(ticket))
                if not work.entries and not work._afterwards:
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
    kind = kind_of(name)
    acting = Acting(person=person, now=now)
    kind.check(params, acting)
    done: list[int] = []
    refused: list[dict[str, Any]] = []
    seen = 0
    for chunk in _chunks(numbers):
        try:
            with transaction.atomic():
                did, why_not = _do_together(person, acting, chunk, kind, params)
        except (Problem, GannetError):
            # What follows from the act of one of them is refused: the others go ahead.
            did, why_not = _do_one_by_one(person, acting, chunk, kind, params)
        done += did
        refused += why_not
        seen += len(chunk)
        if not report(seen, len(numbers)):
            break
    return {"done": done, "refused": refused}


Refusals = list[dict[str, Any]]


def _do_together(
    person: Person, acting: Acting, numbers: Sequence[int], kind: Kindly, params: Params
) -> tuple[list[int], Refusals]:
    """The act on a few tickets, written with few statements."""
    refused: Refusals = []
    finished: list[int] = []
    good: list[Work] = []
    for work, before, why in _tried(person, acting, numbers, kind, params, lock=True):
        if why:
            refused.append({"id": work.ticket.pk, "title": before["title"], "why": why})
        elif kind.one_by_one(params):
            work.finish()
            finished.append(work.ticket.pk)
        else:
            good.append(work)
    finish_all(good)
    return [*finished, *(work.ticket.pk for work in good if work.entries)], refused


def _do_one_by_one(
    person: Person, acting: Acting, numbers: Sequence[int], kind: Kindly, params: Params
) -> tuple[list[int], Refusals]:
    """The same, each ticket in a transaction of its own."""
    done: list[int] = []
    refused: Refusals = []
    for number in numbers:
        try:
            with transaction.atomic():
                did, why_not = _do_together(person, acting, [number], kind, params)
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
            with working(number, acting) as work:
                take_back(work, UNDO_SECONDS)
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
    kind: Kindly,
    params: Params,
    *,
    lock: bool,
) -> Iterator[tuple[Work, dict[str, Any], str]]:
    """Each ticket with the act done to it in memory, how it was, and why it was refused."""
    visible = policies.visible_to(person).filter(pk__in=numbers).values_list("pk", flat=True)
    for work in load_many(list(visible), acting, lock=lock):
        before = shown(work.ticket)
        yield work, before, refusal(work, kind, params)


def refusal(work: Work, kind: Kindly, params: Params) -> str:
    person = work.acting.person
    if person is not None and kind.act is not None:
        decision = policies.may(person, kind.act, work.ticket)
        if not decision:
            return decision.reason
    try:
        with transaction.atomic():  # a refusal half way leaves nothing of what it had begun
            kind.does(work, params)
    except (Problem, GannetError) as error:
        return str(error)
    return ""


def _chunks(numbers: Sequence[int]) -> Iterator[Sequence[int]]:
    if len(numbers) > MOST:
        raise Invalid(f"At most {MOST:,} tickets at once.", fields={"ids": "Too many."})
    for start in range(0, len(numbers), CHUNK):
        yield numbers[start : start + CHUNK]


def shown(ticket: Ticket) -> dict[str, Any]:
    """What a preview compares, in the words that people read."""
    return {
        "title": ticket.title,
        "state": StateCode(ticket.state).label,
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
