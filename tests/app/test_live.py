"""The live stream over a real server: who hears what, how soon, and from where it goes on."""

import http.client
import json
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.db import connection, connections

from gannet.audit.models import Event
from gannet.tickets import actions

pytestmark = pytest.mark.django_db(transaction=True)


def cookie_of(person: Any) -> str:
    session = SessionStore()
    session["_auth_user_id"] = str(person.pk)
    session["_auth_user_backend"] = "django.contrib.auth.backends.ModelBackend"
    session["_auth_user_hash"] = person.get_session_auth_hash()
    # The tests live on one Monday, the server in its own time: no session ends between them.
    session.set_expiry(datetime(2100, 1, 1, tzinfo=UTC))
    session.create()
    return f"{settings.SESSION_COOKIE_NAME}={session.session_key}"


@pytest.fixture
def port(northmere: None) -> Iterator[int]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        chosen = int(probe.getsockname()[1])
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
        "GANNET_TEST_DATABASE": str(connection.settings_dict["NAME"]),
    }
    connections.close_all()
    server = subprocess.Popen(
        [sys.executable, "-m", "gannet", "serve", "--port", str(chosen)],
        env=environment, cwd=Path(__file__).parents[2], stdout=subprocess.DEVNULL,
    )  # fmt: skip
    end = time.monotonic() + 60
    while time.monotonic() < end:
        try:
            http.client.HTTPConnection("127.0.0.1", chosen, timeout=5).request(
                "GET", "/api/session"
            )
            break
        except OSError:
            time.sleep(0.2)
    yield chosen
    server.terminate()
    server.wait(timeout=30)


class Stream:
    """A client of the stream that reads its events."""

    def __init__(self, port: int, cookie: str, last_seen: int | None = None) -> None:
        self.wire = socket.create_connection(("127.0.0.1", port), timeout=30)
        more = f"Last-Event-ID: {last_seen}\r\n" if last_seen is not None else ""
        head = f"GET /api/live HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n{more}\r\n"
        self.wire.sendall(head.encode())
        self.text = ""
        self.read_until("retry:" if "200" in self._more() else "not now")

    def _more(self) -> str:
        self.text += self.wire.recv(4096).decode()
        return self.text

    def read_until(self, words: str, patience: float = 25) -> None:
        end = time.monotonic() + patience
        self.wire.settimeout(0.3)
        while words not in self.text and time.monotonic() < end:
            try:
                self._more()
            except TimeoutError:
                continue
        assert words in self.text, self.text

    def tickets(self) -> list[int]:
        return [
            json.loads(line.split("data: ")[1])["ticket"]
            for line in self.text.splitlines()
            if "data: " in line
        ]


def test_news_reaches_those_who_may_know_and_nobody_else(
    port: int,
    log: Callable[..., Any],
    by: Callable[[str | None], Any],
    person: Callable[[str], Any],
) -> None:
    desk, owner, other = (Stream(port, cookie_of(person(n))) for n in ("Signe", "Maeve", "Piotr"))
    before = Event.objects.order_by("-id").values_list("id", flat=True).first() or 0
    shown = log("Maeve", "Boarding gates")
    hidden = log("Lena", "Safe computing")
    desk.read_until(f'"ticket": {shown.pk}')
    owner.read_until(f'"ticket": {shown.pk}')
    actions.note(shown.pk, by("Signe"), "for the desk")
    desk.read_until('"kind": "noted"')
    time.sleep(1.2)
    for stream in (desk, owner, other):
        stream.read_until("retry:")
    assert hidden.pk not in desk.tickets() and "noted" not in owner.text
    assert other.tickets() == []
    assert "for the desk" not in desk.text, "the stream says that, never what"

    again = Stream(port, cookie_of(person("Signe")), last_seen=before)
    again.read_until('"kind": "noted"')
    assert again.tickets().count(shown.pk) >= 2, "what was missed comes after all"


def test_without_a_session_there_is_no_stream(port: int, person: Callable[[str], Any]) -> None:
    assert "401" in Stream(port, "gannet_session=nonsense").text
    signe = person("Signe")
    cookie = cookie_of(signe)
    type(signe).objects.filter(pk=signe.pk).update(is_active=False)
    assert "401" in Stream(port, cookie).text
