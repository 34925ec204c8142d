"""Rules and clocks of one act, and 100,000 open clocks read again after a calendar change."""

import copy
import os
import sqlite3
import time
from pathlib import Path
from typing import Any

from bench.database import database
from bench.timing import best, verdict

TICKETS = int(os.environ.get("BENCH_OPEN_TICKETS", "25000"))
RULES = 60
_ORIGINALS = 40


def run() -> list[str]:
    with database("policies") as file:
        return [*_one_act(), *_again(file)]


def _log(count: int) -> list[Any]:
    from django.utils import timezone

    from gannet.estate.models import Service
    from gannet.people.models import Person
    from gannet.tickets.actions import Acting, NewTicket, log_ticket

    services = list(Service.objects.select_related("team").exclude(is_confidential=True))
    people = list(Person.objects.filter(roles=[]))
    logged = []
    for index in range(count):
        who = people[index % len(people)]
        new = NewTicket(
            requester=who, title=f"It is broken {index}", service=services[index % len(services)],
            answers={"who": "team", "work": "hard"},
        )  # fmt: skip
        logged.append(log_ticket(new, Acting(person=who, now=timezone.now())))
    return logged


def _one_act() -> list[str]:
    """A pass of many rules, and clocks with their steps, for one event of one ticket."""
    from gannet.rulebook.book import Book, current
    from gannet.tickets import intake
    from gannet.tickets.actions.frame import WITH_RELATED
    from gannet.tickets.actions.ladders import ladders_of
    from gannet.tickets.derive import derive
    from gannet.tickets.history import happenings, rows_of
    from gannet.tickets.models import Clock, Ticket

    (logged,) = _log(1)
    ticket = Ticket.objects.select_related(*WITH_RELATED, "service__owner").get(pk=logged.pk)
    book = current()
    document = copy.deepcopy(dict(book.document))
    condition = {
        "all": [
            {"field": "priority", "op": "is one of", "value": ["P1", "P4"]},
            {"field": "service", "op": "is not", "value": "Payroll"},
            {"field": "title", "op": "contains", "value": "nothing like it"},
        ]
    }
    document["rules"] = [
        {"key": f"r{n}", "name": f"Rule {n}", "when": ["created"], "if": condition,
         "then": [{"do": "tag", "tags": ["x"]}]}
        for n in range(RULES)
    ]  # fmt: skip
    many = Book(0, document)
    rows = rows_of(ticket.pk)
    clocks = list(Clock.objects.filter(ticket=ticket))
    now_s = ticket.opened_s + 600

    def clocks_and_steps() -> None:
        derive(ticket, clocks, happenings(rows), book, now_s)
        ladders_of(ticket, clocks, rows, now_s)

    rules_s = best(lambda: intake.run_rules(many, ticket, ("created",), {}, now_s), 20)
    clocks_s = best(clocks_and_steps, 20)
    both_ms = (rules_s + clocks_s) * 1000
    return [
        verdict(
            f"{RULES} rules {rules_s * 1000:.2f} ms + {len(clocks)} clocks, steps "
            f"{clocks_s * 1000:.2f} ms",
            both_ms,
            "< 10 ms",
            is_met=both_ms < 10,
        )
    ]


def _again(file: Path) -> list[str]:
    """Open tickets under an edition whose calendar changes: re-applied, with progress."""
    from django.utils import timezone

    from gannet.rulebook import book
    from gannet.rulebook.models import Edition
    from gannet.tickets.models import Clock
    from gannet.trials import reapply
    from gannet_core.instants import seconds_of

    _copy(file, [ticket.pk for ticket in _log(_ORIGINALS)])
    clocks = Clock.objects.filter(ticket__is_open=True).count()
    document = copy.deepcopy(Edition.objects.get(number=1).document)
    for calendar in document["calendars"]:
        calendar["exceptions"] = [*(calendar.get("exceptions") or []), {"date": "2035-01-02", "hours": []}]  # fmt: skip
    Edition.objects.create(
        number=2, document=document, published_at=timezone.now(),
        starts_at_s=seconds_of(timezone.now()),
    )  # fmt: skip
    book.forget()
    reports: list[tuple[int, int]] = []

    def report(done: int, total: int) -> bool:
        reports.append((done, total))
        return True

    started = time.perf_counter()
    done = reapply.re_apply(2, None, seconds_of(timezone.now()), report)
    took = time.perf_counter() - started
    name = f"{clocks:,} open clocks of {done['tickets']:,} tickets read again"
    rate = f"{clocks / took:,.0f} a second, {len(reports)} reports of progress"
    return [f"{name:<58} {took:>9.1f} s   ({rate})"]


def _copy(file: Path, numbers: list[int]) -> None:
    """Copies of real tickets with their events, clocks and timers, row by row in SQL."""
    with sqlite3.connect(file) as raw:
        raw.execute("PRAGMA foreign_keys=OFF")
        tables = {
            "tickets_ticket": "id",
            "audit_event": "ticket_id",
            "tickets_clock": "ticket_id",
            "tickets_timer": "ticket_id",
        }
        ids = {t: raw.execute(f"SELECT max(id) FROM {t}").fetchone()[0] for t in tables}
        for table, key in tables.items():
            columns = [row[1] for row in raw.execute(f"PRAGMA table_info({table})")]
            marks = ", ".join("?" * len(columns))
            originals = {
                n: [
                    list(row) for row in raw.execute(f"SELECT * FROM {table} WHERE {key} = ?", (n,))
                ]
                for n in numbers
            }
            fresh = []
            for step in range(TICKETS - len(numbers)):
                for original in originals[numbers[step % len(numbers)]]:
                    row = list(original)
                    ids[table] += 1
                    row[columns.index("id")] = ids[table]
                    if key != "id":
                        row[columns.index(key)] = max(numbers) + 1 + step
                    fresh.append(row)
            raw.executemany(f"INSERT INTO {table} VALUES ({marks})", fresh)
