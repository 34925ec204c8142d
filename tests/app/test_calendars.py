"""Calendars: windows out and in, views of the schedule and the links that follow them."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine
from hypothesis import given, settings
from hypothesis import strategies as st
from icalendar import Calendar

from gannet.changes import calendars, feeds, planning
from gannet.changes.models import ChangeFacts, Feed, ScheduleView
from gannet.people.acting import Acting
from gannet.rulebook.book import current
from gannet.tickets.models import Ticket
from gannet.web.errors import Invalid
from gannet_core.instants import seconds_of
from gannet_core.windows import read_window
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
JSON = "application/json"
Api = Callable[[str], Any]
Who = Callable[[str], Any]
AT = seconds_of(NOW)
VIEW = {"name": "Ships", "span": "week", "lanes": "service", "words": "", "is_shared": False}


def ics(*lines: str) -> str:
    body = "\r\n".join(["BEGIN:VEVENT", "UID:1", *lines, "END:VEVENT"])
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//EN\r\n{body}\r\nEND:VCALENDAR\r\n"


def test_windows_go_out_and_come_in_again_as_they_were(northmere: None) -> None:
    book = current()
    out = calendars.windows_out(book, AT).decode()
    back, problems = calendars.windows_in(out, "UTC")
    assert problems == []
    by_name = {one["name"]: one for one in back}
    assert len(by_name) == len(book.windows)
    for entry in book.windows:
        window, again = read_window(entry), read_window(by_name[entry["name"]])
        assert again.kind == window.kind
        assert again.zone == window.zone
        year = (AT, AT + 366 * 86_400)
        assert again.spans(*year) == window.spans(*year), entry["name"]


@pytest.mark.parametrize(
    ("lines", "entry"),
    [
        (
            ("DTSTART;TZID=Europe/Paris:20261126T013000", "DTEND;TZID=Europe/Paris:20261126T043000",
             "RRULE:FREQ=WEEKLY;BYDAY=TH", "SUMMARY:Nights"),
            {"zone": "Europe/Paris", "from": "2026-11-26T01:30", "to": "2026-11-26T04:30",
             "rrule": "FREQ=WEEKLY;BYDAY=TH", "kind": "maintenance", "name": "Nights"},
        ),
        (
            ("DTSTART;VALUE=DATE:20261224", "DTEND;VALUE=DATE:20261227", "CATEGORIES:Freeze"),
            {"zone": "Europe/London", "from": "2026-12-24T00:00", "to": "2026-12-27T00:00",
             "rrule": None, "kind": "freeze", "name": "Window"},
        ),
        (
            ("DTSTART;VALUE=DATE:20261224",),
            {"from": "2026-12-24T00:00", "to": "2026-12-25T00:00"},
        ),
        (
            ("DTSTART:20261126T013000Z", "DURATION:PT2H"),
            {"zone": "UTC", "from": "2026-11-26T01:30", "to": "2026-11-26T03:30"},
        ),
        (
            ("DTSTART:20261126T013000", "DTEND:20261126T020000", "EXDATE:20261203T013000,20261210T013000",
             "RRULE:FREQ=WEEKLY"),
            {"zone": "Europe/London", "except": ["2026-12-03", "2026-12-10"]},
        ),
    ],
)  # fmt: skip
def test_an_entry_of_a_calendar_as_a_window(lines: tuple[str, ...], entry: dict[str, Any]) -> None:
    found, problems = calendars.windows_in(ics(*lines), "Europe/London")
    assert problems == []
    assert {key: found[0][key] for key in entry} == entry


@pytest.mark.parametrize(
    "lines",
    [
        ("DTSTART:20261126T013000Z", "DTEND:20261126T013000Z", "SUMMARY:Empty"),
        ("DTSTART:20261126T013000Z", "DTEND:20261125T013000Z"),
        ("DTSTART:20261126T013000Z", "DTEND:20261126T023000Z", "RRULE:FREQ=HOURLY"),
        ("SUMMARY:No time at all",),
        ("DTSTART:20261126T013000Z", "DTEND:20261126T023000Z", "RDATE:20261203T013000Z"),
        ("DTSTART;TZID=Nowhere/Land:20261126T013000", "DTEND:20261126T023000Z"),
    ],
)
def test_an_entry_that_is_no_window_is_named_and_left_out(lines: tuple[str, ...]) -> None:
    found, problems = calendars.windows_in(ics(*lines), "Europe/London")
    assert (found, len(problems)) == ([], 1)


@given(st.text(max_size=300))
@settings(max_examples=80, deadline=None)
def test_any_text_is_read_or_refused_in_words(text: str) -> None:
    for said in (text, ics(text)):
        try:
            found, problems = calendars.windows_in(said, "Europe/London")
        except Invalid as error:
            assert error.detail
        else:
            for one in found:
                read_window(one)
            assert all(problems)


def test_reading_a_calendar_saves_nothing(northmere: None, api: Api) -> None:
    before = current().number
    said = {"text": ics("DTSTART:20261126T013000Z", "DURATION:PT2H")}
    answer = api("Marit").post("/api/changes/windows/calendar", said, content_type=JSON)
    assert answer.json()["windows"][0]["zone"] == "UTC"
    assert current().number == before
    bad = api("Marit").post("/api/changes/windows/calendar", {"text": "no"}, content_type=JSON)
    assert bad.status_code == 422
    assert api("Rosalind").get("/api/changes/windows/calendar").status_code == 403


@pytest.fixture
def planned(northmere: None, person: Who) -> Ticket:
    """A change of Joss's that takes time in ten days."""
    starts = NOW + timedelta(days=10)
    new = planning.NewChange(
        title="Routers of both ships",
        starts_s=seconds_of(starts),
        ends_s=seconds_of(starts + timedelta(hours=2)),
    )
    return planning.open_change(new, Acting(person=person("Joss"), now=NOW))


