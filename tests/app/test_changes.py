"""Changes: opened, weighed, submitted, authorised, carried out, and looked back on."""

from collections.abc import Callable
from copy import deepcopy
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.changes import looking_back, planning, stages
from gannet.estate.models import Service
from gannet.messages.models import Notification
from gannet.people.acting import Acting
from gannet.people.models import Absence, Person
from gannet.tickets.actions import approvals
from gannet.tickets.acts import act_named
from gannet.tickets.models import Approval, ApprovalState, Link, RouteStage, Ticket
from gannet.trials.checking import findings_of
from gannet.web.errors import Conflict, Invalid, Refused
from gannet_core.instants import format_instant, seconds_of
from tests.app.changing import (
    FROZEN,
    JSON,
    STEPS,
    THURSDAY,
    Api,
    Who,
    act,
    change_of,
    decide_all,
    facts,
    item,
    state,
)
from tests.app.conftest import fire
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db


def test_a_draft_needs_nothing_and_submitting_says_all_that_it_lacks(api: Api) -> None:
    answer = api("Signe").post("/api/changes/open", {"title": "A second line"}, content_type=JSON)
    assert answer.status_code == 201, answer.content
    number = answer.json()["id"]

    refused = api("Signe").post(f"/api/tickets/{number}/submit-change", {}, content_type=JSON)

    assert refused.status_code == 422
    assert set(refused.json()["fields"]) == {"why", "service", "items", "span", "plan", "backout"}
    change = api("Signe").get(f"/api/tickets/{number}").json()["change"]
    assert [one["place"] for one in change["assessment"]["lacks"]] == [
        "why", "service", "items", "span", "plan", "backout",
    ]  # fmt: skip
    nameless = api("Signe").post("/api/changes/open", {}, content_type=JSON)
    assert nameless.status_code == 422 and "title" in nameless.json()["fields"]


def test_a_standard_change_of_a_template_is_authorised_as_it_is_submitted(
    api: Api, person: Who
) -> None:
    begins = datetime(2027, 1, 5, 18, 30, tzinfo=UTC)
    said = {
        "template": "sign-player",
        "items": [item("sign-player").pk],
        "starts": format_instant(begins),
        "ends": format_instant(begins + timedelta(minutes=90)),
    }
    number = api("Signe").post("/api/changes/open", said, content_type=JSON).json()["id"]
    ticket = Ticket.objects.get(pk=number)
    change = change_of(api, ticket, "Signe")
    assert change["assessment"]["suggested"]["like"] == "standard", change["assessment"]
    assert [step["part"] for step in change["steps"]] == ["implement"] * 2 + ["test", "back out"]

    answer = act(api, "Signe", ticket, "submit-change")

    assert answer.status_code == 200, answer.content
    assert state(ticket) == "planned"
    assert Ticket.objects.get(pk=number).approval == "automatic"
    assert not Approval.objects.filter(ticket=ticket).exists()
    assert [one["stage"] for one in facts(ticket).weighed] == ["submitted", "assessed"]


def test_a_normal_change_goes_by_its_route_and_nobody_authorises_what_they_do(
    api: Api, draft: Callable[..., Ticket], person: Who
) -> None:
    ticket = draft()
    owner = item("satellite-terminal-1-tern").owner
    assert owner is not None
    planning.edit(
        ticket.pk,
        Acting(person=person("Joss"), now=NOW),
        {"steps": [{**STEPS[0], "who": str(owner.pk)}, *STEPS[1:]]},
    )
    assert act(api, "Joss", ticket, "submit-change").status_code == 200
    assert state(ticket) == "assess"

    refused = act(api, "Joss", ticket, "assess-change")
    assert refused.status_code == 403 and "change manager" in refused.json()["detail"]
    assert act(api, "Marit", ticket, "assess-change", comment="Fine").status_code == 200

    assert state(ticket) == "authorise"
    asked = Approval.objects.get(ticket=ticket, state=ApprovalState.PENDING)
    assert asked.asked_of != owner and asked.asked_of != ticket.requester
    keys = decide_all(ticket)
    assert keys[0] == "technical" and keys[-1] in ("cab", "owner", "technical")
    assert state(ticket) == "planned"
    assert facts(ticket).authorised["starts_s"] == facts(ticket).starts_s
    told = Event.objects.filter(ticket=ticket).values_list("kind", flat=True)
    assert [one for one in told if one in ("submitted", "assessed", "authorised")] == [
        "submitted", "assessed", "authorised",
    ]  # fmt: skip


