"""Drafts, editions, rehearsals, replay and re-applying, over the API an administrator uses."""

import json
from collections.abc import Callable
from typing import Any

import pytest

from gannet.audit.models import Event
from gannet.demo.history import History
from gannet.jobs import running as jobs
from gannet.jobs.models import Job, JobKind, JobState
from gannet.messages.delivery import gather_digests, next_local, quiet_until
from gannet.messages.models import Outgoing
from gannet.messages.outbox import send_due
from gannet.people.models import Person
from gannet.rulebook import book, schema
from gannet.rulebook.events import RulebookEvent
from gannet.rulebook.models import Draft, Edition, Rehearsal
from gannet.tickets import actions
from gannet.tickets.events import TicketEvent
from gannet.tickets.models import Clock, Ticket, Timer, TimerState
from gannet.trials import drafts, reapply
from gannet.trials.checking import findings_of
from gannet.trials.replay import replay
from gannet.worker.worker import fire_due
from gannet_core import rulebook
from gannet_core.errors import DocumentError
from gannet_core.findings import ERROR
from gannet_core.instants import instant_of, seconds_of
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
NOW_S = seconds_of(NOW)
HOUR = 3600


@pytest.fixture(autouse=True)
def fresh_books() -> None:
    book.forget()


@pytest.fixture
def admin(api: Callable[[str], Any]) -> Any:
    return api("Anneke")


def ask(client: Any, method: str, path: str, body: Any = None, status: int = 200) -> Any:
    send = getattr(client, method)
    got = send(path, body, "application/json") if body is not None else send(path)
    assert got.status_code == status, got.content
    return got.json() if got.content and status != 204 else None


def entry(client: Any, section: str, key: str, of: str = "draft") -> Any:
    document = ask(client, "get", f"/api/rulebook/documents/{of}")["document"]
    return rulebook.entry(document, section, key)


def edit(client: Any, section: str, key: str, before: Any, after: Any, status: int = 200) -> Any:
    body = {"section": section, "key": key, "before": before, "after": after}
    return ask(client, "post", "/api/rulebook/draft/edits", body, status)


def with_fix(one: Any, priority: str, seconds: int) -> Any:
    targets = {**one["targets"], priority: {**one["targets"][priority], "fix": seconds}}
    return {**one, "targets": targets}


def test_a_policy_is_changed_checked_rehearsed_published_and_taken_back(
    admin: Any, log: Callable[..., Any]
) -> None:
    ask(admin, "post", "/api/rulebook/draft", {})
    before = entry(admin, "agreements", "sailing-critical")
    given = {
        "requester": Person.objects.get(name="Maeve Tarrant").email,
        "title": "Gate dark",
        "service": "Boarding gates",
        "answers": {"who": "team", "work": "no"},
    }
    example = {"of": "draft", "given": given, "at": "2026-11-27T16:40:00Z"}
    outcome = ask(admin, "post", "/api/rulebook/try", example)
    assert outcome["result"]["fix by"] == "2026-11-27T20:40:00Z"
    expected = {"priority": "P2", "fix by": outcome["result"]["fix by"], "person": "unassigned"}
    kept = {"name": "A dark gate", "given": given, "at": example["at"], "expected": expected}
    ask(admin, "post", "/api/rulebook/rehearsals", kept, 201)

    edit(admin, "agreements", "sailing-critical", before, with_fix(before, "2", 3 * HOUR))
    review = ask(admin, "get", "/api/rulebook/draft/review")
    said = [sentence for one in review["differences"] for sentence in one["sentences"]]
    assert said == ["Sailing-critical: P2 fix 4 h → 3 h"]
    assert (review["rehearsals"], review["failing"]) == (1, 1)
    (failing,) = ask(admin, "get", "/api/rulebook/rehearsals?of=draft")
    assert failing["differs"]["fix by"] == ["2026-11-27T20:40:00Z", "2026-11-27T19:40:00Z"]
    publish = {"comment": "Three hours for P2", "version": review["version"]}
    refused = ask(admin, "post", "/api/rulebook/draft/publish", publish, 409)
    assert "A dark gate" in refused["detail"]

    accepted = {**kept, "expected": {**expected, "fix by": failing["outcome"]["result"]["fix by"]}}
    ask(admin, "put", f"/api/rulebook/rehearsals/{failing['id']}", accepted)
    assert ask(admin, "post", "/api/rulebook/draft/publish", publish)["in_force"] == 2
    assert not Draft.objects.exists()
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    assert Clock.objects.get(ticket=ticket, kind="fix").target_seconds == 3 * HOUR

    assert ask(admin, "post", "/api/rulebook/editions/1/restore", {})["in_force"] == 3
    ticket = log("Maeve", "Boarding gates", who="team", work="no")
    assert Clock.objects.get(ticket=ticket, kind="fix").target_seconds == 4 * HOUR
    one, three = (Edition.objects.get(number=n).document for n in (1, 3))
    assert schema.to_yaml(one) == schema.to_yaml(three), "and the export is the same, byte by byte"
    assert Event.objects.filter(kind=RulebookEvent.PUBLISHED).count() == 2


