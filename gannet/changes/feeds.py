"""Views of the schedule that are kept and shared, and the links that calendars subscribe to."""

import hashlib
import secrets

from django.db import transaction
from django.db.models import Q, QuerySet

from gannet.changes import covering
from gannet.changes.calendars import changes_out
from gannet.changes.models import Feed, ScheduleView
from gannet.changes.reading import MOST_DRAWN, visible_changes
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.people.roles import reads_desk
from gannet.rulebook.book import Book
from gannet.tickets.states import state_code
from gannet.web.errors import Invalid, Missing, Refused
from gannet_core.conditions import fold
from gannet_core.windows import FREEZE

SPANS = ("day", "week", "fortnight", "month", "quarter")
LANES = ("service", "team", "holder", "place", "group")
MOST_VIEWS = 50
_DAY = 86_400
_BEFORE_S, _AFTER_S = 30 * _DAY, 180 * _DAY
_NOT_DRAWN = ("refused", "cancelled")


def seen_by(person: Person) -> QuerySet[ScheduleView]:
    """One's own views and those that others share."""
    return ScheduleView.objects.filter(Q(owner=person) | Q(is_shared=1)).select_related("owner")


@transaction.atomic
def keep(
    person: Person, *, name: str, span: str, lanes: str, words: str, is_shared: bool
) -> ScheduleView:
    """Keep a view under a name; one's own of that name is replaced."""
    said = " ".join(name.split())[:80]
    if not said:
        raise Invalid("Give it a name.", fields={"name": "This is empty."})
    if span not in SPANS or lanes not in LANES:
        raise Invalid("There is no such span or lane.", fields={"span": "Choose one."})
    mine = ScheduleView.objects.filter(owner=person)
    if not mine.filter(name=said).exists() and mine.count() >= MOST_VIEWS:
        raise Invalid(f"At most {MOST_VIEWS} views.", fields={"name": "Remove one first."})
    row, _ = ScheduleView.objects.update_or_create(
        owner=person,
        name=said,
        defaults={
            "span": span,
            "lanes": lanes,
            "words": words.strip()[:120],
            "is_shared": int(is_shared),
        },
    )
    if not is_shared:
        row.feeds.exclude(person=person).delete()
    return row


def remove(person: Person, number: int) -> None:
    """Remove one's own view; links to it open nothing any more."""
    row = _seen(person, number)
    if row.owner_id != person.pk:
        raise Refused("Only its owner removes it.")
    row.delete()


def _seen(person: Person, number: int) -> ScheduleView:
    row = seen_by(person).filter(pk=number).first()
    if row is None:
        raise Missing("There is no such view.")
    return row


@transaction.atomic
def open_feed(acting: Acting, number: int) -> str:
    """A new secret link to a view for whoever asks; their former one opens nothing any more."""
    person = acting.person
    assert person is not None
    row = _seen(person, number)
    secret = secrets.token_urlsafe(32)
    Feed.objects.filter(person=person, view=row).delete()
    Feed.objects.create(person=person, view=row, digest=_digest(secret), made_s=acting.now_s)
    return secret


def close_feed(person: Person, number: int) -> None:
    """Let one's own link to a view open nothing any more."""
    Feed.objects.filter(person=person, view=_seen(person, number)).delete()


def of_link(secret: str, now_s: int) -> Feed | None:
    """The feed that a link opens; None for what is no link, or for who has left the desk."""
    found = Feed.objects.select_related("person", "view").filter(digest=_digest(secret)).first()
    if found is None or not found.person.is_active or not reads_desk(found.person):
        return None
    if found.read_s is None or now_s - found.read_s > 600:
        Feed.objects.filter(pk=found.pk).update(read_s=now_s)
    return found


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode()).hexdigest()


def calendar_of(feed: Feed, book: Book, now_s: int) -> bytes:
    """What a calendar is given: the changes of the view that its person may read, and freezes."""
    start, end = now_s - _BEFORE_S, now_s + _AFTER_S
    takes = Q(change_facts__starts_s__lt=end, change_facts__ends_s__gt=start)
    rows = (
        visible_changes(feed.person)
        .filter(takes)
        .exclude(state__in=[state_code(name) for name in _NOT_DRAWN])
        .order_by("change_facts__starts_s", "pk")[:MOST_DRAWN]
    )
    words = fold(feed.view.words)
    shown = [one for one in rows if words in _said(one)]
    freezes = [
        {"start_s": a, "end_s": b, "name": one.name}
        for one in covering.openings(book, FREEZE)
        for a, b in one.window.spans(start, end)
    ]
    return changes_out(f"Changes: {feed.view.name}", shown, freezes, now_s)


def _said(ticket: object) -> str:
    """The words of a change that a view looks for, as the schedule looks for them."""
    parts = [
        str(getattr(ticket, "pk", "")),
        getattr(ticket, "title", ""),
        getattr(getattr(ticket, "service", None), "name", ""),
        getattr(getattr(ticket, "holder", None), "name", ""),
        getattr(getattr(ticket, "team", None), "name", ""),
    ]
    return fold(" ".join(parts))
