"""Problems: opened of incidents, their causes, known errors, workarounds told, and their cost."""

import json
from collections.abc import Callable
from datetime import timedelta
from fractions import Fraction
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.models import ConfigItem
from gannet.messages.models import Outgoing
from gannet.people.models import Person
from gannet.problems.models import ProblemFacts, WorkaroundUse
from gannet.tickets import actions
from gannet.tickets.models import Clock, ClockStateCode, Link, Ticket
from gannet_core.instants import format_instant, seconds_of
from tests.app.conftest import fire
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
TITLES = (
    "Handheld 2 rejects every ticket",
    "Handheld 4 rejects tickets at the ramp",
    "The handheld rejects a ticket twice",
)
Api = Callable[[str], Any]


@pytest.fixture
def incidents(log: Callable[..., Ticket]) -> list[Ticket]:
    """Three incidents of one kind, and none of another."""
    return [
        log(name, "Boarding gates", title, who="team", work="hard")
        for name, title in zip(("Ines", "Maeve", "Piotr"), TITLES, strict=True)
    ]


def post(api: Api, who: str, address: str, **said: Any) -> Any:
    return api(who).post(address, said, content_type=JSON)


def opened(api: Api, incidents: list[Ticket], **more: Any) -> int:
    said = {"title": "Handhelds reject tickets", "incidents": [one.pk for one in incidents]}
    answer = post(api, "Signe", "/api/problems/open", **{**said, **more})
    assert answer.status_code == 201, answer.content
    return int(answer.json()["id"])


def record(api: Api, number: int, who: str = "Signe") -> Any:
    return api(who).get(f"/api/tickets/{number}").json()


def cause(api: Api, number: int, says: str, parent: str = "") -> str:
    answer = post(api, "Signe", f"/api/problems/{number}/causes", says=says, parent=parent)
    assert answer.status_code == 200, answer.content
    return str(answer.json()["problem"]["causes"][-1]["id"])


def change(api: Api, number: int, key: str, **said: Any) -> Any:
    address = f"/api/problems/{number}/causes/{key}"
    return api("Signe").patch(address, json.dumps(said), content_type=JSON)


def tell(api: Api, number: int, does: dict[int, str], **more: Any) -> Any:
    said = {
        "workaround": "Hold the button for ten seconds.",
        "words": "",
        "no_cause_why": "It helps whatever the cause is.",
        "incidents": [{"id": pk, "does": how} for pk, how in does.items()],
    }
    return post(api, "Signe", f"/api/problems/{number}/workaround", **{**said, **more})


def test_a_problem_takes_over_what_its_incidents_say(api: Api, incidents: list[Ticket]) -> None:
    number = opened(api, incidents)
    shown = record(api, number)
    assert (shown["kind"], shown["state"], shown["move"]) == ("problem", "new", "ours")
    assert shown["facts"]["service"]["name"] == "Boarding gates"
    assert shown["problem"]["born_of"] == "3 incidents"
    assert {one["id"] for one in shown["problem"]["incidents"]} == {one.pk for one in incidents}
    assert shown["facts"]["impact"] == min(one.impact for one in incidents)
    names = {one["name"] for one in shown["acts"]}
    assert {"take", "hand-over", "note", "wait", "resolve", "cancel"} <= names
    assert "reply" not in names, "nobody asked for it, so nobody is replied to"
    for one in incidents:
        links = record(api, one.pk)["links"]
        assert [(link["says"], link["other"]) for link in links] == [("caused by", number)]
    assert verify()[1] is None


def test_nobody_finds_it_among_their_own_and_no_marker_waits_for_a_reply(
    api: Api, incidents: list[Ticket]
) -> None:
    number = opened(api, incidents)
    ticket = Ticket.objects.get(pk=number)
    assert not ticket.needs_reply
    home = api("Signe").get("/api/portal").json()
    assert number not in {one["id"] for one in home["things"]}
    assert api("Signe").get(f"/api/portal/tickets/{number}").status_code == 404
    assert api("Ines").get(f"/api/tickets/{number}").status_code in (403, 404)
    assert not Outgoing.objects.filter(ticket=number, event_name="logged").exists()


