"""The steps of an article, ticked on a ticket as they are done."""

from collections.abc import Sequence
from typing import Any

from gannet.knowledge import pictures
from gannet.knowledge.models import Article
from gannet.knowledge.search import readable
from gannet.people.models import Person
from gannet.tickets import policies
from gannet.tickets.models import TickedSteps, Ticket
from gannet.web.errors import Invalid, Missing, Refused, Stale
from gannet.web.markdown import TICK, as_html

_MOST_SHOWN = 5


def steps_in(article: Article) -> int:
    """How many steps of an article can be ticked, as its readers see it."""
    return as_html(article.body, pictures.address(article.pk)).count(TICK)


def read_steps(reader: Person, ticket: Ticket, number: int) -> dict[str, Any]:
    """What is ticked of an article on a ticket; nothing of an earlier version."""
    article = _readable(reader, number)
    row = TickedSteps.objects.select_related("person").filter(ticket=ticket, article=number).first()
    is_same = row is not None and row.version == article.version
    return {
        "version": article.version,
        "steps": steps_in(article),
        "ticked": row.ticked if row is not None and is_same else [],
        "person": row.person.name if row is not None and is_same else "",
        "at_s": row.at_s if row is not None and is_same else None,
    }


def tick(
    person: Person, ticket: Ticket, number: int, *, version: int, ticked: Sequence[int], now_s: int
) -> None:
    """Keep which steps are done; of a version that is not read any more nothing is kept."""
    if not policies.works_on(person, ticket):
        raise Refused("Only the desk ticks steps on a ticket.")
    article = _readable(person, number)
    if article.version != version:
        raise Stale(
            f"The article says something else now: version {article.version}.",
            current=read_steps(person, ticket, number),
        )
    places = sorted(set(ticked))
    if places and not 0 <= places[0] <= places[-1] < steps_in(article):
        raise Invalid("There is no such step.", fields={"ticked": "Choose among its steps."})
    TickedSteps.objects.update_or_create(
        ticket=ticket,
        article=number,
        defaults={"version": version, "ticked": places, "person": person, "at_s": now_s},
    )


def ticked_on(ticket: Ticket, reader: Person) -> list[dict[str, Any]]:
    """The articles of which steps are ticked on a ticket, the latest first."""
    if ticket.pk is None:
        return []
    rows = list(ticket.ticked_steps.select_related("person")[:_MOST_SHOWN])
    seen = readable(reader).in_bulk([row.article for row in rows]) if rows else {}
    return [
        {
            "id": row.article,
            "title": seen[row.article].title,
            "ticked": len(row.ticked),
            "steps": steps_in(seen[row.article]),
            "person": row.person.name,
            "at_s": row.at_s,
        }
        for row in rows
        if row.article in seen and row.ticked and row.version == seen[row.article].version
    ]


def _readable(reader: Person, number: int) -> Article:
    article = readable(reader).filter(pk=number).first()
    if article is None:
        raise Missing("There is no such article, or it is not for you to read.")
    return article
