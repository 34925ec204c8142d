"""How what happens to things of the estate is written, and found again in the history of each."""

from collections.abc import Sequence
from typing import Any, NamedTuple

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.estate.models import Trace
from gannet.people.acting import Acting


class EstateNews(NamedTuple):
    """What an event of the estate says, and the nodes in whose history it stands."""

    kind: EventKind
    nodes: Sequence[str]
    facts: dict[str, Any]
    values: dict[str, Any]
    text: str = ""


def append_estate_events(acting: Acting, news: Sequence[EstateNews]) -> None:
    """Write events about things of the estate, found in the history of each of them."""
    entries = [
        audit.Entry(
            kind=one.kind,
            at=acting.now,
            actor_id=acting.person_id,
            is_automatic=acting.person is None,
            facts=one.facts,
            values=one.values,
            text=one.text,
        )
        for one in news
    ]
    Trace.objects.bulk_create(
        Trace(node=node, event_id=event.pk, at_s=acting.now_s)
        for one, event in zip(news, audit.append(entries), strict=True)
        for node in one.nodes
    )
