"""Trying a rulebook out on an example, and rehearsals: examples that must come out so.

The same intake decides as when a ticket is logged; nothing is saved. Everybody is taken
as free of other work, so that a rehearsal says the same today and tomorrow.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.rulebook.models import Rehearsal
from gannet.tickets import intake, promises
from gannet.tickets.actions.log import NewTicket, draft_ticket
from gannet.tickets.models import Channel, Ticket
from gannet.web.errors import Invalid
from gannet_core import agreements, clocks, escalation
from gannet_core.clocks import ClockEvent, EventKind
from gannet_core.errors import GannetError
from gannet_core.instants import format_instant, instant_of, seconds_of
from gannet_core.priority import priority_of
from gannet_core.renaming import Rename, said_anew
from gannet_core.rules import describe_action

UNASSIGNED = "unassigned"
# What a rehearsal can expect, in the order in which it is shown.
EXPECTABLE = ("priority", "agreement", "answer by", "fix by", "team", "person", "rules")


@dataclass(frozen=True)
class Outcome:
    """What a rulebook makes of an example, each part with its explanation."""

    result: dict[str, Any]
    why: dict[str, list[dict[str, Any]]]
    rules: list[dict[str, Any]]
    next: list[dict[str, Any]]
    ledgers: dict[str, list[dict[str, Any]]]


@dataclass(frozen=True)
class Rehearsed:
    """A rehearsal that was run: the outcome, and where it differs from what it must be."""

    rehearsal: Rehearsal
    outcome: Outcome | None
    differs: dict[str, list[Any]]
    problem: str = ""

    @property
    def holds(self) -> bool:
        return not self.differs and not self.problem


def given_of(ticket: Ticket) -> dict[str, Any]:
    """The example that an existing ticket is."""
    return {
        "requester": ticket.requester.email,
        "title": ticket.title,
        "service": ticket.service.name if ticket.service else None,
        "ci": ticket.ci.name if ticket.ci else None,
        "place": ticket.place,
        "channel": ticket.channel,
        "answers": dict(ticket.answers),
        "impact": ticket.impact,
        "urgency": ticket.urgency,
        "values": dict(ticket.values),
    }


def try_out(book: Book, given: Mapping[str, Any], at: datetime) -> Outcome:
    """What the rulebook makes of an example at an instant; `Invalid` names what is wrong."""
    new = _new(given)
    at_s = seconds_of(at)
    ticket = draft_ticket(new, book, at_s)
    if given.get("category"):
        ticket.category = str(given["category"])
    wanted = given.get("priority")
    if wanted:
        ticket.priority = int(str(wanted).removeprefix("P"))
    matrix = priority_of(book.matrix, ticket.impact, ticket.urgency)
    found = intake.decide(book, ticket, at_s, with_leaves=True, ignores_load=True)
    try:
        promise = promises.promise(book, ticket, "customer", at_s)
    except GannetError as error:
        raise Invalid(str(error)) from error
    person = found.person.person
    result: dict[str, Any] = {
        "priority": f"P{ticket.priority}",
        "agreement": promise.agreement if promise else None,
        "answer by": None,
        "fix by": None,
        "team": found.team.name,
        "person": person.name if person else UNASSIGNED,
        "rules": list(found.run.fired),
    }
    why: dict[str, list[dict[str, Any]]] = {
        "priority": matrix.explain(book.matrix),
        "agreement": promise.why if promise else [],
        "team": [{"label": found.team.name, "value": found.team_because, "chosen": True}],
        "person": found.person.why or [{"label": "Person", "value": found.person.sentence}],
    }
    if ticket.priority != matrix.priority:
        why["priority"].append(
            {"label": f"Now P{ticket.priority}", "value": ticket.priority_reason or "as given"}
        )
    ledgers: dict[str, list[dict[str, Any]]] = {}
    coming: list[dict[str, Any]] = []
    if promise is not None:
        agreement = book.agreement(promise.agreement) or {}
        for kind, target in promise.targets.items():
            if kind not in book.clock_kinds:
                continue
            due_s = _due(book, target, at_s)
            result[f"{kind} by"] = None if due_s is None else format_instant(instant_of(due_s))
            why[f"{kind} by"] = _target_steps(book, target)
            ledgers[kind] = _ledger(book, target, at_s, due_s)
            coming += _steps(book, agreement, kind, target, at_s, due_s)
        coming += _untouched(book, agreement, at_s)
    coming.sort(key=lambda step: step["at"])
    traces = [trace.as_json() for trace in found.run.traces]
    return Outcome(result, why, traces, coming, ledgers)


def run(rehearsal: Rehearsal, book: Book) -> Rehearsed:
    """Run one rehearsal; an example that can no longer be made is a problem, not an error."""
    try:
        outcome = try_out(book, rehearsal.given, rehearsal.at)
    except (Invalid, GannetError) as error:
        return Rehearsed(rehearsal, None, {}, str(error))
    differs = {
        name: [expected, outcome.result.get(name)]
        for name, expected in rehearsal.expected.items()
        if not _same(expected, outcome.result.get(name))
    }
    return Rehearsed(rehearsal, outcome, differs)


def run_all(book: Book, renames: Iterable[Rename] = ()) -> list[Rehearsed]:
    """Every rehearsal, in the order of their names, with what a draft calls otherwise."""
    rehearsals = list(Rehearsal.objects.all())
    for section, old, new in renames:
        for one in rehearsals:
            one.given = said_anew(one.given, section, old, new)
    return [run(one, book) for one in rehearsals]


def _same(expected: Any, actual: Any) -> bool:
    if isinstance(expected, list) and isinstance(actual, list):
        return sorted(expected) == sorted(actual)
    return bool(expected == actual)


def _new(given: Mapping[str, Any]) -> NewTicket:
    address = str(given.get("requester") or "")
    requester = Person.objects.select_related("manager").filter(email=address.casefold()).first()
    if requester is None:
        raise Invalid("Say who asks.", fields={"requester": f"There is nobody with {address}."})
    service = None
    if given.get("service"):
        services = Service.objects.select_related("team", "owner")
        service = services.filter(name=given["service"]).first()
        if service is None:
            raise Invalid(
                f"There is no service {given['service']}.", fields={"service": "Choose one."}
            )
    ci = ConfigItem.objects.filter(name=given["ci"]).first() if given.get("ci") else None
    return NewTicket(
        requester=requester,
        title=str(given.get("title") or "An example"),
        text=str(given.get("text") or ""),
        channel=Channel(given.get("channel") or Channel.PORTAL),
        service=service,
        ci=ci,
        place=str(given.get("place") or ""),
        answers=given.get("answers") or {},
        impact=given.get("impact"),
        urgency=given.get("urgency"),
        values=given.get("values") or {},
    )


def _due(book: Book, target: agreements.Target, at_s: int) -> int | None:
    try:
        return book.calendar(target.calendar).due_s(at_s, target.seconds)
    except GannetError:
        return None


def _target_steps(book: Book, target: agreements.Target) -> list[dict[str, Any]]:
    said = [
        {"label": "Target", "value": escalation.span_words(target.normal_seconds)},
        {"label": "Hours", "value": book.calendar_name(target.calendar)},
    ]
    if target.tier:
        tier = book.care_tiers[target.tier]
        share = f"× {float(tier['share']) * 100:g} % for {tier['name']}"
        said.insert(1, {"label": share, "value": escalation.span_words(target.seconds)})
    return said


def _ledger(
    book: Book, target: agreements.Target, at_s: int, due_s: int | None
) -> list[dict[str, Any]]:
    if due_s is None:
        return []
    events = [ClockEvent(at_s, EventKind.START)]
    found = clocks.ledger_s(events, target.seconds, book.calendar(target.calendar), due_s)
    return [
        {
            "from": format_instant(instant_of(row.start)),
            "to": format_instant(instant_of(row.end)),
            "kind": str(row.kind),
            "seconds": row.seconds,
        }
        for row in found.rows
    ]


def _steps(
    book: Book,
    agreement: Mapping[str, Any],
    kind: str,
    target: agreements.Target,
    at_s: int,
    due_s: int | None,
) -> list[dict[str, Any]]:
    steps = agreement.get("steps") or ()
    calendar = book.calendar(target.calendar)
    label = book.clock_kinds.get(kind, {}).get("label") or kind
    events = [ClockEvent(at_s, EventKind.START)]
    ledger = clocks.ledger_s(events, target.seconds, calendar, at_s)
    found = [
        _coming(label, moment) for moment in escalation.moments(steps, kind, ledger, calendar, at_s)
    ]
    if due_s is not None:
        due = format_instant(instant_of(due_s))
        found.append({"at": due, "clock": label, "when": "due", "does": [], "name": f"{label} due"})
    return found


def _untouched(book: Book, agreement: Mapping[str, Any], at_s: int) -> list[dict[str, Any]]:
    steps = agreement.get("steps") or ()
    if not steps:
        return []
    calendar = book.calendar(agreement["calendar"])
    return [_coming("", moment) for moment in escalation.untouched_moments(steps, at_s, calendar)]


def _coming(clock: str, moment: escalation.Moment) -> dict[str, Any]:
    return {
        "at": format_instant(instant_of(moment.at)),
        "clock": clock,
        "name": moment.step.get("name") or escalation.describe_moment(moment.step),
        "when": escalation.describe_moment(moment.step),
        "does": [describe_action(action) for action in moment.step["then"]],
    }
