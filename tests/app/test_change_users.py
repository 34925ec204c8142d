"""Telling those who use what a change reaches, and announcing it on the portal."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine

from gannet.changes import planning, stages, users
from gannet.changes.assessing import assess
from gannet.changes.models import ChangeFacts
from gannet.estate.models import ConfigItem, Service
from gannet.knowledge.models import Announcement
from gannet.messages.models import Outgoing
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets.actions import approvals
from gannet.tickets.models import Approval, ApprovalState, Ticket, Timer, TimerState
from gannet.tickets.states import state_name
from gannet_core.instants import seconds_of
from tests.app.conftest import fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
Api = Callable[[str], Any]
Who = Callable[[str], Any]
BEGINS = datetime(2026, 12, 3, 1, 30, tzinfo=UTC)
STEPS = [
    {"part": "implement", "says": "Change it", "minutes": 20},
    {"part": "back out", "says": "Set it back", "minutes": 10},
]


@pytest.fixture
def planned(northmere: None, person: Who) -> Callable[..., Ticket]:
    """A planned change of the booking site by Joss, of moderate risk."""

    def made(key: str = "booking-site", *, to: str = "planned") -> Ticket:
        joss = Acting(person=person("Joss"), now=NOW)
        new = planning.NewChange(
            title="New certificates",
            why="The old ones run out.",
            items=[ConfigItem.objects.get(key=key)],
            service=Service.objects.get(name="Web booking"),
            starts_s=seconds_of(BEGINS),
            ends_s=seconds_of(BEGINS + timedelta(minutes=45)),
        )
        ticket = planning.open_change(new, joss)
        planning.edit(ticket.pk, joss, {"steps": STEPS})
        if to == "draft":
            return ticket
        stages.submit(ticket.pk, joss)
        stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
        while state_name(Ticket.objects.get(pk=ticket.pk).state) == "authorise":
            asked = Approval.objects.filter(ticket=ticket, state=ApprovalState.PENDING).first()
            assert asked is not None
            approvals.decide(
                Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason=""
            )
        return Ticket.objects.get(pk=ticket.pk)

    return made


def letters(name: str) -> list[Outgoing]:
    return list(Outgoing.objects.filter(event_name=name).order_by("pk"))


def run(at: datetime) -> None:
    """The worker fires what is due then."""
    with time_machine.travel(at, tick=False):
        fire(users.NOTICE, seconds_of(at))


def notice(ticket: Ticket) -> Timer | None:
    return Timer.objects.filter(ticket=ticket, kind=users.NOTICE, state=TimerState.ARMED).first()


def test_those_whom_it_reaches_hear_a_day_before_and_after(
    planned: Callable[..., Ticket], person: Who
) -> None:
    ticket = planned()
    timer = notice(ticket)
    assert timer is not None
    assert timer.at_s == seconds_of(BEGINS - timedelta(hours=24))
    found = assess(ticket, current(), seconds_of(NOW))
    wanted = set(users.of_what_it_reaches(found).exclude(email="").values_list("email", flat=True))
    assert wanted
    run(BEGINS - timedelta(hours=24))
    sent = letters("change coming")
    assert {one.to for one in sent} == wanted
    assert "Thursday 3 December, 01:30" in sent[0].subject
    assert "{" not in sent[0].subject + sent[0].body
    run(BEGINS - timedelta(hours=12))
    assert len(letters("change coming")) == len(sent), "nobody hears twice"
    assert notice(ticket) is None

    joss = person("Joss")
    stages.start(ticket.pk, Acting(person=joss, now=BEGINS))
    stages.implemented(ticket.pk, Acting(person=joss, now=BEGINS + timedelta(minutes=30)))
    after = letters("change over")
    assert {one.to for one in after} == wanted
    assert "It is done." in after[0].body


def test_who_uses_it_are_the_departments_of_its_services_and_whose_items_stand_on_it(
    planned: Callable[..., Ticket],
) -> None:
    ticket = planned()
    found = assess(ticket, current(), seconds_of(NOW))
    half = [service for service, one, _ in found.affected if one.reach * 2 >= 1]
    departments = {name for service in half for name in service.departments}
    told = users.of_what_it_reaches(found)
    assert departments
    for one in Person.objects.filter(is_active=True, department__in=departments):
        assert told.filter(pk=one.pk).exists()
    strange = told.exclude(department__in=departments)
    assert not strange.filter(devices=None).exists()


def test_a_moved_change_is_told_again_and_a_cancelled_one_does_not_come(
    planned: Callable[..., Ticket], person: Who, api: Api
) -> None:
    ticket = planned()
    run(BEGINS - timedelta(hours=24))
    first = len(letters("change coming"))
    facts = ChangeFacts.objects.get(ticket=ticket)
    assert facts.told_s == seconds_of(BEGINS)
    with time_machine.travel(BEGINS - timedelta(hours=20), tick=False):
        said = {"why": "The maker is late."}
        answer = api("Joss").post(f"/api/tickets/{ticket.pk}/cancel", said, content_type=JSON)
        assert answer.status_code == 200, answer.content
    over = letters("change over")
    assert len(over) == first
    assert "It does not take place." in over[0].body


def test_those_who_were_told_hear_that_it_was_backed_out(
    planned: Callable[..., Ticket], person: Who
) -> None:
    ticket, joss = planned(), person("Joss")
    run(BEGINS - timedelta(hours=24))
    stages.start(ticket.pk, Acting(person=joss, now=BEGINS))
    stages.back_out(ticket.pk, Acting(person=joss, now=BEGINS + timedelta(minutes=9)), "It burns")
    over = letters("change over")
    assert len(over) == len(letters("change coming")) > 0
    assert "It was stopped, and all is as it was before." in over[0].body


@pytest.mark.parametrize("change", ["ratings", "hours", "confidential", "message"])
def test_nobody_is_told_where_the_rulebook_or_the_change_says_so(
    planned: Callable[..., Ticket], change: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    ticket = planned()
    book = current()
    if change == "ratings":
        object.__setattr__(book.changes, "tell_ratings", ("critical",))
    elif change == "hours":
        object.__setattr__(book.changes, "tell_hours", 0)
    elif change == "confidential":
        Ticket.objects.filter(pk=ticket.pk).update(is_confidential=True)
    else:
        monkeypatch.delitem(book.messages, users.COMING)  # type: ignore[arg-type]
    planning.edit(
        ticket.pk, Acting(person=Person.objects.get(name="Joss Levering"), now=NOW),
        {"why": "Said once more"},
    )  # fmt: skip
    try:
        run(BEGINS - timedelta(hours=24))
        assert letters("change coming") == []
    finally:
        object.__setattr__(book.changes, "tell_hours", 24)
        object.__setattr__(book.changes, "tell_ratings", ("moderate", "high", "critical"))


def announce(api: Api, ticket: Ticket, who: str = "Marit", **said: Any) -> Any:
    body = {"title": "Planned work on Web booking", "text": "It may stop.", **said}
    with time_machine.travel(NOW, tick=False):
        return api(who).post(f"/api/changes/{ticket.pk}/announce", body, content_type=JSON)


def test_an_announcement_says_when_and_moves_with_the_change(
    planned: Callable[..., Ticket], api: Api, person: Who
) -> None:
    ticket = planned(to="draft")
    answer = announce(api, ticket)
    assert answer.status_code == 200, answer.content
    row = Announcement.objects.get()
    assert row.text.startswith("Thursday 3 December, 01:30 to 02:15 (Europe/London).")
    assert (row.from_s, row.to_s) == (seconds_of(NOW), seconds_of(BEGINS) + 45 * 60)
    later = seconds_of(BEGINS + timedelta(days=2))
    planning.edit(
        ticket.pk, Acting(person=person("Joss"), now=NOW),
        {"starts_s": later, "ends_s": later + 3600},
    )  # fmt: skip
    row.refresh_from_db()
    assert row.text.startswith("Saturday 5 December, 01:30 to 02:30 (Europe/London).")
    assert row.text.endswith("It may stop.")
    assert row.to_s == later + 3600
    assert announce(api, ticket, title="Web booking stops").status_code == 200
    assert Announcement.objects.get().title == "Web booking stops", "said anew, it is one still"


@pytest.mark.parametrize("ends", ["done", "cancelled", "taken off"])
def test_an_announcement_ends_with_the_change(
    planned: Callable[..., Ticket], api: Api, person: Who, ends: str
) -> None:
    ticket = planned()
    assert announce(api, ticket).status_code == 200
    soon = BEGINS + timedelta(minutes=10)
    joss = person("Joss")
    if ends == "done":
        stages.start(ticket.pk, Acting(person=joss, now=BEGINS))
        stages.implemented(ticket.pk, Acting(person=joss, now=soon))
    elif ends == "cancelled":
        with time_machine.travel(soon - timedelta(hours=3), tick=False):
            api("Joss").post(
                f"/api/tickets/{ticket.pk}/cancel", {"why": "x"},
                content_type=JSON,
            )  # fmt: skip
    else:
        assert api("Marit").delete(f"/api/changes/{ticket.pk}/announce").status_code == 200
        assert api("Marit").delete(f"/api/changes/{ticket.pk}/announce").status_code == 404
    assert not Announcement.objects.filter(to_s__gt=seconds_of(soon)).exists()


@pytest.mark.parametrize(
    ("who", "body", "status"),
    [("Joss", {}, 403), ("Marit", {"title": " "}, 422), ("Marit", {"text": "x" * 3501}, 422)],
)
def test_what_cannot_be_announced_is_refused(
    planned: Callable[..., Ticket], api: Api, who: str, body: dict[str, str], status: int
) -> None:
    assert announce(api, planned(to="draft"), who, **body).status_code == status
    assert not Announcement.objects.exists()


def test_what_is_confidential_or_unplanned_is_not_announced(
    planned: Callable[..., Ticket], api: Api
) -> None:
    ticket = planned(to="draft")
    ChangeFacts.objects.filter(ticket=ticket).update(starts_s=None)
    assert announce(api, ticket).status_code == 409
    ChangeFacts.objects.filter(ticket=ticket).update(starts_s=seconds_of(BEGINS))
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=True)
    assert announce(api, ticket).status_code in (404, 409)
    assert not Announcement.objects.exists()


def test_a_cancelled_change_that_is_taken_back_is_announced_and_comes_after_all(
    planned: Callable[..., Ticket], api: Api
) -> None:
    ticket = planned()
    assert announce(api, ticket).status_code == 200
    until = Announcement.objects.get().to_s
    run(BEGINS - timedelta(hours=24))
    with time_machine.travel(BEGINS - timedelta(hours=20), tick=False):
        api("Joss").post(f"/api/tickets/{ticket.pk}/cancel", {"why": "x"}, content_type=JSON)
        assert letters("change over")
        assert Announcement.objects.get().to_s < until
        answer = api("Joss").post(f"/api/tickets/{ticket.pk}/undo", {}, content_type=JSON)
        assert answer.status_code == 200, answer.content
    assert state_name(Ticket.objects.get(pk=ticket.pk).state) == "planned"
    assert Announcement.objects.get().to_s == until
    assert {one.withdrawn for one in letters("change over")} == {1}
