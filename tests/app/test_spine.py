"""The event log: chained, redactable, and the source that everything else equals."""

from collections.abc import Callable
from typing import Any

import pytest
from django.db import connection

from gannet.audit import log as audit
from gannet.audit.events import AuditEvent
from gannet.audit.models import Event
from gannet.demo.history import History
from gannet.rulebook.book import current
from gannet.tickets import actions, promises
from gannet.tickets.events import TicketEvent
from gannet.tickets.history import happenings, rows_of
from gannet.tickets.models import Clock, Ticket
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.fixture
def ticket(log: Callable[..., Any], by: Callable[[str | None], Any]) -> Ticket:
    made: Ticket = log("Maeve", "Boarding gates")
    actions.note(made.pk, by("Signe"), "the password is hunter2")
    actions.reply(made.pk, by("Signe"), "Thank you.")
    return made


@pytest.mark.parametrize(
    ("column", "value"),
    [
        ("text", "nothing"),
        ("at_s", 5),
        ("actor_id", 1),
        ("facts", "{}"),
        ("vals", b"\x00{}"),
        ("vals", "{}"),
        ("vals", b"\x01 not packed"),
        ("vals", b"\x07{}"),
        ("hash", "0" * 64),
        ("hash", b"\x00" * 32),
        ("kind", "closed"),
    ],
    ids=str,
)
def test_a_changed_event_breaks_the_chain_where_it_was_changed(
    ticket: Ticket, column: str, value: Any
) -> None:
    assert audit.verify()[1] is None
    event = Event.objects.filter(ticket=ticket, kind=TicketEvent.LOGGED).get()
    with connection.cursor() as cursor:
        if column == "vals":
            cursor.execute('UPDATE audit_event SET "values" = %s WHERE id = %s', [value, event.id])
        else:
            cursor.execute(f"UPDATE audit_event SET {column} = %s WHERE id = %s", [value, event.id])  # noqa: S608
    broken = audit.verify()[1]
    assert broken is not None and broken.event_id == event.id


def test_a_missing_event_is_noticed(ticket: Ticket) -> None:
    event = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).get()
    Event.objects.filter(pk=event.pk).delete()
    broken = audit.verify()[1]
    assert broken is not None and "missing" in broken.because


def test_redaction_removes_the_text_and_keeps_the_chain(
    ticket: Ticket, person: Callable[[str], Any]
) -> None:
    event = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED).get()
    audit.redact(event, person("Anneke").pk, NOW, "a pasted password")
    assert audit.verify()[1] is None
    assert not Event.objects.filter(text__contains="hunter2").exists()
    assert Event.objects.get(pk=event.pk).salt == ""
    Event.objects.filter(pk=event.pk).update(redacted_by=None)
    assert audit.verify()[1] is not None, "a text that is gone needs the event that removed it"


@pytest.mark.django_db(transaction=True)
def test_events_are_not_written_outside_a_transaction() -> None:
    with pytest.raises(RuntimeError, match="transaction"):
        audit.append([audit.Entry(kind=AuditEvent.DENIED, at=NOW)])


def test_the_demo_history_equals_its_recomputation(northmere: None) -> None:
    """Every clock of a sample equals the core's reading of its events; the chain holds."""
    end = seconds_of(NOW)
    told = History(current(), end, seed=7, tickets=120).write(lambda *_: None)
    assert told > 100
    book = current()
    for ticket in Ticket.objects.all()[:120]:
        history = happenings(rows_of(ticket.pk))
        for clock in Clock.objects.filter(ticket=ticket):
            ledger = promises.ledger_of(clock, book, history, end)
            stored = (
                clock.get_state_display(),
                clock.remaining_seconds,
                clock.due_s,
                clock.missed_s,
            )
            assert stored == (str(ledger.state), ledger.remaining, ledger.due, ledger.missed_at)
    assert audit.verify()[1] is None
    titles = list(Ticket.objects.values_list("title", flat=True)[:50])
    assert len(set(titles)) > 35, "no screen full of the same sentence"
