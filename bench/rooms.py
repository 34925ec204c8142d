"""A room with a day of 5,000 events and 60 people in it: opening it, and a word to all of them."""

import contextlib
import http.client
import json
import random
import shutil
import socket
import threading
import time
from datetime import timedelta
from pathlib import Path
from typing import Any

from bench.database import demo, pointed_at, setup
from bench.full_desk import server_of, session_of
from bench.timing import cpu_of, in_turns, verdict

PEOPLE, SAID, WRITTEN = 60, 4_400, 600
MOST_OPEN_MS, MOST_WAIT_S, ROUNDS = 1_000, 2.0, 5


def run() -> list[str]:
    setup()
    file, number, channel, names = _busy(demo())
    with pointed_at(file):
        from django.db import connection
        from django.test import Client

        from gannet.people.models import Person

        client = Client()
        marit = Person.objects.get(name="Marit Osei")
        client.force_login(marit, backend="gannet.people.signing.SignedInPeople")
        paths = _paths(number, channel)

        def opened() -> None:
            for path in paths:
                assert client.get(path).status_code == 200, path

        def raw() -> None:
            with connection.cursor() as cursor:
                for table in ("majors_roommessage", "majors_timelineentry"):
                    cursor.execute(f"SELECT * FROM {table} ORDER BY id DESC LIMIT 300")
                    cursor.fetchall()

        page, plain = in_turns(opened, raw, 5)
        took = min(cpu_of(opened) for _ in range(3)) * 1e3
        sessions = [session_of(name) for name in names]
    lines = [
        verdict(
            "opening a room with 5,000 events, ms of CPU", took, f"<= {MOST_OPEN_MS}",
            is_met=took <= MOST_OPEN_MS,
        ),
        f"{'and as many times the raw rows':<58} {page / plain:>9.2f}",
    ]  # fmt: skip
    with server_of(file) as (port, _):
        waits = _say(port, number, channel, sessions)
    slowest = max(waits)
    about = f"until the last of {PEOPLE} has read a word, s (worst of {ROUNDS})"
    return [*lines, verdict(about, slowest, f"<= {MOST_WAIT_S}", is_met=slowest <= MOST_WAIT_S)]


def _paths(number: int, channel: int) -> list[str]:
    room = f"/api/rooms/{number}"
    return [room, f"{room}/timeline", f"{room}/channels/{channel}/messages"]


def _busy(base: Path) -> tuple[Path, int, int, list[str]]:
    """The demo's data with a room in which a day has been talked."""
    file = base.with_name(f"rooms-{base.name}")
    for ending in ("", "-wal", "-shm"):
        Path(f"{file}{ending}").unlink(missing_ok=True)
    shutil.copy(base, file)
    with pointed_at(file):
        from django.db import transaction
        from django.utils import timezone

        from gannet.audit import log as audit
        from gannet.majors import declaring, rooms
        from gannet.majors.events import MajorEvent
        from gannet.majors.models import MajorFacts, RoomMessage, TimelineEntry
        from gannet.people.acting import Acting
        from gannet.people.models import Person

        now = timezone.now()
        marit = Person.objects.get(name="Marit Osei")
        begun = Acting(person=marit, now=now - timedelta(hours=24))
        ticket = declaring.declare(begun, declaring.NewMajor(title="A long day", plan="sailing"))
        facts = MajorFacts.objects.get(ticket=ticket)
        channel = facts.channels.get(name="responders")
        desk = [
            one for one in Person.objects.filter(is_active=True).order_by("pk") if one.is_on_desk
        ]
        others = Person.objects.filter(is_active=True, roles=[]).order_by("pk")
        people = [marit, *(one for one in [*desk, *others] if one != marit)][:PEOPLE]
        rooms.ask_in(ticket.pk, begun, channel.pk, [one.pk for one in people])
        RoomMessage.objects.bulk_create(
            RoomMessage(
                channel=channel, person=people[n % PEOPLE], text=f"What was said, {n}",
                at_s=facts.declared_s + 17 * n,
            )
            for n in range(SAID)
        )  # fmt: skip
        TimelineEntry.objects.bulk_create(
            TimelineEntry(
                major=facts, at_s=facts.declared_s + 144 * n, text=f"What happened, {n}",
                person=marit, made_s=facts.declared_s + 144 * n,
            )
            for n in range(WRITTEN)
        )  # fmt: skip
        with transaction.atomic():
            audit.append(
                audit.Entry(
                    kind=MajorEvent.SAID, at=begun.now + timedelta(seconds=17 * n),
                    actor_id=marit.pk, by_desk=True, ticket_id=ticket.pk,
                )
                for n in range(SAID + WRITTEN)
            )  # fmt: skip
        return file, ticket.pk, channel.pk, [one.name for one in people]


