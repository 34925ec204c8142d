"""When a message leaves: at once, after quiet hours, gathered in a digest, or not at all.

The rulebook says what is told to whom and when it is quiet; a person's own preferences
come on top. What somebody asked for themselves is never held back.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db import transaction

from gannet.messages.models import Outgoing
from gannet.messages.notices import urgent
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets.models import Ticket
from gannet_core.instants import instant_of, seconds_of

AUDIENCES = ("requester", "holder", "team", "followers")
_DEFAULT_DIGEST = "07:30"


@dataclass(frozen=True)
class Delivery:
    """When a message leaves (epoch seconds), and whether it goes into a digest."""

    at_s: int
    in_digest: bool = False


def audience_of(ticket: Ticket, person: Person) -> str:
    """As what somebody is told: requester, holder, one of the desk, or a follower."""
    if person.pk == ticket.requester_id:
        return "requester"
    if person.pk == ticket.holder_id:
        return "holder"
    return "team" if person.is_on_desk else "followers"


def plan(
    book: Book, ticket: Ticket, person: Person, event: str, audience: str, now_s: int
) -> Delivery | None:
    """When to send; None when the person wants no such message."""
    soonest = now_s + settings.MAIL_DELAY_SECONDS
    wish = person.preferences.get("events", {}).get(event, "at once")
    if audience == "requester" or event in urgent:
        return Delivery(soonest)
    if wish == "never":
        return None
    zone = ZoneInfo(person.zone)
    if wish == "in the digest":
        at = str(
            person.preferences.get("digest_at") or book.quiet.get("digest_at") or _DEFAULT_DIGEST
        )
        return Delivery(next_local(at, zone, now_s), in_digest=True)
    if f"P{ticket.priority}" in (book.quiet.get("except") or ()):
        return Delivery(soonest)
    quiet = _quiet(book, person, audience)
    if quiet is None:
        return Delivery(soonest)
    ends = quiet_until(quiet[0], quiet[1], zone, soonest)
    return Delivery(ends or soonest)


def _quiet(book: Book, person: Person, audience: str) -> tuple[str, str] | None:
    own: Mapping[str, Any] | None = person.preferences.get("quiet")
    if own is not None:
        return (own["from"], own["to"]) if own.get("from") and own.get("to") else None
    said = book.quiet
    if not said.get("from") or audience not in (said.get("audiences") or ()):
        return None
    return said["from"], said["to"]


def quiet_until(starts: str, ends: str, zone: ZoneInfo, at_s: int) -> int | None:
    """When the quiet that holds at an instant ends; None when it is not quiet then."""
    begin, end = time.fromisoformat(starts), time.fromisoformat(ends)
    local = instant_of(at_s).astimezone(zone)
    now = local.time()
    is_over_night = end <= begin
    is_quiet = (now >= begin or now < end) if is_over_night else begin <= now < end
    if not is_quiet or begin == end:
        return None
    day = local.date()
    if is_over_night and now >= begin:
        day += timedelta(days=1)
    return _at(day, end, zone)


def next_local(at: str, zone: ZoneInfo, now_s: int) -> int:
    """The next time a wall clock in a zone shows a time."""
    wanted = time.fromisoformat(at)
    day = instant_of(now_s).astimezone(zone).date()
    found = _at(day, wanted, zone)
    return found if found > now_s else _at(day + timedelta(days=1), wanted, zone)


def _at(day: date, wall: time, zone: ZoneInfo) -> int:
    return seconds_of(datetime.combine(day, wall, zone))


def gather_digests(now_s: int) -> int:
    """Turn what is due for digests into one message for each person; returns how many."""
    waiting = Outgoing.objects.filter(
        in_digest=1, sent_s__isnull=True, withdrawn=0, send_at_s__lte=now_s
    )
    if not waiting.exists():
        return 0
    with transaction.atomic():
        by_person: dict[int, list[Outgoing]] = {}
        for row in waiting.select_for_update().order_by("id"):
            by_person.setdefault(row.person_id or 0, []).append(row)
        for rows in by_person.values():
            _digest(rows, now_s).save()
        numbers = [row.pk for rows in by_person.values() for row in rows]
        Outgoing.objects.filter(pk__in=numbers).update(sent_s=now_s)
    return len(by_person)


def _digest(rows: list[Outgoing], now_s: int) -> Outgoing:
    first = rows[0]
    count = len(rows)
    domain = settings.DESK_ADDRESS.partition("@")[2] or "localhost"
    body = "\n\n".join(f"— {row.subject}\n\n{row.body}" for row in rows)
    return Outgoing(
        message_id=f"<gannet.digest.{first.person_id}.{first.pk}@{domain}>",
        to=first.to,
        person=first.person,
        subject=f"[Gannet] {count} thing{'' if count == 1 else 's'} since your last digest",
        body=body,
        keys=[place for row in rows for place in row.keys],
        made_at=instant_of(now_s),
        send_at_s=now_s,
    )
