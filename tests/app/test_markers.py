"""The markers that lists show are what the events say: derived again by other means."""

import random
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.tickets import actions
from gannet.tickets.actions import Acting
from gannet.tickets.events import TicketEvent
from gannet.tickets.listed import filtered
from gannet.tickets.models import Ticket
from gannet.web.errors import Problem
from gannet_core.lifecycle import Waiting
from tests.conftest import NOW

pytestmark = pytest.mark.django_db

DESK = ("Signe", "Marit", "Joss")


def told(ticket: Ticket) -> dict[str, Any]:
    """Three markers, read off the events as the product's words define them."""
    undone = {
        e.facts["event"] for e in Event.objects.filter(ticket=ticket, kind=TicketEvent.UNDONE)
    }
    events = [e for e in Event.objects.filter(ticket=ticket).order_by("id") if e.id not in undone]
    wrote, replied, waited, answered, handed = 0, 0, False, False, None
    is_open = True
    for event in events:
        by_desk = bool(event.by_desk) and not event.is_automatic
        if event.kind in (TicketEvent.LOGGED, TicketEvent.HANDED_OVER):
            handed = event.facts["person"] if event.kind == TicketEvent.HANDED_OVER else None
        acts = by_desk and event.kind not in (
            TicketEvent.LOGGED,
            TicketEvent.HANDED_OVER,
            TicketEvent.PROMISED,
        )
        if acts and str(event.actor_id) == handed:
            handed = None
        if event.kind in (TicketEvent.LOGGED, TicketEvent.REQUESTER_WROTE):
            wrote = event.id
        if event.kind == TicketEvent.REPLIED and by_desk:
            replied = event.id
        if event.kind == TicketEvent.REQUESTER_WROTE:
            answered = answered or waited
        if event.kind == TicketEvent.WAITING:
            waited = event.facts["on"] == "requester"
        elif event.kind in (
            TicketEvent.RESUMED,
            TicketEvent.RESOLVED,
            TicketEvent.CANCELLED,
            TicketEvent.REOPENED,
        ):
            waited = False
        moves = (
            TicketEvent.REPLIED,
            TicketEvent.NOTED,
            TicketEvent.WAITING,
            TicketEvent.RESUMED,
            TicketEvent.RESOLVED,
            TicketEvent.CANCELLED,
        )
        if by_desk and event.kind in moves:
            answered = False
        if event.kind in (TicketEvent.RESOLVED, TicketEvent.CANCELLED, TicketEvent.CLOSED):
            is_open, answered = False, False
        if event.kind == TicketEvent.REOPENED:
            is_open = True
    return {
        "needs_reply": is_open and wrote > replied,
        "is_answered": is_open and answered,
        "handed_to": handed if is_open else None,
    }


@pytest.mark.parametrize("seed", range(12))
def test_markers_are_what_the_events_say(
    northmere: None, log: Callable[..., Any], person: Callable[[str], Any], seed: int
) -> None:
    rng = random.Random(seed)
    people = {name: person(name) for name in (*DESK, "Maeve")}
    ticket = log("Maeve", "Boarding gates")
    now = NOW

    def acts(name: str) -> Acting:
        return Acting(person=people[name], now=now)

    def hand_over() -> None:
        to = people[rng.choice(DESK)]
        team = to.memberships.select_related("team").first().team
        actions.hand_over(ticket.pk, acts(rng.choice(DESK)), team=team, person=to, comment="yours")

    choices: list[Callable[[], Any]] = [
        lambda: actions.reply(ticket.pk, acts(rng.choice(DESK)), "hello"),
        lambda: actions.note(ticket.pk, acts(rng.choice(DESK)), "for us"),
        lambda: actions.requester_writes(ticket.pk, acts("Maeve"), "and"),
        lambda: actions.wait(ticket.pk, acts("Marit"), on=Waiting.REQUESTER, reason="which"),
        lambda: actions.resume(ticket.pk, acts("Signe")),
        lambda: actions.open_ticket(ticket.pk, acts(rng.choice(DESK))),
        lambda: actions.take(ticket.pk, acts(rng.choice(DESK)), force=True),
        hand_over,
        lambda: actions.resolve(ticket.pk, acts("Marit"), "It is done."),
        lambda: actions.reopen(ticket.pk, acts("Maeve"), "not solved"),
        lambda: actions.undo(ticket.pk, acts("Signe")),
    ]
    for _ in range(40):
        now += timedelta(seconds=rng.choice([2, 4, 600]))
        try:
            rng.choice(choices)()
        except Problem:
            continue
        seen = Ticket.objects.get(pk=ticket.pk)
        wanted = told(seen)
        assert bool(seen.needs_reply) == wanted["needs_reply"]
        assert bool(seen.is_answered) == wanted["is_answered"]
        assert seen.handed_to_id == (int(wanted["handed_to"]) if wanted["handed_to"] else None)
        (row,) = (
            filtered(people["Signe"], None, now)
            .filter(pk=ticket.pk)
            .values("needs_reply", "is_answered", "is_unread")
        )
        assert row == {name: getattr(seen, name) for name in row}
        for name in ("needs reply", "answered", "unread"):
            tree = {"field": name, "op": "is", "value": True}
            shown = filtered(people["Signe"], tree, now).filter(pk=ticket.pk).exists()
            column = {
                "needs reply": "needs_reply",
                "answered": "is_answered",
                "unread": "is_unread",
            }
            assert shown == bool(getattr(seen, column[name]))
