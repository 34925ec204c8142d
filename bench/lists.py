"""A queue page as JSON, permissions included, against the raw SQL for the same rows."""

import json
import sqlite3
from pathlib import Path

from bench.database import TICKETS, database
from bench.timing import in_turns, verdict

RAW = """
    SELECT t.id, t.kind, t.title, t.priority, t.state, t.move, t.place, t.opened_s, t.changed_s,
           t.resolved_s, t.due_kind, t.due_s, t.late_from_s, t.left_s, t.rank_s, t.calendar,
           t.waiting_on, t.waiting_reason, t.waiting_since_s, t.waiting_until_s, t.is_unread,
           t.needs_reply, t.is_answered, t.is_announced, t.is_confidential, t.handed_to_id,
           t.holder_id, t.version, s.name, m.name, h.name, r.name
      FROM tickets_ticket t
      JOIN people_team m ON m.id = t.team_id
      JOIN people_person r ON r.id = t.requester_id
 LEFT JOIN estate_service s ON s.id = t.service_id
 LEFT JOIN people_person h ON h.id = t.holder_id
     WHERE t.is_open = 1
  ORDER BY t.rank_s, t.id LIMIT 51
"""
ROUNDS = 25


def _measure(file: Path) -> tuple[float, float, float, float]:
    from django.test import Client
    from django.utils import timezone
    from rest_framework.renderers import JSONRenderer

    from gannet.people.models import Person
    from gannet.tickets import queries

    client = Client()
    agent = Person.objects.filter(name="Signe Hallam")[0]
    client.force_login(agent, backend="django.contrib.auth.backends.ModelBackend")
    raw = sqlite3.connect(file)
    raw.execute("PRAGMA mmap_size=268435456")
    tree = {"all": [{"field": "open", "op": "is", "value": True}]}
    condition = json.dumps(tree)

    def request() -> None:
        got = client.get("/api/tickets", {"filter": condition})
        assert got.status_code == 200, got.content

    def page(cursor: str = "") -> str | None:
        person = Person.objects.get(pk=agent.pk)  # permissions are read afresh, as in a request
        found = queries.page(queries.filtered(person, tree, timezone.now()), cursor=cursor)
        JSONRenderer().render({"rows": found.rows, "next_cursor": found.next_cursor})
        return found.next_cursor

    def whole_rows() -> list[object]:
        return raw.execute(RAW).fetchall()

    for _ in range(5):
        page(), request(), whole_rows()
    cursor = ""
    for _ in range(60):  # far down the list
        cursor = page(cursor) or cursor
    ours, plain = in_turns(page, whole_rows, ROUNDS)
    deep, _ = in_turns(lambda: page(cursor), whole_rows, ROUNDS)
    whole, _ = in_turns(request, whole_rows, ROUNDS)
    raw.close()
    return ours, plain, deep, whole


def run() -> list[str]:
    small = TICKETS // 10
    with database("small", small) as file:
        small_page, *_ = _measure(file)
    with database("large", TICKETS) as file:
        ours, plain, deep, whole = _measure(file)
    ratio, growth = ours / plain, ours / small_page
    return [
        verdict(
            f"queue page at {TICKETS:,} as JSON / raw SQL ({ours * 1e3:.1f} / {plain * 1e3:.2f} ms)",
            ratio,
            "<= 15",
            is_met=ratio <= 15,
        ),
        verdict(
            f"queue page at {TICKETS:,} / at {small:,}", growth, "<= 1.5", is_met=growth <= 1.5
        ),
        f"{'the same page 60 pages down / at the top':<58} {deep / ours:>9.2f}",
        f"{f'the whole request with session and HTTP / raw SQL ({whole * 1e3:.1f} ms)':<58} {whole / plain:>9.2f}",
    ]
