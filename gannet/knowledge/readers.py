"""What is kept of readers: what they read, and what they search for in vain."""

from typing import Any

from gannet.knowledge.models import Article, ArticleRead, Search
from gannet.people.models import Person
from gannet_core.conditions import words_of

# Reading the same again within an hour is one reading; typing on within a minute one search.
READ_AGAIN_S, TYPING_S, BECAME_TICKET_S = 3_600, 60, 3_600
# How sure the best hit has to be for its words to count as found: half of them and more.
ENOUGH = 0.6


def note_read(person: Person, article: Article, now_s: int, *, is_found: bool) -> None:
    """Somebody reads an article; its owner's own looks are not counted."""
    if person.pk in (article.owner_id, article.author_id):
        return
    known = ArticleRead.objects.filter(
        article=article, person=person, at_s__gt=now_s - READ_AGAIN_S
    )
    if not known.exists():
        ArticleRead.objects.create(
            article=article, person=person, at_s=now_s, is_found=is_found
        )  # fmt: skip


def note_search(person: Person, said: str, best: float, now_s: int) -> None:
    """What somebody searched for; what they go on typing is one search."""
    words = " ".join(dict.fromkeys(words_of(said)))[:120]
    if len(words) < 3:
        return
    last = Search.objects.filter(person=person, at_s__gt=now_s - TYPING_S).order_by("-pk").first()
    said = " ".join(said.split())[:120]
    if last is not None and (words.startswith(last.words) or last.words.startswith(words)):
        fresh: dict[str, Any] = {"at_s": now_s}
        if len(words) >= len(last.words):
            fresh |= {"words": words, "said": said, "best": best}
        Search.objects.filter(pk=last.pk).update(**fresh)
    else:
        Search.objects.create(person=person, words=words, said=said, best=best, at_s=now_s)


def became_ticket(person: Person, now_s: int) -> None:
    """What somebody searched for before they asked the desk was not found."""
    Search.objects.filter(person=person, at_s__gt=now_s - BECAME_TICKET_S).update(
        became_ticket=True
    )  # fmt: skip
