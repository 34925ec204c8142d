"""Time spent on a ticket: minutes written down, or measured from start to stop."""

from django.db.models import Sum

from gannet.people.acting import Acting
from gannet.tickets import policies
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket, TimeEntry
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.lifecycle import Act

MOST_MINUTES = 24 * 60


def log_time(ticket_id: int, acting: Acting, minutes: int, what: str) -> Ticket:
    """Write minutes down, with what they were for; possible on a closed ticket as well."""
    _check_minutes(minutes)
    with writing(ticket_id, acting, Act.NOTED) as write:
        _add(write, minutes, what)
    return write.ticket


def start_timer(ticket_id: int, acting: Acting) -> Ticket:
    """Start measuring; a timer that runs elsewhere is stopped and written down first."""
    person = acting.person
    if person is None:
        raise Invalid("Only a person measures their time.")
    running = TimeEntry.objects.filter(person=person, started_s__isnull=False).first()
    if running is not None and running.ticket_id == ticket_id:
        raise Conflict("Your time runs on this ticket already.")
    if running is not None:
        stop_timer(running.ticket_id, acting, "")
    with writing(ticket_id, acting, Act.NOTED) as write:
        TimeEntry.objects.create(
            ticket=write.ticket, person=person, started_s=acting.now_s, made_s=acting.now_s
        )
    return write.ticket


def stop_timer(ticket_id: int, acting: Acting, what: str, minutes: int | None = None) -> Ticket:
    """Stop measuring; what was measured, to the begun minute, or what the person says it was."""
    with writing(ticket_id, acting, Act.NOTED) as write:
        running = TimeEntry.objects.filter(
            person=acting.person, ticket_id=ticket_id, started_s__isnull=False
        ).first()
        if running is None or running.started_s is None:
            raise Conflict("Your time does not run on this ticket.")
        measured = max(1, -(-(acting.now_s - running.started_s) // 60))
        running.delete()
        spent = min(measured, MOST_MINUTES) if minutes is None else minutes
        _check_minutes(spent)
        _add(write, spent, what)
    return write.ticket


def drop_time(ticket_id: int, acting: Acting, entry_id: int) -> Ticket:
    """Take an entry of one's own away; a lead of the team may take anybody's."""
    with writing(ticket_id, acting, Act.NOTED) as write:
        entry = TimeEntry.objects.filter(pk=entry_id, ticket_id=ticket_id).first()
        if entry is None:
            raise Missing("There is no such entry.")
        person = acting.person
        if person is not None and entry.person_id != person.pk:
            leads = person.memberships.filter(team=write.ticket.team_id, is_lead=True).exists()
            if not leads:
                raise Refused("Only who logged it, or a lead of the team, takes it away.")
        write.record(
            TicketEvent.TIME_LOGGED, values={"minutes": -entry.minutes, "what": entry.what}
        )
        entry.delete()
        _count(write)
    return write.ticket


def _check_minutes(minutes: int) -> None:
    if not 1 <= minutes <= MOST_MINUTES:
        raise Invalid(
            "Say how many minutes: 1 to a day's worth.",
            fields={"minutes": f"From 1 to {MOST_MINUTES}."},
        )


def _add(write: RecordWrite, minutes: int, what: str) -> None:
    person = write.acting.person
    if person is None or not policies.works_on(person, write.ticket):
        raise Refused("Only the desk logs its time.")
    words = " ".join(what.split())[:200]
    TimeEntry.objects.create(
        ticket=write.ticket,
        person=person,
        minutes=minutes,
        what=words,
        made_s=write.acting.now_s,
    )
    write.record(TicketEvent.TIME_LOGGED, values={"minutes": minutes, "what": words})
    _count(write)


def _count(write: RecordWrite) -> None:
    total = write.ticket.time_entries.aggregate(total=Sum("minutes"))["total"]
    write.ticket.minutes = total or 0
