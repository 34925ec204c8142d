"""Application tests live at one instant, so that what the API calls now is what they mean."""

from collections.abc import Callable, Iterator
from typing import Any

import pytest
import time_machine

from gannet.catalogue.asking import Line, Wish, ask_for
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.models import Ask, Ticket
from tests.conftest import NOW

LAPTOP = {"laptop_size": "15 inches", "ship_to": "Orrin Bay"}


@pytest.fixture(autouse=True)
def that_monday() -> Iterator[None]:
    with time_machine.travel(NOW, tick=True):
        yield


@pytest.fixture
def want(person: Any, by: Any) -> Callable[..., Ticket]:
    """Ask for something: `want("Piotr", "laptop", LAPTOP)`."""

    def asked(
        name: str, key: str, answers: Any = None, *, of: str | None = None, **more: Any
    ) -> Ticket:
        wish = Wish(
            lines=[Line(key=key, answers=answers or {})],
            beneficiary=person(of) if of else None,
            **more,
        )
        return ask_for(person(name), wish, by(name))

    return asked


def approve_all(ticket: Ticket) -> None:
    """Everybody who is asked approves, stage after stage."""
    waiting = ticket.approvals.filter(state=Ask.PENDING).select_related("asked_of")
    while (asked := waiting.first()) is not None:
        acting = actions.Acting(person=asked.asked_of, now=NOW)
        approvals.decide(acting, asked.pk, approves=True, reason="")
