"""Articles as the API says them, to one reader."""

from typing import Any

from django.utils import timezone
from rest_framework.request import Request

from gannet.knowledge import actions, links, pictures
from gannet.knowledge.languages import family_of, name_of
from gannet.knowledge.models import Article, ArticleState, ArticleVote
from gannet.knowledge.search import Found, readable, reads_drafts, search
from gannet.knowledge.translations import is_behind
from gannet.people.access import person_of
from gannet.people.models import Person
from gannet.upkeep.followed import followed
from gannet.web.errors import Missing
from gannet.web.markdown import Html
from gannet_core.excerpts import start_of
from gannet_core.instants import seconds_of


def line_json(article: Article) -> dict[str, Any]:
    return {
        "id": article.pk,
        "title": article.title,
        "state": article.state,
        "kind": article.kind,
        "service": article.service.name if article.service else "",
        "category": article.category,
        "author": article.author.name,
        "owner": article.owner.name if article.owner else "",
        "for_everybody": article.for_everybody == links.EVERYBODY,
        "is_for_some": article.for_everybody == links.SOME,
        "used": article.used,
        "changed_s": article.changed_s,
        "version": article.version,
        "newest": article.newest,
        "review_s": article.review_s,
        "language": article.language,
        "language_name": name_of(article.language),
    }


def found_json(article: Article, found: Found | None) -> dict[str, Any]:
    return {
        **line_json(article),
        "starts": start_of(article.body, 180),
        "score": found.rank.score if found else None,
        "why": found.rank.explain() if found else [],
        "read_as": [f"{word} as {', '.join(other)}" for word, other in found.read_as.items()]
        if found
        else [],
    }


def article_json(article: Article, person: Person) -> dict[str, Any]:
    may_change = actions.may_change(person, article) and person.is_on_desk
    newest = article.versions.filter(number=article.newest).first() if may_change else None
    mine = ArticleVote.objects.filter(
        article=article, person=person, version=article.version
    ).first()
    return {
        **line_json(article),
        "body": article.body,
        "html": Html(article.body, pictures.address(article.pk)),
        "service_id": article.service_id,
        "source": article.source_id if person.is_on_desk else None,
        "audience": list(article.audiences.order_by("kind", "name").values("kind", "name"))
        if reads_drafts(person)
        else [],
        "may_change": may_change,
        "may_publish": actions.is_editor(person),
        "may_vote": article.state == ArticleState.PUBLISHED
        and person.pk not in (article.owner_id, article.author_id),
        "draft_title": newest.title if newest else article.title,
        "draft_body": newest.body if newest else article.body,
        "follows": followed(article, person),
        "is_followed": article.followers.filter(person=person).exists(),
        "my_vote": {"helped": mine.helped, "why": mine.why, "answer": mine.answer}
        if mine
        else None,
        "related": _related(article, person),
        "translations": _translations(article, person),
        "is_translation": article.original_id is not None,
        "is_behind": is_behind(article),
        "of_version": article.of_version,
    }


def _translations(article: Article, person: Person) -> list[dict[str, Any]]:
    """The same in other languages, as far as somebody reads them."""
    family = readable(person).filter(pk__in=family_of(article).values("pk"))
    rows = sorted(family.exclude(pk=article.pk), key=lambda row: (row.original_id or 0, row.pk))
    return [
        {
            "id": row.pk,
            "title": row.title,
            "language": row.language,
            "language_name": name_of(row.language),
            "state": row.state,
            "is_original": row.original_id is None,
        }
        for row in rows
    ]


def _related(article: Article, person: Person) -> list[dict[str, Any]]:
    now_s = seconds_of(timezone.now())
    services = [article.service_id] if article.service_id else []
    found = search(article.title, person, now_s, most=12, any_word=True, services=services)
    service = article.service_id
    family = set(family_of(article).values_list("pk", flat=True))
    return [
        {"id": one.article.pk, "title": one.article.title}
        for one in found
        if one.article.pk not in family
        and one.coverage >= (0.3 if one.article.service_id == service else 0.5)
    ][:4]


def find_article(request: Request, number: int) -> Article:
    """An article that may be read by whoever asks."""
    rows = readable(person_of(request)).select_related("author", "owner", "service", "original")
    article: Article | None = rows.filter(pk=number).first()
    if article is None:
        raise Missing("There is no such article, or it is not for you to read.")
    return article
