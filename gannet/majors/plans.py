"""The plans of the rulebook for major incidents: what is there as soon as one is declared."""

from collections.abc import Mapping, Sequence
from typing import Any

from gannet.rulebook.book import Book
from gannet.tickets.fields import record_of, registry
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core.conditions import evaluate
from gannet_core.majors import EVERYONE_AFFECTED, EVERYONE_REPORTED

Plan = Mapping[str, Any]
ROLES = ("lead", "technical", "communications", "scribe")
LEAD, COMMUNICATIONS = ROLES[0], ROLES[2]
FOLDERS = ("Evidence", "Pictures", "Reports")
LABELS = ("seen", "decided", "tried", "told")

# What there is where the rulebook has no plan.
SHIPPED: Plan = {
    "key": "shipped",
    "name": "Major incident",
    "roles": list(ROLES),
    "channels": [{"name": "responders"}, {"name": "technical"}],
    "audiences": [
        {
            "name": "everyone affected",
            "to": [EVERYONE_AFFECTED, EVERYONE_REPORTED],
            "minutes": 30,
            "on_portal": True,
            "on_status_page": True,
        },
    ],
    "checklist": [
        "Say in the room what is known, in one sentence",
        "Fill the roles: who leads, who works on it, who informs",
        "Page whoever is missing",
        "Send the first update, even if it says little",
    ],
}
SHIPPED_WORDS = "{title}\n\n{since}\n\nWe write again by {next}."


def plans(book: Book) -> Sequence[Plan]:
    """The plans that may be chosen, in the order of the rulebook; there is always one."""
    found = [one for one in book.document.get("major_plans") or () if one.get("is_on", True)]
    return found or [SHIPPED]


def plan_named(book: Book, key: str) -> Plan:
    for one in plans(book):
        if one["key"] == key:
            return one
    raise Invalid("There is no such plan.", fields={"plan": "Choose another."})


def plan_for(book: Book, ticket: Ticket | None, said: Mapping[str, Any] | None = None) -> Plan:
    """The first plan whose condition holds for a record; without one, the first without any.

    Without a record, `said` are the few facts that are known of what is declared.
    """
    facts = {**dict.fromkeys(registry(book)), **(said or {})}
    if ticket is not None:
        facts = record_of(ticket, book)
    for one in plans(book):
        if one.get("if") and evaluate(one["if"], facts).result:
            return one
    return next((one for one in plans(book) if not one.get("if")), plans(book)[-1])


def plan_json(one: Plan) -> dict[str, Any]:
    """A plan as somebody chooses it: what declaring with it does."""
    return {
        "key": str(one["key"]),
        "name": str(one["name"]),
        "is_closed": bool(one.get("is_closed")),
        "team": str(one.get("team") or ""),
        "channels": [
            {"name": str(each["name"]), "is_closed": bool(each.get("is_closed"))}
            for each in one.get("channels") or ()
        ],
        "audiences": [
            {"name": str(each["name"]), "minutes": int(each["minutes"])}
            for each in one.get("audiences") or ()
        ],
        "told": [str(who) for who in one.get("told") or ()],
    }
