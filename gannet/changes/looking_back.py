"""Looking back on a change: when, how it went, what was learned, and what ends with it."""

from datetime import datetime
from functools import partial
from typing import Any
from zoneinfo import ZoneInfo

from django.utils import timezone

from gannet.changes import carrying
from gannet.changes.events import ChangeEvent
from gannet.changes.models import KIND, ChangeFacts, carried, facts_of
from gannet.changes.within import check_said, locked_facts, tell_managers
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.actions import timers
from gannet.tickets.actions.closing import set_resolved
from gannet.tickets.actions.endings import end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.leftovers import left_open, undecided
from gannet.tickets.models import Link, LinkKind, Ticket, Timer
from gannet.web.errors import Conflict, Invalid, Problem
from gannet_core import changes as core
from gannet_core.instants import instant_of, seconds_of
from gannet_core.schedule import review_date

OUTCOMES = ("done", "with issues", "failed")
REVIEW = "review"
_DAY, MOST_WAITING = 86_400, 200


def look_back(number: int, acting: Acting, outcome: str, learned: str = "") -> Ticket:
    """Say how it went, once its faults have had the time to show."""
    with writing(number, acting, ChangeEvent.LOOKED_BACK) as write:
        left = left_open(write.ticket)
        if left:
            raise Conflict(f"“{left[0].words}” is open: do it, or say that it is not needed.")
        if outcome not in OUTCOMES:
            raise Invalid("Say how it went.", fields={"outcome": ", ".join(OUTCOMES)})
        facts = locked_facts(write)
        if facts.review_s is not None and acting.now_s < facts.review_s:
            raise Conflict(
                f"It is looked back on from {_said(facts.review_s)}: faults need time to show."
            )
        if outcome != "done":
            check_said(learned, "learned", "Say what went wrong.")
        facts.outcome, facts.learned = outcome, learned.strip()[:5000]
        facts.save()
        end(write, ChangeEvent.LOOKED_BACK, values={"outcome": outcome}, text=learned.strip())
        carrying.follow(write, ChangeEvent.LOOKED_BACK)
        _end_problems(write, facts, outcome, learned)
    return write.ticket


def too_early(ticket: Ticket, person: Person) -> str:
    """Why it cannot be looked back on yet, in words, or nothing."""
    review_s = facts_of(ticket).review_s
    if review_s is None or seconds_of(timezone.now()) >= review_s:
        return ""
    return f"It is looked back on from {_said(review_s)}: faults need time to show."


def review_s_of(book: Book, ended_s: int) -> int:
    """When a change is looked back on: service days after it ended, by the rulebook."""
    settings = book.changes
    key = settings.review_calendar or str(book.closing["calendar"])
    calendar = book.calendar(key)
    zone = ZoneInfo(str(book.zone_of(key)))
    return review_date(calendar, ended_s, settings.review_days, zone)


def _said(at_s: int) -> str:
    return datetime.strftime(instant_of(at_s), "%-d %B")


def _reviews(standing: timers.Standing) -> dict[str, int]:
    ticket = standing.ticket
    facts = facts_of(ticket) if ticket.kind == KIND else None
    is_over = facts is not None and facts.review_s is not None and not facts.outcome
    if facts is None or not is_over or not ticket.is_open or facts.review_s is None:
        return {}
    return {"": facts.review_s} if facts.review_s > standing.now_s else {}


def _review_is_due(timer: Timer, acting: Acting) -> None:
    """Its faults have had their time: change managers and its holder hear that it is due."""
    with writing(timer.ticket_id or 0, acting) as write:
        if not write.ticket.is_open:
            return
        write.record(
            ChangeEvent.REVIEW_DUE,
            by_desk=False,
            is_automatic=True,
            values={"title": write.ticket.title},
        )
        write.tell(write.ticket.holder, "change review due", write.ticket.title)
        tell_managers(write, "change review due", write.ticket.title)


REVIEWS = timers.TimerKind(key=REVIEW, fire=_review_is_due, wanted=_reviews, is_for_open=True)


