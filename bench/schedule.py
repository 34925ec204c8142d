"""The schedule of a quarter with 500 changes: what it takes to read, and how it scrolls."""

import itertools
import shutil
import time
from pathlib import Path

from bench.database import demo, pointed_at, setup
from bench.full_desk import server_of, session_of
from bench.timing import cpu_of, in_turns, verdict

CHANGES, QUARTER_S, LONGEST_MS = 500, 91 * 86_400, 50
_WATCH = """
window.longest = 0;
window.scrolled = 0;
new PerformanceObserver((list) => {
  for (const one of list.getEntries()) window.longest = Math.max(window.longest, one.duration);
}).observe({ entryTypes: ['longtask'] });
const target = [...document.querySelectorAll('*')].find(
  (one) => one.scrollHeight > one.clientHeight + 400 && getComputedStyle(one).overflowY !== 'visible'
) ?? document.scrollingElement;
let step = 0;
const timer = setInterval(() => {
  target.scrollTop = (step % 60) * 90;
  window.scrolled = Math.max(window.scrolled, target.scrollTop);
  if (++step > 130) clearInterval(timer);
}, 30);
"""


def run() -> list[str]:
    setup()
    file = _with_changes(demo())
    with pointed_at(file):
        from django.db import connection
        from django.test import Client

        from gannet.people.models import Person
        from gannet_core.instants import format_instant, instant_of

        marit = Person.objects.get(name="Marit Osei")
        client = Client()
        client.force_login(marit, backend="gannet.people.signing.SignedInPeople")
        start = int(time.time()) // 86_400 * 86_400
        from_, to = (format_instant(instant_of(at)) for at in (start, start + QUARTER_S))
        path = f"/api/changes/schedule?from={from_}&to={to}"
        answer = client.get(path)
        assert answer.status_code == 200, answer.content[:300]
        drawn = len(answer.json()["changes"])
        assert drawn >= CHANGES * 0.9, f"{drawn} changes are drawn"

        def raw() -> None:
            with connection.cursor() as cursor:
                cursor.execute(
                    "SELECT * FROM changes_changefacts f JOIN tickets_ticket t"
                    " ON t.id = f.ticket_id WHERE f.starts_s < %s AND f.ends_s > %s",
                    [start + QUARTER_S, start],
                )
                cursor.fetchall()

        page, plain = in_turns(lambda: client.get(path), raw, 7)
        took = min(cpu_of(lambda: client.get(path)) for _ in range(3)) * 1e3
        session = session_of("Marit Osei")
    lines = [
        f"{f'a quarter with {drawn} changes, ms of CPU':<58} {took:>9.2f}",
        f"{'and as many times the raw rows':<58} {page / plain:>9.2f}",
    ]
    with server_of(file) as (port, _):
        longest = _scrolled(f"http://localhost:{port}", session)
    about = "the longest task while it is scrolled, ms"
    return [*lines, verdict(about, longest, f"<= {LONGEST_MS}", is_met=longest <= LONGEST_MS)]


def _scrolled(base: str, session: str) -> float:
    from tests.browser.driver import Screen

    screen = Screen(base)
    try:
        screen.driver.execute_cdp_cmd("Network.enable", {})
        cookie = dict(zip(("name", "value"), session.split("="), strict=True))
        screen.driver.execute_cdp_cmd("Network.setCookie", {**cookie, "url": base})
        screen.open("/desk/changes?show=schedule&span=quarter")
        time.sleep(6)
        screen.driver.execute_script(_WATCH)
        time.sleep(6)
        seen = screen.driver.execute_script("return [window.longest, window.scrolled]")
        assert seen[1] > 300, "there was nothing to scroll"
        return float(seen[0])
    finally:
        screen.close()


def _with_changes(base: Path) -> Path:
    """The demo's data with planned changes enough for the quarter that begins today."""
    file = base.with_name(f"schedule-{base.name}")
    for ending in ("", "-wal", "-shm"):
        Path(f"{file}{ending}").unlink(missing_ok=True)
    shutil.copy(base, file)
    with pointed_at(file):
        from gannet.changes.models import ChangeFacts, ChangeItem
        from gannet.tickets.models import Ticket
        from gannet.tickets.states import state_code

        now, planned = int(time.time()), state_code("planned")
        fields = {"change_facts__starts_s__gt": 0, "kind": "change", "is_confidential": 0}
        likes = list(Ticket.objects.filter(**fields).order_by("-pk").values_list("pk", flat=True))
        number = Ticket.objects.order_by("-pk").values_list("pk", flat=True)[0]
        for index, like in zip(range(CHANGES), itertools.cycle(likes[:40]), strict=False):
            ticket, facts = Ticket.objects.get(pk=like), ChangeFacts.objects.get(ticket=like)
            ticket.pk, ticket.state, ticket.is_open = number + index + 1, planned, True
            ticket.save(force_insert=True)
            starts = now + index * (QUARTER_S - 86_400) // CHANGES
            facts.ticket_id, facts.release_id, facts.is_release = ticket.pk, None, 0
            facts.starts_s, facts.ends_s = starts, starts + 3600 * (1 + index % 6)
            facts.outcome, facts.ended_s, facts.began_s = "", None, None
            facts.save(force_insert=True)
            for one in ChangeItem.objects.filter(ticket=like):
                one.pk, one.ticket_id = None, ticket.pk
                one.save(force_insert=True)
    return file