def test_refused_it_ends_refused_and_who_asked_reads_why(
    api: Api, draft: Callable[..., Ticket], person: Who
) -> None:
    ticket = draft()
    stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
    stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
    asked = Approval.objects.get(ticket=ticket, state=ApprovalState.PENDING)

    approvals.decide(
        Acting(person=asked.asked_of, now=NOW), asked.pk, approves=False, reason="Not that week"
    )

    assert state(ticket) == "refused"
    said = Notification.objects.filter(person=person("Joss"), ticket=ticket, gone_s=None)
    assert any("Not that week" in one.text or "Not that week" in one.title for one in said)
    assert not RouteStage.objects.filter(ticket=ticket, state__in=("to come", "pending")).exists()


def test_what_an_approver_asks_is_answered_by_a_note(
    api: Api, draft: Callable[..., Ticket], person: Who
) -> None:
    ticket = draft()
    stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
    stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
    asked = Approval.objects.get(ticket=ticket, state=ApprovalState.PENDING)
    approvals.ask_back(
        Acting(person=asked.asked_of, now=NOW), asked.pk, question="Is the bridge told?"
    )
    assert state(ticket) == "authorise", "it does not wait: its stage says whose turn it is"

    answer = act(api, "Joss", ticket, "note", text="Yes, at noon")

    assert answer.status_code == 200, answer.content
    asked.refresh_from_db()
    assert asked.question == ""
    assert asked.answered == [{"question": "Is the bridge told?", "answer": "Yes, at noon"}]


def test_a_changed_time_asks_again_those_whom_it_touches_and_nobody_else(
    planned: Callable[..., Ticket], person: Who
) -> None:
    ticket = planned("database-2", service="Berth planner")
    assert facts(ticket).rating != "low"
    known = dict(RouteStage.objects.filter(ticket=ticket).values_list("key", "round"))
    later = facts(ticket)
    acting = Acting(person=person("Joss"), now=NOW)

    planning.edit(
        ticket.pk, acting, {"starts_s": later.starts_s + 1800, "ends_s": later.ends_s + 1800}
    )

    assert state(ticket) == "authorise"
    rounds = dict(RouteStage.objects.filter(ticket=ticket).values_list("key", "round"))
    assert {key for key in rounds if rounds[key] != known[key]} >= {"owner", "cab"}
    assert rounds["technical"] == known["technical"], "when it is done is nothing to them"
    decide_all(ticket)
    assert state(ticket) == "planned"

    planning.edit(ticket.pk, acting, {"why": "Said better"})
    assert state(ticket) == "planned", "words ask nobody again"


def test_moved_into_a_freeze_it_needs_the_further_approval(
    planned: Callable[..., Ticket], person: Who
) -> None:
    ticket = planned("database-2", service="Berth planner")
    assert RouteStage.objects.get(ticket=ticket, key="freeze").state == "skipped"
    acting = Acting(person=person("Joss"), now=NOW)

    begins = seconds_of(FROZEN)
    planning.edit(ticket.pk, acting, {"starts_s": begins, "ends_s": begins + 3600})

    assert state(ticket) == "authorise"
    assert "freeze" in decide_all(ticket)
    assert state(ticket) == "planned"


@pytest.mark.parametrize("when", ["before it is submitted", "after it was authorised"])
def test_what_follows_its_template_no_more_was_not_authorised_beforehand(
    person: Who, planned: Callable[..., Ticket], draft: Callable[..., Ticket], when: str
) -> None:
    begins = datetime(2027, 1, 5, 18, 30, tzinfo=UTC)
    asked = {"begins": begins, "minutes": 90, "template": "sign-player", "service": "Signage"}
    ticket = (draft if when.startswith("before") else planned)("sign-player", **asked)
    acting = Acting(person=person("Joss"), now=NOW)
    steps = [*STEPS[:1], {"part": "back out", "says": "Hope"}]

    planning.edit(ticket.pk, acting, {"steps": steps})

    if when.startswith("before"):
        stages.submit(ticket.pk, acting)
        assert facts(ticket).type == "normal"
    assert state(ticket) == "assess"


