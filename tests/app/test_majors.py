"""Major incidents: declared, told of on time, gathered, stood down, reviewed; and drills."""

import json
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.audit.models import Event
from gannet.estate.models import ConfigItem, Dependency, Service
from gannet.knowledge.models import Article
from gannet.majors import declaring, gathering, impact, paper, reviewing, rooms, timeline, updates
from gannet.majors.models import KIND, MajorFacts, Update
from gannet.messages.models import HookCall, Notification, Outgoing
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets import actions
from gannet.tickets.models import Link, Ticket, Timer
from gannet.web.errors import Conflict, Invalid, Refused
from gannet_core.instants import format_instant, seconds_of
from tests.app.conftest import fire
from tests.app.test_engine import publish
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
Who = Callable[[str], Person]
Api = Callable[[str], Any]
NOW_S = seconds_of(NOW)


@pytest.fixture
def till(log: Any) -> Ticket:
    """No till takes cards, as one of those it hits says."""
    ticket: Ticket = log(
        "Ines", "Ticket office tills", "No till takes cards", who="team", work="no"
    )
    return ticket


def declared(by: Any, source: Ticket | None = None, **said: Any) -> MajorFacts:
    if source is not None:
        ticket = declaring.declare_from(source.pk, by("Marit"), said)
    else:
        ticket = declaring.declare(by("Marit"), declaring.NewMajor(**said))
    return facts(ticket.pk)


def facts(number: int) -> MajorFacts:
    return MajorFacts.objects.select_related("ticket").get(ticket=number)


def at_minute(count: float) -> datetime:
    return NOW + timedelta(minutes=count)


def acting(person: Person, minutes: float) -> Acting:
    return Acting(person=person, now=at_minute(minutes))


def told(person: Person, event: str) -> list[str]:
    rows = Notification.objects.filter(person=person, event_name=event, gone_s=None)
    return list(rows.values_list("title", flat=True))


def hearers(major: MajorFacts, name: str = "everyone hit") -> Any:
    return major.audiences.get(name=name)


def send(
    major: MajorFacts, who: Person, minutes: float, text: str = "We work on it.", **more: Any
) -> Update:
    row = more.pop("to", None) or hearers(major)
    return updates.send(
        major.ticket_id, acting(who, minutes), row.pk, "No till takes cards", text, **more
    )


# --- suggesting and declaring ---


def test_a_person_suggests_and_who_may_declare_hears_of_it(
    till: Ticket, api: Api, person: Who
) -> None:
    where = f"/api/tickets/{till.pk}/suggest-major"
    answer = api("Signe").post(where, {"why": "every terminal"}, content_type=JSON)
    assert answer.status_code == 200 and answer.json()["is_major_suggested"]
    assert told(person("Marit"), "major suggested") == [till.title]
    assert told(person("Joss"), "major suggested") == []
    again = api("Signe").post(where, {"why": "still"}, content_type=JSON)
    assert again.status_code == 409


@pytest.mark.parametrize(("who", "status"), [("Signe", 403), ("Marit", 201), ("Tomas", 403)])
def test_leads_declare_and_nobody_else(till: Ticket, api: Api, who: str, status: int) -> None:
    said = {"incident": till.pk, "plan": "sailing"}
    answer = api(who).post("/api/majors", said, content_type=JSON)
    assert answer.status_code == status, answer.content
    offered = {one["name"]: one for one in api(who).get(f"/api/tickets/{till.pk}").json()["acts"]}
    assert (status == 201) == MajorFacts.objects.exists()
    if status == 403:
        assert "declare-major" not in offered or offered["declare-major"]["why_not"]


def test_everything_of_the_plan_is_there_at_once(till: Ticket, by: Any, person: Who) -> None:
    till.is_major_suggested = 1
    till.save()
    major = declared(by, till, plan="sailing")
    ticket = major.ticket
    assert (ticket.kind, ticket.title, ticket.service, ticket.priority) == (
        KIND, till.title, till.service, 1,
    )  # fmt: skip
    assert len(major.call_sign.split()) == 2
    assert [(one.name, one.is_closed) for one in major.channels.all()] == [
        ("responders", 0), ("technical", 0), ("terminals", 1),
    ]  # fmt: skip
    assert [(one.role, one.person.first_name) for one in major.held_roles.all()] == [
        ("lead", "Marit")
    ]
    due = {one.name: one.due_s for one in major.audiences.all()}
    assert due == {"everyone hit": NOW_S + 1_800, "directors": NOW_S + 3_600}
    assert [one["text"] for one in major.checklist][-1].startswith("Send the first update")
    assert major.conference.endswith("/" + major.call_sign.lower().replace(" ", "-"))
    # The incident waits for it, and is not suggested any more.
    assert gathering.numbers_of(major) == [till.pk]
    till.refresh_from_db()
    assert not till.is_major_suggested
    assert verify()[1] is None


