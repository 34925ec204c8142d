"""The languages that articles are in, and which of them one article has already."""

from functools import lru_cache

from django.conf import settings
from django.conf.locale import LANG_INFO
from django.db.models import Q, QuerySet

from gannet.knowledge.models import Article
from gannet.web.errors import Invalid

OURS = settings.LANGUAGE_CODE.partition("-")[0]


@lru_cache(maxsize=1)
def languages() -> dict[str, str]:
    """The languages that an article can be in: their codes (BCP 47), and their own names."""
    known = {
        code: about["name_local"] for code, about in LANG_INFO.items() if "name_local" in about
    }
    # Those of one country only where the language itself is not there.
    plain = [code for code in known if code == code.partition("-")[0]]
    kept = {code for code in known if code in plain or code.partition("-")[0] not in plain}
    names = {code: known[code][:1].upper() + known[code][1:] for code in kept}
    return dict(sorted(names.items(), key=lambda pair: (pair[1].casefold(), pair[0])))


def name_of(language: str) -> str:
    """What a language calls itself; one that is not known, its code."""
    return languages().get(language, language)


def family_of(article: Article) -> QuerySet[Article]:
    """An article's original and all its translations, itself too."""
    first = article.original_id or article.pk
    return Article.objects.filter(Q(pk=first) | Q(original=first))


def check_language(language: str) -> None:
    """Refuse what is no language."""
    if language not in languages():
        raise Invalid("There is no such language.", fields={"language": "Choose one."})


def check_free(article: Article, language: str, *, is_another: bool) -> None:
    """Refuse a language that an article is in already: as another, or itself (`is_another`)."""
    check_language(language)
    if article.pk is None:
        return
    taken = family_of(article).filter(language=language)
    other = taken.first() if is_another else taken.exclude(pk=article.pk).first()
    if other is not None:
        raise Invalid(
            f"It is in {name_of(language)} already: article {other.pk}.",
            fields={"language": f"Article {other.pk} is in {name_of(language)}."},
        )