def test_a_standard_change_whose_risk_rises_has_to_be_assessed_again(
    api: Api, person: Who, planned: Callable[..., Ticket]
) -> None:
    begins = datetime(2027, 1, 5, 18, 30, tzinfo=UTC)
    ticket = planned(
        "sign-player", begins=begins, minutes=90, template="sign-player", service="Signage"
    )
    everything = [
        {"item": item(key).pk} for key in ("core-switch-a", "firewall", "database-2", "sign-in")
    ]

    planning.edit(ticket.pk, Acting(person=person("Joss"), now=NOW), {"items": everything})

    assert state(ticket) == "assess"
    assert "low risk" in Event.objects.filter(ticket=ticket, kind="fell back").get().text


def test_begun_outside_its_span_it_says_so_and_managers_hear(
    planned: Callable[..., Ticket], person: Who, api: Api
) -> None:
    ticket = planned()
    early = Acting(person=person("Joss"), now=THURSDAY - timedelta(hours=1))

    stages.start(ticket.pk, early)

    assert state(ticket) == "under way"
    begun = Event.objects.get(ticket=ticket, kind="started")
    assert begun.values["loud"] == ["before its span"]
    heard = Notification.objects.filter(person=person("Marit"), ticket=ticket)
    assert any("before its span" in f"{one.title} {one.text}" for one in heard)
    with pytest.raises(Conflict):
        planning.edit(ticket.pk, early, {"tried": "Nowhere"})


def test_it_is_looked_back_on_after_service_days_and_not_before(
    planned: Callable[..., Ticket], person: Who, log: Any
) -> None:
    ticket, joss = planned(), person("Joss")
    stages.start(ticket.pk, Acting(person=joss, now=THURSDAY))
    ended = THURSDAY + timedelta(minutes=50)
    stages.implemented(ticket.pk, Acting(person=joss, now=ended), text="As planned")
    review = datetime.fromtimestamp(facts(ticket).review_s or 0, UTC)
    # Thursday 02:20 and five office days: the next Thursday, at its opening.
    assert review == datetime(2026, 12, 10, 8, 0, tzinfo=UTC)
    marit = person("Marit")

    with pytest.raises(Conflict, match="from 10 December"):
        looking_back.look_back(
            ticket.pk, Acting(person=marit, now=review - timedelta(days=1)), "done"
        )
    assert fire("review", seconds_of(review))
    assert Notification.objects.filter(
        person=marit, ticket=ticket, event_name="change review due", gone_s=None
    ).exists()
    with pytest.raises(Invalid, match="what went wrong"):
        looking_back.look_back(ticket.pk, Acting(person=marit, now=review), "failed")
    with pytest.raises(Refused):
        looking_back.look_back(ticket.pk, Acting(person=joss, now=review), "done")
    looking_back.look_back(
        ticket.pk, Acting(person=marit, now=review), "with issues", "Slow at first"
    )

    assert state(ticket) == "done"
    assert (facts(ticket).outcome, facts(ticket).learned) == ("with issues", "Slow at first")
    assert verify()[1] is None
    assert verify().is_intact if hasattr(verify(), "is_intact") else True


def test_backed_out_it_ends_so_and_needs_its_reason(
    planned: Callable[..., Ticket], person: Who
) -> None:
    ticket, joss = planned(), person("Joss")
    stages.start(ticket.pk, Acting(person=joss, now=THURSDAY))
    with pytest.raises(Invalid):
        stages.back_out(ticket.pk, Acting(person=joss, now=THURSDAY), " ")

    stages.back_out(ticket.pk, Acting(person=joss, now=THURSDAY), "No carrier")

    assert (state(ticket), facts(ticket).outcome) == ("backed out", "backed out")


