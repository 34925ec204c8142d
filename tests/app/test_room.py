"""A database that is busy or full, and a disk that is nearly so: said in a sentence, nothing lost."""

import shutil
import smtplib
import threading
from collections import namedtuple
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import pytest
from django.db import OperationalError, connection, connections, transaction

from gannet.messages.models import Notification, Outgoing, StandInMessage
from gannet.people.models import Person
from gannet.tickets.models import Ticket
from gannet.web import room as room_module
from gannet.web.models import IdempotentAnswer
from gannet.web.problems import of_database
from gannet.web.room import Room, look_again, room
from gannet.worker import worker
from gannet_core.instants import seconds_of
from tests.conftest import NOW

S = seconds_of(NOW)
Usage = namedtuple("Usage", "total used free")
GB = 2**30


@pytest.fixture
def disk(monkeypatch: pytest.MonkeyPatch) -> Callable[[int, int], None]:
    """Make the disk have so much room: `disk(free, total)`."""

    def of(free: int, total: int = 100 * GB) -> None:
        monkeypatch.setattr(shutil, "disk_usage", lambda path: Usage(total, total - free, free))
        look_again()

    yield of
    look_again()


@contextmanager
def no_more_pages() -> Iterator[None]:
    """SQLite itself finds no room: what it says is what a full disk makes it say."""
    with connection.cursor() as cursor:
        cursor.execute("VACUUM")  # pages that earlier tests left free would be used
        before = cursor.execute("PRAGMA max_page_count").fetchone()[0]
        pages = cursor.execute("PRAGMA page_count").fetchone()[0]
        cursor.execute(f"PRAGMA max_page_count = {pages}")
    try:
        yield
    finally:
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA max_page_count = {before}")


def report(client: Any, text: str = "x", **headers: str) -> Any:
    return client.post(
        "/api/portal/report", {"title": "Gate", "text": text}, content_type="application/json",
        headers=headers,
    )  # fmt: skip


# The database


