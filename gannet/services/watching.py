"""Looking for patterns in what was reported, each hour, and telling problem managers of new ones.

Everybody is told only of what stands out among what they may know of themselves.
"""

from gannet.estate.models import PatternWatch
from gannet.messages import notices
from gannet.people.models import Person, Role
from gannet.services import patterns
from gannet_core.patterns import has_grown

EVERY_S = 3600
EVENT = "pattern found"


def look_through(now_s: int) -> int:
    """Look, if an hour has passed since the last time; how many people were told of something."""
    managers = [
        person
        for person in Person.objects.filter(is_active=True).order_by("pk")
        if person.has_role(Role.PROBLEM_MANAGER)
    ]
    return sum(_look_for(person, now_s) for person in managers)


def _look_for(person: Person, now_s: int) -> int:
    watch, _ = PatternWatch.objects.get_or_create(person=person)
    if watch.at_s is not None and now_s - watch.at_s < EVERY_S:
        return 0
    found = {
        one["key"]: one
        for one in patterns.found(person, now_s)["patterns"]
        # What all belongs to problems already is known to whoever opened those.
        if any(incident["problem"] is None for incident in one["incidents"])
    }
    told = dict(watch.told)
    news = [
        one for key, one in found.items() if key not in told or has_grown(told[key], one["count"])
    ]
    for one in news:
        said = f"{one['name']}: {one['count']} incidents in 14 days, usual are {one['usual']}"
        words = ", ".join(entry["word"] for entry in one["words"])
        text = f"Common words: {words}" if words else ""
        notices.notify(person, EVENT, _about(one["key"]), said, now_s, text=text)
    over = [key for key in told if key not in found]
    for key in over:
        notices.gone(now_s, about=_about(key), person_id=person.pk)
    watch.told = {key: told[key] for key in told if key not in over}
    watch.told.update({one["key"]: one["count"] for one in news})
    watch.at_s = now_s
    watch.save()
    return len(news)


def dealt_with(key: str, now_s: int) -> None:
    """Somebody has said that it is none: nobody needs to be told of it."""
    notices.gone(now_s, about=_about(key))


def _about(key: str) -> str:
    return f"pattern:{key}"[:80]
