"""After it: times as they were stated, what went well and what did not, the end of the review."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from gannet.knowledge.models import Article, ArticleState
from gannet.majors import standing
from gannet.majors.events import MajorEvent
from gannet.majors.gathering import numbers_of
from gannet.majors.models import MajorFacts
from gannet.people.acting import Acting
from gannet.problems.linking import NewProblem, open_problem, problems_of
from gannet.tickets.actions import endings
from gannet.tickets.actions.frame import writing
from gannet.tickets.actions.leftovers import left_open
from gannet.tickets.drafting import draft_of_parts
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet.tickets.record import find
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of

PARTS = ("summary", "well", "badly")
MOST_TEXT = 10_000
_STATED = {"began": "began_s", "restored": "restored_s"}


def write_summary(number: int, acting: Acting, text: str) -> None:
    """What is known, in a few sentences, for everybody in the room."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        facts.summary = text.strip()[:MOST_TEXT]
        facts.save(update_fields=["summary"])
        write.record(MajorEvent.SUMMARY)


def state_time(number: int, acting: Acting, what: str, at: datetime | None) -> None:
    """State when it began, or when all worked again."""
    if what not in _STATED:
        raise Invalid("That time is not stated.", fields={"what": ", ".join(_STATED)})
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        at_s = seconds_of(at) if at else None
        if at_s is not None and at_s > acting.now_s:
            raise Invalid("That lies ahead.", fields={"at": "Choose a time that has been."})
        if what == "began" and at_s is not None and at_s > facts.reported_s:
            raise Invalid(
                "It began before it was reported.", fields={"at": "Choose an earlier time."}
            )
        if what == "restored" and at_s is not None and at_s < facts.reported_s:
            raise Invalid(
                "It worked again after it was reported.", fields={"at": "Choose a later time."}
            )
        if what == "restored" and at_s is None and facts.stood_down_s is not None:
            raise Invalid("It is stood down: say when all worked again.", fields={"at": "Say it."})
        setattr(facts, _STATED[what], at_s)
        facts.save(update_fields=[_STATED[what]])
        if what == "restored" and at_s is not None:
            write.record(MajorEvent.RESTORED)
        else:
            words = "it began" if what == "began" else "all worked again"
            write.record(MajorEvent.BEGAN, values={"what": words})


def tick_off(number: int, acting: Acting, index: int, *, is_done: bool) -> None:
    """Tick off one of the first things to do, or take the tick back."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        if not 0 <= index < len(facts.checklist):
            raise Invalid("There is no such line.")
        line = facts.checklist[index]
        line["who"] = acting.person.name if is_done and acting.person else ""
        line["at_s"] = acting.now_s if is_done else None
        facts.save(update_fields=["checklist"])
        if is_done:
            write.record(MajorEvent.TICKED, text=line["text"])
        else:
            write.record(TicketEvent.NOTED, text=f"“{line['text']}” is open again.")


def write_review(number: int, acting: Acting, given: Mapping[str, str]) -> None:
    """What went well, what did not; kept while it is written."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        if facts.stood_down_s is None:
            raise Conflict("It is running: stand it down first.")
        for part in PARTS:
            if part in given:
                facts.review[part] = str(given[part]).strip()[:MOST_TEXT]
        facts.save(update_fields=["review"])
        write.record(MajorEvent.REVIEW_WRITTEN)


def end_review(number: int, acting: Acting) -> Ticket:
    """The review is written; its actions live on as follow-ups."""
    with writing(number, acting, MajorEvent.REVIEWED) as write:
        facts = standing.leads(write)
        missing = [part for part in ("well", "badly") if not facts.review.get(part)]
        if missing:
            raise Conflict("Say what went well and what did not: then the review can end.")
        left = left_open(write.ticket)
        if left:
            raise Conflict(f"“{left[0].words}” is open: do it, or make it a follow-up.")
        endings.end(write, MajorEvent.REVIEWED)
        for about in ("major", "update", "room"):
            messenger().gone(acting.now_s, about=f"{about}:{number}")
    return write.ticket


@transaction.atomic
def problem_of(number: int, acting: Acting) -> Ticket:
    """The problem that looks for its cause: opened of it and its incidents, or the one there is."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        facts.ticket = write.ticket
        if facts.is_drill:
            raise Conflict("This is a drill: nothing has failed.")
        numbers = numbers_of(facts)
        known = problems_of(numbers)
        if known:
            return Ticket.objects.get(pk=next(iter(known.values())))
        ticket = write.ticket
        made = open_problem(
            NewProblem(
                title=ticket.title,
                text=facts.summary or facts.review.get("summary", ""),
                service=ticket.service,
                ci=ticket.ci,
                category=ticket.category,
                incidents=[pk for pk in numbers if _may_link(pk, ticket)],
                born_of=f"major incident {number}, {facts.call_sign}",
                is_confidential=bool(ticket.is_confidential),
            ),
            acting,
        )
        write.record(
            TicketEvent.NOTED, text=f"Problem {made.pk} looks for the cause of {facts.call_sign}."
        )
    return made


def article_of(number: int, acting: Acting) -> Article:
    """A draft of what was learned, without the people in it; the one there is, if there is one."""
    assert acting.person is not None
    ticket = find(number, acting.person)
    facts = MajorFacts.objects.get(ticket=ticket)
    if facts.is_drill:
        raise Conflict("This is a drill: nothing has failed.")
    known = Article.objects.filter(source=ticket).exclude(state=ArticleState.RETIRED).first()
    if known is not None:
        return known
    parts = [
        ("What happens", facts.summary or facts.review.get("summary", "")),
        ("What helps", facts.review.get("well", "")),
        ("What to look out for", facts.review.get("badly", "")),
    ]
    if not any(words for _, words in parts):
        raise Conflict("Nothing is written of it yet: say what is known, or write the review.")
    return draft_of_parts(ticket, parts, acting)


def _may_link(number: int, ticket: Ticket) -> bool:
    return bool(ticket.is_confidential) or not Ticket.objects.get(pk=number).is_confidential


def follow_ups(facts: MajorFacts) -> list[dict[str, Any]]:
    """Its tasks: those of the work and those that outlive it."""
    rows = facts.ticket.tasks.select_related("person", "team")
    return [
        {
            "id": one.pk,
            "title": one.title,
            "state": one.state,
            "person": one.person.name if one.person else (one.team.name if one.team else ""),
            "due_s": one.due_s,
            "is_follow_up": bool(one.outlives),
        }
        for one in rows
    ]