@pytest.mark.django_db(transaction=True)
def test_a_full_database_says_so_changes_nothing_and_can_be_read(
    northmere: None, api: Any, log: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    client = api("Maeve")
    client.raise_request_exception = False
    with no_more_pages():
        got = report(client, "y" * 40_000)
        assert got.status_code == 503 and got["Content-Type"] == "application/problem+json"
        assert int(got["Retry-After"]) > 0 and got.json()["code"] == "full"
        assert "what you typed is kept" in got.json()["detail"]
        assert client.get(f"/api/portal/tickets/{ticket.pk}").status_code == 200
        assert client.get("/api/notifications?seen=true").status_code == 200
    assert list(Ticket.objects.values_list("pk", flat=True)) == [ticket.pk]
    assert report(client, "y" * 40_000).status_code == 201, "once there is room it goes on"


@pytest.mark.django_db(transaction=True)
def test_a_busy_database_says_so_and_the_same_key_does_it_once(
    northmere: None, api: Any, settings: Any
) -> None:
    client = api("Maeve")
    client.raise_request_exception = False
    held, let_go = threading.Event(), threading.Event()

    def hold() -> None:
        with transaction.atomic():
            held.set()
            let_go.wait(30)
        connections.close_all()

    thread = threading.Thread(target=hold)
    thread.start()
    held.wait(10)
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA busy_timeout = 200")
    got = report(client, **{"Idempotency-Key": "k-1"})
    assert (got.status_code, got.json()["code"]) == (503, "busy") and got["Retry-After"] == "2"
    assert client.get("/api/portal").status_code == 200, "reading does not wait"
    let_go.set()
    thread.join()
    for _ in range(2):
        again = report(client, **{"Idempotency-Key": "k-1"})
        assert again.status_code == 201
    assert Ticket.objects.count() == 1


@pytest.mark.parametrize(
    ("said", "code"),
    [
        ("database is locked", "busy"), ("database table is locked", "busy"),
        ("database or disk is full", "full"), ("disk I/O error", "full"),
        ("attempt to write a readonly database", "full"), ("no such table: x", None),
    ],
)  # fmt: skip
def test_what_the_database_says_in_words(said: str, code: str | None) -> None:
    found = of_database(OperationalError(said))
    assert (found.code if found else None) == code


@pytest.mark.django_db
def test_trouble_outside_the_views_is_a_problem_too(
    client: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The session is read before any view is asked."""
    from django.contrib.sessions.backends.db import SessionStore

    client.raise_request_exception = False
    client.cookies["gannet_session"] = "x" * 32
    for said, status, code in (
        ("database is locked", 503, "busy"), ("boom", 500, "fault"),
    ):  # fmt: skip

        def load(self: Any, said: str = said) -> Any:
            raise OperationalError(said)

        monkeypatch.setattr(SessionStore, "load", load)
        got = client.get("/api/portal")
        assert (got.status_code, got.json()["code"]) == (status, code)
        assert got["Content-Type"] == "application/problem+json" and got.json()["detail"]


@pytest.mark.django_db
def test_the_lock_out_says_how_long(client: Any, northmere: None) -> None:
    said = {"email": "signe.hallam@northmere.example", "password": "wrong"}
    client.get("/api/session")
    for _ in range(8):
        got = client.post("/api/session", said, content_type="application/json")
    assert got.status_code == 429 and got["Content-Type"] == "application/problem+json"
    assert got.json()["code"] == "locked-out" and int(got["Retry-After"]) == 900


# The disk


@pytest.mark.parametrize(
    ("free", "total", "is_short", "is_out"),
    [
        (50 * GB, 100 * GB, False, False), (6 * GB, 100 * GB, False, False),
        (4 * GB, 100 * GB, True, False), (4 * GB, 20 * GB, False, False),
        (GB // 4, 2 * GB, True, False), (47 * 2**20, 100 * GB, True, True), (0, GB, True, True),
    ],
)  # fmt: skip
def test_short_before_it_is_out(free: int, total: int, is_short: bool, is_out: bool) -> None:
    found = Room(free, total)
    assert (found.is_short, found.is_out) == (is_short, is_out)
    assert "disk is" in found.sentence


@pytest.mark.django_db
def test_administrators_are_told_once_a_day_before_it_is_full(northmere: None, disk: Any) -> None:
    admins = {p.pk for p in Person.objects.all() if p.has_role("administrator")}
    told = Notification.objects.filter(event_name="disk nearly full", gone_s=None)
    disk(2 * GB)
    for later in (0, 60, 3_600):
        worker.tidy(S + later)
    assert {row.person_id for row in told.all()} == admins and {
        row.count for row in told.all()
    } == {1}
    assert "2,048 MB left" in told[0].title
    worker.tidy(S + 90_000)
    assert {row.count for row in told.all()} == {2}
    disk(50 * GB)
    worker.tidy(S + 90_060)
    assert not told.exists(), "there is room again"


@pytest.mark.django_db
def test_writing_stops_cleanly_and_reading_and_signing_in_go_on(
    northmere: None, api: Any, client: Any, disk: Any, log: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    disk(10 * 2**20)
    client = api("Maeve")
    got = report(client)
    assert got.status_code == 503 and got.json()["code"] == "full"
    assert client.get(f"/api/portal/tickets/{ticket.pk}").status_code == 200
    who = {"person": Person.objects.get(name="Ines Corrado").pk}
    assert client.post("/api/session/demo", who, content_type="application/json").status_code == 200
    assert client.delete("/api/session").status_code == 200
    before = Outgoing.objects.filter(sent_s=None).count()
    assert worker.step(S + 60) == 0 and Outgoing.objects.filter(sent_s=None).count() == before > 0
    disk(50 * GB)
    assert report(api("Maeve")).status_code == 201


def test_the_room_is_not_looked_at_for_every_request(monkeypatch: pytest.MonkeyPatch) -> None:
    looked: list[object] = []
    monkeypatch.setattr(shutil, "disk_usage", lambda path: looked.append(path) or Usage(GB, 0, GB))
    look_again()
    for _ in range(100):
        room()
    assert len(looked) == 1
    monkeypatch.setattr(room_module, "_LOOK_EVERY_SECONDS", -1.0)
    room()
    assert len(looked) == 2
    look_again()


@pytest.mark.django_db(transaction=True)
def test_mail_that_cannot_be_kept_stays_with_its_sender(
    northmere: None, server: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    from gannet.messages import standin

    def full(*given: Any) -> Any:
        raise OperationalError("database or disk is full")

    monkeypatch.setattr(standin, "keep", full)
    with smtplib.SMTP("127.0.0.1", server) as wire, pytest.raises(smtplib.SMTPDataError) as refused:
        wire.sendmail("a@b.example", ["help@northmere.example"], "Subject: x\n\ny")
    assert refused.value.smtp_code == 452, "try again later, not never"
    monkeypatch.undo()
    with smtplib.SMTP("127.0.0.1", server) as wire:
        for _ in range(2):
            wire.sendmail("a@b.example", ["x@y.example"], "Message-ID: <1@x>\nSubject: x\n\ny")
    assert StandInMessage.objects.count() == 1, "a second sending of the same is harmless"


# The same key


@pytest.mark.django_db
def test_a_key_of_a_write_in_pieces_is_taken_before_it_begins(
    northmere: None, api: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Uploads are no single transaction: what is under way is not begun a second time."""
    from django.core.files.uploadedfile import SimpleUploadedFile

    from gannet.tickets.models import Attachment

    client = api("Maeve")

    def upload() -> Any:
        file = SimpleUploadedFile("a.txt", b"words")
        return client.post("/api/attachments", {"file": file}, headers={"Idempotency-Key": "u"})

    assert [upload().status_code for _ in range(2)] == [201, 201]
    assert Attachment.objects.count() == 1
    IdempotentAnswer.objects.update(status=0)
    assert upload().status_code == 409 and Attachment.objects.count() == 1
    IdempotentAnswer.objects.update(made_at=NOW.replace(hour=1))
    assert upload().status_code == 201, "what was given up is done after all"


@pytest.mark.django_db
def test_a_token_s_secret_is_kept_nowhere(northmere: None, api: Any) -> None:
    said = {"name": "x", "scopes": ["read"]}
    headers = {"Idempotency-Key": "t"}
    made = api("Signe").post("/api/tokens", said, content_type="application/json", headers=headers)
    secret = made.json()["secret"]
    assert secret and secret not in str(list(IdempotentAnswer.objects.values("body")))