def test_two_administrators_lose_nothing(admin: Any) -> None:
    ask(admin, "post", "/api/rulebook/draft", {})
    offices = entry(admin, "agreements", "offices")
    terminals = entry(admin, "agreements", "terminals")
    edit(admin, "agreements", "offices", offices, {**offices, "owner": "One"})
    edit(admin, "agreements", "terminals", terminals, {**terminals, "owner": "Two"})
    late = edit(admin, "agreements", "offices", offices, {**offices, "owner": "Three"}, 409)
    assert late["current"]["owner"] == "One"
    assert entry(admin, "agreements", "terminals")["owner"] == "Two"
    stale = {"comment": "x", "version": 2}
    assert ask(admin, "post", "/api/rulebook/draft/publish", stale, 409)["code"] == "stale"
    for owner in ("Two", "One"):
        undone = ask(admin, "post", "/api/rulebook/draft/undo", {})
        assert undone["key"] == ("terminals" if owner == "Two" else "offices")
    assert entry(admin, "agreements", "offices") == offices
    assert ask(admin, "post", "/api/rulebook/draft/undo", {}, 409)


def test_entries_are_added_moved_and_removed_and_each_can_be_taken_back(admin: Any) -> None:
    ask(admin, "post", "/api/rulebook/draft", {})
    start = ask(admin, "get", "/api/rulebook/documents/draft")["document"]
    keys = [rule["key"] for rule in start["rules"]]
    first = start["rules"][0]
    body = {"section": "rules", "key": first["key"], "before": first, "after": first, "position": 2}
    ask(admin, "post", "/api/rulebook/draft/edits", body)
    edit(admin, "suppliers", "brightmast", start["suppliers"][0], None)
    edit(admin, "suppliers", "new", None, {"key": "new", "name": "New"})
    moved = ask(admin, "get", "/api/rulebook/documents/draft")["document"]
    assert [rule["key"] for rule in moved["rules"]] == [keys[1], keys[2], keys[0], *keys[3:]]
    assert [one["key"] for one in moved["suppliers"]] == ["loam", "new"]
    for _ in range(3):
        ask(admin, "post", "/api/rulebook/draft/undo", {})
    assert ask(admin, "get", "/api/rulebook/documents/draft")["document"] == start


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ("calendars:\n - [oops", "line 2"),
        ("nonsense: []", "nonsense"),
        ("{", "line 1"),
        ("just words", ""),
        ("zone", "calendars[0] all-hours"),
        ("field", "rules[0] suspicious-words"),
        ("twice", "suppliers brightmast"),
    ],
)
def test_a_file_that_cannot_be_read_changes_nothing_and_names_the_place(
    admin: Any, change: str, place: str
) -> None:
    document = json.loads(json.dumps(Edition.objects.get(number=1).document))
    text = change
    if change == "zone":
        document["calendars"][0]["zone"] = "Atlantis/Deep"
    elif change == "field":
        document["rules"][0]["colour"] = "red"
    elif change == "twice":
        document["suppliers"][1]["key"] = "brightmast"
    if change in ("zone", "field", "twice"):
        text = json.dumps(document)
    refused = ask(admin, "post", "/api/rulebook/draft/import", {"text": text}, 422)
    assert place in refused["detail"], refused
    assert not Draft.objects.exists()


