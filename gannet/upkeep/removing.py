"""Removing words or a picture of an article for good: from every version, note and draft.

That it was done, by whom and why, stands with each version and in the log; what was removed
stands nowhere. What is removed of a ticket goes from the articles that were made of it too.
"""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction

from gannet.audit import log as audit
from gannet.knowledge import pictures
from gannet.knowledge.actions import may_change
from gannet.knowledge.indexing import index
from gannet.knowledge.models import Article, ArticleVersion
from gannet.messages.models import HookCall, Notification
from gannet.people.acting import Acting
from gannet.tickets.drafting import plain_of
from gannet.tickets.models import Draft, Ticket
from gannet.upkeep.events import ArticleEvent
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core.conditions import fold

GONE, SHORTEST = "(removed)", 3
_AROUND, _MOST_SAMPLES = 24, 4
_OF_TICKET = 8  # shorter lines of a ticket's text say nothing that is worth hiding
Removes = Callable[[str], str]


@dataclass(frozen=True)
class Removal:
    """Where an article has what is to be removed: in which versions, and in how many notes."""

    versions: tuple[int, ...]
    notes: int = 0
    samples: tuple[str, ...] = ()  # some of the places, with what stands around them


def words_remover(words: str) -> Removes:
    """Removes words from a text, however they are spaced there and in whichever case."""
    wanted = _pattern(words)
    return lambda text: wanted.sub(GONE, text)


def _pattern(words: str) -> re.Pattern[str]:
    parts = [re.escape(part) for part in words.split()]
    if len("".join(words.split())) < SHORTEST:
        raise Invalid(
            "Say which words.", fields={"words": f"At least {SHORTEST} letters or signs."}
        )
    return re.compile(r"\s+".join(parts), re.IGNORECASE)


def picture_remover(name: str) -> Removes:
    """Removes a picture from a text, with what stands for it where it cannot be seen."""
    wanted = re.compile(rf"!\[[^\]\n]*\]\(\s*pictures/{re.escape(name)}[^)\n]*\)")
    return lambda text: wanted.sub(GONE, text).replace(f"pictures/{name}", GONE)


def would_remove(article: Article, removes: Removes) -> Removal:
    """Where an article has it."""
    versions = [
        row.number
        for row in article.versions.order_by("number")
        if (removes(row.title), removes(row.body)) != (row.title, row.body)
    ]
    notes = sum(
        (removes(row.why), removes(row.answer)) != (row.why, row.answer)
        for row in article.votes.all()
    )
    return Removal(tuple(versions), notes)


@transaction.atomic
def remove_words(acting: Acting, article: Article, words: str, reason: str) -> Removal:
    """Remove words from every version and note of an article, or refuse where it has none."""
    _check(acting, article, reason)
    removes = words_remover(words)
    found = would_remove(article, removes)
    if not found.versions and not found.notes:
        raise Invalid("It has no such words.", fields={"words": "Nothing of it says this."})
    _remove(acting, article, removes, found, reason)
    return found


@transaction.atomic
def remove_picture(acting: Acting, article: Article, name: str, reason: str) -> Removal:
    """Remove a picture and its file, and from every version that shows it."""
    _check(acting, article, reason)
    pictures.found_picture(article, name)
    return _remove_picture(acting, article, name, reason)


def _remove_picture(acting: Acting, article: Article, name: str, reason: str) -> Removal:
    removes = picture_remover(name)
    found = would_remove(article, removes)
    _remove(acting, article, removes, found, reason)
    row = pictures.found_picture(article, name)
    stored = row.file
    row.delete()
    transaction.on_commit(lambda: stored.storage.delete(str(stored.name)))
    return found


def text_removed(sender: Any, *, ticket: Ticket, words: str, acting: Acting, **_: Any) -> None:
    """A text of a ticket was removed: what articles made of it took over goes too."""
    lines = {line.strip() for text in (words, plain_of(ticket, words)) for line in text.split("\n")}
    _remove_lines(acting, ticket, sorted(lines, key=len, reverse=True))


def _remove_lines(acting: Acting, ticket: Ticket, lines: Iterable[str]) -> None:
    removers = [words_remover(line) for line in lines if len(line) >= _OF_TICKET]

    def removes(text: str) -> str:
        for one in removers:
            text = one(text)
        return text

    for article in Article.objects.filter(source=ticket.pk):
        found = would_remove(article, removes)
        if found.versions or found.notes:
            _remove(acting, article, removes, found, f"it was removed on ticket {ticket.pk}")