def ending(ticket: Ticket, facts: ChangeFacts, book: Book, reader: Person) -> dict[str, Any] | None:
    """What would end with a change that goes well, before it is said how it went.

    The problem that asked for it, whether it is resolved and why or why not, and each of its
    open incidents. Nothing where no problem asked for it; what its reader may not know of
    is left out.
    """
    problem = facts.problem
    if problem is None or not problem.is_open or ticket.kind != KIND:
        return None
    if not policies.visible_to(reader).filter(pk=problem.pk).exists():
        return None
    rule = book.changes.ends_problem
    others = Ticket.objects.filter(kind=KIND, change_facts__problem=problem, is_open=True).exclude(
        pk=ticket.pk
    )
    why_not = core.problem_stays(
        rule, core.DONE, caused=_caused_by(ticket), others=others.count()
    ) or _held_back(problem)
    rows = _waiting_for(problem, reader) if rule.with_incidents and not why_not else []
    return {
        "id": problem.pk,
        "title": problem.title,
        "outcomes": list(rule.outcomes),
        "why_not": why_not,
        "incidents": [
            {"id": one.pk, "title": one.title, "why_not": _held_back(one)} for one in rows
        ],
    }


def _end_problems(write: RecordWrite, facts: ChangeFacts, outcome: str, learned: str) -> None:
    """Resolve the problems that asked for a change, or for what a release carries, by the rule.

    Each is done once the look back is written; one that stays is told to its holder with why.
    """
    rows = [(write.ticket, facts), *((one, facts_of(one)) for one in carried(write.ticket.pk))]
    rule, acting = write.policy.changes.ends_problem, Acting(person=None, now=write.acting.now)
    by = {theirs.problem_id: (one, theirs) for one, theirs in rows if theirs.problem_id}
    for number, (one, theirs) in by.items():
        problem = theirs.problem
        if problem is None or not problem.is_open:
            continue
        others = Ticket.objects.filter(
            kind=KIND, change_facts__problem=problem, is_open=True
        ).exclude(pk__in=[each.pk for each, _ in rows])
        caused = sum(_caused_by(each) for each in {write.ticket, one})
        why_not = core.problem_stays(rule, outcome, caused=caused, others=others.count())
        if why_not:
            words = f"Change {one.pk} is over: {outcome}. {why_not} Is the problem?"
            _tell(write, problem.holder, words)
            continue
        said = f"Change {one.pk}, “{one.title}”, is done." + (
            f"\n\n{learned.strip()}" if learned.strip() else ""
        )
        write.afterwards(partial(_end_problem, number, said, rule, acting))


def _end_problem(number: int, said: str, rule: core.EndsProblem, acting: Acting) -> None:
    """Resolve one problem, and its incidents that wait; what cannot be stays, and is told."""
    problem = Ticket.objects.get(pk=number)
    waiting = _waiting_for(problem, None) if rule.with_incidents else []
    try:
        with writing(number, acting) as write:
            against = _held_back(write.ticket)
            if against:
                raise Conflict(against)
            set_resolved(write, said, cause=write.ticket.cause)
    except Problem as error:
        with writing(number, acting) as write:
            words = f"{said} The problem stays open: {error}"
            write.record(ChangeEvent.STAYS_OPEN, is_automatic=True, by_desk=False, text=words)
            _tell(write, write.ticket.holder, words)
        return
    for one in waiting:
        if _held_back(one):
            continue
        try:
            with writing(one.pk, acting) as there:
                set_resolved(there, said, cause=f"problem {number}")
        except Problem as error:
            with writing(one.pk, acting) as there:
                words = f"Problem {number} is resolved; this stays open: {error}"
                there.record(ChangeEvent.STAYS_OPEN, is_automatic=True, by_desk=False, text=words)
                _tell(there, there.ticket.holder, words)


def _tell(write: RecordWrite, holder: Person | None, words: str) -> None:
    """Let whoever holds it hear of it; where nobody does, those who manage changes."""
    if holder is None:
        tell_managers(write, "change looked back", words)
    else:
        write.tell(holder, "change looked back", words)


def _waiting_for(problem: Ticket, reader: Person | None) -> list[Ticket]:
    """The open incidents of a problem, those of a reader or all."""
    linked = Link.objects.filter(kind=LinkKind.CAUSED_BY, target=problem, source__kind="incident")
    rows = Ticket.objects if reader is None else policies.visible_to(reader)
    found = rows.filter(pk__in=linked.values("source"), is_open=True)
    return list(found.order_by("pk")[:MOST_WAITING])


def _held_back(ticket: Ticket) -> str:
    """What is left with a record so that it does not end by itself, in words, or nothing."""
    left = left_open(ticket)
    return f"“{left[0].words}” is open." if left else undecided(ticket)


def _caused_by(ticket: Ticket) -> int:
    """How many incidents are linked as caused by a change."""
    return Link.objects.filter(kind=LinkKind.CAUSED_BY, target=ticket).count()
