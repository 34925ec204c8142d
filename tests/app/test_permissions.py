"""Who may do what: every endpoint by role, allowed and refused, and what must not exist."""

from collections.abc import Callable
from typing import Any

import pytest
from django.urls import get_resolver

from gannet.audit.events import AuditEvent
from gannet.audit.models import Event
from gannet.people.models import Person
from gannet.people.roles import reads_desk, team_ids
from gannet.tickets import actions
from gannet.tickets.models import Ticket

pytestmark = pytest.mark.django_db

NOBODY, OTHER, OWNER, AGENT, MANAGER, ADMIN, SECURITY = (
    "nobody", "other", "owner", "agent", "manager", "admin", "security",
)  # fmt: skip
ROLES = (NOBODY, OTHER, OWNER, AGENT, MANAGER, ADMIN, SECURITY)
DESK_READS = {AGENT, MANAGER, ADMIN, SECURITY}
DESK_WORKS = {AGENT, SECURITY}
EVERYBODY = {OTHER, OWNER, *DESK_READS}

# method, path ({n}: an ordinary ticket of the owner), body, who gets through. Everyone else
# gets 401 when nobody, else 403 or 404. `{n}` acts of the desk are 403 for readers.
MATRIX: list[tuple[str, str, Any, set[str]]] = [
    ("get", "/api/session", None, {NOBODY, *EVERYBODY}),
    ("get", "/api/session/demo", None, {NOBODY, *EVERYBODY}),
    ("get", "/api/people?q=in", None, DESK_READS),
    ("get", "/api/teams", None, DESK_READS),
    ("get", "/api/lookout", None, DESK_WORKS),
    ("get", "/api/tickets", None, DESK_READS),
    ("post", "/api/tickets", {"requester": 1, "title": "x"}, DESK_WORKS),
    ("post", "/api/tickets/preview", {"title": "x"}, DESK_WORKS),
    ("get", "/api/tickets/figures", None, DESK_READS),
    ("get", "/api/fields", None, DESK_READS),
    ("get", "/api/find?q=gate", None, DESK_READS),
    ("get", "/api/calendars", None, DESK_READS),
    ("get", "/api/choices", None, EVERYBODY),
    ("get", "/api/items?q=gate", None, DESK_READS),
    ("get", "/api/tickets/{n}", None, DESK_READS),
    ("patch", "/api/tickets/{n}", {"version": 1, "place": "Saltgate"}, DESK_WORKS),
    ("get", "/api/tickets/{n}/why?of=priority", None, DESK_READS),
    ("post", "/api/tickets/{n}/presence", {}, DESK_READS),
    ("post", "/api/tickets/{n}/take", {}, DESK_WORKS),
    ("post", "/api/tickets/{n}/reply", {"text": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/note", {"text": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/wait", {"on": "requester", "reason": "x"}, {AGENT}),
    ("post", "/api/tickets/{n}/hand-over", {"team": 2, "comment": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/priority", {"priority": 1, "reason": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/resolve", {"what": "Done as asked."}, DESK_WORKS),
    ("post", "/api/tickets/{n}/cancel", {"why": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/announce", {"public_title": "x", "next_news": "2099-01-01T00:00:00Z"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/end-announcement", {}, DESK_WORKS),
    ("post", "/api/tickets/{n}/acts/note", {"text": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/follow", {}, DESK_READS),
    ("get", "/api/rotas", None, DESK_READS),
    ("get", "/api/tickets/{n}/pages", None, DESK_READS),
    ("post", "/api/tickets/{n}/page", {"why": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/unfollow", {}, DESK_READS),
    ("get", "/api/drafts/x", None, EVERYBODY),
    ("put", "/api/drafts/x", {"body": {"text": "x"}}, EVERYBODY),
    ("get", "/api/portal", None, EVERYBODY),
    ("get", "/api/portal/offers?text=gate", None, EVERYBODY),
    ("get", "/api/portal/articles", None, EVERYBODY),
    ("post", "/api/portal/report", {"title": "x"}, EVERYBODY),
    ("get", "/api/portal/tickets/{n}", None, {OWNER, *DESK_READS}),
    ("post", "/api/portal/tickets/{n}/write", {"text": "x"}, {OWNER}),
    ("post", "/api/portal/tickets/{n}/cancel", {"why": "x"}, {OWNER, *DESK_WORKS}),
    ("get", "/api/rulebook/computed/fields", None, {ADMIN}),
    ("post", "/api/rulebook/computed/try", {"expression": "minutes"}, {ADMIN}),
    ("get", "/api/mailroom", None, EVERYBODY),
    ("get", "/api/excerpts?ids=1&q=x", None, DESK_READS),
    ("get", "/api/reports/promises", None, DESK_READS),
    ("get", "/api/reports/behind?age=under a day", None, DESK_READS),
    ("post", "/api/forms", {"answers": {}}, EVERYBODY),
    ("put", "/api/starters", {"starters": []}, DESK_WORKS),
    ("get", "/api/working", None, DESK_READS),
    ("get", "/api/absences", None, DESK_READS),
    ("post", "/api/absences", {"starts_at": "2026-12-01T00:00:00Z", "ends_at": "2026-12-02T00:00:00Z"}, DESK_READS),
    ("get", "/api/tiers", None, DESK_READS),
    ("get", "/api/services", None, DESK_READS),
    ("get", "/api/estate/map", None, DESK_READS),
    ("get", "/api/estate/map/stops?node=service-1", None, DESK_READS),
    ("get", "/api/estate/map/hurt", None, DESK_READS),
    ("get", "/api/estate/items?words=gate", None, DESK_READS),
    ("get", "/api/estate/drift", None, DESK_READS),
    ("get", "/api/patterns", None, DESK_READS),
    ("post", "/api/patterns", {"key": "service-1/x", "count": 3, "why": "x"}, DESK_WORKS),
    ("get", "/api/estate/export?what=items", None, DESK_READS),
    ("patch", "/api/people/1/served", {"care_tiers": []}, {ADMIN}),
    ("get", "/api/preferences", None, EVERYBODY),
    ("put", "/api/preferences", {"events": {}}, EVERYBODY),
    ("get", "/api/tickets/groups?by=service", None, DESK_READS),
    ("get", "/api/tickets/touched?ids=1", None, DESK_READS),
    ("get", "/api/exports", None, DESK_READS),
    ("post", "/api/exports", {"as": "csv"}, DESK_READS),
    ("post", "/api/tickets/many/preview", {"ids": [1], "act": "take"}, DESK_WORKS),
    ("post", "/api/tickets/many", {"ids": [1], "act": "follow"}, DESK_WORKS),
    ("get", "/api/views", None, DESK_READS),
    ("post", "/api/views", {"name": "x", "body": {}}, DESK_READS),
    ("get", "/api/tickets/{n}/help", None, DESK_READS),
    ("post", "/api/tickets/{n}/mark", {"is_marked": True}, DESK_READS),
    ("post", "/api/tickets/{n}/reminders", {"at": "2099-01-01T00:00:00Z"}, DESK_READS),
    ("get", "/api/reminders", None, DESK_READS),
    ("post", "/api/reminders", {"at": "2099-01-01T00:00:00Z", "text": "x"}, DESK_READS),
    ("post", "/api/tickets/{n}/tasks", {"title": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/follow-ups", {"title": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/time", {"minutes": 5}, DESK_WORKS),
    ("post", "/api/tickets/{n}/time/start", {}, DESK_WORKS),
    ("post", "/api/tickets/{n}/outward", {"kind": "development"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/not-for-us", {"remembers": False}, DESK_WORKS),
    ("get", "/api/approvals", None, EVERYBODY),
    ("get", "/api/runbooks", None, DESK_WORKS),
    ("get", "/api/phrases", None, DESK_WORKS),
    ("post", "/api/phrases", {"name": "x", "for": "mine", "text": "x"}, DESK_WORKS),
    ("get", "/api/tickets/{n}/phrases", None, DESK_READS),
    ("get", "/api/routines", None, DESK_WORKS),
    ("post", "/api/routines", {"name": "x", "for": "mine", "acts": [{"act": "take"}]}, DESK_WORKS),
    ("get", "/api/hints", None, DESK_WORKS),
    ("get", "/api/survey-questions", None, DESK_READS),
    ("get", "/api/catalogue", None, EVERYBODY),
    ("get", "/api/requests/board", None, DESK_READS),
    ("get", "/api/colleagues?q=in", None, EVERYBODY),
    ("get", "/api/deputies", None, EVERYBODY),
    ("get", "/api/boards", None, EVERYBODY),
    ("get", "/api/announcements", None, DESK_READS),
    ("post", "/api/announcements", {"title": "x", "from_s": 1, "to_s": 9_000_000_000}, {ADMIN}),
    ("get", "/api/things?q=gate", None, EVERYBODY),
    ("get", "/api/articles", None, DESK_READS),
    ("post", "/api/articles", {"title": "x", "body": "x"}, DESK_WORKS),
    ("get", "/api/notifications", None, EVERYBODY),
    ("delete", "/api/notifications", None, EVERYBODY),
    ("get", "/api/alerts", None, DESK_WORKS),
    ("post", "/api/alerts", {"key": "x", "title": "x"}, DESK_WORKS),
    ("get", "/api/tokens", None, DESK_READS),
    ("post", "/api/tokens", {"name": "x", "scopes": ["read"]}, DESK_READS),
    ("get", "/api/imports", None, {ADMIN}),
    ("get", "/api/imports/kinds", None, {ADMIN}),
]  # fmt: skip
# Reached only after another act, or by a file: tried in their own tests below.
ELSEWHERE = {
    "api/exports/<number:number>", "api/exports/<number:number>/file", "api/schema", "api/session", "api/tickets/<number:number>/resume", "api/tickets/<number:number>/reopen",
    "api/tickets/<number:number>/undo", "api/tickets/<number:number>/acts/<slug:name>", "api/attachments", "api/attachments/<uuid:key>",
    "api/quarantine", "api/quarantine/dismiss", "api/quarantine/wait-again",
    "api/quarantine/<number:number>", "api/quarantine/<number:number>/let-in",
    "api/mailroom/<number:key>", "api/portal/tickets/<number:number>/reopen",
    # Rotas, and the answer to a page: tests/app/test_on_call.py.
    "api/rotas/<number:number>", "api/rotas/<number:number>/stand-ins",
    "api/rotas/<number:number>/stand-ins/<number:span>",
    "api/tickets/<number:number>/answer-page",
    # Major incidents and their rooms, by role: tests/app/room_rows.py.
    "api/majors", "api/majors/plans", "api/chat",
    "api/tickets/<number:number>/suggest-major", "api/tickets/<number:number>/declare-major",
    "api/tickets/<number:number>/stand-down", "api/tickets/<number:number>/declare-again",
    "api/tickets/<number:number>/end-review",
    # What was offered: tests/app/test_first_answers.py.
    "api/portal/tickets/<number:number>/was-it",
    "api/tickets/<number:number>/articles/<number:article>",
    "api/tickets/<number:number>/tasks/<number:task>", "api/absences/<number:number>",
    "api/working/<number:number>", "api/lookout/<number:team>", "api/teams/<number:team>/people",
    "api/tickets/<number:number>/links", "api/tickets/<number:number>/links/<number:link>",
    "api/tickets/<number:number>/merge", "api/tickets/<number:number>/escalate",
    "api/tickets/<number:number>/approvals", "api/approvals/<number:approval>",
    "api/tickets/<number:number>/time/stop", "api/tickets/<number:number>/time/<number:entry>",
    "api/tickets/<number:number>/outward/<number:outward>/end",
    "api/tickets/<number:number>/events/<number:event>/redact",
    "api/tickets/<number:number>/files/<uuid:key>/redact", "api/reminders/<number:reminder>",
    "api/tickets/many/<number:number>", "api/views/<number:number>", "api/views/<number:number>/pin",
    "api/views/<number:number>/first", "api/tickets/<number:number>/routines/<number:routine>",
    "api/phrases/<number:number>", "api/routines/<number:number>", "api/hints/<number:number>", "api/survey-questions/<number:number>",
    "api/articles/<number:number>", "api/articles/<number:number>/state", "api/articles/upkeep",
    "api/articles/folder",
    "api/tickets/<number:number>/articles/<number:article>/steps",
    "api/tickets/<number:number>/draft", "api/problems/<number:number>/article",
    "api/articles/audiences", "api/articles/<number:number>/pictures",
    "api/articles/<number:number>/pictures/<str:name>", "api/articles/<number:number>/preview",
    "api/articles/<number:number>/writers", "api/articles/<number:number>/following",
    "api/articles/rule-fits", "api/articles/about",
    "api/articles/<number:number>/removal", "api/articles/<number:number>/translations",
    "api/articles/pdf", "api/articles/<number:number>/pdf",
    "api/articles/same-words", "api/articles/same-words/<number:number>",
    "api/articles/<number:number>/life", "api/articles/<number:number>/versions/<number:version>",
    "api/articles/<number:number>/reviewed", "api/articles/<number:number>/owner",
    "api/articles/<number:number>/vote", "api/articles/<number:number>/notes/<number:note>",
    "api/notifications/<number:number>", "api/how", "api/tokens/<number:number>",
    "api/imports/<number:number>", "api/announcements/<number:number>",
    # Requests and approvals: tests/app/test_requests.py.
    "api/catalogue/ask", "api/catalogue/<slug:key>/look", "api/decide",
    # Administrators only, as the rest of the rulebook: tests/app/test_rulebook.py.
    "api/rulebook/route-ends", "api/rulebook/task-plan", "api/rulebook/offers/<slug:key>/look",
    "api/approvals/<number:approval>/ask-back", "api/approvals/<number:approval>/pass-on",
    "api/portal/tickets/<number:number>/answers", "api/portal/tickets/<number:number>/share",
    "api/portal/outages/<number:number>/hit",
    "api/deputies/<number:number>",
    # Changes: tests/app/test_permission_matrix.py and test_changes.py.
    "api/changes", "api/changes/open", "api/changes/schedule", "api/changes/windows",
    "api/changes/<number:number>",
    "api/changes/<number:number>/weigh", "api/changes/<number:number>/slots", "api/changes/weigh",
    "api/changes/cab", "api/changes/cab/decide", "api/changes/cab/invite",
    "api/reports", "api/reports/<number:number>", "api/reports/table", "api/reports/records",
    "api/dashboards", "api/dashboards/<number:number>", "api/dashboards/<number:number>/links",
    "api/dashboards/<number:number>/links/<number:link>", "api/wall", "api/reports/<number:number>/frozen",
    "api/reports/frozen/<number:number>", "api/outlook", "api/outlook/came-true",
    "api/reports/file", "api/reports/<number:number>/deliveries",
    "api/reports/deliveries/<number:number>", "api/changes/cab/minutes", "api/changes/views", "api/changes/views/<number:number>",
    "api/changes/views/<number:number>/feed", "api/changes/windows/calendar",
    "api/changes/<number:number>/announce", "api/changes/<number:number>/carries",
    "api/changes/<number:number>/carries/<number:change>", "api/changes/<number:number>/phases",
    "api/changes/<number:number>/links",
    *(
        f"api/tickets/<number:number>/{act}"
        for act in (
            "submit-change", "assess-change", "move-change-on", "send-change-back", "start-change",
            "implement-change", "back-change-out", "look-back", "refer-change", "stop-change",
            "open-phase",
        )
    ),
    # Problems: tests/app/test_permission_matrix.py and test_problems.py.
    "api/problems", "api/problems/open", "api/problems/<number:number>/incidents",
    "api/problems/<number:number>/causes", "api/problems/<number:number>/causes/<slug:key>",
    "api/problems/<number:number>/preview", "api/problems/<number:number>/workaround",
    "api/problems/<number:number>/used", "api/problems/<number:number>/figures",
    "api/problems/<number:number>/fix", "api/problems/<number:number>/live-with",
    "api/known-errors", "api/portal/known-errors",
    "api/portal/known-errors/<number:number>/helped",
    # The estate: tests/app/test_permission_matrix.py and test_estate.py.
    "api/estate/items/new", "api/estate/items/many", "api/services/new", "api/services/<number:number>", "api/estate/items/<number:number>",
    "api/estate/items/<number:number>/then", "api/estate/items/<number:number>/drift",
    "api/estate/drift/unrecorded/<number:number>", "api/estate/dependencies",
}  # fmt: skip


@pytest.fixture
def people(person: Callable[[str], Any]) -> dict[str, Person | None]:
    security = Person.objects.filter(memberships__team__key="security").order_by("pk")[0]
    return {
        NOBODY: None, OTHER: person("Piotr"), OWNER: person("Maeve"), AGENT: person("Signe"),
        MANAGER: person("Tomas"), ADMIN: person("Anneke"), SECURITY: security,
    }  # fmt: skip


def call(client: Any, who: Person | None, method: str, path: str, body: Any = None) -> Any:
    if who is None:
        client.logout()
    else:
        client.force_login(who, backend="gannet.people.signing.SignedInPeople")
    if method == "get":
        return client.get(path)
    return getattr(client, method)(path, body, content_type="application/json")


@pytest.mark.parametrize(
    ("method", "path", "body", "allowed"), MATRIX, ids=[f"{m[0]} {m[1]}" for m in MATRIX]
)
def test_every_endpoint_by_role(
    client: Any, people: dict[str, Any], log: Callable[..., Any],
    method: str, path: str, body: Any, allowed: set[str],
) -> None:  # fmt: skip
    for role in ROLES:
        ticket = log("Maeve", "Boarding gates")
        before = Event.objects.exclude(kind=AuditEvent.DENIED).count()
        got = call(client, people[role], method, path.replace("{n}", str(ticket.pk)), body)
        if role in allowed:
            assert got.status_code in (200, 201, 204), (role, got.content)
            continue
        assert got.status_code == (401 if role == NOBODY else got.status_code)
        assert got.status_code in (401, 403, 404), (role, got.content)
        assert got["Content-Type"] == "application/problem+json" and got.json()["detail"]
        assert Event.objects.exclude(kind=AuditEvent.DENIED).count() == before, (
            "a refusal writes nothing"
        )
        if got.status_code == 403:
            assert Event.objects.filter(kind=AuditEvent.DENIED, actor=people[role]).exists()


@pytest.mark.parametrize(
    ("method", "path", "body", "allowed"),
    [row for row in MATRIX if "{n}" in row[1]],
    ids=[f"{m[0]} {m[1]}" for m in MATRIX if "{n}" in m[1]],
)
def test_a_confidential_ticket_does_not_exist_for_strangers(
    client: Any, people: dict[str, Any], log: Callable[..., Any],
    method: str, path: str, body: Any, allowed: set[str],
) -> None:  # fmt: skip
    ticket = log("Maeve", "Safe computing")
    assert ticket.is_confidential
    Ticket.objects.filter(pk=ticket.pk).update(holder=None)
    for role in (OTHER, AGENT, MANAGER, ADMIN):
        got = call(client, people[role], method, path.replace("{n}", str(ticket.pk)), body)
        is_desk_path = allowed <= DESK_READS and role == OTHER
        assert got.status_code == (403 if is_desk_path else 404), (role, got.content)
    if SECURITY in allowed and not path.endswith(("announce", "cancel")):
        got = call(client, people[SECURITY], method, path.replace("{n}", str(ticket.pk)), body)
        assert got.status_code in (200, 201), got.content


def test_lists_and_reports_leave_confidential_tickets_out(
    client: Any, people: dict[str, Any], log: Callable[..., Any]
) -> None:
    hidden, shown = (
        log("Maeve", "Safe computing", title="secret leak"),
        log("Maeve", "Boarding gates"),
    )
    for path in ("/api/tickets", "/api/reports/behind?age=under a day", "/api/find?q=secret leak"):
        got = call(client, people[AGENT], "get", path).json()
        ids = {row["id"] for row in got.get("rows", got.get("tickets"))}
        assert hidden.pk not in ids
        assert "find" in path or shown.pk in ids
    found = call(client, people[AGENT], "get", "/api/people?q=maeve").json()[0]
    assert hidden.pk not in {row["id"] for row in found["open_tickets"]}
    theirs = call(client, people[SECURITY], "get", "/api/tickets").json()["rows"]
    assert hidden.pk in {row["id"] for row in theirs}


def test_the_matrix_names_every_address() -> None:
    patterns = {
        str(p.pattern) for p in get_resolver().url_patterns if str(p.pattern).startswith("api/")
    }
    tried = {
        path.split("?")[0][1:]
        .replace("{n}", "<number:number>")
        .replace("drafts/x", "drafts/<str:place>")
        .replace("people/1/", "people/<number:number>/")
        for _, path, _, _ in MATRIX
    }
    of_the_rulebook = {path for path in patterns if path.startswith("api/rulebook")}
    of_rooms = {path for path in patterns if path.startswith("api/rooms/")}
    assert patterns - tried - ELSEWHERE - of_the_rulebook - of_rooms == set()


def test_the_rulebook_is_for_administrators_only(client: Any, people: dict[str, Any]) -> None:
    paths = [
        str(pattern.pattern)
        .replace("<number:number>", "1")
        .replace("<str:which>", "force")
        .replace("<slug:key>", "laptop")
        for pattern in get_resolver().url_patterns
        if str(pattern.pattern).startswith("api/rulebook")
    ]
    assert len(paths) > 20
    for path in paths:
        for method in ("get", "post", "put", "delete"):
            for role in (NOBODY, OTHER, AGENT, MANAGER):
                got = call(client, people[role], method, f"/{path}", {})
                assert got.status_code == (401 if role == NOBODY else 403), (method, path, role)


def test_the_requester_reads_public_words_only(
    client: Any,
    people: dict[str, Any],
    log: Callable[..., Any],
    by: Callable[[str | None], Any],
    person: Callable[[str], Any],
) -> None:
    from gannet.people.models import Team

    ticket = log("Maeve", "Boarding gates")
    actions.note(ticket.pk, by("Signe"), "she drops it every week")
    actions.set_priority(ticket.pk, by("Signe"), 1, "internal reason")
    actions.hand_over(
        ticket.pk,
        by("Signe"),
        team=Team.objects.get(key="quayside"),
        person=person("Bram"),
        comment="difficult caller",
    )
    actions.reply(ticket.pk, by("Bram"), "On my way.")
    text = call(client, people[OWNER], "get", f"/api/portal/tickets/{ticket.pk}").content.decode()
    assert "On my way." in text and "Quayside" in text
    for hidden in ("every week", "internal reason", "difficult caller"):
        assert hidden not in text


def test_files_go_to_those_who_may_read_their_message_and_only_as_downloads(
    client: Any, people: dict[str, Any], log: Callable[..., Any]
) -> None:
    from django.core.files.uploadedfile import SimpleUploadedFile

    ticket = log("Maeve", "Boarding gates")
    call(client, people[AGENT], "get", "/api/session")
    png = bytes.fromhex(
        "89504e470d0a1a0a0000000d4948445200000001000000010802000000907753de0000000c49444154789c63606060000000040001f61738550000000049454e44ae426082"
    )
    made = client.post("/api/attachments", {"file": SimpleUploadedFile("a.html", png, "text/html")})
    assert made.status_code == 201 and made.json()["content_type"] == "image/png"
    key = made.json()["id"]
    assert call(client, people[OWNER], "get", f"/api/attachments/{key}").status_code == 404
    note = {"text": "see", "attachments": [key]}
    assert (
        call(client, people[AGENT], "post", f"/api/tickets/{ticket.pk}/note", note).status_code
        == 200
    )
    got = call(client, people[MANAGER], "get", f"/api/attachments/{key}")
    assert got.status_code == 200 and got["Content-Disposition"].startswith("attachment")
    assert call(client, people[OWNER], "get", f"/api/attachments/{key}").status_code == 404, (
        "a note's file"
    )
    call(client, people[AGENT], "get", "/api/session")
    for name, content in (
        ("x.png", b"<html>"),
        ("x.svg", b"<svg onload=1>"),
        ("x.exe", b"MZ"),
        ("e.txt", b""),
    ):
        bad = client.post("/api/attachments", {"file": SimpleUploadedFile(name, content)})
        assert bad.status_code == 422, name
    large = client.post(
        "/api/attachments", {"file": SimpleUploadedFile("l.txt", b"x" * (10 * 1024 * 1024 + 1))}
    )
    assert large.status_code == 413


def test_answers_of_the_stream_follow_the_same_rules(
    people: dict[str, Any], log: Callable[..., Any]
) -> None:
    from gannet.live.stream import Watcher, _read_news
    from gannet.tickets import policies

    def watcher(role: str) -> Watcher:
        who = people[role]
        teams = frozenset(team_ids(who)) if who.is_on_desk else frozenset()
        return Watcher(who.pk, reads_desk(who), teams)

    hidden, shown = log("Maeve", "Safe computing"), log("Maeve", "Boarding gates")
    for role in (OTHER, OWNER, AGENT, MANAGER, SECURITY):
        seen = {news.ticket_id for news in _read_news(0, None) if watcher(role).may_see(news)}
        visible = set(
            policies.visible_to(people[role])
            .filter(pk__in=[hidden.pk, shown.pk])
            .values_list("pk", flat=True)
        )
        assert seen & {hidden.pk, shown.pk} == visible, role
