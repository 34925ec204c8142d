"""Those who use what a change reaches: told before it and after it, by the rulebook's messages.

Who is told, and how long before, the section `changes` says under `tell`; what is written are
the messages `change coming` and `change over`. Who was told that it comes is told if it does
not come, and told again where it has been moved.
"""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db.models import Q, QuerySet

from gannet.changes.assessing import Assessment, assess
from gannet.changes.events import ChangeEvent
from gannet.changes.models import KIND, ChangeFacts, facts_of
from gannet.estate.models import ConfigItem
from gannet.estate.nodes import things, web
from gannet.knowledge.models import Announcement
from gannet.messages.letters import Letter, post, withdraw
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets.actions import timers
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.models import Timer
from gannet.tickets.placeholders import values_of
from gannet.tickets.states import state_name
from gannet_core.instants import instant_of

NOTICE = "notice"
COMING, OVER = "change coming", "change over"
MOST_TOLD = 5000
_HALF = 0.5


def of_what_it_reaches(found: Assessment) -> QuerySet[Person]:
    """Who uses an item that it stops, or works in a department that uses a service that it does."""
    reached = web().stopped(f"item-{one.pk}" for one in found.change.items).reach
    nodes = [node for node, share in reached.items() if share >= _HALF and node[:4] == "item"]
    known = [one for one in things(nodes).values() if isinstance(one, ConfigItem)]
    own = {one.used_by_id for one in known} - {None}
    half = [service for service, one, _ in found.affected if one.reach * 2 >= 1]
    departments = {name for service in half for name in service.departments}
    people = Person.objects.filter(is_active=True)
    return people.filter(Q(department__in=departments) | Q(pk__in=list(own)[:900]))


def tell_before(write: RecordWrite) -> int:
    """Tell those whom it reaches that it comes; returns how many letters that makes."""
    ticket, facts = write.ticket, facts_of(write.ticket)
    found = assess(ticket, write.policy, write.acting.now_s, facts)
    count = _write(write, found, COMING, "")
    facts.told_s = facts.starts_s
    facts.save(update_fields=["told_s"])
    if count:
        write.record(ChangeEvent.USERS_TOLD, is_automatic=True, values={"count": count})
    return count


def tell_after(write: RecordWrite, words: str) -> int:
    """Tell those who were told that it comes how it went, or that it does not come."""
    facts = facts_of(write.ticket)
    if facts.told_s is None:
        return 0
    found = assess(write.ticket, write.policy, write.acting.now_s, facts)
    count = _write(write, found, OVER, words)
    if count:
        write.record(ChangeEvent.USERS_TOLD, is_automatic=True, values={"count": count})
    return count


def _write(write: RecordWrite, found: Assessment, message: str, words: str) -> int:
    letters = _letters(write, found, message, words)
    return post(letters, write.acting.now_s, message, in_s=settings.MAIL_DELAY_SECONDS)


def _letters(write: RecordWrite, found: Assessment, message: str, words: str) -> list[Letter]:
    ticket, facts, book = write.ticket, facts_of(write.ticket), write.policy
    if message not in book.messages or ticket.is_confidential:
        return []
    now_s = write.acting.now_s
    letters = []
    for person in of_what_it_reaches(found).exclude(email="").order_by("pk")[:MOST_TOLD]:
        values = {
            **values_of(ticket, {}, person, words, settings.DESK_NAME, now_s),
            "begins": _local(facts.starts_s, person),
            "ends": _local(facts.ends_s, person),
            "link": settings.PUBLIC_URL,
        }
        subject, body = book.message(message, values)
        key = f"{message} {ticket.pk} {facts.starts_s} {words}"
        letters.append(Letter(key, person.email, subject, body, (), person))
    return letters


def _local(at_s: int | None, person: Person) -> str:
    if at_s is None:
        return ""
    zone = ZoneInfo(str(person.zone or "Europe/London"))
    return f"{instant_of(at_s).astimezone(zone):%A %-d %B, %H:%M}"


