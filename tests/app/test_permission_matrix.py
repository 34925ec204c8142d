"""Who may do what with what: every address that needs something to be there first.

Together with test_permissions.py each operation of the API's description is tried by each
role; `test_every_operation_is_tried` holds that.
"""

import json
import re
from collections.abc import Callable
from datetime import timedelta
from functools import cached_property
from typing import Any
from urllib.parse import quote

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction

from gannet.audit.events import AuditEvent
from gannet.audit.models import Event
from gannet.changes import feeds, meetings, planning, releases, stages
from gannet.changes.models import ChangeFacts
from gannet.estate import nodes
from gannet.estate.models import ConfigItem, Dependency, Unrecorded
from gannet.jobs.models import Job, JobKind, JobState
from gannet.knowledge.models import Article, ArticleVote, SameWords
from gannet.messages.models import Incoming, Notification, StandInMessage
from gannet.people import mail_keys, tokens
from gannet.people.events import PersonEvent
from gannet.people.models import Absence, Deputy, Membership, Team
from gannet.portal.announcements import Announcement
from gannet.problems import causes, linking, workaround, worth
from gannet.reports import dashboards, delivering, freezing, keeping, sharing
from gannet.reports.models import Dashboard, KeptReport
from gannet.rulebook.book import current
from gannet.rulebook.models import Edition, Rehearsal
from gannet.tickets import actions, exports
from gannet.tickets.actions import own
from gannet.tickets.actions.approvals import ask_approval
from gannet.tickets.events import TicketEvent
from gannet.tickets.files import keep_upload
from gannet.tickets.models import ExternalWork, Hint, Link, Phrase, Routine, Ticket, View
from gannet.tickets.states import state_code
from gannet.web import network
from gannet_core.instants import seconds_of
from tests.app.conftest import LAPTOP
from tests.app.published import description
from tests.app.room_rows import ROOM_ROWS, RoomWorld
from tests.app.test_permissions import (
    ADMIN,
    AGENT,
    DESK_READS,
    DESK_WORKS,
    EVERYBODY,
    MANAGER,
    MATRIX,
    NOBODY,
    OTHER,
    OWNER,
    ROLES,
    SECURITY,
    call,
)  # fmt: skip
from tests.conftest import NOW

pytestmark = pytest.mark.django_db
S = seconds_of(NOW)
ANYBODY = {NOBODY, *EVERYBODY}
ONLY_ADMIN, ONLY_AGENT, ONLY_OTHER, ONLY_OWNER = {ADMIN}, {AGENT}, {OTHER}, {OWNER}
NONE: set[str] = set()
REPORT = {"event": "opened", "rows": [], "measures": []}
ASKED = quote(json.dumps(REPORT))
DELIVERY = {
    "rhythm": {"every": "day", "at": "07:00", "zone": "Europe/London"},
    "to": ["x@northmere.example"],
    "kinds": ["csv"],
}


