"""Paging: whoever's turn it is, then the next, until somebody answers or nobody is left."""

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

from gannet.oncall.events import OnCallEvent
from gannet.oncall.models import Answer, Page, PageCall
from gannet.oncall.rotas import duty_of
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.tickets.actions import endings, timers
from gannet.tickets.actions.effects import carries_out
from gannet.tickets.actions.endings import Ending
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Ticket, Timer
from gannet.tickets.policies import may_know
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid
from gannet_core.lifecycle import Act

NOBODY_WAITS = "Nobody waits for your answer."
_TIMER, _PAGED = "page", "paged"
# Where a team has no rota, its leads are paged, and who does not answer is followed so soon.
_NEXT_MINUTES = 10


def page(number: int, acting: Acting, why: str, team: int | None = None) -> Ticket:
    """Page whoever is on call for a team, that of the record if none is named."""
    if not why.strip():
        raise Invalid("Say why they are paged.", fields={"why": "This is empty."})
    with writing(number, acting, Act.NOTED) as write:
        if not write.ticket.is_open:
            raise Conflict(f"This is {write.state_name}: reopen it first.")
        found = Team.objects.filter(pk=team or write.ticket.team_id, is_board=False).first()
        if found is None:
            raise Invalid("There is no such team.", fields={"team": "Choose one."})
        running = _running(write.ticket, found)
        if running is not None:
            last = running.pages.select_related("person").last()
            whom = last.person.name if last else found.name
            raise Conflict(f"{whom} was paged already, and may still answer.")
        if not _begin(write, found, why.strip()[:300], ""):
            raise Conflict(f"{found.name} has nobody who could be paged about this.")
    return write.ticket


def answer(number: int, acting: Acting) -> Ticket:
    """Answer a page: it is yours to see to, and nobody else is paged for it."""
    with writing(number, acting, Act.NOTED) as write:
        calls = calls_to(write.ticket, acting.person)
        if not calls:
            raise Conflict(NOBODY_WAITS)
        for call in calls:
            write.record(OnCallEvent.ANSWERED, values={"team": call.team.name})
            _end(call, acting.now_s, acting.person)
    return write.ticket


def calls_to(ticket: Ticket, person: Person | None) -> list[PageCall]:
    """The open calls that somebody may answer: they were paged, or are of the team."""
    if person is None:
        return []
    rows = ticket.page_calls.filter(ended_s=None).select_related("team")
    return [
        call
        for call in rows
        if call.pages.filter(person=person).exists()
        or call.team.memberships.filter(person=person).exists()
    ]


def calls_json(ticket: Ticket) -> list[dict[str, Any]]:
    """Who was paged about a record, and what came of it, the last call first."""
    rows = ticket.page_calls.select_related("team", "asked_by", "answered_by")
    return [
        {
            "id": call.pk,
            "team": call.team.name,
            "why": call.why,
            "asked_by": call.asked_by.name if call.asked_by else "",
            "at_s": call.at_s,
            "ended_s": call.ended_s,
            "answered_by": call.answered_by.name if call.answered_by else "",
            "pages": [
                {"person": one.person.name, "at_s": one.at_s, "answer": one.answer}
                for one in call.pages.select_related("person")
            ],
        }
        for call in rows.order_by("-id")[:20]
    ]


@carries_out("page")
def _page_by_rule(write: RecordWrite, parts: Mapping[str, Any], by: str) -> None:
    """A rule or an escalation step pages a team: its own, or the one it names."""
    name = str(parts.get("team") or "")
    team = Team.objects.filter(name=name).first() if name else write.ticket.team
    if team is None or (write.ticket.pk and _running(write.ticket, team) is not None):
        return
    _begin(write, team, "", by)


def _begin(write: RecordWrite, team: Team, why: str, by: str) -> bool:
    order, minutes = _order(write.ticket, team, write.acting.now_s)
    # Whoever pages knows of it.
    order = [one for one in order if one != write.acting.person_id]
    if not order:
        return False
    person = Person.objects.get(pk=order[0])
    write.record(
        OnCallEvent.PAGED,
        is_automatic=bool(by),
        by_desk=not by,
        values={"who": person.name, "team": team.name, "why": why, "by": by, "by_hand": not by},
    )
    write.tell(person, _PAGED, why or write.ticket.title)

    def keep() -> None:
        call = PageCall.objects.create(
            ticket=write.ticket, team=team, why=why or by[:300], at_s=write.acting.now_s,
            asked_by=None if by else write.acting.person,
        )  # fmt: skip
        _keep_page(call, person, minutes, write.acting.now_s)

    write.afterwards(keep)
    return True


