"""Rules and escalation steps at work: what they do, exactly once, and what they leave behind."""

import json
from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.kinds import EventKind
from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.messages import hooks
from gannet.messages.models import HookCall, HookState, Outgoing
from gannet.people.models import Absence
from gannet.rulebook import book
from gannet.rulebook.models import Edition
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Approval, Clock, Task, Ticket, Timer, TimerState
from gannet.tickets.record import Reading
from gannet.tickets.states import state_name
from gannet.tickets.why import why
from gannet.web.errors import Invalid, Refused
from gannet.worker.worker import fire_due
from gannet_core.instants import instant_of, seconds_of
from gannet_core.lifecycle import Waiting
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)
MINUTE, HOUR = 60, 3600


def publish(change: Callable[[dict[str, Any]], None], at_s: int = 0) -> Edition:
    """A next edition of the rulebook with one thing changed."""
    book.forget()  # numbers come again in each test
    last = Edition.objects.order_by("-number")[0]
    document = json.loads(json.dumps(last.document))
    change(document)
    return Edition.objects.create(
        number=last.number + 1, document=document, published_at=NOW, starts_at_s=at_s
    )


def rule(**parts: Any) -> dict[str, Any]:
    whole = {"key": "test", "name": "Test", "when": ["updated"], "if": {"all": []}, "then": []}
    return {**whole, "stop": False, "is_on": True, **parts}


def leaf(field: str, op: str, value: Any = None) -> dict[str, Any]:
    return {"field": field, "op": op, "value": value}


def agreement(document: dict[str, Any], key: str) -> dict[str, Any]:
    return next(one for one in document["agreements"] if one["key"] == key)


def fresh(ticket: Ticket) -> Ticket:
    return Ticket.objects.get(pk=ticket.pk)