def test_what_runs_already_is_not_declared_again(till: Ticket, by: Any, log: Any) -> None:
    major = declared(by, till)
    with pytest.raises(Conflict, match=f"part of {major.call_sign}"):
        declared(by, till)
    other = log("Piotr", "Ticket office tills", "Cards refused")
    gathering.gather(major.ticket_id, by("Marit"), [other.pk])
    with pytest.raises(Conflict, match="already"):
        declared(by, other)
    # Once it is stood down, what comes after is another one.
    declaring.stand_down(major.ticket_id, by("Marit"), "All sell", None)
    assert declared(by, other).call_sign != major.call_sign


@pytest.mark.parametrize(
    ("said", "field"),
    [
        ({"title": "  "}, "title"),
        ({"title": "Down", "plan": "nonsense"}, "plan"),
        ({"title": "Down", "incident": 999_999}, None),
        ({"title": "Down", "service": 999_999}, "service"),
        ({"title": "Down", "began_at": "2027-01-01T00:00:00Z"}, "began_at"),
    ],
)
def test_nonsense_declares_nothing(api: Api, said: dict[str, Any], field: str | None) -> None:
    answer = api("Marit").post("/api/majors", said, content_type=JSON)
    assert answer.status_code in (404, 422), answer.content
    if field:
        assert field in answer.json()["fields"]
    assert not MajorFacts.objects.exists() and not Ticket.objects.filter(kind=KIND).exists()


def test_the_first_plan_that_fits_is_taken(log: Any, by: Any, api: Api, till: Ticket) -> None:
    assert api("Marit").get(f"/api/majors/plans?incident={till.pk}").json()["fits"] == "sailing"
    secret = log("Ines", "Ticket office tills", "Somebody asks for passwords")
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=1, holder=by("Marit").person)
    fits = api("Marit").get(f"/api/majors/plans?incident={secret.pk}").json()
    assert fits["fits"] == "security"
    major = declared(by, Ticket.objects.get(pk=secret.pk))
    assert major.plan == "security" and major.ticket.is_confidential
    assert major.ticket.team.name == "Information Security"


def test_many_reports_of_one_thing_suggest_it_once(log: Any, person: Who) -> None:
    tickets = [
        log(name, "Ticket office tills", f"Cards refused at till {n}")
        for n, name in enumerate(("Ines", "Maeve", "Piotr", "Lena"))
    ]
    Ticket.objects.filter(pk__in=[one.pk for one in tickets]).update(category="till")
    assert gathering.suggest_many(NOW_S + 60) == 0, "four are not five"
    fifth = log("Nuno", "Ticket office tills", "No cards")
    Ticket.objects.filter(pk=fifth.pk).update(category="till")
    assert gathering.suggest_many(NOW_S + 60) == 1
    first = Ticket.objects.get(pk=tickets[0].pk)
    assert first.is_major_suggested and told(person("Marit"), "major suggested")
    assert gathering.suggest_many(NOW_S + 120) == 0, "one of them is suggested already"
    Ticket.objects.filter(pk=first.pk).update(is_major_suggested=0)
    assert gathering.suggest_many(NOW_S + 3_600) == 0, "they came an hour ago"


def test_what_a_running_one_reaches_is_not_suggested_anew(till: Ticket, by: Any, log: Any) -> None:
    declared(by, till)
    for number in range(6):
        made = log("Piotr", "Ticket office tills", f"Cards refused at till {number}")
        Ticket.objects.filter(pk=made.pk).update(category="till")
    assert gathering.suggest_many(NOW_S + 60) == 0
    # One that is stood down reaches nothing any more.
    MajorFacts.objects.update(stood_down_s=NOW_S)
    assert gathering.suggest_many(NOW_S + 60) == 1


# --- roles ---


