"""What an article of a known error follows: how it stands, and what helps until it is fixed."""

from collections.abc import Iterable
from typing import Any

from gannet.knowledge import search
from gannet.knowledge.models import Article, ArticleKind
from gannet.people.models import Person
from gannet.problems.models import KIND, ProblemFacts
from gannet.tickets.policies import visible_to


def followed(article: Article, reader: Person) -> dict[str, Any] | None:
    """The known error behind an article, as it stands now, for one reader.

    Outside the desk its workaround is shown where it is offered on the portal; of what is
    confidential only those who may know of it are shown anything.
    """
    if article.kind != ArticleKind.KNOWN_ERROR or article.source_id is None:
        return None
    facts = (
        ProblemFacts.objects.select_related("ticket")
        .filter(ticket=article.source_id, ticket__kind=KIND, known_s__isnull=False)
        .first()
    )
    if facts is None:
        return None
    problem, is_desk = facts.ticket, reader.is_on_desk
    if problem.is_confidential and not visible_to(reader).filter(pk=problem.pk).exists():
        return None
    shows = is_desk or bool(facts.is_for_portal)
    return {
        "problem": problem.pk if is_desk else None,
        "workaround": facts.workaround if shows else "",
        "since_s": facts.workaround_s,
        "ended_s": None if problem.is_open else problem.resolved_s or problem.closed_s,
    }


def said_beside(article: Article) -> str:
    """What everybody who reads an article of a known error reads of it too: for the search.

    What only the desk reads is left out, or words would give it away.
    """
    if article.kind != ArticleKind.KNOWN_ERROR or article.source_id is None:
        return ""
    facts = ProblemFacts.objects.filter(
        ticket=article.source_id, ticket__kind=KIND, ticket__is_confidential=False,
        known_s__isnull=False, is_for_portal=1,
    )  # fmt: skip
    return next(iter(facts.values_list("workaround", flat=True)), "")


def index_again(sender: Any, *, instance: ProblemFacts, **_: Any) -> None:
    """What is known of a problem was changed: its articles are found by the new words."""
    following = Article.objects.filter(kind=ArticleKind.KNOWN_ERROR, source=instance.ticket_id)
    for article in following:
        search.index(article)


def fixed_since(articles: Iterable[Article]) -> dict[int, str]:
    """Of articles about known errors that are over: which problem it was."""
    following = {
        one.pk: one.source_id for one in articles
        if one.kind == ArticleKind.KNOWN_ERROR and one.source_id is not None
    }  # fmt: skip
    over = ProblemFacts.objects.filter(
        ticket__in=following.values(), ticket__is_open=False, ticket__is_confidential=False
    )
    ended = set(over.values_list("ticket", flat=True))
    return {
        number: f"problem {source} is over"
        for number, source in following.items()
        if source in ended
    }