def test_one_incident_belongs_to_one_problem(api: Api, incidents: list[Ticket]) -> None:
    first = opened(api, incidents[:2])
    again = post(api, "Signe", "/api/problems/open", title="Another", incidents=[incidents[0].pk])
    assert again.status_code == 409
    assert f"belongs to problem {first} already" in again.json()["detail"]
    assert Ticket.objects.filter(kind="problem").count() == 1, "nothing is left half opened"
    second = opened(api, incidents[2:])
    taken = post(api, "Signe", f"/api/problems/{second}/incidents", add=[incidents[0].pk])
    assert taken.status_code == 409
    off = post(api, "Signe", f"/api/problems/{first}/incidents", remove=[incidents[0].pk])
    assert len(off.json()["problem"]["incidents"]) == 1
    moved = post(api, "Signe", f"/api/problems/{second}/incidents", add=[incidents[0].pk])
    assert len(moved.json()["problem"]["incidents"]) == 2
    assert ProblemFacts.objects.get(pk=second).incidents == 2
    assert ProblemFacts.objects.get(pk=first).incidents == 1


@pytest.mark.parametrize(
    ("said", "field"),
    [
        ({"title": "  "}, "title"),
        ({"title": "It is", "incidents": [10**9]}, "incidents"),
        ({"title": "It is", "service": 10**9}, "service"),
    ],
)
def test_what_cannot_be_opened_names_its_field(
    api: Api, northmere: None, said: dict[str, Any], field: str
) -> None:
    answer = post(api, "Signe", "/api/problems/open", **said)
    assert answer.status_code == 422
    assert field in answer.json()["fields"]


def test_a_confidential_incident_is_not_told_of_by_its_problem(
    api: Api, incidents: list[Ticket]
) -> None:
    Ticket.objects.filter(pk=incidents[0].pk).update(is_confidential=1)
    number = opened(api, incidents[1:])
    refused = post(api, "Marit", f"/api/problems/{number}/incidents", add=[incidents[0].pk])
    assert refused.status_code in (409, 422)
    assert not Link.objects.filter(source=incidents[0].pk).exists()


def test_suggested_are_those_of_the_item_and_of_its_words(
    api: Api, incidents: list[Ticket], log: Callable[..., Ticket]
) -> None:
    other = log("Lena", "Boarding gates", "Gate 5 is slow since the update")
    item = ConfigItem.objects.filter(service__name="Boarding gates").first()
    assert item is not None
    Ticket.objects.filter(pk__in=[incidents[0].pk, other.pk]).update(ci=item)
    number = opened(api, incidents[:1])
    found = api("Signe").get(f"/api/problems/{number}/incidents").json()
    why = {one["id"]: one["why"] for one in found}
    assert why[other.pk].startswith("the same item")
    assert "handheld" in why[incidents[1].pk]
    assert incidents[0].pk not in why, "it belongs to the problem already"


def test_the_root_cause_is_read_off_the_tree(api: Api, incidents: list[Ticket]) -> None:
    number = opened(api, incidents)
    ship = cause(api, number, "On the handheld")
    assert record(api, number)["state"] == "looking for the cause"
    assert record(api, number)["facts"]["holder"]["name"] == "Signe Hallam"
    deep = cause(api, number, "Its certificate has run out", ship)
    other = cause(api, number, "On the network")

    bare = change(api, number, deep, state="confirmed")
    assert bare.status_code == 422 and "evidence" in bare.json()["fields"]
    for key in (ship, deep):
        done = change(api, number, key, state="confirmed", evidence=["ended on the 1st"])
        assert done.status_code == 200, done.content
    change(api, number, other, state="ruled out", evidence=["others on it work"])
    assert record(api, number)["problem"]["root"] == [ship, deep]

    refused = api("Signe").delete(f"/api/problems/{number}/causes/{ship}")
    assert refused.status_code == 409, "something stands beneath it"
    assert tell(api, number, {}, no_cause_why="").status_code == 200
    shown = record(api, number)
    assert shown["state"] == "known error"
    assert shown["problem"]["no_cause_why"] == ""
    sentences = [one["sentence"] for one in shown["conversation"]]
    assert (
        "Signe Hallam called it a known error: On the handheld, Its certificate has run out"
        in sentences
    )
    # What is found not to be the cause after all makes it no known error.
    change(api, number, deep, state="ruled out", evidence=["a new one changed nothing"])
    assert change(api, number, ship, state="open").status_code == 200
    shown = record(api, number)
    assert (shown["state"], shown["problem"]["known_s"]) == ("looking for the cause", None)