def test_a_role_is_taken_handed_over_and_who_was_when_is_kept(
    till: Ticket, by: Any, person: Who
) -> None:
    major = declared(by, till)
    number = major.ticket_id
    rooms.take_role(number, acting(person("Signe"), 3), "technical", None)
    with pytest.raises(Refused, match="Signe Hallam has that role"):
        rooms.take_role(number, acting(person("Joss"), 5), "technical", None)
    rooms.take_role(number, acting(person("Signe"), 9), "technical", person("Joss"))
    rows = [(one.person.first_name, one.from_s - NOW_S, one.to_s and one.to_s - NOW_S)
            for one in major.held_roles.filter(role="technical")]  # fmt: skip
    assert rows == [("Signe", 180, 540), ("Joss", 540, None)]
    with pytest.raises(Conflict, match="already"):
        rooms.take_role(number, acting(person("Marit"), 10), "technical", person("Joss"))
    with pytest.raises(Conflict, match="somebody always leads"):
        rooms.give_up_role(number, by("Marit"), "lead")
    rooms.give_up_role(number, acting(person("Joss"), 12), "technical")
    assert not major.held_roles.filter(role="technical", to_s=None).exists()


# --- updates on their clock ---


def test_an_update_goes_to_everybody_affected_once(
    till: Ticket, by: Any, person: Who, log: Any
) -> None:
    twice = log("Piotr", "Ticket office tills", "Cards refused")
    major = declared(by, till)
    gathering.gather(major.ticket_id, by("Marit"), [twice.pk])
    row = send(major, person("Marit"), 12)
    mails = Outgoing.objects.filter(event_name="major update")
    addresses = list(mails.values_list("to", flat=True))
    assert len(addresses) == len(set(addresses)) == row.count > 2
    assert person("Ines").email in addresses and person("Piotr").email in addresses
    assert row.number == 1 and hearers(major).due_s == NOW_S + (12 + 30) * 60
    assert facts(major.ticket_id).first_update_s == NOW_S + 720


def test_who_does_not_speak_for_it_sends_nothing(till: Ticket, by: Any, person: Who) -> None:
    major = declared(by, till)
    with pytest.raises(Refused):
        send(major, person("Signe"), 2)
    rooms.take_role(major.ticket_id, by("Marit"), "communications", person("Signe"))
    assert send(major, person("Signe"), 3).by == person("Signe")
    rooms.give_up_role(major.ticket_id, by("Marit"), "communications")
    with pytest.raises(Refused):
        send(major, person("Signe"), 4)


def test_a_late_update_reminds_before_and_shouts_after(till: Ticket, by: Any, person: Who) -> None:
    major = declared(by, till)
    marit = person("Marit")
    fire("update", NOW_S + 24 * 60)
    assert told(marit, "update due") == []
    fire("update", NOW_S + 25 * 60)
    assert told(marit, "update due") and not told(marit, "update late")
    fire("update", NOW_S + 30 * 60)
    late = Event.objects.filter(ticket=major.ticket, kind="update late")
    assert told(marit, "update late") and late.count() == 1
    fire("update", NOW_S + 39 * 60)
    assert late.count() == 1, "it is late once; after that it is reminded of"
    before = Notification.objects.get(person=marit, event_name="update late").count
    fire("update", NOW_S + 40 * 60)
    assert Notification.objects.get(person=marit, event_name="update late").count > before
    row = send(major, marit, 41)
    assert row.due_s is not None and updates.update_json(row)["late_s"] == 11 * 60
    sent = Event.objects.filter(ticket=major.ticket, kind="update sent").get()
    assert sent.values["late_minutes"] == 11
    fire("update", NOW_S + 60 * 60)
    assert late.count() == 2, "the directors are late now"


def test_an_update_that_waits_goes_out_once_when_its_time_has_come(
    till: Ticket, by: Any, person: Who
) -> None:
    major = declared(by, till)
    row = send(major, person("Marit"), 5, "Later", at=at_minute(20))
    assert row.sent_s is None and not Outgoing.objects.filter(event_name="major update").exists()
    newer = send(major, person("Marit"), 6, "Better words", at=at_minute(21))
    assert list(Update.objects.values_list("pk", flat=True)) == [newer.pk], "one waits at a time"
    fire("update", NOW_S + 20 * 60)
    assert not Update.objects.filter(sent_s__isnull=False).exists()
    fire("update", NOW_S + 21 * 60)
    fire("update", NOW_S + 22 * 60)
    newer.refresh_from_db()
    assert newer.sent_s is not None and newer.count > 0
    mails = Outgoing.objects.filter(event_name="major update")
    assert mails.count() == newer.count and "Better words" in mails[0].body
    with pytest.raises(Conflict):
        updates.take_back(major.ticket_id, by("Marit"), newer.pk)
    waiting = send(major, person("Marit"), 23, "No", at=at_minute(90))
    updates.take_back(major.ticket_id, by("Marit"), waiting.pk)
    fire("update", NOW_S + 91 * 60)
    assert not mails.filter(body__contains="No").exclude(body__contains="Better").exists()