def _order(ticket: Ticket, team: Team, now_s: int) -> tuple[list[int], int]:
    """Who is paged, the first first, and after how many minutes the next; who may know of it.

    After the rota come the leads of the team; where there is neither, its members.
    """
    duty = duty_of(team, now_s)
    members = team.memberships.filter(person__is_active=True).order_by("person_id")
    leads = list(members.filter(is_lead=True).values_list("person_id", flat=True))
    found = [*(duty.order(now_s) if duty else []), *leads]
    found = found or list(members.values_list("person_id", flat=True))
    people = Person.objects.in_bulk(found)
    hears = kind_of(ticket).hears
    found = [one for one in found if one in people and hears(ticket, people[one])]
    if not ticket.pk and ticket.is_confidential and team.pk != ticket.team_id:
        return [], _NEXT_MINUTES
    if ticket.pk and ticket.is_confidential:
        found = [one for one in found if may_know(people[one], ticket.pk)]
    return list(dict.fromkeys(found)), duty.next_minutes if duty else _NEXT_MINUTES


def _keep_page(call: PageCall, person: Person, minutes: int, now_s: int) -> None:
    Page.objects.create(call=call, person=person, at_s=now_s)
    timers.set_timer(_TIMER, str(call.pk), now_s + minutes * 60, call.ticket)


def _unanswered(timer: Timer, acting: Acting) -> None:
    """Who was paged last has not answered: the next is, or the call ends unanswered."""
    with writing(timer.ticket_id or 0, acting) as write:
        call = PageCall.objects.select_for_update().filter(pk=int(timer.subject)).first()
        if call is None or call.ended_s is not None:
            return
        paged = list(call.pages.select_related("person"))
        call.pages.filter(answer=Answer.WAITS).update(answer=Answer.NONE)
        order, minutes = _order(write.ticket, call.team, acting.now_s)
        known = {call.asked_by_id, *(row.person_id for row in paged)}
        left = [one for one in order if one not in known]
        if left:
            person = Person.objects.get(pk=left[0])
            write.record(
                OnCallEvent.PAGED,
                is_automatic=True,
                by_desk=False,
                values={
                    "who": person.name, "team": call.team.name, "why": "", "by": "no answer",
                    "after": paged[-1].person.name if paged else "",
                },
            )  # fmt: skip
            write.tell(person, _PAGED, call.why or write.ticket.title)
            write.afterwards(partial(_keep_page, call, person, minutes, acting.now_s))
            return
        write.record(
            OnCallEvent.UNANSWERED,
            is_automatic=True,
            by_desk=False,
            values={"team": call.team.name, "people": [row.person.name for row in paged]},
        )
        for told in _who_hears(call, write.ticket):
            write.tell(told, "page unanswered", f"{call.team.name}: {call.why}")
        call.ended_s = acting.now_s
        call.save(update_fields=["ended_s"])


def _who_hears(call: PageCall, ticket: Ticket) -> Sequence[Person | None]:
    """Who learns that nobody answered: whoever asked, and whoever has the record."""
    return [call.asked_by, ticket.holder] if call.asked_by or ticket.holder else []


def _running(ticket: Ticket, team: Team) -> PageCall | None:
    return PageCall.objects.filter(ticket=ticket, team=team, ended_s=None).first()


def _end(call: PageCall, now_s: int, by: Person | None) -> None:
    waits = call.pages.filter(answer=Answer.WAITS)
    if by is not None:
        call.pages.filter(person=by).update(answer=Answer.ANSWERED)
    waits.update(answer=Answer.OVER)
    call.answered_by, call.ended_s = by, now_s
    call.save(update_fields=["answered_by", "ended_s"])
    timers.drop_timer(_TIMER, str(call.pk))
    if not PageCall.objects.filter(ticket=call.ticket_id, ended_s=None).exists():
        messenger().gone(now_s, about=f"{_PAGED}:{call.ticket_id}")


def _drop(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """The record has ended: nobody is paged about it any more."""
    for call in PageCall.objects.filter(ticket=write.ticket, ended_s=None):
        _end(call, write.acting.now_s, None)
    return None


timers.register(timers.TimerKind(key=_TIMER, fire=_unanswered))
endings.register(endings.EndingPart(name="pages", drop=_drop))
