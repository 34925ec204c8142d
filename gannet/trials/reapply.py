"""Applying an edition to tickets that are open already: a preview, then the act itself.

Running clocks keep the agreement under which they started. When an administrator wants
otherwise, each open ticket chooses its agreement again under the edition; its history
stays, its clocks are read from it with the new targets and calendars.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import Book, edition
from gannet.tickets import promises
from gannet.tickets.actions.frame import RecordWrite, finish_all, load_many
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Ticket
from gannet_core.errors import GannetError
from gannet_core.instants import instant_of

CHUNK = 400
MOST_LISTED = 2_000
Progress = Callable[[int, int], bool]


def affected(number: int) -> QuerySet[Ticket]:
    """The open tickets whose clocks run under another edition."""
    return Ticket.objects.filter(is_open=True).exclude(edition=number)


def preview(number: int, now_s: int, progress: Progress) -> dict[str, Any]:
    """What would move, ticket by ticket; nothing is changed."""
    book = edition(number)
    moves: list[dict[str, Any]] = []
    counts = {"tickets": 0, "moved": 0, "earlier": 0, "later": 0, "refused": 0}
    for writes, done, total in _chunks(number, None, now_s):
        for write in writes:
            counts["tickets"] += 1
            before = _shown(write.ticket)
            try:
                _again(write, book)
                write._derive()
            except GannetError:
                counts["refused"] += 1
                continue
            after = _shown(write.ticket)
            if before == after:
                continue
            counts["moved"] += 1
            counts["earlier"] += (after["due"] or 0) < (before["due"] or 0)
            counts["later"] += (after["due"] or 0) > (before["due"] or 0)
            if len(moves) < MOST_LISTED:
                moves.append({"number": write.ticket.pk, "before": before, "after": after})
        if not progress(done, total):
            break
    return {**counts, "moves": moves}


def re_apply(number: int, person: Person | None, now_s: int, progress: Progress) -> dict[str, Any]:
    """Apply an edition to every open ticket, chunk by chunk, each in its own transaction.

    A ticket that has it already is passed over, so a run that was killed goes on.
    """
    book = edition(number)
    counts = {"tickets": 0, "refused": 0}
    for writes, done, total in _chunks(number, person, now_s, lock=True):
        good = []
        for write in writes:
            try:
                _again(write, book)
            except GannetError:
                counts["refused"] += 1
                continue
            write.record(
                TicketEvent.RE_APPLIED,
                values={"edition": number, "agreement": write.ticket.agreement},
                is_automatic=True,
                by_desk=False,
            )
            good.append(write)
        finish_all(good)
        counts["tickets"] += len(good)
        if not progress(done, total):
            break
    return counts


def _again(write: RecordWrite, book: Book) -> None:
    """Choose the customer agreement and the holder's again under the edition."""
    ticket = write.ticket
    write.book = book
    found = promises.promise(book, ticket, "customer", write.acting.now_s)
    fitted = promises.fit_clocks(book, ticket, found, "customer", write.clocks)
    team = promises.promise(book, ticket, "team", write.acting.now_s, team=ticket.team.name)
    fitted += promises.fit_clocks(book, ticket, team, "team", write.clocks, ticket.team.key)
    write._keep(fitted)
    ticket.edition = book.number
    ticket.agreement = found.agreement if found else ""
    ticket.care_tier = min((c.care_tier for c in fitted if c.care_tier), default="")


def _chunks(
    number: int, person: Person | None, now_s: int, *, lock: bool = False
) -> Iterator[tuple[list[RecordWrite], int, int]]:
    numbers = list(affected(number).order_by("pk").values_list("pk", flat=True))
    acting = Acting(person=None if person is None else person, now=instant_of(now_s))
    for start in range(0, len(numbers), CHUNK):
        end = min(start + CHUNK, len(numbers))
        if lock:
            with transaction.atomic():
                yield _writes(numbers[start:end], acting, lock=True), end, len(numbers)
        else:
            yield _writes(numbers[start:end], acting, lock=False), end, len(numbers)


def _writes(numbers: Sequence[int], acting: Acting, *, lock: bool) -> list[RecordWrite]:
    writes = load_many(numbers, acting, lock=lock, runs_rules=False)
    return [write for write in writes if write.ticket.is_open]


def _shown(ticket: Ticket) -> Mapping[str, Any]:
    return {"agreement": ticket.agreement, "due": ticket.due_s, "due_kind": ticket.due_kind}
