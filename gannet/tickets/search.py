"""Full-text search over tickets: the one module that speaks SQLite's FTS5.

A row of the index holds the words of a ticket's title and of everything that was said on
it, cut into words by the core, so that the list and `has words` in the core agree to the
letter. It is desk-only: what a requester may search never comes from here.
"""

from collections.abc import Iterable
from typing import Any

from django.db import connection, models, transaction
from django.db.models import QuerySet
from django.db.models.expressions import RawSQL

from gannet.audit.models import Event
from gannet.tickets.models import Ticket
from gannet.web.kept import Givens, KeptQueries
from gannet_core.conditions import words_of

# A very common word is in hundreds of thousands of tickets: the newest ones are looked at.
MOST_FOUND = 20_000
# So many have a word that it says little about any of them.
COMMON = 3_000
_LONGEST = 200_000
_AT_ONCE = 2_000

# The words are not kept beside the index: what was said stands in the log.
CREATE = "CREATE VIRTUAL TABLE ticket_words USING fts5(title, talk, content='', prefix='2 3')"
DROP = "DROP TABLE ticket_words"
_PUT = "INSERT INTO ticket_words(rowid, title, talk) VALUES (%s, %s, %s)"
_EMPTY = "INSERT INTO ticket_words(ticket_words) VALUES ('delete-all')"
# Without the words themselves the index has to be told what to forget.
_TAKE = "INSERT INTO ticket_words(ticket_words, rowid, title, talk) VALUES ('delete', %s, %s, %s)"


def add(ticket_id: int, title: str, texts: Iterable[str]) -> None:
    """Index a ticket that has just been logged."""
    with connection.cursor() as cursor:
        cursor.execute(_PUT, [ticket_id, _cut(title), _cut("\n".join(texts))])


def more(ticket_id: int, titles: tuple[str, str], since: int) -> None:
    """Index what has been said on a ticket from an event on, and its title: (before, now)."""
    said = _kept.rows("said", _said_on, {"ticket": ticket_id})
    before = _cut("\n".join(text for number, text in said if number < since))
    now = _cut("\n".join(text for _, text in said))
    with connection.cursor() as cursor:
        cursor.execute(_TAKE, [ticket_id, _cut(titles[0]), before])
        cursor.execute(_PUT, [ticket_id, _cut(titles[1]), now])


def forget(ticket_id: int, title: str) -> None:
    """Take a ticket out of the index, before something that is in it is removed."""
    texts = (text for _, text in _kept.rows("said", _said_on, {"ticket": ticket_id}))
    with connection.cursor() as cursor:
        cursor.execute(_TAKE, [ticket_id, _cut(title), _cut("\n".join(texts))])


def again(ticket_id: int, title: str) -> None:
    """Index a ticket that was forgotten, from what is kept of it."""
    add(ticket_id, title, (text for _, text in _kept.rows("said", _said_on, {"ticket": ticket_id})))


_kept = KeptQueries()


def _said_on(givens: Givens) -> QuerySet[Any, Any]:
    said = Event.objects.filter(ticket_id=givens["ticket"]).exclude(text="").order_by("id")
    return said.values_list("id", "text")


