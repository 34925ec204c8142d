"""Several server processes over one database: each answers, nothing is lost, none is left."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

ROOT = Path(__file__).parents[2]
FILL = """
import django; django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)
from tests.conftest import make_northmere
make_northmere()
from django.utils import timezone
from gannet.people.models import Person
from gannet.people.tokens import make_token
from django.db import transaction
signe = Person.objects.get(name="Signe Hallam")
with transaction.atomic():
    made = make_token(signe, timezone.now(), name="many", scopes=["read", "write"], days=2)
print(made[1])
"""


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Desk:
    """A server of several processes, and a script that works with it."""

    def __init__(self, folder: Path) -> None:
        self.port = free_port()
        self.environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "tests.browser_settings",
            "GANNET_TEST_FOLDER": str(folder),
            "GANNET_PORT": str(self.port),
            "GANNET_MAIL_PORT": str(free_port()),
        }
        filled = subprocess.run(
            [sys.executable, "-c", FILL], env=self.environment, cwd=ROOT,
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        self.token = filled.stdout.split()[-1]
        self.server = subprocess.Popen(
            [sys.executable, "-m", "gannet", "serve", "--port", str(self.port), "--processes", "2"],
            env=self.environment, cwd=ROOT, stdout=subprocess.DEVNULL,
        )  # fmt: skip
        try:
            self._wait()
        except BaseException:
            self.server.terminate()  # or it would be left behind
            raise

    def _wait(self) -> None:
        end = time.monotonic() + 60
        while True:
            try:
                self.ask("/api/tickets/figures")
                return
            except OSError:
                assert self.server.poll() is None and time.monotonic() < end
                time.sleep(0.2)

    def ask(self, path: str, body: dict[str, Any] | None = None) -> Any:
        request = urllib.request.Request(
            f"http://localhost:{self.port}{path}",
            data=None if body is None else json.dumps(body).encode(),
            headers={"Authorization": f"Bearer {self.token}", "Content-Type": "application/json"},
        )
        with urllib.request.urlopen(request, timeout=30) as answer:  # noqa: S310
            return json.loads(answer.read())

    def processes(self) -> list[int]:
        """The processes that the server has begun and that are alive."""
        found = []
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit():
                try:
                    stat = (entry / "stat").read_text().rpartition(") ")[2].split()
                    line = (entry / "cmdline").read_bytes()
                except OSError:
                    continue
                if int(stat[1]) == self.server.pid and b"spawn_main" in line and stat[0] != "Z":
                    found.append(int(entry.name))
        return found


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    made = Desk(tmp_path_factory.mktemp("many"))
    yield made
    if made.server.poll() is None:
        made.server.terminate()
        made.server.wait(timeout=30)


def test_many_log_at_once_and_nothing_is_lost(desk: Desk) -> None:
    assert len(desk.processes()) == 2
    requester = desk.ask("/api/people?q=maeve")[0]["id"]

    def log(n: int) -> int:
        new = {"requester": requester, "title": f"fault {n}", "text": "since noon"}
        return int(desk.ask("/api/tickets", new)["id"])

    def read(_: int) -> int:
        return len(desk.ask("/api/tickets")["rows"])

    with ThreadPoolExecutor(12) as pool:
        logged = [pool.submit(log, n) for n in range(30)]
        reads = [pool.submit(read, n) for n in range(30)]
    numbers = [one.result() for one in logged]
    assert len(set(numbers)) == 30 and all(one.result() >= 0 for one in reads)
    assert desk.ask("/api/tickets/figures?total=true")["total"] == 30
    checked = subprocess.run(
        [sys.executable, "-m", "gannet", "verify"], env=desk.environment, cwd=ROOT,
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert "The chain holds" in checked.stdout, checked.stderr


def test_a_process_that_dies_is_replaced(desk: Desk) -> None:
    dies = desk.processes()[0]
    os.kill(dies, signal.SIGKILL)
    end = time.monotonic() + 30
    while dies in (alive := desk.processes()) or len(alive) < 2:
        assert time.monotonic() < end, alive
        time.sleep(0.2)
    end = time.monotonic() + 30
    while True:
        try:
            assert desk.ask("/api/tickets/figures")
            break
        except OSError:
            assert time.monotonic() < end
            time.sleep(0.2)


def test_none_of_them_outlives_the_server(desk: Desk) -> None:
    left = desk.processes()
    desk.server.terminate()
    desk.server.wait(timeout=30)
    end = time.monotonic() + 10
    while any(Path(f"/proc/{number}").exists() for number in left) and time.monotonic() < end:
        time.sleep(0.1)
    assert not [number for number in left if Path(f"/proc/{number}").exists()]
