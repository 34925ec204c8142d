"""What keeps knowledge true: what is disputed, stale, due for review, sought in vain, or saves."""

from collections import defaultdict
from collections.abc import Iterable
from typing import Any

from django.db.models import Count, Exists, Max, OuterRef, Q

from gannet.knowledge import readers
from gannet.knowledge.links import with_lost_links
from gannet.knowledge.models import (
    Article,
    ArticleRead,
    ArticleState,
    ArticleVote,
    SameWords,
    Search,
)
from gannet.knowledge.translations import behind
from gannet.tickets.models import Ticket
from gannet.upkeep.altered import altered
from gannet.upkeep.followed import fixed_since
from gannet.upkeep.shapes import WANTS
from gannet_core import knowledge as core
from gannet_core.conditions import words_of

SPAN_S, STALE_S, SOON_S = 30 * 86_400, 180 * 86_400, 14 * 86_400
MOST_SHOWN, MOST_SEARCHES = 60, 20_000
SAME_SPAN_S, MOST_SAME = 90 * 86_400, 6
# Disputed: so many were not helped by the version that is read, and fewer than so were.
DISPUTED_FROM, DISPUTED_BELOW = 3, 0.6
ALIKE_FROM, MOST_COMPARED = 0.55, 400
_WEEKS = SPAN_S / (7 * 86_400)


def upkeep(now_s: int) -> dict[str, Any]:
    """Everything that wants a hand, each with why."""
    published = list(
        Article.objects.filter(state=ArticleState.PUBLISHED).select_related("owner", "service")
    )
    wanting = _wanting_of(published, now_s)
    saving = saved_by(published, now_s)
    return {
        "wanting": wanting[:MOST_SHOWN],
        "wanting_count": len(wanting),
        "published": len(published),
        "not_found": _not_found(now_s),
        "saved": saving[:8],
        "saved_count": sum(one["saved"] for one in saving),
        "alike": _alike(published),
        "same": _suggested_same(now_s),
        "waiting": Article.objects.filter(state=ArticleState.IN_REVIEW).count(),
        "now_s": now_s,
    }


def wanting(now_s: int) -> list[dict[str, Any]]:
    """Every article that wants a hand, with why."""
    published = Article.objects.filter(state=ArticleState.PUBLISHED).select_related("owner")
    return _wanting_of(list(published), now_s)


def _wanting_of(published: list[Article], now_s: int) -> list[dict[str, Any]]:
    votes, reads = votes_of(published), _reads(now_s)
    lost, touched = with_lost_links(published), altered(published, now_s)
    fixed, late = fixed_since(published), behind(published)
    found = []
    for article in published:
        one = _wanting(article, votes, reads, now_s)
        one["why"] += [
            {"what": "lost link", "note": f"to {each.title}: {each.why}"}
            for each in lost.get(article.pk, ())
        ]
        one["why"] += [
            {"what": "altered since", "note": said} for said in touched.get(article.pk, ())
        ]
        if article.pk in late:
            one["why"].append({"what": "translation behind", "note": late[article.pk]})
        if article.pk in fixed:
            one["why"].append({"what": "fixed since", "note": fixed[article.pk]})
        if one["why"]:
            found.append(one)
    found.sort(key=lambda one: (_ORDER.index(one["why"][0]["what"]), -one["a_week"], one["id"]))
    return found


_ORDER = WANTS


def votes_of(articles: Iterable[Article]) -> dict[tuple[int, int], tuple[int, int]]:
    """How many each version helped, and how many it did not: by article and version."""
    rows = ArticleVote.objects.filter(article__in=[one.pk for one in articles]).order_by()
    counted = rows.values_list("article", "version").annotate(
        yes=Count("pk", filter=Q(helped=True)), no=Count("pk", filter=Q(helped=False))
    )
    return {(number, version): (yes, no) for number, version, yes, no in counted}


def _reads(now_s: int) -> dict[int, tuple[int, int]]:
    """How often each was read in the span, and when last."""
    rows = (
        ArticleRead.objects.order_by()
        .values_list("article")
        .annotate(many=Count("pk", filter=Q(at_s__gt=now_s - SPAN_S)), last=Max("at_s"))
    )
    return {number: (many, last) for number, many, last in rows}


