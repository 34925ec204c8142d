"""The articles that a text links to, and which of its readers could not follow them."""

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from gannet.knowledge.models import Article, ArticleLink, ArticleState

# Whom an article is for, as `Article.for_everybody` has it.
DESK, EVERYBODY, SOME = 0, 1, 2
_ARTICLE = re.compile(r"\]\((?:/desk)?/articles/(\d{1,15})\b[^)]*\)")
ARTICLE, TICKET, ITEM, SERVICE = "article", "ticket", "item", "service"
_WHAT = re.compile(
    r"\]\((?:https?://[^/)\s]{1,200})?(?:/desk)?/(article|ticket|item|service)s/(\d{1,15})\b[^)]*\)"
)
_DESK_PAGE = re.compile(r"\]\((/desk/(?!articles/)[^)\s]*)")


@dataclass(frozen=True)
class Lost:
    """A link that leads some of a text's readers nowhere, and why."""

    to: str
    title: str
    why: str


@dataclass(frozen=True)
class Readers:
    """Whom a text is for: `whom` as articles have it, and for some, which (kind, name)."""

    whom: int
    some: frozenset[tuple[str, str]] = frozenset()


def linked(text: str) -> list[int]:
    """The numbers of the articles that a text links to, each once."""
    return list(dict.fromkeys(int(found) for found in _ARTICLE.findall(text)))


def all_linked(text: str) -> set[tuple[str, int]]:
    """What a text links to: articles, tickets, items and services, by their numbers."""
    return {(what, int(number)) for what, number in _WHAT.findall(text)}


def note(article: Article) -> None:
    """Keep what readers of an article are led to, instead of what it was."""
    wanted = all_linked(article.body)
    there = {(row.what, row.number): row.pk for row in article.links.all()}
    gone = [pk for link, pk in there.items() if link not in wanted]
    if gone:
        ArticleLink.objects.filter(pk__in=gone).delete()
    ArticleLink.objects.bulk_create(
        ArticleLink(article=article, what=what, number=number)
        for what, number in sorted(wanted - set(there))
    )


def readers_of(article: Article) -> Readers:
    """Whom an article is for."""
    some = [(one.kind, one.name) for one in article.audiences.all()]
    return Readers(article.for_everybody, frozenset(some if article.for_everybody == SOME else ()))


def lost_links(text: str, readers: Readers) -> list[Lost]:
    """The links of a text that not all of its readers can follow."""
    return _lost(text, readers, _known(linked(text)))


def with_lost_links(articles: Sequence[Article]) -> dict[int, list[Lost]]:
    """Which articles have links that lead some of their readers nowhere, by number."""
    linking = [one for one in articles if "/articles/" in one.body or "/desk/" in one.body]
    known = _known({number for one in linking for number in linked(one.body)})
    whom = _known(one.pk for one in linking)
    found = {one.pk: _lost(one.body, readers_of(whom[one.pk]), known) for one in linking}
    return {number: lost for number, lost in found.items() if lost}


def _known(numbers: Iterable[int]) -> dict[int, Article]:
    rows = Article.objects.filter(pk__in=list(numbers)).prefetch_related("audiences")
    return {row.pk: row for row in rows.defer("body")}


def _lost(text: str, readers: Readers, known: Mapping[int, Article]) -> list[Lost]:
    found = []
    for number in linked(text):
        row = known.get(number)
        why = "there is no such article" if row is None else _why_lost(row, readers)
        if why:
            found.append(Lost(f"/articles/{number}", row.title if row else str(number), why))
    if readers.whom != DESK:
        pages = dict.fromkeys(_DESK_PAGE.findall(text))
        found += [Lost(page, page, "only the desk can open it") for page in pages]
    return found


def _why_lost(row: Article, readers: Readers) -> str:
    if row.state == ArticleState.RETIRED:
        return "it is retired"
    if readers.whom == DESK:
        return ""
    if row.state != ArticleState.PUBLISHED:
        return "it is not published"
    theirs = readers_of(row)
    if theirs.whom == EVERYBODY or (readers.whom == SOME and readers.some <= theirs.some):
        return ""
    if theirs.whom == DESK:
        return "only the desk can read it"
    return "not all of these readers can read it"
