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
    """Timers that act, and timers claimed and marked that find nothing to do, against raw."""
    return [*_acting(), *_idle()]


ACTING = 200


def _acting() -> list[str]:
    """Tickets close, escalate and remind by themselves; the same rows raw, as many at a time."""
    with database("timers") as file:
        from django.utils import timezone

        from gannet.estate.models import Service
        from gannet.people.models import Person
        from gannet.tickets import actions
        from gannet.tickets.actions import Acting, NewTicket, log_ticket, own
        from gannet.tickets.models import Timer, TimerState
        from gannet.worker.worker import BATCH, fire_due
        from gannet_core.instants import seconds_of

        now = timezone.now()
        who = Person.objects.filter(roles=[]).first()
        agent = Person.objects.get(name="Signe Hallam")
        service = Service.objects.get(name="Boarding gates")
        assert who is not None
        for n in range(ACTING):
            new = NewTicket(requester=who, title=f"It is broken {n}", service=service)
            ticket = log_ticket(new, Acting(person=who, now=now))
            acting = Acting(person=agent, now=now + timedelta(minutes=1))
            if n % 3 == 0:
                actions.resolve(ticket.pk, acting, "It was switched on again.")
            elif n % 3 == 1:
                at = now + timedelta(hours=1)
                own.remind(agent, now, at=at, text="Look again", ticket_id=ticket.pk)
        due_s = seconds_of(now + timedelta(days=12))
        before = _counts()
        fired_before = Timer.objects.filter(state=TimerState.FIRED).count()
        began = time.perf_counter()
        while fire_due(due_s):
            pass
        took = time.perf_counter() - began
        fired = Timer.objects.filter(state=TimerState.FIRED)
        count = fired.count() - fired_before
        kinds = Counter(fired.values_list("kind", flat=True))
        made = _counts() - before
        raw_took = _write_again(file, made, count, BATCH)
    share = raw_took / took
    rows = ", ".join(f"{n} {table.split('_')[1]}" for table, n in made.items())
    name = f"timers that act / raw ({count / took:.0f} / {count / raw_took:.0f} a second)"
    return [
        verdict(name, share, ">= 0.25", is_met=share >= 0.25),
        f"    fired: {dict(kinds)}; written: {rows}, and each ticket with its clocks again",
    ]


def _write_again(file: Path, made: Counter[str], timers: int, batch: int) -> float:
    """The rows that acting timers made, and those that they changed, in batches; in seconds."""
    raw = _raw(file)
    raw.execute("DROP INDEX IF EXISTS one_armed_timer")
    raw.execute("PRAGMA foreign_keys=OFF")
    fresh = []
    for table, count in made.items():
        columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
        rows = raw.execute(f"SELECT * FROM {table} ORDER BY rowid DESC LIMIT {count}").fetchall()
        next_key = raw.execute(f"SELECT max(rowid) FROM {table}").fetchone()[0] + 1
        insert = f"INSERT INTO {table} VALUES ({', '.join('?' * len(columns))})"
        for n, row in enumerate(rows):
            copied = [next_key + n, *row[1:]]
            if table == "messages_outgoing":
                copied[columns.index("message_id")] = f"copy-{next_key + n}"
            if table == "tickets_clock":
                copied[columns.index("holder")] = f"copy-{next_key + n}"
            fresh.append((insert, copied))
    tickets = [row[0] for row in raw.execute("SELECT id FROM tickets_ticket")]
    began = time.perf_counter()
    for start in range(0, timers, batch):
        raw.execute("BEGIN IMMEDIATE")
        for n in range(start, min(start + batch, timers)):
            ticket = tickets[n % len(tickets)]
            raw.execute(
                "UPDATE tickets_ticket SET state = state, is_open = is_open, changed_s = changed_s"
                " + 1, due_s = due_s, rank_s = rank_s, next_step = next_step, version = version + 1"
                " WHERE id = ?",
                [ticket],
            )
            raw.execute(
                "UPDATE tickets_clock SET state = state, remaining_seconds = remaining_seconds"
                " WHERE ticket_id = ?",
                [ticket],
            )
            raw.execute("UPDATE tickets_timer SET state = state WHERE ticket_id = ?", [ticket])
        share = len(fresh) * batch // timers
        for insert, row in fresh[start // batch * share : (start // batch + 1) * share]:
            raw.execute(insert, row)
        raw.execute("COMMIT")
    took = time.perf_counter() - began
    raw.close()
    return took


def _idle() -> list[str]:
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
