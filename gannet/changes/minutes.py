"""What goes out of a meeting of the CAB: invitations for calendars, and minutes."""

from datetime import timedelta
from html import escape
from typing import Any

from django.conf import settings
from django.db import transaction
from icalendar import Alarm, Calendar, Event, vCalAddress, vText

from gannet.changes.calendars import domain
from gannet.changes.meetings import Sitting, kept_row, manager, members, sitting
from gannet.changes.models import CabMeeting, Verdict, facts_of
from gannet.messages.letters import Letter, MadeFile, post
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet.web.pdf import CONTENT_TYPE, as_pdf


@transaction.atomic
def invite(acting: Acting, at_s: int) -> CabMeeting:
    """Invite all that are to come, with the agenda as it is now; again, it replaces the last."""
    person = manager(acting)
    if at_s <= acting.now_s:
        raise Invalid("That meeting has begun: there is nobody to invite to it.")
    one = sitting(current(), person, at_s)
    kept = kept_row(at_s)
    people = [each for each, _ in members(one) if each.email]
    file = MadeFile(
        "cab.ics", "text/calendar; method=REQUEST", invitation(one, people, kept.sequence, acting)
    )
    body = "\n".join(
        [
            f"You are invited: {one.title}.",
            "",
            "On the agenda so far:" if one.agenda else "Nothing is on the agenda so far.",
            *(f"- {_named(each)}" for each in one.agenda),
            "",
            f"{settings.PUBLIC_URL}/desk/changes/cab?at={at_s}",
        ]
    )
    letters = [
        Letter(f"cab-{at_s}-{kept.sequence}", each.email, one.title, body, [file], each)
        for each in people
    ]
    post(letters, acting.now_s, "cab invitation")
    kept.invited, kept.invited_s = [each.email for each in people], acting.now_s
    kept.sequence += 1
    kept.save()
    return kept


def invitation(one: Sitting, people: list[Person], sequence: int, acting: Acting) -> bytes:
    """The meeting as an iCalendar request (RFC 5546), at its local time."""
    calendar = Calendar()
    calendar.add("prodid", "-//Gannet//Changes//EN")
    calendar.add("version", "2.0")
    calendar.add("method", "REQUEST")
    event = Event()
    event.add("uid", f"cab-{one.at_s}@{domain()}")
    event.add("sequence", sequence)
    event.add("dtstamp", acting.now)
    event.add("dtstart", one.when)
    event.add("dtend", one.when + timedelta(minutes=one.minutes))
    event.add("summary", one.board or "Change advisory board")
    event.add("description", "\n".join(_named(each) for each in one.agenda))
    event.add("url", f"{settings.PUBLIC_URL}/desk/changes/cab?at={one.at_s}")
    event["organizer"] = _address(settings.DESK_ADDRESS, settings.DESK_NAME)
    for each in people:
        event.add("attendee", _address(each.email, each.name, RSVP=vText("TRUE")), encode=False)
    alarm = Alarm()
    alarm.add("action", "DISPLAY")
    alarm.add("trigger", timedelta(minutes=-15))
    alarm.add("description", one.board or "Change advisory board")
    event.add_component(alarm)
    calendar.add_component(event)
    calendar.add_missing_timezones()
    made: bytes = calendar.to_ical()
    return made


