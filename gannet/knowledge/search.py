"""Finding articles: full text with slips and the desk's own words, ranked as §21 says.

The module that speaks SQLite's FTS5 for articles. The index holds what readers see, cut into
words by the core; who may see what is a condition of the query that reads the articles.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import connection
from django.db.models import Count, Q, QuerySet

from gannet.estate.models import Service
from gannet.knowledge.models import Article, ArticleState, ArticleVote, SameWords
from gannet.people.models import Person
from gannet_core import knowledge as core
from gannet_core.conditions import words_of

CREATE = (
    "CREATE VIRTUAL TABLE article_words USING fts5(title, body, prefix='2 3')",
    "CREATE VIRTUAL TABLE article_vocabulary USING fts5vocab('article_words', 'row')",
)
DROP = ("DROP TABLE article_vocabulary", "DROP TABLE article_words")
# What readers see of an article beside its text: given by what its text follows.
also_said: list[Callable[[Article], str]] = []
_COMMON = frozenset("the a an of on in to is it and or not for with my our no at from i".split())
_MOST_PLACES = 3
_MOST_WORDS, _MOST_RANKED, _MOST_KNOWN = 12, 60, 5_000
_LONGEST = 100_000


@dataclass(frozen=True)
class Found:
    """An article that was found, where it stands and why, and how sure the words are.

    `coverage` is the share of the words asked for that it has, itself or by a slip or a word
    that means the same; `read_as` says which words were read as which others.
    """

    article: Article
    rank: core.Ranked
    coverage: float
    read_as: dict[str, list[str]]
    asked: int = 0  # how many words were asked for


def index(article: Article) -> None:
    """Index what readers of an article see, instead of what it was."""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM article_words WHERE rowid = %s", [article.pk])
        cursor.execute(
            "INSERT INTO article_words(rowid, title, body) VALUES (%s, %s, %s)",
            [article.pk, _cut(article.title), _cut(_all_said(article))],
        )


def _all_said(article: Article) -> str:
    return " ".join([article.body, *(said(article) for said in also_said)])


def forget(number: int) -> None:
    """Take an article out of the index."""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM article_words WHERE rowid = %s", [number])


def fill(articles: Any) -> int:
    """Index every article of an empty index; the model may be that of a migration."""
    rows = articles.objects.order_by("pk").values_list("pk", "title", "body")
    with connection.cursor() as cursor:
        cursor.executemany(
            "INSERT INTO article_words(rowid, title, body) VALUES (%s, %s, %s)",
            [(number, _cut(title), _cut(body)) for number, title, body in rows.iterator()],
        )
    return int(rows.count())


def readable(person: Person) -> QuerySet[Article]:
    """The articles that somebody may read: published ones of their audience, all on the desk."""
    if reads_drafts(person):
        return Article.objects.all()
    theirs = (
        Q(audiences__kind="department", audiences__name=person.department)
        | Q(audiences__kind="place", audiences__name=person.place)
        | Q(audiences__kind="role", audiences__name__in=list(person.roles))
        | Q(audiences__kind="service", audiences__name__in=_services_used(person))
    )
    mine = Article.objects.filter(theirs, for_everybody=2).values("pk")
    return Article.objects.filter(state=ArticleState.PUBLISHED).filter(
        Q(for_everybody=1) | Q(pk__in=mine)
    )


def _services_used(person: Person) -> list[str]:
    """The services that somebody's department uses."""
    if not person.department:
        return []
    known = Service.objects.values_list("name", "departments")
    return [name for name, departments in known if person.department in departments]


def reads_drafts(person: Person) -> bool:
    """Whether somebody sees what is not published, and what is the desk's alone."""
    return person.is_on_desk or person.has_role("knowledge editor", "administrator")


def search(
    words: str,
    person: Person | None,
    now_s: int,
    *,
    most: int = 20,
    any_word: bool = False,
    services: Iterable[int] = (),
    for_everybody: bool = False,
) -> list[Found]:
    """Published articles with the words that somebody may read, as §21 ranks them.

    Without a person (a mail that is written to somebody unknown) only what is for everybody.
    """
    names, rest = _places_in(words_of(words))
    wanted = list(dict.fromkeys(word for word in rest if word not in _COMMON))
    wanted = wanted[:_MOST_WORDS]
    if not wanted and not names:
        return []
    other = _read_as(wanted)
    # The name of a place is one thing: the “sound” of Farrow Sound is not that of a loudspeaker.
    groups = [[word, *other.get(word, [])] for word in wanted] + [[name] for name in names]
    rows = Article.objects.all() if person is None else readable(person)
    rows = rows.filter(state=ArticleState.PUBLISHED)
    if person is None or for_everybody:
        rows = rows.filter(for_everybody=1)
    scored = _scored(groups, any_word=any_word)
    # Only what decides the rank is read of each; the texts of those that are shown after.
    may = list(rows.filter(pk__in=list(scored)).values_list("pk", "service", "review_s"))
    votes = _votes(number for number, _, _ in may)
    hits = [
        core.Hit(number, scored[number], *votes.get(number, (0, 0)), service, review_s)
        for number, service, review_s in may
    ]
    ranked = core.rank(hits, set(services), now_s)[:most]
    shown = Article.objects.filter(pk__in=[one.number for one in ranked])
    known = {row.pk: row for row in shown.select_related("service")}
    return [
        Found(known[one.number], one, _coverage(known[one.number], groups), other, len(groups))
        for one in ranked
    ]


