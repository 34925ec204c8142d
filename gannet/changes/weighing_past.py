"""Past changes weighed again: would other weights have flagged those that failed?

Each is weighed by what is known of it: what its items reach today, its window and freeze, its
notice, its back-out plan and test, who did it, and how changes of its template or its items
had gone before it. Both settings are asked of the same, so that what differs is the weights.
"""

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from gannet.changes import covering
from gannet.changes.models import KIND, ChangeFacts, ChangeItem, facts_of
from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import node_of, web
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets import policies
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core import risk
from gannet_core.changes import BACK_OUT, Settings, read_settings
from gannet_core.errors import RiskError
from gannet_core.risk import RATINGS, Affected, Circumstances, Track
from gannet_core.windows import FREEZE

MOST_PAST, MOST_MISSED = 2000, 30
FAILED = ("failed", "backed out")
_DAY = 86_400


@dataclass(frozen=True)
class Case:
    """A past change as it is weighed: what it reached, its record then, its circumstances."""

    ticket: Ticket
    outcome: str
    affected: Sequence[Affected]
    track: Track
    circumstances: Mapping[str, Any]
    notice_s: int

    def points(self, settings: Settings) -> int:
        """Its points of risk by some settings."""
        short = self.notice_s < settings.lead_hours * 3600
        asked = Circumstances(**self.circumstances, lead_time_short=short)
        return risk.score(self.affected, self.track, asked, settings.model).points


def weigh_again(reader: Person, book: Book, document: Mapping[str, Any]) -> dict[str, Any]:
    """How past changes rate by the settings in force, and by those of `document`."""
    try:
        wanted = read_settings(document)
    except (ValueError, TypeError, KeyError, AttributeError) as error:
        raise Invalid("These are no settings of changes.") from error
    bounds = wanted.model.thresholds
    if list(bounds) != sorted(set(bounds)):
        raise Invalid("Each threshold is above the one before.", fields={"changes": "thresholds"})
    found = cases(book)
    try:
        now = [(one, one.points(book.changes)) for one in found]
        then = [(one, one.points(wanted)) for one in found]
    except RiskError as error:
        raise Invalid(f"It cannot be weighed: {error}") from error
    missed = [
        (one, before, after)
        for (one, before), (_, after) in zip(now, then, strict=True)
        if one.outcome in FAILED and wanted.model.rating(after) == RATINGS[0]
    ]
    shown = missed[:MOST_MISSED]
    seen = set(
        policies.visible_to(reader)
        .filter(pk__in=[one.ticket.pk for one, _, _ in shown])
        .values_list("pk", flat=True)
    )
    return {
        "n": len(found),
        "in_force": _counted(now, book.changes),
        "wanted": _counted(then, wanted),
        "missed": [
            {
                "id": one.ticket.pk,
                "title": one.ticket.title if one.ticket.pk in seen else "",
                "outcome": one.outcome,
                "before": before,
                "after": after,
            }
            for one, before, after in shown
        ],
        "missed_count": len(missed),
    }


def _counted(weighed: Iterable[tuple[Case, int]], settings: Settings) -> dict[str, Any]:
    """How many fall into each rating, and how many of those failed or went well."""
    rows = [(settings.model.rating(points), one.outcome) for one, points in weighed]
    by_rating = Counter(rating for rating, _ in rows)
    failed = Counter(rating for rating, outcome in rows if outcome in FAILED)
    issues = Counter(rating for rating, outcome in rows if outcome == "with issues")
    low = RATINGS[0]
    return {
        "ratings": [
            {
                "rating": rating,
                "n": by_rating[rating],
                "failed": failed[rating],
                "with_issues": issues[rating],
            }
            for rating in RATINGS
        ],
        "failed": sum(failed.values()),
        "failed_flagged": sum(failed.values()) - failed[low],
        "well": sum(outcome == "done" for _, outcome in rows),
        "well_flagged": sum(rating != low and outcome == "done" for rating, outcome in rows),
    }


