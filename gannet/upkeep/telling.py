"""Owners hear once a week which of their articles want a hand."""

from collections import defaultdict
from datetime import datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db import transaction

from gannet.knowledge.models import Article
from gannet.messages.letters import Letter, post
from gannet.people.models import Person
from gannet.upkeep import wants
from gannet_core.instants import instant_of, seconds_of

TELLS_AT = time(7, 0)  # on Mondays, in the organisation's zone
# Told later than this it is told a week later: a letter of Monday is none on Friday.
_WITHIN_S = 2 * 86_400
EVENT = "articles to look after"
_SHOWN = 12
_WORDS = {
    "disputed": "did not help its readers",
    "review late": "is late for its review",
    "review soon": "is to be reviewed within two weeks",
    "lost link": "has a link that leads nowhere",
    "altered since": "speaks of what a change has altered",
    "fixed since": "is about a known error that is over",
    "translation behind": "says less than the article it is a translation of",
    "stale": "has been read by nobody for half a year",
}

_told: set[int] = set()


def week_of(now_s: int) -> int:
    """When the week's letters were due: the last Monday at seven."""
    zone = ZoneInfo(settings.ORGANISATION_ZONE)
    local = instant_of(now_s).astimezone(zone)
    monday = local.date() - timedelta(days=local.weekday())
    due = datetime.combine(monday, TELLS_AT, zone)
    if due > local:
        due = datetime.combine(monday - timedelta(days=7), TELLS_AT, zone)
    return seconds_of(due)


def tell_owners(now_s: int) -> int:
    """Send this week's letters, each once whatever happens to the worker; how many were new."""
    due_s = week_of(now_s)
    if due_s in _told or now_s - due_s > _WITHIN_S:
        return 0
    with transaction.atomic():
        fresh = post(letters(due_s, now_s), now_s, EVENT)
    _told.clear()
    _told.add(due_s)
    return fresh


def letters(due_s: int, now_s: int) -> list[Letter]:
    """A letter to each owner of what wants a hand; those who want none get none."""
    theirs: defaultdict[int, list[dict[str, Any]]] = defaultdict(list)
    wanting = {one["id"]: one for one in wants.wanting(now_s)}
    rows = Article.objects.filter(pk__in=list(wanting), owner__is_active=True)
    for number, owner in rows.order_by("pk").values_list("pk", "owner"):
        theirs[owner].append(wanting[number])
    people = Person.objects.in_bulk(list(theirs))
    return [
        Letter(
            key=f"upkeep-{due_s}",
            to=people[owner].email,
            person=people[owner],
            subject=_subject(len(some)),
            body=_body(people[owner], some),
        )
        for owner, some in sorted(theirs.items())
        if people[owner].email and _wishes(people[owner])
    ]


def _wishes(person: Person) -> bool:
    return bool(person.preferences.get("events", {}).get(EVENT) != "never")


def _subject(many: int) -> str:
    return (
        "One of your articles wants a hand" if many == 1 else f"{many} of your articles want a hand"
    )


def _body(person: Person, some: list[dict[str, Any]]) -> str:
    lines = [f"Hello {person.first_name},", "these articles of yours want a hand:"]
    for one in some[:_SHOWN]:
        why = ", and ".join(
            dict.fromkeys(_WORDS[row["what"]] for row in one["why"] if row["what"] in _WORDS)
        )
        lines.append(f"{one['title']}: {why}.\n{settings.PUBLIC_URL}/desk/articles/{one['id']}")
    if len(some) > _SHOWN:
        lines.append(f"And {len(some) - _SHOWN} more.")
    lines.append(f"All that is to be kept true: {settings.PUBLIC_URL}/desk/articles?room=upkeep")
    return "\n\n".join(lines)
