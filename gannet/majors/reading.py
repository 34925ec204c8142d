"""The room as its page shows it, every part as far as its reader may read it."""

from typing import Any

from django.db.models import Count, Max, Q

from gannet.majors import rooms, standing, updates
from gannet.majors.gathering import gathered, numbers_of
from gannet.majors.impact import figures_json, times_json
from gannet.majors.keeping import file_json, files_of
from gannet.majors.models import (
    KIND,
    ChannelRead,
    Hearers,
    MajorFacts,
    RoomChannel,
    RoomMessage,
    Update,
)
from gannet.majors.plans import LABELS
from gannet.majors.reviewing import follow_ups
from gannet.majors.timeline import timeline
from gannet.people.models import Person
from gannet.problems.linking import problems_of
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.models import Presence, Ticket
from gannet.tickets.record_parts import links_json
from gannet.tickets.states import state_name

MOST_MESSAGES, MOST_FILES, MOST_LISTED = 100, 100, 100


def head_json(ticket: Ticket, reader: Person, book: Book, now_s: int) -> dict[str, Any]:
    """What the record's own page shows of the room."""
    facts = MajorFacts.objects.select_related("ticket").get(ticket=ticket)
    return {
        "call_sign": facts.call_sign,
        "plan": str(facts.planned.get("name") or ""),
        "is_drill": bool(facts.is_drill),
        "declared_s": facts.declared_s,
        "stood_down_s": facts.stood_down_s,
        "gathered": facts.gathered,
        "affected": facts.affected,
        "roles": roles_json(facts),
        "next_due_s": min(
            (one.due_s for one in facts.audiences.all() if one.due_s is not None), default=None
        ),
    }


def room_json(facts: MajorFacts, reader: Person, now_s: int) -> dict[str, Any]:
    """All of the room but its conversations."""
    ticket = facts.ticket
    channels = list(rooms.channels_of(facts, reader).order_by("position", "id"))
    return {
        "id": ticket.pk,
        "title": ticket.title,
        "call_sign": facts.call_sign,
        "plan": str(facts.planned.get("name") or ""),
        "priority": ticket.priority,
        "state": state_name(ticket.state),
        "is_drill": bool(facts.is_drill),
        "is_confidential": bool(ticket.is_confidential),
        "service": ticket.service.name if ticket.service else "",
        "ci": ticket.ci.name if ticket.ci else "",
        "source": _source(facts, reader),
        "began_s": facts.began_s,
        "reported_s": facts.reported_s,
        "declared_s": facts.declared_s,
        "restored_s": facts.restored_s,
        "stood_down_s": facts.stood_down_s,
        "conference": facts.conference,
        "summary": facts.summary,
        "figures": figures_json(facts, now_s),
        "times": times_json(facts),
        "roles": roles_json(facts),
        "wanted_roles": [str(one) for one in facts.planned.get("roles") or ()],
        "folders": [str(one) for one in facts.planned.get("folders") or ()],
        "channels": _channels(facts, channels, reader, now_s),
        "audiences": [hearers_json(one, facts) for one in facts.audiences.all()],
        "updates": [
            updates.update_json(one)
            for one in Update.objects.filter(hearers__major=facts)
            .select_related("hearers", "by")
            .order_by("-id")[:MOST_LISTED]
        ],
        "checklist": [
            {"text": str(one["text"]), "who": one.get("who") or "", "at_s": one.get("at_s")}
            for one in facts.checklist
        ],
        "tasks": follow_ups(facts),
        "files": [file_json(one) for one in files_of(facts, reader)[:MOST_FILES]],
        "incidents": [_incident(one) for one in gathered(facts, reader)[:MOST_LISTED]],
        "gathered": facts.gathered,
        "related": _related(facts, reader),
        "review": {
            part: str(facts.review.get(part) or "") for part in ("summary", "well", "badly")
        },
        "reports": [
            {"id": one.pk, "at_s": one.at_s, "by": one.by.name, "to": len(one.to)}
            for one in facts.reports.select_related("by").order_by("-id")[:20]
        ],
        "labels": list(LABELS),
        "who_looks": _here(ticket, now_s),
        "may": _may(facts, reader),
        "now_s": now_s,
    }


