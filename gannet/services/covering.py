"""Which agreements cover a service or item: what an incident on it would be promised, by priority.

The same choosing as of a real incident, for one that whoever asks would report now.
"""

from collections.abc import Mapping
from typing import Any

from gannet.changes.covering import windows_over
from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person
from gannet.rulebook.book import Book, current
from gannet.tickets import promises
from gannet.tickets.actions.log import NewTicket, draft_ticket
from gannet.tickets.models import Channel, Ticket
from gannet_core.agreements import Target
from gannet_core.errors import GannetError
from gannet_core.windows import FREEZE

# What runs while somebody has it is named after whom on a record.
_WITH = {"team": "time with the team", "supplier": "time with the supplier"}
_CUSTOMER, _TEAM, _SUPPLIER = "customer", "team", "supplier"


def covering(thing: Service | ConfigItem, person: Person, now_s: int) -> list[dict[str, Any]]:
    """Each agreement that covers it, with its targets at the priorities for which it does.

    The customers' first, then those of its team and of its supplier.
    """
    book = current()
    ticket = _incident(thing, person, book, now_s)
    service = thing if isinstance(thing, Service) else thing.service
    team = (thing.team if isinstance(thing, ConfigItem) else None) or (service and service.team)
    asked: list[tuple[str, dict[str, str]]] = [(_CUSTOMER, {})]
    if team:
        asked.append((_TEAM, {"team": team.name}))
    if thing.supplier:
        asked.append((_SUPPLIER, {"supplier": thing.supplier}))
    found: dict[str, dict[str, Any]] = {}
    for kind, extra in asked:
        for priority in range(1, len(book.priorities) + 1):
            ticket.priority = priority
            try:
                promised = promises.promise(book, ticket, kind, now_s, **extra)
            except GannetError:
                continue  # the rulebook's checks say what is wrong with it
            if promised is None:
                continue
            one = found.setdefault(
                promised.agreement,
                {
                    "key": promised.agreement,
                    "name": book.agreement_name(promised.agreement),
                    "kind": kind,
                    "with": extra.get(kind, ""),
                    "targets": [],
                },
            )
            one["targets"].append(_targets(book, priority, promised.targets))
    return list(found.values())


def _incident(thing: Service | ConfigItem, person: Person, book: Book, now_s: int) -> Ticket:
    item = thing if isinstance(thing, ConfigItem) else None
    new = NewTicket(
        requester=person,
        title=thing.name,
        service=item.service if item else thing if isinstance(thing, Service) else None,
        ci=item,
        place=item.place if item else "",
        channel=Channel.PORTAL,
    )
    return draft_ticket(new, book, now_s)


def _targets(book: Book, priority: int, targets: Mapping[str, Target]) -> dict[str, Any]:
    return {
        "priority": priority,
        "clocks": [
            {
                "clock": book.clock_kinds.get(key, {}).get("label") or _WITH.get(key, key),
                "seconds": one.seconds,
                "calendar": book.calendar_name(one.calendar),
            }
            for key, one in targets.items()
        ],
    }


def windows_json(thing: Service | ConfigItem, now_s: int) -> list[dict[str, Any]]:
    """The maintenance windows and freezes over it, with when each is open next."""
    return [
        {
            "name": opening.name,
            "is_freeze": opening.entry["kind"] == FREEZE,
            "from_s": span[0] if span else None,
            "to_s": span[1] if span else None,
        }
        for opening, span in windows_over(current(), thing, now_s)
    ]
