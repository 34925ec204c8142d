"""Fulfilling: what tasks read and yield, who gets them when their turn comes, what they cost."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from gannet.audit.models import Event
from gannet.estate.models import ConfigItem
from gannet.people.acting import Acting
from gannet.people.models import Absence, Membership, Person, Team
from gannet.requests.asking import change_answers
from gannet.requests.events import RequestEvent
from gannet.requests.json import answers_json
from gannet.requests.models import facts_of
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Task, TaskState, Ticket
from gannet.tickets.task_json import tasks_json
from gannet.web.errors import Invalid
from gannet_core.instants import seconds_of
from tests.app.conftest import LAPTOP, approve_all, fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
By = Callable[[str | None], Any]
NOW_S = seconds_of(NOW)


@pytest.fixture
def laptop(want: Any) -> Ticket:
    ticket: Ticket = want("Piotr", "laptop", LAPTOP)
    approve_all(ticket)
    return ticket


def named(ticket: Ticket, title: str) -> Task:
    return ticket.tasks.get(title=title)


def read(ticket: Ticket, title: str) -> dict[str, str]:
    (found,) = [task for task in tasks_json(ticket) if task["title"] == title]
    return {one["name"]: one["value"] for one in found["inputs"]}


def test_what_a_task_yields_is_asked_for_and_read_by_those_after_it(laptop: Ticket, by: By) -> None:
    take = named(laptop, "Take one from the stores")
    assert read(laptop, "Set it up") == {"asset tag": "", "for": laptop.requester.name}
    with pytest.raises(Invalid, match="asset tag") as refused:
        actions.set_task(laptop.pk, by("Signe"), take.pk, "done")
    assert set(refused.value.extra["fields"]) == {"asset tag"}
    assert named(laptop, take.title).state == TaskState.OPEN
    said = {"asset tag": " NF-2210 ", "something else": "is not taken"}
    actions.set_task(laptop.pk, by("Signe"), take.pk, "done", outputs=said)
    assert named(laptop, take.title).outputs == {"asset tag": "NF-2210"}
    assert read(laptop, "Set it up")["asset tag"] == "NF-2210"
    event = Event.objects.filter(ticket=laptop, kind=TicketEvent.TASK_DONE).latest("id")
    assert event.values["outputs"] == {"asset tag": "NF-2210"}


def test_a_yielded_value_that_looks_like_a_name_is_only_text(laptop: Ticket, by: By) -> None:
    take = named(laptop, "Take one from the stores")
    actions.set_task(laptop.pk, by("Signe"), take.pk, "done", outputs={"asset tag": "{person}"})
    assert read(laptop, "Set it up")["asset tag"] == "{person}"


def test_a_runbook_yields_what_the_next_task_reads(want: Any) -> None:
    ticket = want("Piotr", "mail-account", {"account_name": "arvid.ness"})
    approve_all(ticket)
    fire("runbook", NOW_S)
    done = named(ticket, "Create the account")
    assert done.state == TaskState.DONE and done.outputs == {"address": done.outputs["address"]}
    assert done.outputs["address"].startswith("arvid.ness@")
    assert read(ticket, "Tell the person") == {"address": done.outputs["address"]}


def test_a_failing_runbook_leaves_its_task_to_somebody(want: Any, by: By) -> None:
    ticket = want("Piotr", "mail-account", {"account_name": "fail.please"})
    approve_all(ticket)
    assert fire("runbook", NOW_S) == 1 and fire("runbook", NOW_S) == 0, "not tried for ever"
    task = named(ticket, "Create the account")
    assert task.state == TaskState.OPEN and not task.runbook
    assert Event.objects.filter(
        ticket=ticket, kind=TicketEvent.NOTED, text__contains="by itself"
    ).exists()
    actions.set_task(ticket.pk, by("Signe"), task.pk, "done", outputs={"address": "f@northmere"})


def test_a_task_finds_its_person_in_turn_when_its_turn_has_come(laptop: Ticket, by: By) -> None:
    team = Team.objects.get(name="Platforms")
    away = team.memberships.order_by("person_id").first()
    assert away is not None
    hour = timedelta(hours=1)
    Absence.objects.create(person=away.person, starts_at=NOW - hour, ends_at=NOW + hour)
    assert fire("task", NOW_S) == 0, "it waits for another task"
    take = named(laptop, "Take one from the stores")
    actions.set_task(laptop.pk, by("Signe"), take.pk, "done", outputs={"asset tag": "NF-1"})
    fire("task", NOW_S)
    person = named(laptop, "Set it up").person
    assert person is not None and person != away.person
    turn = Membership.objects.get(team=team, person=person)
    assert turn.last_auto is not None
    told = Event.objects.filter(ticket=laptop, kind=TicketEvent.TASK_CHANGED).latest("id")
    assert person.name in told.values["state"] and told.is_automatic
    assert fire("task", NOW_S + 9) == 0, "given once"


def test_a_task_that_nobody_can_take_is_looked_at_again(laptop: Ticket, by: By) -> None:
    team = Team.objects.get(name="Platforms")
    team.memberships.update(is_set_aside=True)
    take = named(laptop, "Take one from the stores")
    actions.set_task(laptop.pk, by("Signe"), take.pk, "done", outputs={"asset tag": "NF-1"})
    fire("task", NOW_S)
    left = named(laptop, "Set it up")
    assert left.person is None and left.route_again_s is not None
    assert left.route_again_s > NOW_S and fire("task", NOW_S) == 0
    team.memberships.update(is_set_aside=False)
    again_s = left.route_again_s
    assert fire("task", again_s) == 1
    assert named(laptop, "Set it up").person is not None


def test_a_person_put_in_by_hand_is_not_replaced(laptop: Ticket, by: By) -> None:
    task, signe = named(laptop, "Set it up"), Person.objects.get(name="Signe Hallam")
    actions.change_task(laptop.pk, by("Signe"), task.pk, {"person": signe.pk})
    Task.objects.filter(title="Take one from the stores").update(state=TaskState.DONE)
    assert fire("task", NOW_S) == 0
    with pytest.raises(Invalid, match="which team"):
        actions.change_task(laptop.pk, by("Signe"), task.pk, {"team": None, "mode": "in turn"})


def test_costs_are_planned_and_spent(want: Any, by: By) -> None:
    ticket = want("Piotr", "till", {"terminal": "Orrin Bay", "counter": "2"})
    approve_all(ticket)
    ticket.refresh_from_db()
    planned = sum(ticket.tasks.values_list("cost_pence", flat=True))
    assert ticket.cost_pence == planned > 0 and ticket.spent_pence == 0
    order = named(ticket, "Order it")
    actions.set_task(ticket.pk, by("Signe"), order.pk, "done", spent_pence=139_950)
    ticket.refresh_from_db()
    assert (ticket.cost_pence, ticket.spent_pence) == (planned, 139_950)
    actions.set_task(ticket.pk, by("Signe"), order.pk, "skipped")
    ticket.refresh_from_db()
    assert (ticket.cost_pence, ticket.spent_pence) == (0, 0), "what is skipped costs nothing"


def test_answers_that_name_somebody_or_something_must_find_them(want: Any, api: Any) -> None:
    body = {"which_thing": "Gate 2, Kestrel Point", "move_to": "Ramp 4"}
    with pytest.raises(Invalid) as refused:
        want("Piotr", "move-fixed", {**body, "which_thing": "Gate 99"})
    assert refused.value.extra["fields"] == {"which_thing": "There is nothing of that name."}
    ticket = want("Piotr", "move-fixed", {**body, "which_thing": "gate 2, KESTREL point"})
    assert ticket.ci is not None and ticket.ci.name == body["which_thing"]
    (asked,) = ticket.approvals.filter(state="pending")
    assert asked.asked_of == ticket.ci.owner, "the technical owner of what is named decides"
    shared = {"shared_name": "Stores", "shared_who": "All", "shared_owner": "Nobody Known"}
    with pytest.raises(Invalid, match="Who answers for it"):
        want("Piotr", "mail-list", shared)
    found = api("Piotr").get("/api/things?q=gate 2 kestrel").json()
    assert [one["name"] for one in found] == [body["which_thing"]]
    laptop = ConfigItem.objects.filter(kind="laptop", used_by__isnull=False)
    other = laptop.exclude(used_by__name="Piotr Dallow")[0]
    named_it = api("Piotr").get("/api/things", {"q": other.name}).json()
    assert named_it == [], "whose laptop it is, is not everybody's to look up"


def test_a_file_among_the_answers_is_attached_and_stays_with_its_request(
    want: Any, api: Any
) -> None:
    piotr = api("Piotr")
    sent = SimpleUploadedFile("offer.txt", b"4 seats", content_type="text/plain")
    kept = piotr.post("/api/attachments", {"file": sent}).json()
    answers = {"program": "Chart reader", "quote": [kept]}
    ticket = want("Piotr", "other-software", answers)
    assert ticket.values["quote"] == ["offer.txt"]
    assert list(ticket.attachments.values_list("name", flat=True)) == ["offer.txt"]
    again = want("Piotr", "other-software", dict(ticket.values))
    assert "quote" not in again.values, "a file of another request does not come along"
    with pytest.raises(Invalid, match="no longer there"):
        want("Maeve", "other-software", answers)


def test_the_desk_changing_an_answer_asks_those_again_whom_it_touches(want: Any, by: By) -> None:
    ticket = want("Piotr", "remote-access", {"outside_country": False})
    assert ticket.approval == "automatic"
    actions.change_facts(ticket.pk, by("Signe"), {"outside_country": True}, None)
    ticket.refresh_from_db()
    assert ticket.approval == "pending" and ticket.approvals.filter(state="pending").exists()


def test_a_common_answer_that_changes_goes_on_to_the_parts(want: Any, by: By) -> None:
    answers = {
        "newcomer_name": "Petra Voss",
        "first_day": "2026-12-02",
        "account_name": "petra.voss",
        "ship_to": "Orrin Bay",
        "doors": "Office",
    }
    parts = {"laptop": {"laptop_size": "15 inches"}}
    ticket = want("Piotr", "newcomer", answers, of="Maeve", part_answers=parts)
    change_answers(ticket.pk, by("Piotr"), {"ship_to": "Vell Island"})
    ticket.refresh_from_db()
    assert facts_of(ticket).parts["laptop"] == {
        "laptop_size": "15 inches",
        "ship_to": "Vell Island",
    }
    approve_all(ticket)
    laptop = ticket.children.get(request_facts__item="laptop")
    assert laptop.values["ship_to"] == "Vell Island"
    change_answers(ticket.pk, by("Piotr"), {"ship_to": "Kestrel Point"})
    laptop.refresh_from_db()
    assert laptop.values["ship_to"] == "Kestrel Point"
    assert laptop.values["laptop_size"] == "15 inches", "its own answers stay"
    told = Event.objects.filter(ticket=laptop, kind=RequestEvent.ANSWERS_CHANGED).get()
    assert told.is_automatic
    other = ticket.children.get(request_facts__item="mail-account")
    assert not Event.objects.filter(ticket=other, kind=RequestEvent.ANSWERS_CHANGED).exists()


def test_a_file_that_the_desk_answers_with_is_attached_too(want: Any, api: Any, by: By) -> None:
    ticket = want("Piotr", "other-software", {"program": "Chart reader"})
    signe = api("Signe")
    sent = SimpleUploadedFile("offer.txt", b"4 seats", content_type="text/plain")
    kept = signe.post("/api/attachments", {"file": sent}).json()
    actions.change_facts(ticket.pk, by("Signe"), {"quote": [kept]}, None)
    ticket.refresh_from_db()
    assert ticket.values["quote"] == ["offer.txt"]
    assert ticket.attachments.get().name == "offer.txt"
    with pytest.raises(Invalid, match="There is nothing of that name"):
        actions.change_facts(ticket.pk, by("Signe"), {"which_thing": "Gate 99"}, None)


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [
        ("first_day", "2026-12-02", "Wednesday 2 December 2026"),
        ("first_day", "soon", "soon"),
        ("program_cost", 1200, "£1,200"),
        ("program_cost", 9.5, "£9.50"),
        ("works_away", False, "no"),
        ("quote", ["offer.pdf", "plan.png"], "offer.pdf, plan.png"),
        ("move_to", "Room 12", "Room 12"),
    ],
)
def test_answers_are_told_in_words(northmere: None, field: str, value: object, words: str) -> None:
    (told,) = answers_json(Ticket(values={field: value}), current())
    assert told["value"] == words


def test_asking_again_knows_for_whom_it_was(want: Any, api: Any, person: Any) -> None:
    ticket = want("Maeve", "headset", {"ship_to": "Orrin Bay"}, of="Piotr")
    approve_all(ticket)
    here = f"/api/portal/tickets/{ticket.pk}"
    request = api("Maeve").get(here).json()["request"]
    assert request["may_change_answers"] and not request["may_ask_again"]
    actions.resolve(ticket.pk, Acting(person=person("Signe"), now=NOW), "It is there.")
    request = api("Maeve").get(here).json()["request"]
    assert request["may_ask_again"] and not request["may_change_answers"]
    assert request["again"]["beneficiary"] == person("Piotr").pk
    assert request["again"]["answers"] == {"ship_to": "Orrin Bay"}
