"""Who was denied what is on record."""

from django.db import transaction
from django.utils import timezone

from gannet.audit import log
from gannet.audit.events import AuditEvent


def record(person_id: int | None, asked: str, reason: str) -> None:
    """Record a denial in a transaction of its own: that of the act was rolled back."""
    entry = log.Entry(
        kind=AuditEvent.DENIED,
        at=timezone.now(),
        actor_id=person_id,
        values={"path": asked[:200], "reason": reason[:300]},
    )
    with transaction.atomic():
        log.append([entry])
