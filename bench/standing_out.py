"""Patterns over all incidents, beside the grouped SQL that counts them."""

from bench.database import TICKETS, likeness, pointed_at
from bench.timing import in_turns, verdict

_BY_ITEM = """
SELECT ci_id, SUM(opened_s > :recent), SUM(opened_s <= :recent) FROM tickets_ticket
WHERE kind = 'incident' AND ci_id IS NOT NULL AND opened_s > :before AND opened_s <= :now
GROUP BY ci_id
"""
_BY_CATEGORY = """
SELECT service_id, category, SUM(opened_s > :recent), SUM(opened_s <= :recent)
FROM tickets_ticket WHERE kind = 'incident' AND service_id IS NOT NULL AND category <> ''
AND opened_s > :before AND opened_s <= :now GROUP BY service_id, category
"""


def run() -> list[str]:
    with pointed_at(likeness(TICKETS)):
        from django.db import connection
        from django.db.models import Max

        from gannet.people.models import Person
        from gannet.services import patterns
        from gannet.tickets.models import Ticket
        from gannet_core.patterns import BEFORE_DAYS, RECENT_DAYS

        now_s = Ticket.objects.aggregate(last=Max("opened_s"))["last"]
        recent_s = now_s - RECENT_DAYS * 86_400
        spans = {"now": now_s, "recent": recent_s, "before": recent_s - BEFORE_DAYS * 86_400}
        reader = Person.objects.get(name="Marit Osei")

        def grouped() -> int:
            connection.ensure_connection()
            raw = connection.connection
            return sum(len(raw.execute(sql, spans).fetchall()) for sql in (_BY_ITEM, _BY_CATEGORY))

        found = patterns.found(reader, now_s)
        plain, ours = in_turns(grouped, lambda: patterns.found(reader, now_s), rounds=5)
    about = f"{found['examined']:,} things examined, {len(found['patterns'])} stand out"
    return [
        about,
        verdict("patterns / the grouped SQL", ours / plain, "≤ 2", is_met=ours / plain <= 2),
    ]