def test_a_known_error_needs_its_cause_or_a_reason(api: Api, incidents: list[Ticket]) -> None:
    number = opened(api, incidents)
    refused = tell(api, number, {}, no_cause_why="")
    assert refused.status_code == 422
    assert "no_cause_why" in refused.json()["fields"]
    facts = ProblemFacts.objects.get(pk=number)
    assert (facts.workaround, facts.known_s) == ("", None), "nothing of it is kept"
    assert tell(api, number, {}).status_code == 200
    assert record(api, number)["state"] == "known error"


def test_the_preview_says_what_would_be_done_with_each(
    api: Api, incidents: list[Ticket], by: Callable[[str | None], Any]
) -> None:
    number = opened(api, incidents)
    actions.add_task(incidents[0].pk, by("Signe"), {"title": "Ring the terminal"})
    actions.resolve(incidents[1].pk, by("Signe"), "A new handheld has been brought to the ramp.")
    answer = post(
        api,
        "Signe",
        f"/api/problems/{number}/preview",
        workaround="Hold the button.",
        words="Dear {name}, about {number}: {workaround} {nonsense}",
    )
    found = {one["id"]: one for one in answer.json()}
    assert set(found) == {incidents[0].pk, incidents[2].pk}, "only what is open waits"
    with_task = found[incidents[0].pk]
    assert with_task["may"] == ["tell", "leave"] and "Ring the terminal" in with_task["why"]
    free = found[incidents[2].pk]
    assert free["does"] == "resolve"
    assert free["text"].startswith(f"Dear Piotr, about {incidents[2].pk}: Hold the button.")
    assert free["unknown"] == ["nonsense"]
    assert Ticket.objects.get(pk=incidents[2].pk).is_open, "a preview does nothing"


def test_telling_resolves_those_and_tells_these_and_leaves_the_rest(
    api: Api, incidents: list[Ticket]
) -> None:
    number = opened(api, incidents)
    first, second, third = (one.pk for one in incidents)
    answer = tell(api, number, {first: "resolve", second: "tell", third: "leave"})
    assert answer.status_code == 200, answer.content
    assert {one["id"] for one in answer.json()["done"]} == {first, second}
    states = {pk: record(api, pk)["state"] for pk in (first, second, third)}
    assert states == {first: "resolved", second: "in progress", third: "new"}
    read = api("Ines").get(f"/api/portal/tickets/{first}").json()
    assert "Hold the button for ten seconds." in read["resolution"]
    assert "Dear Ines" in read["resolution"]
    assert "problem" not in read["resolution"].replace("is something that we know", "")
    assert record(api, number)["problem"]["used"] == {
        "all": 2,
        "told": 2,
        "desk": 0,
        "portal": 0,
    }
    # The response clock of what was told has stopped: it was answered.
    assert Clock.objects.get(ticket=second, kind="answer").state == ClockStateCode.MET

    # Asked again, whoever was told is not told twice unless somebody chooses so.
    again = post(api, "Signe", f"/api/problems/{number}/preview", workaround="Hold it.", words="")
    does = {one["id"]: one["does"] for one in again.json()}
    assert does == {second: "leave", third: "resolve"}
    assert verify()[1] is None


def test_what_was_told_can_be_taken_back_for_each(api: Api, incidents: list[Ticket]) -> None:
    number = opened(api, incidents)
    first, second, _ = (one.pk for one in incidents)
    tell(api, number, {first: "resolve", second: "resolve"})
    undone = api("Signe").post(f"/api/tickets/{first}/undo", {}, content_type=JSON)
    assert undone.status_code == 200, undone.content
    assert record(api, first)["state"] in ("new", "in progress")
    assert record(api, second)["state"] == "resolved"
    assert record(api, number)["problem"]["used"]["told"] == 1


def test_one_that_cannot_be_resolved_is_named_and_the_others_go_on(
    api: Api, incidents: list[Ticket], by: Callable[[str | None], Any]
) -> None:
    number = opened(api, incidents)
    actions.add_task(incidents[0].pk, by("Signe"), {"title": "Ring the terminal"})
    answer = tell(api, number, {one.pk: "resolve" for one in incidents}).json()
    assert [one["id"] for one in answer["left"]] == [incidents[0].pk]
    assert "Ring the terminal" in answer["left"][0]["why"]
    assert {one["id"] for one in answer["done"]} == {one.pk for one in incidents[1:]}


