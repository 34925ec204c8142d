"""Finding articles by words; there are few of them, so they are compared here."""

from gannet.knowledge.models import Article, ArticleState
from gannet_core.conditions import words_of

_COMMON = frozenset("the a an of on in to is it and or not for with my our no at from i".split())


def find_articles(
    words: str, most: int, *, any_word: bool = False, for_everybody: bool = False
) -> list[Article]:
    """Published articles that have the words, the best first; the title counts most."""
    wanted = [word for word in words_of(words) if word not in _COMMON]
    if not wanted:
        return []
    found: list[tuple[float, Article]] = []
    rows = Article.objects.filter(state=ArticleState.PUBLISHED)
    if for_everybody:
        rows = rows.filter(for_everybody=1)
    for row in rows:
        title, body = words_of(row.title), words_of(row.body)
        hits = [_hit(word, title, body) for word in wanted]
        if not any(hits) or (not any_word and not all(hits)):
            continue
        score = sum(hits) / len(wanted)
        if not any_word or score >= 0.9:
            found.append((score, row))
    found.sort(key=lambda pair: (-pair[0], -pair[1].used))
    return [row for _, row in found[:most]]


def _hit(word: str, title: list[str], body: list[str]) -> float:
    if any(one.startswith(word) for one in title):
        return 3.0
    return 1.0 if any(one.startswith(word) for one in body) else 0.0
