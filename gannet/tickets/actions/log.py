"""Logging a ticket: classify, prioritise, route, promise, tell – in one transaction."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

from django.db import transaction

from gannet.audit.models import Audience, Kind
from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person
from gannet.rulebook.book import Book, current
from gannet.tickets import policies, routing
from gannet.tickets.actions.frame import Acting, Work
from gannet.tickets.files import attach
from gannet.tickets.models import Channel, Ticket
from gannet.web.errors import Invalid
from gannet_core.conditions import fold
from gannet_core.errors import PriorityError
from gannet_core.priority import PriorityAnswer, priority_of, read_answers

MAX_TITLE = 200
MAX_TEXT = 50_000


@dataclass(frozen=True, kw_only=True)
class NewTicket:
    """What is said when a fault is reported; everything else follows from it."""

    requester: Person
    title: str
    text: str = ""
    channel: Channel = Channel.PORTAL
    service: Service | None = None
    ci: ConfigItem | None = None
    place: str = ""
    answers: Mapping[str, str] = field(default_factory=dict)
    impact: int | None = None
    urgency: int | None = None
    is_confidential: bool = False
    attachments: Sequence[UUID] = ()
    suggestion_why: str = ""


def log_ticket(new: NewTicket, acting: Acting) -> Ticket:
    """Log an incident and everything that follows from it; returns the saved ticket."""
    title = " ".join(new.title.split())
    if not title:
        raise Invalid("Say in a few words what is wrong.", fields={"title": "This is empty."})
    if len(new.text) > MAX_TEXT:
        raise Invalid(
            "That text is too long to keep: attach it as a file instead.",
            fields={"text": f"At most {MAX_TEXT} characters."},
        )
    with transaction.atomic():
        book = current()
        ticket = _ticket(new, title[:MAX_TITLE], book, acting)
        work = Work(ticket, acting, [], book=book, is_new=True)
        team, team_choice = routing.choose_team(book, ticket)
        ticket.team = team
        chosen = routing.choose_person(book, ticket, team, acting.now_s)
        ticket.holder = chosen.person
        ticket.retry_routing_s = chosen.retry_at_s  # type: ignore[attr-defined]
        text = new.text.strip() or (title if len(title) > MAX_TITLE else "")
        work.record(
            Kind.LOGGED,
            by_desk=_logged_by_desk(new, acting),
            is_automatic=False,
            audience=Audience.EVERYBODY,
            text=text,
            facts={"team": team.key, "person": str(chosen.person.pk) if chosen.person else None},
            values={
                "title": ticket.title,
                "channel": new.channel,
                "answers": dict(new.answers),
                "why_team": team_choice.because,
                "why_person": chosen.why,
                "person": chosen.sentence,
                "classified_by": new.suggestion_why,
            },
        )
        work.retarget()
        work.start_team_clocks()
        work.tell(new.requester, "logged")
        work.tell(chosen.person, "yours", chosen.sentence)
        work.finish()
        if chosen.person is not None:
            routing.mark_turn(team, chosen.person.pk, work.events[0].id)
        attach(ticket, new.attachments, work.events[0].id, acting)
    return ticket


def understood(new: NewTicket, book: Book) -> PriorityAnswer:
    """Impact, urgency and priority as the answers state them, else the service's default."""
    try:
        stated = read_answers(book.questions, new.answers)
    except PriorityError as error:
        raise Invalid(
            "One of the answers is not among the choices. Choose again.",
            fields={"answers": str(error)},
        ) from error
    levels = len(book.matrix["impact"]), len(book.matrix["urgency"])
    service = new.service
    impact = (
        new.impact or stated.get("impact") or (service.default_impact if service else levels[0])
    )
    urgency = (
        new.urgency or stated.get("urgency") or (service.default_urgency if service else levels[1])
    )
    try:
        return priority_of(book.matrix, impact, urgency)
    except PriorityError as error:
        raise Invalid(str(error), fields={"impact": str(error)}) from error


def _ticket(new: NewTicket, title: str, book: Book, acting: Acting) -> Ticket:
    answer = understood(new, book)
    service = new.service
    return Ticket(
        kind="incident",
        title=title,
        title_folded=fold(title),
        requester=new.requester,
        service=service,
        ci=new.ci,
        category=service.category if service else "",
        place=new.place or new.requester.place,
        channel=new.channel,
        answers=dict(new.answers),
        impact=answer.impact,
        urgency=answer.urgency,
        priority=answer.priority,
        edition=book.number,
        agreement="",
        opened_s=acting.now_s,
        changed_s=acting.now_s,
        is_confidential=int(new.is_confidential or bool(service and service.is_confidential)),
    )


def _logged_by_desk(new: NewTicket, acting: Acting) -> bool:
    person = acting.person
    return person is not None and person.pk != new.requester.pk and policies.reads_desk(person)
