"""What a record offers is what it does; what it does not, it refuses in the same words."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from django.test import Client

from gannet.people.models import Person, Team
from gannet.rulebook.book import current
from gannet.tickets import actions, acts, prepared
from gannet.tickets.actions.leftovers import BECOMES, left_open
from gannet.tickets.acts.registry import why_not
from gannet.tickets.models import Routine, StateCode, Ticket
from gannet.web.errors import Invalid
from gannet_core.lifecycle import Waiting
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
LATER = (NOW + timedelta(days=1)).isoformat()


def other(ticket: Ticket) -> int:
    """Another open incident of the same requester."""
    made = actions.log_ticket(
        actions.NewTicket(requester=ticket.requester, title="The same again"),
        actions.Acting(person=Person.objects.get(name="Signe Hallam"), now=NOW),
    )
    Ticket.objects.filter(pk=made.pk).update(is_confidential=ticket.is_confidential)
    return made.pk


# What each act is given; an act that is not here fails the test below.
GIVEN: dict[str, Callable[[Ticket], dict[str, Any]]] = {
    "take": lambda t: {"seen_holder": t.holder_id},
    "reply": lambda t: {"text": "We look into it."},
    "note": lambda t: {"text": "Look at the log."},
    "wait": lambda t: {"on": "requester", "reason": "Which one?", "version": t.version},
    "resume": lambda t: {"why": "found it"},
    "hand-over": lambda t: {
        "team": Team.objects.filter(is_board=False).exclude(pk=t.team_id).order_by("pk")[0].pk,
        "person": None, "comment": "yours", "version": t.version,
    },
    "escalate": lambda t: {"comment": "beyond us", "version": t.version},
    "reopen": lambda t: {"why": "It is back."},
    "resolve": lambda t: {
        "what": "Done as asked.", "version": t.version,
        "left": [{"kind": one.kind, "id": one.id, "becomes": BECOMES[one.kind][0]} for one in left_open(t)],
    },
    "priority": lambda t: {
        "priority": next(p for p in current().priorities if p != t.priority),
        "reason": "they sail", "version": t.version,
    },
    "approvals": lambda t: {
        "of": Person.objects.get(name="Tomas Wray").pk, "what": "A bag", "version": t.version,
    },
    "links": lambda t: {"kind": "related to", "other": other(t)},
    "merge": lambda t: {"into": other(t)},
    "outward": lambda t: {"kind": "development", "inputs": {}, "title": "Mend it"},
    "announce": lambda t: {"public_title": "Gates", "next_news": LATER},
    "end-announcement": lambda t: {},
    "follow": lambda t: {},
    "page": lambda t: {"why": "No weather", "team": None},
    "answer-page": lambda t: {},
    "unfollow": lambda t: {},
    "time": lambda t: {"minutes": 5, "what": "looked"},
    "time/start": lambda t: {},
    "time/stop": lambda t: {"what": "", "minutes": None},
    "tasks": lambda t: {"title": "Look"},
    "follow-ups": lambda t: {"title": "Look again"},
    "cancel": lambda t: {"why": "Not needed."},
    "not-for-us": lambda t: {"remembers": False},
    "undo": lambda t: {},
    "submit-change": lambda t: {},
    "move-change-on": lambda t: {},
    "assess-change": lambda t: {},
    "send-change-back": lambda t: {"why": "No plan"},
    "start-change": lambda t: {},
    "implement-change": lambda t: {},
    "back-change-out": lambda t: {"why": "No carrier"},
    "look-back": lambda t: {"outcome": "done"},
    "refer-change": lambda t: {"why": "Is it wanted?"},
    "stop-change": lambda t: {"why": "No carrier"},
    "open-phase": lambda t: {},
    "suggest-major": lambda t: {"why": "All gates"},
    "declare-major": lambda t: {"plan": "sailing"},
    "stand-down": lambda t: {"why": "over"},
    "declare-again": lambda t: {"why": "back"},
    "end-review": lambda t: {},
}  # fmt: skip
# An incident has none of these: who may do them, tests/app/test_permission_matrix.py says.
OF_CHANGES = (
    "-change",
    "change-back",
    "change-out",
    "change-on",
    "look-back",
    "open-phase",
    "stand-down",
    "declare-again",
    "end-review",
)
# These say why not only when they are tried: it is in what they are given, or in the history.
BY_TRYING = {"undo", "time/stop"}


def new(log: Any, by: Any) -> Ticket:
    return log("Maeve", "Boarding gates")


def in_hand(log: Any, by: Any) -> Ticket:
    ticket = new(log, by)
    actions.take(ticket.pk, by("Signe"), force=True)
    return ticket


def waiting(log: Any, by: Any) -> Ticket:
    ticket = in_hand(log, by)
    actions.wait(ticket.pk, by("Signe"), on=Waiting.REQUESTER, reason="Which?")
    return ticket


def resolved(log: Any, by: Any) -> Ticket:
    ticket = in_hand(log, by)
    actions.resolve(ticket.pk, by("Signe"), "Done as asked.")
    return ticket


def closed(log: Any, by: Any) -> Ticket:
    ticket = resolved(log, by)
    actions.close(ticket.pk, actions.Acting(person=None, now=NOW))
    return ticket


def cancelled(log: Any, by: Any) -> Ticket:
    ticket = in_hand(log, by)
    actions.cancel(ticket.pk, by("Signe"), "Not needed.")
    return ticket


def announced(log: Any, by: Any) -> Ticket:
    ticket = in_hand(log, by)
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates", next_news=NOW + timedelta(hours=1)
    )
    return ticket


def confidential(log: Any, by: Any) -> Ticket:
    ticket = in_hand(log, by)
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=1)
    return ticket


STATES = [new, in_hand, waiting, resolved, closed, cancelled, announced, confidential]


def test_every_act_is_tried() -> None:
    assert set(GIVEN) == {act.name for act in acts.acts().values() if act.has_address}


@pytest.mark.parametrize("state", STATES, ids=[one.__name__ for one in STATES])
@pytest.mark.parametrize("name", GIVEN)
def test_what_is_offered_is_done_and_what_is_not_is_refused_with_that_reason(
    api: Any, log: Any, by: Any, name: str, state: Callable[..., Ticket]
) -> None:
    number = state(log, by).pk
    client: Client = api("Signe")
    ticket = Ticket.objects.get(pk=number)
    signe = by("Signe").person
    reason = why_not(acts.act_named(name), ticket, signe)
    shown = {
        act["name"]: act["why_not"] for act in client.get(f"/api/tickets/{number}").json()["acts"]
    }
    words = "" if reason is None else str(reason)
    assert shown.get(name, words) == words
    answer = client.post(
        f"/api/tickets/{number}/{name}", GIVEN[name](ticket), content_type="application/json"
    )
    if reason is not None:
        assert answer.status_code == reason.status and answer.json()["detail"] == str(reason)
        assert Ticket.objects.get(pk=number).version == ticket.version
    elif name not in BY_TRYING:
        assert answer.status_code == 200, answer.json()


@pytest.mark.parametrize(
    "name",
    [
        name
        for name in GIVEN
        if name not in ("follow", "unfollow", "undo") and not name.endswith(OF_CHANGES)
    ],
)
@pytest.mark.parametrize("who", ["Maeve", "Tomas"])
def test_who_does_not_work_on_the_desk_is_refused_in_words(
    api: Any, log: Any, by: Any, name: str, who: str
) -> None:
    ticket = Ticket.objects.get(pk=in_hand(log, by).pk)
    client: Client = api(who)
    answer = client.post(
        f"/api/tickets/{ticket.pk}/{name}", GIVEN[name](ticket), content_type="application/json"
    )
    assert answer.status_code == 403 and len(answer.json()["detail"]) > 10
    if who == "Tomas":  # a manager, who reads the desk's page
        shown = client.get(f"/api/tickets/{ticket.pk}").json()["acts"]
        reasons = {act["name"]: act["why_not"] for act in shown}
        assert reasons.get(name, answer.json()["detail"]) == answer.json()["detail"]
        assert all(act["why_not"] for act in shown if acts.act_named(act["name"]).core)


def test_an_act_of_no_name_is_nowhere(api: Any, log: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    answer = api("Signe").post(f"/api/tickets/{ticket.pk}/acts/explode", {})
    assert answer.status_code == 404
    fine = api("Signe").post(
        f"/api/tickets/{ticket.pk}/acts/note", {"text": "x"}, content_type="application/json"
    )
    assert fine.status_code == 200


def test_no_key_is_given_twice() -> None:
    keys = [act.key for act in acts.acts().values() if act.key]
    assert len(keys) == len(set(keys)), keys


def test_acts_on_many_are_those_of_the_registry(api: Any, northmere: None) -> None:
    told = {one["name"]: one for one in api("Signe").get("/api/choices").json()["acts_on_many"]}
    assert set(told) == {act.name for act in acts.acts().values() if act.on_many}
    assert [name for name, one in told.items() if not one["in_routines"]] == ["follow"]
    for name, one in told.items():
        if one["in_routines"]:
            assert prepared.checked_acts([{"act": name}])[0]["act"] == name
        else:
            with pytest.raises(Invalid):
                prepared.checked_acts([{"act": name}])


def test_routines_kept_under_an_old_name_of_an_act_still_run(
    log: Any, by: Any, person: Any
) -> None:
    from importlib import import_module

    from django.apps import apps

    ticket = in_hand(log, by)
    team = Team.objects.filter(is_board=False).exclude(pk=ticket.team_id).order_by("pk")[0]
    params = {"team": team.pk, "comment": "as always"}
    row = Routine.objects.create(
        name="To them", owner=person("Signe"), acts=[{"act": "hand over", "params": params}]
    )
    import_module("gannet.tickets.migrations.0013_one_name_for_each_act").rename(apps, None)
    row.refresh_from_db()
    prepared.run_routine(ticket.pk, by("Signe"), row)
    assert Ticket.objects.get(pk=ticket.pk).team == team
    assert Ticket.objects.get(pk=ticket.pk).state != StateCode.RESOLVED
