"""Notifications: one for each thing a person should know of or decide, gone when dealt with."""

from collections.abc import Iterable
from typing import Any

from django.db.models import QuerySet

from gannet.audit.kinds import kind_of
from gannet.audit.models import Event
from gannet.messages.models import Notification
from gannet.people.models import Person
from gannet.tickets.kinds import kinds
from gannet.web import kept_writes
from gannet.web.kept import Givens, KeptQueries

# What an event of a ticket is to the person who is told: the thing it is about.
_ABOUT = {
    "handed over": "hold",
    "yours": "hold",
    "taken over": "taken",
    "requester wrote": "said",
    "reopened": "said",
    "replied": "reply",
    "resolved": "end",
    "cancelled": "end",
    "closed as stale": "end",
    "late": "late",
    "date reached": "back",
    "priority changed": "priority",
    "followed": "follow",
    "task given": "task",
    "task done": "tasks",
    "part ended": "tasks",
    "approval decided": "decided",
    "merged": "end",
}
# What nobody may wish away, and what no quiet hour holds up.
urgent: set[str] = set()
# Told as they happen, but nothing to act on later.
# Of what is no event of the rulebook: what people may not want to be told, in words.
optional: dict[str, str] = {}
_NOT_SHOWN = frozenset({"logged"})
# What is dealt with by reading the ticket.
_READ = ("hold", "said", "reply", "taken", "priority", "follow", "back", "tasks", "decided", "late")


def about_of(event_name: str, ticket_id: int | None) -> str:
    own = (kind.notices[event_name] for kind in kinds().values() if event_name in kind.notices)
    return f"{_ABOUT.get(event_name) or next(own, event_name)}:{ticket_id}"


def notify(
    person: Person,
    event_name: str,
    about: str,
    title: str,
    now_s: int,
    *,
    ticket: Any = None,
    text: str = "",
    actor: str = "",
) -> None:
    """Tell a person of one thing; told of it already and not dealt with, it is one still."""
    if event_name in _NOT_SHOWN or not person.is_active:
        return
    wish = person.preferences.get("events", {}).get(event_name)
    if wish == "never" and event_name not in urgent:
        return
    fresh = {
        "event_name": event_name,
        "title": title[:300],
        "text": text[:500],
        "actor": actor[:120],
        "made_s": now_s,
        "seen_s": None,
    }
    known = _kept.rows("known", _known, {"person": person.pk, "about": about})
    if known:
        number, count = known[0]
        told_again = Notification(pk=number, count=count + 1, **fresh)
        kept_writes.update([told_again], [*fresh, "count"])
        return
    kept_writes.insert([Notification(person=person, ticket=ticket, about=about, **fresh)])


_kept = KeptQueries()


def _known(givens: Givens) -> QuerySet[Any, Any]:
    found = Notification.objects.filter(person=givens["person"], about=givens["about"])
    return found.filter(gone_s=None).values_list("pk", "count")


def gone(now_s: int, *, about: str = "", person_id: int | None = None) -> int:
    """A thing is dealt with: its notifications go."""
    found = Notification.objects.filter(gone_s=None, about=about)
    if person_id is not None:
        found = found.filter(person_id=person_id)
    return found.update(gone_s=now_s)


def clear_dealt_with(
    ticket: Any, events: Iterable[Event], actor_id: int | None, now_s: int
) -> None:
    """Take away the notifications about a ticket that an act has dealt with."""
    kinds = [kind for event in events if (kind := kind_of(event.kind)) is not None]
    live = _kept.rows("live", _live, {"ticket": ticket.pk})
    over = []
    for key, person_id, about in live:
        thing = about.partition(":")[0] if about.endswith(f":{ticket.pk}") else ""
        is_own, is_holders = person_id == actor_id, person_id == ticket.holder_id
        if (
            (thing in _READ and thing != "decided" and any(kind.ends for kind in kinds))
            or (
                thing in ("said", "back")
                and actor_id is not None
                and any(kind.answers for kind in kinds)
            )
            or (thing in _READ and is_own)
            or (
                thing in ("hold", "said", "late")
                and not is_holders
                and any(kind.moves_hands for kind in kinds)
            )
        ):
            over.append(key)
    if over:
        Notification.objects.filter(pk__in=over).update(gone_s=now_s)


def _live(givens: Givens) -> QuerySet[Any, Any]:
    found = Notification.objects.filter(ticket=givens["ticket"], gone_s=None)
    return found.values_list("pk", "person", "about")


def read(person: Person, ticket_id: int, now_s: int) -> int:
    """Somebody looks at a ticket: what only wanted to be read is dealt with."""
    things = [f"{thing}:{ticket_id}" for thing in (*_READ, "end")]
    return Notification.objects.filter(person=person, gone_s=None, about__in=things).update(
        gone_s=now_s
    )
