"""What the rulebook's rules for articles do when one is published, retired or did not help."""

from collections.abc import Iterable, Mapping
from typing import Any

from django.db.models import QuerySet
from django.utils import timezone

from gannet.knowledge import actions, links
from gannet.knowledge.models import Article, ArticleRuling, ArticleState, ArticleVote
from gannet.knowledge.search import readable
from gannet.messages import hooks, notices
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.upkeep.wants import votes_of
from gannet_core import article_rules as core
from gannet_core.conditions import Context, evaluate
from gannet_core.instants import instant_of
from gannet_core.tasks import filled

EVENT = "article rule"
_DAY = 86_400
_FOR = {links.DESK: "the desk", links.EVERYBODY: "everybody", links.SOME: "some"}
_MOMENTS = {
    ArticleState.RETIRED: core.RETIRED,
    ArticleState.IN_REVIEW: core.TO_REVIEW,
}


def published(sender: Any, *, article: Article, acting: Acting, **_: Any) -> None:
    """A version became what readers see."""
    run(article, core.PUBLISHED, acting)


def state_set(sender: Any, *, article: Article, acting: Acting, **_: Any) -> None:
    """An article went into review, or was retired."""
    moment = _MOMENTS.get(ArticleState(article.state))
    if moment is not None:
        run(article, moment, acting)


def judged(acting: Acting, vote: ArticleVote, was_disputed: bool, is_disputed: bool) -> None:
    """Somebody said that an article did not help; that may make it disputed."""
    if vote.helped:
        return
    run(vote.article, core.DID_NOT_HELP, acting, vote)
    if is_disputed and not was_disputed:
        run(vote.article, core.DISPUTED, acting, vote)


def run(article: Article, moment: str, acting: Acting, vote: ArticleVote | None = None) -> None:
    """Run the rules that wait for a moment, in the caller's transaction, and keep what they did."""
    book = current()
    record = record_of(article, votes_of([article]), vote.why if vote else "")
    context = Context(now=instant_of(acting.now_s))
    for ruled in core.run(book.article_rules, moment, record, context):
        if not ruled.matched:
            continue
        did = [_does(article, action, ruled, acting, vote) for action in ruled.actions]
        ArticleRuling.objects.create(
            article=article, at_s=acting.now_s, moment=moment, rule=ruled.key,
            name=ruled.name[:120], because=ruled.because[:300], did=did,
        )  # fmt: skip


def record_of(
    article: Article, votes: Mapping[tuple[int, int], tuple[int, int]], why: str = ""
) -> dict[str, Any]:
    """An article as the conditions of rules read it."""
    yes, no = votes.get((article.pk, article.version), (0, 0))
    return {
        "title": article.title,
        "kind": article.kind,
        "category": article.category,
        "service": article.service.name if article.service else None,
        "owner": article.owner.name if article.owner else None,
        "for": _FOR[article.for_everybody],
        "language": article.language,
        "version": article.version,
        "helped": yes,
        "not helped": no,
        "why": why,
    }


def fitting(tree: Mapping[str, Any]) -> list[Article]:
    """The published articles that a condition is true of now."""
    rows = list(
        Article.objects.filter(state=ArticleState.PUBLISHED)
        .select_related("service", "owner")
        .order_by("title_folded", "pk")
    )
    votes, context = votes_of(rows), Context(now=timezone.now())
    return [row for row in rows if evaluate(tree, record_of(row, votes), {}, context).result]


def _does(
    article: Article,
    action: Mapping[str, Any],
    ruled: core.Ruled,
    acting: Acting,
    vote: ArticleVote | None,
) -> str:
    """Do what a rule wants done; says what was done."""
    if action["do"] == "notify":
        told = _tell(article, action, acting, vote)
        return f"told {', '.join(told)}" if told else "told nobody: none of them may read it"
    if action["do"] == "webhook":
        hook = current().hooks.get(action["hook"])
        if hook is None:
            return f"did not post it: there is no webhook “{action['hook']}”"
        hooks.queue_article(hook, article, ruled.key, acting.now_s)
        return f"posted it to {hook['name']}"
    due_s = acting.now_s + int(action["days"]) * _DAY
    if article.review_s is None or due_s < article.review_s:
        article.review_s = due_s
        article.save(update_fields=["review_s"])
    return core.describe_action(action)


def _tell(
    article: Article, action: Mapping[str, Any], acting: Acting, vote: ArticleVote | None
) -> list[str]:
    """Tell those who may read it, but for whoever did it; returns their names."""
    values = {
        "title": article.title,
        "number": str(article.pk),
        "reader": vote.person.name if vote else "somebody",
        "why": (vote.why if vote else "") or "…",
    }
    title, _ = filled(str(action["text"]), values)
    told = []
    for person in _people(article, action["who"]):
        if person.pk == acting.person_id or not readable(person).filter(pk=article.pk).exists():
            continue
        about = f"article rule:{article.pk}"
        notices.notify(person, EVENT, about, title, acting.now_s, text=vote.why if vote else "")
        told.append(person.name)
    return told


def _people(article: Article, who: Iterable[str]) -> list[Person]:
    """The people behind what stands for them, team names and addresses, each once."""
    found: dict[int, Person] = {}
    for name in who:
        for person in _named(article, name):
            if person.is_active:
                found.setdefault(person.pk, person)
    return list(found.values())


def _named(article: Article, name: str) -> Iterable[Person]:
    people: QuerySet[Person] = Person.objects.filter(is_active=True).order_by("name")
    match name:
        case "owner":
            return [article.owner] if article.owner else []
        case "author":
            return [article.author]
        case "editors":
            return [one for one in people if actions.is_editor(one) and one.is_on_desk]
        case "followers":
            return people.filter(pk__in=article.followers.values("person"))
    if "@" in name:
        return people.filter(email=name.casefold())
    return people.filter(memberships__team__name=name).distinct()


def rulings_of(article: Article) -> list[dict[str, Any]]:
    """What rules did to an article, the latest first."""
    return [
        {
            "at_s": row.at_s,
            "moment": row.moment,
            "name": row.name,
            "because": row.because,
            "did": row.did,
        }
        for row in ArticleRuling.objects.filter(article=article).order_by("-at_s", "-pk")[:20]
    ]
