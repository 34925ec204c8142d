"""Attachments: checked by content, bounded in size, served only as downloads."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import PurePath
from typing import Any
from uuid import UUID

from django.conf import settings
from django.core.files.base import ContentFile
from django.core.files.uploadedfile import UploadedFile
from django.db.models import Count, QuerySet, Sum
from PIL import Image, UnidentifiedImageError

from gannet.people.mail_keys import without_keys
from gannet.people.models import Person
from gannet.tickets.models import Attachment, Ticket
from gannet.web.errors import Invalid, TooLarge, TooOften

MAX_FILES = 10
MOST_UNSENT = 40
MOST_UNSENT_BYTES = 200 * 1024 * 1024
UNSENT_FOR = timedelta(days=3)  # a draft left over a weekend still has its files
_IMAGE_TYPES = {
    "PNG": "image/png",
    "JPEG": "image/jpeg",
    "GIF": "image/gif",
    "WEBP": "image/webp",
}
_TEXT_ENDINGS = {".txt": "text/plain", ".log": "text/plain", ".csv": "text/csv"}
_MAX_PIXELS = 60_000_000


@dataclass(frozen=True)
class CheckedFile:
    """A file that may be kept: what its content shows it to be, with no key of a mail in it."""

    name: str
    content_type: str
    content: bytes
    keys: list[str]


def keep_upload(upload: UploadedFile[Any], person: Person, now: datetime) -> Attachment:
    """Keep an uploaded file that is not part of a message yet."""
    return keep_checked(check_upload(upload), person, now)


def keep_checked(file: CheckedFile, person: Person, now: datetime) -> Attachment:
    return Attachment.objects.create(
        uploaded_by=person,
        uploaded_at=now,
        name=file.name,
        content_type=file.content_type,
        size=len(file.content),
        file=ContentFile(file.content, file.name),
    )


def check_upload(upload: UploadedFile[Any]) -> CheckedFile:
    """Look at a file: its size, what it is, and that it holds no key of a mail."""
    limit = settings.MAX_UPLOAD_BYTES
    size = upload.size or 0
    name = " ".join(PurePath(upload.name or "file").name.split())[-120:] or "file"
    if size == 0:
        raise Invalid(f"{name} is empty.", fields={"file": "Choose another file."})
    if size > limit:
        raise TooLarge(f"{name} has {size // 1_048_576} MB; at most {limit // 1_048_576} MB fit.")
    content_type = _content_type(upload, name)
    if content_type is None:
        raise Invalid(
            f"{name} is not a kind of file we take: pictures, PDF and plain text are.",
            fields={"file": "Choose a picture, a PDF or a text file."},
        )
    content = upload.read()
    keys: list[str] = []
    if content_type.startswith("text/"):
        text, keys = without_keys(content.decode("utf-8", "surrogateescape"))
        if keys:
            content = text.encode("utf-8", "surrogateescape")
    return CheckedFile(without_keys(name)[0], content_type, content, keys)


def check_unsent(person: Person) -> None:
    """Nobody keeps more files than they are about to send."""
    unsent = Attachment.objects.filter(uploaded_by=person, event_id=None)
    held = unsent.aggregate(files=Count("id"), size=Sum("size"))
    if held["files"] >= MOST_UNSENT or (held["size"] or 0) >= MOST_UNSENT_BYTES:
        raise TooOften(
            f"{held['files']} files of yours wait to be sent. Send a message with them first, "
            "or leave them: they are deleted after three days."
        )


def sweep_uploads(now: datetime, most: int = 200) -> int:
    """Delete files that were uploaded and never sent, with what stands for them."""
    left = Attachment.objects.filter(event_id=None, uploaded_at__lt=now - UNSENT_FOR)
    rows = list(left.order_by("uploaded_at")[:most])
    swept = 0
    for row in rows:
        # Somebody may be sending it at this moment.
        if left.filter(pk=row.pk).delete()[0]:
            row.file.storage.delete(str(row.file.name))
            swept += 1
    return swept


def attach(
    ticket: Ticket, ids: Sequence[UUID], event_id: int, acting: object
) -> QuerySet[Attachment] | None:
    """Make somebody's uploads part of an event of a ticket."""
    if not ids:
        return None
    if len(ids) > MAX_FILES:
        raise Invalid(f"At most {MAX_FILES} files go with one message.")
    person_id = getattr(acting, "person_id", None)
    found = Attachment.objects.filter(
        pk__in=list(ids), uploaded_by_id=person_id, event_id__isnull=True
    )
    if found.count() != len(set(ids)):
        raise Invalid("One of the files is no longer there: attach it again.")
    found.update(ticket=ticket, event_id=event_id)
    return found


def _content_type(upload: UploadedFile[Any], name: str) -> str | None:
    """The type that the content shows; the name and the browser are not believed."""
    head = upload.read(4096)
    upload.seek(0)
    if head.startswith(b"%PDF-"):
        return "application/pdf"
    image = _image_type(upload)
    if image is not None:
        return image
    ending = PurePath(name).suffix.casefold()
    if ending in _TEXT_ENDINGS and b"\0" not in head:
        return _TEXT_ENDINGS[ending]
    return None


def _image_type(upload: UploadedFile[Any]) -> str | None:
    try:
        with Image.open(upload) as image:
            if image.width * image.height > _MAX_PIXELS:
                return None
            image.verify()
            return _IMAGE_TYPES.get(image.format or "")
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError):
        return None
    finally:
        upload.seek(0)