class _Listener(threading.Thread):
    """Somebody who has the room open: on news of it the page is read again."""

    def __init__(self, port: int, number: int, channel: int, cookie: str) -> None:
        super().__init__(daemon=True)
        self.port, self.number, self.channel, self.cookie = port, number, channel, cookie
        self.read: dict[str, float] = {}
        self.waits = False
        self.wire = socket.create_connection(("127.0.0.1", port), timeout=120)
        asked = f"GET /api/live HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n\r\n"
        self.wire.sendall(asked.encode())

    def run(self) -> None:
        left = b""
        while True:
            try:
                data = self.wire.recv(65_536)
            except OSError:
                return
            if not data:
                return
            *lines, left = (left + data).split(b"\n")
            heard = [json.loads(line[6:]) for line in lines if line.startswith(b"data: {")]
            if any(one.get("ticket") == self.number for one in heard):
                # A word concerns the conversation at once, and the rest of the room a little later.
                room, _, said = _paths(self.number, self.channel)
                self._read(said)
                if not self.waits:
                    self.waits = True
                    threading.Timer(random.uniform(1.5, 5.5), self._later, [room]).start()

    def _later(self, room: str) -> None:
        self.waits = False
        self._read(room)

    def _read(self, path: str) -> None:
        with contextlib.suppress(OSError, http.client.HTTPException):
            wire = http.client.HTTPConnection("127.0.0.1", self.port, timeout=60)
            wire.request("GET", path, headers={"Cookie": self.cookie})
            answer = wire.getresponse()
            body = answer.read()
            wire.close()
            if path.endswith("messages") and answer.status == 200:
                for one in json.loads(body)["messages"]:
                    self.read.setdefault(one["text"], time.monotonic())


def _say(port: int, number: int, channel: int, sessions: list[str]) -> list[float]:
    """How long it takes until everybody has read a word, once for each of some words."""
    people = [_Listener(port, number, channel, cookie) for cookie in sessions]
    for one in people:
        one.start()
    time.sleep(2)
    waits = []
    for turn in range(ROUNDS):
        word = f"A word to all, {turn}"
        began = time.monotonic()
        _post(port, number, channel, sessions[0], word)
        end = began + 30
        while time.monotonic() < end and not all(word in one.read for one in people):
            time.sleep(0.01)
        heard: list[Any] = [one.read.get(word) for one in people]
        assert all(heard), f"{heard.count(None)} of {len(people)} never read it"
        waits.append(max(heard) - began)
        time.sleep(7)
    for one in people:
        one.wire.close()
    return waits


def _post(port: int, number: int, channel: int, cookie: str, word: str) -> None:
    wire = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    wire.request("GET", "/api/session", headers={"Cookie": cookie})
    answer = wire.getresponse()
    csrf = json.loads(answer.read())["csrf"]
    set_cookie = answer.getheader("Set-Cookie") or ""
    wire.close()
    token = next((part for part in set_cookie.split(";") if "csrf" in part), "").strip()
    wire = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    wire.request(
        "POST", f"/api/rooms/{number}/channels/{channel}/messages", json.dumps({"text": word}),
        headers={
            "Cookie": f"{cookie}; {token}" if token else cookie, "X-CSRFToken": csrf,
            "Content-Type": "application/json",
        },
    )  # fmt: skip
    answer = wire.getresponse()
    said = answer.read()
    assert answer.status == 201, said
    wire.close()
