"""Declaring a major incident, standing it down, declaring it again."""

import random
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from secrets import SystemRandom
from typing import Any

from django.conf import settings
from django.db import transaction
from django.utils.text import slugify

from gannet.estate.models import ConfigItem, Service
from gannet.majors.events import MajorEvent
from gannet.majors.gathering import gather
from gannet.majors.models import KIND, Hearers, MajorFacts, MajorRole, RoomChannel
from gannet.majors.plans import LEAD, Plan, plan_for, plan_named
from gannet.majors.standing import leads, let_in, locked, may_declare, people_of, running_of
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.people.roles import team_ids
from gannet.rulebook.book import current
from gannet.tickets.actions import endings
from gannet.tickets.actions.announce import over
from gannet.tickets.actions.effects import add_tasks, recipients
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.log import NewTicket, log_ticket
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Channel, Ticket
from gannet.tickets.record import find
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Refused
from gannet_core.instants import seconds_of
from gannet_core.majors import CALL_SIGN_RESTS_S, draw_call_sign, next_update

NOT_YOURS = "Major incident leads and team leads declare."
_chance: random.Random = SystemRandom()


@dataclass(frozen=True, kw_only=True)
class NewMajor:
    """What is said when a major incident is declared; the rest follows from plan and source."""

    title: str = ""
    text: str = ""
    plan: str = ""
    service: Service | None = None
    ci: ConfigItem | None = None
    is_drill: bool = False
    began_at: datetime | None = None


def not_declared(ticket: Ticket, person: Person) -> str:
    """Why somebody cannot declare a record a major incident, in words, or nothing."""
    if not may_declare(person):
        return NOT_YOURS
    if not ticket.is_open:
        return "It has ended: reopen it first."
    running = running_of(ticket)
    if running is not None:
        return f"It is part of {running.call_sign} already."
    return ""


@transaction.atomic
def declare(acting: Acting, new: NewMajor, source: Ticket | None = None) -> Ticket:
    """Declare a major incident, of an incident or by itself: everything of its plan is there."""
    person = acting.person
    if person is None or not may_declare(person):
        raise Refused(NOT_YOURS)
    if source is not None and (words := not_declared(source, person)):
        raise Conflict(words)
    book = current()
    known = {
        "kind": "incident",
        "title": new.title,
        "service": new.service.name if new.service else None,
        "ci": new.ci.name if new.ci else None,
        "confidential": bool(new.service and new.service.is_confidential),
    }
    plan = plan_named(book, new.plan) if new.plan else plan_for(book, source, known)
    title = new.title.strip() or (source.title if source else "")
    if not title:
        raise Invalid("Say in a few words what it is.", fields={"title": "This is empty."})
    began_s = seconds_of(new.began_at) if new.began_at else None
    reported_s = source.opened_s if source else acting.now_s
    if began_s is not None and began_s > reported_s:
        raise Invalid(
            "It began before it was reported.", fields={"began_at": "Choose an earlier time."}
        )
    team = Team.objects.filter(name=plan.get("team") or "", is_board=False).first()
    team = team or (source.team if source else None)
    is_closed = bool(plan.get("is_closed")) or bool(source and source.is_confidential)
    is_closed = is_closed or bool(new.service and new.service.is_confidential)
    # What is confidential its team holds; whoever declared it leads it all the same.
    may_hold = person.is_on_desk and (not is_closed or (team and team.pk in team_ids(person)))
    sign = _call_sign(acting.now_s)
    ticket = log_ticket(
        NewTicket(
            kind=KIND,
            requester=person,
            title=title,
            text=new.text,
            channel=Channel.DESK,
            service=new.service or (source.service if source else None),
            ci=new.ci or (source.ci if source else None),
            category=source.category if source else "",
            place=source.place if source else "",
            impact=1,
            urgency=1,
            is_confidential=is_closed,
            given_team=(team, "the plan says so") if team else None,
            given_person=(person, "they declared it") if may_hold else None,
            facts=lambda ticket: MajorFacts(
                call_sign=sign,
                plan=str(plan["key"]),
                planned=dict(plan),
                is_drill=int(new.is_drill),
                source=source,
                began_s=began_s,
                reported_s=reported_s,
                declared_s=acting.now_s,
                conference=_call(sign, plan),
                summary=new.text.strip(),
                checklist=[
                    {"text": str(one)[:200], "who": "", "at_s": None}
                    for one in plan.get("checklist") or ()
                ],
            ),
        ),
        acting,
    )
    facts = MajorFacts.objects.get(ticket=ticket)
    _open_room(facts, plan, acting)
    with writing(ticket.pk, acting, TicketEvent.NOTED) as write:
        write.record(
            MajorEvent.DECLARED,
            values={"call_sign": sign, "plan": plan["name"], "drill": new.is_drill},
        )
        _tell_declared(write, facts, plan)
        for key in plan.get("tasks") or ():
            add_tasks(write, str(key), f"the plan “{plan['name']}”")
    if source is not None:
        gather(ticket.pk, acting, [source.pk])
        with writing(source.pk, acting) as write:
            write.ticket.is_major_suggested = 0
            write.record(MajorEvent.DECLARED_FROM, values={"major": ticket.pk})
    return ticket


