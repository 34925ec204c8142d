"""Writing articles, letting them be reviewed, publishing them, and going back."""

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.dispatch import Signal

from gannet.estate.models import Service
from gannet.knowledge.indexing import index
from gannet.knowledge.languages import check_free
from gannet.knowledge.links import DESK, SOME
from gannet.knowledge.models import (
    Article,
    ArticleAudience,
    ArticleKind,
    ArticleState,
    ArticleVersion,
)
from gannet.people.acting import Acting
from gannet.people.models import Person, Role
from gannet.web.errors import Invalid, Missing, Refused, Stale
from gannet.web.numbers import next_number
from gannet_core.conditions import fold

MAX_BODY, MOST_AUDIENCES = 60_000, 40
# Sent with `article` and `acting` whichever way a version came to be what readers see.
article_published = Signal()
# Sent with `article` and `acting` when it became something else than published.
article_state_set = Signal()
AUDIENCES = ("department", "place", "service", "role")
REVIEW_AFTER_S = 180 * 86_400
_EDITORS = (Role.KNOWLEDGE_EDITOR, Role.ADMINISTRATOR, Role.TEAM_LEAD)
# Which states each may follow, and who may: editors, or its author too.
_MOVES = {
    ArticleState.DRAFT: (ArticleState.IN_REVIEW, ArticleState.PUBLISHED, ArticleState.RETIRED),
    ArticleState.IN_REVIEW: (ArticleState.DRAFT, ArticleState.RETIRED),
    ArticleState.PUBLISHED: (
        ArticleState.DRAFT, ArticleState.IN_REVIEW, ArticleState.PUBLISHED, ArticleState.RETIRED,
    ),
    ArticleState.RETIRED: (ArticleState.DRAFT, ArticleState.IN_REVIEW, ArticleState.PUBLISHED),
}  # fmt: skip
_AUTHORS_DO = (ArticleState.IN_REVIEW, ArticleState.DRAFT)


def draft_from(
    acting: Acting,
    *,
    number: int,
    title: str,
    body: str,
    service: Service | None,
    category: str,
    note: str = "",
    kind: ArticleKind = ArticleKind.FAULT,
) -> Article:
    """A draft made of what was done to a record; the desk's until an editor publishes it."""
    if acting.person is None:
        raise Invalid("Only a person writes an article.")
    article = Article(
        author=acting.person, owner=acting.person, source_id=number, made_s=acting.now_s,
        for_everybody=DESK, kind=kind,
    )  # fmt: skip
    return _save(
        article,
        acting,
        title=title,
        body=body,
        service=service,
        category=category,
        note=note,
    )


def may_change(person: Person, article: Article) -> bool:
    """Whether somebody may change an article: its author, its owner, and editors."""
    return person.has_role(*_EDITORS) or person.pk in (article.author_id, article.owner_id)


def is_editor(person: Person) -> bool:
    """Whether somebody publishes, retires, and says whom an article is for."""
    return person.has_role(*_EDITORS)


@transaction.atomic
def write_article(acting: Acting, given: dict[str, Any], number: int | None = None) -> Article:
    """Write an article, new or again; only its author, its owner and editors change one.

    With a `base` other than the newest version it is refused: somebody wrote meanwhile. What
    is written of a published article is a newer version that nobody sees until it is published.
    """
    person = acting.person
    if person is None or not person.is_on_desk:
        raise Refused("Only the desk writes articles.")
    given = dict(given)
    base, audience = given.pop("base", None), given.pop("audience", None)
    article = Article(author=person, owner=person, made_s=acting.now_s)
    if number is not None:
        article = _found(number)
        if not may_change(person, article):
            raise Refused(f"Only {article.author.name} and editors change this.")
        if base is not None and base != article.newest:
            theirs = _newest(article)
            raise Stale(
                f"{theirs.by.name} saved version {theirs.number} meanwhile.",
                current={"title": theirs.title, "body": theirs.body, "version": theirs.number},
            )
    if "language" in given and given["language"] != article.language:
        check_free(article, given["language"], is_another=False)
    before = article.for_everybody if number is not None else DESK
    found = _save(article, acting, **given)
    if article.for_everybody == SOME:
        _set_audience(article, audience if audience is not None else _audience(article))
    elif before == SOME or audience:
        article.audiences.all().delete()
    return found


def _audience(article: Article) -> list[dict[str, str]]:
    return [{"kind": row.kind, "name": row.name} for row in article.audiences.all()]


def _set_audience(article: Article, given: Sequence[Any]) -> None:
    wanted = {(one["kind"], " ".join(one["name"].split())[:80]) for one in given}
    if not wanted:
        raise Invalid(
            "Say whom it is for.",
            fields={"audience": "Choose a department, place, service or role."},
        )
    if len(wanted) > MOST_AUDIENCES or any(
        kind not in AUDIENCES or not name for kind, name in wanted
    ):
        raise Invalid("There is no such audience.", fields={"audience": "Choose another."})
    services = {name for kind, name in wanted if kind == "service"}
    unknown = services - set(
        Service.objects.filter(name__in=services).values_list("name", flat=True)
    )
    if unknown:
        raise Invalid(
            f"There is no service “{min(unknown)}”.", fields={"audience": "Choose another."}
        )
    article.audiences.all().delete()
    ArticleAudience.objects.bulk_create(
        ArticleAudience(article=article, kind=kind, name=name) for kind, name in sorted(wanted)
    )