def _wanting(
    article: Article, votes: Any, reads: dict[int, tuple[int, int]], now_s: int
) -> dict[str, Any]:
    yes, no = votes.get((article.pk, article.version), (0, 0))
    many, last = reads.get(article.pk, (0, article.made_s))
    low, high = core.interval(yes, no)
    why: list[dict[str, Any]] = []
    if is_disputed(yes, no):
        why.append({"what": "disputed", "note": f"since version {article.version}"})
    if article.review_s is not None and article.review_s < now_s:
        down = round(100 * (1 - core.freshness(article.review_s, now_s)))
        why.append({"what": "review late", "note": f"ranks {down} % lower until reviewed"})
    if article.owner is None or not article.owner.is_active:
        why.append({"what": "owner left", "note": "nobody answers for it"})
    if article.review_s is not None and now_s <= article.review_s < now_s + SOON_S:
        why.append({"what": "review soon", "note": ""})
    if last < now_s - STALE_S:
        days = (now_s - last) // 86_400
        why.append({"what": "stale", "note": f"read by nobody for {days} days"})
    return {
        "id": article.pk,
        "title": article.title,
        "why": why,
        "a_week": round(many / _WEEKS, 1),
        "helped": yes,
        "not_helped": no,
        "low": low,
        "high": high,
        "review_s": article.review_s,
        "owner": article.owner.name if article.owner else "",
    }


def is_disputed(yes: int, no: int) -> bool:
    """Whether too many were not helped by a version: `yes` and `no` are how many were, were not."""
    return no >= DISPUTED_FROM and yes / (yes + no) < DISPUTED_BELOW


def _not_found(now_s: int) -> list[dict[str, Any]]:
    # Whichever way they asked the desk then: by the portal, by mail, by phone.
    asked = Ticket.objects.filter(
        kind="incident", requester=OuterRef("person"), opened_s__gte=OuterRef("at_s"),
        opened_s__lte=OuterRef("at_s") + readers.BECAME_TICKET_S,
    )  # fmt: skip
    searches = Search.objects.filter(at_s__gt=now_s - SPAN_S).annotate(was_asked=Exists(asked))
    rows = searches.order_by("-at_s")[:MOST_SEARCHES]
    said: dict[str, str] = {}
    sought = []
    for row in rows:
        said.setdefault(row.words, row.said)
        sought.append(
            core.Sought(row.words, row.person_id, row.best, row.became_ticket or row.was_asked)
        )
    found = core.not_found(sought, enough=readers.ENOUGH)
    return [
        {"words": said[one.words], "people": one.people, "asked": one.asked} for one in found[:12]
    ]


def _suggested_same(now_s: int) -> list[dict[str, Any]]:
    """Words that may mean the same on this desk, by how people searched again."""
    rows = Search.objects.filter(at_s__gt=now_s - SAME_SPAN_S).order_by("-at_s")[:MOST_SEARCHES]
    tried = [
        core.Tried(row.person_id, tuple(row.words.split()), row.at_s, row.best >= readers.ENOUGH)
        for row in rows
    ]
    known = [[word for one in row for word in words_of(one)]
             for row in SameWords.objects.values_list("words", flat=True)]  # fmt: skip
    return [
        {"said": said, "meant": meant, "people": people}
        for said, meant, people in core.suggested_same(tried, known)[:MOST_SAME]
    ]


def saved_by(articles: Iterable[Article], now_s: int) -> list[dict[str, Any]]:
    """How many tickets each article saved in the span, most first (§21)."""
    known = {one.pk: one for one in articles}
    since_s = now_s - SPAN_S
    logged: defaultdict[int, list[tuple[int, int | None]]] = defaultdict(list)
    rows = ArticleRead.objects.filter(
        is_found=True, at_s__gt=since_s, at_s__lte=now_s - core.SAVED_WITHIN_S
    )
    reads: defaultdict[int, list[tuple[int, int, int | None]]] = defaultdict(list)
    people = set()
    for number, person, at_s in rows.values_list("article", "person", "at_s"):
        if number in known:
            reads[number].append((person, at_s, known[number].service_id))
            people.add(person)
    opened = Ticket.objects.filter(requester__in=people, opened_s__gt=since_s)
    for person, opened_s, service in opened.values_list("requester", "opened_s", "service"):
        logged[person].append((opened_s, service))
    found = [
        {"id": number, "title": known[number].title, "saved": core.saved(some, logged)}
        for number, some in reads.items()
    ]
    found = [one for one in found if one["saved"]]
    return sorted(found, key=lambda one: (-int(str(one["saved"])), one["id"]))


def _alike(articles: list[Article]) -> list[dict[str, Any]]:
    """Pairs of articles that say much the same, by the words of their titles and texts."""
    bags = [(one, frozenset(words_of(f"{one.title} {one.body}"))) for one in articles]
    bags = sorted(bags, key=lambda pair: pair[0].pk)[:MOST_COMPARED]
    found = []
    for place, (one, words) in enumerate(bags):
        for other, more in bags[place + 1 :]:
            if min(len(words), len(more)) < 0.5 * max(len(words), len(more)):
                continue
            if (one.original_id or one.pk) == (other.original_id or other.pk):
                continue  # the same in two languages
            share = core.likeness(words, more)
            if share >= ALIKE_FROM:
                found.append({"one": one.pk, "other": other.pk, "share": round(share, 2)})
    return sorted(found, key=lambda pair: -float(str(pair["share"])))[:10]
