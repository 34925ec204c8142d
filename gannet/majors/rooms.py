"""The room of a major incident: who is in which channel, who has which role, what is said.

Whoever may know of the record and reads the desk's lists is in its open channels; a closed
channel is its members' alone, leads and administrators included in nobody's name. Every
answer of the room starts from `channels_of`.
"""

import hashlib
import re
from collections.abc import Iterable, Sequence
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.audit.models import Audience, Event
from gannet.majors import chat, standing
from gannet.majors.events import MajorEvent
from gannet.majors.models import (
    KIND,
    ChannelRead,
    MajorFacts,
    MajorRole,
    RoomChannel,
    RoomFile,
    RoomMessage,
)
from gannet.majors.plans import LABELS
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.people.roles import reads_desk, team_ids
from gannet.tickets.actions.frame import writing
from gannet.tickets.events import TicketEvent
from gannet.tickets.record import find
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Missing, Refused

MOST_TEXT, MOST_CHANNELS, HERE_S = 10_000, 20, 90
_CALL_S = 600
_NO_CHANNEL = "There is no such channel, or it is not yours to read."


def room_of(number: int, person: Person) -> MajorFacts:
    """The room that somebody may enter; another does not exist for them."""
    ticket = find(number, person)
    if ticket.kind != KIND:
        raise Missing(f"There is no major incident {number}.")
    facts = MajorFacts.objects.select_related("ticket", "source").get(ticket=ticket)
    facts.ticket = ticket
    if not reads_desk(person) and not channels_of(facts, person).exists():
        raise Missing(f"There is no major incident {number}.")
    return facts


def channels_of(major: MajorFacts, person: Person) -> QuerySet[RoomChannel]:
    """The channels that somebody may read: open ones as the desk, closed ones as a member."""
    mine = Q(people=person)
    if person.is_on_desk:
        mine |= Q(teams__in=team_ids(person))
    if reads_desk(person):
        mine |= Q(is_closed=0)
    return RoomChannel.objects.filter(mine, major=major).distinct()


def channel_of(major: MajorFacts, person: Person, number: int) -> RoomChannel:
    """A channel that somebody may read and write in."""
    found = channels_of(major, person).filter(pk=number).first()
    if found is None:
        raise Missing(_NO_CHANNEL)
    return found


def may_write(channel: RoomChannel, person: Person) -> bool:
    """Whether somebody takes part in a channel that they may read: the desk does, and whoever
    is in it; who only reads the desk's lists reads here too."""
    return person.is_on_desk or channel.people.filter(pk=person.pk).exists()


def check_writes(channel: RoomChannel, person: Person) -> None:
    if not may_write(channel, person):
        raise Refused("Who is in the room writes in it; ask to be asked in.")


def works_in(major: MajorFacts, person: Person) -> bool:
    """Whether somebody works in the room: of the desk, or in one of its channels."""
    return person.is_on_desk or major.channels.filter(people=person).exists()


def members(channel: RoomChannel) -> list[Person]:
    """The people of a channel: by name, and of its teams."""
    mine = Q(pk__in=channel.people.values("pk")) | Q(
        memberships__team__in=channel.teams.values("pk")
    )
    if not channel.is_closed:
        mine |= Q(pk__in=channel.major.held_roles.filter(to_s=None).values("person"))
    return list(Person.objects.filter(mine, is_active=True).distinct().order_by("name"))


def note_in_log(
    acting: Acting, number: int, kind: EventKind, facts: dict[str, Any] | None = None
) -> int:
    """Tell the log, and by it everybody who looks, that something happened in the room."""
    (event,) = audit.append(
        [
            audit.Entry(
                kind=kind,
                at=acting.now,
                actor_id=acting.person_id,
                by_desk=True,
                is_automatic=acting.person is None,
                # Who is asked in and is not of the desk hears that something happened, too.
                audience=Audience.EVERYBODY if kind.is_apart else Audience.DESK,
                ticket_id=number,
                facts=facts or {},
            )
        ]
    )
    return event.id


# --- roles ---


def take_role(number: int, acting: Acting, role: str, person: Person | None) -> MajorFacts:
    """Give a role to somebody, or take it; who had it hands it over."""
    name = " ".join(role.split())[:40]
    if not name:
        raise Invalid("Say which role.", fields={"role": "This is empty."})
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        _check_running(facts)
        chosen = person or acting.person
        if chosen is None or not chosen.is_active:
            raise Invalid("There is no such person.", fields={"person": "Choose one."})
        held = facts.held_roles.filter(role=name, to_s=None).select_related("person").first()
        if held is not None and held.person_id == chosen.pk:
            raise Conflict(f"{chosen.name} has that role already.")
        mine = acting.person is not None and held is not None and held.person == acting.person
        if held is not None and not mine and not standing.is_lead(facts, acting.person):
            raise Refused(f"{held.person.name} has that role: they or the lead hand it over.")
        if held is not None:
            held.to_s = acting.now_s
            held.save(update_fields=["to_s"])
        MajorRole.objects.create(major=facts, role=name, person=chosen, from_s=acting.now_s)
        standing.let_in(write.ticket, [chosen])
        write.record(
            MajorEvent.ROLE,
            values={
                "role": name,
                "person": chosen.name,
                "after": held.person.name if held else "",
            },
        )
        write.tell(chosen, "major declared", f"{facts.call_sign}: you have the role {name}")
    return facts


