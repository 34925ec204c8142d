"""Rotas as leads keep them, and paging: who, then who next, until somebody answers."""

import json
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise
from typing import Any

import pytest

from gannet.audit.log import verify
from gannet.messages.models import Notification, Outgoing
from gannet.oncall import paging, rotas
from gannet.oncall.models import Answer, DutyRota, PageCall
from gannet.people.acting import Acting
from gannet.people.models import Absence, Membership, Person, Team
from gannet.tickets import actions
from gannet.tickets.models import Ticket, Timer
from gannet.web.errors import Conflict
from gannet_core.instants import seconds_of
from tests.app.conftest import fire
from tests.app.test_engine import publish, rule
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
Who = Callable[[str], Person]
# A Thursday before NOW, which is Monday 23 November 2026, 09:46.
FACTS = {"zone": "Europe/London", "starts": date(2026, 11, 19), "at": "09:00", "weeks": 1}


@pytest.fixture
def team(person: Who) -> Team:
    """Ship Systems with a rota of three, Joss first; the next is paged after ten minutes."""
    found = Team.objects.get(name="Ship Systems")
    found.memberships.exclude(person=person("Joss")).delete()
    for name in ("Signe", "Bram"):
        Membership.objects.create(team=found, person=person(name))
    people = [person(name).pk for name in ("Joss", "Signe", "Bram")]
    by = Acting(person=person("Anneke"), now=NOW)
    rotas.set_rota(by, found, {**FACTS, "people": people, "next_minutes": 10})
    return found


@pytest.fixture
def link(log: Any, team: Team) -> Ticket:
    ticket = log("Ines", "Ship-to-shore link", "The link is down")
    Ticket.objects.filter(pk=ticket.pk).update(team=team, holder=None)
    return Ticket.objects.get(pk=ticket.pk)


def paged(ticket: Ticket) -> list[tuple[str, str]]:
    call = ticket.page_calls.last()
    assert call is not None
    return [(one.person.name.split()[0], one.answer) for one in call.pages.all()]


def minutes(count: int) -> datetime:
    return NOW + timedelta(minutes=count)


def at_minute(count: int) -> int:
    return seconds_of(minutes(count))


def told(person: Person) -> bool:
    return Notification.objects.filter(person=person, event_name="paged", gone_s=None).exists()


def test_who_is_on_call_is_paged_then_the_next_until_somebody_answers(
    link: Ticket, by: Any, person: Who, api: Any
) -> None:
    paging.page(link.pk, by("Marit"), "The bridge has no weather")
    assert paged(link) == [("Joss", "")] and told(person("Joss"))
    with pytest.raises(Conflict, match="Joss Levering was paged already"):
        paging.page(link.pk, by("Marit"), "Once more")

    fire("page", at_minute(9))
    assert paged(link) == [("Joss", "")]
    fire("page", at_minute(10))
    assert paged(link) == [("Joss", "none"), ("Signe", "")] and told(person("Signe"))
    paging.answer(link.pk, Acting(person=person("Signe"), now=minutes(12)))
    assert paged(link) == [("Joss", "none"), ("Signe", "answered")]
    assert not told(person("Signe")) and not told(person("Joss")), "it is answered for all"
    fire("page", at_minute(60))
    assert len(paged(link)) == 2, "nobody else is paged"
    shown = api("Marit").get(f"/api/tickets/{link.pk}").json()["conversation"]
    words = [str(one.get("sentence", "")) for one in shown]
    assert any("paged Joss Levering, Ship Systems: The bridge has no weather" in w for w in words)
    assert any("paged Signe Hallam, Ship Systems after Joss Levering" in w for w in words)
    assert verify()[1] is None


@pytest.mark.parametrize(
    "wishes",
    [
        {"events": {"paged": "never"}},
        {"events": {"paged": "in the digest"}},
        {"quiet": {"from": "00:00", "to": "23:59"}},
    ],
)
def test_no_wish_and_no_quiet_hour_holds_a_page_up(
    link: Ticket, by: Any, person: Who, wishes: dict[str, Any]
) -> None:
    joss = person("Joss")
    joss.preferences = wishes
    joss.save(update_fields=["preferences"])
    paging.page(link.pk, by("Marit"), "No weather")
    assert told(joss)
    mail = Outgoing.objects.get(person=joss, event_name="paged")
    assert not mail.in_digest and mail.send_at_s <= at_minute(1)


