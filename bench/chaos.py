"""Plugs pulled: servers and workers killed at random under writers, with all else that happens.

`python -m bench chaos [KILLS]`, on loopback only and bounded. Five writers report, each again
and again under one key until it is acknowledged; a reader reads; mail comes in, ordinary and
hostile; now and then something holds the write lock, or the disk fills up. What was
acknowledged must be there once, mail that was accepted must have become one ticket, and no
message may have left twice.
"""

import http.client
import json
import os
import random
import shutil
import signal
import smtplib
import socket
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from email.message import EmailMessage
from pathlib import Path
from typing import Any

from bench.timing import verdict

KILLS = int(os.environ.get("BENCH_KILLS", "100"))
WRITERS = 5
_SIZE_MB = 256
_ROOT = Path(__file__).parents[1]
_PREPARE = """
import django
django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)
from tests.conftest import make_northmere
make_northmere()
import json, sys
from datetime import timedelta
from django.utils import timezone
from gannet.people.models import Person
from gannet.people.tokens import make_token
from gannet.tickets.classify import retrain
from django.db import transaction
made = []
with transaction.atomic():
    for person in Person.objects.filter(is_active=True).order_by("pk"):
        token, secret = make_token(person, timezone.now(), name="chaos", scopes=["read", "write"], days=3)
        made.append([person.email, secret])
print(json.dumps(made))
"""
_COUNT = """
import django
django.setup()
import json
from collections import Counter
from gannet.audit.heads import check_heads
from gannet.audit.log import verify
from gannet.messages.models import Incoming, Outgoing, StandInMessage
from gannet.tickets.models import Ticket
held, broken = verify()
print(json.dumps({
    "titles": Counter(Ticket.objects.values_list("title", flat=True)),
    "subjects": Counter(Incoming.objects.filter(outcome="logged").values_list("subject", flat=True)),
    "outcomes": Counter(Incoming.objects.values_list("outcome", flat=True)),
    "left": Counter(StandInMessage.objects.filter(for_desk=0).values_list("message_id", flat=True)),
    "sent": list(Outgoing.objects.filter(sent_s__isnull=False).values_list("message_id", flat=True)),
    "unsent": Outgoing.objects.filter(sent_s=None, withdrawn=0, in_digest=0).count(),
    "unread": StandInMessage.objects.filter(for_desk=1, is_read=0).count(),
    "events": held, "broken": broken and broken.because, "heads": check_heads().problem,
}))
"""


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@dataclass
class Place:
    """Where it happens, and what everybody agreed on."""

    folder: Path
    port: int
    mail_port: int
    is_small_disk: bool
    people: list[tuple[str, str]] = field(default_factory=list)
    acknowledged: list[str] = field(default_factory=list)
    mailed: list[str] = field(default_factory=list)
    answers: Counter[str] = field(default_factory=Counter)
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def environment(self) -> dict[str, str]:
        return {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "bench.chaos_settings",
            "GANNET_CHAOS_FOLDER": str(self.folder),
            "GANNET_MAIL_PORT": str(self.mail_port),
        }

    def python(self, code: str) -> Any:
        done = subprocess.run(
            [sys.executable, "-c", code], env=self.environment, cwd=_ROOT, check=True,
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        return json.loads(done.stdout)

    def start(self, what: str) -> "subprocess.Popen[bytes]":
        more = ["--port", str(self.port)] if what == "serve" else []
        return subprocess.Popen(
            [sys.executable, "-m", "gannet", what, *more], env=self.environment, cwd=_ROOT,
            stdout=subprocess.DEVNULL, stderr=(self.folder.parent / f"{what}.log").open("ab"),
            start_new_session=True,
        )  # fmt: skip


@contextmanager
def _place() -> Iterator[Place]:
    """A folder in a small file system, where one can be mounted."""
    outer = Path(tempfile.mkdtemp(prefix="gannet-chaos-"))
    folder = outer / "data"
    folder.mkdir()
    mounted = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", f"size={_SIZE_MB}m", "tmpfs", str(folder)],
        capture_output=True,
    )
    is_small = mounted.returncode == 0
    try:
        yield Place(folder, _free_port(), _free_port(), is_small)
    finally:
        if is_small:
            subprocess.run(["umount", "-l", str(folder)], check=False)
        shutil.rmtree(outer, ignore_errors=True)