@transaction.atomic
def set_article_state(acting: Acting, number: int, state: str) -> Article:
    """Send to review, publish, retire, or take back to a draft; editors do, authors ask."""
    person, article = acting.person, _found(number)
    if person is None:
        raise Refused("Only a person does that.")
    wanted = ArticleState(state)
    if not is_editor(person):
        if wanted is ArticleState.PUBLISHED or article.state == ArticleState.PUBLISHED:
            raise Refused("Only knowledge editors and leads publish.")
        if wanted not in _AUTHORS_DO or not may_change(person, article):
            raise Refused("Only knowledge editors and leads do that.")
    if ArticleState(article.state) not in _MOVES[wanted] and wanted != article.state:
        raise Invalid(f"What is {article.state} does not become {wanted}.")
    if wanted is ArticleState.PUBLISHED:
        _publish(article, acting)
    before = article.state
    article.state, article.changed_s = wanted, acting.now_s
    article.save()
    index(article)
    if wanted is ArticleState.PUBLISHED:
        article_published.send(Article, article=article, acting=acting)
    elif wanted != before:
        article_state_set.send(Article, article=article, acting=acting)
    return article


def _publish(article: Article, acting: Acting) -> None:
    """Readers see the newest version from now on."""
    newest = _newest(article)
    if not newest.body.strip():
        raise Invalid("It says nothing yet.", fields={"body": "This is empty."})
    article.title, article.body, article.version = newest.title, newest.body, newest.number
    article.title_folded = fold(article.title)
    if article.original is not None:  # it says what its original says now
        article.of_version = article.original.version
    article.review_s = max(article.review_s or 0, acting.now_s + REVIEW_AFTER_S)
    if newest.published_s is None:
        ArticleVersion.objects.filter(pk=newest.pk).update(published_s=acting.now_s)


@transaction.atomic
def reviewed(acting: Acting, number: int) -> Article:
    """It is still true: its review is due half a year from now."""
    person, article = acting.person, _found(number)
    if person is None or not may_change(person, article):
        raise Refused("Only its owner and editors review it.")
    if article.state != ArticleState.PUBLISHED:
        raise Invalid("Only what is published is reviewed.")
    article.review_s = acting.now_s + REVIEW_AFTER_S
    if article.original is not None:
        article.of_version = article.original.version
    article.save(update_fields=["review_s", "of_version"])
    return article


@transaction.atomic
def set_owner(acting: Acting, number: int, owner: Person) -> Article:
    """Who answers for an article from now on."""
    person, article = acting.person, _found(number)
    if person is None or not may_change(person, article):
        raise Refused("Only its owner and editors give it to somebody else.")
    if not owner.is_active or not owner.is_on_desk:
        raise Invalid("Choose somebody of the desk.", fields={"owner": "Choose another."})
    article.owner = owner
    article.save(update_fields=["owner"])
    return article


@transaction.atomic
def go_back(acting: Acting, number: int, version: int) -> Article:
    """The text of an earlier version again, as a new one; published where the article is."""
    person, article = acting.person, _found(number)
    if person is None or not may_change(person, article):
        raise Refused(f"Only {article.author.name} and editors change this.")
    _newest(article)
    earlier = article.versions.filter(number=version).first()
    if earlier is None:
        raise Missing("There is no such version.")
    is_published = article.state == ArticleState.PUBLISHED
    _save(article, acting, title=earlier.title, body=earlier.body, note=f"as in version {version}")
    if is_published and is_editor(person):
        _publish(article, acting)
        article.save()
        index(article)
        article_published.send(Article, article=article, acting=acting)
    return article


def _newest(article: Article) -> ArticleVersion:
    """The version that was written last."""
    found, _ = article.versions.get_or_create(
        number=article.newest,
        defaults={
            "title": article.title, "body": article.body, "by": article.author,
            "at_s": article.changed_s,
        },
    )  # fmt: skip
    return found


def _found(number: int) -> Article:
    row = Article.objects.select_related("author", "owner", "service").filter(pk=number).first()
    if row is None:
        raise Missing("There is no such article.")
    return row


def _save(article: Article, acting: Acting, *, note: str = "", **fields: Any) -> Article:
    """Write a version; what readers of a published article see stays until it is published."""
    title = " ".join(str(fields.pop("title", article.title)).split())[:200]
    body = str(fields.pop("body", article.body))
    if not title:
        raise Invalid("An article needs a title.", fields={"title": "This is empty."})
    if len(body) > MAX_BODY:
        raise Invalid("That is too long.", fields={"body": f"At most {MAX_BODY} characters."})
    for name, value in fields.items():
        setattr(article, name, value)
    is_new = article.pk is None
    is_shown = is_new or article.state != ArticleState.PUBLISHED
    if is_new:
        article.pk = next_number()
    last = None if is_new else article.versions.filter(number=article.newest).first()
    if last is None or (last.title, last.body) != (title, body):
        article.newest = 1 if last is None else last.number + 1
    if is_shown:
        article.title, article.body, article.version = title, body, article.newest
        article.title_folded = fold(title)
    article.changed_s = acting.now_s
    article.save(force_insert=is_new)
    if last is None or last.number != article.newest:
        assert acting.person is not None
        ArticleVersion.objects.create(
            article=article, number=article.newest, title=title, body=body, by=acting.person,
            at_s=acting.now_s, note=note,
        )  # fmt: skip
    index(article)
    return article
