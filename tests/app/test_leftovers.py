"""What is still open when somebody resolves, who stops a clock, and what is taken back."""

from datetime import timedelta
from typing import Any

import pytest

from gannet.messages.models import Outgoing, Unwanted
from gannet.people.models import Team
from gannet.rulebook.book import current
from gannet.tickets import actions, mass, routing
from gannet.tickets.actions import Acting, approvals
from gannet.tickets.actions.leftovers import ANNOUNCEMENT, QUESTION, TASK, Settled, left_open
from gannet.tickets.acts.registry import acts, why_not
from gannet.tickets.models import ApprovalState, TaskState, Ticket
from gannet.web.errors import Conflict, Invalid, Refused
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting
from tests.app.conftest import LAPTOP, approve_all, fire
from tests.conftest import NOW

LATER = NOW + timedelta(hours=1)


@pytest.fixture
def open_with_all(log: Any, person: Any, by: Any) -> Ticket:
    """An incident with a task, a question asked by hand and an announcement."""
    ticket: Ticket = log("Maeve", "Boarding gates")
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look"})
    actions.ask_approval(ticket.pk, by("Signe"), of=person("Ines"), what="A head", waits=False)
    actions.announce(ticket.pk, by("Signe"), public_title="Gates", next_news=LATER)
    return Ticket.objects.get(pk=ticket.pk)


def with_ship_systems(log: Any) -> Ticket:
    ticket = log("Maeve", "Boarding gates")
    team = Team.objects.get(key="ship-systems")
    Ticket.objects.filter(pk=ticket.pk).update(team=team, holder=None)
    return Ticket.objects.get(pk=ticket.pk)


def becomes(ticket: Ticket, task: str = "done", leave: str = "") -> list[dict[str, Any]]:
    words = {TASK: task, QUESTION: "withdrawn", ANNOUNCEMENT: "over"}
    return [
        {"kind": one.kind, "id": one.id, "becomes": words[one.kind]}
        for one in left_open(ticket)
        if one.kind != leave
    ]


@pytest.mark.parametrize("leave", [TASK, QUESTION, ANNOUNCEMENT])
def test_nothing_open_ends_unsaid(api: Any, open_with_all: Ticket, leave: str) -> None:
    ticket = open_with_all
    path = f"/api/tickets/{ticket.pk}/resolve"
    given = {"what": "A new reader head.", "version": ticket.version}
    refused = api("Signe").post(
        path, {**given, "left": becomes(ticket, leave=leave)}, content_type="application/json"
    )
    assert refused.status_code == 422 and refused.json()["code"] == "left-open"
    assert leave in refused.json()["detail"] and "left" in refused.json()["fields"]
    ticket.refresh_from_db()
    assert ticket.is_open and ticket.open_tasks == 1 and ticket.is_announced
    done = api("Signe").post(
        path, {**given, "left": becomes(ticket)}, content_type="application/json"
    )
    assert done.status_code == 200
    assert done.json()["left_open"] == []


def test_what_becomes_of_each_is_what_was_said_and_comes_back_with_it(
    open_with_all: Ticket, by: Any
) -> None:
    ticket = open_with_all
    actions.add_task(ticket.pk, by("Signe"), {"title": "Pack"})
    look, pack = ticket.tasks.order_by("id")
    rows = [*becomes(ticket, leave=TASK), {"kind": TASK, "id": look.pk, "becomes": "done"}]
    rows.append({"kind": TASK, "id": pack.pk, "becomes": "not needed"})
    settled = Settled.of(rows)
    actions.resolve(ticket.pk, by("Signe"), "A new reader head.", settled=settled)
    look.refresh_from_db(), pack.refresh_from_db()
    assert (look.state, look.done_by) == (TaskState.DONE, by("Signe").person)
    assert (pack.state, pack.done_by) == (TaskState.SKIPPED, None)
    assert ticket.approvals.get().state == ApprovalState.NOT_NEEDED
    actions.undo(ticket.pk, by("Signe"))
    assert set(ticket.tasks.values_list("state", "done_by")) == {(TaskState.OPEN, None)}
    assert Ticket.objects.get(pk=ticket.pk).is_announced


def test_a_task_is_not_done_without_what_it_yields(log: Any, by: Any) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.add_task(ticket.pk, by("Signe"), {"title": "Take one", "outputs": ["asset tag"]})
    ticket.refresh_from_db()
    settled = Settled.of(becomes(ticket))
    with pytest.raises(Invalid, match="asset tag"):
        actions.resolve(ticket.pk, by("Signe"), "A new reader head.", settled=settled)
    assert Ticket.objects.get(pk=ticket.pk).is_open


