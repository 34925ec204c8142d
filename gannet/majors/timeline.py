"""The timeline: what people wrote, what they lifted from the room, what follows from acts.

What is derived is read off the event log and kept nowhere else. Each entry is for all of
the room or for a closed channel alone; every reading starts from the channels that its
reader may read.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import Q

from gannet.audit.kinds import Telling, kind_of
from gannet.audit.models import Event
from gannet.changes.events import ChangeEvent
from gannet.changes.models import ChangeFacts
from gannet.majors import rooms
from gannet.majors.events import IN_TIMELINE, MajorEvent
from gannet.majors.gathering import numbers_of
from gannet.majors.keeping import file_of
from gannet.majors.models import KIND, MajorFacts, RoomFile, RoomMessage, TimelineEntry
from gannet.majors.plans import LABELS
from gannet.majors.standing import is_lead
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.people.roles import reads_desk
from gannet.tickets import policies
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core.conditions import fold, has_words
from gannet_core.instants import seconds_of

WRITTEN, LIFTED, DERIVED = "written", "lifted", "derived"
MOST, MOST_TEXT = 300, 2_000
# What happens to an incident that belongs to the story of the major one.
_OF_INCIDENTS = (
    TicketEvent.LOGGED,
    TicketEvent.MAJOR_SUGGESTED,
    TicketEvent.HANDED_OVER,
    TicketEvent.RESOLVED,
    TicketEvent.REOPENED,
    TicketEvent.TARGET_MISSED,
    # Monitoring says that a thing is down, or up again.
    TicketEvent.ALERTED,
)
_OF_ALL = (TicketEvent.LOGGED, TicketEvent.ALERTED)
_OF_CHANGES = (
    ChangeEvent.STARTED,
    ChangeEvent.IMPLEMENTED,
    ChangeEvent.STOPPED,
    ChangeEvent.BACKED_OUT,
)
_LABEL_OF = {
    MajorEvent.DECLARED: "decided",
    MajorEvent.AGAIN: "decided",
    MajorEvent.STOOD_DOWN: "decided",
    MajorEvent.UPDATE_SENT: "told",
    MajorEvent.REPORT_SENT: "told",
    MajorEvent.ANSWERED: "told",
}


@transaction.atomic
def write_entry(
    number: int,
    acting: Acting,
    text: str,
    *,
    at: datetime | None = None,
    label: str = "",
    message: int | None = None,
    file: int | None = None,
    is_for_all: bool = False,
) -> TimelineEntry:
    """Write what happened, or lift a message or a file into the timeline, at its own time.

    What is lifted from a closed channel stays its members', unless one of them says that it
    is for all.
    """
    assert acting.person is not None
    facts = rooms.room_of(number, acting.person)
    if not rooms.works_in(facts, acting.person):
        raise Refused("Who is in the room writes in it; ask to be asked in.")
    words, at_s = text.strip(), seconds_of(at) if at else acting.now_s
    lifted: RoomMessage | None = None
    kept: RoomFile | None = None
    channel = None
    if message is not None:
        lifted = rooms.message_of(facts, acting.person, message)
        channel, kept = lifted.channel, lifted.file
        words, at_s = words or lifted.text, seconds_of(at) if at else lifted.at_s
    elif file is not None:
        kept = file_of(facts, acting.person, file)
        channel = kept.channel
        words, at_s = words or kept.name, seconds_of(at) if at else kept.at_s
    if not words:
        raise Invalid("Say what happened.", fields={"text": "This is empty."})
    if len(words) > MOST_TEXT:
        raise Invalid("Say it shorter.", fields={"text": f"At most {MOST_TEXT} characters."})
    if label and label not in LABELS:
        raise Invalid("There is no such label.", fields={"label": ", ".join(LABELS)})
    if at_s > acting.now_s + 60:
        raise Invalid("That lies ahead.", fields={"at": "Choose a time that has been."})
    if channel is not None and (not channel.is_closed or is_for_all):
        channel = None
    if message is not None and TimelineEntry.objects.filter(message=message).exists():
        raise Invalid("That is in the timeline already.")
    row = TimelineEntry.objects.create(
        major=facts,
        channel=channel,
        at_s=at_s,
        text=words,
        label=label,
        person=acting.person,
        message=lifted,
        file=kept,
        made_s=acting.now_s,
    )
    rooms.note_in_log(acting, number, MajorEvent.ENTERED, {"sha256": rooms.checksum(words)})
    return row


@transaction.atomic
def change_entry(number: int, acting: Acting, entry: int, given: Mapping[str, Any] | None) -> None:
    """Correct an entry, or take it off (with nothing given): who wrote it, or who leads."""
    assert acting.person is not None
    facts = rooms.room_of(number, acting.person)
    row = _entries(facts, acting.person).filter(pk=entry).first()
    if row is None:
        raise Missing("There is no such entry.")
    if row.person_id != acting.person_id and not is_lead(facts, acting.person):
        raise Refused("Who wrote it changes it, or who leads.")
    before = rooms.checksum(row.text)
    if given is None:
        row.delete()
    else:
        words = str(given.get("text", row.text)).strip()
        if not words:
            raise Invalid("Say what happened.", fields={"text": "This is empty."})
        row.text = words[:MOST_TEXT]
        row.label = given.get("label", row.label)
        if row.label and row.label not in LABELS:
            raise Invalid("There is no such label.", fields={"label": ", ".join(LABELS)})
        if given.get("at"):
            row.at_s = min(seconds_of(given["at"]), acting.now_s)
        row.save()
    rooms.note_in_log(
        acting,
        number,
        MajorEvent.ENTERED,
        {"before": before, "sha256": rooms.checksum(row.text) if given else None},
    )


def timeline(
    facts: MajorFacts,
    person: Person,
    *,
    label: str = "",
    words: str = "",
    since_s: int | None = None,
    is_for_all_only: bool = False,
    most: int = MOST,
) -> list[dict[str, Any]]:
    """The newest entries that somebody may read, the newest first."""
    rows = _entries(facts, person)
    if is_for_all_only:
        rows = rows.filter(channel=None)
    if since_s is not None:
        rows = rows.filter(at_s__gt=since_s)
    if label == "files":
        rows = rows.filter(file__isnull=False)
    elif label in LABELS:
        rows = rows.filter(label=label)
    found = [_entry_json(row, person) for row in rows.order_by("-at_s", "-id")[: most * 2]]
    if label != "files":
        derived = _derived(facts, person, since_s, most)
        found += [one for one in derived if not label or one["label"] == label]
    if words.strip():
        found = [one for one in found if _has(one, words)]
    found.sort(key=lambda one: (-one["at_s"], one["order"]))
    return found[:most]


def _has(one: Mapping[str, Any], words: str) -> bool:
    wanted = fold(words)
    text = f"{one['text']} {one['who']} {one['file']['name'] if one['file'] else ''}"
    return has_words(text, words) or wanted in fold(text)


def _entries(facts: MajorFacts, person: Person) -> Any:
    mine = rooms.channels_of(facts, person).values("pk")
    rows = TimelineEntry.objects.filter(Q(channel=None) | Q(channel__in=mine), major=facts)
    return rows.select_related("person", "file", "file__channel", "channel")


def _entry_json(row: TimelineEntry, person: Person) -> dict[str, Any]:
    is_open = row.file is not None and (
        not row.file.channel.is_closed or row.channel_id is not None
    )
    return {
        "id": row.pk,
        "at_s": row.at_s,
        "text": row.text,
        "label": row.label,
        "who": row.person.name,
        "how": LIFTED if row.message_id or row.file_id else WRITTEN,
        "channel": row.channel.name if row.channel else "",
        "is_mine": row.person_id == person.pk,
        "ticket": None,
        # Of a file of a closed channel others see that there is an entry, not the file.
        "file": {"id": row.file.pk, "name": row.file.name, "size": row.file.size}
        if row.file and is_open
        else None,
        "order": -row.pk,
    }


def _derived(
    facts: MajorFacts, person: Person, since_s: int | None, most: int
) -> Sequence[dict[str, Any]]:
    """What follows from what was done: here, to its incidents, by changes in its reach."""
    number = facts.ticket_id
    if not reads_desk(person):
        return [_event_json(one, _sentence(one), number) for one in _own(facts, since_s, most)]
    incidents = [*numbers_of(facts), *([facts.source_id] if facts.source_id else [])]
    seen = set(
        policies.visible_to(person)
        .filter(Q(pk__in=incidents) | Q(pk__in=_changes_near(facts)))
        .values_list("pk", flat=True)
    )
    kinds = (
        Q(ticket=number, kind__in=IN_TIMELINE)
        | Q(ticket__in=seen & set(incidents[:200]), kind__in=_OF_INCIDENTS)
        | Q(ticket__in=seen - set(incidents), kind__in=_OF_CHANGES)
    )
    rows = Event.objects.filter(kinds).select_related("actor", "ticket", "ticket__requester")
    rows = rows.filter(at_s__gte=facts.reported_s - 2 * 86_400)
    if since_s is not None:
        rows = rows.filter(at_s__gt=since_s)
    found = []
    # Of a hundred incidents gathered the first tell the story; the rest are counted elsewhere.
    shown = {*sorted(incidents)[:6], facts.source_id}
    for event in rows.order_by("-id")[: most * 3]:
        if event.ticket_id in incidents and event.ticket_id not in shown:
            continue
        if event.kind not in _OF_ALL and event.ticket_id in shown - {facts.source_id}:
            continue
        words = _sentence(event)
        if words:
            found.append(_event_json(event, words, number))
    return found


def _own(facts: MajorFacts, since_s: int | None, most: int) -> Sequence[Event]:
    rows = Event.objects.filter(ticket=facts.ticket_id, kind__in=IN_TIMELINE)
    rows = rows.filter(at_s__gt=since_s or 0).select_related("actor", "ticket")
    return list(rows.select_related("ticket__requester").order_by("-id")[:most])


def _event_json(event: Event, words: str, number: int) -> dict[str, Any]:
    return {
        "id": -event.pk,
        "at_s": event.at_s,
        "text": words,
        "label": _LABEL_OF.get(event.kind, ""),  # type: ignore[call-overload]
        "who": "",
        "how": DERIVED,
        "channel": "",
        "is_mine": False,
        "ticket": event.ticket_id if event.ticket_id != number else None,
        "file": None,
        "order": -event.pk,
    }


def _sentence(event: Event) -> str:
    kind = kind_of(event.kind)
    if kind is None:
        return ""
    ticket: Ticket | None = event.ticket
    who = event.actor.name if event.actor and not event.is_automatic else settings.DESK_NAME
    if event.kind == TicketEvent.LOGGED and ticket is not None:
        return f"{ticket.requester.name} reported “{ticket.title}”"
    told = Telling(
        who=who,
        # What was said to a requester stands on their incident.
        text=event.text if ticket is None or ticket.kind == KIND else "",
        facts=event.facts,
        values=event.values,
        is_automatic=bool(event.is_automatic),
        by_desk=bool(event.by_desk),
        requester=ticket.requester.name if ticket else "",
        team=_team_name,
        person=_person_name,
    )
    words = kind.says(told)
    return words[:1].upper() + words[1:]


def _team_name(key: str) -> str:
    found = Team.objects.filter(key=key).first()
    return found.name if found else key


def _person_name(number: str) -> str:
    found = Person.objects.filter(pk=number).first() if str(number).isdigit() else None
    return found.name if found else str(number)


def _changes_near(facts: MajorFacts) -> list[int]:
    """Changes that touched the same service or item from two days before on."""
    ticket = facts.ticket
    near = Q(pk__in=[])
    if ticket.ci_id:
        near |= Q(ticket__ci=ticket.ci_id)
    if ticket.service_id:
        near |= Q(ticket__service=ticket.service_id)
    rows = ChangeFacts.objects.filter(
        near, began_s__gt=facts.reported_s - 2 * 86_400, began_s__lte=_until(facts)
    )
    return list(rows.values_list("ticket_id", flat=True)[:50])


def _until(facts: MajorFacts) -> int:
    return facts.stood_down_s or facts.declared_s + 30 * 86_400
