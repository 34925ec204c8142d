"""Databases of a size, filled by a loader of its own: rows straight into SQLite."""

import hashlib
import json
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from bench.replica import replicate

TICKETS = int(os.environ.get("BENCH_TICKETS", "1000000"))
OPEN_SHARE = 0.03
_FOLDER = Path(tempfile.gettempdir()) / "gannet-bench"


def setup() -> None:
    """Django on a database in the bench's own folder."""
    import django
    from django.conf import settings

    if settings.configured:
        return
    _FOLDER.mkdir(exist_ok=True)
    os.environ["DJANGO_SETTINGS_MODULE"] = "gannet.settings.test"
    django.setup()


@contextmanager
def pointed_at(file: Path) -> Iterator[None]:
    """Let Django read and write a database file."""
    setup()
    from django.db import connections

    from gannet.rulebook import book

    connection = connections["default"]
    if str(connection.settings_dict["NAME"]) != str(file):
        connection.close()
        connection.settings_dict["NAME"] = str(file)
        connection.settings_dict["CONN_MAX_AGE"] = None
        book.forget()
    yield


def likeness(tickets: int) -> Path:
    """A database of about so many tickets like the demo's; made once for a version of it."""
    setup()
    base = demo()
    file = _FOLDER / f"{base.stem}-{tickets}.sqlite3"
    if not file.exists():
        print(f"    making {tickets:,} tickets …", file=sys.stderr, flush=True)
        replicate(base, file.with_suffix(".part"), tickets)
        file.with_suffix(".part").rename(file)
    return file


def demo() -> Path:
    """The demo's database of today's code: its models, its story, its rulebook."""
    sources = [
        *Path("gannet").glob("*/migrations/*.py"),
        *Path("gannet/demo").rglob("*.py"),
        *Path("gannet/demo").rglob("*.json"),
    ]
    read = hashlib.sha256(b"".join(path.read_bytes() for path in sorted(sources))).hexdigest()
    file = _FOLDER / f"demo-{read[:10]}.sqlite3"
    if file.exists():
        return file
    print("    making the demo's data …", file=sys.stderr, flush=True)
    for old in _FOLDER.glob("demo-*"):
        if old.is_file():
            old.unlink()
    folder = _FOLDER / "demo"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.browser_settings",
        "GANNET_TEST_FOLDER": str(folder),
        "GANNET_PORT": "1",
        "GANNET_MAIL_PORT": "2",
    }
    subprocess.run(
        [sys.executable, "-c", _FILL], env=environment, check=True, stdout=subprocess.DEVNULL
    )
    (folder / "browser.sqlite3").rename(file)
    return file


_FILL = """
import django; django.setup()
from django.core.management import call_command
from django.db import connection
call_command("migrate", verbosity=0)
from gannet.demo.command import SEED, Progress, fill
fill(Progress(), tickets=12_000, seed=SEED)
with connection.cursor() as cursor:
    cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
"""


@contextmanager
def database(name: str, tickets: int = 0) -> Iterator[Path]:
    """Point Django at a fresh small Northmere, with so many tickets loaded beside it."""
    setup()
    from django.core.management import call_command
    from django.db import connections

    from gannet.rulebook import book

    file = _FOLDER / f"{name}.sqlite3"
    for ending in ("", "-wal", "-shm"):
        Path(f"{file}{ending}").unlink(missing_ok=True)
    connection = connections["default"]
    connection.close()
    connection.settings_dict["NAME"] = str(file)
    connection.settings_dict["CONN_MAX_AGE"] = None
    book.forget()
    call_command("migrate", verbosity=0)
    from tests.conftest import make_northmere

    make_northmere()
    if tickets:
        load(file, tickets)
    yield file
    connection.close()
    for ending in ("", "-wal", "-shm"):
        Path(f"{file}{ending}").unlink(missing_ok=True)


def load(file: Path, tickets: int, seed: int = 1) -> None:
    """Insert believable rows in one transaction; about three in a hundred are open."""
    rng = random.Random(seed)
    with sqlite3.connect(file) as raw:
        columns = [row[1] for row in raw.execute("PRAGMA table_info(tickets_ticket)")]
        people = [row[0] for row in raw.execute("SELECT id FROM people_person WHERE roles = '[]'")]
        agents = [row[0] for row in raw.execute("SELECT person_id FROM people_membership")]
        teams = [row[0] for row in raw.execute("SELECT id FROM people_team")]
        services = [row[0] for row in raw.execute("SELECT id FROM estate_service")]
        base = _base(columns)
        places = ", ".join("?" * len(columns))
        names = ", ".join(f'"{name}"' for name in columns)

        def rows() -> Iterator[list[Any]]:
            start = 1_700_000_000
            for number in range(1, tickets + 1):
                is_open = rng.random() < OPEN_SHARE
                opened = start + number * 60
                row = {
                    **base,
                    "id": number,
                    "title": f"Gate {number % 40} rejects barcodes",
                    "title_folded": f"gate {number % 40} rejects barcodes",
                    "requester_id": rng.choice(people),
                    "service_id": rng.choice(services),
                    "team_id": rng.choice(teams),
                    "holder_id": rng.choice(agents) if rng.random() < 0.8 else None,
                    "priority": rng.randint(1, 4),
                    "state": rng.randint(1, 3) if is_open else 55,
                    "is_open": int(is_open),
                    "move": 1 if is_open else 6,
                    "opened_s": opened,
                    "changed_s": opened,
                    "rank_s": opened + rng.randint(600, 90_000),
                    "is_confidential": int(rng.random() < 0.03),
                    "due_s": opened + 4000 if is_open else None,
                    "resolved_s": None if is_open else opened + 9000,
                }
                yield [row[name] for name in columns]

        raw.execute("PRAGMA synchronous=OFF")
        raw.executemany(f"INSERT INTO tickets_ticket ({names}) VALUES ({places})", rows())
        words = "INSERT INTO ticket_words(rowid, title, talk) VALUES (?, ?, ?)"
        raw.executemany(words, _words(tickets, rng))
        raw.execute("ANALYZE")


_SAID = "gate barcode queue ramp reader blank paper berth plan till light red slow crew".split()


def _words(tickets: int, rng: random.Random) -> Iterator[tuple[int, str, str]]:
    """Twelve words of talk each; one ticket in a thousand has a rare one."""
    for number in range(1, tickets + 1):
        said = rng.choices(_SAID, k=12)
        if number % 1000 == 0:
            said.append("walrus")
        yield number, f"gate {number % 40} rejects barcodes", " ".join(said)


def _base(columns: list[str]) -> dict[str, Any]:
    """What every row has unless it says otherwise: the model's own defaults."""
    from gannet.tickets.models import Ticket

    fields = {field.column: field for field in Ticket._meta.concrete_fields}
    base = {name: _plain(fields[name].get_default()) for name in columns}
    said = {"impact": 2, "urgency": 2, "edition": 1, "kind": "incident", "channel": "portal"}
    return {**base, **said, "agreement": "offices", "care_tier": ""}


def _plain(value: Any) -> Any:
    if isinstance(value, (dict, list)):
        return json.dumps(value)
    return value if value is None or isinstance(value, (int, float, str)) else int(value)