def test_nonsense_becomes_of_nothing() -> None:
    with pytest.raises(Invalid):
        Settled.of([{"kind": QUESTION, "id": 1, "becomes": "done"}])


def test_many_are_asked_once_for_all(open_with_all: Ticket, log: Any, person: Any) -> None:
    plain, given = log("Maeve", "Boarding gates"), {"what": "A new reader head."}
    numbers = [open_with_all.pk, plain.pk]
    seen = mass.preview(person("Signe"), numbers, "resolve", given, NOW)
    assert [row["id"] for row in seen["will"]] == [plain.pk]
    assert "Still open with it" in seen["refused"][0]["why"]
    out = mass.do(person("Signe"), numbers, "resolve", {**given, "settles": True}, NOW)
    assert sorted(out["done"]) == sorted(numbers)


def test_what_is_undecided_is_not_resolved_and_the_page_says_why(
    api: Any, want: Any, by: Any, person: Any
) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    shown = api("Signe").get(f"/api/tickets/{ticket.pk}").json()
    (act,) = [one for one in shown["acts"] if one["name"] == "resolve"]
    asked_of = ticket.approvals.get().asked_of.name
    assert act["why_not"].startswith(f"{asked_of} has not decided yet")
    with pytest.raises(Conflict, match="has not decided yet"):
        actions.resolve(ticket.pk, by("Signe"), "It is there now.", settled=Settled(is_all=True))
    out = mass.do(person("Signe"), [ticket.pk], "resolve", {"what": "It is there now."}, NOW)
    assert out["done"] == [] and "has not decided yet" in out["refused"][0]["why"]
    approve_all(ticket)
    actions.resolve(ticket.pk, by("Signe"), "It is there now.", settled=Settled(is_all=True))


