"""What is done to a record is news to its parent and to what it is linked to, when it is done."""

from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.messages.models import Outgoing
from gannet.people.models import Person
from gannet.tickets import actions
from gannet.tickets.actions import frame
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Link, LinkKind, Ticket
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.app.test_engine import agreement, fresh, leaf, publish, rule, run_until
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
DONE = "Changed its cable, and tried it with the clerk."


def rules(*listed: dict[str, Any]) -> None:
    publish(lambda document: document.update(rules=list(listed)))


def noted(ticket: Ticket) -> list[str]:
    events = Event.objects.filter(ticket=ticket, kind=TicketEvent.NOTED, is_automatic=True)
    return [event.text.partition("\n")[0] for event in events.order_by("id")]


def hears(moment: str, **parts: Any) -> dict[str, Any]:
    return rule(
        key=moment.replace(" ", "-"), name=moment.capitalize(), when=[moment],
        then=[{"do": "note", "text": f"heard: {moment}"}], **parts,
    )  # fmt: skip


@pytest.fixture
def pair(log: Callable[..., Any]) -> tuple[Ticket, Ticket]:
    """A record and its child."""
    whole, part = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    Ticket.objects.filter(pk=part.pk).update(parent=whole)
    return whole, part


@pytest.fixture
def linked(log: Callable[..., Any], by: Any) -> tuple[Ticket, Ticket]:
    one, other = log("Maeve", "Boarding gates"), log("Maeve", "Boarding gates")
    actions.link(one.pk, by("Signe"), LinkKind.RELATED, other.pk)
    return one, other


def acts(by: Any) -> dict[str, Callable[[int], Any]]:
    return {
        "taken": lambda pk: actions.take(pk, by("Signe"), force=True),
        "priority": lambda pk: actions.set_priority(pk, by("Signe"), 1, "a ship waits"),
        "waiting": lambda pk: actions.wait(
            pk, by("Signe"), on=Waiting.REQUESTER, reason="Which one?"
        ),
        "resolved": lambda pk: actions.resolve(pk, by("Signe"), DONE),
        "cancelled": lambda pk: actions.cancel(pk, by("Signe"), "not needed"),
        "requester": lambda pk: actions.requester_writes(pk, by("Maeve"), "The left one."),
    }


@pytest.mark.parametrize(
    "act", ["taken", "priority", "waiting", "resolved", "cancelled", "requester"]
)
def test_a_parents_rules_hear_of_each_act_on_its_child_once(
    pair: tuple[Ticket, Ticket], by: Any, act: str
) -> None:
    whole, part = pair
    rules(hears("child changed"))
    acts(by)[act](part.pk)
    assert noted(whole) == ["heard: child changed"]
    assert noted(part) == []
    told = Event.objects.get(ticket=whole, kind=TicketEvent.CHILD_CHANGED)
    assert told.values["other"] == part.pk
    assert verify()[1] is None


@pytest.mark.parametrize("which", [0, 1])
def test_both_ends_of_a_link_hear_of_each_other(
    linked: tuple[Ticket, Ticket], by: Any, which: int
) -> None:
    rules(hears("linked changed"))
    actions.take(linked[which].pk, by("Signe"), force=True)
    assert noted(linked[1 - which]) == ["heard: linked changed"]
    assert noted(linked[which]) == []


def test_two_that_answer_each_other_do_not_go_on_for_ever(
    linked: tuple[Ticket, Ticket], by: Any
) -> None:
    rules(hears("linked changed"), hears("updated"))
    actions.take(linked[0].pk, by("Signe"), force=True)
    assert noted(linked[0]) == ["heard: updated"]
    assert noted(linked[1]) == ["heard: linked changed"]


def test_nothing_is_written_where_no_rule_answers(pair: tuple[Ticket, Ticket], by: Any) -> None:
    whole, part = pair
    rules(hears("child changed", **{"if": leaf("priority", "is", "P1")}))
    before = (fresh(whole).version, fresh(whole).changed_s)
    count = Event.objects.filter(ticket=whole).count()
    actions.take(part.pk, by("Signe"), force=True)
    assert (fresh(whole).version, fresh(whole).changed_s) == before
    assert Event.objects.filter(ticket=whole).count() == count


def test_an_ended_parent_is_left_as_it_is(pair: tuple[Ticket, Ticket], by: Any) -> None:
    whole, part = pair
    actions.resolve(part.pk, by("Signe"), DONE)
    actions.resolve(whole.pk, by("Signe"), DONE)
    rules(hears("child changed"))
    actions.reopen(part.pk, by("Maeve"), "It is back.")
    assert noted(whole) == []


