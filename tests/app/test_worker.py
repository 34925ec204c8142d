"""Exactly once, whatever happens: two at the same ticket, a worker killed in the middle."""

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.db import connection, connections

from gannet.audit.kinds import kinds
from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.messages.models import Outgoing
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import StateCode, Ticket, Timer, TimerState
from gannet.web.errors import Conflict
from gannet.worker import worker
from gannet.worker.worker import fire_due
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db(transaction=True)
TIMERS = 2000


def test_two_agents_take_the_same_ticket_at_once(
    northmere: None, log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    agents = {name: by(name) for name in ("Signe", "Marit")}
    start = threading.Barrier(2)
    answers: dict[str, str] = {}

    def take(name: str) -> None:
        start.wait()
        try:
            actions.take(ticket.pk, agents[name], None)
            answers[name] = "got it"
        except Conflict as conflict:
            answers[name] = conflict.detail
        finally:
            connections.close_all()

    threads = [threading.Thread(target=take, args=(name,)) for name in agents]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    (winner,) = [name for name, answer in answers.items() if answer == "got it"]
    (loser,) = set(answers) - {winner}
    holder = Ticket.objects.get(pk=ticket.pk).holder
    assert holder.name.startswith(winner)
    assert answers[loser] == f"{holder.name} has just taken this."
    assert Event.objects.filter(ticket=ticket, kind=TicketEvent.TAKEN).count() == 1


WORKER = """
import os, sys, django
django.setup()
from django.conf import settings
from gannet.worker.worker import fire_due
settings.DATABASES["default"]["NAME"]
while fire_due(int(sys.argv[1])):
    print("batch", flush=True)
"""


def resolved_tickets(log: Callable[..., Any], count: int) -> None:
    """Many resolved tickets whose closing falls due, made by one act and copied."""
    made = log("Lena", "Payroll")
    from gannet.tickets.actions import Acting

    who = Acting(person=made.holder or made.requester, now=NOW)
    actions.resolve(made.pk, Acting(person=None, now=who.now), "done")
    first = Ticket.objects.get(pk=made.pk)
    number = first.pk
    copies, logged = [], list(Event.objects.filter(ticket=first).order_by("id"))
    from django.db import transaction

    from gannet.audit import log as audit

    with transaction.atomic():
        for step in range(1, count):
            first.pk = number + step
            copies.append(
                Ticket(**{f.attname: getattr(first, f.attname) for f in Ticket._meta.fields})
            )
        Ticket.objects.bulk_create(copies)
        audit.append(
            [
                audit.Entry(
                    kind=kinds()[event.kind],
                    at=event.at,
                    actor_id=event.actor_id,
                    by_desk=bool(event.by_desk),
                    is_automatic=bool(event.is_automatic),
                    ticket_id=copy.pk,
                    facts=event.facts,
                )
                for copy in copies
                for event in logged
                if event.kind in (TicketEvent.LOGGED, TicketEvent.RESOLVED)
            ]
        )
        Timer.objects.filter(state=TimerState.ARMED).delete()
        Timer.objects.bulk_create(
            [
                Timer(ticket_id=number + step, kind="close", at_s=seconds_of(NOW))
                for step in range(count)
            ]
        )


def start_worker(at_s: int) -> "subprocess.Popen[str]":
    """A worker of its own process over the test's database, as of an instant."""
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
        "GANNET_TEST_DATABASE": str(connection.settings_dict["NAME"]),
    }
    connections.close_all()
    return subprocess.Popen(
        [sys.executable, "-c", WORKER, str(at_s)],
        env=environment, cwd=Path(__file__).parents[2], stdout=subprocess.PIPE, text=True,
    )  # fmt: skip


