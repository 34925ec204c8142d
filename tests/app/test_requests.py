"""Requests: asked for, approved stage by stage, fulfilled, and never hanging."""

from collections.abc import Callable
from datetime import timedelta
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.messages.models import Notification, Outgoing
from gannet.people.models import Deputy, Person
from gannet.requests.asking import Line, Wish, ask_for, change_answers
from gannet.requests.models import facts_of
from gannet.requests.offers import is_a_slip, offered, search
from gannet.rulebook.book import current
from gannet.rulebook.schema import SCHEMA
from gannet.tickets import actions
from gannet.tickets.actions import approvals
from gannet.tickets.actions.leftovers import Settled
from gannet.tickets.actions.routes import replace_leavers
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Approval, ApprovalState, StageState, StateCode, Ticket
from gannet.trials.checking import findings_of
from gannet.web.errors import Conflict, Invalid, Missing
from gannet_core.findings import ERROR
from gannet_core.instants import seconds_of
from tests.app.conftest import LAPTOP, approve_all, fire
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
By = Callable[[str | None], Any]


def fresh(ticket: Ticket) -> Ticket:
    return Ticket.objects.get(pk=ticket.pk)


def pending(ticket: Ticket) -> list[Approval]:
    return list(ticket.approvals.filter(state=ApprovalState.PENDING).select_related("asked_of"))


def first(person: Person) -> str:
    return person.name.split()[0]


def test_the_catalogue_of_northmere_has_no_dead_end(northmere: None) -> None:
    document = dict(current().document)
    Draft202012Validator(SCHEMA).validate(document)
    assert [
        f.says
        for f in findings_of(document, NOW)
        if f.section in ("items", "bundles", "routes", "tasks") and f.severity == ERROR
    ] == []
    assert len(document["items"]) >= 40 and len(document["bundles"]) >= 5
    broken = {
        **document,
        "routes": [
            {
                **document["routes"][0],
                "owner": "",
                "stages": [{"key": "x", "approvers": [{"who": "service owner"}]}],
            }
        ],
    }
    says = " ".join(f.says for f in findings_of(broken, NOW) if f.section == "routes")
    assert "add a fallback" in says and "owner" in says


def test_who_may_ask_for_what_and_words_that_forgive(person: Any) -> None:
    book = current()
    mate, clerk = offered(book, person("Ines")), offered(book, person("Piotr"))
    assert "bridge-tablet" in {one["key"] for one in mate}
    assert "bridge-tablet" not in {one["key"] for one in clerk}
    for typed, key in (
        ("laptpo", "laptop"),
        ("moniter", "monitor"),
        ("vpn", "remote-access"),
        ("new starter", "newcomer"),
        ("passwrod forgot", "password"),
    ):
        assert search(book, person("Piotr"), typed)[0]["key"] == key, typed
    fault = [one["key"] for one in search(book, person("Piotr"), "the gate will not read tickets")]
    assert fault == ["handheld"], "what is only mentioned in passing is not offered"
    assert search(book, person("Piotr"), "zzz") == [] == search(book, person("Piotr"), "")


@pytest.mark.parametrize(("one", "other", "is_one"), [
    ("till", "tills", True), ("gate", "gaet", True), ("gate", "gata", True),
    ("gate", "gates", True), ("gate", "tage", False), ("same", "same", True), ("a", "abc", False),
])  # fmt: skip
def test_one_slip(one: str, other: str, is_one: bool) -> None:
    assert is_a_slip(one, other) is is_one


def test_a_pre_approved_item_goes_straight_to_its_team(want: Any) -> None:
    ticket = want("Piotr", "headset", {"ship_to": "Orrin Bay"})
    assert (ticket.kind, ticket.approval, ticket.team.name) == (
        "request",
        "automatic",
        "Quayside Support",
    )
    assert ticket.is_open and ticket.waiting_on == "" and not ticket.approvals.exists()
    assert ticket.agreement == "delivery-3" and ticket.values == {"ship_to": "Orrin Bay"}


def test_yes_asks_the_manager_and_no_goes_straight_on(want: Any, person: Any) -> None:
    no = want("Piotr", "remote-access", {"outside_country": False})
    assert no.approval == "automatic"
    assert [stage.state for stage in no.stages.all()] == [StageState.SKIPPED] * 2
    yes = want("Piotr", "remote-access", {"outside_country": True})
    (asked,) = pending(yes)
    assert asked.asked_of == person("Piotr").manager and yes.waiting_on == "approval"
    assert yes.approval == "pending"
    fix = yes.clocks.get(kind="fix", holder="")
    assert fix.due_s is None, "waiting on approval pauses the delivery promise"


