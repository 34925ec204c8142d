"""What goes with a message that leaves: files of a reply, or links to those too big for mail.

A link is signed, names one file, and opens it for two weeks; it needs no signing in, so it
goes only where the file itself would have gone. A file that was removed opens nothing.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from email.message import EmailMessage

from django.conf import settings
from django.core import signing

from gannet.messages.models import Outgoing
from gannet.tickets.models import Attachment

OPENS_FOR_SECONDS = 14 * 86_400
_SALT = "gannet.enclosed"
_KB = 1024


@dataclass(frozen=True)
class Enclosed:
    """Files that are attached, and those that are linked: together all of the reply's."""

    attached: Sequence[Attachment]
    linked: Sequence[Attachment]

    def in_words(self) -> str:
        """What stands at the end of the message, so that both kinds are named there."""
        lines = []
        if self.attached:
            named = ", ".join(f"{file.name} ({_size(file)})" for file in self.attached)
            lines.append(f"Attached: {named}")
        lines += [
            f"{file.name} ({_size(file)}) is too big for a mail. It opens here for 14 days: "
            f"{settings.PUBLIC_URL}/files/{link_key(file)}"
            for file in self.linked
        ]
        return "\n\n" + "\n".join(lines) if lines else ""

    def put_into(self, message: EmailMessage) -> None:
        for file in self.attached:
            main, _, sub = file.content_type.partition("/")
            with file.file.open("rb") as content:
                message.add_attachment(
                    content.read(), maintype=main, subtype=sub, filename=file.name
                )


NOTHING = Enclosed((), ())


def enclosed_with(row: Outgoing) -> Enclosed:
    """The files of the reply that a message carries, as far as they fit into a mail."""
    if row.event_name != "replied" or row.event_id is None:
        return NOTHING
    attached: list[Attachment] = []
    linked: list[Attachment] = []
    size = 0
    for file in Attachment.objects.filter(event_id=row.event_id).order_by("uploaded_at", "name"):
        if not file.file:
            continue  # it was removed
        if size + file.size > settings.MAIL_MOST_ATTACHED_BYTES:
            linked.append(file)
        else:
            attached.append(file)
            size += file.size
    return Enclosed(attached, linked)


def link_key(file: Attachment) -> str:
    """What the link to a file ends in."""
    return signing.dumps(str(file.pk), salt=_SALT, compress=False)


def of_link(key: str) -> Attachment | None:
    """The file that a link opens; None once it has expired, or for what is no link of ours."""
    try:
        number = signing.loads(key, salt=_SALT, max_age=OPENS_FOR_SECONDS)
    except signing.BadSignature:
        return None
    file = Attachment.objects.filter(pk=number, event_id__isnull=False).first()
    return file if file is not None and file.file else None


def _size(file: Attachment) -> str:
    if file.size >= _KB * _KB:
        return f"{file.size / _KB / _KB:.1f} MB"
    return f"{max(1, round(file.size / _KB))} kB"
