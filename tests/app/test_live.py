"""The live stream over a real server: who hears what, how soon, and from where it goes on."""

import json
import socket
import time
from collections.abc import Callable
from typing import Any

import pytest
from django.db import transaction
from django.utils import timezone

from gannet.audit import log as audit
from gannet.audit.models import Event
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from tests.app.conftest import cookie_of

pytestmark = pytest.mark.django_db(transaction=True)


class Stream:
    """A client of the stream that reads its events."""

    def __init__(
        self, port: int, cookie: str, last_seen: int | None = None, after: int | None = None
    ) -> None:
        self.wire = socket.create_connection(("127.0.0.1", port), timeout=30)
        more = f"Last-Event-ID: {last_seen}\r\n" if last_seen is not None else ""
        where = "/api/live" if after is None else f"/api/live?after={after}"
        head = f"GET {where} HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n{more}\r\n"
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
            if '"ticket"' in line
        ]


def test_news_reaches_those_who_may_know_and_nobody_else(
    served: int,
    log: Callable[..., Any],
    by: Callable[[str | None], Any],
    person: Callable[[str], Any],
) -> None:
    desk, owner, other = (Stream(served, cookie_of(person(n))) for n in ("Signe", "Maeve", "Piotr"))
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

    again = Stream(served, cookie_of(person("Signe")), last_seen=before)
    again.read_until('"kind": "noted"')
    assert again.tickets().count(shown.pk) >= 2, "what was missed comes after all"


def test_what_happens_between_reading_a_page_and_listening_is_told(
    served: int, log: Callable[..., Any], person: Callable[[str], Any], client: Any
) -> None:
    client.force_login(person("Signe"))
    log("Maeve", "Boarding gates")
    news_after = client.get("/api/session").json()["news_after"]
    assert news_after == Event.objects.order_by("-id").values_list("id", flat=True).first()
    shown = log("Maeve", "Boarding gates")
    late = Stream(served, cookie_of(person("Signe")), after=news_after)
    late.read_until(f'"ticket": {shown.pk}')


def test_who_comes_back_after_very_much_is_told_to_read_anew(
    served: int, log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    shown = log("Maeve", "Boarding gates")
    looked = audit.Entry(kind=TicketEvent.NOTED, at=timezone.now(), ticket_id=shown.pk)
    with transaction.atomic():
        audit.append([looked] * 500)
    back = Stream(served, cookie_of(person("Signe")), last_seen=0)
    back.read_until("event: gap")
    assert back.tickets() == []


def test_without_a_session_there_is_no_stream(served: int, person: Callable[[str], Any]) -> None:
    assert "401" in Stream(served, "gannet_session=nonsense").text
    signe = person("Signe")
    cookie = cookie_of(signe)
    type(signe).objects.filter(pk=signe.pk).update(is_active=False)
    assert "401" in Stream(served, cookie).text


def test_streams_that_nobody_reads_keep_no_news_from_others(
    served: int, log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    silent = [Stream(served, cookie_of(person("Joss"))) for _ in range(12)]
    reader = Stream(served, cookie_of(person("Signe")))
    for _ in range(30):
        shown = log("Maeve", "Boarding gates")
    reader.read_until(f'"ticket": {shown.pk}')
    for stream in silent:
        stream.wire.close()
