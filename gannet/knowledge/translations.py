"""One article in several languages: an original, its translations, and how far they follow it."""

from collections.abc import Iterable

from django.core.files.base import ContentFile
from django.db import transaction
from django.db.models import F

from gannet.knowledge import actions, pictures
from gannet.knowledge.languages import check_free
from gannet.knowledge.models import Article, ArticlePicture, ArticleState
from gannet.people.acting import Acting
from gannet.web.errors import Invalid, Refused


@transaction.atomic
def translate(acting: Acting, article: Article, language: str) -> Article:
    """A draft in another language: the text as it is, with its pictures, to be translated."""
    person = acting.person
    if person is None or not person.is_on_desk:
        raise Refused("Only the desk writes articles.")
    check_free(article, language, is_another=True)
    original = article.original or article
    audience = [{"kind": one.kind, "name": one.name} for one in article.audiences.all()]
    made = actions.write_article(
        acting,
        {
            "title": article.title,
            "body": article.body,
            "service": article.service,
            "category": article.category,
            "kind": article.kind,
            "for_everybody": article.for_everybody,
            "language": language,
            "note": f"to be translated from article {article.pk}, version {article.version}",
            **({"audience": audience} if audience else {}),
        },
    )
    made.original, made.of_version = original, original.version
    made.save(update_fields=["original", "of_version"])
    _take_pictures(article, made)
    return made


@transaction.atomic
def link(acting: Acting, article: Article, other: Article) -> None:
    """Another article that is there already is this one in another language."""
    person = acting.person
    if person is None or not all(actions.may_change(person, one) for one in (article, other)):
        raise Refused("Only who may change both says that one is the other in another language.")
    original = article.original or article
    if other.pk == original.pk or other.original_id == original.pk:
        raise Invalid("It is one of them already.", fields={"other": "Choose another."})
    if other.original_id is not None or other.translations.exists():
        raise Invalid(
            f"Article {other.pk} is in several languages itself.",
            fields={"other": "Choose another."},
        )
    check_free(article, other.language, is_another=True)
    other.original, other.of_version = original, original.version
    other.save(update_fields=["original", "of_version"])


@transaction.atomic
def unlink(acting: Acting, article: Article) -> None:
    """A translation is an article of its own from now on."""
    person = acting.person
    if person is None or not actions.may_change(person, article):
        raise Refused("Only its author, its owner and editors do that.")
    if article.original_id is None:
        raise Invalid("It is no translation of another article.")
    article.original = article.of_version = None
    article.save(update_fields=["original", "of_version"])


def behind(articles: Iterable[Article]) -> dict[int, str]:
    """Translations whose original was published anew since, by number, with why."""
    numbers = [one.pk for one in articles if one.original_id is not None]
    late = Article.objects.filter(
        pk__in=numbers, original__version__gt=F("of_version"),
        original__state=ArticleState.PUBLISHED,
    )  # fmt: skip
    said = late.values_list("pk", "of_version", "original", "original__version")
    return {
        number: f"it says what version {of} of {original} said, which is at {version}"
        for number, of, original, version in said
    }


def is_behind(article: Article) -> bool:
    """Whether the original says something newer than a translation does."""
    original = article.original
    return (
        original is not None
        and original.state == ArticleState.PUBLISHED
        and original.version > (article.of_version or 0)
    )


def _take_pictures(article: Article, made: Article) -> None:
    shown = pictures.shown_in(article.body)
    for row in article.pictures.filter(name__in=shown):
        ArticlePicture.objects.create(
            article=made, name=row.name, content_type=row.content_type, width=row.width,
            height=row.height, size=row.size, by=row.by, at_s=made.made_s,
            file=ContentFile(pictures.content_of(row), row.name),
        )  # fmt: skip