def fired(ticket: Ticket, kind: EventKind = TicketEvent.ESCALATED) -> list[tuple[int, str]]:
    events = Event.objects.filter(ticket=ticket, kind=kind).order_by("id")
    return [((event.at_s - NOW_S) // MINUTE, event.facts["step"]) for event in events]


def run_until(end_s: int) -> None:
    """The worker as it would have run, timer by timer."""
    while True:
        timer = (
            Timer.objects.filter(state=TimerState.ARMED, at_s__lte=end_s).order_by("at_s").first()
        )
        if timer is None:
            return
        fire_due(timer.at_s)


def test_steps_fire_at_their_moments_and_once(log: Callable[..., Any]) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")  # P2: answer 20 min, fix 4 h
    assert fresh(ticket).next_step.startswith("response 5 min before")
    run_until(NOW_S + 6 * HOUR)
    run_until(NOW_S + 6 * HOUR)
    assert fired(ticket) == [
        (15, "answer-soon"),
        (72, "hold-nearly-gone"),  # the team's own target, 80 % of 90 min
        (120, "half-gone"),
        (180, "untouched"),
        (210, "close-to-due"),
        (300, "past-due"),
    ]
    assert fresh(ticket).is_major_suggested
    assert fresh(ticket).next_step_s is None
    messages = Outgoing.objects.filter(ticket=ticket, subject__contains="half the time is gone")
    assert messages.exists()
    assert verify()[1] is None


def test_a_paused_clock_fires_nothing_and_goes_on_where_it_was(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    at.later(minutes=100)
    run_until(seconds_of(at.now))
    actions.wait(ticket.pk, by("Signe"), on=Waiting.REQUESTER, reason="Which gate?")
    run_until(seconds_of(at.later(hours=3)))
    assert "half-gone" not in dict(reversed(one) for one in fired(ticket))
    actions.requester_writes(ticket.pk, by("Maeve"), "The left one.")
    run_until(seconds_of(at.now) + 20 * MINUTE)
    assert (280 + 20, "half-gone") in fired(ticket)  # 120 min used: 100 before, 20 after


def test_a_retarget_passes_over_what_is_long_past(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates", who="me", work="no")  # P3, fix 12 h
    run_until(seconds_of(at.later(hours=2)))
    actions.set_priority(ticket.pk, by("Signe"), 1, "a ship waits")  # fix 2 h, used 2 h
    run_until(seconds_of(at.now) + MINUTE)
    fix = [step for _, step in fired(ticket) if step in ("half-gone", "close-to-due")]
    assert fix == ["close-to-due"]
    passed = [step for _, step in fired(ticket, TicketEvent.STEP_PASSED)]
    assert "half-gone" in passed
    assert (120, "close-to-due") in fired(ticket)


def test_a_moment_that_a_retarget_moves_ahead_is_armed_again(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")  # P2: half of 4 h
    run_until(seconds_of(at.later(hours=2, minutes=5)))
    actions.set_priority(ticket.pk, by("Signe"), 4, "can wait")  # 3 terminal days
    timer = Timer.objects.get(ticket=ticket, kind="step", subject="fix/", state=TimerState.ARMED)
    assert timer.at_s > seconds_of(at.now)
    actions.set_priority(ticket.pk, by("Signe"), 2, "no, it cannot")
    run_until(seconds_of(at.now) + MINUTE)
    assert [step for _, step in fired(ticket)].count("half-gone") == 1  # for this target it had


def test_untouched_counts_from_the_last_act_of_a_person(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates", who="me", work="yes")
    at.later(hours=2)
    actions.note(ticket.pk, by("Signe"), "Looking.")
    run_until(NOW_S + 4 * HOUR)
    assert not any(step == "untouched" for _, step in fired(ticket))
    run_until(NOW_S + 5 * HOUR)
    assert (300, "untouched") in fired(ticket)


def test_stale_waiting_is_asked_about_and_closed_with_a_message(
    log: Callable[..., Any], by: Callable[..., Any], at: Any, person: Callable[[str], Any]
) -> None:
    ticket = log("Lena", "Payroll", who="me", work="hard")  # offices, on a Monday morning
    at.later(minutes=5)
    actions.wait(ticket.pk, by("Marit"), on=Waiting.REQUESTER, reason="Which month?")
    run_until(NOW_S + 8 * 86_400)
    asked = Outgoing.objects.get(ticket=ticket, subject__contains="do you still need this?")
    assert asked.person == person("Lena")
    assert fresh(ticket).is_open
    run_until(NOW_S + 14 * 86_400)
    closed = fresh(ticket)
    assert state_name(closed.state) == "closed"
    assert Outgoing.objects.filter(ticket=ticket, subject__contains="closed without an answer")
    assert not Timer.objects.filter(ticket=ticket, state=TimerState.ARMED).exists()


def test_supplier_clocks_run_while_it_is_their_move(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    wait = {"on": Waiting.SUPPLIER, "reason": "A cable", "supplier": "Brightmast Networks"}
    actions.wait(ticket.pk, by("Marit"), **wait)
    at.later(hours=3)
    actions.resume(ticket.pk, by("Signe"), "They called")
    at.later(hours=1)
    actions.wait(ticket.pk, by("Signe"), **wait)
    run_until(seconds_of(at.now) + 2 * HOUR)
    clock = Clock.objects.get(ticket=ticket, kind="supplier")
    assert (clock.holder, clock.agreement) == ("Brightmast Networks", "brightmast")
    assert (4 * 60 + 60, "supplier-late") in fired(ticket)  # 3 h, a pause of one, 1 h
    fix = Clock.objects.get(ticket=ticket, kind="fix")
    assert fix.due_s == NOW_S + 4 * HOUR or fix.missed_s == NOW_S + 4 * HOUR  # it never stopped
    with pytest.raises(Invalid):
        actions.wait(ticket.pk, by("Signe"), **{**wait, "supplier": "Somebody"})


def test_who_may_pause_is_the_rulebooks_to_say(
    log: Callable[..., Any], by: Callable[..., Any]
) -> None:
    def only_leads(document: dict[str, Any]) -> None:
        document["waits"] = [
            {"key": "requester", "label": "the requester", "on": "requester", "who": ["team lead"]}
        ]

    publish(only_leads)
    ticket = log("Maeve", "Boarding gates")
    with pytest.raises(Refused, match="team lead"):
        actions.wait(ticket.pk, by("Signe"), on=Waiting.REQUESTER, reason="Which gate?")
    actions.wait(ticket.pk, by("Marit"), on=Waiting.REQUESTER, reason="Which gate?")
    assert fresh(ticket).waiting_reason == "Which gate?"


def test_rules_decide_before_routing_and_promise(
    log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    def directors(document: dict[str, Any]) -> None:
        document["rules"].insert(
            0,
            rule(
                key="directors",
                name="Directors",
                when=["created"],
                then=[
                    {"do": "set", "field": "urgency", "value": 1},
                    {"do": "assign team", "team": "Harbour Desk"},
                    {"do": "assign person", "person": person("Marit").email},
                    {"do": "follow", "who": ["requester's manager", person("Anneke").email]},
                    {"do": "tasks", "tasks": ["till-check"]},
                    {"do": "note", "text": "Call back at once."},
                ],
                **{"if": leaf("care tier", "is", "directors")},
            ),
        )

    publish(directors)
    ticket = log("Rosalind", "Payroll", who="me", work="yes")
    plain = log("Lena", "Payroll", who="me", work="yes")
    assert (ticket.holder, ticket.team.name) == (person("Marit"), "Harbour Desk")
    assert (ticket.urgency, ticket.priority) == (1, 3)  # impact 3, urgency 1 by the matrix
    assert plain.priority == 4
    fix = Clock.objects.get(ticket=ticket, kind="fix")
    assert fix.target_seconds * 2 == fix.normal_seconds
    assert Task.objects.filter(ticket=ticket).count() == 2
    assert ticket.followers.filter(person=person("Anneke")).exists()
    noted = Event.objects.get(ticket=ticket, kind=TicketEvent.NOTED)
    assert noted.is_automatic and "the rule “Directors”" in noted.text
    reading = Reading(fresh(ticket), person("Signe"), NOW_S)
    assert any(step.get("chosen") for step in why(reading, "rules")["steps"])
    assert Ticket.objects.get(pk=ticket.pk).is_unread, "an automatic note is not a look at it"


def test_a_rule_runs_once_in_the_act_and_starts_no_other_pass(
    log: Callable[..., Any], by: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    def rules(document: dict[str, Any]) -> None:
        document["rules"] = [
            rule(
                key="up",
                name="Up",
                then=[{"do": "set", "field": "place", "value": "Vell Island"}],
                **{"if": leaf("impact", "changed")},
            ),
            rule(
                key="moved",
                name="Moved",
                then=[{"do": "tag", "tags": ["moved"]}],
                **{"if": leaf("place", "changed to", "Vell Island")},
            ),
            rule(key="tagged", name="Tagged", **{"if": leaf("tags", "is", "moved")},
                 then=[{"do": "set", "field": "title", "value": "Never"}]),
        ]  # fmt: skip

    publish(rules)
    ticket = log("Maeve", "Boarding gates")
    actions.change_facts(ticket.pk, by("Signe"), {"impact": 1}, None)
    changed = fresh(ticket)
    assert (changed.place, changed.tags, changed.title) == (
        "Vell Island",
        ["moved"],
        "It is broken",
    )
    act = Event.objects.filter(ticket=ticket, kind=TicketEvent.CHANGED).latest("id")
    assert [trace["matched"] for trace in act.values["rules"]] == [True, True, False]
    last = Event.objects.filter(ticket=ticket, kind=TicketEvent.RULE_ACTED)
    assert last.count() == 2 and all(event.at_s == act.at_s for event in last)
    assert verify()[1] is None


def test_a_child_record_is_opened_once(log: Callable[..., Any]) -> None:
    def child(document: dict[str, Any]) -> None:
        then = [{"do": "child", "title": "Order a cable", "service": "Workplace laptops"}]
        document["rules"] = [rule(when=["created"], then=then)]

    publish(child)
    ticket = log("Maeve", "Boarding gates")
    (born,) = Ticket.objects.filter(parent=ticket)
    assert (born.title, born.service.name) == ("Order a cable", "Workplace laptops")
    assert not Ticket.objects.filter(parent=born).exists(), "or it would go on for ever"


def test_later_acts_follow_the_edition_in_force_and_clocks_their_own(
    log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")

    def shorter(document: dict[str, Any]) -> None:
        for row in agreement(document, "sailing-critical")["targets"].values():
            row["fix"] = row["fix"] // 2
        document["rules"] = [rule(then=[{"do": "tag", "tags": ["seen"]}])]

    publish(shorter)
    assert book.current().number == 2
    actions.set_priority(ticket.pk, by("Signe"), 1, "a ship waits")
    changed = fresh(ticket)
    assert changed.tags == ["seen"], "rules are those in force"
    assert (changed.edition, Clock.objects.get(ticket=ticket, kind="fix").target_seconds) == (
        1,
        2 * HOUR,
    )
    again = log("Maeve", "Boarding gates", who="team", work="no")
    assert Clock.objects.get(ticket=again, kind="fix").target_seconds == 2 * HOUR


def test_an_edition_starts_at_its_hour(log: Callable[..., Any], at: Any) -> None:
    publish(lambda document: None, at_s=NOW_S + HOUR)
    assert book.number_in_force(NOW_S) == 1
    assert book.number_in_force(NOW_S + HOUR) == 2


def test_webhooks_are_signed_retried_and_never_sent_elsewhere(
    log: Callable[..., Any], client: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    ticket = log("Maeve", "Boarding gates", who="ships", work="no")  # vital and P1
    call = HookCall.objects.get(ticket=ticket)
    assert json.loads(call.body)["ticket"]["priority"] == "P1"

    def refuse(*_: Any, **__: Any) -> None:
        raise OSError("connection refused")

    monkeypatch.setattr(hooks._opener, "open", refuse)
    hooks.send_due(NOW_S)
    call.refresh_from_db()
    assert (call.state, call.attempts, call.next_at_s) == (HookState.WAITING, 1, NOW_S + 30)
    HookCall.objects.update(url="http://10.0.0.1/inside", next_at_s=NOW_S)
    hooks.send_due(NOW_S)
    call.refresh_from_db()
    assert call.state == HookState.GIVEN_UP

    body = call.body.encode()
    headers = {"HTTP_GANNET_HOOK": "wallboard", "HTTP_GANNET_TIME": str(NOW_S)}
    good = hooks.signature("wallboard", str(NOW_S), body)
    for signature, at_s, status in (
        (good, NOW_S, 200),
        ("0" * 64, NOW_S, 401),
        (good, NOW_S - 9999, 401),
    ):
        headers = {**headers, "HTTP_GANNET_SIGNATURE": signature, "HTTP_GANNET_TIME": str(at_s)}
        got = client.post("/standin/hooks", body, content_type="application/json", **headers)
        assert got.status_code == status


def test_absence_and_set_aside_count_at_once(
    log: Callable[..., Any], person: Callable[[str], Any], api: Callable[[str], Any]
) -> None:
    first = log("Ines", "Ship-to-shore link", who="team", work="no")
    holder = first.holder
    assert holder is not None
    Absence.objects.create(
        person=holder, starts_at=instant_of(NOW_S - 60), ends_at=instant_of(NOW_S + 60)
    )
    second = log("Ines", "Ship-to-shore link", who="team", work="no")
    assert second.holder_id != holder.pk
    body = {"starts_at": "2026-12-24T00:00:00Z", "ends_at": "2026-12-23T00:00:00Z"}
    assert api("Signe").post("/api/absences", body, "application/json").status_code == 422
    body["ends_at"] = "2026-12-27T00:00:00Z"
    assert api("Signe").post("/api/absences", body, "application/json").status_code == 201
    theirs = {**body, "person": person("Bram").pk}
    assert api("Signe").post("/api/absences", theirs, "application/json").status_code == 403
    assert api("Marit").post("/api/absences", theirs, "application/json").status_code == 201
    assert len(api("Signe").get("/api/absences").json()) == 1
    assert len(api("Marit").get("/api/absences").json()) == 3


def test_a_change_of_tier_promises_open_tickets_anew(
    log: Callable[..., Any], person: Callable[[str], Any], api: Callable[[str], Any]
) -> None:
    ticket = log("Lena", "Payroll", who="me", work="hard")
    normal = Clock.objects.get(ticket=ticket, kind="fix").target_seconds
    path = f"/api/people/{person('Lena').pk}/served"
    got = api("Anneke").patch(path, {"care_tiers": ["directors"]}, "application/json")
    assert got.json()["retargeted"] == 1
    assert Clock.objects.get(ticket=ticket, kind="fix").target_seconds == normal // 2
    refused = api("Anneke").patch(path, {"care_tiers": ["kings"]}, "application/json")
    assert refused.status_code == 422


def test_conditions_for_closing_and_fields_asked_only_then(
    log: Callable[..., Any], by: Callable[..., Any]
) -> None:
    def strict(document: dict[str, Any]) -> None:
        document["closing"]["conditions"] = [
            {
                "stage": "resolving",
                "if": {"not": leaf("service", "is empty")},
                "says": "Say which service it was first.",
            }
        ]
        form = next(one for one in document["forms"] if one["key"] == "gate-fault")
        cause = next(entry for entry in form["fields"] if entry["field"] == "cause")
        cause["agent"] = {"shown": True, "required": True}
        cause["required_at"] = ["resolving"]

    publish(strict)
    ticket = log("Maeve")
    with pytest.raises(Invalid, match="which service"):
        actions.resolve(ticket.pk, by("Signe"), "Done as asked.")
    ticket = log("Maeve", "Boarding gates")
    with pytest.raises(Invalid, match="Cause"):
        actions.resolve(ticket.pk, by("Signe"), "Done as asked.")
    actions.change_facts(ticket.pk, by("Signe"), {"cause": "Hardware"}, None)
    actions.resolve(ticket.pk, by("Signe"), "Done as asked.")
    assert fresh(ticket).values == {"cause": "Hardware"}


def test_a_state_of_the_organisations_own_goes_with_its_stage(
    log: Callable[..., Any], by: Callable[..., Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    with pytest.raises(Invalid):
        actions.change_facts(ticket.pk, by("Signe"), {"status": "being tested"}, None)
    actions.take(ticket.pk, by("Signe"))
    actions.change_facts(ticket.pk, by("Signe"), {"status": "being tested"}, None)
    assert fresh(ticket).status == "being tested"
    actions.resolve(ticket.pk, by("Signe"), "It works again now.")
    assert fresh(ticket).status == ""


@pytest.mark.parametrize("moment", ["approval decided", "linked changed"])
def test_rules_hear_of_approvals_and_links(
    log: Callable[..., Any], by: Any, person: Any, moment: str
) -> None:
    def hear(document: dict[str, Any]) -> None:
        document["rules"] = [rule(when=[moment], then=[{"do": "tag", "tags": ["heard"]}])]

    publish(hear)
    ticket, other = log("Maeve", "Boarding gates"), log("Ines", "Boarding gates")
    if moment == "linked changed":
        actions.link(ticket.pk, by("Signe"), "related to", other.pk)
    else:
        approvals.ask_approval(ticket.pk, by("Signe"), of=person("Marit"), what="A head")
        assert fresh(ticket).tags == []
        asked = Approval.objects.get(ticket=ticket)
        approvals.decide(by("Marit"), asked.pk, approves=True, reason="")
    assert fresh(ticket).tags == ["heard"]