class World(RoomWorld):
    """What there is to act on, made when it is first asked for. The agent's things are Signe's."""

    def __init__(self, person: Any, by: Any, log: Any, want: Any) -> None:
        self.person, self.by, self.log, self.want = person, by, log, want

    def __getitem__(self, name: str) -> Any:
        return getattr(self, name)

    @cached_property
    def ticket(self) -> Ticket:
        return self.log("Maeve", "Boarding gates")

    @cached_property
    def n(self) -> int:
        return self.ticket.pk

    @cached_property
    def other(self) -> int:
        return self.log("Maeve", "Berth planner").pk

    @cached_property
    def waiting(self) -> int:
        number = self.log("Maeve", "Boarding gates").pk
        actions.wait(number, self.by("Signe"), on=actions.waiting.Waiting.REQUESTER, reason="x")
        return number

    @cached_property
    def resolved(self) -> int:
        number = self.log("Maeve", "Boarding gates").pk
        actions.resolve(number, self.by("Signe"), "It is done.")
        return number

    @cached_property
    def quarantined(self) -> int:
        row = StandInMessage.objects.create(
            received_at=NOW, raw=b"From: a@b.example\nSubject: x\n\ny\n", for_desk=1, is_read=1
        )
        return Incoming.objects.create(
            message_id="<q@b.example>", stand_in_id=row.pk, from_address="a@b.example",
            outcome="unknown", read_at=NOW,
        ).pk  # fmt: skip

    @cached_property
    def drifted(self) -> int:
        item = ConfigItem.objects.get(name="Core switch A")
        item.seen = {**item.attributes, "ports": 48}
        item.save()
        return item.pk

    @cached_property
    def unrecorded(self) -> int:
        return Unrecorded.objects.create(key="x", name="x", first_s=S, seen_s=S).pk

    @cached_property
    def ends(self) -> str:
        source, target = nodes.ends_of(Dependency.objects.order_by("pk")[0])
        return f"source={source}&target={target}"

    @cached_property
    def problem(self) -> int:
        """A known error that everybody is offered, with one incident."""
        new = linking.NewProblem(title="x", incidents=[self.n])
        number = linking.open_problem(new, self.by("Signe")).pk
        causes.add_cause(number, self.by("Signe"), "x")
        worth.cost_fix(number, self.by("Signe"), "x", 1)
        said = workaround.Telling(
            workaround="x", words="{workaround}", is_for_portal=True, no_cause_why="x", decided={}
        )
        workaround.tell(number, self.by("Signe"), said)
        return number

    def _change(self, template: str = "") -> int:
        """A change of Signe's that lacks nothing, far ahead."""
        starts = S + 60 * 86_400
        new = planning.NewChange(
            title="x",
            why="x",
            template=template,
            starts_s=starts,
            ends_s=starts + 36_000,
            items=[ConfigItem.objects.get(name="Sign player")],
        )
        by = self.by("Signe")
        number = planning.open_change(new, by).pk
        if not template:
            steps = [{"part": part, "says": "x"} for part in ("implement", "back out")]
            planning.edit(number, by, {"steps": steps})
        return number

    @cached_property
    def change(self) -> int:
        return self._change()

    @cached_property
    def cab(self) -> int:
        """The next meeting of the CAB."""
        return meetings.next_at(current(), S)

    @cached_property
    def release(self) -> int:
        starts = S + 60 * 86_400
        new = planning.NewChange(
            title="x", is_release=True, starts_s=starts, ends_s=starts + 36_000
        )
        number = planning.open_change(new, self.by("Signe")).pk
        releases.join(number, self.by("Signe"), self.part)
        return number

    @cached_property
    def announced_change(self) -> int:
        number = self._change()
        ChangeFacts.objects.filter(ticket=number).update(announced=self.announcement)
        return number

    @cached_property
    def begun_release(self) -> int:
        under_way = state_code("under way")
        for number in (self.release, self.part):
            Ticket.objects.filter(pk=number).update(state=under_way)
        return self.release

    @cached_property
    def part(self) -> int:
        return self._change()

    @cached_property
    def report(self) -> int:
        person = self.by("Signe").person
        return keeping.keep(person, NOW, name="x", about="", definition=REPORT, is_shared=True).pk

    @cached_property
    def dashboard(self) -> int:
        person = self.by("Signe").person
        return dashboards.keep(person, NOW, name="x", rows=[], is_shared=True).pk

    @cached_property
    def delivery(self) -> int:
        said = {**DELIVERY, "note": "", "is_on": True}
        return delivering.add(self.by("Signe").person, self.report, NOW, said).pk

    @cached_property
    def schedule_view(self) -> int:
        """A view of the schedule that somebody of the desk shares."""
        return feeds.keep(
            self.by("Signe").person, name="x", span="week", lanes="team", words="", is_shared=True
        ).pk

    @cached_property
    def submitted(self) -> int:
        number = self._change()
        stages.submit(number, self.by("Signe"))
        return number

    @cached_property
    def to_review(self) -> int:
        """A submitted change of a type that adds a stage to its assessment."""
        number = self._change()
        planning.edit(number, self.by("Signe"), {"type": "cutover"})
        stages.submit(number, self.by("Signe"))
        return number

    @cached_property
    def planned(self) -> int:
        number = self._change("sign-player")
        stages.submit(number, self.by("Signe"))
        return number

    @cached_property
    def begun(self) -> int:
        number = self._change("sign-player")
        stages.submit(number, self.by("Signe"))
        stages.start(number, self.by("Signe"))
        return number

    @cached_property
    def cause(self) -> str:
        return "c1"

    @cached_property
    def announced(self) -> int:
        actions.announce(
            self.n, self.by("Signe"), public_title="x", next_news=NOW + timedelta(hours=1)
        )
        return self.n

    @cached_property
    def task(self) -> int:
        actions.add_task(self.n, self.by("Signe"), {"title": "x"})
        return self.ticket.tasks.get().pk

    @cached_property
    def link(self) -> int:
        actions.link(self.n, self.by("Signe"), "related to", self.other)
        return Link.objects.get().pk

    @cached_property
    def entry(self) -> int:
        actions.log_time(self.n, self.by("Signe"), 5, "x")
        return self.ticket.time_entries.get().pk

    @cached_property
    def remote(self) -> int:
        actions.pass_out(self.n, self.by("Signe"), "remote help", {}, "")
        return ExternalWork.objects.get().pk

    @cached_property
    def upload(self) -> Any:
        return keep_upload(SimpleUploadedFile("a.txt", b"words"), self.person("Signe"), NOW)

    @cached_property
    def event(self) -> int:
        actions.note(self.n, self.by("Signe"), "a password", [self.upload.pk])
        return Event.objects.get(ticket=self.n, kind=TicketEvent.NOTED).pk

    @cached_property
    def file(self) -> Any:
        assert self.event
        return self.upload.pk

    @cached_property
    def request(self) -> int:
        return self.want("Piotr", "laptop", LAPTOP).pk

    @cached_property
    def approval(self) -> int:
        """Asked by hand of the manager of the matrix."""
        ask_approval(self.n, self.by("Signe"), of=self.person("Tomas"), what="x")
        return self.ticket.approvals.get().pk

    @cached_property
    def staged(self) -> int:
        """Asked by a stage, and passed to the manager of the matrix."""
        asked = Ticket.objects.get(pk=self.request).approvals.get()
        actions.approvals.pass_on(
            actions.Acting(person=asked.asked_of, now=NOW), asked.pk, to=self.person("Tomas")
        )
        return Ticket.objects.get(pk=self.request).approvals.get(state="pending").pk

    @cached_property
    def article(self) -> int:
        signe = self.person("Signe")
        return Article.objects.create(
            pk=9_001, title="x", body="y", author=signe, made_s=S, changed_s=S
        ).pk

    first_version = 1

    @cached_property
    def signe(self) -> int:
        return int(self.person("Signe").pk)

    @cached_property
    def published_article(self) -> int:
        signe = self.person("Signe")
        return Article.objects.create(
            pk=9_002, title="x", body="y", author=signe, owner=signe, made_s=S, changed_s=S,
            state="published",
        ).pk  # fmt: skip

    @cached_property
    def disputed_article(self) -> int:
        return self.published_article

    @cached_property
    def article_note(self) -> int:
        return ArticleVote.objects.create(
            article_id=self.published_article, person=self.person("Maeve"), version=1,
            helped=False, why="It is red.", at_s=S,
        ).pk  # fmt: skip

    @cached_property
    def same_words(self) -> int:
        return SameWords.objects.create(words=["till", "register"], by=self.person("Anneke")).pk

    @cached_property
    def announcement(self) -> int:
        return Announcement.objects.create(
            title="x", from_s=1, to_s=9, author=self.person("Anneke")
        ).pk

    @cached_property
    def hint(self) -> int:
        return Hint.objects.create(text="x", kept_by=self.person("Anneke"), kept_at=NOW).pk

    @cached_property
    def phrase(self) -> int:
        return Phrase.objects.create(name="x", text="y", owner=self.person("Signe")).pk

    @cached_property
    def routine(self) -> int:
        acts = [{"act": "take", "params": {}}]
        return Routine.objects.create(name="x", acts=acts, owner=self.person("Signe")).pk

    @cached_property
    def reminder(self) -> int:
        at = NOW + timedelta(hours=1)
        return own.remind(self.person("Signe"), NOW, at=at, text="x", ticket_id=None).pk

    @cached_property
    def view(self) -> int:
        return View.objects.create(name="x", body={}, owner=self.person("Signe"), kept_at=NOW).pk

    @cached_property
    def token(self) -> int:
        return tokens.make_token(self.person("Signe"), NOW, name="x", scopes=["read"], days=3)[0].pk

    @cached_property
    def notification(self) -> int:
        return Notification.objects.create(
            person=self.person("Signe"), event_name="x", about="x:1", title="x", made_s=S
        ).pk

    @cached_property
    def deputy(self) -> int:
        return Deputy.objects.create(
            person=self.person("Piotr"), deputy=self.person("Maeve"), from_s=S, to_s=S + 9_000
        ).pk

    @cached_property
    def absence(self) -> int:
        ends = NOW + timedelta(days=1)
        return Absence.objects.create(person=self.person("Signe"), starts_at=NOW, ends_at=ends).pk

    @cached_property
    def membership(self) -> int:
        return Membership.objects.get(person=self.person("Signe"), team__name="Harbour Desk").pk

    @cached_property
    def team(self) -> int:
        return Team.objects.get(name="Harbour Desk").pk

    @cached_property
    def service(self) -> int:
        return self.ticket.service.pk

    @cached_property
    def export(self) -> int:
        params = {"as": "csv", "filter": None, "sort": "", "columns": ""}
        made = exports.make(self.person("Signe"), params, NOW)
        return self._job(JobKind.EXPORT, "Signe", params, made)

    @cached_property
    def tried_import(self) -> int:
        params = {"what": "people", "name": "x", "rows": [], "checked": [], "is_dry": True}
        return self._job(JobKind.IMPORT, "Anneke", params, None, JobState.STOPPED)

    @cached_property
    def done_import(self) -> int:
        params = {"what": "people", "name": "x", "rows": [], "checked": [], "is_dry": False}
        made = {"made": [{"line": 2, "id": 1, "is_new": False, "before": {}}], "failed": []}
        return self._job(JobKind.IMPORT, "Anneke", params, made)

    @cached_property
    def many(self) -> int:
        params = {"ids": [self.n], "act": "note", "params": {}}
        return self._job(JobKind.MANY, "Signe", params, {"done": [self.n], "refused": []})

    @cached_property
    def replay(self) -> int:
        return self._job(JobKind.REPLAY, "Anneke", {"days": 9}, {})

    def _job(
        self, kind: Any, who: str, params: Any, result: Any, state: Any = JobState.DONE
    ) -> int:
        return Job.objects.create(
            kind=kind, person=self.person(who), params=params, result=result, state=state,
            made_at=NOW, finished_at=NOW,
        ).pk  # fmt: skip

    @cached_property
    def rehearsal(self) -> int:
        return Rehearsal.objects.create(name="x", given={}, at=NOW, expected={}, made_at=NOW).pk

    @cached_property
    def edition(self) -> int:
        return Edition.objects.get().number

    @cached_property
    def mail(self) -> int:

        return StandInMessage.objects.create(received_at=NOW, raw=b"Subject: x\n\ny").pk

    @cached_property
    def decide_key(self) -> str:
        return mail_keys.make(self.person("Tomas"), mail_keys.DECIDE, self.approval, S)

    @cached_property
    def frozen(self) -> int:
        report = KeptReport.objects.select_related("owner").get(pk=self.report)
        return freezing.freeze(report.owner, report.pk, NOW).pk

    @cached_property
    def shared_link(self) -> Any:
        row = Dashboard.objects.select_related("owner").get(pk=self.dashboard)
        return sharing.open_link(row.owner, NOW, row.pk, days=7, note="")

    @cached_property
    def wall_link(self) -> int:
        return int(self.shared_link[0].pk)

    @cached_property
    def wall_key(self) -> str:
        return str(self.shared_link[1])

    @cached_property
    def survey_key(self) -> str:
        actions.close(self.resolved, self.by(None))
        survey = Ticket.objects.get(pk=self.resolved).survey
        return mail_keys.make(self.person("Maeve"), mail_keys.SURVEY, survey.pk, S)