def _places_in(words: list[str]) -> tuple[list[str], list[str]]:
    """The names of places of several words that a search has, and its other words."""
    if len(words) < 2:
        return [], words
    known = Person.objects.order_by().values_list("place", flat=True).distinct()
    places = {parts for place in known if len(parts := tuple(words_of(place))) > 1}
    found: dict[str, None] = {}
    rest: list[str] = []
    at = 0
    while at < len(words):
        name = next(
            (one for one in places if tuple(words[at : at + len(one)]) == one), None
        )  # fmt: skip
        if name is None:
            rest.append(words[at])
            at += 1
        else:
            found[" ".join(name)] = None
            at += len(name)
    return list(found)[:_MOST_PLACES], rest


def _read_as(wanted: Sequence[str]) -> dict[str, list[str]]:
    """What else each word may stand for: what the desk says is the same, and near words where
    no article has it."""
    groups = [[word for one in row for word in words_of(one)] for row in _same()]
    other = core.alike(wanted, groups)
    # A slip may be one of a word that no article has, and that the desk says is another.
    said = {word for group in groups for word in group}
    for word in wanted:
        if core.slips(word) and word not in said and not _is_known(word):
            near = core.nearest(word, [*_vocabulary(word), *sorted(said)])
            meant = [same for one in near for same in core.alike([one], groups).get(one, [])]
            other[word] = list(dict.fromkeys([*other.get(word, []), *near, *meant]))
    return other


def _same() -> list[list[str]]:
    return list(SameWords.objects.values_list("words", flat=True))


def _is_known(word: str) -> bool:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT 1 FROM article_vocabulary WHERE term >= %s AND term < %s LIMIT 1",
            [word, word + "\U0010ffff"],
        )
        return cursor.fetchone() is not None


def _vocabulary(word: str) -> list[str]:
    """The words of articles that begin with the same letter and are about as long."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT term FROM article_vocabulary WHERE term >= %s AND term < %s LIMIT %s",
            [word[0], word[0] + "\U0010ffff", _MOST_KNOWN],
        )
        return [term for (term,) in cursor.fetchall()]


def _scored(groups: Sequence[Sequence[str]], *, any_word: bool) -> dict[int, float]:
    """The text scores of articles: with all words, else with any of them where that is asked."""
    said = ["(" + " OR ".join(f'"{word}"*' for word in group) + ")" for group in groups]
    found = _bm25(" AND ".join(said))
    if any_word and len(found) < _MOST_RANKED and len(said) > 1:
        for number, score in _bm25(" OR ".join(said)).items():
            found.setdefault(number, score)
    return found


def _bm25(match: str) -> dict[int, float]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT rowid, bm25(article_words, 4.0, 1.0) AS score FROM article_words"
            " WHERE article_words MATCH %s ORDER BY score LIMIT %s",
            [match, _MOST_RANKED * 2],
        )
        return {number: -score for number, score in cursor.fetchall()}


def _votes(numbers: Iterable[int]) -> dict[int, tuple[int, int]]:
    rows = ArticleVote.objects.filter(article__in=list(numbers)).order_by()
    counted = rows.values_list("article").annotate(
        yes=Count("pk", filter=Q(helped=True)), no=Count("pk", filter=Q(helped=False))
    )
    return {number: (yes, no) for number, yes, no in counted}


def _coverage(article: Article, groups: Sequence[Sequence[str]]) -> float:
    said = [*words_of(article.title), *words_of(_all_said(article)[:_LONGEST])]
    there, in_order = set(said), f" {' '.join(said)}"
    has = sum(
        any(
            f" {word}" in in_order if " " in word else any(one.startswith(word) for one in there)
            for word in group
        )
        for group in groups
    )
    return has / len(groups)


def find_articles(
    words: str, most: int, person: Person | None, now_s: int, *, any_word: bool = False,
    for_everybody: bool = False, services: Iterable[int] = (),
) -> list[Article]:  # fmt: skip
    """The best articles for words; those with hardly any of the words are left out."""
    found = search(
        words, person, now_s, most=most, any_word=any_word, for_everybody=for_everybody,
        services=services,
    )  # fmt: skip
    return [one.article for one in found if one.coverage >= 0.4]


def _cut(text: str) -> str:
    return " ".join(words_of(text[:_LONGEST]))
