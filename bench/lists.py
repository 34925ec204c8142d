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


def _measure(file: Path) -> tuple[float, float, float]:
    from django.test import Client

    from gannet.people.models import Person

    client = Client()
    agent = Person.objects.filter(name="Signe Hallam")[0]
    client.force_login(agent, backend="django.contrib.auth.backends.ModelBackend")
    raw = sqlite3.connect(file)
    raw.execute("PRAGMA mmap_size=268435456")
    condition = json.dumps({"all": [{"field": "open", "op": "is", "value": True}]})

    def page(cursor: str = "") -> dict[str, object]:
        got = client.get("/api/tickets", {"filter": condition, "cursor": cursor})
        assert got.status_code == 200, got.content
        return dict(got.json())

    def whole_rows() -> list[object]:
        return raw.execute(RAW).fetchall()

    for _ in range(5):
        page(), whole_rows()
    cursor = ""
    for _ in range(60):  # far down the list
        cursor = str(page(cursor)["next_cursor"] or "") or cursor
    ours, plain = in_turns(page, whole_rows, ROUNDS)
    deep, _ = in_turns(lambda: page(cursor), whole_rows, ROUNDS)
    raw.close()
    return ours, plain, deep


def run() -> list[str]:
    small = TICKETS // 10
    with database("small", small) as file:
        small_page, _, _ = _measure(file)
    with database("large", TICKETS) as file:
        ours, plain, deep = _measure(file)
    ratio, growth = ours / plain, ours / small_page
    return [
        verdict(
            f"queue page at {TICKETS:,} as JSON / raw SQL ({ours * 1e3:.1f} / {plain * 1e3:.2f} ms)",
            ratio, "<= 15", is_met=ratio <= 15,
        ),
        verdict(f"queue page at {TICKETS:,} / at {small:,}", growth, "<= 1.5", is_met=growth <= 1.5),
        f"{'the same page 60 pages down / at the top':<58} {deep / ours:>9.2f}",
    ]  # fmt: skip
