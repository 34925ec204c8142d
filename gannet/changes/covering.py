"""The windows of the rulebook over the estate: what each covers, and when it is open."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from gannet.estate.models import ConfigItem, Service
from gannet.estate.nodes import items_under, node_of
from gannet.people.models import Person
from gannet.rulebook.book import Book
from gannet.tickets.fields import registry
from gannet.tickets.models import Ticket
from gannet_core.item_groups import FIELD
from gannet_core.schedule import Freeze
from gannet_core.windows import FREEZE, MAINTENANCE, Span, Window, merged, read_window


@dataclass(frozen=True)
class Opening:
    """A window of the rulebook, ready to be asked when it is open."""

    key: str
    name: str
    window: Window
    entry: Mapping[str, Any]

    @property
    def is_for_all(self) -> bool:
        """Whether it is scoped to nothing in particular."""
        return not any(self.entry.get(what) for what in ("services", "items", "groups"))


def openings(book: Book, kind: str) -> list[Opening]:
    """The windows of one kind, in the order of the rulebook."""
    return [
        Opening(str(one["key"]), str(one["name"]), _window(_frozen(one)), one)
        for one in book.windows
        if one["kind"] == kind
    ]


def _frozen(one: Mapping[str, Any]) -> tuple[Any, ...]:
    return (
        one["kind"],
        one["zone"],
        one["from"],
        one["to"],
        one.get("rrule") or None,
        tuple(one.get("except") or ()),
    )


@lru_cache(maxsize=512)
def _window(frozen: tuple[Any, ...]) -> Window:
    names = ("kind", "zone", "from", "to", "rrule", "except")
    return read_window(dict(zip(names, frozen, strict=True)))


def windows_of(
    book: Book, items: Iterable[ConfigItem], start_s: int, end_s: int
) -> dict[str, list[Span]]:
    """The maintenance windows of each item that has any, round a span; by node."""
    found: dict[str, list[Span]] = {}
    known = openings(book, MAINTENANCE)
    for item in items:
        covering = [one for one in known if _covers(one, item, book)]
        if covering:
            spans = [span for one in covering for span in one.window.spans(start_s, end_s)]
            found[node_of(item)] = merged(spans)
    return found


def freezes_over(book: Book, items: Sequence[ConfigItem], start_s: int, end_s: int) -> list[Freeze]:
    """The freezes round a span, each with what it covers of these items and its services."""
    services = {one.name: node_of(one) for one in Service.objects.all()}
    found = []
    for one in openings(book, FREEZE):
        spans = tuple(one.window.spans(start_s, end_s))
        if not spans:
            continue
        covers = None
        if not one.is_for_all:
            named = {services[name] for name in one.entry.get("services") or () if name in services}
            touched = {node_of(item) for item in items if _names(one, item, book)}
            covers = frozenset(named | touched)
        found.append(Freeze(one.key, spans, covers))
    return found


def windows_over(
    book: Book, thing: ConfigItem | Service, now_s: int
) -> list[tuple[Opening, Span | None]]:
    """The maintenance windows and freezes that cover an item or a service, each with the
    next span that has not ended, if there is one; the soonest first."""
    found = []
    for one in [*openings(book, MAINTENANCE), *openings(book, FREEZE)]:
        if isinstance(thing, ConfigItem):
            is_covered = _covers(one, thing, book)
        else:
            is_covered = one.is_for_all or thing.name in (one.entry.get("services") or ())
        if is_covered:
            found.append((one, next(iter(one.window.following(now_s, 1)), None)))
    return sorted(found, key=lambda pair: (pair[1] is None, pair[1] or (0, 0)))


def _covers(one: Opening, item: ConfigItem, book: Book) -> bool:
    """Whether an item may be changed in a maintenance window: by its service too."""
    if one.is_for_all or _names(one, item, book):
        return True
    services = one.entry.get("services") or ()
    if item.service is not None and item.service.name in services:
        return True
    return bool(services) and item.pk in items_under(services)


def _names(one: Opening, item: ConfigItem, book: Book) -> bool:
    """Whether a window names an item, by its key or by a group that it belongs to."""
    if item.key in (one.entry.get("items") or ()):
        return True
    groups = set(one.entry.get("groups") or ())
    if not groups:
        return False
    return bool(groups & set(registry(book)[FIELD].read(Ticket(ci=item))))


# Who holds work up: given nodes of the estate and a reader, what is running over them now.
Holds = Callable[[Iterable[str], Person], Sequence[Mapping[str, Any]]]
holders: list[Holds] = []


def held_by(nodes: Iterable[str], reader: Person) -> list[Mapping[str, Any]]:
    """What is running over some nodes, so that other work there is held: `id`, `call_sign`,
    `title`; of what the reader may not know of only that there is something."""
    wanted = list(nodes)
    return [one for holds in holders for one in holds(wanted, reader)]