def test_a_draft_has_what_was_entered_since_and_nothing_of_closed_channels(
    till: Ticket, by: Any, person: Who
) -> None:
    major = declared(by, till)
    number, marit = major.ticket_id, person("Marit")
    legal = rooms.open_channel(number, by("Marit"), "legal", is_closed=True)
    said = rooms.say(number, acting(marit, 2), legal.pk, "We may have to tell the bank.")
    timeline.write_entry(number, acting(marit, 3), "", message=said.pk, label="seen")
    timeline.write_entry(number, acting(marit, 4), "Cash works everywhere", label="seen")
    first = updates.draft(major, hearers(major), marit, NOW_S + 600)
    assert "Cash works everywhere" in first["text"] and "bank" not in first["text"]
    assert "Ticket office tills" in first["text"] and first["unknown"] == []
    send(major, marit, 11)
    timeline.write_entry(number, acting(marit, 15), "One till sells again", label="tried")
    second = updates.draft(major, hearers(major), marit, NOW_S + 1_000)
    assert second["number"] == 2
    assert "One till sells again" in second["text"] and "Cash works" not in second["text"]
    # What one audience heard, another has not.
    other = updates.draft(major, hearers(major, "directors"), marit, NOW_S + 1_000)
    assert "Cash works everywhere" in other["text"] and major.call_sign in other["text"]


def test_what_is_told_stands_on_the_portal_and_the_status_page(
    till: Ticket, by: Any, person: Who, api: Api, client: Any
) -> None:
    major = declared(by, till)
    assert b"Nothing that we know of" in client.get("/status").content
    send(major, person("Marit"), 5, "Sell for *cash*.")
    send(major, person("Marit"), 6, "Twelve thousand pounds lost", to=hearers(major, "directors"))
    client.logout()
    page = client.get("/status")
    assert page.status_code == 200 and "no-store" not in page["Cache-Control"]
    words = page.content.decode()
    assert "No till takes cards" in words and "<em>cash</em>" in words and "10:21" in words
    for secret in ("Twelve thousand", major.call_sign, "/desk", "Marit", "Ines"):
        assert secret not in words, f"{secret} is nobody's outside"
    home = api("Piotr").get("/api/portal").json()
    (outage,) = home["outages"]
    assert (outage["title"], outage["news"]) == ("No till takes cards", "Sell for *cash*.")
    # It hits me too: I hear with the next update.
    api("Piotr").post(f"/api/portal/outages/{major.ticket_id}/hit")
    Person.objects.filter(pk=person("Piotr").pk).update(department="Elsewhere", place="")
    send(major, person("Marit"), 9, "Still cash.")
    assert Outgoing.objects.filter(to=person("Piotr").email, body__contains="Still cash").exists()
    declaring.stand_down(major.ticket_id, acting(person("Marit"), 30), "All sell", None)
    assert api("Piotr").get("/api/portal").json()["outages"] == []
    assert told(person("Piotr"), "outage over")
    assert "Over since yesterday" in client.get("/status").content.decode()


def test_what_is_confidential_is_shown_to_nobody_outside(
    log: Any, by: Any, person: Who, client: Any
) -> None:
    secret = log("Ines", "Ticket office tills", "Strange endings")
    Ticket.objects.filter(pk=secret.pk).update(is_confidential=1, holder=person("Marit"))
    major = declared(by, Ticket.objects.get(pk=secret.pk), plan="sailing")
    assert not any(one.on_portal or one.on_status_page for one in major.audiences.all())
    row = hearers(major)
    with pytest.raises(Conflict, match="confidential"):
        updates.change_hearers(major.ticket_id, by("Marit"), {"on_status_page": True}, row.pk)
    # Not even a row that says otherwise is shown.
    major.audiences.update(on_status_page=1, on_portal=1)
    send(major, person("Marit"), 3, "Endings are strange")
    assert b"strange" not in client.get("/status").content


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"name": " "}, "name"),
        ({"minutes": 4}, "minutes"),
        ({"minutes": 100_000}, "minutes"),
        ({"to": ["not@an"]}, "to"),
    ],
)
def test_an_audience_that_cannot_be_is_refused_at_its_field(
    till: Ticket, by: Any, api: Api, given: dict[str, Any], field: str
) -> None:
    major = declared(by, till)
    where = f"/api/rooms/{major.ticket_id}/audiences/{hearers(major).pk}"
    answer = api("Marit").patch(where, given, content_type=JSON)
    assert answer.status_code == 422 and field in answer.json()["fields"]