def stand_down(number: int, acting: Acting, why: str, restored: datetime | None) -> Ticket:
    """It is over: updates end, the review begins."""
    if not why.strip():
        raise Invalid("Say why it is over.", fields={"why": "This is empty."})
    with writing(number, acting, MajorEvent.STOOD_DOWN) as write:
        facts = leads(write)
        if restored is not None:
            restored_s = seconds_of(restored)
            if not facts.reported_s <= restored_s <= acting.now_s:
                raise Invalid(
                    "It worked again after it was reported, and by now.",
                    fields={"restored_at": "Choose a time between."},
                )
            facts.restored_s = restored_s
        facts.restored_s = facts.restored_s or acting.now_s
        facts.stood_down_s = acting.now_s
        facts.save()
        facts.audiences.update(due_s=None)
        write.ticket.major_facts = facts
        write.record(MajorEvent.STOOD_DOWN, text=why.strip())
        over(write)
        for about in ("major", "update", "room"):
            messenger().gone(acting.now_s, about=f"{about}:{number}")
        for person in people_of(facts):
            write.tell(person, "major stood down", f"{facts.call_sign}: {why.strip()}")
    return write.ticket


def declare_again(number: int, acting: Acting, why: str) -> Ticket:
    """It is back, or was never over: the same room, and news are due again."""
    if not why.strip():
        raise Invalid("Say why.", fields={"why": "This is empty."})
    if not may_declare(acting.person):
        raise Refused(NOT_YOURS)
    with writing(number, acting, MajorEvent.AGAIN) as write:
        facts = locked(write)
        was_ended = not write.ticket.is_open
        ended = endings.last_ending(write.ticket) if was_ended else None
        facts.stood_down_s = facts.restored_s = None
        facts.save()
        write.ticket.major_facts = facts
        write.record(MajorEvent.AGAIN, text=why.strip())
        if ended is not None:
            endings.bring_back(write, ended, is_undo=False)
            write.ticket.closed_s = None
        for hearers in facts.audiences.all():
            hearers.due_s = next_update(acting.now_s, None, hearers.minutes * 60)
            hearers.reminded_s = 0
            hearers.save(update_fields=["due_s", "reminded_s"])
        for person in people_of(facts):
            write.tell(person, "major declared", f"{facts.call_sign} again: {why.strip()}")
    return write.ticket


def _open_room(facts: MajorFacts, plan: Plan, acting: Acting) -> None:
    assert acting.person is not None
    MajorRole.objects.create(major=facts, role=LEAD, person=acting.person, from_s=acting.now_s)
    said = list(plan.get("channels") or ())
    if not any(not one.get("is_closed") for one in said):
        said.insert(0, {"name": "responders"})
    for position, one in enumerate(said):
        channel = RoomChannel.objects.create(
            major=facts,
            name=str(one["name"])[:40],
            is_closed=int(bool(one.get("is_closed"))),
            in_chat=int(bool(one.get("in_chat")) and not one.get("is_closed")),
            position=position,
        )
        people = Person.objects.filter(email__in=one.get("people") or (), is_active=True)
        teams = Team.objects.filter(name__in=one.get("teams") or (), is_board=False)
        channel.people.set(people)
        channel.teams.set(teams)
        let_in(facts.ticket, people)
        let_in(
            facts.ticket,
            Person.objects.filter(memberships__team__in=teams, is_active=True).distinct(),
        )
    for position, one in enumerate(plan.get("audiences") or ()):
        minutes = int(one["minutes"])
        Hearers.objects.create(
            major=facts,
            name=str(one["name"])[:60],
            words=str(one.get("words") or ""),
            minutes=minutes,
            to=list(one.get("to") or ()),
            # What is confidential, or a drill, is told to nobody outside.
            on_portal=int(bool(one.get("on_portal")) and _is_told_outside(facts)),
            on_status_page=int(bool(one.get("on_status_page")) and _is_told_outside(facts)),
            due_s=next_update(facts.declared_s, None, minutes * 60),
            position=position,
        )


def _is_told_outside(facts: MajorFacts) -> bool:
    return not facts.is_drill and not facts.ticket.is_confidential


def _tell_declared(write: RecordWrite, facts: MajorFacts, plan: Plan) -> None:
    words = f"{facts.call_sign}: {write.ticket.title}"
    if facts.is_drill:
        words = f"Drill. {words}"
    told = people_of(facts)
    if not facts.is_drill:
        told += recipients(write, [str(who) for who in plan.get("told") or ()])
    for person in dict.fromkeys(told):
        write.tell(person, "major declared", words)


def _call_sign(now_s: int) -> str:
    used = MajorFacts.objects.filter(declared_s__gt=now_s - CALL_SIGN_RESTS_S)
    return draw_call_sign(dict(used.values_list("call_sign", "declared_s")), now_s, _chance)


def _call(sign: str, plan: Plan) -> str:
    """Where the conference is: the site's own, with the call sign at its end, or none."""
    base = str(plan.get("conference") or settings.CONFERENCE_URL or "")
    return f"{base.rstrip('/')}/{slugify(sign)}" if base else ""


def declare_from(number: int, acting: Acting, said: Mapping[str, Any]) -> Ticket:
    """Declare a major incident from one that somebody sees; returns the major one."""
    assert acting.person is not None
    source = find(number, acting.person)
    if source.kind != "incident":
        raise Invalid(f"{source.kind.capitalize()} {source.pk} is no incident.")
    new = NewMajor(
        title=str(said.get("title") or ""),
        text=str(said.get("text") or ""),
        plan=str(said.get("plan") or ""),
        is_drill=bool(said.get("is_drill")),
        began_at=said.get("began_at"),
    )
    return declare(acting, new, source)
