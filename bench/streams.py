"""Two hundred desks open, and something happens every second: what that costs the server.

Each desk listens and does what the page in a browser does: half of them look at the queue and
ask for a ticket that may stand among the rows they show, and for the figures; half look at
their Lookout, and read it again when it concerns them.
"""

import http.client
import json
import os
import random
import socket
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from bench.database import TICKETS, likeness, pointed_at
from bench.full_desk import OPEN, Desk, people, server_of
from bench.timing import verdict

DESKS = 200
SECONDS = int(os.environ.get("BENCH_SECONDS", "40"))
MOST_OF_A_CORE = 0.25
_TICK = os.sysconf("SC_CLK_TCK")


@dataclass
class _Page:
    """What is open before one person: the queue or a Lookout."""

    desk: Desk
    cookie: str
    is_queue: bool
    asked: Counter[str] = field(default_factory=Counter)
    errors: list[str] = field(default_factory=list)
    shown: set[int] = field(default_factory=set)
    last_rank: int = 0
    waiting: set[str] = field(default_factory=set)

    def begin(self) -> socket.socket:
        if self.is_queue:
            rows = self._get(f"/api/tickets?filter={OPEN}")["rows"]
            self.last_rank = rows[-1]["rank_s"]
        else:
            found = self._get("/api/lookout")
            rows = [*found["ours"], *found["others"]]
        self.shown = {row["id"] for row in rows}
        wire = socket.create_connection(("127.0.0.1", self.desk.port), timeout=SECONDS + 90)
        asked = f"GET /api/live HTTP/1.1\r\nHost: localhost\r\nCookie: {self.cookie}\r\n\r\n"
        wire.sendall(asked.encode())
        return wire

    def listen(self, wire: socket.socket) -> None:
        left = b""
        while True:
            try:
                data = wire.recv(65_536)
            except OSError:
                return
            if not data:
                return
            *lines, left = (left + data).split(b"\n")
            for line in lines:
                if line.startswith(b"data: {"):
                    self._hear(json.loads(line[6:]))

    def _hear(self, news: dict[str, Any]) -> None:
        number = news.get("ticket")
        if not isinstance(number, int):
            return
        rank = news.get("rank")
        if self.is_queue:
            self._later(1.5, 6.5, "/api/tickets/figures?total=false&filter=" + OPEN)
            may_come = not isinstance(rank, int) or rank <= self.last_rank
            if number in self.shown or may_come:
                self._later(0, 0.4, f"/api/tickets/touched?filter={OPEN}&ids={number}")
        elif number in self.shown or news.get("waits"):  # a note gives nobody else anything to do
            self._later(0, 0.4, "/api/lookout")

    def _later(self, least: float, most: float, path: str) -> None:
        """Ask after a while, once for all that is heard meanwhile."""
        name = path.partition("?")[0]
        if name in self.waiting:
            return
        self.waiting.add(name)

        def ask() -> None:
            self.waiting.discard(name)
            try:
                self._get(path)
                self.asked[name.rpartition("/")[2]] += 1
            except (OSError, AssertionError, http.client.HTTPException) as error:
                self.errors.append(str(error)[:200])

        threading.Timer(random.uniform(least, most), ask).start()

    def _get(self, path: str) -> dict[str, Any]:
        wire = http.client.HTTPConnection("127.0.0.1", self.desk.port, timeout=60)
        wire.request("GET", path, headers={"Cookie": self.cookie})
        answer = wire.getresponse()
        found: dict[str, Any] = json.loads(answer.read())
        wire.close()
        assert answer.status == 200, found
        return found


def run() -> list[str]:
    file = likeness(TICKETS)
    with pointed_at(file):
        cookies, token, numbers = people()
    with server_of(file, processes="1") as (port, process):
        desk = Desk(port, cookies, token, numbers)
        pages = [_Page(desk, cookies[n % len(cookies)], n % 2 == 0) for n in range(DESKS)]
        wires = [page.begin() for page in pages]
        for page, wire in zip(pages, wires, strict=True):
            threading.Thread(target=page.listen, args=(wire,), daemon=True).start()
        time.sleep(2)
        idle = share_of(process, 5)
        began, used = time.monotonic(), _cpu_of(process)
        for n in range(SECONDS):
            _note(desk, numbers[n % len(numbers)])
            time.sleep(max(0.0, began + n + 1 - time.monotonic()))
        share = (_cpu_of(process) - used) / (time.monotonic() - began)
        for wire in wires:
            wire.close()
        time.sleep(8)  # for what they still mean to ask
    asked = sum((page.asked for page in pages), Counter[str]())
    errors = [one for page in pages for one in page.errors]
    rates = ", ".join(f"{count / SECONDS:.1f} {name}" for name, count in asked.items())
    about = f"asked a second: {rates}; {len(errors)} errors"
    return [
        *[f"    {one}" for one in (about, *errors[:2])],
        f"    {DESKS} desks that listen while nothing happens: {idle:.3f} of a core",
        verdict(
            f"{DESKS} desks, an event a second: of a core",
            share,
            f"<= {MOST_OF_A_CORE}",
            is_met=share <= MOST_OF_A_CORE and not errors,
        ),
    ]


def _note(desk: Desk, number: int) -> None:
    wire = http.client.HTTPConnection("127.0.0.1", desk.port, timeout=60)
    body = json.dumps({"text": f"Looked at it, {random.random()}."})
    headers = {"Authorization": f"Bearer {desk.token}", "Content-Type": "application/json"}
    wire.request("POST", f"/api/tickets/{number}/note", body, headers)
    wire.getresponse().read()
    wire.close()


def share_of(process: int, seconds: float) -> float:
    """How much of a core a process takes while one waits."""
    used = _cpu_of(process)
    time.sleep(seconds)
    return (_cpu_of(process) - used) / seconds


def _cpu_of(process: int) -> float:
    """Seconds of CPU that a process has had."""
    said = Path(f"/proc/{process}/stat").read_text(encoding="ascii").rpartition(")")[2].split()
    return (int(said[11]) + int(said[12])) / _TICK