@pytest.mark.parametrize(
    ("said", "status"),
    [
        ({"workaround": " "}, 422),
        ({"words": "Dear {nobody}"}, 422),
        ({"incidents": [{"id": 1, "does": "explode"}]}, 422),
    ],
)
def test_telling_nonsense_does_nothing(
    api: Api, incidents: list[Ticket], said: dict[str, Any], status: int
) -> None:
    number = opened(api, incidents)
    assert tell(api, number, {incidents[0].pk: "tell"}, **said).status_code in (status,) or (
        said.get("incidents")
    )
    assert record(api, incidents[0].pk)["state"] == "new"
    assert not WorkaroundUse.objects.exists()


def test_a_known_error_is_offered_on_the_next_incident_and_counted_once(
    api: Api, incidents: list[Ticket], log: Callable[..., Ticket]
) -> None:
    number = opened(api, incidents)
    tell(api, number, {})
    service = incidents[0].service_id
    near = {"service": service, "words": "my handheld rejects it"}
    (found,) = api("Signe").get("/api/known-errors", near).json()
    assert (found["id"], found["used"]) == (number, 0)
    assert "handheld" in found["why"]
    assert api("Signe").get("/api/known-errors", {"words": "the sea is blue"}).json() == []
    # Every incident of the service is offered it, one of other words last.
    (other,) = (
        api("Signe")
        .get("/api/known-errors", {"service": service, "words": "gate 3 is painted blue"})
        .json()
    )
    assert (other["is_near"], other["why"]) == (False, "the same service")
    assert found["is_near"]
    assert api("Ines").get("/api/known-errors", near).status_code == 403
    assert api("Ines").get("/api/portal/known-errors", near).json() == [], "it is the desk's own"

    late = log("Lena", "Boarding gates", "Another handheld rejects")
    for _ in range(2):
        used = post(api, "Signe", f"/api/problems/{number}/used", ticket=late.pk)
        assert used.status_code == 200, used.content
    assert record(api, number)["problem"]["used"] == {
        "all": 1,
        "told": 0,
        "desk": 1,
        "portal": 0,
    }

    tell(api, number, {}, is_for_portal=True)
    (open_to_all,) = api("Ines").get("/api/portal/known-errors", near).json()
    assert open_to_all["workaround"] == "Hold the button for ten seconds."
    for _ in range(2):
        helped = api("Ines").post(f"/api/portal/known-errors/{number}/helped")
        assert helped.status_code == 204
    assert record(api, number)["problem"]["used"]["portal"] == 1
    actions.resolve(number, _by(api, "Signe"), "The certificates renew by themselves now.")
    assert api("Ines").get("/api/portal/known-errors", near).json() == []


def _by(api: Api, name: str) -> Any:
    from gannet.people.acting import Acting

    who = Person.objects.filter(name__startswith=name).order_by("pk")[0]
    return Acting(person=who, now=NOW)