def test_a_killed_worker_fires_each_timer_exactly_once(
    northmere: None, log: Callable[..., Any]
) -> None:
    resolved_tickets(log, TIMERS)
    killed = 0
    for batches in (2, 5, 9):
        process = start_worker(seconds_of(NOW))
        assert process.stdout is not None
        for _ in range(batches):
            process.stdout.readline()
        time.sleep(0.02 * batches)  # somewhere inside the next batch
        process.send_signal(signal.SIGKILL)
        process.wait()
        killed += 1
        done = Timer.objects.filter(state=TimerState.FIRED).count()
        assert 0 < done < TIMERS, "killed in the middle"
        closed = Ticket.objects.filter(state=StateCode.CLOSED).count()
        assert closed == done, "a timer and what it does are one"
    last = [start_worker(seconds_of(NOW)) for _ in range(2)]  # two at once are safe
    for process in last:
        assert process.wait(timeout=600) == 0
    assert killed == 3
    assert Timer.objects.filter(state=TimerState.FIRED).count() == TIMERS
    assert Event.objects.filter(kind=TicketEvent.CLOSED).count() == TIMERS
    assert not Ticket.objects.exclude(state=StateCode.CLOSED).exists()
    assert verify()[1] is None


def test_a_timer_that_fails_is_tried_again_and_harms_no_other(
    northmere: None, log: Callable[..., Any]
) -> None:
    good, bad = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    Timer.objects.all().delete()
    Timer.objects.create(ticket=bad, kind="close", at_s=1)  # not resolved: cannot close
    fine = Timer.objects.create(ticket=good, kind="route", at_s=2)
    assert fire_due(seconds_of(NOW)) == 2
    fine.refresh_from_db()
    assert fine.state == TimerState.FIRED
    failed = Timer.objects.get(ticket=bad)
    assert failed.state == TimerState.ARMED and failed.at_s > seconds_of(NOW)
    assert failed.attempts == 1 and "cannot be closed" in failed.problem


def test_a_round_that_takes_long_lets_others_write_and_goes_on(
    northmere: None, log: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(worker, "_LONGEST_HOLD_SECONDS", 0.0)
    tickets = [log("Maeve", "Boarding gates") for _ in range(3)]
    Timer.objects.all().delete()
    for at_s, ticket in enumerate(tickets, 1):
        Timer.objects.create(ticket=ticket, kind="route", at_s=at_s)
    done = []
    while fired := fire_due(seconds_of(NOW)):
        done.append((fired, Timer.objects.filter(at_s__lte=3, state=TimerState.FIRED).count()))
    assert done[:3] == [(1, 1), (1, 2), (1, 3)]
    assert set(Timer.objects.filter(at_s__lte=3).values_list("attempts", flat=True)) == {1}


def test_a_timer_that_an_act_before_it_in_the_round_has_dropped_does_nothing(
    northmere: None, log: Callable[..., Any], by: Callable[..., Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.resolve(ticket.pk, by("Signe"), "switched on again")
    Timer.objects.exclude(kind="close").delete()
    # Armed for a clock that there is not: closing works the timers out again and drops it.
    late = Timer.objects.create(ticket=ticket, kind="late", subject="gone/", at_s=2**31)
    Timer.objects.filter(kind="close").update(at_s=1)
    assert fire_due(2**32) == 2
    late.refresh_from_db()
    assert (late.state, late.attempts) == (TimerState.DROPPED, 0)
    assert Ticket.objects.get(pk=ticket.pk).state == StateCode.CLOSED


def test_escalation_steps_fire_exactly_once_under_kills_and_with_two_workers(
    northmere: None, log: Callable[..., Any]
) -> None:
    count = 160
    numbers = [log("Maeve", "Boarding gates", who="team", work="no").pk for _ in range(count)]
    at_s = seconds_of(NOW) + 2 * 3600  # half of the fix target, and all before it
    for _ in range(2):
        process = start_worker(at_s)
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(0.05)  # somewhere inside the next batch
        process.send_signal(signal.SIGKILL)
        process.wait()
    fired = Event.objects.filter(kind=TicketEvent.ESCALATED)
    assert 0 < fired.count() < 3 * count, "killed in the middle"
    for process in [start_worker(at_s) for _ in range(2)]:
        assert process.wait(timeout=600) == 0
    for step in ("half-gone", "answer-soon", "hold-nearly-gone"):
        fired = Event.objects.filter(kind=TicketEvent.ESCALATED, facts__step=step)
        assert sorted(fired.values_list("ticket_id", flat=True)) == numbers, step
    told = Outgoing.objects.filter(subject__contains="half the time is gone")
    once = set(told.values_list("ticket_id", "person_id"))
    assert told.count() == len(once) and {number for number, _ in once} == set(numbers)
    assert not Timer.objects.filter(state=TimerState.ARMED, at_s__lte=at_s).exists()
    assert verify()[1] is None
