"""The path of a ticket through the actions: promised, worked, told, closed, explained."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.messages.models import Outgoing
from gannet.people.models import Person, Team
from gannet.tickets import actions
from gannet.tickets.actions import Acting
from gannet.tickets.actions.leftovers import Settled
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Clock, StateCode, Ticket, Timer, TimerState
from gannet.tickets.record import Reading
from gannet.tickets.states import state_name
from gannet.tickets.why import why as why_of
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet.worker.worker import fire_due
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def fresh(ticket: Ticket) -> Ticket:
    return Ticket.objects.get(pk=ticket.pk)


def clock(ticket: Ticket, kind: str, holder: str = "") -> Clock:
    return Clock.objects.get(ticket=ticket, kind=kind, holder=holder)


def minutes(value: int | None) -> float:
    return ((value or 0) - seconds_of(NOW)) / 60


def test_logging_classifies_promises_routes_and_tells(log: Callable[..., Any]) -> None:
    ticket = log("Maeve", "Boarding gates", who="ships", work="no")
    assert (ticket.priority, ticket.impact, ticket.urgency) == (1, 1, 1)
    assert ticket.category == "Hardware › Gate reader" and ticket.place == "Kestrel Point"
    assert ticket.team.name == "Harbour Desk" and ticket.holder is None
    assert ticket.agreement == "sailing-critical"
    assert minutes(clock(ticket, "answer").due_s) == 10
    assert minutes(clock(ticket, "fix").due_s) == 120
    assert minutes(clock(ticket, "team answer", "harbour-desk").due_s) == 5
    mail = Outgoing.objects.get(ticket=ticket, event_name="logged")
    assert mail.to == "maeve.tarrant@northmere.example"
    assert f"[Gannet {ticket.pk}]" in mail.subject and "today 09:56" in mail.body


def test_a_care_tier_gets_its_share_of_customer_targets_only(log: Callable[..., Any]) -> None:
    ticket = log("Ines", "Ship-to-shore link", who="team", work="no")
    fix = clock(ticket, "fix")
    assert (fix.normal_seconds, fix.target_seconds) == (4 * 3600, 3 * 3600)
    assert fix.care_tier == "bridge-crew" == ticket.care_tier
    assert clock(ticket, "team", ticket.team.key).care_tier == ""


def test_two_zones_and_holidays_are_respected(log: Callable[..., Any], at: Any) -> None:
    at.now = NOW.replace(month=12, day=24, hour=17, minute=0)  # Christmas Eve, 16:00 there
    ticket = log("Nuno", "Payroll", who="me", work="no")
    assert ticket.agreement == "ilha-clara"
    # 2 h on the 24th, nothing on the 25th and the weekend; P3 answers in 3 h: Monday 09:00 there.
    due = clock(ticket, "answer").due_s or 0
    assert due == seconds_of(NOW.replace(month=12, day=28, hour=10, minute=0))


def test_auto_routing_says_who_was_ruled_out(
    log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    ticket = log("Ines", "Ship-to-shore link", who="team", work="no")
    assert ticket.holder_id is not None
    assert Outgoing.objects.filter(ticket=ticket, person=ticket.holder_id).count() == 1
    why = why_of(Reading(fresh(ticket), person("Signe"), seconds_of(NOW)), "holder")
    words = {step.get("value") for step in why["steps"]}
    assert "could take it" in words and "off shift" in words
    assert any(step.get("chosen") for step in why["steps"])


def test_nobody_on_shift_arms_a_retry_that_finds_one(
    log: Callable[..., Any], at: Any, by: Callable[[str | None], Any]
) -> None:
    at.now = NOW.replace(hour=3)
    ticket = log("Lena", "Mail and calendar", who="me", work="hard")
    assert ticket.holder_id is None
    timer = Timer.objects.get(ticket=ticket, kind="route")
    assert timer.at_s == seconds_of(NOW.replace(hour=8, minute=0))
    assert fire_due(timer.at_s) >= 1
    assert fresh(ticket).holder_id is not None and fresh(ticket).hand_overs == 0


def test_working_a_ticket_to_its_end(
    log: Callable[..., Any], at: Any, by: Callable[[str | None], Any], person: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")  # P2: 20 min, 4 h
    at.later(minutes=5)
    actions.take(ticket.pk, by("Signe"))
    at.later(minutes=5)
    actions.reply(ticket.pk, by("Signe"), "Is the light on?")
    answer = clock(ticket, "answer")
    assert answer.get_state_display() == "met" and answer.remaining_seconds == 10 * 60

    at.later(minutes=2)
    actions.wait(ticket.pk, by("Signe"), on=Waiting.REQUESTER, reason="asked about the light")
    assert clock(ticket, "fix").get_state_display() == "paused"
    assert fresh(ticket).due_s is None and fresh(ticket).left_seconds == (240 - 12) * 60
    at.later(hours=3)
    actions.requester_writes(ticket.pk, by("Maeve"), "No, it is dark.")
    seen = fresh(ticket)
    assert seen.is_answered and seen.state == 2 and seen.waiting_on == ""
    assert clock(ticket, "fix").remaining_seconds == (240 - 12) * 60

    quayside = Team.objects.get(key="quayside")
    actions.hand_over(
        ticket.pk, by("Signe"), team=quayside, person=person("Bram"), comment="Needs hands."
    )
    seen = fresh(ticket)
    assert seen.handed_to == person("Bram") and seen.hand_overs == 1
    assert Outgoing.objects.filter(
        ticket=ticket, person=person("Bram"), body__contains="Needs hands."
    ).exists()
    assert clock(ticket, "team", "harbour-desk").get_state_display() == "met"
    seen = fresh(ticket).version
    actions.open_ticket(ticket.pk, by("Bram"))
    assert fresh(ticket).handed_to is None
    assert fresh(ticket).version == seen, "a look makes nobody's edit stale"

    actions.set_priority(ticket.pk, by("Bram"), 1, "full ship waiting")
    fix = clock(ticket, "fix")
    assert (fix.target_seconds, fix.remaining_seconds) == (2 * 3600, (120 - 12) * 60)

    at.later(minutes=30)
    actions.resolve(ticket.pk, by("Bram"), "Changed the reader.")
    assert clock(ticket, "fix").get_state_display() == "met"
    at.later(hours=2)
    actions.reopen(ticket.pk, by("Maeve"), "Dark again.")
    assert clock(ticket, "fix").remaining_seconds == (120 - 12 - 30) * 60
    at.later(minutes=5)
    actions.resolve(ticket.pk, by("Bram"), "Changed the cable too.")
    timer = Timer.objects.get(ticket=ticket, kind="close", state=TimerState.ARMED)
    assert timer.at_s == seconds_of(at.now) + 3 * 86_400  # three working days, all open
    fire_due(timer.at_s - 1)
    assert fresh(ticket).state == StateCode.RESOLVED
    fire_due(timer.at_s)
    assert state_name(fresh(ticket).state) == "closed"
    assert verify()[1] is None

    why = why_of(Reading(fresh(ticket), person("Signe"), timer.at_s), "clock:fix/")
    used = next(step["seconds"] for step in why["steps"] if step["label"] == "Used")
    counted = sum(s["seconds"] for s in why["steps"] if s["label"] == "counted")
    assert used == counted == (12 + 30 + 5) * 60


def test_an_act_before_the_worker_comes_does_not_hide_that_a_target_ran_out(
    log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates", who="ships", work="no")
    later = NOW + timedelta(minutes=11)
    actions.note(ticket.pk, Acting(person=person("Signe"), now=later), "Looking.")
    fire_due(seconds_of(later) + 1)
    missed = Event.objects.filter(ticket=ticket, kind=TicketEvent.TARGET_MISSED)
    # The team's own answer came with the note, so that nothing of it runs out any more.
    assert [event.facts["clock"] for event in missed] == ["answer"]


def test_a_missed_target_is_told_in_the_words_of_the_trade_with_when_it_was_due(
    log: Callable[..., Any], api: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates", who="ships", work="no")
    fire_due(seconds_of(NOW) + 11 * 60)
    told = api("Signe").get(f"/api/tickets/{ticket.pk}").json()["conversation"]
    said = sorted(one["sentence"] for one in told if "missed" in one["sentence"])
    assert len(said) == 2
    assert said[0].startswith("the response target was missed, due ")
    assert said[1].startswith("the team response target was missed, due ")


def test_a_target_that_runs_out_is_recorded_once(log: Callable[..., Any]) -> None:
    ticket = log("Maeve", "Boarding gates", who="ships", work="no")
    later = seconds_of(NOW) + 11 * 60
    fire_due(later)
    fire_due(later)
    missed = Event.objects.filter(ticket=ticket, kind=TicketEvent.TARGET_MISSED)
    assert sorted(event.facts["clock"] for event in missed) == ["answer", "team answer"]


@pytest.mark.parametrize(
    ("act", "given", "field"),
    [
        ("reply", {"text": "  "}, "text"),
        ("reply", {"text": "x" * 50_001}, "text"),
        ("wait", {"on": Waiting.REQUESTER, "reason": ""}, "reason"),
        ("wait", {"on": Waiting.DATE, "reason": "x"}, "until"),
        ("wait", {"on": Waiting.DATE, "reason": "x", "until": NOW - timedelta(1)}, "until"),
        ("wait", {"on": Waiting.SUPPLIER, "reason": "x"}, "supplier"),
        ("resolve", {"what": ""}, "what"),
        ("set_priority", {"priority": 1, "reason": ""}, "reason"),
        ("set_priority", {"priority": 9, "reason": "x"}, "priority"),
        ("change_facts", {"changes": {"impact": 7}, "seen_version": None}, "impact"),
        ("change_facts", {"changes": {"service": 99_999}, "seen_version": None}, "service"),
        ("change_facts", {"changes": {"title": " "}, "seen_version": None}, "title"),
        ("announce", {"public_title": "", "next_news": NOW + timedelta(1)}, "public_title"),
        ("announce", {"public_title": "x", "next_news": NOW}, "next_news"),
    ],
)
def test_bad_input_names_the_field_and_changes_nothing(
    log: Callable[..., Any],
    by: Callable[[str | None], Any],
    act: str,
    given: dict[str, Any],
    field: str,
) -> None:
    ticket = log("Maeve", "Boarding gates")
    before = Event.objects.count()
    with pytest.raises(Invalid) as refused:
        getattr(actions, act)(ticket.pk, by("Signe"), **given)
    assert field in refused.value.extra["fields"]
    assert Event.objects.count() == before and fresh(ticket).version == ticket.version


def test_acts_that_do_not_fit_say_so(
    log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    with pytest.raises(Conflict, match="new"):
        actions.resume(ticket.pk, by("Signe"))
    with pytest.raises(Missing):
        actions.reply(ticket.pk, by("Piotr"), "not mine")
    with pytest.raises(Refused):
        actions.resolve(ticket.pk, by("Maeve"), "it went away")


def test_taking_when_somebody_else_did_names_them(
    log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"), None)
    with pytest.raises(Conflict, match="Signe Hallam"):
        actions.take(ticket.pk, by("Marit"), None)
    actions.take(ticket.pk, by("Marit"), force=True)
    assert fresh(ticket).holder.name == "Marit Osei"


@pytest.mark.parametrize(
    "act", ["take", "reply", "wait", "hand_over", "set_priority", "resolve", "change_facts"]
)
def test_undo_takes_back_all_that_followed(
    log: Callable[..., Any], by: Callable[[str | None], Any], person: Callable[[str], Any], act: str
) -> None:
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    actions.open_ticket(ticket.pk, by("Signe"))

    def state() -> tuple[Any, ...]:
        seen = fresh(ticket)
        clocks = Clock.objects.filter(ticket=ticket, holder="").order_by("kind")
        return (
            seen.state, seen.holder_id, seen.team_id, seen.priority, seen.place, seen.hand_overs,
            seen.needs_reply, seen.due_s, seen.waiting_on, seen.resolution,
            [(c.kind, c.state, c.target_seconds, c.due_s) for c in clocks],
        )  # fmt: skip

    before = state()
    given: dict[str, Any] = {
        "take": {},
        "reply": {"text": "Looking."},
        "wait": {"on": Waiting.REQUESTER, "reason": "asked"},
        "hand_over": {"team": Team.objects.get(key="quayside"), "person": person("Bram"), "comment": "yours"},
        "set_priority": {"priority": 1, "reason": "full ship"},
        "resolve": {"what": "Done as asked."},
        "change_facts": {"changes": {"place": "Orrin Bay", "impact": 1}, "seen_version": None},
    }[act]  # fmt: skip
    mails = set(Outgoing.objects.filter(ticket=ticket, withdrawn=0).values_list("pk", flat=True))
    getattr(actions, act)(ticket.pk, by("Signe"), **given)
    assert state() != before
    with pytest.raises(Conflict):
        actions.undo(ticket.pk, by("Marit"))
    actions.undo(ticket.pk, by("Signe"))
    assert state() == before
    left = set(Outgoing.objects.filter(ticket=ticket, withdrawn=0).values_list("pk", flat=True))
    assert left == mails, "what was told must not leave"
    assert verify()[1] is None


def test_undo_is_too_late_after_ten_seconds(
    log: Callable[..., Any], by: Callable[[str | None], Any], at: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.take(ticket.pk, by("Signe"))
    at.later(seconds=11)
    with pytest.raises(Conflict, match="Ten seconds"):
        actions.undo(ticket.pk, by("Signe"))


def test_a_change_of_service_reads_the_promise_again(
    log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    from gannet.estate.models import Service

    ticket = log("Lena", "Mail and calendar", who="me", work="no")
    assert ticket.agreement == "offices"
    gates = Service.objects.get(name="Boarding gates")
    actions.change_facts(ticket.pk, by("Signe"), {"service": gates.pk}, ticket.version)
    assert fresh(ticket).agreement == "sailing-critical"
    assert clock(ticket, "answer").target_seconds == 3600
    promised = Event.objects.filter(ticket=ticket, kind=TicketEvent.PROMISED).count()
    assert promised == 2, "what had been announced before stays on record"


def test_an_announced_outage_is_on_every_portal_until_resolved(
    log: Callable[..., Any], by: Callable[[str | None], Any]
) -> None:
    from gannet.tickets.queries import outages

    ticket = log("Maeve", "Boarding gates", title="secret details")
    actions.announce(
        ticket.pk, by("Signe"), public_title="Gates are down", next_news=NOW + timedelta(hours=1)
    )
    (shown,) = [o for o in outages(seconds_of(NOW)) if o["id"] == ticket.pk]
    assert shown["title"] == "Gates are down" and "secret" not in str(shown)
    actions.resolve(ticket.pk, by("Signe"), "Mended the reader head.", settled=Settled(is_all=True))
    assert not [o for o in outages(seconds_of(NOW)) if o["id"] == ticket.pk]


def test_following_and_the_person_who_left(
    log: Callable[..., Any], by: Callable[[str | None], Any], person: Callable[[str], Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.follow(ticket.pk, by("Signe"), person("Piotr"))
    actions.reply(ticket.pk, by("Signe"), "Working on it.")
    assert Outgoing.objects.filter(
        ticket=ticket, person=person("Piotr"), body__contains="Working"
    ).exists()
    Person.objects.filter(name__startswith="Piotr").update(is_active=False)
    actions.reply(ticket.pk, by("Signe"), "Still working.")
    assert not Outgoing.objects.filter(
        ticket=ticket, to__startswith="piotr", body__contains="Still"
    ).exists()


@pytest.mark.parametrize("after_minutes", [0, 7, 200])
def test_retargeting_does_not_depend_on_when_it_is_done(
    log: Callable[..., Any], at: Any, by: Callable[[str | None], Any], after_minutes: int
) -> None:
    """Changed at any time, before or within a wait, the clocks are those of P1 from the start."""
    changed = log("Maeve", "Boarding gates", who="team", work="no")
    straight = log("Maeve", "Boarding gates", who="ships", work="no")
    assert (changed.priority, straight.priority) == (2, 1)
    acts: list[tuple[int, str, dict[str, Any]]] = [
        (5, "reply", {"text": "Looking."}),
        (6, "wait", {"on": Waiting.REQUESTER, "reason": "asked"}),
        (300, "resume", {}),
    ]
    start = at.now
    steps = sorted(
        [*acts, (after_minutes, "set_priority", {"priority": 1, "reason": "full ship"})],
        key=lambda step: step[0],
    )
    for minute, act, given in steps:
        at.now = start + timedelta(minutes=minute)
        getattr(actions, act)(changed.pk, by("Signe"), **given)
        if act != "set_priority":
            getattr(actions, act)(straight.pk, by("Signe"), **given)

    def reading(ticket: Ticket) -> list[tuple[Any, ...]]:
        rows = Clock.objects.filter(ticket=ticket).order_by("kind", "holder")
        return [
            (c.kind, c.holder, c.state, c.target_seconds, c.remaining_seconds, c.due_s, c.missed_s)
            for c in rows
        ]

    assert reading(changed) == reading(straight)
    assert len(reading(changed)) == 4