def test_export_and_import_are_each_others_reverse(admin: Any) -> None:
    exported = admin.get("/api/rulebook/export/force?as=yaml").content.decode()
    assert "asks: Who is affected?" in exported
    draft = ask(admin, "post", "/api/rulebook/draft/import", {"text": exported})
    assert draft["edits"] == 1
    assert admin.get("/api/rulebook/export/draft?as=yaml").content.decode() == exported
    as_json = admin.get("/api/rulebook/export/draft?as=json").content.decode()
    assert schema.to_yaml(schema.parse(as_json)) == exported
    by_hand = "hours: 22:30\nanswer: no\nday: 2026-11-23\n"
    assert schema.plain_yaml(by_hand) == {"hours": "22:30", "answer": "no", "day": "2026-11-23"}
    with pytest.raises(DocumentError):
        schema.parse("a: &x [1]\nb: *x")


def test_the_demo_rulebook_passes_its_own_checks(northmere: None) -> None:
    found = findings_of(Edition.objects.get(number=1).document, NOW)
    assert [one.says for one in found if one.severity == ERROR] == []


def test_a_rehearsal_is_made_from_any_ticket_one_may_see(
    admin: Any, log: Callable[..., Any]
) -> None:
    ticket = log("Ines", "Ship-to-shore link", who="ships", work="no")
    example = ask(admin, "get", f"/api/rulebook/examples/{ticket.pk}")
    tried = ask(
        admin,
        "post",
        "/api/rulebook/try",
        {"of": "force", "given": example["given"], "at": example["at"]},
    )
    assert tried["result"]["priority"] == "P1" == f"P{ticket.priority}"
    assert tried["result"]["team"] == ticket.team.name
    assert tried["result"]["fix by"] == _iso(Clock.objects.get(ticket=ticket, kind="fix").due_s)
    assert tried["result"]["rules"] == ["vital-down"]
    assert [step["name"] for step in tried["next"]][:2] == ["no response yet", "response due"]
    hidden = log("Maeve", "Safe computing")
    ask(admin, "get", f"/api/rulebook/examples/{hidden.pk}", None, 404)


def _iso(seconds: int | None) -> str:
    assert seconds is not None
    return instant_of(seconds).isoformat().replace("+00:00", "Z")


def test_replay_counts_what_would_have_been_different(
    admin: Any, person: Callable[[str], Any]
) -> None:
    History(book.edition(1), NOW_S, seed=5, tickets=250).write(lambda *_: None)
    ask(admin, "post", "/api/rulebook/draft", {})
    draft = book.of_document(drafts.the_draft().document)  # type: ignore[union-attr]
    everything = Ticket.objects.all()
    total = everything.count()
    same = replay(everything, book.edition(1), draft, lambda *_: True)
    assert (same["tickets"], same["differ"], same["skipped"]) == (total, 0, 0)
    # Under the edition they were logged by, tickets come out as they did: agreement, team.
    met = Clock.objects.filter(kind="fix", holder="", state=5).count()
    counted = sum(row["fix"][2] for row in same["kept"]["priority"].values())
    assert abs(counted - met) <= 0.06 * met, "but for those whose facts were changed later"

    one = entry(admin, "agreements", "offices")
    shorter = {**one, "targets": {k: {**row, "fix": 600} for k, row in one["targets"].items()}}
    edit(admin, "agreements", "offices", one, shorter)
    got = ask(admin, "post", "/api/rulebook/jobs", {"kind": "replay", "days": 800})
    jobs.run_job.func(got["id"])
    job = ask(admin, "get", f"/api/rulebook/jobs/{got['id']}")
    result = job["result"]
    assert (job["state"], job["done"]) == ("done", job["total"])
    assert result["earlier"] == result["differ"] > 0 == result["priority"] == result["team"]
    before = sum(row["fix"][0] for row in result["kept"]["team"].values())
    after = sum(row["fix"][2] for row in result["kept"]["team"].values())
    assert after < before
    assert all(row["title"] for row in result["differing"])
    assert {row["before"]["agreement"] for row in result["differing"]} == {"offices"}