def test_an_emergency_needs_a_reason_or_a_grave_incident_and_may_be_told_afterwards(
    person: Who, log: Any, draft: Callable[..., Ticket]
) -> None:
    joss, began = person("Joss"), NOW - timedelta(hours=8)
    ticket = draft(begins=began, is_after_the_fact=True)
    acting = Acting(person=joss, now=NOW)
    planning.edit(ticket.pk, acting, {"type": "emergency"})
    with pytest.raises(Invalid, match="P1 or P2"):
        stages.submit(ticket.pk, acting)
    planning.edit(ticket.pk, acting, {"reason": "Three ships had no link"})
    stages.submit(ticket.pk, acting)
    stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))

    assert decide_all(ticket) == ["head"]

    assert state(ticket) == "look back"
    kept = facts(ticket)
    assert (kept.began_s, kept.ended_s) == (kept.starts_s, kept.ends_s)
    assert kept.review_s is not None

    grave = log("Ines", "Ship-to-shore link", who="team", work="no")
    Ticket.objects.filter(pk=grave.pk).update(priority=1)
    of_incident = draft(incident=grave.pk, title="Reseat the radio")
    assert Link.objects.filter(source=of_incident, target=grave).exists()
    stages.submit(of_incident.pk, acting)
    assert facts(of_incident).weighed[-1]["type"] == "Emergency"


def test_risk_says_what_adds_how_much_and_what_would_lower_it(
    api: Api, draft: Callable[..., Ticket]
) -> None:
    ticket = draft("database-2", begins=FROZEN, service="Berth planner")

    weighed = change_of(api, ticket)["assessment"]

    parts = {one["name"]: one["percent"] for one in weighed["likelihood_parts"]}
    assert {"track_record", "in_freeze", "untested", "first_on_service"} <= set(parts)
    assert sum(parts.values()) == pytest.approx(weighed["likelihood"], abs=0.5)
    reached = {one["name"]: one for one in weighed["reached"]}
    assert reached["Berth planner"]["share"] == 1
    assert reached["Berth planner"]["path"] == ["Berth planner", "Planning service", "Database 2"]
    adds = sum(one["percent"] for one in weighed["consequence_parts"])
    assert adds == pytest.approx(weighed["consequence"], abs=0.5)
    better = {one["factor"]: one["points"] for one in weighed["remedies"]}
    assert better["in_freeze"] < weighed["points"]
    kinds = [one["kind"] for one in weighed["clashes"]]
    assert "freeze" in kinds and "window" in kinds


def test_weighing_while_typing_saves_nothing(api: Api, draft: Callable[..., Ticket]) -> None:
    ticket = draft(begins=FROZEN)
    before = change_of(api, ticket)

    typed = api("Joss").post(
        f"/api/changes/{ticket.pk}/weigh",
        {
            "starts": format_instant(THURSDAY),
            "ends": format_instant(THURSDAY + timedelta(hours=1)),
            "tried": "On the spare router",
        },
        content_type=JSON,
    )

    assert typed.status_code == 200, typed.content
    assert typed.json()["points"] < before["assessment"]["points"]
    assert change_of(api, ticket) == before


def test_two_on_one_night_by_one_person_clash_and_a_slot_does_not(
    api: Api, draft: Callable[..., Ticket], planned: Callable[..., Ticket], person: Who
) -> None:
    other = planned(title="The other one")
    ticket = draft("satellite-terminal-2-tern")

    clashes = change_of(api, ticket)["assessment"]["clashes"]

    assert {"kind": "implementer", "other": str(other.pk), "name": "The other one"}.items() <= next(
        one for one in clashes if one["kind"] == "implementer"
    ).items()
    slots = api("Joss").get(f"/api/changes/{ticket.pk}/slots").json()
    assert len(slots) == 5
    for slot in slots:
        planning.edit(
            ticket.pk,
            Acting(person=person("Joss"), now=NOW),
            {"starts_s": slot["start_s"], "ends_s": slot["end_s"]},
        )
        assert change_of(api, ticket)["assessment"]["clashes"] == []


def test_who_is_away_clashes(draft: Callable[..., Ticket], person: Who, api: Api) -> None:
    Absence.objects.create(
        person=person("Joss"),
        starts_at=THURSDAY - timedelta(days=1),
        ends_at=THURSDAY + timedelta(days=1),
    )
    clashes = change_of(api, draft())["assessment"]["clashes"]
    assert [(one["kind"], one["name"]) for one in clashes] == [("absent", "Joss Levering")]