def opened(api: Api, who: str, **more: Any) -> tuple[int, str]:
    rows = api(who).post("/api/changes/views", {**VIEW, **more}, content_type=JSON).json()
    number = next(one["id"] for one in rows if one["name"] == more.get("name", "Ships"))
    return number, link(api, who, number)


def link(api: Api, who: str, number: int) -> str:
    answer = api(who).post(f"/api/changes/views/{number}/feed", {}, content_type=JSON)
    assert answer.status_code == 201, answer.content
    return str(answer.json()["path"])


def entries(client: Any, address: str) -> dict[str, Any]:
    with time_machine.travel(NOW, tick=False):
        answer = client.get(address)
    assert answer.status_code == 200
    assert answer["Content-Type"].startswith("text/calendar")
    assert "no-store" in answer["Cache-Control"]
    found = Calendar.from_ical(answer.content).walk("VEVENT")
    return {str(one["uid"]).partition("@")[0]: one for one in found}


def test_a_calendar_that_subscribes_follows_the_changes(
    planned: Ticket, api: Api, client: Any, person: Who
) -> None:
    _, address = opened(api, "Joss")
    first = entries(client, address)[f"change-{planned.pk}"]
    assert first["summary"] == f"{planned.pk} Routers of both ships"
    assert first["status"] == "TENTATIVE"
    facts = ChangeFacts.objects.get(ticket=planned)
    assert facts.starts_s is not None
    moved = facts.starts_s + 3600
    planning.edit(
        planned.pk, Acting(person=person("Joss"), now=NOW),
        {"starts_s": moved, "ends_s": moved + 7200},
    )  # fmt: skip
    again = entries(client, address)[f"change-{planned.pk}"]
    assert seconds_of(again.decoded("dtstart")) == moved
    assert again["sequence"] > first["sequence"]
    assert any(one.startswith("freeze-") for one in entries(client, address))


def test_a_link_shows_what_its_person_may_read_and_no_more(
    planned: Ticket, api: Api, client: Any, person: Who
) -> None:
    number, mine = opened(api, "Joss", is_shared=True)
    theirs = link(api, "Signe", number)
    Ticket.objects.filter(pk=planned.pk).update(is_confidential=True)
    uid = f"change-{planned.pk}"
    assert uid in entries(client, mine)
    assert uid not in entries(client, theirs)
    assert mine != theirs


