"""Announcements: who writes them, who sees them, and that it is on record."""

from collections.abc import Mapping
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.audit.models import Audience
from gannet.estate.finding import find_service
from gannet.estate.models import Service
from gannet.knowledge.models import Announcement
from gannet.people.acting import Acting
from gannet.people.models import Person, Role
from gannet.tickets.events import TicketEvent
from gannet.tickets.item_groups import groups, users_of_group, users_of_service
from gannet.web.errors import Invalid, Missing, Refused

MOST_TEXT = 4_000
_WRITERS = (Role.ADMINISTRATOR, Role.TEAM_LEAD, Role.KNOWLEDGE_EDITOR)


def may_announce(person: Person) -> bool:
    return person.has_role(*_WRITERS)


def shown_to(person: Person, now_s: int) -> list[Announcement]:
    """What somebody's portal shows now, what began last first."""
    now = Announcement.objects.filter(from_s__lte=now_s, to_s__gt=now_s)
    here = now.filter(place__in=["", person.place]).order_by("-from_s", "-id")
    return [one for one in here.select_related("author", "service") if _is_for(one, person)]


def _is_for(row: Announcement, person: Person) -> bool:
    """Whether somebody uses what an announcement is about, where it is about something."""
    if row.service is not None:
        return users_of_service(row.service).has(person)
    return not row.group or users_of_group(row.group).has(person)


def write_announcement(
    acting: Acting, given: Mapping[str, Any], number: int | None = None
) -> Announcement:
    """Announce something between two instants, or change what was announced."""
    person = _writer(acting)
    row = Announcement(author=person) if number is None else _known(number)
    row.title = " ".join(str(given["title"]).split())[:120]
    row.text = str(given["text"]).strip()
    row.place = str(given.get("place") or "")
    row.service, row.group = _uses(given)
    row.from_s, row.to_s = given["from_s"], given["to_s"]
    if not row.title:
        raise Invalid("Say it in a few words.", fields={"title": "This is empty."})
    if len(row.text) > MOST_TEXT:
        raise Invalid("Say it shorter.", fields={"text": f"At most {MOST_TEXT} characters."})
    if row.to_s <= max(row.from_s, acting.now_s):
        raise Invalid("It ends before it begins.", fields={"to_s": "Choose a later time."})
    with transaction.atomic():
        row.save()
        _record(acting, TicketEvent.ANNOUNCED, row)
    return row


def end_announcement(acting: Acting, number: int) -> None:
    """Take an announcement off everybody's portal."""
    _writer(acting)
    row = _known(number)
    with transaction.atomic():
        _record(acting, TicketEvent.ANNOUNCEMENT_ENDED, row)
        row.delete()


def _uses(given: Mapping[str, Any]) -> tuple[Service | None, str]:
    """The service or the group of items whose users are meant; neither for everybody."""
    service, group = find_service(given.get("service")), str(given.get("group") or "")
    if service is not None and group:
        raise Invalid("Choose one of them.", fields={"group": "A service or a group."})
    if group and group not in groups():
        raise Invalid("There is no such group of items.", fields={"group": "Choose another."})
    return service, group


def _writer(acting: Acting) -> Person:
    person = acting.person
    if person is None or not may_announce(person):
        raise Refused("Team leads, knowledge editors and administrators announce.")
    return person


def _known(number: int) -> Announcement:
    row = Announcement.objects.filter(pk=number).first()
    if row is None:
        raise Missing("There is no such announcement.")
    return row


def _record(acting: Acting, kind: EventKind, row: Announcement) -> None:
    values = {"announcement": row.pk, "title": row.title, "place": row.place}
    values["for those who use"] = row.service.name if row.service else groups().get(row.group, "")
    entry = audit.Entry(
        kind=kind,
        at=acting.now,
        actor_id=acting.person_id,
        by_desk=True,
        audience=Audience.EVERYBODY,
        values={**values, "from_s": row.from_s, "to_s": row.to_s},
        text=row.text,
    )
    audit.append([entry])
