"""Calendars in and out (RFC 5545): windows as they recur, and changes as calendars show them."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from django.conf import settings
from icalendar import Calendar, Event, vRecur

from gannet.changes.covering import Opening, openings
from gannet.changes.models import facts_of
from gannet.rulebook.book import Book
from gannet.tickets.models import Ticket
from gannet.tickets.states import state_name
from gannet.web.errors import Invalid
from gannet_core.errors import WindowError
from gannet_core.instants import instant_of
from gannet_core.windows import FREEZE, KINDS, MAINTENANCE, read_window

CONTENT_TYPE = "text/calendar; charset=utf-8"
MOST_BYTES, MOST_EVENTS = 1_000_000, 500
_SETTLED = ("planned", "under way", "look back", "done")


def windows_out(book: Book, now_s: int) -> bytes:
    """All windows and freezes of the rulebook, each as one recurring entry at its local time."""
    calendar = _calendar("Windows and freezes")
    for kind in KINDS:
        for one in openings(book, kind):
            calendar.add_component(_window_event(one, kind, now_s))
    calendar.add_missing_timezones()
    return _bytes(calendar)


def _window_event(one: Opening, kind: str, now_s: int) -> Event:
    window = one.window
    event = Event()
    event.add("uid", f"window-{one.key}@{domain()}")
    event.add("dtstamp", instant_of(now_s))
    event.add("summary", one.name)
    event.add("dtstart", window.starts.replace(tzinfo=window.zone))
    event.add("dtend", window.ends.replace(tzinfo=window.zone))
    event.add("categories", [kind])
    event.add("transp", "OPAQUE" if kind == FREEZE else "TRANSPARENT")
    rule = str(one.entry.get("rrule") or "")
    if rule:
        event.add("rrule", vRecur.from_ical(rule))
    for day in sorted(window.but_on):
        event.add("exdate", datetime.combine(day, window.starts.time(), window.zone))
    scope = [*one.entry.get("services", ()), *one.entry.get("groups", ())]
    scope += one.entry.get("items", ())
    event.add("description", f"For {', '.join(scope)}" if scope else "For everything")
    return event


def windows_in(text: str, zone: str) -> tuple[list[dict[str, Any]], list[str]]:
    """The entries of a calendar as windows of the rulebook, and why others could not be read.

    An entry with the category “freeze” is a freeze. Whole days begin and end at midnight of
    `zone`, and so do times without a zone. What cannot be read is named with its reason.
    """
    if len(text.encode()) > MOST_BYTES:
        raise Invalid("That calendar is larger than 1 MB.", fields={"text": "Choose a smaller."})
    try:
        events = [*Calendar.from_ical(text).walk("VEVENT")]
    except (ValueError, IndexError, KeyError, TypeError) as error:
        raise Invalid(
            "This is no iCalendar file.", fields={"text": f"It cannot be read: {error}"[:200]}
        ) from error
    if len(events) > MOST_EVENTS:
        raise Invalid(f"At most {MOST_EVENTS} entries.", fields={"text": "That is too many."})
    found, problems = [], []
    for event in events:
        name = " ".join(str(event.get("summary") or "").split())[:80] or "Window"
        try:
            entry = _entry(event, name, zone)
            read_window(entry)
        except (WindowError, ValueError, TypeError, AttributeError, OverflowError) as error:
            problems.append(f"{name}: {error}"[:200])
            continue
        found.append(entry)
    return found, problems


def _entry(event: Any, name: str, zone: str) -> dict[str, Any]:
    if event.get("dtstart") is None:
        raise ValueError("it says no time")
    starts = event.decoded("dtstart")
    if event.get("dtend") is not None:
        ends = event.decoded("dtend")
    elif event.get("duration") is not None:
        ends = starts + event.decoded("duration")
    else:
        ends = starts + timedelta(days=1) if not isinstance(starts, datetime) else starts
    known = getattr(getattr(starts, "tzinfo", None), "key", "")
    said = event["dtstart"].params.get("TZID") or ""
    if said and not known and said != "UTC":
        raise ValueError(f"there is no time zone “{said}”")
    named = known or zone
    if isinstance(starts, datetime) and starts.tzinfo is UTC:
        named = "UTC"
    rule = event.get("rrule")
    if isinstance(rule, list):
        raise ValueError("it has several rules of recurrence")
    if event.get("rdate") is not None:
        raise ValueError("it names single further dates (RDATE)")
    categories = event.get("categories")
    sorts = str(categories.to_ical(), "utf-8") if hasattr(categories, "to_ical") else ""
    return {
        "name": name,
        "kind": FREEZE if FREEZE in sorts.casefold() else MAINTENANCE,
        "zone": named,
        "from": _local(starts),
        "to": _local(ends),
        "rrule": str(rule.to_ical(), "utf-8") if rule is not None else None,
        "except": sorted(_but_on(event)),
    }


def _local(at: date | datetime) -> str:
    moment = at if isinstance(at, datetime) else datetime.combine(at, time())
    return moment.strftime("%Y-%m-%dT%H:%M")


def _but_on(event: Any) -> set[str]:
    rows = event.get("exdate") or []
    rows = rows if isinstance(rows, list) else [rows]
    days = (one.dt for row in rows for one in row.dts)
    return {f"{day:%Y-%m-%d}" for day in days}


def changes_out(
    name: str, changes: Iterable[Ticket], windows: Sequence[Mapping[str, Any]], now_s: int
) -> bytes:
    """Changes that have a time, and freezes round them, for a calendar that subscribes."""
    calendar = _calendar(name)
    calendar.add("refresh-interval", timedelta(hours=1), {"VALUE": "DURATION"})
    for ticket in changes:
        event = _change_event(ticket, now_s)
        if event is not None:
            calendar.add_component(event)
    for one in windows:
        event = Event()
        event.add("uid", f"freeze-{one['start_s']}-{one['end_s']}@{domain()}")
        event.add("dtstamp", instant_of(now_s))
        event.add("summary", f"Freeze: {one['name']}")
        event.add("dtstart", instant_of(one["start_s"]))
        event.add("dtend", instant_of(one["end_s"]))
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    return _bytes(calendar)


def _change_event(ticket: Ticket, now_s: int) -> Event | None:
    facts, state = facts_of(ticket), state_name(ticket.state)
    starts, ends = facts.began_s or facts.starts_s, facts.ended_s or facts.ends_s
    if starts is None or ends is None or ends <= starts:
        return None
    event = Event()
    event.add("uid", f"change-{ticket.pk}@{domain()}")
    event.add("dtstamp", instant_of(now_s))
    event.add("last-modified", instant_of(ticket.changed_s))
    event.add("sequence", ticket.version)
    event.add("summary", f"{ticket.pk} {ticket.title}")
    event.add("dtstart", instant_of(starts))
    event.add("dtend", instant_of(ends))
    event.add("status", "CONFIRMED" if state in _SETTLED else "TENTATIVE")
    event.add("url", f"{settings.PUBLIC_URL}/desk/tickets/{ticket.pk}")
    lines = [
        state if not facts.outcome else facts.outcome,
        f"risk {facts.points}, {facts.rating}" if facts.rating else "",
        ticket.service.name if ticket.service else "",
        ticket.holder.name if ticket.holder else ticket.team.name,
    ]
    event.add("description", "\n".join(line for line in lines if line))
    return event


def _calendar(name: str) -> Calendar:
    calendar = Calendar()
    calendar.add("prodid", "-//Gannet//Changes//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    return calendar


def _bytes(calendar: Calendar) -> bytes:
    made: bytes = calendar.to_ical()
    return made


def domain() -> str:
    """The domain in which the entries of calendars are named."""
    return settings.DESK_ADDRESS.partition("@")[2] or "localhost"
