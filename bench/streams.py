"""A queue page while 200 live streams are open, against none; a real server on loopback."""

import http.client
import json
import os
import socket
import statistics
import subprocess
import sys
import time
from pathlib import Path
from urllib.parse import quote

from bench.database import database
from bench.timing import verdict

STREAMS = 200
PAGES = 60
TICKETS = 50_000
OPEN = quote(json.dumps({"field": "open", "op": "is", "value": True}))


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _page(wire: http.client.HTTPConnection, cookie: str) -> float:
    started = time.perf_counter()
    wire.request("GET", f"/api/tickets?filter={OPEN}", headers={"Cookie": cookie})
    answer = wire.getresponse()
    body = answer.read()
    assert answer.status == 200 and json.loads(body)["rows"]
    return time.perf_counter() - started


def _stream(port: int, cookie: str) -> socket.socket:
    wire = socket.create_connection(("127.0.0.1", port), timeout=20)
    wire.sendall(f"GET /api/live HTTP/1.1\r\nHost: localhost\r\nCookie: {cookie}\r\n\r\n".encode())
    assert b"200" in wire.recv(400)
    return wire


def run() -> list[str]:
    with database("streams", TICKETS) as file:
        from django.conf import settings
        from django.contrib.sessions.backends.db import SessionStore
        from django.db import connection

        from gannet.people.models import Person

        agent = Person.objects.filter(name="Signe Hallam")[0]
        session = SessionStore()
        session["_auth_user_id"] = str(agent.pk)
        session["_auth_user_backend"] = "gannet.people.signing.SignedInPeople"
        session["_auth_user_hash"] = agent.get_session_auth_hash()
        session.create()
        cookie = f"{settings.SESSION_COOKIE_NAME}={session.session_key}"
        connection.close()
        port = _free_port()
        environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "tests.worker_settings",
            "GANNET_TEST_DATABASE": str(file),
        }
        root = Path(__file__).parents[1]
        server = subprocess.Popen(
            [sys.executable, "-m", "gannet", "serve", "--port", str(port)],
            cwd=root,
            env=environment,
            stdout=subprocess.DEVNULL,
        )
        try:
            wire = _connected(port, cookie)
            for _ in range(10):
                _page(wire, cookie)
            alone, beside = [], []
            for _ in range(3):  # in turns
                alone += [_page(wire, cookie) for _ in range(PAGES // 3)]
                streams = [_stream(port, cookie) for _ in range(STREAMS)]
                time.sleep(0.5)
                beside += [_page(wire, cookie) for _ in range(PAGES // 3)]
                for stream in streams:
                    stream.close()
                time.sleep(0.5)
        finally:
            server.terminate()
            server.wait(timeout=20)
    quiet, busy = statistics.median(alone), statistics.median(beside)
    ratio = busy / quiet
    return [
        verdict(
            f"queue page with {STREAMS} streams / without ({busy * 1e3:.1f} / {quiet * 1e3:.1f} ms)",
            ratio, "<= 1.3", is_met=ratio <= 1.3,
        )
    ]  # fmt: skip


def _connected(port: int, cookie: str) -> http.client.HTTPConnection:
    end = time.monotonic() + 40
    while True:
        try:
            wire = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
            _page(wire, cookie)
            return wire
        except OSError:
            if time.monotonic() > end:
                raise
            time.sleep(0.3)
