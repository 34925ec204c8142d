"""Files of a room: in folders, by version, with the checksum of what was put in."""

import hashlib
from typing import Any

from django.core.files.base import ContentFile
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from django.db.models import Max
from django.http import FileResponse

from gannet.majors import rooms
from gannet.majors.events import MajorEvent
from gannet.majors.gathering import numbers_of
from gannet.majors.models import MajorFacts, RoomFile
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.files import check_upload
from gannet.tickets.models import Attachment
from gannet.web.errors import Invalid, Missing

MOST_FILES, MOST_LISTED = 500, 100


@transaction.atomic
def keep(
    number: int,
    acting: Acting,
    channel_id: int,
    upload: UploadedFile[Any],
    *,
    folder: str = "",
    came_from: str = "",
) -> RoomFile:
    """Keep a file in a channel of the room; the same name in the same folder is a new version."""
    assert acting.person is not None
    facts = rooms.room_of(number, acting.person)
    channel = rooms.channel_of(facts, acting.person, channel_id)
    rooms.check_writes(channel, acting.person)
    if facts.files.count() >= MOST_FILES:
        raise Invalid(f"At most {MOST_FILES} files in a room.")
    checked = check_upload(upload)
    return _keep(facts, channel, acting, checked.name, checked.content_type, checked.content,
                 folder=folder, came_from=came_from)  # fmt: skip


@transaction.atomic
def bring(number: int, acting: Acting, channel_id: int, attachment: str) -> RoomFile:
    """Bring a file of the incident that it was declared from, or of one gathered, into the room."""
    assert acting.person is not None
    facts = rooms.room_of(number, acting.person)
    channel = rooms.channel_of(facts, acting.person, channel_id)
    rooms.check_writes(channel, acting.person)
    incidents = [*numbers_of(facts), facts.source_id or 0]
    seen = policies.visible_to(acting.person).filter(pk__in=incidents)
    found = Attachment.objects.filter(pk=attachment, ticket__in=seen.values("pk")).first()
    if found is None:
        raise Missing("There is no such file.")
    with found.file.open("rb") as content:
        return _keep(
            facts, channel, acting, found.name, found.content_type, content.read(),
            came_from=f"incident {found.ticket_id}",
        )  # fmt: skip


def bringable(facts: MajorFacts, person: Person) -> list[Attachment]:
    """The files of its incidents that somebody may bring into the room, the newest first."""
    incidents = [*numbers_of(facts), facts.source_id or 0]
    seen = policies.visible_to(person).filter(pk__in=incidents)
    rows = Attachment.objects.filter(ticket__in=seen.values("pk"), event_id__isnull=False)
    return [one for one in rows.order_by("-uploaded_at")[:MOST_LISTED] if one.file]


def _keep(
    facts: MajorFacts,
    channel: Any,
    acting: Acting,
    name: str,
    content_type: str,
    content: bytes,
    *,
    folder: str = "",
    came_from: str = "",
) -> RoomFile:
    place = " ".join(folder.split())[:60]
    known = RoomFile.objects.filter(channel=channel, folder=place, name=name)
    last = known.aggregate(last=Max("version"))["last"] or 0
    digest = hashlib.sha256(content).hexdigest()
    assert acting.person is not None
    row = RoomFile.objects.create(
        major=facts,
        channel=channel,
        folder=place,
        name=name,
        version=last + 1,
        content_type=content_type,
        size=len(content),
        sha256=digest,
        came_from=came_from[:200],
        file=ContentFile(content, name),
        by=acting.person,
        at_s=acting.now_s,
    )
    rooms.note_in_log(acting, facts.ticket_id, MajorEvent.FILED, {"sha256": digest})
    return row


def files_of(facts: MajorFacts, person: Person) -> list[RoomFile]:
    """Every version of every file that somebody may open, the newest first."""
    mine = rooms.channels_of(facts, person).values("pk")
    rows = RoomFile.objects.filter(major=facts, channel__in=mine)
    return list(rows.select_related("channel", "by").order_by("-id"))


def file_of(facts: MajorFacts, person: Person, number: int) -> RoomFile:
    """A file that somebody may open; one of a closed channel that was lifted for all, too."""
    mine = rooms.channels_of(facts, person).values("pk")
    rows = RoomFile.objects.filter(major=facts, pk=number).select_related("channel", "by")
    found = rows.filter(channel__in=mine).first()
    if found is None:
        raise Missing("There is no such file, or it is not yours to open.")
    return found


def as_download(row: RoomFile) -> FileResponse:
    """A file as a download, which no browser shows or runs."""
    answer = FileResponse(
        row.file.open("rb"),
        as_attachment=True,
        filename=row.name,
        content_type=row.content_type,
    )
    answer["Content-Security-Policy"] = "default-src 'none'; sandbox"
    answer["X-Content-Type-Options"] = "nosniff"
    return answer


def file_json(row: RoomFile) -> dict[str, Any]:
    return {
        "id": row.pk,
        "name": row.name,
        "folder": row.folder,
        "version": row.version,
        "size": row.size,
        "content_type": row.content_type,
        "sha256": row.sha256,
        "came_from": row.came_from,
        "by": row.by.name,
        "at_s": row.at_s,
        "channel": row.channel.name,
        "is_closed": bool(row.channel.is_closed),
    }