def test_who_asked_is_not_paged_themselves(link: Ticket, by: Any, person: Who) -> None:
    """Signe would be next; she asked, and knows of it."""
    paging.page(link.pk, by("Signe"), "No weather")
    fire("page", at_minute(10))
    assert [name for name, _ in paged(link)] == ["Joss", "Bram"]


def test_nobody_answers_and_who_asked_hears_of_it(
    link: Ticket, by: Any, person: Who, team: Team
) -> None:
    paging.page(link.pk, by("Marit"), "No weather")
    for count in (10, 20, 30):
        fire("page", at_minute(count))
    assert [answer for _, answer in paged(link)] == ["none"] * 3
    call = PageCall.objects.get()
    assert call.ended_s == seconds_of(minutes(30)) and call.answered_by is None
    assert Notification.objects.filter(
        person=person("Marit"), event_name="page unanswered"
    ).exists()
    paging.page(link.pk, Acting(person=person("Marit"), now=minutes(31)), "Again")
    assert paged(link) == [("Joss", "")]


@pytest.mark.parametrize("end", ["resolve", "cancel", "merge"])
def test_the_end_of_a_record_ends_its_pages(link: Ticket, by: Any, log: Any, end: str) -> None:
    paging.page(link.pk, by("Marit"), "No weather")
    if end == "resolve":
        actions.resolve(link.pk, by("Marit"), "The mast was turned off.")
    elif end == "cancel":
        actions.cancel(link.pk, by("Marit"), "It was a drill.")
    else:
        actions.merge(link.pk, by("Marit"), log("Ines", "Ship-to-shore link").pk)
    assert paged(link) == [("Joss", "over")]
    assert not Notification.objects.filter(event_name="paged", gone_s=None).exists()
    fire("page", at_minute(30))
    assert len(paged(link)) == 1
    assert not Timer.objects.filter(kind="page", state=1).exists()


def test_absence_standing_in_and_leaving_change_who_is_paged(
    link: Ticket, by: Any, person: Who, team: Team
) -> None:
    joss, signe, bram = person("Joss"), person("Signe"), person("Bram")
    Absence.objects.create(person=joss, starts_at=NOW, ends_at=NOW + timedelta(days=2))
    assert rotas.duty_of(team, seconds_of(NOW)).order(seconds_of(NOW)) == [signe.pk, bram.pk]  # type: ignore[union-attr]
    span = (NOW, NOW + timedelta(hours=4))
    rotas.stand_in(Acting(person=bram, now=NOW), team, bram, *span)
    paging.page(link.pk, by("Marit"), "No weather")
    assert paged(link) == [("Bram", "")]
    team.memberships.filter(person=signe).delete()
    fire("page", at_minute(10))
    # Signe is not of the team any more, Joss is away but leads it.
    assert paged(link)[-1][0] == "Joss" or PageCall.objects.get().ended_s


def test_a_team_without_a_rota_has_its_lead_paged(link: Ticket, by: Any, person: Who) -> None:
    desk = Team.objects.get(name="Harbour Desk")
    lead = desk.memberships.filter(is_lead=True).first()
    assert lead is not None and not DutyRota.objects.filter(team=desk).exists()
    by_whom = "Joss" if lead.person == person("Marit") else "Marit"
    paging.page(link.pk, by(by_whom), "Help", team=desk.pk)
    assert paged(link)[0][0] == lead.person.name.split()[0]


def test_a_rule_pages_once_and_not_again_while_it_waits(log: Any, team: Team, by: Any) -> None:
    publish(
        lambda document: document["rules"].append(
            rule(when=["created", "updated"], then=[{"do": "page", "team": "Ship Systems"}])
        )
    )
    ticket = log("Ines", "Ship-to-shore link", "The link is down")
    assert paged(ticket) == [("Joss", "")]
    assert Outgoing.objects.filter(body__contains="or the next is paged").exists()
    actions.set_priority(ticket.pk, by("Signe"), 1, "All ships")
    assert ticket.page_calls.count() == 1


def test_of_a_confidential_record_only_who_may_know_of_it_is_paged(
    link: Ticket, by: Any, person: Who, team: Team
) -> None:
    people = Team.objects.get(name="Information Security")
    Ticket.objects.filter(pk=link.pk).update(is_confidential=1, team=people, holder=None)
    inside = people.memberships.select_related("person").first()
    assert inside is not None
    with pytest.raises(Conflict, match="nobody who could be paged"):
        paging.page(link.pk, Acting(person=inside.person, now=NOW), "Look", team=team.pk)
    assert not PageCall.objects.exists() and not told(person("Joss"))


