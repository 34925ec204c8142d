"""A ticket's history as the core reads it, straight from the event log."""

from collections.abc import Iterable
from typing import Any

from django.db.models import QuerySet

from gannet.audit.kinds import apart
from gannet.audit.log import Entry
from gannet.audit.models import Event
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kinds
from gannet.web.kept import Givens, KeptQueries
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Act, Happening

HISTORY_COLUMNS = ("id", "at_s", "kind", "actor_id", "by_desk", "is_automatic", "facts")
_ACTS = {str(act): act for act in Act}


def _act(name: str) -> str | None:
    """What the core calls an event: one of its acts, or one of some kind's lifecycle."""
    if name in _ACTS:
        return _ACTS[name]
    return name if any(name in kind.lifecycle.moves for kind in kinds().values()) else None


def happenings(rows: Iterable[dict[str, Any]]) -> list[Happening]:
    """Event rows as happenings; acts that were taken back are left out."""
    listed = list(rows)
    undone = {row["facts"]["event"] for row in listed if row["kind"] == TicketEvent.UNDONE}
    return [
        Happening(
            at=row["at_s"],
            act=act,
            actor=None if row["actor_id"] is None else str(row["actor_id"]),
            by_desk=bool(row["by_desk"]),
            is_automatic=bool(row["is_automatic"]),
            facts=row["facts"],
        )
        for row in listed
        if (act := _act(row["kind"])) is not None and row["id"] not in undone
    ]


def rows_of(ticket_id: int) -> list[dict[str, Any]]:
    """The rows that `happenings` reads, in order."""
    rows = _kept.rows("history", _history_of, {"ticket": ticket_id})
    return [dict(zip(HISTORY_COLUMNS, row, strict=True)) for row in rows]


_kept = KeptQueries()


def _history_of(givens: Givens) -> QuerySet[Any, Any]:
    found = Event.objects.filter(ticket_id=givens["ticket"]).exclude(kind__in=apart())
    return found.order_by("id").values_list(*HISTORY_COLUMNS)


def row_of(event: Event) -> dict[str, Any]:
    """A freshly written event in the same form."""
    return {
        "id": event.id,
        "at_s": event.at_s,
        "kind": str(event.kind),
        "actor_id": event.actor_id,
        "by_desk": event.by_desk,
        "is_automatic": event.is_automatic,
        "facts": event.facts,
    }


def row_of_entry(entry: Entry, number: int) -> dict[str, Any]:
    """An entry that has not been written yet in the same form."""
    return {
        "id": number,
        "at_s": seconds_of(entry.at),
        "kind": str(entry.kind),
        "actor_id": entry.actor_id,
        "by_desk": entry.by_desk,
        "is_automatic": entry.is_automatic,
        "facts": entry.facts,
    }
