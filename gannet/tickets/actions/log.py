"""Logging a ticket: classify, prioritise, route, promise, tell – in one transaction."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID

from django.db import transaction
from django.db.models import Model

from gannet.audit.models import Audience
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.people.roles import reads_desk
from gannet.rulebook.book import Book, current
from gannet.tickets import intake, routing
from gannet.tickets.actions.effects import add_tasks, carry_out
from gannet.tickets.actions.frame import RecordWrite
from gannet.tickets.events import TicketEvent
from gannet.tickets.files import attach
from gannet.tickets.kinds import kind_of, kinds, usual
from gannet.tickets.models import Channel, Ticket
from gannet.tickets.setting import set_custom
from gannet.tickets.states import state_code
from gannet.web.errors import Invalid, TooOften
from gannet_core import rules
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
    values: Mapping[str, Any] = field(default_factory=dict)
    template: str = ""
    category: str = ""
    parent: Ticket | None = None
    # What it is a record of; nothing said: of the usual kind.
    kind: str = ""
    beneficiary: Person | None = None
    route: str = ""
    # Who does it, if that is settled already, and why.
    given_team: tuple[Team, str] | None = None
    # Who gets it, if somebody says so, and why.
    given_person: tuple[Person, str] | None = None
    # Begins what the kind keeps of it in a table of its own; it is saved with the record.
    facts: Callable[[Ticket], Model] | None = None
    is_secret_by_service: bool = True
    # It is a part of what has been acknowledged as a whole.
    is_part: bool = False


def log_ticket(new: NewTicket, acting: Acting) -> Ticket:
    """Log a record and everything that follows from it; returns the saved ticket."""
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
        ticket = draft_ticket(new, book, acting.now_s)
        write = RecordWrite(ticket, acting, [], book=book, is_new=True)
        facts: Model | None = getattr(ticket, "own_facts", None)
        if facts is not None:
            write.afterwards(lambda: keep_facts(ticket, facts))
        found = intake.decide(book, ticket, acting.now_s)
        chosen = found.person
        write.look_again_s = chosen.retry_at_s
        text = new.text.strip() or (title if len(title) > MAX_TITLE else "")
        write.record(
            TicketEvent.LOGGED,
            by_desk=_logged_by_desk(new, acting),
            is_automatic=False,
            audience=Audience.EVERYBODY,
            text=text,
            facts={
                "team": ticket.team.key,
                "person": str(chosen.person.pk) if chosen.person else None,
            },
            values=_said(new, ticket, found),
        )
        write.retarget()
        write.start_team_clocks()
        if not new.is_part and kind_of(ticket).is_for_requesters:
            write.tell(new.requester, "logged")
        write.tell(chosen.person, "yours", chosen.sentence)
        _carry_out(write, found.run)
        template = book.templates.get(ticket.template)
        for key in (template or {}).get("tasks") or ():
            add_tasks(write, key, f"the template “{template['name']}”" if template else "")
        write.finish()
        if chosen.person is not None:
            routing.mark_turn(ticket.team, chosen.person.pk, write.events[0].id)
        attach(ticket, new.attachments, write.events[0].id, acting)
    return ticket


def given_people(team: int | None, person: int | None) -> dict[str, Any]:
    """Whom somebody on the phone gives a ticket to, as arguments of `NewTicket`."""
    found: dict[str, Any] = {}
    if team is not None:
        chosen = Team.objects.filter(pk=team, is_board=False).first()
        if chosen is None:
            raise Invalid("There is no such team.", fields={"team": "Choose a team."})
        found["given_team"] = (chosen, "whoever logged it chose the team")
    if person is not None:
        who = Person.objects.filter(pk=person, is_active=True).first()
        if who is None or not who.is_on_desk:
            raise Invalid("They do not work on tickets.", fields={"person": "Choose a person."})
        found["given_person"] = (who, "whoever logged it chose them")
    return found


def keep_facts(ticket: Ticket, facts: Model) -> None:
    """Save what a kind keeps of a record, now that the record has its number."""
    facts.ticket_id = ticket.pk  # type: ignore[attr-defined]
    facts.save(force_insert=True)


# More than anybody reports: mail and monitoring have brakes of their own.
_FLOOD_TICKETS, _FLOOD_SECONDS = 40, 600


def check_flood(requester: Person, now_s: int) -> None:
    """Refuse what comes by the portal faster than people report or ask."""
    lately = Ticket.objects.filter(
        requester=requester, opened_s__gt=now_s - _FLOOD_SECONDS, channel=Channel.PORTAL
    )
    if lately.count() >= _FLOOD_TICKETS:
        raise TooOften(
            f"{_FLOOD_TICKETS} things were asked for in {_FLOOD_SECONDS // 60} minutes. "
            "Write to the desk about one of them, or wait a little."
        )


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


def unsaid(new: NewTicket, book: Book) -> dict[str, str]:
    """What neither an answer nor whoever logs it has stated, with its question."""
    asks = {str(one["sets"]): str(one["asks"]) for one in book.questions if one.get("sets")}
    stated = {one["sets"] for one in book.questions if new.answers.get(one["key"])}
    stated |= {axis for axis in ("impact", "urgency") if getattr(new, axis)}
    return {axis: asks.get(axis, axis) for axis in ("impact", "urgency") if axis not in stated}


def draft_ticket(new: NewTicket, book: Book, now_s: int) -> Ticket:
    """The ticket that what was said describes, not routed and not saved yet."""
    title = " ".join(new.title.split())[:MAX_TITLE]
    answer = understood(new, book)
    service = new.service
    kind = kinds()[new.kind] if new.kind else usual()
    ticket = Ticket(
        kind=kind.key,
        state=state_code(kind.lifecycle.first.name),
        beneficiary=new.beneficiary,
        route=new.route,
        title=title,
        title_folded=fold(title),
        requester=new.requester,
        service=service,
        ci=new.ci,
        category=_category(new, book),
        place=new.place or new.requester.place,
        channel=new.channel,
        answers=dict(new.answers),
        impact=answer.impact,
        urgency=answer.urgency,
        is_impact_assumed=int(kind.is_usual and "impact" in unsaid(new, book)),
        is_urgency_assumed=int(kind.is_usual and "urgency" in unsaid(new, book)),
        priority=answer.priority,
        edition=book.number,
        agreement="",
        care_tier=min(book.shares(new.requester.care_tiers), default=""),
        opened_s=now_s,
        changed_s=now_s,
        template=new.template if new.template in book.templates else "",
        parent=new.parent,
        is_confidential=int(
            new.is_confidential
            # Asking for something is no secret; what is reported to such a service is.
            or bool(service and service.is_confidential and new.is_secret_by_service)
        ),
    )
    for name, value in new.values.items():
        if name in book.fields:
            set_custom(ticket, name, value, book)
    if new.given_team is not None:
        # A rule may still say otherwise.
        ticket.given_team = new.given_team  # type: ignore[attr-defined]
    if new.given_person is not None:
        ticket.given_person = new.given_person  # type: ignore[attr-defined]
    if new.facts is not None:
        ticket.own_facts = new.facts(ticket)  # type: ignore[attr-defined]
    return ticket


def _category(new: NewTicket, book: Book) -> str:
    """What was said, else the template's, else the service's."""
    template = book.templates.get(new.template, {})
    for said in (new.category, template.get("category")):
        if said and said in book.categories:
            return str(said)
    return new.service.category if new.service else ""


def _said(new: NewTicket, ticket: Ticket, found: intake.Intake) -> dict[str, Any]:
    """What the first event keeps: what was said, and why everything came out as it did."""
    said: dict[str, Any] = {
        "title": ticket.title,
        "channel": new.channel,
        "answers": dict(new.answers),
        "why_team": found.team_because,
        "why_person": found.person.why,
        "person": found.person.sentence,
        "classified_by": new.suggestion_why,
        # As it was classified, so that a replay starts where this did.
        "as": {
            "service": ticket.service.name if new.service and ticket.service else None,
            "ci": new.ci.name if new.ci else None,
            "place": ticket.place,
            "impact": new.impact,
            "urgency": new.urgency,
            "values": dict(new.values),
        },
    }
    if found.run.traces:
        said["rules"] = [trace.as_json() for trace in found.run.traces]
    return said


def _carry_out(write: RecordWrite, run: rules.RuleRun) -> None:
    """What the rules want beyond fields and people, which are set already."""
    names = {trace.key: trace.name for trace in run.traces}
    for effect in run.effects:
        carry_out(write, effect.do, effect.parts, f"the rule “{names[effect.rule]}”")


def _logged_by_desk(new: NewTicket, acting: Acting) -> bool:
    person = acting.person
    if person is None or not reads_desk(person):
        return False
    is_asked_for = not new.kind or kinds()[new.kind].is_for_requesters
    return person.pk != new.requester.pk or not is_asked_for