def when_line(starts_s: int, ends_s: int, zone: str) -> str:
    """The line of an announcement that says when; it follows the change."""
    local = ZoneInfo(zone)
    begins, ends = (instant_of(at).astimezone(local) for at in (starts_s, ends_s))
    same_day = begins.date() == ends.date()
    return f"{begins:%A %-d %B, %H:%M} to {_end(ends, same_day)} ({zone})."


def _end(at: datetime, same_day: bool) -> str:
    return f"{at:%H:%M}" if same_day else f"{at:%A %-d %B, %H:%M}"


def move_announcement(facts: ChangeFacts, before: tuple[int | None, int | None]) -> None:
    """What is announced on the portal moves with the change."""
    starts_s, ends_s = facts.starts_s, facts.ends_s
    if facts.announced is None or None in (*before, starts_s, ends_s) or starts_s is None:
        return
    row = Announcement.objects.filter(pk=facts.announced).first()
    if row is None or ends_s is None or before == (starts_s, ends_s):
        return
    zone = facts.announced_zone or "Europe/London"
    old = when_line(before[0] or 0, before[1] or 0, zone)
    row.text = row.text.replace(old, when_line(starts_s, ends_s, zone))
    row.to_s = max(row.from_s + 1, ends_s)
    row.save(update_fields=["text", "to_s"])


def end_announcement(facts: ChangeFacts, now_s: int) -> int | None:
    """It is over, or does not come: nobody's portal shows it; until when it was to, if it was."""
    row = Announcement.objects.filter(pk=facts.announced or 0, to_s__gt=now_s).first()
    if row is None:
        return None
    was, row.to_s = row.to_s, max(row.from_s + 1, now_s)
    row.save(update_fields=["to_s"])
    return was


_NOT_COMING = "It does not take place."
_BACKED_OUT = "It was stopped, and all is as it was before."


def on_ending(write: RecordWrite) -> dict[str, Any]:
    """A change has ended: its announcement ends, and who waits for it hears what became of it."""
    facts = facts_of(write.ticket)
    kept: dict[str, Any] = {}
    was = end_announcement(facts, write.acting.now_s)
    if was is not None:
        kept["announced_to_s"] = was
    words = _NOT_COMING if facts.ended_s is None else _BACKED_OUT
    if facts.told_s is not None and (facts.ended_s is None or facts.outcome == "backed out"):
        # Its own event would stand in the way of undoing the end.
        found = assess(write.ticket, write.policy, write.acting.now_s, facts)
        _write(write, found, OVER, words)
        kept["told"] = words
    return kept


def take_back(write: RecordWrite, kept: Mapping[str, Any]) -> None:
    """It has not ended after all: it is announced again, and nobody hears that it does not come."""
    facts = facts_of(write.ticket)
    if "announced_to_s" in kept:
        rows = Announcement.objects.filter(pk=facts.announced or 0)
        rows.update(to_s=kept["announced_to_s"])
    if kept.get("told"):
        found = assess(write.ticket, write.policy, write.acting.now_s, facts)
        withdraw(_letters(write, found, OVER, str(kept["told"])))


def _wanted(standing: timers.Standing) -> dict[str, int]:
    ticket = standing.ticket
    if ticket.kind != KIND or state_name(ticket.state) != "planned":
        return {}
    facts, changes = facts_of(ticket), standing.book.changes
    hours, ratings = changes.tell_hours, changes.tell_ratings
    if facts.starts_s is None or not hours or facts.rating not in ratings or facts.release_id:
        return {}
    if facts.told_s == facts.starts_s or facts.starts_s <= standing.now_s:
        return {}
    return {"": max(facts.starts_s - hours * 3600, standing.now_s + 1)}


def _fire(timer: Timer, acting: Acting) -> None:
    """Its time comes near: those whom it reaches are told."""
    with writing(timer.ticket_id or 0, acting) as write:
        facts = facts_of(write.ticket)
        if write.state_name == "planned" and facts.told_s != facts.starts_s:
            tell_before(write)


NOTICES = timers.TimerKind(key=NOTICE, fire=_fire, wanted=_wanted, is_for_open=True)