def test_a_change_that_its_reader_may_not_know_of_is_not_named(
    api: Api, draft: Callable[..., Ticket], planned: Callable[..., Ticket]
) -> None:
    secret = planned(title="The hidden one")
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=1)
    ticket = draft()

    answer = api("Signe").get(f"/api/tickets/{ticket.pk}")

    clashes = answer.json()["change"]["assessment"]["clashes"]
    assert {one["kind"] for one in clashes} >= {"implementer", "ci"}
    for text in (answer.content.decode(), api("Signe").get("/api/changes").content.decode()):
        assert "The hidden one" not in text
    assert str(secret.pk) not in [one["other"] for one in clashes]
    span = {"from": "2026-12-01T00:00:00Z", "to": "2026-12-08T00:00:00Z"}
    drawn = api("Signe").get("/api/changes/schedule", span).json()
    assert secret.pk not in [one["id"] for one in drawn["changes"]]


def test_the_page_says_what_is_coming_and_what_the_cab_decides(
    api: Api, draft: Callable[..., Ticket], person: Who
) -> None:
    risky = draft("database-2", service="Berth planner", title="A new database")
    for ticket in (risky, draft("till-server", title="Small", service="Ticket office tills")):
        stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
        stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
    page = api("Marit").get("/api/changes").json()

    assert {one["title"] for one in page["coming"]} >= {"A new database", "Small"}
    assert [one["points"] for one in page["cab"]] == sorted(
        (one["points"] for one in page["cab"]), reverse=True
    )
    assert "A new database" in [one["title"] for one in page["cab"]]
    cab = datetime.fromtimestamp(page["cab_s"], UTC)
    assert (cab.weekday(), cab.hour, cab.minute) == (1, 10, 30)


def test_the_schedule_draws_windows_freezes_and_what_clashes(
    api: Api, planned: Callable[..., Ticket], draft: Callable[..., Ticket], person: Who
) -> None:
    first = planned()
    second = draft(title="At the same time")
    stages.submit(second.pk, Acting(person=person("Joss"), now=NOW))
    span = {"from": "2026-11-23T00:00:00Z", "to": "2026-12-07T00:00:00Z"}

    drawn = api("Signe").get("/api/changes/schedule", span).json()

    assert {one["id"] for one in drawn["changes"]} >= {first.pk, second.pk}
    assert set(drawn["clashing"]) >= {first.pk, second.pk}
    kinds = [one["kind"] for one in drawn["windows"]]
    assert kinds.count("freeze") == 1 and kinds.count("maintenance") >= 8
    turned = {"from": span["to"], "to": span["from"]}
    assert api("Signe").get("/api/changes/schedule", turned).status_code == 422
    assert api("Signe").get("/api/changes/schedule", {"from": "soon"}).status_code == 422


def test_another_managers_edit_is_not_overwritten(api: Api, draft: Callable[..., Ticket]) -> None:
    ticket = draft()
    seen = api("Marit").get(f"/api/tickets/{ticket.pk}").json()["version"]
    said = {"why": "Said by Joss", "version": seen}
    edited = api("Joss").patch(f"/api/changes/{ticket.pk}", said, content_type=JSON)
    assert edited.status_code == 200, edited.content

    late = api("Marit").patch(
        f"/api/changes/{ticket.pk}", {"why": "Said by Marit", "version": seen}, content_type=JSON
    )
    assert late.status_code == 409
    assert "Joss" in late.json()["detail"]
    assert late.json()["current"]["change"]["why"] == "Said by Joss"
    elsewhere = api("Marit").patch(
        f"/api/changes/{ticket.pk}", {"tried": "On the spare", "version": seen}, content_type=JSON
    )
    assert elsewhere.status_code == 200, "what nobody else has touched is nobody's to refuse"


def test_what_was_changed_meanwhile_is_not_assessed_unseen(
    api: Api, draft: Callable[..., Ticket], person: Who
) -> None:
    ticket = draft()
    stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
    seen = api("Marit").get(f"/api/tickets/{ticket.pk}").json()["version"]
    edit = {"steps": [*STEPS, {"part": "implement", "says": "And one more"}]}
    assert (
        api("Joss").patch(f"/api/changes/{ticket.pk}", edit, content_type=JSON).status_code == 200
    )

    late = act(api, "Marit", ticket, "assess-change", version=seen)

    assert late.status_code == 409 and "Joss" in late.json()["detail"]
    assert state(ticket) == "assess"
    now = late.json()["current"]["version"]
    assert act(api, "Marit", ticket, "assess-change", version=now).status_code == 200


