"""Writing to the event log, checking its chain, and redacting in it."""

import hashlib
import json
import secrets
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from gannet.audit.events import AuditEvent
from gannet.audit.kinds import EventKind
from gannet.audit.models import Audience, Event
from gannet.web import kept_writes
from gannet.web.kept import Givens, KeptQueries
from gannet_core.instants import seconds_of

_GENESIS = "0" * 64


@dataclass(frozen=True, kw_only=True)
class Entry:
    """An event to be written; `text` and `values` are what can be redacted later."""

    kind: EventKind
    at: datetime
    actor_id: int | None = None
    by_desk: bool = False
    is_automatic: bool = False
    audience: Audience = Audience.DESK
    ticket_id: int | None = None
    facts: dict[str, Any] = field(default_factory=dict)
    values: dict[str, Any] = field(default_factory=dict)
    text: str = ""


def append(entries: Iterable[Entry]) -> list[Event]:
    """Append events in order, in the caller's transaction; returns the rows."""
    if not transaction.get_connection().in_atomic_block:
        raise RuntimeError("events are written in the transaction of the act they record")
    newest = _kept.rows("newest", _newest, {})
    rows = chain(entries, newest[0] if newest else None)
    kept_writes.insert(rows)
    return rows


_kept = KeptQueries()


def _newest(givens: Givens) -> QuerySet[Any, Any]:
    return Event.objects.order_by("-id").values_list("id", "hash")[:1]


def chain(entries: Iterable[Entry], last: tuple[int, str] | None) -> list[Event]:
    """Entries as numbered and chained rows that follow the row (id, hash)."""
    number, before = last or (0, _GENESIS)
    rows = []
    for entry in entries:
        number += 1
        salt = secrets.token_hex(8)
        at_s = seconds_of(entry.at)
        row = Event(
            id=number,
            at_s=at_s,
            kind=entry.kind,
            actor_id=entry.actor_id,
            by_desk=int(entry.by_desk),
            is_automatic=int(entry.is_automatic),
            audience=entry.audience,
            ticket_id=entry.ticket_id,
            facts=entry.facts,
            values=entry.values,
            text=entry.text,
            salt=salt,
            digest=_digest(salt, entry.values, entry.text),
        )
        row.hash = before = _hash(before, row)
        rows.append(row)
    return rows


def latest() -> int:
    """The number of the newest event; 0 when nothing has happened yet."""
    newest = _kept.rows("newest", _newest, {})
    return int(newest[0][0]) if newest else 0


def redact(event: Event, actor_id: int, at: datetime, reason: str) -> Event:
    """Remove an event's text and values, recorded by an event of its own."""
    with transaction.atomic():
        (done,) = append(
            [
                Entry(
                    kind=AuditEvent.REDACTED,
                    at=at,
                    actor_id=actor_id,
                    by_desk=True,
                    ticket_id=event.ticket_id,
                    facts={"event": event.id, "reason": reason},
                )
            ]
        )
        Event.objects.filter(pk=event.pk).update(text="", values={}, salt="", redacted_by=done.id)
        return done


@dataclass(frozen=True)
class Broken:
    """The first event at which the chain does not hold, and why."""

    event_id: int
    because: str


def verify() -> tuple[int, Broken | None]:
    """Check the whole chain; returns how many events held and the first that did not."""
    redactions = Event.objects.filter(kind=AuditEvent.REDACTED).values_list("id", "facts__event")
    rows = Event.objects.order_by("id").iterator(chunk_size=5000)
    return verify_rows(rows, set(redactions))


def verify_rows(
    rows: Iterable[Event], redactions: set[tuple[int, int]]
) -> tuple[int, Broken | None]:
    """Check a chain, event after event; `redactions` are pairs of who redacted and what."""
    before, held = _GENESIS, 0
    for number, row in enumerate(rows, 1):
        if row.id != number:
            return held, Broken(number, f"event {number} is missing")
        if row.redacted_by is not None:
            if (row.redacted_by, row.id) not in redactions:
                return held, Broken(row.id, "its text is gone, and no event says who removed it")
        elif _digest(row.salt, row.values, row.text) != row.digest:
            return held, Broken(row.id, "its text or values are not those that were written")
        if _hash(before, row) != row.hash:
            return held, Broken(row.id, "it was changed, or something before it was")
        before = row.hash
        held += 1
    return held, None


def _digest(salt: str, values: dict[str, Any], text: str) -> str:
    return hashlib.sha256(salt.encode() + b"\n" + _canonical([values, text])).hexdigest()


def _hash(before: str, row: Event) -> str:
    said = [
        before,
        row.id,
        row.at_s,
        str(row.kind),
        row.actor_id,
        row.by_desk,
        row.is_automatic,
        int(row.audience),
        row.ticket_id,
        row.facts,
        row.digest,
    ]
    return hashlib.sha256(_canonical(said)).hexdigest()


def _canonical(value: object) -> bytes:
    return json.dumps(value, sort_keys=True, ensure_ascii=False, separators=(",", ":")).encode()