def fill_if_empty() -> int:
    """Index an installation that had tickets before it had an index."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1 FROM ticket_words LIMIT 1")
        is_filled = cursor.fetchone() is not None
    return 0 if is_filled or not Ticket.objects.exists() else rebuild()


def empty_without_tickets() -> None:
    """Empty the index of an installation whose tickets are all gone, or were never there."""
    tables = connection.introspection.table_names()
    if "ticket_words" in tables and not Ticket.objects.exists():
        with connection.cursor() as cursor:
            cursor.execute(_EMPTY)


def rebuild() -> int:
    """Index every ticket anew; returns how many."""
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute(_EMPTY)
        return fill(Ticket, Event)


def fill(tickets: Any, events: Any) -> int:
    """Index every ticket of an empty index; the models may be those of a migration."""
    count, last = 0, 0
    with connection.cursor() as cursor:
        while some := dict(
            tickets.objects.filter(pk__gt=last).order_by("pk").values_list("pk", "title")[:_AT_ONCE]
        ):
            said = events.objects.filter(ticket_id__in=list(some)).exclude(text="").order_by("id")
            talk: dict[int, list[str]] = {}
            for number, text in said.values_list("ticket_id", "text"):
                talk.setdefault(number, []).append(text)
            cursor.executemany(
                _PUT,
                [(n, _cut(title), _cut("\n".join(talk.get(n, ())))) for n, title in some.items()],
            )
            count, last = count + len(some), max(some)
    return count


def having(words: str) -> RawSQL | None:
    """The numbers of the tickets that have all these words, as a subquery; None for no word."""
    wanted = words_of(words)
    if not wanted:
        return None
    return RawSQL(
        "SELECT rowid FROM ticket_words WHERE ticket_words MATCH %s ORDER BY rowid DESC LIMIT %s",
        [_match(wanted, " AND "), MOST_FOUND],
        output_field=models.BigIntegerField(),
    )


def is_capped(words: str) -> bool:
    """Whether so many tickets have the words that only the newest are looked at."""
    wanted = words_of(words)
    if not wanted:
        return False
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT count(*) FROM (SELECT rowid FROM ticket_words WHERE ticket_words MATCH %s"
            " LIMIT %s)",
            [_match(wanted, " AND "), MOST_FOUND + 1],
        )
        return bool(cursor.fetchone()[0] > MOST_FOUND)


def ranked(words: str, most: int, *, any_word: bool = False) -> list[tuple[int, float]]:
    """The best matches, (number, score) with the best first; the title counts most.

    What very many tickets have tells none of them apart, and to weigh it every one would be
    read: where a word is so common, those with it in the title come first, the newest first.
    With `any_word` only the rarest six words are asked.
    """
    wanted = list(dict.fromkeys(words_of(words)))
    if any_word:
        wanted = [word for word in wanted if len(word) > 2]
    counted = sorted((count, word) for word in wanted[:40] if (count := _count(word)))
    rare = [word for count, word in counted if count < COMMON]
    if any_word and rare:
        return _weighed(_match(rare[:6], " OR "), most)
    if any_word:
        wanted = [word for _, word in counted[:2]]
    if not wanted:
        return []
    if len(rare) < len(wanted):
        return _newest(wanted, most)
    return _weighed(_match(wanted, " AND "), most)


def _count(word: str) -> int:
    """How many tickets have a word that begins so; no further than where it is common."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT count(*) FROM (SELECT rowid FROM ticket_words WHERE ticket_words MATCH %s"
            " LIMIT %s)",
            [_match([word], ""), COMMON],
        )
        return int(cursor.fetchone()[0])


def _weighed(match: str, most: int) -> list[tuple[int, float]]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT rowid, bm25(ticket_words, 4.0, 1.0) AS score FROM ticket_words"
            " WHERE ticket_words MATCH %s ORDER BY score LIMIT %s",
            [match, most],
        )
        return [(number, -score) for number, score in cursor.fetchall()]


def _newest(words: list[str], most: int) -> list[tuple[int, float]]:
    """The newest with all the words: in the title, anywhere, and then as beginnings of words."""
    whole, begun = " AND ".join(f'"{word}"' for word in words), _match(words, " AND ")
    found: dict[int, float] = {}
    with connection.cursor() as cursor:
        for weight, match in ((2.0, f"title : ({whole})"), (1.0, whole), (0.5, begun)):
            if len(found) >= most:
                break
            cursor.execute(
                "SELECT rowid FROM ticket_words WHERE ticket_words MATCH %s"
                " ORDER BY rowid DESC LIMIT %s",
                [match, most],
            )
            for (number,) in cursor.fetchall():
                found.setdefault(number, weight)
    return list(found.items())[:most]


def _match(words: list[str], between: str) -> str:
    return between.join(f'"{word}"*' for word in words)


def _cut(text: str) -> str:
    return " ".join(words_of(text[:_LONGEST]))
