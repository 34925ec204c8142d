"""`gannet demo`: the data if need be, then serving and working in one terminal."""

import gc
import os
import subprocess
import sys
import time
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import connection, connections
from django.utils import timezone

from gannet.web.database import database_file

SEED = 20
TICKETS = 12_000
HISTORY_ENDS_BEFORE = timedelta(hours=36)
_STALE_AFTER = timedelta(days=1)


def demo(host: str, port: int, *, keep: bool, only_data: bool, processes: int = 1) -> int:
    """Make the demo data when missing or older than a day, then serve and work."""
    from gannet.serving import port_problem, serve

    if not settings.IS_DEMO:
        print("The demo runs with its own settings only: gannet.settings.demo.", file=sys.stderr)
        return 2
    if not only_data and (problem := port_problem(host, port)):
        print(problem, file=sys.stderr)
        return 2
    if needs_data(keep=keep):
        if not only_data:
            # In a process of its own: what it took to make them is given back when it ends.
            connections.close_all()
            command = [sys.executable, "-m", "gannet", "demo", "--only-data"]
            made = subprocess.run([*command, *(["--keep"] if keep else [])], check=False)
            if made.returncode:
                return made.returncode
        else:
            make(Progress())
    if only_data:
        return 0
    _greet(port)
    connections.close_all()
    os.environ["DJANGO_SETTINGS_MODULE"] = "gannet.settings.demo"
    return serve(host, port, with_worker=True, processes=processes)


def needs_data(*, keep: bool) -> bool:
    """Whether there is no complete data, or only old data that is not to be kept."""
    database = database_file()
    stamp = database.with_name("demo-made-at")
    if not database.exists() or not stamp.exists():
        return True
    if "people_person" not in connection.introspection.table_names():
        return True
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        return True
    age = time.time() - float(stamp.read_text())
    return not keep and age > _STALE_AFTER.total_seconds()


class Progress:
    """Shows what is being made on one line per step."""

    def __init__(self) -> None:
        self._started = time.monotonic()
        self._step = ""

    def __call__(self, step: str, done: int, of: int) -> None:
        if step != self._step and self._step:
            print()
        self._step = step
        seconds = time.monotonic() - self._started
        print(f"\r  {step:<12} {done:>7,} of {of:>7,}   {seconds:4.0f} s", end="", flush=True)

    def finish(self, words: str) -> None:
        print(f"\n  {words} ({time.monotonic() - self._started:.0f} s)")


def make(progress: Progress, tickets: int = TICKETS, seed: int = SEED) -> None:
    """Make the whole demo afresh; it is only marked as made when it is complete."""
    from gannet.rulebook import book

    database = database_file()
    stamp = database.with_name("demo-made-at")
    stamp.unlink(missing_ok=True)
    connections.close_all()
    for ending in ("", "-wal", "-shm"):
        Path(f"{database}{ending}").unlink(missing_ok=True)
    # A new history: what was signed of the old one does not count.
    Path(settings.CHAIN_HEADS_FILE).unlink(missing_ok=True)
    database.parent.mkdir(parents=True, exist_ok=True)
    book.forget()
    print("Making Northmere Ferries: two years of work, seeded and relative to now.")
    call_command("migrate", verbosity=0)
    # Hundreds of thousands of small objects live until they are written: collecting
    # garbage among them again and again would take as long as making them.
    gc.disable()
    try:
        fill(progress, tickets=tickets, seed=seed)
    finally:
        gc.enable()
    stamp.write_text(str(time.time()))


def fill(progress: Progress, *, tickets: int, seed: int) -> None:
    """Fill an empty, migrated database."""
    from gannet.demo.changes import make_changes
    from gannet.demo.desk import make_ready, make_today, remember
    from gannet.demo.estate import make_estate, make_scanned
    from gannet.demo.history import History
    from gannet.demo.knowledge import make_handbook, make_knowledge
    from gannet.demo.live_requests import make_news, make_requests
    from gannet.demo.majors import make_majors
    from gannet.demo.on_call import make_rotas
    from gannet.demo.organisation import make_organisation
    from gannet.demo.past_changes import make_past_changes
    from gannet.demo.problems import make_problems
    from gannet.demo.quarantined import make_quarantined
    from gannet.demo.rehearsals import make_rehearsals
    from gannet.demo.reports import make_reports
    from gannet.demo.rulebook import document, first_document
    from gannet.demo.today import Today
    from gannet.people.models import Person
    from gannet.reports.stretches import keep_all
    from gannet.rulebook.book import edition
    from gannet.rulebook.models import Edition
    from gannet.tickets.classify import retrain
    from gannet_core.instants import instant_of, seconds_of

    now = timezone.now().replace(microsecond=0)
    make_organisation()
    ends_s = seconds_of(now - HISTORY_ENDS_BEFORE)
    administrator = Person.objects.filter(name="Anneke Dray").first()
    began = now - timedelta(days=800)
    Edition.objects.create(
        number=1,
        document=first_document(now.date()),
        published_at=began,
        starts_at_s=seconds_of(began),
        published_by=administrator,
        comment="The first rulebook.",
    )
    Edition.objects.create(
        number=2,
        document=document(now.date()),
        published_at=instant_of(ends_s),
        starts_at_s=ends_s,
        published_by=administrator,
        comment="Escalation steps, the first five rules, starters for the desk.",
    )
    told = History(edition(1), ends_s, seed, tickets).write(progress)
    make_estate()
    progress("learning", 0, told)
    retrain()
    progress("learning", told, told)
    remember(seed, now)
    make_ready(now)
    make_knowledge(now, seed)
    Today(now, seed).write(progress)
    make_today(now)
    make_rotas(now)
    make_past_changes(now, seed)
    make_problems(now)
    make_changes(now)
    make_majors(now)
    make_requests(now)
    make_news(now)
    make_quarantined(now)
    make_scanned(now)
    make_rehearsals(now)
    make_reports(now)
    make_handbook(now, seed)
    keep_all(seconds_of(now))
    progress.finish("Ready")


def _greet(port: int) -> None:
    from gannet.people.api import demo_people

    print(f"\nGannet is at http://localhost:{port} – sign in with one click as:\n")
    for person in demo_people():
        print(f"  {person['name']:<16} {person['about']}")
    print(
        "\nMail goes to the stand-in server "
        f"(SMTP on port {settings.EMAIL_PORT}); see Mail room. Ctrl C stops.\n",
        flush=True,
    )
