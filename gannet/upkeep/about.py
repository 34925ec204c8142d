"""The articles about an item or a service: those that link to it, and those that fit."""

from typing import Any

from gannet.estate.models import ConfigItem
from gannet.knowledge.links import ITEM, SERVICE
from gannet.knowledge.models import Article, ArticleLink, ArticleState
from gannet.knowledge.search import readable, search
from gannet.people.models import Person

MOST_LINKING, MOST_FITTING = 30, 6


def articles_about(what: str, number: int, person: Person, now_s: int) -> dict[str, Any]:
    """What somebody may read about a thing, links first; `fitting_count` are all that fit."""
    linking = ArticleLink.objects.filter(what=what, number=number).values("article")
    there = readable(person).exclude(state=ArticleState.RETIRED).order_by("title_folded", "pk")
    rows = list(there.filter(pk__in=linking)[:MOST_LINKING])
    fitting, count = _fitting(what, number, person, now_s, {row.pk for row in rows})
    return {
        "linking": [_line(row) for row in rows],
        "fitting": [_line(row) for row in fitting],
        "fitting_count": count,
    }


def _fitting(
    what: str, number: int, person: Person, now_s: int, but: set[int]
) -> tuple[list[Article], int]:
    """Articles of a service, the most used first; or found by the name and type of an item."""
    published = readable(person).filter(state=ArticleState.PUBLISHED).exclude(pk__in=but)
    if what == SERVICE:
        own = published.filter(service=number).order_by("-used", "title_folded", "pk")
        return list(own[:MOST_FITTING]), own.count()
    item = ConfigItem.objects.filter(pk=number).first() if what == ITEM else None
    if item is None:
        return [], 0
    services = [item.service_id] if item.service_id else []
    found = search(
        f"{item.name} {item.kind}", person, now_s, most=20, any_word=True, services=services
    )
    fits = [
        one.article
        for one in found
        if one.article.pk not in but
        and one.coverage >= (0.3 if one.article.service_id in services else 0.6)
    ]
    return fits[:MOST_FITTING], len(fits)


def _line(row: Article) -> dict[str, Any]:
    return {"id": row.pk, "title": row.title, "state": row.state}