@transaction.atomic
def send(acting: Acting, at_s: int) -> CabMeeting:
    """Send the minutes to all that were asked, and to who carries the changes; kept as sent."""
    person = manager(acting)
    one = sitting(current(), person, at_s)
    kept = kept_row(at_s)
    if at_s > acting.now_s:
        raise Invalid("That meeting has not begun.")
    if not kept.verdicts.exists() and not kept.notes.strip():
        raise Invalid("There is nothing to send: nothing is decided, and nothing is noted.")
    one = Sitting(**{**one.__dict__, "kept": kept})
    text = in_words(one)
    file = MadeFile(f"cab-{one.when:%Y-%m-%d}.pdf", CONTENT_TYPE, pdf(one))
    people = {each.pk: each for each, _ in members(one)}
    for each in one.agenda:
        if each.holder is not None:
            people.setdefault(each.holder.pk, each.holder)
    again = "Corrected minutes" if kept.sendings else "Minutes"
    letters = [
        Letter(
            f"cab-minutes-{at_s}-{kept.sendings}", each.email, f"{again}: {one.title}", text,
            [file], each,
        )
        for each in people.values()
        if each.email and each.is_active
    ]  # fmt: skip
    post(letters, acting.now_s, "cab minutes")
    kept.minutes, kept.sent_s = text, acting.now_s
    kept.sendings += 1
    kept.version += 1
    kept.save()
    return kept


def in_words(one: Sitting) -> str:
    """The minutes as a mail says them."""
    present, absent = _attendance(one)
    lines = [
        one.title,
        "",
        f"Present: {', '.join(present) or 'nobody is noted'}",
        f"Absent: {', '.join(absent) or 'nobody'}",
        "",
    ]
    for ticket in one.agenda:
        lines += [f"- {_named(ticket)}", f"  {_decided(one, ticket)}"]
    if one.kept.notes.strip():
        lines += ["", "Notes", "", one.kept.notes.strip()]
    return "\n".join(lines)


def pdf(one: Sitting) -> bytes:
    """The minutes as a document."""
    present, absent = _attendance(one)
    rows = "".join(
        f"<tr><td>{escape(_named(ticket))}</td>"
        f"<td>{escape(_risk(ticket))}</td><td>{escape(_decided(one, ticket))}</td></tr>"
        for ticket in one.agenda
    )
    table = (
        "<table><thead><tr><th>Change</th><th>Risk</th><th>Decided</th></tr></thead>"
        f"<tbody>{rows}</tbody></table>"
        if rows
        else "<p>Nothing was on the agenda.</p>"
    )
    notes = "".join(f"<p>{escape(line)}</p>" for line in one.kept.notes.strip().splitlines())
    body = (
        f"<h1>{escape(one.board or 'Change advisory board')}</h1>"
        f"<p class='quiet'>{one.when:%A %-d %B %Y, %H:%M} ({escape(one.zone.key)})</p>"
        f"<p><b>Present</b> {escape(', '.join(present) or 'nobody is noted')}</p>"
        f"<p><b>Absent</b> {escape(', '.join(absent) or 'nobody')}</p>"
        f"<h2>Changes</h2>{table}" + (f"<h2>Notes</h2>{notes}" if notes else "")
    )
    return as_pdf(one.title, body, foot=one.title)


def _attendance(one: Sitting) -> tuple[list[str], list[str]]:
    people = [each for each, _ in members(one)]
    there = set(one.kept.present)
    present = [each.name for each in people if each.pk in there]
    return present, [each.name for each in people if each.pk not in there]


def _named(ticket: Ticket) -> str:
    """A change as a letter names it; of a confidential one nothing but its number."""
    if ticket.is_confidential:
        return f"Change {ticket.pk}, confidential"
    return f"Change {ticket.pk}: {ticket.title}"


def _risk(ticket: Ticket) -> str:
    facts = facts_of(ticket)
    return f"{facts.points}, {facts.rating}" if facts.rating else "not weighed"


def _decided(one: Sitting, ticket: Ticket) -> str:
    row = one.verdicts.get(ticket.pk)
    if row is None:
        return "not decided"
    if not row.note or ticket.is_confidential:
        return str(row.verdict)
    glue = ": " if row.verdict != Verdict.AUTHORISED else " – "
    return f"{row.verdict}{glue}{row.note}"


def _address(mail: str, name: str, **more: Any) -> vCalAddress:
    found = vCalAddress(f"mailto:{mail}")
    found.params["CN"] = vText(name)
    for key, value in more.items():
        found.params[key] = value
    return found