def give_up_role(number: int, acting: Acting, role: str) -> MajorFacts:
    """Leave a role to nobody; the lead's is handed over, never left."""
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        held = facts.held_roles.filter(role=role, to_s=None).select_related("person").first()
        if held is None:
            raise Conflict("Nobody has that role.")
        if role == "lead":
            raise Conflict("Hand it over: somebody always leads.")
        if held.person != acting.person and not standing.is_lead(facts, acting.person):
            raise Refused(f"{held.person.name} has that role: they or the lead change it.")
        held.to_s = acting.now_s
        held.save(update_fields=["to_s"])
        write.record(
            MajorEvent.ROLE, values={"role": role, "person": "nobody", "after": held.person.name}
        )
    return facts


# --- channels ---


def open_channel(
    number: int,
    acting: Acting,
    name: str,
    *,
    is_closed: bool,
    people: Sequence[int] = (),
    teams: Sequence[int] = (),
) -> RoomChannel:
    """A further channel, on the spot; who opens a closed one is in it."""
    said = " ".join(name.split())[:40]
    if not said:
        raise Invalid("Give it a name.", fields={"name": "This is empty."})
    with writing(number, acting, TicketEvent.NOTED) as write:
        facts = standing.locked(write)
        if facts.channels.filter(name__iexact=said).exists():
            raise Conflict("There is a channel of that name, perhaps one that is closed to you.")
        count = facts.channels.count()
        if count >= MOST_CHANNELS:
            raise Invalid(f"At most {MOST_CHANNELS} channels.")
        channel = RoomChannel.objects.create(
            major=facts, name=said, is_closed=int(is_closed), position=count
        )
        assert acting.person is not None
        chosen = set(Person.objects.filter(pk__in=people, is_active=True)) | {acting.person}
        channel.people.set(chosen)
        channel.teams.set(Team.objects.filter(pk__in=teams, is_board=False))
        standing.let_in(write.ticket, members(channel))
        # Not even the name of a closed one is for all who read the record.
        write.record(MajorEvent.CHANNEL, text="" if is_closed else said)
        for person in chosen:
            write.tell(person, "asked in", f"{facts.call_sign}: {said}")
    return channel


def ask_in(number: int, acting: Acting, channel_id: int, people: Sequence[int]) -> RoomChannel:
    """Ask people into a channel: its members may, and who leads into an open one."""
    with writing(number, acting) as write:
        facts = standing.locked(write)
        assert acting.person is not None
        channel = channel_of(facts, acting.person, channel_id)
        check_writes(channel, acting.person)
        chosen = list(Person.objects.filter(pk__in=list(people)[:100], is_active=True))
        if not chosen:
            raise Invalid("Choose somebody.", fields={"people": "Nobody is chosen."})
        channel.people.add(*chosen)
        standing.let_in(write.ticket, chosen)
        # Who is in a closed channel is known in it, not in the record's history.
        names = [] if channel.is_closed else [one.name for one in chosen]
        write.record(MajorEvent.ASKED_IN, values={"people": names or ["somebody"]})
        for person in chosen:
            write.tell(person, "asked in", f"{facts.call_sign}: {channel.name}")
    return channel


def show_out(number: int, acting: Acting, channel_id: int, person_id: int) -> RoomChannel:
    """Take somebody out of a channel; what they have read they have read."""
    with writing(number, acting) as write:
        facts = standing.locked(write)
        assert acting.person is not None
        channel = channel_of(facts, acting.person, channel_id)
        check_writes(channel, acting.person)
        person = channel.people.filter(pk=person_id).first()
        if person is None:
            raise Missing("They are not in it by name.")
        if channel.is_closed and channel.people.count() == 1 and not channel.teams.exists():
            raise Conflict("Nobody would be left in it.")
        channel.people.remove(person)
        name = "somebody" if channel.is_closed else person.name
        write.record(MajorEvent.LEFT, values={"person": name})
        write.ticket.followers.filter(person=person, only_reads=True).exclude(
            person__in=standing.people_of(facts)
        ).delete()
    return channel


# --- what is said ---