def test_a_job_can_be_stopped_and_one_that_lost_its_worker_is_taken_up(
    admin: Any, person: Callable[[str], Any]
) -> None:
    ask(admin, "post", "/api/rulebook/draft", {})
    got = ask(admin, "post", "/api/rulebook/jobs", {"kind": "replay", "days": 5})
    ask(admin, "post", "/api/rulebook/jobs", {"kind": "replay", "days": 5}, 409)
    ask(admin, "delete", f"/api/rulebook/jobs/{got['id']}")
    jobs.run_job.func(got["id"])
    assert Job.objects.get(pk=got["id"]).state == JobState.STOPPED
    lost = jobs.start(person("Anneke"), JobKind.REPLAY, {"days": 5}, NOW)
    Job.objects.filter(pk=lost.pk).update(state=JobState.RUNNING, seen_s=NOW_S)
    assert jobs.revive(NOW_S + 60) == 0
    assert jobs.revive(NOW_S + 600) == 1
    jobs.run_job.func(lost.pk)
    assert Job.objects.get(pk=lost.pk).state == JobState.DONE


def test_re_applying_moves_open_tickets_on_purpose(
    admin: Any, log: Callable[..., Any], by: Callable[..., Any], at: Any
) -> None:
    moved = log("Maeve", "Boarding gates", who="team", work="no")
    waits = log("Lena", "Payroll", who="me", work="hard")
    at.later(minutes=30)
    actions.reply(moved.pk, by("Signe"), "On my way.")
    ask(admin, "post", "/api/rulebook/draft", {})
    before = entry(admin, "agreements", "sailing-critical")
    edit(admin, "agreements", "sailing-critical", before, with_fix(before, "2", 2 * HOUR))
    version = drafts.the_draft().version  # type: ignore[union-attr]
    ask(admin, "post", "/api/rulebook/draft/publish", {"comment": "x", "version": version})
    now_s = seconds_of(at.now)
    shown = reapply.preview(2, now_s, lambda *_: True)
    assert (shown["tickets"], shown["moved"], shown["earlier"]) == (2, 1, 1)
    assert Clock.objects.get(ticket=moved, kind="fix").target_seconds == 4 * HOUR, "only shown"
    done = reapply.re_apply(2, None, now_s, lambda *_: True)
    assert done == {"tickets": 2, "refused": 0}
    clock = Clock.objects.get(ticket=moved, kind="fix")
    assert (clock.target_seconds, clock.due_s, clock.edition) == (2 * HOUR, NOW_S + 2 * HOUR, 2)
    ticket = Ticket.objects.get(pk=moved.pk)
    assert (ticket.edition, ticket.due_s, ticket.version) == (2, NOW_S + 2 * HOUR, 3)
    assert Ticket.objects.get(pk=waits.pk).edition == 2
    armed = Timer.objects.filter(ticket=moved, state=TimerState.ARMED)
    assert {t.subject: t.at_s for t in armed}["fix/"] == NOW_S + HOUR  # half of two hours
    fire_due(NOW_S + HOUR)
    assert Event.objects.filter(ticket=moved, kind=TicketEvent.ESCALATED, facts__step="half-gone")
    assert reapply.re_apply(2, None, now_s, lambda *_: True)["tickets"] == 0


