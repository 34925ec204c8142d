"""Changes as the tests make them: drafts that lack nothing, planned ones, whoever decides."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from gannet.changes import planning, stages
from gannet.changes.models import ChangeFacts
from gannet.estate.models import ConfigItem, Service
from gannet.people.acting import Acting
from gannet.tickets.actions import approvals
from gannet.tickets.models import Approval, ApprovalState, Ticket
from gannet.tickets.states import state_name
from gannet_core.instants import seconds_of
from tests.conftest import NOW

JSON = "application/json"
Api = Callable[[str], Any]
Who = Callable[[str], Any]
STEPS = [
    {"part": "implement", "says": "Load the new image", "minutes": 30},
    {"part": "test", "says": "Make a call", "minutes": 15},
    {"part": "back out", "says": "Load the kept image", "minutes": 20},
]
# NOW is Monday 23 November 2026, 09:46; nights are Thursdays and Sundays 01:30 to 04:30, and
# peak sailing is frozen from Friday 27 to Monday 30.
THURSDAY = datetime(2026, 12, 3, 1, 30, tzinfo=UTC)
WEDNESDAY = datetime(2026, 12, 2, 19, 0, tzinfo=UTC)
FROZEN = datetime(2026, 11, 28, 1, 30, tzinfo=UTC)


def item(key: str) -> ConfigItem:
    return ConfigItem.objects.get(key=key)


@pytest.fixture
def draft(person: Who) -> Callable[..., Ticket]:
    """A draft by Joss that lacks nothing: `draft("till-server", begins=THURSDAY)`."""

    def made(*keys: str, begins: datetime = THURSDAY, minutes: int = 60, **more: Any) -> Ticket:
        new = planning.NewChange(
            title=more.pop("title", "New image for the routers"),
            why="The old one lets go of the carrier.",
            items=[item(key) for key in keys or ("satellite-terminal-1-tern",)],
            service=Service.objects.get(name=more.pop("service", "Ship-to-shore link")),
            starts_s=seconds_of(begins),
            ends_s=seconds_of(begins + timedelta(minutes=minutes)),
            **more,
        )
        acting = Acting(person=person("Joss"), now=NOW)
        ticket = planning.open_change(new, acting)
        if not ticket.change_facts.steps:
            planning.edit(ticket.pk, acting, {"steps": STEPS})
        return Ticket.objects.get(pk=ticket.pk)

    return made


def facts(ticket: Ticket) -> ChangeFacts:
    return ChangeFacts.objects.get(ticket=ticket)


def state(ticket: Ticket) -> str:
    return state_name(Ticket.objects.get(pk=ticket.pk).state)


def act(api: Api, who: str, ticket: Ticket, name: str, **said: Any) -> Any:
    return api(who).post(f"/api/tickets/{ticket.pk}/{name}", said, content_type=JSON)


def change_of(api: Api, ticket: Ticket, who: str = "Marit") -> Any:
    return api(who).get(f"/api/tickets/{ticket.pk}").json()["change"]


def decide_all(ticket: Ticket, at: datetime = NOW, *, most: int = 20) -> list[str]:
    """Everybody who is asked approves; the stages in the order in which they were."""
    found = []
    for _ in range(most):
        asked = (
            Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING)
            .select_related("stage", "asked_of")
            .order_by("id")
            .first()
        )
        if asked is None:
            break
        found.append(asked.stage.key if asked.stage else "")
        approvals.decide(Acting(person=asked.asked_of, now=at), asked.pk, approves=True, reason="")
    return found


@pytest.fixture
def planned(draft: Callable[..., Ticket], person: Who) -> Callable[..., Ticket]:
    """A change that is authorised and waits for its time."""

    def made(*keys: str, **more: Any) -> Ticket:
        ticket = draft(*keys, **more)
        stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
        if state(ticket) == "assess":
            stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
        decide_all(ticket)
        assert state(ticket) == "planned"
        return ticket

    return made