# --- figures ---


def test_people_and_services_are_derived_once_and_correctable(
    till: Ticket, by: Any, person: Who, api: Api
) -> None:
    service = Service.objects.get(name="Ticket office tills")
    Service.objects.filter(pk=service.pk).update(departments=["Ticket Sales", "Terminals"])
    item = ConfigItem.objects.filter(service=service).first()
    assert item is not None
    Dependency.objects.create(service=service, on_item=item, ends=f"service-{service.pk}>{item.pk}")
    major = declared(by, till)
    found = {one.pk for one in impact.affected_people(major)}
    users = Person.objects.filter(department__in=["Ticket Sales", "Terminals"], is_active=True)
    assert found == set(users.values_list("pk", flat=True)) | {person("Ines").pk}
    shown = api("Marit").get(f"/api/rooms/{major.ticket_id}").json()["figures"]
    people = next(one for one in shown if one["name"] == "people")
    assert (people["derived"], people["counts"], people["said"]) == (len(found), len(found), None)
    said = {"figure": "people", "value": 12, "why": ""}
    where = f"/api/rooms/{major.ticket_id}/figures"
    assert "why" in api("Marit").post(where, said, content_type=JSON).json()["fields"]
    said["why"] = "only Saltgate was open"
    answer = api("Marit").post(where, said, content_type=JSON).json()["figures"][0]
    assert (answer["counts"], answer["derived"], answer["who"]) == (12, len(found), "Marit Osei")
    assert facts(major.ticket_id).affected == 12
    back = api("Marit").post(where, {"figure": "people", "value": None}, content_type=JSON)
    assert back.json()["figures"][0]["counts"] == len(found)


# --- gathering ---


def test_likely_ones_are_suggested_and_thirty_are_answered_together(
    till: Ticket, by: Any, log: Any, api: Api
) -> None:
    alike = [log(name, "Ticket office tills", f"Till {n} takes no cards")
             for n, name in enumerate(["Piotr", "Maeve", "Lena"] * 10)]  # fmt: skip
    other = log("Nuno", "Payroll", "My payslip is wrong")
    major = declared(by, till)
    likely = api("Marit").get(f"/api/rooms/{major.ticket_id}/incidents").json()
    assert {one["id"] for one in likely} == {one.pk for one in alike}
    assert all(one["why"] for one in likely) and other.pk not in {one["id"] for one in likely}
    add = {"add": [one["id"] for one in likely]}
    room = api("Marit").post(f"/api/rooms/{major.ticket_id}/incidents", add, content_type=JSON)
    assert room.json()["gathered"] == 31
    preview = f"/api/rooms/{major.ticket_id}/together/preview"
    said = {"words": "Hello {name}, {number} is over.", "does": "resolve"}
    rows = api("Marit").post(preview, said, content_type=JSON).json()
    first = next(one for one in rows if one["id"] == alike[0].pk)
    assert first["text"] == f"Hello Piotr, {alike[0].pk} is over." and first["does"] == "resolve"
    assert Event.objects.filter(kind="resolved", ticket__in=alike).count() == 0
    decided = [{"id": one["id"], "does": one["does"]} for one in rows]
    decided[-1]["does"] = "leave"
    left_out = decided[-1]["id"]
    done = api("Marit").post(
        f"/api/rooms/{major.ticket_id}/together",
        {"words": said["words"], "incidents": decided}, content_type=JSON,
    ).json()  # fmt: skip
    assert len(done["done"]) == 30 and done["left"] == []
    opened = Ticket.objects.filter(pk__in=[till.pk, *[one.pk for one in alike]], is_open=True)
    assert list(opened.values_list("pk", flat=True)) == [left_out]
    assert Ticket.objects.get(pk=alike[0].pk).cause == f"major incident {major.ticket_id}"


def test_a_text_that_stands_for_nothing_answers_nobody(till: Ticket, by: Any) -> None:
    major = declared(by, till)
    with pytest.raises(Invalid, match="stands for nothing"):
        gathering.answer(major.ticket_id, by("Marit"), "Dear {nme}", {till.pk: "tell"})
    assert not Event.objects.filter(ticket=till, kind="replied").exists()