def test_calendar_help_adds_up(admin: Any) -> None:
    offices = entry(admin, "calendars", "offices", "force")
    body = {"calendar": offices, "start": "2026-11-27T16:30:00Z", "seconds": 4 * HOUR}
    found = ask(admin, "post", "/api/rulebook/calculate", body)
    assert found["at"] == "2026-11-30T10:30:00Z"
    assert found["local"] == "Mon 30 Nov 2026 10:30"
    assert sum(r["seconds"] for r in found["rows"] if r["kind"] == "counted") == 4 * HOUR
    days = ask(admin, "post", "/api/rulebook/year", {"calendar": offices, "year": 2026})
    by_date = {day["date"]: day for day in days}
    assert len(days) == 365
    assert by_date["2026-11-23"]["hours"] == [["08:00", "18:00"]]
    assert by_date["2026-12-25"]["is_exception"] and by_date["2026-12-25"]["seconds"] == 0
    wanted = {"country": "GB", "region": "SCT", "years": [2026]}
    names = ask(admin, "post", "/api/rulebook/holidays", wanted)
    assert {"date": "2026-11-30", "name": "Saint Andrew's Day"} in names
    ics = (
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:1\r\n"
        "DTSTART;VALUE=DATE:20260801\r\nDTEND;VALUE=DATE:20260803\r\nSUMMARY:Regatta\r\n"
        "END:VEVENT\r\nEND:VCALENDAR\r\n"
    )
    days_off = ask(admin, "post", "/api/rulebook/holidays", {"ics": ics})
    assert [day["date"] for day in days_off] == ["2026-08-01", "2026-08-02"]
    ask(admin, "post", "/api/rulebook/holidays", {"ics": "no calendar"}, 422)
    broken = {**offices, "zone": "Atlantis/Deep"}
    refused = ask(admin, "post", "/api/rulebook/year", {"calendar": broken, "year": 2026}, 422)
    assert "Atlantis" in refused["detail"]


def test_forms_messages_and_words_are_shown_before_they_count(
    admin: Any, log: Callable[..., Any]
) -> None:
    words = ask(admin, "get", "/api/rulebook/words")
    assert {"sailing", "cause"} <= {field["name"] for field in words["fields"]}
    form = entry(admin, "forms", "fault", "force")
    body = {"form": form, "answers": {"who": "me"}, "audience": "requester"}
    states = {s["field"]: s for s in ask(admin, "post", "/api/rulebook/preview-form", body)}
    assert not states["sailing"]["is_shown"] and not states["cause"]["is_shown"]
    body["answers"] = {"who": "ships"}
    states = {s["field"]: s for s in ask(admin, "post", "/api/rulebook/preview-form", body)}
    assert states["sailing"]["is_shown"] and not states["cause"]["is_shown"]
    ticket = log("Maeve", "Boarding gates")
    text = {"subject": "{title} {nonsense}", "body": "Hello {name}", "ticket": ticket.pk}
    shown = ask(admin, "post", "/api/rulebook/preview-message", text)
    assert (shown["unknown"], shown["subject"]) == (["nonsense"], "It is broken {nonsense}")


def test_a_field_is_there_at_once_in_forms_filters_and_on_the_ticket(
    admin: Any, api: Callable[[str], Any], log: Callable[..., Any]
) -> None:
    ticket = log("Maeve", "Boarding gates")
    desk = api("Signe")
    change = {"version": ticket.version, "values": {"cause": "Network"}}
    shown = ask(desk, "patch", f"/api/tickets/{ticket.pk}", change)
    cause = next(field for field in shown["fields"] if field["field"] == "cause")
    assert cause["value"] == "Network"
    tree = json.dumps({"field": "cause", "op": "is one of", "value": ["network"]})
    rows = desk.get("/api/tickets", {"filter": tree}).json()["rows"]
    assert [row["id"] for row in rows] == [ticket.pk]
    wrong = {"version": shown["version"], "values": {"cause": "Magic"}}
    assert "Magic" in ask(desk, "patch", f"/api/tickets/{ticket.pk}", wrong, 422)["detail"]