def say(
    number: int, acting: Acting, channel_id: int, text: str, file: RoomFile | None = None
) -> RoomMessage:
    """Say something in a channel; who is named in it hears of it."""
    assert acting.person is not None
    facts = room_of(number, acting.person)
    channel = channel_of(facts, acting.person, channel_id)
    check_writes(channel, acting.person)
    return keep_said(facts, channel, acting, text, file=file)


@transaction.atomic
def keep_said(
    facts: MajorFacts,
    channel: RoomChannel,
    acting: Acting,
    text: str,
    *,
    file: RoomFile | None = None,
    author: str = "",
    outside: str = "",
) -> RoomMessage:
    """Keep what was said, by a person here or by somebody outside."""
    words = text.strip()
    if not words and file is None:
        raise Invalid("Say something.", fields={"text": "This is empty."})
    if len(words) > MOST_TEXT:
        raise Invalid("That is too long.", fields={"text": f"At most {MOST_TEXT} characters."})
    row = RoomMessage.objects.create(
        channel=channel,
        person=acting.person,
        author=author[:120],
        outside=outside[:80],
        text=words,
        file=file,
        at_s=acting.now_s,
    )
    note_in_log(acting, facts.ticket_id, MajorEvent.SAID, {"sha256": checksum(words)})
    if channel.in_chat and not outside:
        chat.pass_on(facts, channel, row, acting.now_s)
    if acting.person is not None:
        read_until(channel, acting.person, row.pk, acting.now_s)
    for person in mentioned(words, members(channel)):
        if person.pk != acting.person_id:
            messenger().notify(
                person,
                "mentioned",
                f"room:{facts.ticket_id}",
                f"{facts.call_sign}, {channel.name}",
                acting.now_s,
                ticket=facts.ticket,
                text=words[:300],
                actor=acting.person.name if acting.person else author,
            )
    return row


def mentioned(text: str, people: Iterable[Person]) -> list[Person]:
    """The people whom a text names with an @: by their whole name, or a first name that only
    one of them has."""
    found = re.findall(r"@(\w[\w'’-]*(?:\s+\w[\w'’-]*)?)", text)
    if not found:
        return []
    here = list(people)
    firsts = [one.first_name.casefold() for one in here]
    named = []
    for one in here:
        first = one.first_name.casefold()
        for said in found:
            whole = " ".join(said.casefold().split())
            begins = whole.split(" ")[0]
            if whole == one.name.casefold() or (begins == first and firsts.count(first) == 1):
                named.append(one)
                break
    return named


@transaction.atomic
def joined_call(facts: MajorFacts, acting: Acting) -> None:
    """Note that somebody joins the call, once in ten minutes."""
    lately = Event.objects.filter(
        ticket=facts.ticket_id,
        kind=MajorEvent.CALL_JOINED,
        actor=acting.person_id,
        at_s__gt=acting.now_s - _CALL_S,
    )
    if not lately.exists():
        note_in_log(acting, facts.ticket_id, MajorEvent.CALL_JOINED)


def label_message(number: int, acting: Acting, message: int, label: str) -> RoomMessage:
    """Put a label on something that was said, or take it off."""
    assert acting.person is not None
    facts = room_of(number, acting.person)
    row = message_of(facts, acting.person, message)
    check_writes(row.channel, acting.person)
    if label and label not in LABELS:
        raise Invalid("There is no such label.", fields={"label": ", ".join(LABELS)})
    with transaction.atomic():
        row.label = label
        row.save(update_fields=["label"])
        note_in_log(acting, facts.ticket_id, MajorEvent.SAID)
    return row


def message_of(major: MajorFacts, person: Person, number: int) -> RoomMessage:
    """Something that was said where somebody may read it."""
    rows = RoomMessage.objects.filter(channel__in=channels_of(major, person)).distinct()
    found = rows.select_related("channel", "person", "file").filter(pk=number).first()
    if found is None:
        raise Missing("There is no such message, or it is not yours to read.")
    return found


def read_until(channel: RoomChannel, person: Person, message: int, now_s: int) -> None:
    """Somebody has read a channel so far, and is in it now."""
    row, _ = ChannelRead.objects.get_or_create(channel=channel, person=person)
    row.message, row.seen_s = max(row.message, message), max(row.seen_s, now_s)
    row.save(update_fields=["message", "seen_s"])
    messenger().gone(now_s, about=f"room:{channel.major_id}", person_id=person.pk)


def checksum(text: str) -> str:
    """What shows later that a text is still what was said."""
    return hashlib.sha256(text.encode()).hexdigest()


def _check_running(facts: MajorFacts) -> None:
    if facts.ticket.closed_s is not None:
        raise Conflict("Its review has ended: declare it again first.")