def test_stages_in_order_then_the_work_begins(want: Any, person: Any, by: By) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    manager = person("Piotr").manager
    (asked,) = pending(ticket)
    assert asked.asked_of == manager and asked.cost_pence == 89_000
    assert Notification.objects.filter(person=manager, event_name="approval asked").exists()
    assert not ticket.tasks.exists()
    approvals.decide(actions.Acting(person=manager, now=NOW), asked.pk, approves=True, reason="")
    # Over 500: the budget line's owner as well – here the same person decides again.
    (second,) = pending(ticket)
    assert second.stage.key == "budget"
    approvals.decide(
        actions.Acting(person=second.asked_of, now=NOW), second.pk, approves=True, reason=""
    )
    after = fresh(ticket)
    assert after.approval == "approved" and after.waiting_on == ""
    assert [stage.state for stage in after.stages.all()] == ["approved", "approved", "skipped"]
    titles = {task.title: task for task in after.tasks.all()}
    assert set(titles) == {"Take one from the stores", "Set it up", "Hand it over"}
    assert [one.title for one in titles["Set it up"].after.all()] == ["Take one from the stores"]
    assert titles["Set it up"].phase == "Prepare" and verify()[1] is None


def test_a_refusal_gives_its_reason_and_ends_it(want: Any, by: By, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    acting = actions.Acting(person=asked.asked_of, now=NOW)
    with pytest.raises(Invalid):
        approvals.decide(acting, asked.pk, approves=False, reason=" ")
    approvals.decide(acting, asked.pk, approves=False, reason="Yours is a year old.")
    after = fresh(ticket)
    assert (after.state, after.approval, after.is_open) == (StateCode.CANCELLED, "refused", 0)
    assert {stage.state for stage in after.stages.all()} == {"refused", "dropped", "skipped"}
    told = Outgoing.objects.filter(
        ticket=ticket, person=person("Piotr"), event_name="request refused"
    )
    assert "Yours is a year old." in told.get().body
    with pytest.raises((Conflict, Missing)):
        approvals.decide(acting, asked.pk, approves=True, reason="")
    again = want("Piotr", "laptop", after.values)
    assert again.values == after.values and pending(again)


def test_nobody_decides_on_their_own_request(want: Any, person: Any, by: By) -> None:
    boss = person("Piotr").manager
    theirs = ask_for(
        boss, Wish(lines=[Line(key="laptop", answers=LAPTOP)]), actions.Acting(person=boss, now=NOW)
    )
    assert boss not in [asked.asked_of for asked in pending(theirs)]
    for asked in pending(theirs):
        with pytest.raises(Missing):
            approvals.decide(
                actions.Acting(person=boss, now=NOW), asked.pk, approves=True, reason=""
            )
    # Asked by the manager for Piotr: it is the manager's own request too.
    other = ask_for(
        boss,
        Wish(lines=[Line(key="laptop", answers=LAPTOP)], beneficiary=person("Piotr")),
        actions.Acting(person=boss, now=NOW),
    )
    assert boss not in [asked.asked_of for asked in pending(other)]


def test_a_deputy_decides_between_the_dates_only(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    deputy, now_s = person("Lena"), seconds_of(NOW)
    acting = actions.Acting(person=deputy, now=NOW)
    span = Deputy.objects.create(
        person=asked.asked_of, deputy=deputy, from_s=now_s + 9, to_s=now_s + 99
    )
    with pytest.raises(Missing):
        approvals.decide(acting, asked.pk, approves=True, reason="")
    Deputy.objects.filter(pk=span.pk).update(from_s=now_s - 9)
    approvals.decide(acting, asked.pk, approves=True, reason="")
    asked.refresh_from_db()
    assert (asked.asked_of, asked.decided_by) == (person("Piotr").manager, deputy)


def test_ask_back_stops_and_the_answer_brings_it_back(want: Any, person: Any, by: By) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    acting = actions.Acting(person=asked.asked_of, now=NOW)
    approvals.ask_back(acting, asked.pk, question="Is a used one good enough?")
    after = fresh(ticket)
    assert (after.waiting_on, after.waiting_reason) == ("requester", "Is a used one good enough?")
    assert after.stages.get(key="manager").remind_s is None
    actions.requester_writes(ticket.pk, by("Piotr"), "Yes, if the battery is new.")
    after = fresh(ticket)
    assert after.waiting_on == "approval" and pending(after)[0].question == ""
    for nothing in ({}, {"question": "  "}, {"until": NOW - timedelta(minutes=1)}):
        with pytest.raises(Invalid):
            approvals.ask_back(acting, asked.pk, **nothing)
    approvals.ask_back(acting, asked.pk, until=NOW + timedelta(days=3))
    assert fresh(ticket).waiting_on == "date"
    actions.resume(ticket.pk, actions.Acting(person=None, now=NOW + timedelta(days=3)))
    assert fresh(ticket).waiting_on == "approval"


def test_passing_on_keeps_both_and_never_to_the_requester(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    acting = actions.Acting(person=asked.asked_of, now=NOW)
    with pytest.raises(Invalid):
        approvals.pass_on(acting, asked.pk, to=person("Piotr"))
    approvals.pass_on(acting, asked.pk, to=person("Nuno"), reason="He runs the project.")
    rows = list(ticket.approvals.order_by("id"))
    assert [(row.asked_of.name, row.state) for row in rows][-1] == ("Nuno Ferrer", "pending")
    assert rows[0].state == "passed on" and rows[1].instead_of == rows[0].asked_of
    with pytest.raises(Conflict):
        approvals.decide(acting, asked.pk, approves=True, reason="")
    approvals.decide(
        actions.Acting(person=person("Nuno"), now=NOW), rows[1].pk, approves=True, reason=""
    )
    assert ticket.stages.get(key="manager").state == "approved"


def test_a_quorum_of_two_needs_two(want: Any) -> None:
    ticket = want("Ines", "bridge-tablet", {"ship_to": "Kestrel Point"})
    asked = pending(ticket)
    assert len(asked) > 2
    for one, left in ((asked[0], "pending"), (asked[1], "approved")):
        approvals.decide(
            actions.Acting(person=one.asked_of, now=NOW), one.pk, approves=True, reason=""
        )
        assert ticket.stages.get().state == left
    assert {row.state for row in ticket.approvals.all()} == {"approved", "not needed"}


def test_changed_answers_ask_those_again_whom_they_touch(want: Any, by: By) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    for _ in range(2):
        (asked,) = pending(ticket)
        approvals.decide(
            actions.Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason=""
        )
    assert fresh(ticket).approval == "approved"
    change_answers(ticket.pk, by("Piotr"), {"laptop_size": "13 inches, light"})
    after = fresh(ticket)
    assert after.approval == "pending" and after.waiting_on == "approval"
    for _ in range(2):
        (asked,) = pending(ticket)
        assert asked.round == 2
        approvals.decide(
            actions.Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason=""
        )
    after = fresh(ticket)
    assert after.approval == "approved" and after.tasks.count() == 3, "its tasks are not made twice"


def test_cancelling_leaves_nobody_with_a_question(want: Any, by: By) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    actions.cancel(ticket.pk, by("Piotr"), "I found one.")
    assert (
        pending(ticket) == []
        and not Notification.objects.filter(event_name="approval asked", gone_s=None).exists()
    )
    assert fresh(ticket).approval == ""


NEWCOMER = {
    "newcomer_name": "Petra Voss", "first_day": "2026-12-01", "account_name": "petra.voss",
    "ship_to": "Orrin Bay", "doors": "Terminal", "works_away": True,
}  # fmt: skip
PARTS = {
    "laptop": {"laptop_size": "15 inches"},
    "remote-access": {"outside_country": False},
}


def test_a_bundle_from_asking_to_everything_there(want: Any, by: By, person: Any) -> None:
    with pytest.raises(Invalid) as lacking:
        want("Piotr", "newcomer", NEWCOMER, of="Maeve", chosen=["monitor", "dock"])
    assert set(lacking.value.extra["fields"]) == {"laptop.laptop_size"}
    ticket = want(
        "Piotr",
        "newcomer",
        NEWCOMER,
        of="Maeve",
        chosen=["monitor", "dock", "remote-access"],
        part_answers=PARTS,
    )
    assert (
        facts_of(ticket).once_pence == (890 + 12 + 210 + 140) * 100
        and facts_of(ticket).monthly_pence == 10_00
    )
    assert not ticket.children.exists()
    approve_all(ticket)
    children = {facts_of(child).item: child for child in ticket.children.all()}
    assert set(children) == {
        "mail-account",
        "laptop",
        "door-card",
        "monitor",
        "dock",
        "remote-access",
    }
    assert children["laptop"].values["ship_to"] == "Orrin Bay", "asked once, filled into each"
    assert (
        children["mail-account"].team.name == "Platforms"
        and children["laptop"].agreement == "delivery-10"
    )
    assert all(child.approval == "automatic" for child in children.values())
    actions.take(ticket.pk, by("Signe"))
    assert all(
        child.followers.filter(person=person("Signe")).exists() for child in children.values()
    )
    for n, child in enumerate(children.values()):
        assert fresh(ticket).is_open, n
        for task in child.tasks.all():
            said = dict.fromkeys(task.outputs, "NF-1")
            actions.set_task(child.pk, by("Signe"), task.pk, "done", outputs=said)
        if fresh(child).is_open:
            actions.resolve(child.pk, by("Signe"), "It is there.")
    after = fresh(ticket)
    assert after.state == StateCode.RESOLVED
    heard = (
        Outgoing.objects.filter(person=person("Piotr"), event_name="resolved")
        .values("ticket")
        .distinct()
    )
    assert heard.count() == len(children) + 1, "the requester hears as each arrives"
    held = Notification.objects.filter(person=person("Signe"), event_name="part ended")
    assert held.exists(), "and so does who holds the whole"
    assert {child.events.get(kind=TicketEvent.LOGGED).actor for child in children.values()} == {
        person("Piotr")
    }, "asked for by who asked for the whole, not by who approved it"


def test_parts_follow_each_other_and_unknown_things_are_refused(want: Any) -> None:
    ticket = want(
        "Piotr",
        "newcomer",
        {**NEWCOMER, "works_away": False},
        of="Maeve",
        chosen=["dock", "remote-access"],
        part_answers=PARTS,
    )
    assert set(facts_of(ticket).parts) == {"mail-account", "laptop", "door-card"}, (
        "no dock without a monitor"
    )
    for key in ("no-such-thing", "bridge-tablet"):
        with pytest.raises(Missing):
            want("Piotr", key)
    with pytest.raises(Invalid):
        want("Piotr", "laptop", {"laptop_size": "17 inches"})
    assert Event.objects.filter(kind=TicketEvent.LOGGED).count() == 1, (
        "what was refused left nothing"
    )


def test_nothing_is_closed_over_unfinished_parts_silently(want: Any, by: By) -> None:
    def whole() -> Ticket:
        return ask_for(
            by("Piotr").person,
            Wish(
                lines=[Line(key="headset", answers={"ship_to": "Orrin Bay"}), Line(key="crew-wifi")]
            ),
            by("Piotr"),
        )

    first = whole()
    with pytest.raises(Invalid, match="Still to come: Headset"):
        actions.resolve(first.pk, by("Signe"), "It is done.")
    actions.cancel(first.pk, by("Piotr"), "I sail tomorrow.")
    assert {child.state for child in first.children.all()} == {StateCode.CANCELLED}
    second = whole()
    for child in second.children.all():
        actions.cancel(child.pk, by("Piotr"), "Not needed.")
    assert fresh(second).state == StateCode.CANCELLED, "a whole without parts does not stay open"


def test_several_things_go_their_own_ways(person: Any, by: By) -> None:
    wish = Wish(
        lines=[
            Line(key="headset", answers={"ship_to": "Orrin Bay"}),
            Line(key="laptop", answers=LAPTOP),
        ]
    )
    whole = ask_for(person("Piotr"), wish, by("Piotr"))
    assert whole.title == "Headset and Laptop"
    assert {facts_of(child).item: child.approval for child in whole.children.all()} == {
        "headset": "automatic",
        "laptop": "pending",
    }
    (asked,) = Approval.objects.filter(state=ApprovalState.PENDING)
    approvals.decide(
        actions.Acting(person=asked.asked_of, now=NOW), asked.pk, approves=False, reason="No."
    )
    assert fresh(whole).is_open
    actions.resolve(
        whole.children.get(request_facts__item="headset").pk, by("Signe"), "All is there."
    )
    assert not fresh(whole).is_open


def test_time_to_decide_reminds_then_goes_to_the_fallback(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    approvals.decide(
        actions.Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason=""
    )
    stage = ticket.stages.get(key="budget")
    (asked,) = pending(ticket)
    mails = Outgoing.objects.filter(event_name="approval asked", person=asked.asked_of)
    before = mails.count()
    assert fire("stage", stage.remind_s) == 1 and mails.count() == before + 1
    assert fire("stage", stage.remind_s) == 0, "reminded once"
    assert fire("stage", stage.decide_by_s) == 1
    (passed,) = pending(ticket)
    assert passed.asked_of == person("Tomas") and passed.instead_of == asked.asked_of


def test_who_leaves_is_replaced_when_the_stage_opens(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    owner = person("Piotr").cost_centre.owner
    Person.objects.filter(pk=owner.pk).update(is_active=False)
    approvals.decide(
        actions.Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason=""
    )
    (second,) = pending(ticket)
    assert second.asked_of == owner.manager and second.instead_of == owner


def test_who_leaves_while_being_asked_is_replaced(want: Any, person: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    (asked,) = pending(ticket)
    leaver = asked.asked_of
    Person.objects.filter(pk=leaver.pk).update(is_active=False)
    assert replace_leavers(seconds_of(NOW) + 60) == 1 and replace_leavers(seconds_of(NOW) + 61) == 0
    (now,) = pending(ticket)
    assert now.asked_of == leaver.manager and now.instead_of == leaver
    assert now.asked_of.name in fresh(ticket).waiting_reason
    approvals.decide(actions.Acting(person=now.asked_of, now=NOW), now.pk, approves=True, reason="")
    assert ticket.stages.get(key="manager").state == "approved"


def test_a_thing_is_shared_with_a_colleague_by_whom_it_belongs_to(
    want: Any, api: Any, person: Any
) -> None:
    ticket = want("Piotr", "headset", {"ship_to": "Orrin Bay"})
    path, body = f"/api/portal/tickets/{ticket.pk}", {"person": person("Maeve").pk}
    assert api("Maeve").get(path).status_code == 404
    assert (
        api("Nuno").post(f"{path}/share", body, content_type="application/json").status_code == 404
    )
    assert (
        api("Piotr").post(f"{path}/share", body, content_type="application/json").status_code == 200
    )
    assert api("Maeve").get(path).status_code == 200
    shared = api("Maeve").get("/api/portal").json()["shared"]
    assert [one["id"] for one in shared] == [ticket.pk]
    assert api("Piotr").get("/api/portal").json()["shared"] == []


def test_automatic_tasks_run_with_their_log_and_end_the_request(want: Any) -> None:
    ticket = want("Piotr", "password", {"account_name": "piotr.dallow"})
    assert fire("runbook", seconds_of(NOW) + 60) == 1
    after = fresh(ticket)
    assert after.state == StateCode.RESOLVED and "Set a one-time password" in after.resolution
    ran = Event.objects.get(ticket=ticket, kind=TicketEvent.RUNBOOK_RAN)
    assert "Looked up piotr.dallow" in ran.values["log"]
    assert fire("runbook", seconds_of(NOW) + 61) == 0


# Through the API


def test_looking_at_a_bundle_says_what_it_comes_to(api: Any) -> None:
    client = api("Piotr")
    body = {"answers": NEWCOMER, "chosen": ["monitor", "remote-access"], "part_answers": PARTS}
    seen = client.post("/api/catalogue/newcomer/look", body, content_type="application/json").json()
    parts = {part["key"]: part for part in seen["parts"]}
    assert parts["dock"]["is_chosen"] is False and parts["laptop"]["is_required"]
    assert parts["laptop"]["filled"] == ["ship_to"]
    assert seen["once_pence"] == (890 + 12 + 210) * 100
    assert [one["is_skipped"] for one in seen["decides"]] == [False, False, True]
    without = client.post(
        "/api/catalogue/newcomer/look", {"answers": {}}, content_type="application/json"
    ).json()
    assert "dock" not in {part["key"] for part in without["parts"]}
    assert (
        client.post("/api/catalogue/nothing/look", {}, content_type="application/json").status_code
        == 404
    )


def test_the_portal_offers_answers_before_forms_and_shows_the_path(api: Any, want: Any) -> None:
    ticket = want("Piotr", "laptop", LAPTOP)
    client = api("Piotr")
    offered_now = client.get("/api/portal/offers?text=laptpo").json()
    assert offered_now["items"][0]["key"] == "laptop"
    shown = client.get(f"/api/portal/tickets/{ticket.pk}").json()
    assert [step["label"] for step in shown["path"]][:2] == ["Requested", "Line manager"]
    assert [step["is_now"] for step in shown["path"]].index(True) == 1
    request = shown["request"]
    assert request["stages"][0]["people"][0]["state"] == "pending"
    assert {"Size": "15 inches"}.items() <= {
        a["label"]: a["value"] for a in request["answers"]
    }.items()
    thing = client.get("/api/portal").json()["things"][0]
    assert "is asked" in thing["waits_for"]
    assert api("Nuno").get(f"/api/portal/tickets/{ticket.pk}").status_code == 404


def test_deputies_are_ones_own_to_name_and_colleagues_say_little(api: Any, person: Any) -> None:
    client, now_s = api("Nuno"), seconds_of(NOW)
    body = {"deputy": person("Lena").pk, "from_s": now_s, "to_s": now_s + 10**8}
    made = client.post("/api/deputies", body, content_type="application/json")
    assert made.status_code == 201 and made.json()["name"] == "Lena Okoro"
    for wrong in ({"deputy": person("Nuno").pk}, {"to_s": now_s - 5}):
        assert (
            client.post(
                "/api/deputies", {**body, **wrong}, content_type="application/json"
            ).status_code
            == 422
        )
    assert api("Ines").delete(f"/api/deputies/{made.json()['id']}").status_code == 404
    assert api("Nuno").delete(f"/api/deputies/{made.json()['id']}").status_code == 204
    found = api("Ines").get("/api/colleagues?q=okor").json()
    assert found and set(found[0]) == {"id", "name", "department", "place"}
    assert api("Ines").get("/api/colleagues?q=o").json() == []


def test_an_outage_that_hits_me_too_tells_me_when_it_is_over(api: Any, log: Any, by: By) -> None:
    ticket = log("Maeve", "Boarding gates")
    client = api("Piotr")
    assert client.post(f"/api/portal/outages/{ticket.pk}/hit").status_code == 404
    actions.announce(
        ticket.pk,
        by("Signe"),
        public_title="Gates reject barcodes",
        next_news=NOW + timedelta(hours=1),
    )
    for _ in range(2):
        assert client.post(f"/api/portal/outages/{ticket.pk}/hit").status_code == 204
    outage = client.get("/api/portal").json()["outages"][0]
    assert (outage["hits"], outage["hits_me"]) == (1, True)
    assert client.get(f"/api/portal/tickets/{ticket.pk}").status_code == 404, (
        "only its public words"
    )
    actions.resolve(ticket.pk, by("Signe"), "A new head put in.", settled=Settled(is_all=True))
    assert (
        Notification.objects.filter(person__name="Piotr Dallow", event_name="outage over").count()
        == 1
    )


def test_the_board_has_each_request_in_the_phase_of_its_next_task(
    api: Any, want: Any, by: By
) -> None:
    waits, plain = (
        want("Piotr", "laptop", LAPTOP),
        want("Maeve", "guest-wifi", {"until": "2026-12-01"}),
    )
    account = want("Ines", "mail-account", {"account_name": "ines"})

    def columns() -> dict[str, list[int]]:
        seen = api("Signe").get("/api/requests/board").json()["columns"]
        return {one["name"]: [card["id"] for card in one["cards"]] for one in seen}

    found = columns()
    assert found["Waiting for approval"] == [waits.pk] and account.pk in found["Prepare"]
    assert plain.pk in found["Under way"] + found["To begin"]
    fire("runbook", seconds_of(NOW))
    assert account.pk in columns()["Hand over"]
    assert list(found).index("Prepare") < list(found).index("There this week")
    log_id = api("Piotr").get("/api/requests/board").status_code
    assert log_id == 403


def test_the_plan_draws_when_each_task_can_and_must_begin(want: Any, api: Any) -> None:
    ticket = want("Maeve", "till", {"terminal": "Kestrel Point", "counter": "3"})
    while pending(ticket):
        (asked,) = pending(ticket)
        approvals.decide(
            actions.Acting(person=asked.asked_of, now=NOW), asked.pk, approves=True, reason=""
        )
    plan = api("Signe").get(f"/api/tickets/{ticket.pk}").json()["plan"]
    rows = {row["title"]: row for row in plan["rows"]}
    assert plan["length_minutes"] == 180 + 120
    assert rows["Order it"]["slack_minutes"] == 150 and not rows["Order it"]["is_critical"]
    assert rows["Pull the cable"]["is_critical"] and rows["Set it up at the counter"][
        "earliest"
    ] == [180, 300]
    assert rows["Order it"]["earliest_s"] < rows["Order it"]["latest_s"]