@pytest.mark.parametrize(
    ("said", "field"),
    [
        ({"people": []}, "people"),
        ({"people": [10**6]}, "people"),
        ({"zone": "Atlantis/Middle"}, "zone"),
        ({"at": "25:00"}, "at"),
        ({"weeks": 0}, "weeks"),
        ({"starts": "soon"}, "starts"),
        ({"next_minutes": 0}, "next_minutes"),
    ],
)
def test_what_is_no_rota_is_refused_at_its_field(
    api: Any, team: Team, said: dict[str, Any], field: str
) -> None:
    row = DutyRota.objects.get()
    whole = {**FACTS, "starts": "2026-11-19", "people": row.people, "next_minutes": 10, **said}
    refused = api("Anneke").put(f"/api/rotas/{team.pk}", json.dumps(whole), content_type=JSON)
    assert refused.status_code in (400, 422) and field in refused.json()["fields"], refused.content
    assert DutyRota.objects.get().people == row.people


def test_leads_keep_rotas_and_members_enter_themselves_alone(
    api: Any, team: Team, person: Who
) -> None:
    path = f"/api/rotas/{team.pk}"
    whole = {**FACTS, "starts": "2026-11-19", "people": [person("Bram").pk], "next_minutes": 5}
    assert api("Signe").put(path, json.dumps(whole), content_type=JSON).status_code == 403
    assert api("Tomas").put(path, json.dumps(whole), content_type=JSON).status_code in (403, 404)
    kept = api("Anneke").put(path, json.dumps(whole), content_type=JSON)
    assert kept.status_code == 200, kept.content
    assert {one["person"] for one in kept.json()["turns"]} == {person("Bram").name}

    span = {"starts_at": "2026-11-24T08:00:00Z", "ends_at": "2026-11-25T08:00:00Z"}
    mine = {**span, "person": person("Signe").pk}
    made = api("Signe").post(f"{path}/stand-ins", mine, content_type=JSON)
    assert made.status_code == 201, made.content
    other = {**span, "person": person("Bram").pk}
    assert api("Signe").post(f"{path}/stand-ins", other, content_type=JSON).status_code == 403
    wrong = {**mine, "ends_at": span["starts_at"]}
    refused = api("Signe").post(f"{path}/stand-ins", wrong, content_type=JSON)
    assert refused.status_code == 422 and "ends_at" in refused.json()["fields"]
    whys = [one["why"] for one in made.json()["turns"]]
    assert whys == ["rota", "instead", "rota"]
    number = made.json()["stand_ins"][0]["id"]
    assert api("Bram").delete(f"{path}/stand-ins/{number}").status_code == 403
    assert api("Signe").delete(f"{path}/stand-ins/{number}").status_code == 200
    assert api("Anneke").delete(path).json()["rota"] is None


def test_the_weeks_to_come_follow_the_local_clock(team: Team, person: Who) -> None:
    """Hand-overs stay at nine whatever the clocks do, and the eight weeks have no hole."""
    spring = datetime(2027, 3, 1, 12, tzinfo=UTC)
    shown = rotas.rota_json(team, person("Signe"), seconds_of(spring))
    turns = shown["turns"]
    assert turns[0]["from_s"] == seconds_of(spring)
    assert all(a["to_s"] == b["from_s"] for a, b in pairwise(turns))
    handed = {(one["from_s"] % 86_400) // 3600 for one in turns[1:]}
    assert handed == {9, 8}


def test_answers_of_pages_are_shown_to_those_who_see_the_record(
    link: Ticket, api: Any, by: Any
) -> None:
    paging.page(link.pk, by("Marit"), "No weather")
    path = f"/api/tickets/{link.pk}"
    shown = api("Signe").get(f"{path}/pages").json()
    assert [one["person"] for one in shown[0]["pages"]] == ["Joss Levering"]
    assert api("Ines").get(f"{path}/pages").status_code in (403, 404)
    done = api("Joss").post(f"{path}/answer-page", {}, content_type=JSON)
    assert done.status_code == 200, done.content
    again = api("Joss").post(f"{path}/answer-page", {}, content_type=JSON)
    assert again.status_code == 409
    shown = api("Joss").get(f"{path}/pages").json()
    assert (shown[0]["answered_by"], shown[0]["pages"][0]["answer"]) == (
        "Joss Levering", Answer.ANSWERED,
    )  # fmt: skip
