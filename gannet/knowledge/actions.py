"""Writing articles: as far as the desk needs them from a ticket."""

from typing import Any

from gannet.estate.models import Service
from gannet.knowledge.models import Article, ArticleState
from gannet.people.acting import Acting
from gannet.people.models import Person, Role
from gannet.web.errors import Invalid, Missing, Refused
from gannet.web.numbers import next_number
from gannet_core.conditions import fold

MAX_BODY = 60_000
_EDITORS = (Role.KNOWLEDGE_EDITOR, Role.ADMINISTRATOR, Role.TEAM_LEAD)


def draft_from(
    acting: Acting,
    *,
    number: int,
    title: str,
    resolution: str,
    service: Service | None,
    category: str,
) -> Article:
    """A draft made of what was done to a record; the desk's until an editor publishes it."""
    if acting.person is None:
        raise Invalid("Only a person writes an article.")
    return _save(
        Article(author=acting.person, source_id=number, made_s=acting.now_s, for_everybody=0),
        acting,
        title=title,
        body=f"## What happens\n\n{title}\n\n## What helps\n\n{resolution}",
        service=service,
        category=category,
    )


def write_article(acting: Acting, given: dict[str, Any], number: int | None = None) -> Article:
    """Write an article, new or again; only its author and editors change one."""
    person = acting.person
    if person is None or not person.is_on_desk:
        raise Refused("Only the desk writes articles.")
    article = Article(author=person, made_s=acting.now_s)
    if number is not None:
        found = Article.objects.filter(pk=number).first()
        if found is None:
            raise Missing("There is no such article.")
        if found.author_id != person.pk and not person.has_role(*_EDITORS):
            raise Refused(f"Only {found.author.name} and editors change this.")
        article = found
    return _save(article, acting, **given)


def set_article_state(acting: Acting, number: int, state: str) -> Article:
    """Publish, retire, or take back to a draft; editors do."""
    person = acting.person
    article = Article.objects.filter(pk=number).first()
    if article is None:
        raise Missing("There is no such article.")
    if person is None or not person.has_role(*_EDITORS):
        raise Refused("Only knowledge editors and leads publish.")
    if state == ArticleState.PUBLISHED and not article.body.strip():
        raise Invalid("It says nothing yet.", fields={"body": "This is empty."})
    article.state, article.changed_s = ArticleState(state), acting.now_s
    article.save()
    return article


def readable(person: Person) -> Any:
    """The articles that somebody may read: published ones, drafts on the desk."""
    if person.is_on_desk or person.has_role(Role.KNOWLEDGE_EDITOR, Role.ADMINISTRATOR):
        return Article.objects.all()
    return Article.objects.filter(state=ArticleState.PUBLISHED, for_everybody=1)


def _save(article: Article, acting: Acting, **fields: Any) -> Article:
    for name, value in fields.items():
        setattr(article, name, value)
    article.title = " ".join(article.title.split())[:200]
    if not article.title:
        raise Invalid("An article needs a title.", fields={"title": "This is empty."})
    if len(article.body) > MAX_BODY:
        raise Invalid("That is too long.", fields={"body": f"At most {MAX_BODY} characters."})
    article.title_folded = fold(article.title)
    article.changed_s = acting.now_s
    is_new = article.pk is None
    if is_new:
        article.pk = next_number()
    article.save(force_insert=is_new)
    return article