def test_what_it_costs_is_made_of_its_incidents(api: Api, incidents: list[Ticket], at: Any) -> None:
    def assume(document: dict[str, Any]) -> None:
        document["problems"] = {
            "question": "who",
            "people": [{"answer": "team", "people": 4}],
            "shares": [{"urgency": 1, "share": "1"}, {"urgency": 2, "share": "0.3"}],
            "lost_hour_pence": 3000,
            "desk_hour_pence": 4800,
        }

    publish(assume)
    number = opened(api, incidents)
    three_hours_ago = seconds_of(NOW - timedelta(hours=3))
    Ticket.objects.filter(kind="incident").update(opened_s=three_hours_ago)
    worth = record(api, number)["problem"]["worth"]
    assert worth["figures"][0]["lost_hours"] == pytest.approx(3 * 4 * 3 * 0.3, abs=0.2)
    so_far, going_on = worth["figures"]
    assert (worth["lost_hour_pence"], worth["desk_hour_pence"]) == (3000, 4800)
    assert so_far["count"] == 3
    assert sum(one["pence"] for one in so_far["incidents"]) == pytest.approx(so_far["pence"], abs=3)
    for one in so_far["incidents"]:
        assert one["people"] == 4
        lost = Fraction(str(one["lost_hours"])) * 3000
        assert one["pence"] == pytest.approx(float(lost), abs=16)
    assert going_on["pence"] == pytest.approx(so_far["pence"] / 3, abs=1)

    # Another figure counts, with a reason; both stay.
    bare = post(
        api, "Signe", f"/api/problems/{number}/figures", figure="cost of going on", pence=90_000
    )
    assert bare.status_code == 422 and "reason" in bare.json()["fields"]
    said = post(
        api,
        "Signe",
        f"/api/problems/{number}/figures",
        figure="cost of going on",
        pence=90_000,
        reason="The ramp needs a second hand",
    ).json()["problem"]["worth"]
    counts = said["figures"][1]
    assert counts["pence"] == 90_000 and counts["computed_pence"] == pytest.approx(
        going_on["pence"], abs=50
    )
    assert counts["instead"]["reason"] == "The ramp needs a second hand"

    costed = api("Signe").put(
        f"/api/problems/{number}/fix",
        json.dumps({"about": "New certificates", "pence": 180_000}),
        content_type=JSON,
    )
    worth = costed.json()["problem"]["worth"]
    assert (worth["pays_back_months"], worth["never_pays"]) == (2.0, False)
    back = post(
        api, "Signe", f"/api/problems/{number}/figures", figure="cost of going on", pence=None
    )
    assert back.json()["problem"]["worth"]["figures"][1]["instead"] is None


def test_a_fix_of_what_costs_nothing_never_pays_back(api: Api, northmere: None) -> None:
    number = opened(api, [])
    answer = api("Signe").put(
        f"/api/problems/{number}/fix",
        json.dumps({"about": "A new roof", "pence": 100}),
        content_type=JSON,
    )
    worth = answer.json()["problem"]["worth"]
    assert (worth["pays_back_months"], worth["never_pays"]) == (None, True)


def test_living_with_it_keeps_who_and_the_figures_and_comes_back(
    api: Api, incidents: list[Ticket], at: Any
) -> None:
    number = opened(api, incidents)
    tell(api, number, {})
    until = NOW + timedelta(days=3)
    answer = post(
        api,
        "Signe",
        f"/api/problems/{number}/live-with",
        until=format_instant(until),
        why="The new handhelds come in spring",
    )
    assert answer.status_code == 200, answer.content
    shown = answer.json()
    assert (shown["state"], shown["move"]) == ("waiting", "scheduled")
    live = shown["problem"]["live"]
    assert (live["by"], live["until_s"]) == ("Signe Hallam", seconds_of(until))
    assert "cost of going on" in shown["problem"]["decided"]
    fire("return", seconds_of(until) + 60)
    shown = record(api, number)
    assert shown["state"] == "known error", "it was one before it waited"


@pytest.mark.parametrize("until", ["nonsense", format_instant(NOW - timedelta(days=1))])
def test_living_with_it_needs_a_date_that_is_to_come(
    api: Api, incidents: list[Ticket], until: str
) -> None:
    number = opened(api, incidents)
    answer = post(api, "Signe", f"/api/problems/{number}/live-with", until=until, why="It is rare")
    assert answer.status_code == 422 and "until" in answer.json()["fields"]
    assert ProblemFacts.objects.get(pk=number).live_until_s is None


def test_what_comes_back_after_it_was_resolved_is_said(
    api: Api, incidents: list[Ticket], log: Callable[..., Ticket], at: Any
) -> None:
    item = ConfigItem.objects.filter(service__name="Boarding gates").first()
    assert item is not None
    number = opened(api, incidents, ci=item.pk)
    actions.resolve(number, _by(api, "Signe"), "The certificates renew by themselves now.")
    assert record(api, number)["problem"]["came_back"] is None
    two_days_ago = seconds_of(NOW - timedelta(days=2))
    Ticket.objects.filter(pk=number).update(resolved_s=two_days_ago)
    late = log("Lena", "Boarding gates", "A handheld rejects again")
    Ticket.objects.filter(pk=late.pk).update(ci=item)
    back = record(api, number)["problem"]["came_back"]
    assert back["numbers"] == [late.pk]