FILE = object()  # stands for an upload in a body
# method, path, body, who gets through, {header: what of the world}. Who does not gets 401 when
# nobody, else 403 or 404, and nothing is written.
Row = tuple[str, str, Any, set[str]]
ROWS: list[Row] = [
    ("delete", "/api/absences/{absence}", None, {AGENT, ADMIN}),
    ("put", "/api/announcements/{announcement}", {"title": "y", "from_s": 1, "to_s": 9_000_000_000}, ONLY_ADMIN),
    ("delete", "/api/announcements/{announcement}", None, ONLY_ADMIN),
    ("post", "/api/approvals/{approval}", {"approves": True, "reason": "x"}, {MANAGER}),
    ("delete", "/api/approvals/{approval}", None, DESK_WORKS),
    ("post", "/api/approvals/{staged}/ask-back", {"question": "why?"}, {MANAGER}),
    ("post", "/api/approvals/{staged}/pass-on", {"to": "{person:Rosalind}", "reason": "x"}, {MANAGER}),
    ("get", "/api/articles/{article}", None, {AGENT, ADMIN, SECURITY}),
    ("put", "/api/articles/{article}", {"title": "x", "body": "z"}, ONLY_AGENT),
    ("put", "/api/articles/{article}/state", {"state": "published"}, {ADMIN}),
    ("get", "/api/articles/{article}/life", None, {AGENT, ADMIN, SECURITY}),
    ("post", "/api/articles/{article}/versions/{first_version}", None, ONLY_AGENT),
    ("post", "/api/articles/{published_article}/reviewed", None, ONLY_AGENT),
    ("put", "/api/articles/{article}/owner", {"person": "{signe}"}, ONLY_AGENT),
    ("put", "/api/articles/{published_article}/vote", {"helped": False, "why": "x"}, {OTHER, OWNER, MANAGER, ADMIN, SECURITY}),
    ("put", "/api/articles/{disputed_article}/notes/{article_note}", {"text": "x"}, ONLY_AGENT),
    ("get", "/api/articles/upkeep", None, DESK_READS),
    ("get", "/api/articles/audiences", None, DESK_READS),
    ("get", "/api/articles/{article}/pictures", None, {AGENT, ADMIN, SECURITY}),
    ("post", "/api/articles/{article}/preview", {"body": "x"}, {AGENT, ADMIN, SECURITY}),
    ("post", "/api/articles/{article}/writers", None, ONLY_AGENT),
    ("delete", "/api/articles/{article}/writers", None, {AGENT, SECURITY}),
    ("get", "/api/articles/about?what=item&number=1", None, DESK_READS),
    ("post", "/api/articles/rule-fits", {"if": {"all": []}}, ONLY_ADMIN),
    ("post", "/api/articles/{article}/removal", {"words": "unlikely words", "trial": True}, ONLY_AGENT),
    ("post", "/api/articles/{article}/translations", {"language": "nl"}, {AGENT, SECURITY}),
    ("put", "/api/articles/{published_article}/following", {"is_followed": True}, EVERYBODY),
    ("get", "/api/articles/folder", None, DESK_READS),
    ("post", "/api/articles/folder", FILE, NONE),
    ("get", "/api/articles/same-words", None, DESK_READS),
    ("post", "/api/articles/same-words", {"words": ["till", "register"]}, ONLY_ADMIN),
    ("delete", "/api/articles/same-words/{same_words}", None, ONLY_ADMIN),
    ("post", "/api/attachments", FILE, EVERYBODY),
    ("get", "/api/attachments/{file}", None, DESK_READS),
    ("post", "/api/catalogue/ask", {"lines": [{"key": "headset", "answers": {"ship_to": "Orrin Bay"}}]}, EVERYBODY),
    ("post", "/api/catalogue/headset/look", {}, EVERYBODY),
    ("get", "/api/decide", "{decide_key}", ANYBODY),
    ("post", "/api/decide", {"approves": True, "key": "{decide_key}"}, ANYBODY),
    ("get", "/api/how", "{survey_key}", ANYBODY),
    ("post", "/api/how", {"score": 5, "key": "{survey_key}"}, ANYBODY),
    ("post", "/api/deputies", {"deputy": "{person:Lena}", "from_s": S, "to_s": S + 90_000}, EVERYBODY),
    ("delete", "/api/deputies/{deputy}", None, ONLY_OTHER),
    ("get", "/api/exports/{export}", None, ONLY_AGENT),
    ("delete", "/api/exports/{export}", None, ONLY_AGENT),
    ("get", "/api/exports/{export}/file", None, ONLY_AGENT),
    ("post", "/api/hints", {"text": "x", "service": "{service}"}, DESK_WORKS),
    ("put", "/api/hints/{hint}", {"text": "x", "service": "{service}"}, DESK_WORKS),
    ("delete", "/api/hints/{hint}", None, DESK_WORKS),
    ("get", "/api/services/1", None, DESK_READS),
    ("post", "/api/services/new", {"name": "x", "why": "y"}, ONLY_ADMIN),
    ("patch", "/api/services/1", {"why": "x", "plain": "y"}, ONLY_ADMIN),
    ("post", "/api/estate/items/new", {"name": "x", "kind": "server"}, ONLY_ADMIN),
    ("post", "/api/estate/items/many", {"rows": [], "why": "x"}, DESK_WORKS),
    ("get", "/api/estate/items/{drifted}", None, DESK_READS),
    ("get", "/api/estate/items/{drifted}/then?day=2026-11-01", None, DESK_READS),
    ("patch", "/api/estate/items/{drifted}", {"why": "x", "place": "Saltgate quay"}, ONLY_ADMIN),
    ("post", "/api/estate/items/{drifted}/drift", {"does": "accept", "attribute": "ports"}, ONLY_ADMIN),
    ("post", "/api/estate/drift/unrecorded/{unrecorded}", {"does": "dismiss", "why": "x"}, ONLY_ADMIN),
    ("post", "/api/estate/dependencies", {"source": "service-1", "target": "service-2"}, ONLY_ADMIN),
    ("delete", "/api/estate/dependencies?{ends}", None, ONLY_ADMIN),
    ("get", "/api/problems", None, DESK_READS),
    ("post", "/api/problems/open", {"title": "x", "incidents": ["{other}"]}, DESK_WORKS),
    ("get", "/api/problems/{problem}/incidents", None, DESK_WORKS),
    ("post", "/api/problems/{problem}/incidents", {"remove": ["{n}"]}, DESK_WORKS),
    ("post", "/api/problems/{problem}/causes", {"says": "y"}, DESK_WORKS),
    ("patch", "/api/problems/{problem}/causes/{cause}", {"says": "y"}, DESK_WORKS),
    ("delete", "/api/problems/{problem}/causes/{cause}", None, DESK_WORKS),
    ("post", "/api/problems/{problem}/preview", {"workaround": "x", "words": ""}, DESK_WORKS),
    ("post", "/api/problems/{problem}/workaround", {"workaround": "y", "words": ""}, DESK_WORKS),
    ("post", "/api/problems/{problem}/used", {"ticket": "{other}"}, DESK_WORKS),
    ("post", "/api/problems/{problem}/figures", {"figure": "cost so far", "pence": 1, "reason": "x"}, DESK_WORKS),
    ("put", "/api/problems/{problem}/fix", {"about": "y", "pence": 2}, DESK_WORKS),
    ("post", "/api/problems/{problem}/fix", None, DESK_WORKS),
    ("post", "/api/problems/{problem}/live-with", {"until": "2099-01-01T00:00:00Z", "why": "x"}, DESK_WORKS - {SECURITY}),
    ("get", "/api/known-errors?words=x", None, DESK_READS),
    ("get", "/api/portal/known-errors?words=x", None, EVERYBODY),
    ("post", "/api/portal/known-errors/{problem}/helped", None, EVERYBODY),
    ("get", "/api/changes", None, DESK_READS),
    ("get", "/api/changes/open", None, DESK_WORKS),
    ("post", "/api/changes/open", {"title": "x"}, DESK_WORKS),
    ("get", "/api/changes/schedule", None, DESK_READS),
    ("post", "/api/changes/windows", {"zone": "UTC", "starts": "", "ends": ""}, DESK_READS),
    ("patch", "/api/changes/{change}", {"why": "y"}, DESK_WORKS),
    ("post", "/api/changes/{change}/weigh", {"why": "y"}, DESK_READS),
    ("get", "/api/changes/{change}/slots", None, DESK_READS),
    ("post", "/api/tickets/{change}/submit-change", {}, DESK_WORKS),
    ("post", "/api/changes/weigh", {"changes": {}}, DESK_READS),
    ("post", "/api/changes/{change}/announce", {"title": "x"}, ONLY_ADMIN),
    ("delete", "/api/changes/{announced_change}/announce", None, ONLY_ADMIN),
    ("get", "/api/changes/cab", None, DESK_READS),
    ("put", "/api/changes/cab", {"at_s": "{cab}", "present": [], "notes": "", "version": 0}, NONE),
    ("post", "/api/changes/cab/decide", {"at_s": "{cab}", "change": "{submitted}", "verdict": "put off", "note": "x"}, NONE),
    ("post", "/api/changes/cab/invite", {"at_s": "{cab}"}, NONE),
    ("get", "/api/changes/cab/minutes", None, DESK_READS),
    ("post", "/api/changes/cab/minutes", {"at_s": "{cab}"}, NONE),
    ("get", "/api/reports", None, DESK_READS),
    ("post", "/api/reports", {"name": "y", "definition": REPORT}, DESK_READS),
    ("put", "/api/reports/{report}", {"name": "y", "definition": REPORT, "version": 1}, ONLY_AGENT),
    ("delete", "/api/reports/{report}", None, ONLY_AGENT),
    ("get", "/api/reports/{report}/frozen", None, DESK_READS),
    ("post", "/api/reports/{report}/frozen", {}, ONLY_AGENT),
    ("put", "/api/reports/{report}/frozen", {"is_on": True}, ONLY_AGENT),
    ("get", "/api/reports/frozen/{frozen}", None, DESK_READS),
    ("delete", "/api/reports/frozen/{frozen}", None, ONLY_AGENT),
    ("get", "/api/dashboards", None, DESK_READS),
    ("get", "/api/outlook", None, DESK_READS),
    ("get", "/api/outlook/came-true", None, DESK_READS),
    ("post", "/api/dashboards", {"name": "y", "rows": []}, DESK_READS),
    ("put", "/api/dashboards/{dashboard}", {"name": "y", "rows": [], "version": 1}, ONLY_AGENT),
    ("delete", "/api/dashboards/{dashboard}", None, ONLY_AGENT),
    ("get", "/api/dashboards/{dashboard}/links", None, ONLY_AGENT),
    ("post", "/api/dashboards/{dashboard}/links", {"days": 7}, ONLY_AGENT),
    ("delete", "/api/dashboards/{dashboard}/links/{wall_link}", None, ONLY_AGENT),
    ("get", "/api/wall", "{wall_key}", ANYBODY),
    ("get", "/api/reports/{report}/deliveries", None, ONLY_AGENT),
    ("post", "/api/reports/{report}/deliveries", DELIVERY, ONLY_AGENT),
    ("put", "/api/reports/deliveries/{delivery}", {**DELIVERY, "version": 1}, ONLY_AGENT),
    ("delete", "/api/reports/deliveries/{delivery}", None, ONLY_AGENT),
    ("get", f"/api/reports/table?report={ASKED}", None, DESK_READS),
    ("get", f"/api/reports/records?report={ASKED}", None, DESK_READS),
    ("get", f"/api/reports/file?as=csv&report={ASKED}", None, DESK_READS),
    ("get", "/api/changes/views", None, DESK_READS),
    ("post", "/api/changes/views", {"name": "y", "span": "day", "lanes": "team"}, DESK_READS),
    ("delete", "/api/changes/views/{schedule_view}", None, ONLY_AGENT),
    ("post", "/api/changes/views/{schedule_view}/feed", {}, DESK_READS),
    ("delete", "/api/changes/views/{schedule_view}/feed", None, DESK_READS),
    ("get", "/api/changes/windows/calendar", None, DESK_READS),
    ("post", "/api/changes/windows/calendar", {"text": "BEGIN:VCALENDAR\r\nEND:VCALENDAR"}, DESK_READS),
    ("get", "/api/changes/{release}/carries", None, DESK_WORKS),
    ("post", "/api/changes/{release}/carries", {"change": "{change}"}, DESK_WORKS),
    ("get", "/api/changes/{release}/carries/{part}", None, DESK_READS),
    ("post", "/api/changes/{release}/carries/{part}", {"why": "x"}, DESK_WORKS),
    ("put", "/api/changes/{release}/phases", {"phases": [{"name": "x"}]}, DESK_WORKS),
    ("put", "/api/changes/{release}/links", {"links": []}, DESK_WORKS),
    ("post", "/api/tickets/{submitted}/refer-change", {"why": "x"}, NONE),
    ("post", "/api/tickets/{begun}/stop-change", {"why": "x"}, ONLY_AGENT),
    ("post", "/api/tickets/{begun_release}/open-phase", {}, ONLY_AGENT),
    ("post", "/api/tickets/{to_review}/move-change-on", {}, ONLY_AGENT),
    ("post", "/api/tickets/{submitted}/assess-change", {}, NONE),
    ("post", "/api/tickets/{submitted}/send-change-back", {"why": "x"}, NONE),
    ("post", "/api/tickets/{planned}/start-change", {}, ONLY_AGENT),
    ("post", "/api/tickets/{begun}/implement-change", {}, ONLY_AGENT),
    ("post", "/api/tickets/{begun}/back-change-out", {"why": "x"}, ONLY_AGENT),
    ("post", "/api/tickets/{begun}/look-back", {"outcome": "done"}, NONE),
    ("post", "/api/imports", FILE, ONLY_ADMIN),
    ("get", "/api/imports/{tried_import}", None, ONLY_ADMIN),
    ("post", "/api/imports/{tried_import}", {}, ONLY_ADMIN),
    ("delete", "/api/imports/{done_import}", None, ONLY_ADMIN),
    ("get", "/api/lookout/{team}", None, {AGENT, MANAGER, ADMIN}),
    ("get", "/api/teams/{team}/people", None, DESK_READS),
    ("get", "/api/mailroom/{mail}", None, EVERYBODY),
    ("get", "/api/excerpts?ids=1&q=x", None, DESK_READS),
    ("get", "/api/quarantine", None, DESK_WORKS),
    ("post", "/api/quarantine/dismiss", {"ids": [1]}, DESK_WORKS),
    ("post", "/api/quarantine/wait-again", {"ids": [1]}, DESK_WORKS),
    ("get", "/api/quarantine/{quarantined}", None, DESK_WORKS),
    ("post", "/api/quarantine/{quarantined}/let-in", {"ticket": "{n}"}, DESK_WORKS),
    ("delete", "/api/notifications/{notification}", None, ONLY_AGENT),
    ("put", "/api/phrases/{phrase}", {"name": "x", "for": "mine", "text": "z"}, ONLY_AGENT),
    ("delete", "/api/phrases/{phrase}", None, ONLY_AGENT),
    ("post", "/api/portal/outages/{announced}/hit", {}, EVERYBODY),
    ("post", "/api/portal/tickets/{request}/answers", {"answers": {**LAPTOP, "laptop_size": "13 inches, light"}}, {OTHER, *DESK_WORKS}),
    ("post", "/api/portal/tickets/{resolved}/reopen", {"why": "x"}, {OWNER, *DESK_WORKS}),
    ("post", "/api/portal/tickets/{n}/share", {"person": "{person:Lena}"}, ONLY_OWNER),
    ("put", "/api/reminders/{reminder}", {"at": "2099-01-01T00:00:00Z"}, ONLY_AGENT),
    ("delete", "/api/reminders/{reminder}", None, ONLY_AGENT),
    ("put", "/api/routines/{routine}", {"name": "x", "for": "mine", "acts": [{"act": "take"}]}, ONLY_AGENT),
    ("delete", "/api/routines/{routine}", None, ONLY_AGENT),
    ("get", "/api/tickets/{n}/routines/{routine}", None, ONLY_AGENT),
    ("post", "/api/tickets/{n}/routines/{routine}", {}, ONLY_AGENT),
    ("post", "/api/session", {"email": "nobody@northmere.example", "password": "x" * 12}, NONE),
    ("put", "/api/survey-questions/{service}", {"questions": []}, {ADMIN}),
    ("get", "/api/tickets/many/{many}", None, ONLY_AGENT),
    ("delete", "/api/tickets/many/{many}", None, ONLY_AGENT),
    ("post", "/api/tickets/{n}/approvals", {"of": "{person:Tomas}", "what": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/escalate", {"comment": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/events/{event}/redact", {"reason": "x"}, {AGENT, ADMIN}),
    ("post", "/api/tickets/{n}/files/{file}/redact", {"reason": "x"}, {AGENT, ADMIN}),
    ("post", "/api/tickets/{n}/links", {"kind": "related to", "other": "{other}"}, DESK_WORKS),
    ("delete", "/api/tickets/{n}/links/{link}", None, DESK_WORKS),
    ("post", "/api/tickets/{n}/merge", {"into": "{other}"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/outward/{remote}/end", {}, DESK_WORKS),
    ("post", "/api/tickets/{resolved}/reopen", {"why": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{waiting}/resume", {"why": "x"}, DESK_WORKS),
    ("post", "/api/tickets/{n}/tasks/{task}", {"state": "done"}, DESK_WORKS),
    ("patch", "/api/tickets/{n}/tasks/{task}", {"title": "y"}, DESK_WORKS),
    ("delete", "/api/tickets/{n}/tasks/{task}", None, DESK_WORKS),
    ("delete", "/api/tickets/{n}/time/{entry}", None, ONLY_AGENT),
    ("delete", "/api/tokens/{token}", None, ONLY_AGENT),
    ("put", "/api/views/{view}", {"name": "z", "body": {}}, ONLY_AGENT),
    ("delete", "/api/views/{view}", None, ONLY_AGENT),
    ("put", "/api/views/{view}/pin", {"is_pinned": True}, ONLY_AGENT),
    ("post", "/api/working/{membership}", {"is_set_aside": True}, {ADMIN}),
    ("get", "/api/rulebook/jobs/{replay}", None, ONLY_ADMIN),
    ("delete", "/api/rulebook/jobs/{replay}", None, ONLY_ADMIN),
    ("get", "/api/rulebook/documents/force", None, ONLY_ADMIN),
    ("get", "/api/rulebook/export/force", None, ONLY_ADMIN),
    ("get", "/api/rulebook/examples/{n}", None, ONLY_ADMIN),
    ("delete", "/api/rulebook/rehearsals/{rehearsal}", None, ONLY_ADMIN),
    *ROOM_ROWS,
]  # fmt: skip
# Needs a state of its own; each is tried by name in the test that is named.
ELSEWHERE = {
    "delete /api/session": "test_api: anybody signs out",
    "post /api/session/demo": "test_api: whom the demo offers",
    "post /api/rooms/{number}/channels/{channel}/bring": "test_rooms, of files of its incidents",
    "post /api/rooms/{number}/channels/{channel}/files": "test_rooms, of what may be kept",
    "post /api/mailroom": "test_network, over a real connection",
    "put /api/rotas/{number}": "test_on_call, by leads, members and others",
    "delete /api/rotas/{number}": "test_on_call, by leads, members and others",
    "post /api/rotas/{number}/stand-ins": "test_on_call, by leads, members and others",
    "delete /api/rotas/{number}/stand-ins/{span}": "test_on_call, by leads, members and others",
    "post /api/tickets/{number}/answer-page": "test_on_call, once somebody was paged",
    "post /api/tickets/{number}/time/stop": "test_desk_acts, after a start",
    "post /api/tickets/{number}/undo": "test_api, after an act of one's own",
    "put /api/views/{number}/first": "test_lists: leads of the team",
    "get /api/imports/{number}": "above, as tried_import",
    "get /api/services/{number}": "above, as the first service",
    "patch /api/services/{number}": "above, as the first service",
    "post /api/portal/tickets/{number}/was-it": "test_first_answers, of what was offered",
    "post /api/tickets/{number}/articles/{article}": "test_first_answers, of what is suggested",
    "post /api/articles/{number}/pictures": "test_article_pictures, by each role",
    "delete /api/articles/{number}/translations": "test_article_languages, of a translation",
    "get /api/tickets/{number}/articles/{article}/steps": "test_article_steps",
    "put /api/tickets/{number}/articles/{article}/steps": "test_article_steps",
    "post /api/tickets/{number}/draft": "test_articles_from_work, of a message",
    "post /api/problems/{number}/article": "test_articles_from_work, of a known error",
    "get /api/articles/{number}/pictures/{name}": "test_article_pictures, of one that is there",
    "delete /api/articles/{number}/pictures/{name}": "test_article_pictures, of one not shown",
    "get /api/articles/pdf": "test_article_pictures, looked into",
    "get /api/articles/{number}/pdf": "test_article_pictures, looked into",
    "post /api/tickets/{number}/acts/{name}": "test_permissions, with the name of an act",
}
# All of these are administrators' only, whatever they are given: tried as one in
# test_the_rulebook_is_for_administrators_only.
RULEBOOK = "/api/rulebook"


@pytest.fixture
def world(northmere: None, person: Any, by: Any, log: Any, want: Any) -> World:
    return World(person, by, log, want)


@pytest.fixture
def people(person: Callable[[str], Any]) -> dict[str, Any]:
    from gannet.people.models import Person

    security = Person.objects.filter(memberships__team__key="security").order_by("pk")[0]
    return {
        NOBODY: None, OTHER: person("Piotr"), OWNER: person("Maeve"), AGENT: person("Signe"),
        MANAGER: person("Tomas"), ADMIN: person("Anneke"), SECURITY: security,
    }  # fmt: skip


def filled(world: World, said: Any) -> Any:
    """Names of the world in a path or body, replaced by what they are."""
    if isinstance(said, dict):
        return {name: filled(world, one) for name, one in said.items()}
    if isinstance(said, list):
        return [filled(world, one) for one in said]
    if not isinstance(said, str):
        return said
    whole = re.fullmatch(r"\{(\w+)(?::(\w+))?\}", said)
    if whole:
        return world.person(whole[2]).pk if whole[1] == "person" else world[whole[1]]
    return re.sub(r"\{(\w+)\}", lambda found: str(world[found[1]]), said)


@pytest.mark.parametrize(
    ("method", "path", "body", "allowed"), ROWS, ids=[f"{row[0]} {row[1]}" for row in ROWS]
)
def test_each_by_role(
    client: Any, people: dict[str, Any], world: World, method: str, path: str, body: Any,
    allowed: set[str],
) -> None:  # fmt: skip
    address, said = filled(world, path), filled(world, body)
    network.tests_own_blocks = len(connection.atomic_blocks) + 1
    for role in ROLES:
        with transaction.atomic():
            before = Event.objects.exclude(kind=AuditEvent.DENIED).count()
            got = ask(client, people[role], method, address, said)
            written = Event.objects.exclude(
                kind__in=(AuditEvent.DENIED, PersonEvent.SIGN_IN_REFUSED)
            ).count()
            denied = Event.objects.filter(kind=AuditEvent.DENIED, actor=people[role]).exists()
            transaction.set_rollback(True)
        where = f"{role}: {got.status_code} {getattr(got, 'content', b'')[:300]!r}"
        if role in allowed:
            assert got.status_code in (200, 201, 204), where
            continue
        if path == "/api/session":
            assert got.status_code == 422, where
            continue
        assert got.status_code in ((401,) if role == NOBODY else (403, 404)), where
        assert written == before, f"{role}: a refusal writes nothing"
        assert denied or got.status_code != 403, f"{role}: a denial is recorded"


def ask(client: Any, who: Any, method: str, path: str, body: Any) -> Any:
    headers = {}
    if path in ("/api/decide", "/api/how", "/api/wall"):
        key = body if isinstance(body, str) else body["key"]
        headers["Gannet-Key"] = key
        body = None if isinstance(body, str) else {k: v for k, v in body.items() if k != "key"}
    if body is FILE:
        call(client, who, "get", "/api/session")
        content = b"email,name\nx@northmere.example,X\n"
        return client.post(path, {"file": SimpleUploadedFile("a.csv", content), "kind": "people"})
    if not headers:
        return call(client, who, method, path, body)
    call(client, who, "get", "/api/session")
    if method == "get":
        return client.get(path, headers=headers)
    return client.post(path, body, content_type="application/json", headers=headers)


def test_every_operation_is_tried() -> None:
    """As the description names them, so that none can be added without a row."""

    def named(method: str, path: str) -> str:
        return f"{method} " + re.sub(r"\{\w+\}", "{}", path.split("?")[0])

    tried = {named(method, path.replace("{n}", "{x}")) for method, path, _, _ in [*MATRIX, *ROWS]}
    tried |= {named(*name.split(" ")) for name in ELSEWHERE}
    left = [
        f"{method} {path}"
        for path, operations in description()["paths"].items()
        for method in operations
        if method in ("get", "post", "put", "patch", "delete")
        and named(method, path) not in tried
        and not path.startswith(RULEBOOK)
    ]
    known = ("drafts/x", "people/1/", "catalogue/headset")
    assert [one for one in left if not any(k.split("/")[0] in one for k in known)] == []