def test_what_a_rule_sets_follows_from_the_child(pair: tuple[Ticket, Ticket], by: Any) -> None:
    whole, part = pair
    rules(
        rule(when=["child changed"], then=[{"do": "set", "field": "priority", "value": "P1"}]),
    )
    actions.take(part.pk, by("Signe"), force=True)
    assert fresh(whole).priority == 1
    assert fresh(part).priority != 1
    promised = Event.objects.filter(ticket=whole, kind=TicketEvent.PROMISED).last()
    assert promised is not None and promised.values["priority"] == 1


def test_looking_at_a_child_is_no_news(pair: tuple[Ticket, Ticket], api: Any) -> None:
    whole, part = pair
    rules(hears("child changed"))
    assert api("Signe").get(f"/api/tickets/{part.pk}").status_code == 200
    assert noted(whole) == []


def test_an_act_on_many_is_news_to_each_parent(pair: tuple[Ticket, Ticket], by: Any) -> None:
    whole, part = pair
    rules(hears("child changed"))
    acting = by("Signe")
    writes = frame.load_many([part.pk], acting, lock=True)
    for write in writes:
        write.record(TicketEvent.NOTED, text="all of them")
    frame.finish_all(writes)
    assert noted(whole) == ["heard: child changed"]


# --- escalation steps that give it to somebody else ------------------------------------


def step(then: list[dict[str, Any]]) -> dict[str, Any]:
    return {"key": "s", "name": "quarter gone", "clock": "fix", "moment": {"at_percent": 25},
            "then": then}  # fmt: skip


@pytest.mark.parametrize(
    ("then", "team", "holder"),
    [
        ([{"do": "assign team", "team": "Networks"}], "Networks", None),
        ([{"do": "assign person", "person": "Marit Osei"}], None, "Marit Osei"),
        (
            [{"do": "set", "field": "priority", "value": "P1"},
             {"do": "assign team", "team": "Networks"}],
            "Networks", None,
        ),
    ],
)  # fmt: skip
def test_a_step_gives_it_to_somebody_else(
    log: Callable[..., Any], then: list[dict[str, Any]], team: str | None, holder: str | None
) -> None:
    for action in then:
        if "person" in action:
            action["person"] = Person.objects.get(name=action["person"]).email
    for one in ("sailing-critical", "terminals", "offices"):
        publish(lambda document, one=one: agreement(document, one).update(steps=[step(then)]))
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    run_until(seconds_of(NOW) + 90 * 60)
    moved = fresh(ticket)
    if team:
        assert moved.team.name == team
    if holder:
        assert moved.holder is not None and moved.holder.name == holder
    handed = Event.objects.filter(ticket=ticket, kind=TicketEvent.HANDED_OVER).last()
    assert handed is not None and handed.is_automatic
    assert "quarter gone" in handed.text
    if moved.holder is not None:
        told = Outgoing.objects.filter(ticket=ticket, person=moved.holder)
        assert told.exists()


def test_a_step_that_names_somebody_gone_leaves_it_where_it_is(
    log: Callable[..., Any],
) -> None:
    gone = Person.objects.get(name="Marit Osei")
    then = [{"do": "assign person", "person": gone.email}, {"do": "tag", "tags": ["late-ish"]}]
    for one in ("sailing-critical", "terminals", "offices"):
        publish(lambda document, one=one: agreement(document, one).update(steps=[step(then)]))
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    Person.objects.filter(pk=gone.pk).update(is_active=False)
    before = (fresh(ticket).team_id, fresh(ticket).holder_id)
    run_until(seconds_of(NOW) + 90 * 60)
    assert (fresh(ticket).team_id, fresh(ticket).holder_id) == before
    assert "late-ish" in fresh(ticket).tags


def test_a_rule_tells_somebody_who_is_not_of_the_desk(log: Callable[..., Any], by: Any) -> None:
    piotr = Person.objects.get(name__startswith="Piotr")
    ticket = log("Maeve", "Boarding gates")
    rules(
        rule(then=[{"do": "notify", "who": [piotr.email], "message": "followed"}]),
    )
    actions.take(ticket.pk, by("Signe"), force=True)
    assert Outgoing.objects.filter(ticket=ticket, to=piotr.email).exists()
    assert not Link.objects.exists()
