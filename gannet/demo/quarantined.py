"""Mail that the demo's desk finds in quarantine: of strangers, and of a sender nobody proves."""

from datetime import datetime, timedelta
from email.message import EmailMessage
from email.utils import format_datetime

from gannet.messages.inbound import read_message
from gannet.messages.models import StandInMessage
from gannet_core.instants import seconds_of

# minutes ago, from whom, subject, words
_MAIL = [
    (
        190,
        "Fenwick Cranes <office@fenwick-cranes.example>",
        "Crane works at Kestrel Point on Thursday",
        "Good morning,\n\non Thursday from 6 to 9 our crane stands beside your second ramp. "
        "Please tell your people at the gate; their handheld readers had no signal last time.\n\n"
        "Fenwick Cranes, site office",
    ),
    (
        75,
        "Halden Pryce <halden.pryce@elsewhere.example>",
        "Cannot open my payslip from home",
        "It is Halden from the deck crew, from my own address, because the other one does not "
        "let me in at home. The payslip of last month does not open: it says that the file is "
        "damaged.",
    ),
    (
        22,
        "Parcel notice <notice@parcels-now.example>",
        "Your parcel waits: confirm your address",
        "Your parcel could not be delivered. Confirm your address within 24 hours.",
    ),
]


def make_quarantined(now: datetime) -> None:
    """Let each come in as it would have come over the wire."""
    for minutes, sender, subject, words in _MAIL:
        at = now - timedelta(minutes=minutes)
        message = EmailMessage()
        message["From"], message["Subject"] = sender, subject
        message["To"] = "desk@northmere.example"
        message["Date"] = format_datetime(at)
        host = sender.rpartition("@")[2].rstrip(">")
        message["Message-ID"] = f"<{minutes}.{seconds_of(at)}@{host}>"
        message.set_content(words)
        row = StandInMessage.objects.create(
            received_at=at,
            envelope_to=["desk@northmere.example"],
            raw=message.as_bytes(),
            for_desk=1,
            is_read=1,
            message_id=message["Message-ID"],
            sender=sender.rpartition("<")[2].rstrip(">"),
            subject=subject,
        )
        read_message(bytes(row.raw), seconds_of(at), stand_in_id=row.pk)