def file_removed(sender: Any, *, ticket: Ticket, file: Any, acting: Acting, **_: Any) -> None:
    """A file of a ticket was removed: a picture that articles made of it show goes too."""
    made = Article.objects.filter(source=ticket.pk)
    if not file.file or not made.exists():
        return
    try:
        with file.file.open("rb") as opened:
            names = pictures.names_of(file.name, opened.read())
    except OSError:  # it is gone from the disk, and cannot be told from others
        return
    for article in made.filter(pictures__name__in=names).distinct():
        for name in article.pictures.filter(name__in=names).values_list("name", flat=True):
            _remove_picture(acting, article, name, f"it was removed on ticket {ticket.pk}")


def _check(acting: Acting, article: Article, reason: str) -> None:
    person = acting.person
    if person is None or not person.is_on_desk or not may_change(person, article):
        raise Refused("Only its author, its owner and editors remove something for good.")
    if not reason.strip():
        raise Invalid("Say why it is removed.", fields={"reason": "This is empty."})


def _remove(
    acting: Acting, article: Article, removes: Removes, found: Removal, reason: str
) -> None:
    who = acting.person.name if acting.person else "Gannet"
    said = f"something was removed by {who}: {' '.join(reason.split())}"
    for row in ArticleVersion.objects.filter(article=article, number__in=found.versions):
        row.title, row.body = removes(row.title)[:200], removes(row.body)
        row.note = "; ".join(one for one in (removes(row.note), said) if one)[:200]
        row.save(update_fields=["title", "body", "note"])
    for vote in article.votes.all():
        vote.why, vote.answer = removes(vote.why)[:500], removes(vote.answer)[:500]
        vote.save(update_fields=["why", "answer"])
    article.title, article.body = removes(article.title)[:200], removes(article.body)
    article.title_folded = fold(article.title)
    article.save(update_fields=["title", "title_folded", "body"])
    index(article)
    _remove_beside(article, removes)
    facts = {
        "article": article.pk,
        "reason": reason.strip()[:300],
        "versions": list(found.versions),
    }
    entry = audit.Entry(
        kind=ArticleEvent.WORDS_REMOVED, at=acting.now, actor_id=acting.person_id, by_desk=True,
        facts=facts, values={"article": str(article.pk)},
    )  # fmt: skip
    audit.append([entry])


def _remove_beside(article: Article, removes: Removes) -> None:
    """What was told of it, and what somebody types of it and has not saved."""
    things = ("article", "article news", "article rule")
    about = [f"{thing}:{article.pk}" for thing in things]
    for told in Notification.objects.filter(about__in=about):
        told.title, told.text = removes(told.title)[:300], removes(told.text)[:500]
        told.save(update_fields=["title", "text"])
    for call in HookCall.objects.filter(article=article):
        call.body = removes(call.body)
        call.save(update_fields=["body"])
    for draft in Draft.objects.filter(place=f"article-{article.pk}"):
        if isinstance(draft.body, dict):
            draft.body = {
                name: removes(value) if isinstance(value, str) else value
                for name, value in draft.body.items()
            }
            draft.save(update_fields=["body"])


def removal_of(article: Article, words: str, picture: str) -> Removal:
    """What removing words, or a picture, would touch."""
    if picture:
        if not article.pictures.filter(name=picture).exists():
            raise Missing("There is no such picture.")
        return would_remove(article, picture_remover(picture))
    found = would_remove(article, words_remover(words))
    return replace(found, samples=_samples(article, _pattern(words)))


def _samples(article: Article, wanted: re.Pattern[str]) -> tuple[str, ...]:
    """Some places where it stands, each once, with what stands around it."""
    texts = [text for row in article.versions.all() for text in (row.title, row.body)]
    texts += [text for row in article.votes.all() for text in (row.why, row.answer)]
    found: dict[str, None] = {}
    for text in texts:
        for match in wanted.finditer(text):
            around = text[max(0, match.start() - _AROUND) : match.end() + _AROUND]
            found[" ".join(around.split())] = None
    return tuple(found)[:_MOST_SAMPLES]