def _ask(place: Place, method: str, path: str, body: Any, secret: str, key: str = "") -> int:
    """The status of an answer; 0 when there was none."""
    headers = {"Authorization": f"Bearer {secret}", "Content-Type": "application/json"}
    if key:
        headers["Idempotency-Key"] = key
    try:
        wire = http.client.HTTPConnection("127.0.0.1", place.port, timeout=15)
        wire.request(method, path, json.dumps(body) if body is not None else None, headers)
        answer = wire.getresponse()
        answer.read()
        return answer.status
    except (OSError, http.client.HTTPException):
        return 0
    finally:
        with suppress(Exception):
            wire.close()


def _write(place: Place, number: int) -> None:
    """Report one thing after another, each under one key until it is acknowledged."""
    rng = random.Random(number)
    count = 0
    while not place.stop.is_set():
        _, secret = rng.choice(place.people)
        title = f"chaos {number}-{count}"
        count += 1
        body = {"title": title, "text": "x" * rng.randrange(2_000)}
        while not place.stop.is_set():
            status = _ask(place, "POST", "/api/portal/report", body, secret, f"{number}-{count}")
            place.answers[f"{status}"] += 1
            if status == 201:
                place.acknowledged.append(title)
                break
            if status == 429:
                break  # this person has reported enough for now
            time.sleep(0.1 if status else 0.25)


def _read(place: Place) -> None:
    _, secret = place.people[0]
    while not place.stop.is_set():
        place.answers[f"read {_ask(place, 'GET', '/api/portal', None, secret)}"] += 1
        time.sleep(0.1)


def _hostile(rng: random.Random) -> str:
    return rng.choice(
        [
            "<br" * 20_000,
            "<blockquote>" * 5_000,
            "> " * 20_000,
            "\n" * 45_000,
            "<!--" * 10_000,
            "[" * 40_000,
        ]
    )


def _mail(place: Place) -> None:
    """Ordinary mail of people here, each until it is accepted, with hostile mail between."""
    rng = random.Random(99)
    count = 0
    while not place.stop.is_set():
        address, _ = rng.choice(place.people)
        made = EmailMessage()
        made["From"], made["To"] = address, "help@northmere.example"
        is_ordinary = rng.random() < 0.6
        subject = f"mailed {count}" if is_ordinary else f"hostile {count}"
        made["Subject"], made["Message-ID"] = subject, f"<chaos.{count}@mail.example>"
        made.set_content(
            "It does not work." if is_ordinary else _hostile(rng),
            subtype=rng.choice(["plain", "html"]),
        )
        count += 1
        while not place.stop.is_set():
            try:
                with smtplib.SMTP("127.0.0.1", place.mail_port, timeout=10) as wire:
                    wire.send_message(made)
            except (OSError, smtplib.SMTPException):
                time.sleep(0.2)
                continue
            if is_ordinary:
                place.mailed.append(subject)
            break
        time.sleep(0.3)


def _hold_lock(place: Place) -> None:
    """Something outside holds the write lock for a while, now and then."""
    while not place.stop.wait(11):
        with suppress(sqlite3.Error):
            held = sqlite3.connect(place.folder / "gannet.sqlite3", timeout=5, isolation_level=None)
            held.execute("BEGIN IMMEDIATE")
            place.stop.wait(4)
            held.execute("ROLLBACK")
            held.close()


def _fill_disk(place: Place) -> None:
    """Fill the small file system to the last byte, and empty it again."""
    ballast = place.folder / "ballast"
    while place.is_small_disk and not place.stop.wait(17):
        with suppress(OSError), ballast.open("wb") as file:
            while True:
                file.write(b"\0" * 65_536)
                file.flush()
        place.stop.wait(4)
        ballast.unlink(missing_ok=True)
    ballast.unlink(missing_ok=True)


def _up(place: Place, server: "subprocess.Popen[bytes]") -> None:
    """Wait until the server answers: one that is killed while it starts serves nobody."""
    end = time.monotonic() + 20
    while server.poll() is None and time.monotonic() < end:
        with suppress(OSError), socket.create_connection(("127.0.0.1", place.port), timeout=1):
            return
        time.sleep(0.1)


