"""Logging a ticket with everything that follows, and firing timers, against raw rows."""

import sqlite3
import time
from collections import Counter
from datetime import timedelta
from pathlib import Path

from bench.database import database
from bench.timing import verdict

LOGGED = 300
TIMERS = 2000


def _raw(file: Path) -> sqlite3.Connection:
    raw = sqlite3.connect(file, isolation_level=None)
    for pragma in (
        "journal_mode=WAL",
        "synchronous=NORMAL",
        "foreign_keys=ON",
        "cache_size=-32000",
    ):
        raw.execute(f"PRAGMA {pragma}")
    return raw


def _counts() -> Counter[str]:
    from gannet.audit.models import Event
    from gannet.messages.models import Outgoing
    from gannet.tickets.models import Clock, Ticket, Timer

    models = (Ticket, Event, Clock, Timer, Outgoing)
    return Counter({model._meta.db_table: model.objects.count() for model in models})


def run_log() -> list[str]:
    with database("log") as file:
        from django.utils import timezone

        from gannet.estate.models import Service
        from gannet.people.models import Person
        from gannet.tickets.actions import Acting, NewTicket, log_ticket

        services = list(Service.objects.select_related("team"))
        people = list(Person.objects.filter(roles=[]))
        now = timezone.now()

        def log(index: int) -> None:
            requester = people[index % len(people)]
            new = NewTicket(
                requester=requester,
                title=f"It is broken {index}",
                text="Since this morning.",
                service=services[index % len(services)],
                answers={"who": "team", "work": "hard"},
            )
            log_ticket(new, Acting(person=requester, now=now + timedelta(seconds=index)))

        for index in range(20):
            log(index)
        before = _counts()
        started = time.perf_counter()
        for index in range(LOGGED):
            log(index)
        ours = LOGGED / (time.perf_counter() - started)
        made = _counts() - before
        plain = _insert_again(file, made)
    rows = ", ".join(f"{count / LOGGED:.1f} {name.split('_')[1]}" for name, count in made.items())
    share = ours / plain
    return [
        verdict(
            f"logging / the same rows raw ({ours:.0f} / {plain:.0f} a second)",
            share,
            ">= 0.3",
            is_met=share >= 0.3,
        ),
        f"    a logged ticket is: {rows}",
    ]


def _insert_again(file: Path, made: Counter[str]) -> float:
    """Insert copies of the rows that logging made, ticket by ticket, in the same sync mode."""
    raw = _raw(file)
    statements = []
    for table, count in made.items():
        columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
        rows = raw.execute(f"SELECT * FROM {table} ORDER BY rowid DESC LIMIT {count}").fetchall()
        statements.append((table, columns, rows, count // LOGGED))
    first = {
        table: raw.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0] + 1 for table in made
    }
    unique = {"messages_outgoing": "message_id"}
    # The copies break constraints that only the originals may hold.
    raw.execute("DROP INDEX IF EXISTS one_armed_timer")
    raw.execute("PRAGMA foreign_keys=OFF")
    started = time.perf_counter()
    for index in range(LOGGED):
        raw.execute("BEGIN IMMEDIATE")
        for table, columns, rows, per_ticket in statements:
            insert = f"INSERT INTO {table} VALUES ({', '.join('?' * len(columns))})"
            for step in range(per_ticket):
                row = list(rows[(index * per_ticket + step) % len(rows)])
                row[0] = first[table]
                first[table] += 1
                if table in unique:
                    row[columns.index(unique[table])] = f"copy-{row[0]}"
                if table == "tickets_clock":
                    row[columns.index("holder")] = f"copy-{row[0]}"
                raw.execute(insert, row)
        raw.execute("COMMIT")
    rate = LOGGED / (time.perf_counter() - started)
    raw.close()
    return rate


def run_timers() -> list[str]:
    """Timers that act (a ticket closes) and timers claimed and marked, against raw marking."""
    with database("timers") as file:
        from django.utils import timezone

        from gannet.estate.models import Service
        from gannet.people.models import Person
        from gannet.tickets.actions import Acting, NewTicket, log_ticket
        from gannet.tickets.models import Timer, TimerState
        from gannet.worker.worker import fire_due

        requester = Person.objects.filter(roles=[]).first()
        assert requester is not None
        now = timezone.now()
        new = NewTicket(requester=requester, title="x", service=Service.objects.first())
        tickets = [
            log_ticket(new, Acting(person=requester, now=now)).pk for _ in range(TIMERS // 20)
        ]
        Timer.objects.all().delete()

        def arm() -> None:
            Timer.objects.all().delete()
            Timer.objects.bulk_create(
                [
                    Timer(
                        ticket_id=tickets[n % len(tickets)],
                        kind="late",
                        subject=f"gone/{n}",
                        at_s=n,
                    )
                    for n in range(TIMERS)
                ]
            )

        arm()
        started = time.perf_counter()
        while fire_due(10**9):
            pass
        ours = TIMERS / (time.perf_counter() - started)
        assert Timer.objects.filter(state=TimerState.FIRED).count() == TIMERS
        arm()
        plain = _claim_and_mark(file)
    share = ours / plain
    return [
        verdict(
            f"timers fired / raw claim and mark ({ours:.0f} / {plain:.0f} a second)",
            share,
            ">= 0.4",
            is_met=share >= 0.4,
        )
    ]


def _claim_and_mark(file: Path) -> float:
    """One timer at a time: claim the next due, mark it fired, commit."""
    raw = _raw(file)
    started = time.perf_counter()
    done = 0
    while True:
        raw.execute("BEGIN IMMEDIATE")
        row = raw.execute(
            "SELECT id FROM tickets_timer WHERE state = 1 AND at_s <= ? ORDER BY at_s, id LIMIT 1",
            [10**9],
        ).fetchone()
        if row is None:
            raw.execute("COMMIT")
            break
        raw.execute("UPDATE tickets_timer SET state = 2, fired_s = ? WHERE id = ?", [10**9, row[0]])
        raw.execute("COMMIT")
        done += 1
    rate = done / (time.perf_counter() - started)
    raw.close()
    return rate