def test_the_form_decides_what_a_requester_must_say(api: Callable[[str], Any]) -> None:
    client = api("Piotr")
    till = next(
        s["id"]
        for s in ask(client, "get", "/api/choices")["services"]
        if s["name"] == "Ticket office tills"
    )
    given = {"title": "Till jams", "service": till, "values": {"drawer": "Gold", "cause": "x"}}
    refused = ask(client, "post", "/api/portal/report", given, 422)
    assert set(refused["fields"]) == {"drawer"}, "what only the desk is asked is dropped"
    given["values"] = {"drawer": "spare", "cause": "Hardware"}
    number = ask(client, "post", "/api/portal/report", given, 201)["id"]
    assert Ticket.objects.get(pk=number).values == {"drawer": "spare"}


@pytest.mark.parametrize(
    ("starts", "ends", "at", "until"),
    [
        ("22:00", "06:00", "2026-11-23T23:30:00Z", "2026-11-24T06:00:00Z"),
        ("22:00", "06:00", "2026-11-24T05:59:00Z", "2026-11-24T06:00:00Z"),
        ("22:00", "06:00", "2026-11-24T06:00:00Z", None),
        ("12:00", "13:00", "2026-11-24T12:00:00Z", "2026-11-24T13:00:00Z"),
        ("08:00", "08:00", "2026-11-24T08:00:00Z", None),
    ],
)
def test_quiet_hours_end_at_their_local_time(
    starts: str, ends: str, at: str, until: str | None
) -> None:
    from datetime import datetime
    from zoneinfo import ZoneInfo

    at_s = seconds_of(datetime.fromisoformat(at))
    found = quiet_until(starts, ends, ZoneInfo("Europe/London"), at_s)
    assert found == (None if until is None else seconds_of(datetime.fromisoformat(until)))
    assert next_local("07:30", ZoneInfo("Atlantic/Azores"), NOW_S) == seconds_of(
        datetime.fromisoformat("2026-11-24T08:30:00Z")
    )


