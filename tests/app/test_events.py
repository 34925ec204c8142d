"""Kinds of events: each says itself, and no reader learns more from a sentence than they may."""

from typing import Any

import pytest

from gannet.audit.kinds import EventKind, Telling, kinds
from gannet.audit.models import Event
from gannet.tickets import actions, mass
from gannet.tickets.actions.undo import _restores
from gannet.tickets.approval_events import ApprovalEvent
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import moments
from tests.app.conftest import LAPTOP
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


@pytest.mark.parametrize("name", sorted(kinds()))
def test_every_kind_says_itself_whatever_is_known_of_it(name: str) -> None:
    for facts, values in (({}, {}), ({"person": "7"}, {"title": None, "set": {}, "by": []})):
        said = kinds()[name].says(Telling(who="Joss Berg", facts=facts, values=values))
        assert said and "None" not in said and "{" not in said


TOLD = [
    (TicketEvent.HANDED_OVER, {"facts": {"team": "net", "person": "4"}, "text": "cable"}, "Joss handed it to <net>, <4>: “cable”"),
    (TicketEvent.HANDED_OVER, {"facts": {"team": "net", "person": None}}, "Joss handed it to <net>"),
    (TicketEvent.WAITING, {"facts": {"on": "requester", "until": "90"}, "text": "which?"}, "waiting on Maeve until [90]: “which?”"),
    (TicketEvent.WAITING, {"facts": {"on": "supplier", "supplier": "Quay Cables"}}, "waiting on Quay Cables"),
    (TicketEvent.WAITING, {"facts": {"on": "approval"}, "text": "Tomas decides"}, "waiting for a decision: “Tomas decides”"),
    (TicketEvent.RESUMED, {"is_automatic": True}, "resumed automatically"),
    (TicketEvent.CLOSED, {"is_automatic": True}, "closed by itself after the closing period"),
    (TicketEvent.CHANGED, {"values": {"changes": {"place": [None, "Saltgate"], "tags": [["a"], []]}}}, "Joss changed place nothing → Saltgate, tags a → nothing"),
    (TicketEvent.RULE_ACTED, {"values": {"by": ["Night"], "set": {"tags": ["a", "b"]}}}, "Night set tags to a, b"),
    (TicketEvent.RULE_ACTED, {"values": {"by": ["Night"], "set": {}}}, "Night acted"),
    (TicketEvent.TASK_DONE, {"values": {"title": "Pack", "state": "done", "outputs": {"tag": "NF-1"}}}, "Joss set the task “Pack” to done, tag NF-1"),
    (TicketEvent.APPROVAL_DECIDED, {"values": {"state": "approved", "what": "A bag", "through": "by link", "name": "for Ines"}}, "Joss (for Ines): approved “A bag” by link"),
    (TicketEvent.SET_UNWANTED, {"values": {"sender": "x@y.example"}}, "Joss rejected it as not ours; mail from x@y.example is quarantined"),
    (TicketEvent.CHILD_ENDED, {"values": {"title": "Headset", "state": "resolved", "by": "all are delivered"}}, "Headset is delivered: all are delivered"),
    (ApprovalEvent.ROUTE_ENDED, {"values": {"what": "refused"}, "text": "no"}, "not approved: “no”"),
]  # fmt: skip


@pytest.mark.parametrize("kind, told, said", TOLD)
def test_sentences(kind: EventKind, told: dict[str, Any], said: str) -> None:
    telling = Telling(
        who="Joss", requester="Maeve", when=lambda at_s: f"[{at_s}]", team=lambda key: f"<{key}>",
        person=lambda key: f"<{key}>", **told,
    )  # fmt: skip
    assert kind.says(telling) == said


def test_a_name_is_given_once() -> None:
    with pytest.raises(ValueError, match="two kinds"):
        EventKind("resolved", lambda told: "again")


def test_the_moments_of_kinds_are_those_that_rules_know() -> None:
    for kind in kinds().values():
        assert kind.moments <= set(moments()), kind


def test_what_happens_is_of_a_declared_kind(want: Any, log: Any, person: Any, by: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    mass.do(person("Signe"), [ticket.pk], "note", {"text": "x"}, NOW)
    actions.cancel(ticket.pk, by("Signe"), "Not needed.")
    assert set(Event.objects.values_list("kind", flat=True).distinct()) <= set(kinds())


def test_requesters_read_no_reason_that_is_the_desks(api: Any, log: Any, by: Any) -> None:
    from gannet.people.models import Team

    ticket = log("Maeve", "Boarding gates")
    team = Team.objects.filter(is_triage=False, is_board=False).order_by("pk")[0]
    actions.hand_over(
        ticket.pk, by("Signe"), team=team, person=None, comment="she breaks them herself"
    )
    actions.set_priority(ticket.pk, by("Signe"), 4, "it is always her")
    actions.note(ticket.pk, by("Signe"), "Careful with this one.")
    actions.wait(ticket.pk, by("Marit"), on="requester", reason="Which gate is it?")
    seen = api("Maeve").get(f"/api/portal/tickets/{ticket.pk}")
    assert seen.status_code == 200, seen.json()
    text = str(seen.json()["conversation"])
    for secret in ("breaks them", "always her", "Careful"):
        assert secret not in text
    told = [entry["sentence"] for entry in seen.json()["conversation"]]
    assert any(one.startswith(f"Signe Hallam handed it to {team.name}") for one in told)
    assert "waiting on you: “Which gate is it?”" in told
    # The desk reads the reasons.
    desk = str(api("Signe").get(f"/api/tickets/{ticket.pk}").json()["conversation"])
    assert "breaks them" in desk and "always her" in desk and "waiting on Maeve" in desk


def test_what_can_be_undone_says_how(log: Any) -> None:
    for name in _restores:
        assert kinds()[name].touches, "a look is nothing to undo"
        assert not kinds()[name].is_aside
