"""The stand-in mail server: accepts every message on loopback and keeps it as it came.

Like a real one it says at the top of each message from where it came and what it found of
its sender, and takes away what others may have said of that in its name (RFC 8601). What
is written in the Mail room is known by a seal; any other sender is unproved.
"""

import asyncio
import hmac
from datetime import datetime, timedelta
from hashlib import sha256
from typing import Any, Final

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from django.conf import settings
from django.db import OperationalError, close_old_connections
from django.utils import timezone

from gannet.messages import reading
from gannet.messages.models import StandInMessage

MAX_BYTES = 60 * 1024 * 1024  # more than is read: what is too large is kept aside, not lost
SEAL: Final = "X-Standin-Seal"
_MOST_HEAD = 64 * 1024


class Keeper:
    """Keeps each accepted message in the database."""

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        peer = str(session.peer[0]) if session.peer else ""
        try:
            await asyncio.get_running_loop().run_in_executor(None, keep, envelope, peer)
        except OperationalError:
            # It stays with its sender, who tries again (RFC 5321, 4.5.4.1).
            return "452 4.3.1 no room or no time at the moment, try again"
        return "250 kept"


def seal(message_id: str) -> str:
    """What shows the stand-in that a message was written in the Mail room."""
    key = settings.SECRET_KEY.encode()
    return hmac.new(key, f"standin:{message_id}".encode(), sha256).hexdigest()


def keep(envelope: Any, peer: str = "") -> StandInMessage:
    """Keep one message; mail to the desk's address is left for it to read."""
    raw = bytes(envelope.content or b"")
    message = reading.parse_head(raw[:_MOST_HEAD])
    to = [address.casefold() for address in envelope.rcpt_tos]
    row = StandInMessage(
        received_at=timezone.now(),
        envelope_from=(envelope.mail_from or "")[:254],
        envelope_to=to,
        raw=_stamped(raw, message, peer),
        for_desk=int(settings.DESK_ADDRESS.casefold() in to),
        message_id=reading.header(message, "Message-ID")[:200],
        sender=reading.sender(message) or (envelope.mail_from or "")[:254],
        subject=reading.header(message, "Subject")[:300],
    )
    close_old_connections()
    # A message that comes again because its sender did not hear that it had arrived.
    same = StandInMessage.objects.filter(
        message_id=row.message_id, envelope_to=to, for_desk=0, received_at__gt=_lately()
    )
    known = same.first() if row.message_id and not row.for_desk else None
    if known is None:
        row.save()
    close_old_connections()
    return known or row


def _lately() -> datetime:
    return timezone.now() - timedelta(hours=12)


def _stamped(raw: bytes, message: Any, peer: str) -> bytes:
    """The message below what this server says of it."""
    name = settings.MAIL_TRUSTED_SERVER or "mail.example"
    given = reading.header(message, SEAL)
    expected = seal(reading.header(message, "Message-ID"))
    found = "pass" if hmac.compare_digest(given.encode(), expected.encode()) else "none"
    domain = reading.sender(message).rpartition("@")[2]
    stamp = (
        f"Authentication-Results: {name}; dmarc={found} header.from={domain}\r\n"
        f"Received: from sender ([{peer or '127.0.0.1'}]) by {name}\r\n"
    )
    head, between, body = raw.partition(b"\r\n\r\n")
    if not between:
        head, between, body = raw.partition(b"\n\n")
    kept, is_left_out = [], False
    for line in head.splitlines(keepends=True):
        if not line.startswith((b" ", b"\t")):
            name_of = line.partition(b":")[0].strip().lower()
            is_left_out = name_of in (b"authentication-results", SEAL.lower().encode())
        if not is_left_out:
            kept.append(line)
    return stamp.encode("ascii", "replace") + b"".join(kept) + between + body


def start(host: str | None = None, port: int | None = None) -> Controller:
    """Start serving SMTP in a thread; call `.stop()` on what is returned."""
    controller = Controller(
        Keeper(),
        hostname=host or settings.EMAIL_HOST,
        port=port or settings.EMAIL_PORT,
        data_size_limit=MAX_BYTES,
        server_hostname=settings.MAIL_TRUSTED_SERVER or None,
    )
    controller.start()
    return controller
