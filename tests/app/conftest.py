"""Application tests live at one instant, so that what the API calls now is what they mean."""

import http.client
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
import time_machine
from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.core.cache import cache
from django.db import connection, connections
from django.test import Client

from gannet.messages import standin
from gannet.requests.asking import Line, Wish, ask_for
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.models import ApprovalState, Ticket
from gannet.web import isolation, network
from gannet.worker import worker
from tests.app.changing import draft, planned
from tests.app.published import checking
from tests.conftest import NOW

__all__ = ["draft", "planned"]  # fixtures of every test of changes

LAPTOP = {"laptop_size": "15 inches", "ship_to": "Orrin Bay"}


@pytest.fixture(autouse=True)
def that_monday() -> Iterator[None]:
    isolation.forget()  # what failed in a test before this one, and would rest
    cache.clear()  # what was counted for a throttle in the same minute of another test
    with time_machine.travel(NOW, tick=True):
        yield


@pytest.fixture(autouse=True)
def a_round_fires_all_that_is_due(monkeypatch: pytest.MonkeyPatch) -> None:
    """However slow the machine: a round that ends early for others is tested on its own."""
    monkeypatch.setattr(worker, "_LONGEST_HOLD_SECONDS", 3600.0)


@pytest.fixture(autouse=True)
def answers_are_as_published(monkeypatch: pytest.MonkeyPatch) -> None:
    """Every answer of the API in every test is one that its description tells of."""
    monkeypatch.setattr(Client, "request", checking(Client.request))


@pytest.fixture(autouse=True)
def nobody_speaks_while_holding_the_lock(
    request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever any test does: no connection is opened inside a transaction of the application.

    A test may wrap a block of its own around everything, which is not counted.
    """
    if "db" in request.fixturenames or request.node.get_closest_marker("django_db"):
        # Northmere too: a test before this one may have emptied the database.
        request.getfixturevalue("northmere")
    own = len(connection.atomic_blocks)
    monkeypatch.setattr(network, "tests_own_blocks", own)
    connect = socket.socket.connect

    def checked(self: socket.socket, address: Any) -> Any:
        assert len(connection.atomic_blocks) <= own, "the write lock is held while speaking"
        return connect(self, address)

    monkeypatch.setattr(socket.socket, "connect", checked)


@pytest.fixture
def want(person: Any, by: Any) -> Callable[..., Ticket]:
    """Ask for something: `want("Piotr", "laptop", LAPTOP)`."""

    def asked(
        name: str, key: str, answers: Any = None, *, of: str | None = None, **more: Any
    ) -> Ticket:
        wish = Wish(
            lines=[Line(key=key, answers=answers or {})],
            beneficiary=person(of) if of else None,
            **more,
        )
        return ask_for(person(name), wish, by(name))

    return asked


def approve_all(ticket: Ticket) -> None:
    """Everybody who is asked approves, stage after stage."""
    waiting = ticket.approvals.filter(state=ApprovalState.PENDING).select_related("asked_of")
    while (asked := waiting.first()) is not None:
        acting = actions.Acting(person=asked.asked_of, now=NOW)
        approvals.decide(acting, asked.pk, approves=True, reason="")


def fire(kind: str, now_s: int) -> int:
    """Let the worker fire the timers of one kind that are due; how many there were."""
    return worker.fire_due(now_s, kind=kind)


def cookie_of(person: Any) -> str:
    """A session of somebody, as a header of a request to the real server."""
    session = SessionStore()
    session["_auth_user_id"] = str(person.pk)
    session["_auth_user_backend"] = "gannet.people.signing.SignedInPeople"
    session["_auth_user_hash"] = person.get_session_auth_hash()
    # The tests live on one Monday, the server in its own time: no session ends between them.
    session.set_expiry(datetime(2100, 1, 1, tzinfo=UTC))
    session.create()
    return f"{settings.SESSION_COOKIE_NAME}={session.session_key}"


@pytest.fixture
def served(northmere: None) -> Iterator[int]:
    """A real server over the test's own database; its port."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        chosen = int(probe.getsockname()[1])
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
        "GANNET_TEST_DATABASE": str(connection.settings_dict["NAME"]),
        "GANNET_TEST_FILES": str(settings.MEDIA_ROOT),
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


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture
def server(transactional_db: None, settings: Any) -> Iterator[int]:
    settings.EMAIL_PORT = free_port()
    controller = standin.start()
    yield settings.EMAIL_PORT
    controller.stop()
