"""A real server, worker and stand-in mail server on a small Northmere, made once."""

import os
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.browser.driver import Screen
from tests.conftest import MADE
from tests.made import fill

ROOT = Path(__file__).parents[2]


@dataclass
class Server:
    base: str
    mail_port: int
    environment: dict[str, str]
    process: "subprocess.Popen[bytes] | None" = None

    def start(self) -> None:
        """Serve, with a worker; it answers when this comes back."""
        self.process = subprocess.Popen(
            [sys.executable, "-m", "gannet", "serve", "--with-worker", "--port",
             self.environment["GANNET_PORT"]],
            env=self.environment, cwd=ROOT, stdout=subprocess.DEVNULL,
        )  # fmt: skip
        end = time.monotonic() + 60
        while True:
            try:
                urllib.request.urlopen(f"{self.base}/api/session", timeout=5)  # noqa: S310
                return
            except OSError:
                is_alive = self.process.poll() is None and time.monotonic() < end
                assert is_alive, "the server did not start"
                time.sleep(0.2)

    def stop(self) -> None:
        assert self.process is not None
        self.process.terminate()
        self.process.wait(timeout=30)

    def restart(self) -> None:
        self.stop()
        self.start()

    def run(self, code: str) -> str:
        """Run Python in the server's settings, for what no screen can do."""
        done = subprocess.run(
            [sys.executable, "-c", f"import django\ndjango.setup()\n{code}"],
            env=self.environment, cwd=ROOT, capture_output=True, text=True, check=True,
        )  # fmt: skip
        return done.stdout.strip()


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    port, mail_port = _free_port(), _free_port()
    environment = {
        **os.environ,
        "DJANGO_SETTINGS_MODULE": "tests.browser_settings",
        "GANNET_TEST_FOLDER": str(tmp_path_factory.mktemp("browser") / "data"),
        "GANNET_PORT": str(port),
        "GANNET_MAIL_PORT": str(mail_port),
    }
    data = Path(environment["GANNET_TEST_FOLDER"])
    if MADE is not None:
        shutil.copytree(MADE / "browser", data)
    else:
        fill(data)
    running = Server(f"http://localhost:{port}", mail_port, environment)
    running.start()
    yield running
    running.stop()


@pytest.fixture
def screen(server: Server) -> Iterator[Callable[..., Screen]]:
    """Opens a browser for somebody: `screen("Signe")`."""
    opened: list[Screen] = []

    def open_for(name: str | None = None, width: int = 1280, height: int = 800) -> Screen:
        made = Screen(server.base, width, height)
        opened.append(made)
        if name:
            made.sign_in(name)
        return made

    yield open_for
    for made in opened:
        made.close()
