"""Patterns: what comes more often of late than it used to, of a CI or of a service's category."""

from collections.abc import Iterable
from typing import Any

from django.db.models import Count, Q

from gannet.estate.models import ConfigItem, NoPattern, Service
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.problems.linking import problems_of
from gannet.tickets import policies
from gannet.web.errors import Conflict, Invalid
from gannet.web.given import whole_number
from gannet_core import patterns as core
from gannet_core.patterns import Counted, Pattern

_DAY = 86_400
MOST_SHOWN, MOST_READ, WEEKS = 40, 200, 14


def found(person: Person, now_s: int) -> dict[str, Any]:
    """What stands out among all that its reader may know of, strongest first, with its why.

    What somebody has said is none is left out until it has grown by half again.
    """
    seen = policies.visible_to(person).filter(kind="incident").order_by()
    recent_s = now_s - core.RECENT_DAYS * _DAY
    before_s = recent_s - core.BEFORE_DAYS * _DAY
    counts = {
        "recent": Count("id", filter=Q(opened_s__gt=recent_s)),
        "before": Count("id", filter=Q(opened_s__lte=recent_s)),
    }
    within = seen.filter(opened_s__gt=before_s, opened_s__lte=now_s)
    items = within.exclude(ci=None).values_list("ci_id").annotate(**counts)
    pairs = within.exclude(service=None).exclude(category="").values_list("service_id", "category")
    counted = [Counted(f"item-{ci}", recent, before) for ci, recent, before in items]
    counted += [
        Counted(f"service-{service}/{category}", recent, before)
        for service, category, recent, before in pairs.annotate(**counts)
    ]
    looked = core.examine(counted)
    said_no = {row.key: row for row in NoPattern.objects.all()}
    shown = [one for one in looked.patterns if not _is_dismissed(one, said_no)][:MOST_SHOWN]
    names = _names(one.key for one in shown)
    return {
        "patterns": [
            _told(one, names[one.key], person, seen, now_s) for one in shown if one.key in names
        ],
        "examined": looked.examined,
        "by_chance": round(looked.by_chance, 1),
        "dismissed": len(looked.patterns) - len(shown),
        "now_s": now_s,
    }


def dismiss(acting: Acting, key: str, count: int, why: str) -> None:
    """Say that a pattern is none; it is remembered until it has grown by half again."""
    if not why.strip():
        raise Invalid("Say why it is no pattern.", fields={"why": "A few words will do."})
    if key not in _names([key]):
        raise Conflict("This has gone meanwhile.")
    NoPattern.objects.update_or_create(
        key=key,
        defaults={
            "count": count,
            "why": why.strip()[:200],
            "by": acting.person,
            "at_s": acting.now_s,
        },
    )


def _is_dismissed(one: Pattern, said_no: dict[str, NoPattern]) -> bool:
    said = said_no.get(one.key)
    return said is not None and not core.has_grown(said.count, one.recent)


def _names(keys: Iterable[str]) -> dict[str, tuple[str, str]]:
    """What each key is called, and under what: an item and its service, a service and category."""
    parts = {}
    for key in keys:
        thing, _, category = key.partition("/")
        what, _, number = thing.partition("-")
        parts[key] = (what, whole_number(number), category)
    wanted = [(what, number) for what, number, _ in parts.values() if number is not None]
    items = ConfigItem.objects.select_related("service").in_bulk(
        [number for what, number in wanted if what == "item"]
    )
    services = Service.objects.in_bulk([number for what, number in wanted if what == "service"])
    named = {}
    for key, (what, pk, category) in parts.items():
        if what == "item" and pk in items and not category:
            item = items[pk]
            named[key] = (item.name, item.service.name if item.service else item.kind)
        elif what == "service" and pk in services and category:
            named[key] = (f"{services[pk].name}, {category}", "service and category")
    return named


def _told(
    one: Pattern, name: tuple[str, str], person: Person, seen: Any, now_s: int
) -> dict[str, Any]:
    """A pattern with its incidents, their common words, and how it went week by week."""
    thing, _, category = one.key.partition("/")
    number = int(thing.partition("-")[2])
    whose = Q(service=number, category=category) if category else Q(ci=number)
    rows = list(
        seen.filter(whose, opened_s__gt=now_s - WEEKS * 7 * _DAY, opened_s__lte=now_s)
        .order_by("-opened_s")
        .values_list("id", "title", "opened_s")[:MOST_READ]
    )
    recent = [row for row in rows if row[2] > now_s - core.RECENT_DAYS * _DAY]
    belongs = problems_of(row[0] for row in recent)
    known = set(
        policies.visible_to(person)
        .filter(pk__in=set(belongs.values()))
        .values_list("pk", flat=True)
    )
    belongs = {pk: problem for pk, problem in belongs.items() if problem in known}
    weeks = [0] * WEEKS
    for _, _, opened_s in rows:
        weeks[max(0, WEEKS - 1 - (now_s - opened_s) // (7 * _DAY))] += 1
    return {
        "key": one.key,
        "name": name[0],
        "of": name[1],
        "count": one.recent,
        "usual": round(one.usual, 1),
        "p": core.rounded(one.p),
        "once_in": one.once_in,
        "words": [
            {"word": word, "count": count}
            for word, count in core.common_words([title for _, title, _ in recent])
        ],
        "weeks": weeks,
        "incidents": [
            {"id": pk, "title": title, "opened_s": opened_s, "problem": belongs.get(pk)}
            for pk, title, opened_s in recent
        ],
    }