def test_the_plain_link_of_an_incident_to_a_problem_is_the_problems_own(
    api: Api, incidents: list[Ticket]
) -> None:
    first, second = opened(api, incidents[:1]), opened(api, incidents[1:2])
    address = f"/api/tickets/{incidents[2].pk}/links"
    said = {"kind": "caused by", "other": first}
    assert post(api, "Signe", address, **said).status_code in (200, 201)
    assert ProblemFacts.objects.get(pk=first).incidents == 2
    taken = post(api, "Signe", address, kind="caused by", other=second)
    assert taken.status_code == 409, "one incident belongs to one problem"
    link_id = Link.objects.get(source=incidents[2].pk).pk
    gone = api("Signe").delete(f"{address}/{link_id}")
    assert gone.status_code == 200, gone.content
    assert ProblemFacts.objects.get(pk=first).incidents == 1
    assert not Link.objects.filter(source=incidents[2].pk).exists()


def test_lists_find_problems_by_what_is_theirs(api: Api, incidents: list[Ticket]) -> None:
    number = opened(api, incidents)
    tell(api, number, {})
    looks = [
        ({"field": "kind", "op": "is", "value": "problem"}, True),
        ({"field": "state", "op": "is", "value": "known error"}, True),
        ({"field": "linked incidents", "op": ">=", "value": 3}, True),
        ({"field": "linked incidents", "op": ">=", "value": 4}, False),
        ({"field": "workaround", "op": "is filled"}, True),
    ]
    for tree, is_found in looks:
        asked = {"filter": json.dumps(tree), "columns": "linked incidents,workaround"}
        answer = api("Signe").get("/api/tickets", asked)
        assert answer.status_code == 200, answer.content
        rows = {row["id"] for row in answer.json()["rows"]}
        assert (number in rows) is is_found, tree


def test_the_page_of_problems(api: Api, incidents: list[Ticket]) -> None:
    number = opened(api, incidents)
    tell(api, number, {incidents[0].pk: "resolve"})
    shown = api("Signe").get("/api/problems").json()
    (line,) = shown["open"]
    assert (line["id"], line["incidents"], sum(line["weeks"])) == (number, 3, 3)
    (known,) = shown["known"]
    assert (known["used"], known["open_count"], known["incidents"]) == (1, 2, 3)
    assert api("Ines").get("/api/problems").status_code == 403


def test_ten_problems_ask_no_more_than_two(api: Api, log: Callable[..., Ticket]) -> None:
    """Neither the page of problems nor what is offered on an incident asks once for each."""

    def asked(address: str, given: dict[str, Any]) -> int:
        with CaptureQueriesContext(connection) as found:
            assert api("Signe").get(address, given).status_code == 200
        return len(found)

    near = {"words": "It is broken again"}
    counts: dict[str, list[int]] = {}
    for number in (2, 10):
        while Ticket.objects.filter(kind="problem").count() < number:
            fault = log("Ines", "Boarding gates")
            tell(api, opened(api, [fault], title="It is broken"), {fault.pk: "tell"})
        near["service"] = str(fault.service_id)
        for address, given in (("/api/problems", {}), ("/api/known-errors", near)):
            asked(address, given)  # what is compiled or read once, is by now
            counts.setdefault(address, []).append(asked(address, given))
    for address, (few, many) in counts.items():
        assert many <= few, address


def test_requesters_of_linked_incidents_hear_of_it_once_if_the_rulebook_says_so(
    api: Api, incidents: list[Ticket]
) -> None:
    def told(document: dict[str, Any]) -> None:
        document["messages"].append(
            {"key": "problem linked", "subject": "{title}", "body": "Hello {name}. {text}"}
        )
        document["notifications"].append(
            {
                "key": "problem-linked-requester",
                "event": "problem linked",
                "to": "requester",
                "message": "problem linked",
                "is_on": True,
            }
        )

    publish(told)
    number = opened(api, incidents[:1])
    address = f"/api/problems/{number}/incidents"
    asked = {"add": [incidents[1].pk], "tells": True}
    assert post(api, "Signe", address, **asked).status_code == 200
    post(api, "Signe", address, remove=[incidents[1].pk])
    post(api, "Signe", address, **asked)
    sent = Outgoing.objects.filter(ticket=incidents[1].pk, event_name="problem linked")
    assert [one.person.name.split()[0] for one in sent if one.person] == ["Maeve"]
    assert f"problem {number}" in sent[0].body
    assert Event.objects.filter(ticket=incidents[1].pk, kind="linked").count() == 2