def test_gathered_incidents_are_let_go_and_a_confidential_one_is_not_gathered(
    till: Ticket, by: Any, log: Any, api: Api
) -> None:
    major = declared(by, till)
    other = log("Piotr", "Ticket office tills", "Cards refused")
    Ticket.objects.filter(pk=other.pk).update(is_confidential=1, holder=by("Marit").person)
    with pytest.raises(Conflict, match="confidential"):
        gathering.gather(major.ticket_id, by("Marit"), [other.pk])
    assert gathering.let_go(major.ticket_id, by("Marit"), [till.pk]) == 1
    assert gathering.let_go(major.ticket_id, by("Marit"), [till.pk]) == 0
    assert not Link.objects.filter(target=major.ticket).exists()
    assert facts(major.ticket_id).gathered == 0


def test_work_in_its_reach_is_held_while_it_runs(
    till: Ticket, by: Any, planned: Any, api: Api
) -> None:
    item = ConfigItem.objects.filter(service__name="Ticket office tills").first()
    assert item is not None
    change = planned()
    Ticket.objects.filter(pk=till.pk).update(ci=item)
    Ticket.objects.filter(pk=change.pk).update(ci=item)
    where = f"/api/tickets/{change.pk}"
    assert api("Marit").get(where).json()["change"]["held_by"] == []
    major = declared(by, Ticket.objects.get(pk=till.pk))
    (held,) = api("Marit").get(where).json()["change"]["held_by"]
    assert (held["id"], held["call_sign"]) == (major.ticket_id, major.call_sign)
    Ticket.objects.filter(pk=major.ticket_id).update(is_confidential=1, holder=None)
    (unnamed,) = api("Joss").get(where).json()["change"]["held_by"]
    assert unnamed == {"id": None, "call_sign": "", "title": ""}
    Ticket.objects.filter(pk=major.ticket_id).update(is_confidential=0)
    declaring.stand_down(major.ticket_id, by("Marit"), "over", None)
    assert api("Marit").get(where).json()["change"]["held_by"] == []


# --- the end, and after it ---


def test_standing_down_ends_updates_and_the_review_has_its_times(
    till: Ticket, by: Any, person: Who, api: Api
) -> None:
    marit = person("Marit")
    Ticket.objects.filter(pk=till.pk).update(opened_s=NOW_S - 600)
    major = declared(by, Ticket.objects.get(pk=till.pk), began_at=at_minute(-16))
    send(major, marit, 14)
    with pytest.raises(Refused):
        declaring.stand_down(major.ticket_id, acting(person("Signe"), 40), "over", None)
    with pytest.raises(Invalid):
        declaring.stand_down(major.ticket_id, acting(marit, 40), "over", at_minute(41))
    declaring.stand_down(major.ticket_id, acting(marit, 50), "All sell", at_minute(44))
    assert not Timer.objects.filter(ticket=major.ticket, kind="update", state=1).exists()
    room = api("Marit").get(f"/api/rooms/{major.ticket_id}").json()
    assert room["state"] == "review" and not room["may"]["run"]
    assert room["times"] == {
        "to_notice": 6 * 60, "to_declare": 10 * 60, "to_first_update": 14 * 60,
        "to_restore": 60 * 60, "duration": 50 * 60,
    }  # fmt: skip
    with pytest.raises(Conflict, match="went well"):
        reviewing.end_review(major.ticket_id, acting(marit, 60))
    reviewing.write_review(
        major.ticket_id, acting(marit, 61), {"well": "Found fast", "badly": "Told late"}
    )
    todo = {"title": "Warn before certificates run out", "person": marit.pk}
    actions.add_task(major.ticket_id, acting(marit, 62), todo)
    with pytest.raises(Conflict, match="make it a follow-up"):
        reviewing.end_review(major.ticket_id, acting(marit, 63))
    task = major.ticket.tasks.get()
    task.outlives = True
    task.save()
    reviewing.end_review(major.ticket_id, acting(marit, 64))
    ticket = Ticket.objects.get(pk=major.ticket_id)
    assert not ticket.is_open and ticket.tasks.get().state == "open"
    assert verify()[1] is None