def _related(facts: MajorFacts, reader: Person) -> list[dict[str, Any]]:
    """What it is linked to beside its incidents, and the problems that look for their cause."""
    rows = [
        {**{key: one[key] for key in ("title", "kind", "state", "says")}, "id": one["other"]}
        for one in links_json(facts.ticket, reader)
        if one["kind"] != "incident"
    ]
    numbers = set(problems_of(numbers_of(facts)).values()) - {one["id"] for one in rows}
    problems = policies.visible_to(reader).filter(pk__in=numbers).order_by("pk")
    return rows + [
        {
            "id": one.pk,
            "title": one.title,
            "kind": one.kind,
            "state": state_name(one.state),
            "says": "looks for its cause",
        }
        for one in problems
    ]


def _source(facts: MajorFacts, reader: Person) -> int | None:
    if facts.source_id is None or not policies.may_know(reader, facts.source_id):
        return None
    return facts.source_id


def roles_json(facts: MajorFacts) -> list[dict[str, Any]]:
    """Who has which role now, and who had it before."""
    rows = list(facts.held_roles.select_related("person"))
    now = [one for one in rows if one.to_s is None]
    return [
        {
            "role": one.role,
            "person": {"id": one.person_id, "name": one.person.name},
            "from_s": one.from_s,
            "before": [
                {"name": each.person.name, "from_s": each.from_s, "to_s": each.to_s}
                for each in rows
                if each.role == one.role and each.to_s is not None
            ],
        }
        for one in now
    ]


def _channels(
    facts: MajorFacts, channels: list[RoomChannel], reader: Person, now_s: int
) -> list[dict[str, Any]]:
    read = dict(
        ChannelRead.objects.filter(channel__in=channels, person=reader).values_list(
            "channel_id", "message"
        )
    )
    last = dict(
        RoomMessage.objects.filter(channel__in=channels)
        .values_list("channel_id")
        .annotate(last=Max("id"))
        .order_by()
    )
    found = []
    for one in channels:
        unread = 0
        if last.get(one.pk, 0) > read.get(one.pk, 0):
            rows = RoomMessage.objects.filter(channel=one, pk__gt=read.get(one.pk, 0))
            unread = rows.exclude(person=reader).aggregate(count=Count("id"))["count"]
        people = rooms.members(one)
        here = set(
            ChannelRead.objects.filter(channel=one, seen_s__gt=now_s - rooms.HERE_S).values_list(
                "person_id", flat=True
            )
        )
        found.append(
            {
                "id": one.pk,
                "name": one.name,
                "is_closed": bool(one.is_closed),
                "unread": unread,
                "read_until": read.get(one.pk, 0),
                "people": [
                    {"id": each.pk, "name": each.name, "is_here": each.pk in here}
                    for each in people[:MOST_LISTED]
                ],
                "by_name": list(one.people.values_list("pk", flat=True)),
            }
        )
    return found


def hearers_json(row: Hearers, facts: MajorFacts) -> dict[str, Any]:
    return {
        "id": row.pk,
        "name": row.name,
        "minutes": row.minutes,
        "to": [str(one) for one in row.to],
        "on_portal": bool(row.on_portal),
        "on_status_page": bool(row.on_status_page),
        "due_s": row.due_s,
        "people": len(updates.recipients(facts, row)),
    }


def _incident(one: Ticket) -> dict[str, Any]:
    return {
        "id": one.pk,
        "title": one.title,
        "state": state_name(one.state),
        "is_open": bool(one.is_open),
        "requester": one.requester.name,
        "opened_s": one.opened_s,
    }


def _here(ticket: Ticket, now_s: int) -> list[str]:
    rows = Presence.objects.filter(ticket=ticket, seen_s__gt=now_s - 60)
    return list(rows.order_by("person__name").values_list("person__name", flat=True))


def _may(facts: MajorFacts, reader: Person) -> dict[str, bool]:
    is_lead = standing.is_lead(facts, reader)
    is_ended = not facts.ticket.is_open
    return {
        "lead": is_lead and not is_ended,
        "send": updates.may_send(facts, reader) and not is_ended,
        "work": reader.is_on_desk and not is_ended,
        "declare": standing.may_declare(reader),
        "run": facts.stood_down_s is None,
    }


def messages_json(
    channel: RoomChannel, *, before: int | None = None, words: str = ""
) -> dict[str, Any]:
    """The newest messages of a channel, the oldest of them first."""
    rows = RoomMessage.objects.filter(channel=channel)
    if before:
        rows = rows.filter(pk__lt=before)
    if words.strip():
        named = Q(text__icontains=words.strip()) | Q(person__name__icontains=words.strip())
        rows = rows.filter(named | Q(file__name__icontains=words.strip()))
    listed = list(
        rows.select_related("person", "file")
        .prefetch_related("entries")
        .order_by("-id")[: MOST_MESSAGES + 1]
    )
    return {
        "messages": [message_json(one) for one in reversed(listed[:MOST_MESSAGES])],
        "has_more": len(listed) > MOST_MESSAGES,
    }