@pytest.mark.parametrize("name", ["assess-change", "send-change-back", "look-back", "doubt-cause"])
def test_every_dialog_of_the_page_may_say_which_version_it_saw(name: str) -> None:
    """The plain dialog always does; an act that asks for something has to take it."""
    assert "version" in act_named(name).shape().fields


@pytest.mark.parametrize(
    ("said", "place"),
    [
        ({"steps": [{"part": "implement", "says": " "}]}, "steps"),
        ({"steps": [{"part": "somehow", "says": "Do it"}]}, "steps"),
        ({"steps": [{"part": "test", "says": "Do it", "who": "999999"}]}, "steps"),
        ({"items": [{"item": 999_999}]}, "items"),
        ({"type": "unheard-of"}, "type"),
        ({"starts": "tomorrow"}, "starts"),
        ({"starts": "2026-12-03T02:00:00Z", "ends": "2026-12-03T01:00:00Z"}, "ends"),
        ({"starts": "2026-12-03T02:00:00Z", "ends": "2028-12-03T01:00:00Z"}, "ends"),
    ],
)
def test_nonsense_is_refused_at_its_place_and_changes_nothing(
    api: Api, draft: Callable[..., Ticket], said: dict[str, Any], place: str
) -> None:
    ticket = draft()
    before = change_of(api, ticket)

    answer = api("Joss").patch(f"/api/changes/{ticket.pk}", said, content_type=JSON)

    assert answer.status_code == 422, answer.content
    assert place in answer.json()["fields"]
    assert change_of(api, ticket) == before


def test_a_copy_and_one_for_a_problem_carry_what_is_known(
    api: Api, draft: Callable[..., Ticket], log: Any, person: Who
) -> None:
    first = draft("database-2", "till-server", service="Berth planner")
    copied = api("Signe").post(
        "/api/changes/open", {"copied": first.pk}, content_type=JSON
    ).json()["id"]  # fmt: skip
    change = change_of(api, Ticket.objects.get(pk=copied))
    assert [one["name"] for one in change["items"]] == ["Database 2", "Till server"]
    assert [one["says"] for one in change["steps"]] == [one["says"] for one in STEPS]
    assert change["born_of"] == f"change {first.pk}" and change["starts_s"] is None

    problem = api("Signe").post(
        "/api/problems/open", {"title": "It keeps dropping"}, content_type=JSON
    ).json()["id"]  # fmt: skip
    fix = api("Signe").post(
        "/api/changes/open", {"problem": problem, "title": "End it"}, content_type=JSON
    ).json()["id"]  # fmt: skip
    assert change_of(api, Ticket.objects.get(pk=fix))["problem"] == problem
    refused = api("Signe").post(
        "/api/changes/open", {"problem": first.pk, "title": "x"}, content_type=JSON
    )
    assert refused.status_code == 422


def test_who_only_asks_for_help_knows_nothing_of_changes(
    api: Api, draft: Callable[..., Ticket]
) -> None:
    ticket = draft()
    for address in ("/api/changes", "/api/changes/schedule", f"/api/changes/{ticket.pk}/slots"):
        assert api("Ines").get(address).status_code == 403
    assert api("Ines").get(f"/api/tickets/{ticket.pk}").status_code in (403, 404)
    assert act(api, "Ines", ticket, "submit-change").status_code in (403, 404)


def test_lists_and_rules_can_ask_for_the_risk(
    api: Api, draft: Callable[..., Ticket], person: Who
) -> None:
    ticket = draft("database-2", service="Berth planner")
    rating = facts(ticket).rating
    tree = f'{{"field": "risk", "op": "is", "value": "{rating}"}}'
    rows = api("Signe").get("/api/tickets", {"filter": tree, "columns": "points"}).json()["rows"]
    assert [row["id"] for row in rows] == [ticket.pk]
    assert rows[0]["cells"]["points"] == facts(ticket).points