def test_declared_again_it_is_the_same_room_and_updates_are_due(
    till: Ticket, by: Any, person: Who
) -> None:
    marit = person("Marit")
    major = declared(by, till)
    declaring.stand_down(major.ticket_id, acting(marit, 20), "over", None)
    reviewing.write_review(major.ticket_id, acting(marit, 21), {"well": "a", "badly": "b"})
    reviewing.end_review(major.ticket_id, acting(marit, 22))
    with pytest.raises(Refused):
        declaring.declare_again(major.ticket_id, acting(person("Signe"), 30), "it is back")
    declaring.declare_again(major.ticket_id, acting(marit, 30), "it is back")
    again = facts(major.ticket_id)
    assert again.ticket.is_open and again.stood_down_s is None and again.restored_s is None
    assert again.call_sign == major.call_sign
    assert hearers(again).due_s == NOW_S + 60 * 60
    fire("update", NOW_S + 60 * 60)
    assert told(marit, "update late")


def test_a_problem_is_born_of_it_with_its_incidents_once(
    till: Ticket, by: Any, log: Any, api: Api
) -> None:
    other = log("Piotr", "Ticket office tills", "Cards refused")
    major = declared(by, till)
    gathering.gather(major.ticket_id, by("Marit"), [other.pk])
    where = f"/api/rooms/{major.ticket_id}/problem"
    made = api("Marit").post(where).json()["id"]
    problem = Ticket.objects.get(pk=made)
    assert problem.kind == "problem" and problem.service == till.service
    assert problem.problem_facts.born_of == f"major incident {major.ticket_id}, {major.call_sign}"
    assert problem.problem_facts.incidents == 2
    assert api("Marit").post(where).json()["id"] == made


def test_what_was_learned_becomes_an_article_without_the_people_in_it(
    till: Ticket, by: Any, api: Api
) -> None:
    major = declared(by, till)
    where = f"/api/rooms/{major.ticket_id}/article"
    assert api("Marit").post(where).status_code == 409, "nothing is written yet"
    reviewing.write_summary(major.ticket_id, by("Marit"), "Marit Osei found the certificate out.")
    made = api("Marit").post(where).json()["number"]
    article = Article.objects.get(pk=made)
    assert "the certificate out" in article.body and "Marit" not in article.body
    assert api("Marit").post(where).json()["number"] == made


def test_the_plan_shapes_its_situation_report(till: Ticket, by: Any, person: Who) -> None:
    def change(document: Any) -> None:
        plan = next(one for one in document["major_plans"] if one["key"] == "sailing")
        plan["report"] = "{call_sign} hits {people}.\n\n{timeline}"

    publish(change)
    major = declared(by, till, plan="sailing")
    timeline.write_entry(major.ticket_id, by("Marit"), "Cash works")
    drafted = paper.draft_report(major, person("Marit"), NOW_S)
    first, _, rest = drafted.partition("\n\n")
    assert first.startswith(f"{major.call_sign} hits ") and first.endswith(".")
    assert "Cash works" in rest and "{" not in drafted


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"team": "Nobody at all"}, "There is no team “Nobody at all”"),
        ({"told": ["gone@northmere.example"]}, "Nobody here has the address"),
        ({"report": "{nonsense}"}, "“{nonsense}” stands for nothing in a situation report"),
        ({"channels": [{"name": "a"}, {"name": "A"}]}, "Two channels are called"),
        ({"audiences": [{"name": "x", "minutes": 30, "to": []}]}, "Updates to x go to nobody"),
        ({"audiences": [{"name": "x", "minutes": 30, "to": ["Nowhere"]}]}, "There is no team “Nowhere”"),
        ({"audiences": [{"name": "x", "minutes": 30, "to": ["Platforms"], "words": "{odd}"}]},
         "“{odd}” stands for nothing in an update"),
        ({"if": {"field": "nothing", "op": "is", "value": 1}}, "nothing"),
        ({"tasks": ["no-such-template"]}, "no-such-template"),
        ({"is_closed": True, "team": ""}, "closed circle and names no team"),
    ],
)  # fmt: skip
def test_checks_of_a_plan_say_what_is_wrong(change: dict[str, Any], says: str, api: Api) -> None:
    plan = next(one for one in current().document["major_plans"] if one["key"] == "sailing")
    after = {**plan, **change}
    api("Anneke").post("/api/rulebook/draft", {}, content_type=JSON)
    edit = {"section": "major_plans", "key": "sailing", "before": plan, "after": after,
            "is_rename": False}  # fmt: skip
    answer = api("Anneke").post("/api/rulebook/draft/edits", edit, content_type=JSON)
    assert answer.status_code in (200, 201), answer.content
    found = api("Anneke").get("/api/rulebook/draft/review").json()["findings"]
    mine = [one for one in found if one["section"] == "major_plans"]
    assert any(says in one["says"] for one in mine), mine


