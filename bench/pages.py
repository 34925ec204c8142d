"""What every page asks for, at a million tickets: server CPU and number of queries of each."""

from typing import Any

from bench.database import TICKETS, likeness, pointed_at
from bench.timing import cpu_of, verdict

MOST_MS = 30


def _client(name: str) -> Any:
    from django.test import Client

    from gannet.people.models import Person

    client = Client()
    person = Person.objects.get(name=name)
    client.force_login(person, backend="gannet.people.signing.SignedInPeople")
    return client


def _queries(client: Any, path: str) -> int:
    from django.db import connection

    asked = []

    def count(execute: Any, sql: str, *rest: Any) -> Any:
        asked.append(sql)
        return execute(sql, *rest)

    with connection.execute_wrapper(count):
        answer = client.get(path)
    assert answer.status_code == 200, (path, answer.content[:300])
    return len(asked)


def run() -> list[str]:
    with pointed_at(likeness(TICKETS)):
        from gannet.tickets.models import Ticket

        def newest(**which: Any) -> int:
            found = Ticket.objects.filter(is_confidential=0, **which).order_by("-id")
            return int(found.values_list("pk", flat=True)[5])

        signe, ines, marit = (_client(n) for n in ("Signe Hallam", "Ines Corrado", "Marit Osei"))
        incident, request = newest(kind="incident"), newest(kind="request")
        pages = {
            "notifications": (signe, "/api/notifications"),
            "Lookout": (signe, "/api/lookout"),
            "record page, incident": (signe, f"/api/tickets/{incident}"),
            "record page, request": (signe, f"/api/tickets/{request}"),
            "portal home": (ines, "/api/portal"),
            "command bar, a number": (signe, f"/api/find?q={incident}"),
            "command bar, a word": (signe, "/api/find?q=berth"),
            "command bar, a name": (signe, "/api/people?q=mar"),
        }
        lines = []
        for name, (client, path) in pages.items():
            count = _queries(client, path)
            took = min(cpu_of(lambda c=client, p=path: c.get(p)) for _ in range(7)) * 1e3
            about = f"{name}, ms of CPU ({count} queries)"
            lines.append(verdict(about, took, f"<= {MOST_MS}", is_met=took <= MOST_MS))
        took = min(cpu_of(lambda: marit.get("/api/reports/promises")) for _ in range(2))
        lines.append(f"{'the report of promises, s of CPU':<58} {took:>9.2f}")
    return lines
