"""Queue pages, their figures and groups, and the pages beside them, at a million tickets.

The data are the demo's, over and over (see `bench.replica`); the small database is read in
turns with the large one, round by round.
"""

import sqlite3
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from bench.database import TICKETS, likeness, pointed_at
from bench.timing import cpu_of, in_turns, verdict

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
OPEN = {"all": [{"field": "open", "op": "is", "value": True}]}
ORDERS = (
    "turn",  # what a list has without being asked
    "title",
    "service",
    "holder",
    "priority",
    "-opened",
    "sailing",
)


def _page(sort: str = "due", tree: Any = OPEN, cursor: str = "") -> str | None:
    """A page as JSON: who asks is read afresh, with their teams, as in a request."""
    from django.utils import timezone

    from gannet.people.signing import person_numbered
    from gannet.tickets import listing
    from gannet.tickets.listed import listed
    from gannet.web.reading import one_reading
    from gannet.web.rendering import Renderer

    with one_reading():
        person = person_numbered(_agent())
        assert person is not None
        found = listing.page(listed(person, tree, timezone.now()), sort, cursor=cursor)
        Renderer().render({"rows": found.rows, "next_cursor": found.next_cursor})
    assert found.rows
    return found.next_cursor


_agents: dict[str, int] = {}


def _agent() -> int:
    from gannet.people.models import Person

    if "signe" not in _agents:
        _agents["signe"] = Person.objects.get(name="Signe Hallam").pk
    return _agents["signe"]


@contextmanager
def _raw(file: Path) -> Iterator[Callable[[], object]]:
    raw = sqlite3.connect(file)
    raw.execute("PRAGMA mmap_size=268435456")
    yield lambda: raw.execute(RAW).fetchall()
    raw.close()


def _growth(small: Path, large: Path) -> float:
    """A page at the large size / at the small one, each the best of its rounds, in turns."""
    best = {small: 9e9, large: 9e9}
    for _ in range(8):
        for file in (small, large):
            with pointed_at(file):
                _page(), _page()
                best[file] = min(best[file], *(cpu_of(_page) for _ in range(4)))
    return best[large] / best[small]


def _words(file: Path, words: str) -> tuple[float, float]:
    """A page filtered by words against the raw FTS5 query for the same rows."""
    raw = sqlite3.connect(file)
    match = " AND ".join(f'"{word}"*' for word in words.split())
    tree = {"all": [{"field": "words", "op": "has words", "value": words}]}

    def plain() -> None:
        assert raw.execute(WORDS_RAW, [match]).fetchall()

    _page("due", tree), plain()
    pair = in_turns(lambda: _page("due", tree), plain, 9)
    raw.close()
    return pair


WORDS_RAW = """
    SELECT t.id FROM tickets_ticket t WHERE t.id IN
      (SELECT rowid FROM ticket_words WHERE ticket_words MATCH ? ORDER BY rowid DESC LIMIT 20000)
  ORDER BY t.rank_s, t.id LIMIT 51
"""


def _counts() -> list[str]:
    """Figures and groups of the open tickets."""
    from django.utils import timezone

    from gannet.people.models import Person
    from gannet.tickets import listing, queries
    from gannet.tickets.listed import listed
    from gannet_core.instants import seconds_of

    now = timezone.now()
    found = listed(Person.objects.get(pk=_agent()), OPEN, now)
    lines = []
    took = min(cpu_of(lambda: queries.figures(found, seconds_of(now))) for _ in range(5)) * 1e3
    lines.append(verdict("figures of the open tickets, ms", took, "<= 50", is_met=took <= 50))
    for by in ("service", "holder", "priority", "category", "requester"):
        took = min(cpu_of(lambda by=by: listing.groups(found, by)) for _ in range(3)) * 1e3
        lines.append(verdict(f"grouped by {by}, ms", took, "<= 100", is_met=took <= 100))
    return lines


def _many(file: Path, count: int = 1_000) -> tuple[float, float]:
    """One field of a thousand tickets, with all that follows, against the rows written raw."""
    import time

    from django.utils import timezone

    from gannet.people.models import Person
    from gannet.tickets import mass
    from gannet.tickets.models import Ticket

    agent = Person.objects.get(pk=_agent())
    found = Ticket.objects.filter(is_open=True, is_confidential=0).select_related("team")
    tickets = list(found.order_by("-id")[:count])
    now = timezone.now()
    began = time.perf_counter()
    done = mass.do(
        agent, [t.pk for t in tickets], "change", {"add_tags": [f"storm {now:%H%M%S}"]}, now
    )
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
    small, large = likeness(TICKETS // 10), likeness(TICKETS)
    growth = _growth(small, large)
    with pointed_at(large), _raw(large) as plain_page:
        for _ in range(5):
            _page(), plain_page()
        ours, plain = in_turns(_page, plain_page, ROUNDS)
        cursor = ""
        for _ in range(60):  # far down the list
            cursor = _page(cursor=cursor) or cursor
        deep, _ = in_turns(lambda: _page(cursor=cursor), plain_page, ROUNDS)
        lines = [
            verdict(
                f"queue page at {TICKETS:,} / raw SQL ({ours * 1e3:.1f} / {plain * 1e3:.2f} ms)",
                ours / plain,
                "<= 6",
                is_met=ours / plain <= 6,
            ),
            verdict(
                f"queue page at {TICKETS:,} / at {TICKETS // 10:,}, in turns",
                growth,
                "<= 1.3",
                is_met=growth <= 1.3,
            ),
            f"{'the same page 60 pages down / at the top':<58} {deep / ours:>9.2f}",
        ]
        for order in ORDERS:
            _page(order)
            took = min(cpu_of(lambda order=order: _page(order)) for _ in range(5))
            share = took / plain
            name = f"ordered by {order} / raw SQL by due ({took * 1e3:.1f} ms)"
            lines.append(verdict(name, share, "<= 20", is_met=share <= 20))
        for words in ("refused", "gate barcode"):
            took, raw_took = _words(large, words)
            name = f"page of “{words}” / raw FTS5 ({took * 1e3:.1f} / {raw_took * 1e3:.1f} ms)"
            lines.append(f"{name:<58} {took / raw_took:>9.2f}")
        lines += _counts()
        many, many_raw = _many(large)
        share = many / many_raw
        name = f"1,000 tickets changed / raw writes ({many:.2f} / {many_raw:.3f} s)"
        lines.append(verdict(name, share, "<= 8", is_met=share <= 8))
    return lines