def test_people_say_what_they_want_to_be_told(
    api: Callable[[str], Any],
    log: Callable[..., Any],
    by: Callable[..., Any],
    person: Callable[[str], Any],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    wishes = {"events": {"handed over": "in the digest", "priority changed": "never"}}
    ask(api("Bram"), "put", "/api/preferences", wishes)
    bram = person("Bram")
    ticket = log("Maeve", "Boarding gates")
    team = bram.memberships.get().team
    actions.hand_over(ticket.pk, by("Signe"), team=team, person=bram, comment="Needs hands.")
    actions.set_priority(ticket.pk, by("Signe"), 1, "a ship waits")
    (mail,) = Outgoing.objects.filter(person=bram)
    assert mail.in_digest and mail.send_at_s == NOW_S + (21 * 60 + 44) * 60  # 07:30 tomorrow

    class Server:
        sent: list[Any] = []

        def __init__(self, *_: Any, **__: Any) -> None: ...
        def __enter__(self) -> "Server":
            return self

        def __exit__(self, *_: object) -> None: ...
        def send_message(self, message: Any) -> None:
            self.sent.append(message)

    monkeypatch.setattr("smtplib.SMTP", Server)
    gather_digests(mail.send_at_s)
    send_due(mail.send_at_s)
    digest = [message for message in Server.sent if message["To"] == bram.email]
    assert len(digest) == 1 and "1 thing since your last digest" in digest[0]["Subject"]
    gather_digests(mail.send_at_s)
    send_due(mail.send_at_s)
    assert len([m for m in Server.sent if m["To"] == bram.email]) == 1


def test_a_rehearsal_whose_example_is_gone_is_a_problem_and_not_a_crash(admin: Any) -> None:
    Rehearsal.objects.create(
        name="Gone", given={"requester": "nobody@northmere.example"}, at=NOW,
        expected={"priority": "P1"}, made_at=NOW,
    )  # fmt: skip
    (found,) = ask(admin, "get", "/api/rulebook/rehearsals")
    assert not found["holds"] and found["problem"]


def test_a_planned_edition_waits_can_be_withdrawn_and_lets_nothing_pass_it(admin: Any) -> None:
    ask(admin, "post", "/api/rulebook/draft", {})
    before = entry(admin, "agreements", "offices")
    edit(admin, "agreements", "offices", before, {**before, "owner": "Somebody"})
    version = drafts.the_draft().version  # type: ignore[union-attr]
    body = {"comment": "x", "version": version, "starts_at": "2026-11-22T00:00:00Z"}
    assert "starts_at" in ask(admin, "post", "/api/rulebook/draft/publish", body, 422)["fields"]
    body["starts_at"] = "2026-12-01T00:00:00Z"
    assert ask(admin, "post", "/api/rulebook/draft/publish", body)["in_force"] == 1
    assert book.number_in_force(seconds_of(NOW) + 9 * 86_400) == 2
    ask(admin, "post", "/api/rulebook/draft", {})
    edit(admin, "agreements", "offices", before, {**before, "owner": "Another"})
    version = drafts.the_draft().version  # type: ignore[union-attr]
    publish = {"comment": "y", "version": version}
    assert "planned" in ask(admin, "post", "/api/rulebook/draft/publish", publish, 409)["detail"]
    ask(admin, "delete", "/api/rulebook/editions/1", None, 409)
    ask(admin, "delete", "/api/rulebook/editions/2")
    assert ask(admin, "post", "/api/rulebook/draft/publish", publish)["in_force"] == 2


def test_a_draft_is_compared_with_what_is_in_force_by_now(admin: Any) -> None:
    ask(admin, "post", "/api/rulebook/draft", {})
    last = Edition.objects.get(number=1)
    document = json.loads(json.dumps(last.document))
    critical = next(one for one in document["agreements"] if one["key"] == "sailing-critical")
    critical["owner"] = "Changed meanwhile"
    Edition.objects.create(
        number=2, document=document, published_at=NOW, starts_at_s=seconds_of(NOW)
    )
    review = ask(admin, "get", "/api/rulebook/draft/review")
    assert review["base"] == 2
    said = [sentence for one in review["differences"] for sentence in one["sentences"]]
    assert said == ["Sailing-critical: owner Changed meanwhile → Tomas Wray"]


def test_no_rule_tells_anybody_of_a_ticket_they_may_not_see(
    admin: Any, log: Callable[..., Any], person: Callable[[str], Any]
) -> None:
    tomas = person("Tomas")
    ask(admin, "post", "/api/rulebook/draft", {})
    rule = {
        "key": "tell", "name": "Tell", "when": ["created"], "if": {"all": []}, "is_on": True,
        "then": [{"do": "notify", "who": [tomas.email], "message": "late"}],
    }  # fmt: skip
    edit(admin, "rules", "tell", None, rule)
    version = drafts.the_draft().version  # type: ignore[union-attr]
    ask(admin, "post", "/api/rulebook/draft/publish", {"comment": "x", "version": version})
    open_one, hidden = log("Maeve", "Boarding gates"), log("Maeve", "Safe computing")
    told = Outgoing.objects.filter(subject__contains="overdue:")
    assert list(told.values_list("ticket", "person")) == [(open_one.pk, tomas.pk)]
    assert hidden.is_confidential


def test_a_hostile_file_is_refused_and_harms_nothing(admin: Any) -> None:
    deep = '{"rules": ' + "[" * 900 + "]" * 900 + "}"
    for text in (
        deep,
        "a: " + "[" * 900 + "]" * 900,
        "!!python/object/apply:os.getcwd []",
        "a: &a [*a]",
    ):
        refused = ask(admin, "post", "/api/rulebook/draft/import", {"text": text}, 422)
        assert "Nothing has been changed" in refused["detail"]
    assert not Draft.objects.exists()


def test_the_route_editor_hears_of_dead_ends_as_they_are_made(admin: Any, api: Any) -> None:
    route = dict(next(one for one in book.edition(1).document["routes"] if one["key"] == "remote"))
    seen = ask(admin, "post", "/api/rulebook/route-ends", {"route": route})
    assert seen["wrong"] == [] and seen["is_complete"]
    assert [end["stages"] for end in seen["ends"]] == [["Line manager", "Information Security"], []]
    assert seen["ends"][0]["example"] == "Also from other countries?: yes"
    broken = {**route, "stages": [{**route["stages"][0], "fallback": ""}]}
    seen = ask(admin, "post", "/api/rulebook/route-ends", {"route": broken})
    assert any("fallback" in words for words in seen["wrong"])
    assert any("nobody" in end["problem"] for end in seen["ends"])
    ask(api("Signe"), "post", "/api/rulebook/route-ends", {"route": route}, 403)


def test_an_offer_of_the_draft_is_seen_as_the_portal_would_show_it(api: Any, person: Any) -> None:
    admin = api("Anneke")
    here = "/api/rulebook/offers/bridge-tablet/look"
    asked = {"answers": {"ship_to": "Orrin Bay"}, "beneficiary": person("Ines").pk}
    seen = ask(admin, "post", here, asked)
    assert seen["is_offered"] and seen["decides"], "as it is in force, without a draft"
    why_unknown = ask(admin, "post", here, {"answers": {}, "beneficiary": person("Piotr").pk})
    assert why_unknown["is_offered"] is False, "he would not be offered it; the page still shows"
    ask(admin, "post", "/api/rulebook/draft", {})
    stored = entry(admin, "items", "bridge-tablet")
    cheaper = {**stored, "once_pence": 99_900}
    del cheaper["route"]
    edit(admin, "items", "bridge-tablet", stored, cheaper)
    changed = ask(admin, "post", here, asked)
    assert changed["once_pence"] == 99_900 and changed["decides"] == []
    in_force = api("Ines").post(
        "/api/catalogue/bridge-tablet/look", {"answers": {}}, "application/json"
    )
    assert in_force.json()["once_pence"] != 99_900, "nothing counts before it is published"
    ask(api("Signe"), "post", here, asked, 403)


def test_a_task_plan_is_drawn_while_it_is_edited(api: Any) -> None:
    tasks = [
        {"title": "order", "estimate_minutes": 30, "outputs": ["tag"]},
        {"title": "cable", "estimate_minutes": 10},
        {"title": "fit", "estimate_minutes": 20, "after": ["order"], "inputs": {"x": "{tag}"}},
    ]
    admin = api("Anneke")
    found = ask(admin, "post", "/api/rulebook/task-plan", {"tasks": tasks})
    assert found["length_minutes"] == 50 and found["wrong"] == []
    assert {row["title"] for row in found["rows"] if row["is_critical"]} == {"order", "fit"}
    tasks[2].pop("after")
    assert (
        "does not wait"
        in ask(admin, "post", "/api/rulebook/task-plan", {"tasks": tasks})["wrong"][0]
    )
    circle = [{"title": "a", "after": ["b"]}, {"title": "b", "after": ["a"]}]
    assert "a" in ask(admin, "post", "/api/rulebook/task-plan", {"tasks": circle})["wrong"][0]
    nonsense = [{"title": "a", "estimate_minutes": "soon"}]
    assert ask(admin, "post", "/api/rulebook/task-plan", {"tasks": nonsense})["wrong"]
