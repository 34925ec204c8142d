"""The checks and differences of a draft, with the world they are checked against."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from django.conf import settings
from django.db.models import Count
from django.utils import timezone

from gannet.estate.models import ConfigItem, Life, Service
from gannet.knowledge.models import Announcement
from gannet.messages.hooks import refusal
from gannet.people.models import Person, Team
from gannet.rulebook.book import Book, current, of_document
from gannet.tickets import forms
from gannet.tickets.fields import registry
from gannet.tickets.kinds import moments
from gannet.tickets.placeholders import PLACEHOLDERS
from gannet.tickets.stored import stored_values
from gannet_core.checks import check_document
from gannet_core.difference import Difference, compare
from gannet_core.findings import Finding, World
from gannet_core.instants import seconds_of

# Fields whose choices are closed: a name that is not among them can never match.
_CLOSED = ("service", "category", "team", "care tier", "supplier", "kind", "channel", "waiting on")


def world_of(book: Book) -> World:
    """What a rulebook may name: fields with their choices, teams, people, services, clocks."""
    fields: dict[str, dict[str, Any]] = {}
    own = {
        "category": list(book.categories),
        "care tier": list(book.care_tiers),
        "supplier": [entry["name"] for entry in book.suppliers.values()],
    }
    for name, field in registry(book).items():
        about = field.about()
        if name in _CLOSED and not field.choices:
            choices = own[name] if name in own else stored_values(field)
            about["choices"] = dict.fromkeys(choices)
        fields[name] = about
    return World(
        fields=fields,
        teams=frozenset(Team.objects.values_list("name", flat=True)),
        people=frozenset(Person.objects.filter(is_active=True).values_list("email", flat=True)),
        boards=frozenset(Team.objects.filter(is_board=True).values_list("name", flat=True)),
        services=frozenset(Service.objects.values_list("name", flat=True)),
        clock_kinds=book.clock_kinds,
        refused_hook=refusal,
        asked=frozenset(forms.PLAIN),
        placeholders=frozenset(PLACEHOLDERS),
        named_outside=named_outside(),
        moments=list(moments()),
    )


def named_outside() -> list[tuple[str, str, str]]:
    """What stands outside of the rulebook by its entries: calendars, care tiers, types of items.

    Also groups of items that something is announced to. Section, key, and by how many in words.
    """
    found: list[tuple[str, str, str]] = []
    people = Person.objects.filter(is_active=True)
    rows = people.exclude(working_calendar="").values_list("working_calendar")
    for key, count in rows.annotate(Count("id")).order_by("working_calendar"):
        found.append(("calendars", key, _people(count)))
    tiers: dict[str, int] = {}
    for keys in people.exclude(care_tiers=[]).values_list("care_tiers", flat=True):
        for key in keys:
            tiers[key] = tiers.get(key, 0) + 1
    found += [("care_tiers", key, _people(count)) for key, count in sorted(tiers.items())]
    return found + _named_by_things()


def _named_by_things() -> list[tuple[str, str, str]]:
    """The types of the rulebook that items have, and the groups that are announced to."""
    known = current()
    items = ConfigItem.objects.exclude(life=Life.RETIRED).filter(kind__in=list(known.item_types))
    found = [
        ("item_types", key, f"{count} {'item' if count == 1 else 'items'}")
        for key, count in items.values_list("kind").annotate(Count("id")).order_by("kind")
    ]
    keys = [str(one["key"]) for one in known.item_groups]
    told = Announcement.objects.filter(to_s__gt=seconds_of(timezone.now()), group__in=keys)
    for key, count in told.values_list("group").annotate(Count("id")).order_by("group"):
        by = f"{count} {'announcement' if count == 1 else 'announcements'}"
        found.append(("item_groups", key, by))
    return found


def _people(count: int) -> str:
    return f"{count} {'person' if count == 1 else 'people'}"


def findings_of(document: Mapping[str, Any], now: datetime) -> list[Finding]:
    """What the checks find in a document."""
    book = of_document(document)
    today = now.astimezone(ZoneInfo(settings.ORGANISATION_ZONE)).date()
    return check_document(book.document, world_of(book), today)


def differences_of(before: Mapping[str, Any], after: Mapping[str, Any]) -> list[Difference]:
    """The differences of two documents in sentences, with the labels of the later one."""
    book = of_document(after)
    labels = {name: field.about() for name, field in registry(book).items()}
    return compare(of_document(before).document, book.document, labels)
