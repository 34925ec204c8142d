"""A queue page as JSON, permissions included, against the raw SQL for the same rows."""

import json
import sqlite3
from pathlib import Path

from bench.database import TICKETS, database
from bench.timing import in_turns, verdict

RAW = """
    SELECT t.id, t.kind, t.title, t.priority, t.state, t.move, t.place, t.opened_s, t.changed_s,
           t.resolved_s, t.due_kind, t.due_s, t.late_from_s, t.left_seconds, t.rank_s, t.calendar,
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
    from gannet.tickets import listing
    from gannet.tickets.listed import listed

    client = Client()
    agent = Person.objects.filter(name="Signe Hallam")[0]
    client.force_login(agent, backend="gannet.people.signing.SignedInPeople")
    raw = sqlite3.connect(file)
    raw.execute("PRAGMA mmap_size=268435456")
    tree = {"all": [{"field": "open", "op": "is", "value": True}]}
    condition = json.dumps(tree)

    def request() -> None:
        got = client.get("/api/tickets", {"filter": condition})
        assert got.status_code == 200, got.content

    def page(cursor: str = "") -> str | None:
        person = Person.objects.get(pk=agent.pk)  # permissions are read afresh, as in a request
        found = listing.page(listed(person, tree, timezone.now()), "due", cursor=cursor)
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


WORDS_RAW = """
    SELECT t.id FROM tickets_ticket t WHERE t.id IN
      (SELECT rowid FROM ticket_words WHERE ticket_words MATCH ? ORDER BY rowid DESC LIMIT 20000)
  ORDER BY t.rank_s, t.id LIMIT 51
"""


def _words(file: Path, words: str) -> tuple[float, float]:
    """A page filtered by words against the raw FTS5 query for the same rows."""
    from django.utils import timezone

    from gannet.people.models import Person
    from gannet.tickets import listing
    from gannet.tickets.listed import listed

    agent = Person.objects.filter(name="Signe Hallam")[0]
    tree = {"all": [{"field": "words", "op": "has words", "value": words}]}
    raw = sqlite3.connect(file)
    match = " AND ".join(f'"{word}"*' for word in words.split())

    def ours() -> None:
        found = listing.page(listed(agent, tree, timezone.now()), "due")
        assert found.rows

    def plain() -> None:
        assert raw.execute(WORDS_RAW, [match]).fetchall()

    ours(), plain()
    pair = in_turns(ours, plain, 9)
    raw.close()
    return pair


def _many(file: Path, count: int = 1_000) -> tuple[float, float]:
    """One field of a thousand tickets, with all that follows, against the rows written raw."""
    import time

    from django.utils import timezone

    from gannet.audit import log as audit
    from gannet.people.models import Person
    from gannet.tickets import mass
    from gannet.tickets.events import TicketEvent
    from gannet.tickets.models import Ticket

    agent = Person.objects.filter(name="Signe Hallam")[0]
    found = Ticket.objects.filter(is_open=True, is_confidential=0).select_related("team")
    tickets = list(found.order_by("-id")[:count])
    now = timezone.now()
    from django.db import transaction

    with transaction.atomic():
        audit.append(
            audit.Entry(kind=TicketEvent.LOGGED, at=now, ticket_id=t.pk, facts={"team": t.team.key})
            for t in tickets
        )
    began = time.perf_counter()
    done = mass.do(agent, [t.pk for t in tickets], "change", {"add_tags": ["storm"]}, now)
    ours = time.perf_counter() - began
    assert len(done["done"]) == count, done["refused"][:1]
    with sqlite3.connect(file, timeout=30) as raw:
        began = time.perf_counter()
        raw.execute("BEGIN IMMEDIATE")
        for ticket in tickets:
            raw.execute(
                "UPDATE tickets_ticket SET tags = ?, tags_folded = ?, changed_s = changed_s + ?, "
                "version = version + 1 WHERE id = ?",
                ['["wind"]', "|wind|", 1, ticket.pk],
            )
        last = raw.execute("SELECT max(id) FROM audit_event").fetchone()[0]
        columns = [row[1] for row in raw.execute("PRAGMA table_info(audit_event)")]
        row = list(raw.execute("SELECT * FROM audit_event WHERE id = ?", [last]).fetchone())
        for number in range(1, count + 1):
            row[columns.index("id")] = last + number
            raw.execute(f"INSERT INTO audit_event VALUES ({', '.join('?' * len(row))})", row)
        raw.commit()
        plain = time.perf_counter() - began
    return ours, plain


def run() -> list[str]:
    small = TICKETS // 10
    with database("small", small) as file:
        small_page, *_ = _measure(file)
        small_words, _ = _words(file, "walrus")
        small_many, _ = _many(file)
    with database("large", TICKETS) as file:
        ours, plain, deep, whole = _measure(file)
        rare, rare_raw = _words(file, "walrus")
        common, common_raw = _words(file, "gate barcode")
        many, many_raw = _many(file)
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
        f"{f'page of a rare word / raw FTS5 ({rare * 1e3:.1f} / {rare_raw * 1e3:.1f} ms)':<58} {rare / rare_raw:>9.2f}",
        f"{f'page of two common words / raw ({common * 1e3:.0f} / {common_raw * 1e3:.0f} ms)':<58} {common / common_raw:>9.2f}",
        f"{'page of a rare word, ten times the tickets':<58} {rare / small_words:>9.2f}",
        f"{f'1,000 tickets changed / raw writes ({many:.2f} / {many_raw:.3f} s)':<58} {many / many_raw:>9.2f}",
        f"{'1,000 changed, ten times the tickets':<58} {many / small_many:>9.2f}",
        f"{f'the whole request with session and HTTP / raw SQL ({whole * 1e3:.1f} ms)':<58} {whole / plain:>9.2f}",
    ]
