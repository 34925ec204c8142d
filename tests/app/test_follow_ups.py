"""Follow-ups: tasks that outlive their record, hold nothing up, and stay in sight until done."""

from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.messages.models import Notification
from gannet.tickets import actions, queries
from gannet.tickets.models import Task, TaskState, Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"


@pytest.fixture
def ended(log: Any, by: Any, person: Any) -> Ticket:
    """An incident that was resolved and closed, with a follow-up that Joss has."""
    ticket = log("Maeve", "Boarding gates")
    follow_up = {"title": "Buy a spare reader", "person": person("Joss").pk, "outlives": True}
    actions.add_task(ticket.pk, by("Signe"), follow_up)
    actions.resolve(ticket.pk, by("Signe"), "A new reader head.")
    actions.close(ticket.pk, by(None))
    return Ticket.objects.get(pk=ticket.pk)


def tasks_of(name: Any) -> list[str]:
    return [one["title"] for one in queries.lookout(name, seconds_of(NOW))["tasks"]]


def test_a_follow_up_holds_no_end_up_and_stays_in_sight_until_it_is_done(
    ended: Ticket, by: Any, person: Any
) -> None:
    task = ended.tasks.get()
    assert (ended.is_open, task.state, ended.open_tasks, ended.all_tasks) == (
        False, TaskState.OPEN, 0, 0,
    )  # fmt: skip
    joss = person("Joss")
    assert "Buy a spare reader" in tasks_of(joss)
    assert Notification.objects.filter(person=joss, about=f"task:{task.pk}").exists()
    actions.set_task(ended.pk, by("Joss"), task.pk, "done")
    task.refresh_from_db()
    assert task.done_by == joss and "Buy a spare reader" not in tasks_of(joss)
    assert not Notification.objects.filter(
        person=joss, about=f"task:{task.pk}", gone_s=None
    ).exists()
    actions.set_task(ended.pk, by("Joss"), task.pk, "open")
    assert "Buy a spare reader" in tasks_of(joss)
    assert not Ticket.objects.get(pk=ended.pk).is_open, "the record itself stays ended"
    assert verify()[1] is None


def test_on_what_has_ended_only_follow_ups_are_added(ended: Ticket, api: Any, by: Any) -> None:
    path = f"/api/tickets/{ended.pk}/tasks"
    refused = api("Signe").post(path, {"title": "Look again"}, content_type=JSON)
    assert refused.status_code in (409, 422), refused.content
    added = api("Signe").post(
        f"/api/tickets/{ended.pk}/follow-ups", {"title": "Tell the maker"}, content_type=JSON
    )
    assert added.status_code == 200, added.content
    shown = [(one["title"], one["outlives"], one["state"]) for one in added.json()["tasks"]]
    assert ("Tell the maker", True, "open") in shown
    task = Task.objects.get(title="Tell the maker")
    changed = api("Signe").patch(
        f"{path}/{task.pk}", {"title": "Tell the maker in writing"}, content_type=JSON
    )
    assert changed.status_code == 200, changed.content
    assert api("Signe").delete(f"{path}/{task.pk}").status_code == 200
    assert not Task.objects.filter(pk=task.pk).exists()


def test_doing_the_last_task_resolves_whatever_follow_ups_are_left(
    log: Any, by: Any, person: Any
) -> None:
    """A follow-up neither keeps a record open nor ends it."""
    ticket = log("Maeve", "Boarding gates")
    actions.add_task(ticket.pk, by("Signe"), {"title": "Later", "outlives": True})
    plain = actions.add_task(ticket.pk, by("Signe"), {"title": "Now"})
    assert (plain.open_tasks, plain.all_tasks) == (1, 1)
    later, now = ticket.tasks.order_by("id")
    actions.set_task(ticket.pk, by("Signe"), later.pk, "done")
    ticket.refresh_from_db()
    assert ticket.is_open and ticket.open_tasks == 1
    with pytest.raises(Invalid):
        actions.resolve(ticket.pk, by("Signe"), "")
    actions.set_task(ticket.pk, by("Signe"), later.pk, "open")
    actions.set_task(ticket.pk, by("Signe"), now.pk, "done")
    later.refresh_from_db()
    assert later.state == TaskState.OPEN


@pytest.mark.parametrize("name", ["Ines", "Tomas"])
def test_those_who_do_not_work_there_do_not_add_follow_ups(
    ended: Ticket, api: Any, name: str
) -> None:
    answer = api(name).post(
        f"/api/tickets/{ended.pk}/follow-ups", {"title": "x"}, content_type=JSON
    )
    assert answer.status_code in (403, 404), answer.content
    assert ended.tasks.count() == 1


def test_a_plain_task_of_what_has_ended_stays_as_it_was(log: Any, by: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look"})
    task = ticket.tasks.get()
    actions.set_task(ticket.pk, by("Signe"), task.pk, "done")
    if Ticket.objects.get(pk=ticket.pk).is_open:
        actions.resolve(ticket.pk, by("Signe"), "A new reader head.")
    with pytest.raises(Conflict):
        actions.set_task(ticket.pk, by("Signe"), task.pk, "open")
