"""A full desk: sixty people read and write for two minutes while 200 pages listen.

Offered are fifteen pages of the queue, five record pages and three notes a second. Each note
has to come by every stream whose person may know of it, and to be in the log once.
"""

import http.client
import json
import os
import random
import socket
import statistics
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote

from bench.database import TICKETS, likeness, pointed_at
from bench.timing import verdict

CLIENTS, STREAMS = 60, 200
SECONDS = int(os.environ.get("BENCH_SECONDS", "120"))
PROCESSES = os.environ.get("BENCH_PROCESSES", "2")
# What is asked for in a second, and how often among 23.
RATES = {"list": 15, "record": 5, "note": 3}
OPEN = quote(json.dumps({"field": "open", "op": "is", "value": True}))


@dataclass
class Heard:
    """What clients and one listener have measured, in seconds."""

    took: dict[str, list[float]] = field(default_factory=lambda: {name: [] for name in RATES})
    errors: list[str] = field(default_factory=list)
    written: dict[int, float] = field(default_factory=dict)
    told: dict[int, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Desk:
    port: int
    cookies: list[str]
    token: str
    numbers: list[int]


def run() -> list[str]:
    file = likeness(TICKETS)
    with pointed_at(file):
        cookies, token, numbers = people()
    heard = Heard()
    with server_of(file) as (port, _):
        desk = Desk(port, cookies, token, numbers)
        streams = [_stream(port, cookies[n % len(cookies)]) for n in range(STREAMS)]
        listener = threading.Thread(target=_listen, args=(streams[0], heard), daemon=True)
        listener.start()
        for stream in streams[1:]:
            threading.Thread(target=_drain, args=(stream,), daemon=True).start()
        until = time.monotonic() + SECONDS
        with ThreadPoolExecutor(CLIENTS) as pool:
            for n in range(CLIENTS):
                pool.submit(_client, desk, n, until, heard)
        time.sleep(2.5)
        for stream in streams:
            stream.close()
    with pointed_at(file):
        kept = _in_the_log(heard)
    return _lines(heard, kept)


def session_of(name: str) -> str:
    """A session of somebody, as the cookie that names it."""
    from django.conf import settings

    from gannet.people.models import Person
    from gannet.people.signing import SessionStore

    person = Person.objects.get(name=name)
    session = SessionStore()
    session["_auth_user_id"] = str(person.pk)
    session["_auth_user_backend"] = "gannet.people.signing.SignedInPeople"
    session["_auth_user_hash"] = person.get_session_auth_hash()
    session.create()
    return f"{settings.SESSION_COOKIE_NAME}={session.session_key}"


def people() -> tuple[list[str], str, list[int]]:
    """Sessions of agents, a token of one of them, and open tickets that all may see."""
    from django.db import connection, transaction
    from django.utils import timezone

    from gannet.people.models import Person
    from gannet.people.tokens import make_token
    from gannet.tickets.models import Ticket

    agents = [person for person in Person.objects.filter(is_active=True) if person.is_on_desk]
    cookies = [session_of(agent.name) for agent in agents[:40]]
    signe = next(agent for agent in agents if agent.name == "Signe Hallam")
    signe.tokens.all().delete()
    with transaction.atomic():
        made = make_token(signe, timezone.now(), name="desk", scopes=["read", "write"], days=2)
    found = Ticket.objects.filter(is_open=True, is_confidential=0).order_by("-id")
    numbers = list(found.values_list("pk", flat=True)[:400])
    connection.close()
    return cookies, made[1], numbers


@contextmanager
def server_of(file: Path, processes: str = PROCESSES) -> Iterator[tuple[int, int]]:
    """A server of a database: its port, and the number of its process."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = int(probe.getsockname()[1])
    command = [sys.executable, "-m", "gannet", "serve", "--port", str(port)]
    server = subprocess.Popen(
        [*command, "--processes", processes],
        cwd=Path(__file__).parents[1],
        env={
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
            "GANNET_TEST_DATABASE": str(file),
        },
        stdout=subprocess.DEVNULL,
    )
    end = time.monotonic() + 60
    while True:
        try:
            socket.create_connection(("127.0.0.1", port), timeout=2).close()
            break
        except OSError:
            assert server.poll() is None and time.monotonic() < end, "the server did not start"
            time.sleep(0.3)
    try:
        yield port, server.pid
    finally:
        server.terminate()
        server.wait(timeout=30)


def _client(desk: Desk, n: int, until: float, heard: Heard) -> None:
    """One person's browser: something every few seconds, at times of its own."""
    rng = random.Random(n)
    wire = http.client.HTTPConnection("127.0.0.1", desk.port, timeout=60)
    pause = CLIENTS / sum(RATES.values())
    time.sleep(rng.random() * pause)
    next_at = time.monotonic()
    while next_at < until:
        time.sleep(max(0.0, next_at - time.monotonic()))
        kind = rng.choices(list(RATES), list(RATES.values()))[0]
        began = time.monotonic()
        try:
            _ask(wire, desk, kind, rng, heard)
            heard.took[kind].append(time.monotonic() - began)
        except (OSError, AssertionError, http.client.HTTPException) as error:
            heard.errors.append(f"{kind}: {error}")
            wire = http.client.HTTPConnection("127.0.0.1", desk.port, timeout=60)
        next_at += pause * rng.uniform(0.5, 1.5)


def _ask(
    wire: http.client.HTTPConnection, desk: Desk, kind: str, rng: random.Random, heard: Heard
) -> None:
    headers = {"Authorization": f"Bearer {desk.token}", "Content-Type": "application/json"}
    number = rng.choice(desk.numbers)
    if kind == "note":
        body = json.dumps({"text": f"Looked at it, {rng.random()}."})
        wire.request("POST", f"/api/tickets/{number}/note", body, headers)
    elif kind == "record":
        wire.request("GET", f"/api/tickets/{number}", headers=headers)
    else:
        wire.request("GET", f"/api/tickets?filter={OPEN}", headers=headers)
    answer = wire.getresponse()
    data = json.loads(answer.read())
    assert answer.status in (200, 201), f"{answer.status} {data}"
    if kind == "note":
        heard.written[int(data["last_event"])] = time.monotonic()


def _stream(port: int, cookie: str) -> socket.socket:
    wire = socket.create_connection(("127.0.0.1", port), timeout=SECONDS + 60)
    wire.sendall(f"GET /api/live HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n\r\n".encode())
    assert b"200" in wire.recv(400)
    return wire


def _listen(wire: socket.socket, heard: Heard) -> None:
    left = b""
    while data := _received(wire):
        at = time.monotonic()
        *lines, left = (left + data).split(b"\n")
        for line in lines:
            if line.startswith(b"id: "):
                heard.told.setdefault(int(line[4:]), at)


def _drain(wire: socket.socket) -> None:
    while _received(wire):
        pass


def _received(wire: socket.socket) -> bytes:
    try:
        return wire.recv(65_536)
    except OSError:
        return b""


def _in_the_log(heard: Heard) -> int:
    from gannet.audit.models import Event

    return Event.objects.filter(pk__in=list(heard.written), kind="noted").count()


def _lines(heard: Heard, kept: int) -> list[str]:
    reads = heard.took["list"] + heard.took["record"]
    late = [heard.told[n] - at for n, at in heard.written.items() if n in heard.told]
    untold = len(heard.written) - len(late)
    p95 = {
        "reads": _p95(reads) * 1e3,
        "writes": _p95(heard.took["note"]) * 1e3,
        "news after the answer": _p95(late) * 1e3,
    }
    rate = sum(map(len, heard.took.values())) / SECONDS
    lines = [
        f"    {rate:.1f} a second answered by {PROCESSES} processes, {STREAMS} streams, "
        f"{len(heard.errors)} errors{': ' + heard.errors[0][:120] if heard.errors else ''}"
    ]
    for name, most in (("reads", 150), ("writes", 300), ("news after the answer", 2_000)):
        is_met = p95[name] <= most and not heard.errors
        lines.append(
            verdict(f"a full desk, p95 of {name}, ms", p95[name], f"<= {most}", is_met=is_met)
        )
    lost = len(heard.written) - kept + untold
    lines.append(verdict("notes lost or not told of", lost, "0", is_met=lost == 0))
    return lines


def _p95(values: list[float]) -> float:
    return statistics.quantiles(values, n=20)[-1] if len(values) > 1 else 0.0