def _kill(place: Place, kills: int) -> int:
    """Kill the server or the worker at random, again and again, and start another."""
    rng = random.Random(7)
    running = {what: place.start(what) for what in ("serve", "work")}
    time.sleep(6)
    done = 0
    while done < kills:
        what = rng.choice(["serve", "work"])
        _up(place, running["serve"])
        time.sleep(rng.uniform(0.1, 2.5))
        os.killpg(running[what].pid, signal.SIGKILL)
        running[what].wait()
        done += 1
        running[what] = place.start(what)
        print(
            f"\r  {done} of {kills} killed, {len(place.acknowledged)} acknowledged",
            end="",
            file=sys.stderr,
        )
    print(file=sys.stderr)
    # Writers end what they began; then mail comes to rest.
    time.sleep(6)
    place.stop.set()
    end = time.monotonic() + 120
    while time.monotonic() < end:
        time.sleep(3)
        counts = place.python(_COUNT)
        if not counts["unread"] and not counts["unsent"]:
            break
    for process in running.values():
        os.killpg(process.pid, signal.SIGTERM)
        with suppress(subprocess.TimeoutExpired):
            process.wait(timeout=15)
        with suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
    return done


def run() -> list[str]:
    with _place() as place:
        place.people = [tuple(one) for one in place.python(_PREPARE)]
        doers: list[Callable[[], None]] = [
            *(lambda number=number: _write(place, number) for number in range(WRITERS)),
            lambda: _read(place),
            lambda: _mail(place),
            lambda: _hold_lock(place),
            lambda: _fill_disk(place),
        ]
        threads = [threading.Thread(target=do, daemon=True) for do in doers]
        for thread in threads:
            thread.start()
        kills = _kill(place, KILLS)
        for thread in threads:
            thread.join(timeout=30)
        counts = place.python(_COUNT)
    return _said(place, counts, kills)


def _said(place: Place, counts: Any, kills: int) -> list[str]:
    titles, subjects = Counter(counts["titles"]), Counter(counts["subjects"])
    lost = [one for one in place.acknowledged if not titles[one]]
    doubled = [one for one, many in titles.items() if one.startswith("chaos ") and many > 1]
    mails_lost = [one for one in place.mailed if not subjects[one]]
    mails_doubled = [
        one for one, many in subjects.items() if one.startswith("mailed ") and many > 1
    ]
    sent_lost = [one for one in counts["sent"] if not counts["left"].get(one)]
    sent_doubled = [one for one, many in counts["left"].items() if many > 1]
    errors = {
        code: many
        for code, many in place.answers.items()
        if code.removeprefix("read ")[:1] == "5" and "503" not in code
    }

    def none(what: str, found: list[str]) -> str:
        if found:
            print(what, found[:10], file=sys.stderr)
        return verdict(what, len(found), "= 0", is_met=not found)

    where = (
        f"a file system of {_SIZE_MB} MB"
        if place.is_small_disk
        else "no small file system could be mounted"
    )
    return [
        f"chaos: {kills} SIGKILLs, {len(place.acknowledged)} reports acknowledged, "
        f"{len(place.mailed)} mails accepted, {counts['events']} events; {where}",
        f"       answers {dict(place.answers)}; mail {counts['outcomes']}",
        none("acknowledged reports lost", lost),
        none("reports doubled", doubled),
        none("accepted mails lost", mails_lost),
        none("mails that became two tickets", mails_doubled),
        none("messages marked as sent that did not arrive", sent_lost),
        none("messages that arrived twice", sent_doubled),
        verdict("messages not sent, mails not read at the end", counts["unsent"] + counts["unread"], "= 0",
                is_met=not counts["unsent"] + counts["unread"]),
        verdict("answers of 500", sum(errors.values()), "= 0", is_met=not errors),
        verdict("the chain, and its signed heads", 0 if counts["broken"] or counts["heads"] else 1, "= 1",
                is_met=not (counts["broken"] or counts["heads"])),
    ]  # fmt: skip
