"""Articles that speak of what a change has altered since they were looked at."""

from collections import defaultdict
from collections.abc import Sequence

from gannet.changes.models import ChangeFacts, ChangeItem
from gannet.knowledge.actions import REVIEW_AFTER_S
from gannet.knowledge.models import Article
from gannet_core.conditions import words_of

_ALTERS = ("done", "with issues")
SPAN_S, MOST_CHANGES, MOST_OF_ONE = 60 * 86_400, 500, 3


def altered(articles: Sequence[Article], now_s: int) -> dict[int, list[str]]:
    """What changes have altered that articles name, by article: “change 4711 altered till-07”.

    Changes that ended well in the last 60 days, after the article was written or reviewed last.
    """
    ended = ChangeFacts.objects.filter(
        outcome__in=_ALTERS,
        ended_s__gt=now_s - SPAN_S,
        ended_s__lte=now_s,
        ticket__is_confidential=0,
    )
    rows = ended.order_by("-ended_s").values_list("ticket", "ended_s")[:MOST_CHANGES]
    ends = {number: ended_s or 0 for number, ended_s in rows}
    touched = ChangeItem.objects.filter(ticket__in=ends).values_list("ticket", "item__name")
    by_name: defaultdict[str, list[int]] = defaultdict(list)
    for number, name in touched:
        by_name[name].append(number)
    names = {name: tuple(words_of(name)) for name in by_name}
    found: dict[int, list[str]] = {}
    for article in articles if names else ():
        words = words_of(f"{article.title} {article.body}")
        there, text = frozenset(words), f" {' '.join(words)} "
        looked_s = max(article.changed_s, (article.review_s or 0) - REVIEW_AFTER_S)
        said = [
            f"change {max(numbers)} altered {name}"
            for name, parts in names.items()
            if parts and parts[0] in there and f" {' '.join(parts)} " in text
            and (numbers := [one for one in by_name[name] if ends[one] > looked_s])
        ]  # fmt: skip
        if said:
            found[article.pk] = sorted(said)[:MOST_OF_ONE]
    return found