def test_tasks_done_by_themselves_do_not_end_what_is_undecided(
    log: Any, by: Any, person: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.ask_approval(ticket.pk, by("Signe"), of=person("Ines"), what="A head", waits=False)
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look"})
    task = ticket.tasks.get()
    task.runbook = "create-account"  # as if nobody had a hand in it
    task.save()
    actions.set_task(ticket.pk, by("Signe"), task.pk, "done")
    assert Ticket.objects.get(pk=ticket.pk).is_open


@pytest.mark.parametrize(("words", "is_fine"), [("Done.", False), ("New head.", False), ("A new head.", True)])  # fmt: skip
def test_a_word_is_no_resolution(api: Any, log: Any, words: str, is_fine: bool) -> None:
    ticket = log("Maeve", "Boarding gates")
    got = api("Signe").post(
        f"/api/tickets/{ticket.pk}/resolve", {"what": words}, content_type="application/json"
    )
    assert (got.status_code == 200) is is_fine, got.content
    if not is_fine:
        assert got.json()["code"] == "too-short" and "what" in got.json()["fields"]


@pytest.mark.parametrize(
    ("who", "may"), [("Joss", True), ("Marit", True), ("Signe", False), ("Bram", False)]
)
def test_its_team_and_leads_stop_a_clock_and_nobody_else(
    log: Any, by: Any, who: str, may: bool
) -> None:
    ticket = with_ship_systems(log)
    act, person = acts()["wait"], by(who).person
    refused = why_not(act, ticket, person)
    assert (refused is None) is may
    if may:
        actions.wait(ticket.pk, by(who), on=Waiting.REQUESTER, reason="Which one?")
        return
    assert isinstance(refused, Refused) and "Ship Systems" in str(refused)
    with pytest.raises(Refused, match="take it first"):
        actions.wait(ticket.pk, by(who), on=Waiting.REQUESTER, reason="Which one?")
    actions.take(ticket.pk, by(who), force=True)
    actions.wait(ticket.pk, by(who), on=Waiting.REQUESTER, reason="Which one?")


def test_asking_an_approval_stops_the_clock_only_for_those_who_may(
    log: Any, by: Any, person: Any
) -> None:
    for who, waits in (("Joss", True), ("Signe", False)):
        ticket = with_ship_systems(log)
        actions.ask_approval(ticket.pk, by(who), of=person("Ines"), what="A head")
        assert bool(Ticket.objects.get(pk=ticket.pk).waiting_on) is waits
    with pytest.raises(Refused):
        actions.ask_approval(ticket.pk, by("Bram"), of=person("Ines"), what="One", waits=True)


# Taking back


def test_a_merge_is_taken_back_whole(log: Any, by: Any, person: Any) -> None:
    one, other = log("Maeve", "Boarding gates"), log("Piotr", "Boarding gates")
    earlier = log("Ines", "Boarding gates")
    actions.merge(earlier.pk, by("Signe"), one.pk)
    actions.announce(one.pk, by("Signe"), public_title="Gates", next_news=LATER)
    before = Ticket.objects.get(pk=one.pk)
    actions.merge(one.pk, by("Signe"), other.pk)
    assert Ticket.objects.get(pk=other.pk).is_announced
    assert Ticket.objects.get(pk=earlier.pk).duplicate_of_id == other.pk
    actions.undo(one.pk, by("Signe"))
    back, there = Ticket.objects.get(pk=one.pk), Ticket.objects.get(pk=other.pk)
    assert (back.is_open, back.duplicate_of, back.state) == (True, None, before.state)
    assert back.is_announced and not there.is_announced
    assert Ticket.objects.get(pk=earlier.pk).duplicate_of_id == one.pk
    assert not there.followers.filter(person=person("Maeve")).exists()
    told = Outgoing.objects.filter(ticket=one, event_name="merged", withdrawn=0)
    assert not told.exists(), "nobody hears of a merge that did not stay"


def test_rejecting_is_taken_back_with_its_sender(mailed: Ticket, by: Any) -> None:
    actions.set_unwanted(mailed.pk, by("Signe"), remembers=True)
    assert Unwanted.objects.count() == 1
    actions.undo(mailed.pk, by("Signe"))
    back = Ticket.objects.get(pk=mailed.pk)
    assert back.is_open and not back.is_spam and not Unwanted.objects.exists()


@pytest.fixture
def mailed(log: Any) -> Ticket:
    ticket: Ticket = log("Maeve", "Boarding gates")
    Ticket.objects.filter(pk=ticket.pk).update(channel="e-mail")
    return Ticket.objects.get(pk=ticket.pk)


@pytest.mark.parametrize("state", ["done", "skipped"])
def test_a_ticked_task_is_taken_back(log: Any, by: Any, state: str) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.add_task(ticket.pk, by("Signe"), {"title": "Take", "outputs": ["tag"]})
    actions.add_task(ticket.pk, by("Signe"), {"title": "Look"})
    task = ticket.tasks.get(title="Take")
    actions.set_task(ticket.pk, by("Signe"), task.pk, state, outputs={"tag": "NF-1"}, spent_pence=5)
    actions.undo(ticket.pk, by("Signe"))
    task.refresh_from_db()
    assert (task.state, task.outputs, task.done_s) == (TaskState.OPEN, {"tag": ""}, None)
    assert task.spent_pence is None and Ticket.objects.get(pk=ticket.pk).open_tasks == 2


def test_what_has_been_taken_too_long_ago_stays(log: Any, by: Any, at: Any) -> None:
    one, other = log("Maeve", "Boarding gates"), log("Piotr", "Boarding gates")
    actions.merge(one.pk, by("Signe"), other.pk)
    at.later(seconds=60)
    with pytest.raises(Conflict):
        actions.undo(one.pk, by("Signe"))


# Approvals that hold


def test_nobody_decides_twice_in_one_stage(want: Any, by: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    stage = ticket.stages.get(state="pending")
    first = ticket.approvals.get()
    stage.quorum = "all"
    stage.save()
    second = ticket.approvals.create(
        stage=stage, asked_of=person("Rosalind"), asked_by=ticket.requester, what="Too",
        asked_s=seconds_of(NOW),
    )  # fmt: skip
    for one, refused in ((first, False), (second, True)):
        if refused:
            with pytest.raises(Conflict, match="decided this already"):
                approvals.decide(by("Marit"), one.pk, approves=True, reason="They are at sea.")
        else:
            approvals.decide(by("Marit"), one.pk, approves=True, reason="They are at sea.")
    with pytest.raises(Invalid, match="in place of"):
        approvals.decide(by("Marit"), second.pk, approves=True, reason=" ")


def test_a_question_asked_by_hand_is_asked_back_and_forwarded(
    api: Any, log: Any, by: Any, person: Any
) -> None:
    ticket = log("Maeve", "Boarding gates")
    actions.ask_approval(ticket.pk, by("Joss"), of=person("Ines"), what="A head for 400")
    asked = ticket.approvals.get()
    approvals.ask_back(by("Ines"), asked.pk, question="Which gate?")
    assert Ticket.objects.get(pk=ticket.pk).waiting_on == "requester"
    actions.requester_writes(ticket.pk, by("Maeve"), "Gate 3.")
    asked.refresh_from_db()
    assert asked.answered == [{"question": "Which gate?", "answer": "Gate 3."}]
    back = Ticket.objects.get(pk=ticket.pk)
    assert (back.waiting_on, back.open_approvals) == ("approval", 1)
    approvals.pass_on(by("Ines"), asked.pk, to=person("Rosalind"), reason="Her gates")
    back = Ticket.objects.get(pk=ticket.pk)
    assert "Rosalind Hathersage" in back.waiting_reason
    following = ticket.approvals.get(state=ApprovalState.PENDING)
    assert (following.asked_of, following.instead_of) == (person("Rosalind"), person("Ines"))
    shown = api("Rosalind").get("/api/approvals").json()
    assert shown[0]["answered"][0]["answer"] == "Gate 3."
    approvals.decide(by("Rosalind"), following.pk, approves=True, reason="Go on.")
    assert not Ticket.objects.get(pk=ticket.pk).waiting_on


def test_the_mail_of_an_approval_says_all_that_it_asks(want: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    mail = Outgoing.objects.filter(ticket=ticket, event_name="approval asked").get()
    for words in ("For: Piotr Dallow", "Cost: ", "15 inches", "Where to: Orrin Bay"):
        if words != "Where to: Orrin Bay":
            assert words in mail.body, mail.body
    assert "Orrin Bay" in mail.body and "{" not in mail.body


def test_no_date_is_promised_before_it_is_approved(api: Any, want: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (thing,) = [
        one for one in api("Piotr").get("/api/portal").json()["things"] if one["id"] == ticket.pk
    ]
    assert thing["fix_due_s"] is None
    page = api("Piotr").get(f"/api/portal/tickets/{ticket.pk}").json()
    assert page["fix_due_s"] is None
    told = Outgoing.objects.filter(ticket=ticket, event_name="logged").get()
    assert "once it is approved" in told.body
    approve_all(ticket)
    assert api("Piotr").get(f"/api/portal/tickets/{ticket.pk}").json()["fix_due_s"] is not None


def test_an_escalation_says_why_and_reaches_those_on_shift_its_lead_first(
    log: Any, by: Any, person: Any
) -> None:
    from gannet.messages.models import Notification
    from gannet.tickets.actions import effects

    ticket = log("Maeve", "Boarding gates")
    members = [one.person for one in ticket.team.memberships.select_related("person")]
    there = [one for one in members if routing.is_there(current(), one, seconds_of(NOW))]
    assert 0 < len(there) < len(members), "some of the team are off now"
    with actions.writing(ticket.pk, Acting(person=None, now=NOW)) as write:
        found = effects.recipients(write, ["team"], only_there=True)
        everybody = effects.recipients(write, ["team"])
    assert {one.pk for one in found} == {one.pk for one in there}
    leads = set(ticket.team.memberships.filter(is_lead=True).values_list("person", flat=True))
    are_leads = [one.pk in leads for one in found]
    assert are_leads == sorted(are_leads, reverse=True)
    assert {one.pk for one in everybody} == {one.pk for one in members}
    due = ticket.clocks.filter(kind="answer", holder="").get().due_s
    assert fire("step", due + 7200) > 0
    said = Notification.objects.filter(ticket=ticket).values_list("text", flat=True)
    about = f"P{ticket.priority}, {ticket.team.name}"
    assert any(one.startswith("Response overdue by") and about in one for one in said), list(said)


def test_a_deputy_who_may_decide_in_place_too_decides_as_the_deputy(
    api: Any, want: Any, person: Any, by: Any
) -> None:
    from gannet.people.models import Deputy

    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = ticket.approvals.all()

    def shown() -> Any:
        rows = api("Marit").get(f"/api/tickets/{ticket.pk}").json()["approvals"]
        return rows[0]["in_place"]

    assert shown(), "a change manager decides in place, with a reason"
    now_s = seconds_of(NOW)
    Deputy.objects.create(
        person=asked.asked_of, deputy=person("Marit"), from_s=now_s - 60, to_s=now_s + 3600
    )
    assert not shown()
    approvals.decide(by("Marit"), asked.pk, approves=True, reason="")