def message_json(one: RoomMessage) -> dict[str, Any]:
    return {
        "id": one.pk,
        "channel": one.channel_id,
        "who": one.person.name if one.person else one.author,
        "person": one.person_id,
        "is_outside": one.person_id is None,
        "text": one.text,
        "label": one.label,
        "at_s": one.at_s,
        "file": {"id": one.file.pk, "name": one.file.name, "size": one.file.size}
        if one.file
        else None,
        "entry_s": next((each.at_s for each in one.entries.all()), None),
    }


def found_json(
    facts: MajorFacts,
    reader: Person,
    *,
    words: str,
    kind: str = "",
    channel: str = "",
    label: str = "",
    person: str = "",
    from_s: int | None = None,
    to_s: int | None = None,
) -> list[dict[str, Any]]:
    """Search over messages, files, entries and events, by words, person, label, channel, time."""
    wanted = words.strip()
    mine = rooms.channels_of(facts, reader)
    if channel:
        mine = mine.filter(name=channel)
    rows = RoomMessage.objects.filter(channel__in=mine.values("pk"))
    rows = rows.select_related("person", "file", "channel")
    if wanted:
        rows = rows.filter(Q(text__icontains=wanted) | Q(file__name__icontains=wanted))
    if label:
        rows = rows.filter(label=label)
    if person:
        rows = rows.filter(Q(person__name__icontains=person) | Q(author__icontains=person))
    found: list[dict[str, Any]] = [
        {
            "kind": "message",
            "id": one.pk,
            "at_s": one.at_s,
            "text": one.text or (one.file.name if one.file else ""),
            "who": one.person.name if one.person else one.author,
            "channel": one.channel.name,
            "channel_id": one.channel_id,
            "label": one.label,
        }
        for one in rows.order_by("-id")[:MOST_LISTED]
    ]
    for file in files_of(facts, reader):
        if (not wanted or wanted.casefold() in file.name.casefold()) and (
            not channel or file.channel.name == channel
        ):
            if (label and file.label != label) or (
                person and person.casefold() not in file.by.name.casefold()
            ):
                continue
            found.append(
                {
                    "kind": "file",
                    "id": file.pk,
                    "at_s": file.at_s,
                    "text": file.name,
                    "who": file.by.name,
                    "channel": file.channel.name,
                    "channel_id": file.channel_id,
                    "label": file.label,
                }
            )
    if not channel:
        for entry in timeline(facts, reader, label=label, words=wanted):
            if person and person.casefold() not in f"{entry['who']} {entry['text']}".casefold():
                continue
            found.append(
                {
                    "kind": "event" if entry["how"] == "derived" else "entry",
                    "id": entry["id"],
                    "at_s": entry["at_s"],
                    "text": entry["text"],
                    "who": entry["who"],
                    "channel": entry["channel"],
                    "channel_id": None,
                    "label": entry["label"],
                }
            )
    found = [
        one
        for one in found
        if (from_s is None or one["at_s"] >= from_s)
        and (to_s is None or one["at_s"] <= to_s)
        and (not kind or one["kind"] == kind)
    ]
    found.sort(key=lambda one: -one["at_s"])
    return found[:MOST_LISTED]


def rooms_json(reader: Person, now_s: int) -> list[dict[str, Any]]:
    """The major incidents that somebody may know of: running first, then the newest."""
    seen = policies.visible_to(reader).filter(kind=KIND).values("pk")
    rows = MajorFacts.objects.filter(ticket__in=seen).select_related("ticket")
    listed = list(rows.order_by("-declared_s")[:MOST_LISTED])
    listed.sort(key=lambda one: (one.stood_down_s is not None, -one.declared_s))
    return [
        {
            "id": one.ticket_id,
            "title": one.ticket.title,
            "call_sign": one.call_sign,
            "is_drill": bool(one.is_drill),
            "state": state_name(one.ticket.state),
            "declared_s": one.declared_s,
            "stood_down_s": one.stood_down_s,
            "affected": one.affected,
            "gathered": one.gathered,
        }
        for one in listed
    ]
