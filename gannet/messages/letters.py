"""Letters: mails of Gannet's own that are about no ticket, with files it has made itself."""

import hmac
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.conf import settings

from gannet.messages.models import MailFile, Outgoing
from gannet.people.models import Person
from gannet_core.instants import instant_of

MOST_BYTES = 20 * 1024 * 1024


@dataclass(frozen=True)
class MadeFile:
    """A file that goes with a letter; `content_type` may carry parameters."""

    name: str
    content_type: str
    content: bytes


@dataclass(frozen=True)
class Letter:
    """A letter to one address; the same `key` to the same address is sent once."""

    key: str
    to: str
    subject: str
    body: str
    files: Sequence[MadeFile] = ()
    person: Person | None = None


def post(
    letters: Sequence[Letter], now_s: int, event_name: str = "letter", *, in_s: int = 0
) -> int:
    """Put letters into the outbox in the caller's transaction; returns how many were new.

    They leave in `in_s` seconds: what may be undone is not said at once.
    """
    fresh = 0
    for one in letters:
        row, is_new = Outgoing.objects.get_or_create(
            message_id=_message_id(one),
            defaults={
                "to": one.to,
                "person": one.person,
                "subject": one.subject[:300],
                "body": one.body,
                "made_at": instant_of(now_s),
                "send_at_s": now_s + in_s,
                "event_name": event_name,
            },
        )
        if is_new:
            MailFile.objects.bulk_create(
                MailFile(
                    outgoing=row, name=file.name, content_type=file.content_type,
                    content=file.content[:MOST_BYTES],
                )
                for file in one.files
            )  # fmt: skip
            fresh += 1
    return fresh


def withdraw(letters: Sequence[Letter]) -> int:
    """Keep letters from leaving; returns how many had not left."""
    known = [_message_id(one) for one in letters]
    rows = Outgoing.objects.filter(message_id__in=known, sent_s__isnull=True)
    return rows.update(withdrawn=1)


def put_files(message: Any, row: Outgoing) -> None:
    """Attach what was made for a letter."""
    for file in row.files.order_by("pk"):
        kind, _, rest = file.content_type.partition(";")
        main, _, sub = kind.strip().partition("/")
        pairs = (part.partition("=") for part in rest.split(";") if "=" in part)
        message.add_attachment(
            bytes(file.content),
            maintype=main,
            subtype=sub,
            filename=file.name,
            params={name.strip(): value.strip() for name, _, value in pairs},
        )


def _message_id(one: Letter) -> str:
    named = f"{one.key}.{one.to.casefold()}"
    proof = hmac.new(settings.SECRET_KEY.encode(), f"letter:{named}".encode(), "sha256")
    domain = settings.DESK_ADDRESS.partition("@")[2] or "localhost"
    return f"<gannet.letter.{proof.hexdigest()[:40]}@{domain}>"