def cases(book: Book) -> list[Case]:
    """The past changes, oldest first, each as it can be weighed."""
    rows = list(
        Ticket.objects.filter(kind=KIND, change_facts__outcome__gt="")
        .exclude(change_facts__starts_s=None)
        .select_related("change_facts", "service")
        .order_by("-change_facts__ended_s")[:MOST_PAST]
    )[::-1]
    items: dict[int, list[ConfigItem]] = defaultdict(list)
    touched = ChangeItem.objects.filter(ticket__in=[row.pk for row in rows])
    for touching in touched.select_related("item__service").order_by("id"):
        items[touching.ticket_id].append(touching.item)
    reach = _Reach()
    windows = _Windows(book, {one.pk: one for some in items.values() for one in some}.values())
    before: dict[str, Counter[str]] = defaultdict(Counter)
    done: set[tuple[int | None, int | None]] = set()
    found = []
    for row in rows:
        facts, mine = facts_of(row), items[row.pk]
        marks = [f"template {facts.template}"] if facts.template else []
        marks += [f"item {one.pk}" for one in mine]
        past = max((before[mark] for mark in marks), key=lambda one: one.total(), default=Counter())
        who = (row.holder_id, row.service_id)
        found.append(
            Case(
                row,
                facts.outcome,
                reach.of(mine),
                Track(past.total(), past["failed"] + past["backed out"], past["with issues"]),
                _circumstances(facts, mine, windows, is_first=who not in done),
                (facts.starts_s or 0) - (facts.submitted_s or row.opened_s),
            )
        )
        done.add(who)
        for mark in marks:
            before[mark][facts.outcome] += 1
    return found


def _circumstances(
    facts: ChangeFacts, items: Sequence[ConfigItem], windows: "_Windows", *, is_first: bool
) -> dict[str, Any]:
    starts, ends = facts.starts_s or 0, facts.ends_s or facts.starts_s or 0
    return {
        "in_freeze": windows.is_frozen(items, starts, ends),
        "outside_window": windows.is_outside(items, starts, ends),
        "no_backout": all(step.part != BACK_OUT for step in facts.plan()),
        "untested": not facts.tried.strip(),
        "first_on_service": is_first,
        "items": len(items),
    }


class _Reach:
    """What items reach today, worked out once for the same items."""

    def __init__(self) -> None:
        self._services = {node_of(one): one for one in Service.objects.all()}
        self._known: dict[frozenset[str], list[Affected]] = {}

    def of(self, items: Sequence[ConfigItem]) -> list[Affected]:
        nodes = frozenset(node_of(one) for one in items)
        if nodes not in self._known:
            reached = web().stopped(nodes).reach
            self._known[nodes] = [
                Affected(self._services[name].criticality, Fraction(share), name)
                for name, share in reached.items()
                if name in self._services
            ]
        return self._known[nodes]


class _Windows:
    """The windows of each item and all freezes, over the whole time that is looked at."""

    def __init__(self, book: Book, items: Iterable[ConfigItem]) -> None:
        past = ChangeFacts.objects.exclude(outcome="").exclude(starts_s=None)
        starts = past.order_by("starts_s").values_list("starts_s", flat=True).first() or 0
        ends = past.order_by("-starts_s").values_list("starts_s", flat=True).first() or 0
        span = (starts - _DAY, ends + 30 * _DAY)
        self._open = covering.windows_of(book, items, *span)
        self._frozen = [
            (a, b, one.is_for_all, set(one.entry.get("services") or ()))
            for one in covering.openings(book, FREEZE)
            for a, b in one.window.spans(*span)
        ]

    def is_outside(self, items: Sequence[ConfigItem], starts: int, ends: int) -> bool:
        for item in items:
            spans = self._open.get(node_of(item))
            if spans is not None and not any(a <= starts and ends <= b for a, b in spans):
                return True
        return False

    def is_frozen(self, items: Sequence[ConfigItem], starts: int, ends: int) -> bool:
        named = {one.service.name for one in items if one.service is not None}
        return any(
            a < ends and starts < b and (is_for_all or named & services)
            for a, b, is_for_all, services in self._frozen
        )
