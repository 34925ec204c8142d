"""A write conflicts only with what it would overwrite, and says what that is and who did it."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest

from gannet.estate.models import Service
from gannet.people.models import Team
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.actions import Acting
from gannet.tickets.actions.leftovers import Settled
from gannet.tickets.models import Ticket
from gannet.web.errors import Stale
from gannet_core.lifecycle import Waiting
from tests.app.conftest import fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
By = Callable[[str], Acting]
Does = Callable[[Ticket, By, int | None], object]


def other_team() -> Team:
    return Team.objects.filter(is_board=False, is_triage=False).order_by("pk")[1]


def a_service() -> Service:
    return Service.objects.exclude(name="Boarding gates").order_by("pk")[0]


# Acts, with what each overwrites.
ACTS: dict[str, tuple[set[str], Does]] = {
    "title": ({"title"}, lambda t, by, seen: actions.change_facts(t.pk, by("Signe"), {"title": "Gates shut"}, seen)),
    "service": ({"service", "category"}, lambda t, by, seen: actions.change_facts(t.pk, by("Signe"), {"service": a_service().pk}, seen)),
    "tags": ({"tags"}, lambda t, by, seen: actions.change_facts(t.pk, by("Signe"), {"tags": ["quay"]}, seen)),
    "priority": ({"priority"}, lambda t, by, seen: actions.set_priority(t.pk, by("Signe"), 4, "they can wait", seen)),
    "hand over": ({"team", "holder"}, lambda t, by, seen: actions.hand_over(t.pk, by("Signe"), team=other_team(), person=None, comment="yours", seen_version=seen)),
    "wait": ({"state"}, lambda t, by, seen: actions.wait(t.pk, by("Marit"), on=Waiting.REQUESTER, reason="which one?", seen_version=seen)),
    "resolve": ({"state"}, lambda t, by, seen: actions.resolve(t.pk, by("Signe"), "Done as asked.", seen, settled=Settled(is_all=True))),
    "cancel": ({"state"}, lambda t, by, seen: actions.cancel(t.pk, by("Signe"), "Not needed.", seen)),
}  # fmt: skip
# What may happen meanwhile, with what it changes.
MEANWHILE: dict[str, tuple[set[str], Callable[[Ticket, By], object]]] = {
    "a note": (set(), lambda t, by: actions.note(t.pk, by("Joss"), "Look.")),
    "a look": (set(), lambda t, by: actions.open_ticket(t.pk, by("Joss"))),
    "a step": (set(), lambda t, by: fire("step", t.opened_s + 300_000)),
    "a missed target": (set(), lambda t, by: fire("late", t.opened_s + 300_000)),
    "a task": (set(), lambda t, by: actions.add_task(t.pk, by("Joss"), {"title": "Look"})),
    "a follower": (set(), lambda t, by: actions.follow(t.pk, by("Joss"), by("Ines").person)),
    "time": (set(), lambda t, by: actions.log_time(t.pk, by("Joss"), 5, "looked")),
    "another title": ({"title"}, lambda t, by: actions.change_facts(t.pk, by("Joss"), {"title": "Gate 4"}, None)),
    "other tags": ({"tags"}, lambda t, by: actions.change_facts(t.pk, by("Joss"), {"tags": ["gate"]}, None)),
    "another priority": ({"priority"}, lambda t, by: actions.set_priority(t.pk, by("Joss"), 1, "they sail")),
    "taken": ({"holder", "team", "state"}, lambda t, by: actions.take(t.pk, by("Marit"), force=True)),
    "a wait": ({"state"}, lambda t, by: actions.wait(t.pk, by("Joss"), on=Waiting.DATE, reason="then", until=NOW + timedelta(days=1))),
}  # fmt: skip


@pytest.mark.parametrize("meanwhile", MEANWHILE)
@pytest.mark.parametrize("act", ACTS)
def test_a_write_conflicts_with_what_it_overwrites_and_nothing_else(
    log: Any, by: By, act: str, meanwhile: str
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Joss"), force=True)
    seen = Ticket.objects.get(pk=ticket.pk)
    changes, happens = MEANWHILE[meanwhile]
    happens(ticket, by)
    overwrites, does = ACTS[act]
    now = Ticket.objects.get(pk=ticket.pk)
    # Taking moves it only where somebody takes another team's, or what was not in hand.
    really = {
        name
        for name in changes
        if name not in ("team", "holder", "state")
        or getattr(now, f"{name}_id" if name in ("team", "holder") else name)
        != getattr(seen, f"{name}_id" if name in ("team", "holder") else name)
    }
    if overwrites & really:
        with pytest.raises(Stale) as refused:
            does(ticket, by, seen.version)
        assert set(refused.value.extra["changed"]) == overwrites & really
        assert "since you opened it" in str(refused.value)
        # Having read it again, they go on.
        does(ticket, by, now.version)
    else:
        does(ticket, by, seen.version)


def test_the_refusal_says_who_changed_what_to_what(log: Any, by: By) -> None:
    ticket = log("Maeve", "Boarding gates")
    seen = Ticket.objects.get(pk=ticket.pk).version
    team = other_team()
    actions.hand_over(ticket.pk, by("Marit"), team=team, person=None, comment="yours")
    with pytest.raises(Stale, match=f"Marit Osei changed the team to {team.name}"):
        actions.hand_over(
            ticket.pk, by("Signe"), team=other_team(), person=None, comment="x", seen_version=seen
        )
    actions.wait(ticket.pk, Acting(person=None, now=NOW), on=Waiting.REQUESTER, reason="which?")
    with pytest.raises(Stale, match="Gannet changed the state to waiting"):
        actions.resolve(ticket.pk, by("Signe"), "Done as asked.", seen)


def test_a_field_of_the_rulebook_is_watched_under_its_label(want: Any, by: By) -> None:
    ticket = want("Piotr", "laptop", {"laptop_size": "15 inches", "ship_to": "Orrin Bay"})
    seen = Ticket.objects.get(pk=ticket.pk).version
    other = next(c for c in current().fields["laptop_size"]["choices"] if c != "15 inches")
    actions.change_facts(ticket.pk, by("Joss"), {"laptop_size": other}, seen)
    actions.change_facts(ticket.pk, by("Signe"), {"title": "A laptop for Piotr"}, seen)
    with pytest.raises(Stale, match=f"Joss .* changed .* to {other}, since you opened it"):
        actions.change_facts(ticket.pk, by("Signe"), {"laptop_size": "15 inches"}, seen)


def test_an_alert_makes_no_open_dialog_stale(log: Any, by: By) -> None:
    from gannet.tickets.events import TicketEvent

    ticket = log("Maeve", "Boarding gates")
    seen = Ticket.objects.get(pk=ticket.pk).version
    with actions.writing(ticket.pk, Acting(person=None, now=NOW)) as write:
        write.record(TicketEvent.ALERTED, values={"alert": "gate 4 (fires)"}, is_automatic=True)
    assert Ticket.objects.get(pk=ticket.pk).version > seen
    actions.resolve(ticket.pk, by("Signe"), "Done as asked.", seen)