def test_words_of_a_view_narrow_its_calendar(planned: Ticket, api: Api, client: Any) -> None:
    _, both = opened(api, "Joss", name="Both", words="BOTH ships")
    _, none = opened(api, "Joss", name="None", words="no such words")
    assert f"change-{planned.pk}" in entries(client, both)
    assert not [one for one in entries(client, none) if one.startswith("change-")]


def test_a_link_is_a_secret_that_can_be_taken_back(
    planned: Ticket, api: Api, client: Any, person: Who
) -> None:
    number, old = opened(api, "Joss")
    secret = old.removeprefix("/feeds/").removesuffix(".ics")
    assert len(secret) >= 40
    assert not Feed.objects.filter(digest__contains=secret).exists()
    new = link(api, "Joss", number)
    assert client.get(old).status_code == 404, "a new link replaces the former one"
    assert client.get(new).status_code == 200
    assert api("Joss").delete(f"/api/changes/views/{number}/feed").status_code == 204
    assert client.get(new).status_code == 404
    last = link(api, "Joss", number)
    joss = person("Joss")
    joss.is_active = False
    joss.save()
    assert client.get(last).status_code == 404, "who has left reads nothing"
    assert client.get("/feeds/nonsense.ics").status_code == 404
    assert client.post(last).status_code == 405


def test_views_are_ones_own_or_shared(northmere: None, api: Api) -> None:
    api("Joss").post("/api/changes/views", VIEW, content_type=JSON)
    assert api("Signe").get("/api/changes/views").json() == []
    shared = {**VIEW, "is_shared": True}
    rows = api("Joss").post("/api/changes/views", shared, content_type=JSON).json()
    assert len(rows) == 1, "one's own of that name is replaced"
    seen = api("Signe").get("/api/changes/views").json()
    assert [(one["name"], one["is_mine"]) for one in seen] == [("Ships", False)]
    number = seen[0]["id"]
    assert api("Signe").delete(f"/api/changes/views/{number}").status_code == 403
    link(api, "Signe", number)
    api("Joss").post("/api/changes/views", VIEW, content_type=JSON)
    assert not Feed.objects.exists(), "what is shared no longer is fed no longer"
    hidden = api("Signe").post(f"/api/changes/views/{number}/feed", {}, content_type=JSON)
    assert hidden.status_code == 404
    assert api("Joss").delete(f"/api/changes/views/{number}").json() == []
    assert not ScheduleView.objects.exists()


@pytest.mark.parametrize(
    "wrong", [{"name": " "}, {"span": "year"}, {"lanes": "colour"}, {"words": "x" * 121}]
)
def test_a_view_of_nonsense_is_refused(northmere: None, api: Api, wrong: dict[str, str]) -> None:
    answer = api("Joss").post("/api/changes/views", {**VIEW, **wrong}, content_type=JSON)
    assert answer.status_code == 422
    assert next(iter(wrong)) in answer.json()["fields"]


def test_the_number_of_views_is_bounded(northmere: None, person: Who) -> None:
    joss = person("Joss")
    ScheduleView.objects.bulk_create(
        ScheduleView(owner=joss, name=str(number), span="day", lanes="team")
        for number in range(feeds.MOST_VIEWS)
    )
    with pytest.raises(Invalid):
        feeds.keep(joss, name="One more", span="day", lanes="team", words="", is_shared=False)


def test_a_change_without_a_time_is_in_no_calendar(planned: Ticket) -> None:
    ChangeFacts.objects.filter(ticket=planned).update(starts_s=None)
    rows = Ticket.objects.filter(pk=planned.pk).select_related("change_facts")
    made = Calendar.from_ical(calendars.changes_out("x", rows, [], seconds_of(datetime.now(UTC))))
    assert made.walk("VEVENT") == []
