"""Where tickets' time went, kept by the worker: against what was done, and once each."""

import random
from datetime import timedelta
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.people.models import Team
from gannet.reports import stretches
from gannet.reports.models import ReadUpTo, Stretch
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.actions import Acting
from gannet.tickets.models import Clock, Ticket
from gannet.web.errors import Problem
from gannet_core.errors import GannetError
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)


def said(ticket: Ticket) -> list[tuple[Any, ...]]:
    return [
        (one.team.name if one.team else "", one.person.name if one.person else "", one.waiting,
         one.from_s - NOW_S, None if one.until_s is None else one.until_s - NOW_S)
        for one in Stretch.objects.filter(ticket=ticket).order_by("from_s", "id")
    ]  # fmt: skip


def test_a_life_is_read_from_what_was_done(log: Any, person: Any) -> None:
    signe, supplier = person("Marit"), next(iter(current().suppliers.values()))["name"]
    ticket = log("Ines", "Crew roster", who="team", work="no")
    first, holder = ticket.team.name, ticket.holder.name if ticket.holder else ""
    start = ticket.opened_s - NOW_S
    other = Team.objects.exclude(pk=ticket.team_id).exclude(memberships__person=signe).first()
    assert other is not None

    def at(minutes: int) -> Acting:
        return Acting(person=signe, now=NOW + timedelta(minutes=minutes))

    taken = actions.take(ticket.pk, at(10), force=True)
    mine = taken.team.name
    actions.wait(ticket.pk, at(20), on=Waiting.SUPPLIER, reason="They look.", supplier=supplier)
    actions.resume(ticket.pk, at(50), "They called.")
    handed = actions.hand_over(ticket.pk, at(60), team=other, person=None, comment="Theirs.")
    now_with = handed.holder.name if handed.holder else ""
    assert stretches.keep_current(NOW_S + 9_000) > 0
    assert said(ticket) == [
        (first, holder, "", start, 600),
        (mine, signe.name, "", 600, 1200),
        (mine, signe.name, "supplier", 1200, 3000),
        (mine, signe.name, "", 3000, 3600),
        (other.name, now_with, "", 3600, None),
    ]
    given = Stretch.objects.filter(ticket=ticket, is_hand_over=True).last()
    assert given is not None
    assert (given.next_team, given.person) == (other, signe)
    wait = Stretch.objects.get(ticket=ticket, waiting="supplier")
    assert (wait.supplier, wait.by, wait.is_late) == (supplier, signe, False)
    assert stretches.keep_current(NOW_S + 9_001) == 0
    assert stretches.known_until_s(NOW_S + 9_500) == NOW_S + 9_500  # nothing has happened since
    log("Ines", "Crew roster", who="team", work="no")
    assert stretches.known_until_s(NOW_S + 9_500) == NOW_S + 9_000


@pytest.mark.parametrize(("used", "is_late"), [(0.5, False), (0.92, True), (1.2, False)])
def test_a_wait_that_begins_just_before_the_target_is_told(
    log: Any, person: Any, used: float, is_late: bool
) -> None:
    ticket = log("Ines", "Crew roster", who="team", work="no")
    clock = Clock.objects.get(ticket=ticket, kind="fix", holder="")
    spent = int(clock.target_seconds * used)
    at_s = current().calendar(clock.calendar).due_s(ticket.opened_s, spent)
    acting = Acting(person=person("Marit"), now=NOW + timedelta(seconds=at_s - NOW_S))
    actions.wait(ticket.pk, acting, on=Waiting.REQUESTER, reason="Which gate?")
    stretches.keep_all(at_s + 1)
    assert Stretch.objects.get(ticket=ticket, waiting="requester").is_late is is_late


def test_random_lives_are_kept_as_they_would_be_from_the_beginning(log: Any, person: Any) -> None:
    rng = random.Random(5)
    tickets = [log("Ines", "Crew roster", who="team", work="no") for _ in range(4)]
    people = [person(name) for name in ("Marit", "Marit", "Joss")]
    teams, now = list(Team.objects.all()), NOW
    done = 0
    for step in range(80):
        now += timedelta(minutes=rng.randrange(1, 300))
        ticket, acting = rng.choice(tickets), Acting(person=rng.choice(people), now=now)
        acts = [
            lambda t, a: actions.take(t, a, force=True),
            lambda t, a: actions.wait(t, a, on=Waiting.REQUESTER, reason="Which?"),
            lambda t, a: actions.resume(t, a, "So."),
            lambda t, a: actions.hand_over(
                t, a, team=rng.choice(teams), person=None, comment="Theirs."
            ),
            lambda t, a: actions.resolve(t, a, "It was the glass of the gate, wiped."),
            lambda t, a: actions.reopen(t, a, "It is broken again."),
            lambda t, a: actions.note(t, a, "Seen."),
        ]
        try:
            rng.choice(acts)(ticket.pk, acting)
            done += 1
        except (Problem, GannetError):
            pass
        if step % 9 == 0:
            stretches.keep_current(seconds_of(now))
    assert done > 30
    stretches.keep_all(seconds_of(now))
    columns = [one.attname for one in Stretch._meta.fields if one.name != "id"]
    kept = sorted(map(repr, Stretch.objects.values_list(*columns)))
    fresh = stretches.work_out([one.pk for one in tickets])
    assert kept == sorted(repr(tuple(getattr(one, name) for name in columns)) for one in fresh)
    for ticket in tickets:
        ticket.refresh_from_db()
        own = Stretch.objects.filter(ticket=ticket)
        assert own.filter(until_s=None).count() == int(ticket.is_open)
        last = own.order_by("from_s", "id").last()
        assert last is not None
        if ticket.is_open:
            assert (last.team_id, last.person_id) == (ticket.team_id, ticket.holder_id)
            assert last.waiting == ticket.waiting_on


def test_a_batch_of_many_tickets_is_read_in_parts(
    log: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    for _ in range(5):
        log("Ines", "Crew roster", who="team", work="no")
    monkeypatch.setattr(stretches, "MOST_TICKETS", 2)
    stretches.keep_current(NOW_S + 60)
    assert 0 < Stretch.objects.values("ticket").distinct().count() <= 2
    read = ReadUpTo.objects.get(name=stretches.NAME)
    assert read.event < Event.objects.order_by("-id").values_list("id", flat=True)[0]
    assert read.at_s <= NOW_S  # it does not say that it knows what it has not read
    stretches.keep_all(NOW_S + 60)
    assert Stretch.objects.values("ticket").distinct().count() == Ticket.objects.count()
    assert stretches.known_until_s(NOW_S + 90) == NOW_S + 90