def test_papers_are_pdfs_of_what_may_be_read(till: Ticket, by: Any, person: Who, api: Api) -> None:
    major = declared(by, till)
    drafted = api("Marit").get(f"/api/rooms/{major.ticket_id}/reports").json()["text"]
    assert "## Where it stands" in drafted and "lead: Marit Osei" in drafted
    where = f"/api/rooms/{major.ticket_id}/reports"
    for to, status in ((["nonsense"], 422), ([], 422), (["board@northmere.example"], 201)):
        said = {"text": drafted, "to": to}
        assert api("Marit").post(where, said, content_type=JSON).status_code == status
    mail = Outgoing.objects.get(event_name="situation report")
    assert mail.to == "board@northmere.example"
    assert bytes(mail.files.get().content).startswith(b"%PDF")
    report = api("Marit").get(f"/api/rooms/{major.ticket_id}").json()["reports"][0]["id"]
    assert api("Signe").get(f"{where}/{report}").content.startswith(b"%PDF")
    paper = api("Signe").get(f"/api/rooms/{major.ticket_id}/review/paper")
    assert paper.content.startswith(b"%PDF") and paper["Content-Type"] == "application/pdf"


# --- drills ---


def test_a_drill_tells_nobody_outside_it(
    by: Any, person: Who, api: Api, client: Any, log: Any
) -> None:
    till = log("Piotr", "Ticket office tills", "No cards")
    Notification.objects.all().delete()
    Outgoing.objects.all().delete()
    service = Service.objects.get(name="Ticket office tills")
    major = declared(by, title="No till takes cards", service=service, is_drill=True)
    number = major.ticket_id
    inside = {one.pk for one in declaring.people_of(major)}
    row = send(major, person("Marit"), 5, "Sell for cash.")
    mails = Outgoing.objects.filter(ticket=None)
    assert row.count == mails.count() > 0
    assert {one.person_id for one in mails} <= inside
    assert all(one.body.startswith("Drill") and one.subject.startswith("Drill") for one in mails)
    assert not Notification.objects.exclude(person__in=inside).exists()
    assert client.get("/status").content.count(b"cash") == 0
    assert api("Piotr").get("/api/portal").json()["outages"] == []
    gathering.gather(number, by("Marit"), [till.pk])
    with pytest.raises(Conflict, match="drill"):
        gathering.answer(number, by("Marit"), "Hello {name}", {till.pk: "tell"})
    with pytest.raises(Conflict, match="drill"):
        reviewing.problem_of(number, by("Marit"))
    strange = {"text": "x", "to": ["board@northmere.example"]}
    answer = api("Marit").post(f"/api/rooms/{number}/reports", strange, content_type=JSON)
    assert answer.status_code == 403
    item = ConfigItem.objects.filter(service=service).first()
    assert item is not None and gathering.holding([f"service-{service.pk}"], person("Marit")) == []
    rooms.say(number, by("Marit"), major.channels.get(in_chat=1).pk, "Practice")
    assert not HookCall.objects.exists(), "no other system hears of it"


# --- the rulebook, rules, lists ---


def test_rules_wait_for_its_moments_and_lists_find_it_by_its_fields(
    till: Ticket, by: Any, api: Api
) -> None:
    def change(document: Any) -> None:
        document["rules"].append(
            {
                "key": "majors-tagged", "name": "Tag majors", "is_on": True,
                "when": ["declared"], "if": {"field": "kind", "op": "is", "value": KIND},
                "then": [{"do": "tag", "tags": ["major"]}],
            }
        )  # fmt: skip

    publish(change)
    major = declared(by, till)
    assert Ticket.objects.get(pk=major.ticket_id).tags[-1] == "major"
    sign = {"field": "call sign", "op": "is", "value": major.call_sign}
    found = api("Signe").get("/api/tickets", {"filter": json.dumps(sign)})
    assert found.status_code == 200, found.content
    assert [one["id"] for one in found.json()["rows"]] == [major.ticket_id]


def test_its_instants_are_those_of_the_server(till: Ticket, by: Any, api: Api) -> None:
    major = declared(by, till)
    where = f"/api/rooms/{major.ticket_id}/times"
    future = {"what": "restored", "at": format_instant(at_minute(600))}
    assert api("Marit").post(where, future, content_type=JSON).status_code == 422
    begins = {"what": "began", "at": format_instant(at_minute(-30))}
    assert api("Marit").post(where, begins, content_type=JSON).json()["began_s"] == NOW_S - 1_800
