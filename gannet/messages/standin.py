"""The stand-in mail server: accepts every message on loopback and keeps it as it came."""

import asyncio
from typing import Any

from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP, Envelope, Session
from django.conf import settings
from django.db import close_old_connections
from django.utils import timezone

from gannet.messages.models import StandInMessage

MAX_BYTES = 60 * 1024 * 1024  # more than is read: what is too large is kept aside, not lost


class Keeper:
    """Keeps each accepted message in the database."""

    async def handle_DATA(self, server: SMTP, session: Session, envelope: Envelope) -> str:
        await asyncio.get_running_loop().run_in_executor(None, keep, envelope)
        return "250 kept"


def keep(envelope: Any) -> StandInMessage:
    """Keep one message; mail to the desk's address is left for it to read."""
    close_old_connections()
    to = [address.casefold() for address in envelope.rcpt_tos]
    row = StandInMessage.objects.create(
        received_at=timezone.now(),
        envelope_from=(envelope.mail_from or "")[:254],
        envelope_to=to,
        raw=bytes(envelope.content or b""),
        for_desk=int(settings.DESK_ADDRESS.casefold() in to),
    )
    close_old_connections()
    return row


def start(host: str | None = None, port: int | None = None) -> Controller:
    """Start serving SMTP in a thread; call `.stop()` on what is returned."""
    controller = Controller(
        Keeper(),
        hostname=host or settings.EMAIL_HOST,
        port=port or settings.EMAIL_PORT,
        data_size_limit=MAX_BYTES,
        server_hostname="mail.northmere.example",
    )
    controller.start()
    return controller