def test_without_a_route_a_normal_change_is_authorised_by_nobody(
    draft: Callable[..., Ticket], person: Who
) -> None:
    def none(document: dict[str, Any]) -> None:
        for one in document["changes"]["types"]:
            one.pop("route", None)

    publish(none)
    ticket = draft()
    stages.submit(ticket.pk, Acting(person=person("Joss"), now=NOW))
    with pytest.raises(Conflict, match="no approval route"):
        stages.assess_it(ticket.pk, Acting(person=person("Marit"), now=NOW))
    assert state(ticket) == "assess"


def test_the_demos_windows_and_changes_pass_the_checks_and_wrong_ones_do_not(
    northmere: None,
) -> None:
    from gannet.demo.rulebook import document

    whole = deepcopy(document(NOW.date()))
    mine = ("windows", "changes", "change_templates", "routes")
    assert [one for one in findings_of(whole, NOW) if one.section in mine] == []
    whole["windows"][0]["rrule"] = "FREQ=HOURLY"
    whole["windows"][1]["services"] = ["Trains"]
    whole["changes"] = {
        **whole["changes"],
        "risk": {"thresholds": {"moderate": 40, "high": 20}},
        "cab": {**whole["changes"]["cab"], "board": "Nobody"},
    }
    whole["change_templates"][0]["service"] = "Trains"
    says = [one.says for one in findings_of(whole, NOW) if one.section in mine]
    assert any("FREQ" in one for one in says)
    assert sum("Trains" in one for one in says) == 2
    assert any("do not rise" in one for one in says) and any("Nobody" in one for one in says)


def test_everybody_named_in_a_plan_is_there(person: Who, draft: Callable[..., Ticket]) -> None:
    gone = Person.objects.filter(is_active=True).exclude(pk=person("Joss").pk).first()
    assert gone is not None
    ticket = draft()
    Person.objects.filter(pk=gone.pk).update(is_active=False)
    with pytest.raises(Invalid, match="nobody"):
        planning.edit(
            ticket.pk,
            Acting(person=person("Joss"), now=NOW),
            {"steps": [{**STEPS[0], "who": str(gone.pk)}]},
        )


def test_an_item_a_service_and_the_map_know_what_is_coming(
    api: Api, draft: Callable[..., Ticket], planned: Callable[..., Ticket]
) -> None:
    only_drafted = draft("satellite-terminal-1-tern", title="Only drafted")
    coming = planned("satellite-terminal-1-tern", "database-2", title="It is coming")
    terminal = item("satellite-terminal-1-tern")

    told = api("Signe").get(f"/api/estate/items/{terminal.pk}").json()["changes"]
    assert {one["title"] for one in told} == {"Only drafted", "It is coming"}
    service = Service.objects.get(name="Ship-to-shore link")
    page = api("Signe").get(f"/api/services/{service.pk}").json()
    assert coming.pk in [one["id"] for one in page["changes"]]
    line = next(one for one in api("Signe").get("/api/services").json() if one["id"] == service.pk)
    assert line["changes"] == 1, "a draft takes no time yet"
    nodes = {one["id"]: one for one in api("Signe").get("/api/estate/map").json()["nodes"]}
    assert nodes[f"item-{item('database-2').pk}"]["changes"] == 1

    Ticket.objects.filter(pk__in=[coming.pk, only_drafted.pk]).update(is_confidential=1)
    told = api("Signe").get(f"/api/estate/items/{terminal.pk}").json()["changes"]
    assert told == [], "nobody reads there what they may not know of"
    line = next(one for one in api("Signe").get("/api/services").json() if one["id"] == service.pk)
    assert line["changes"] == 0


def test_a_problem_names_the_changes_that_are_to_end_it(
    api: Api, planned: Callable[..., Ticket]
) -> None:
    problem = api("Joss").post(
        "/api/problems/open", {"title": "It keeps dropping"}, content_type=JSON
    ).json()["id"]  # fmt: skip
    ticket = planned(problem=problem, title="End it")

    def told(who: str) -> list[Any]:
        found = api(who).get(f"/api/tickets/{problem}").json()["problem"]["changes"]
        return [(one["id"], one["state"], one["outcome"]) for one in found]

    assert told("Signe") == [(ticket.pk, "planned", "")]
    Ticket.objects.filter(pk=ticket.pk).update(is_confidential=1)
    assert told("Signe") == []
