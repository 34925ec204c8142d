"""One ticket as its page shows it: facts, conversation, lifeline, why notes.

All of it is read from the event log and computed by the core at the moment of asking.
"""

from collections.abc import Sequence
from typing import Any

from gannet.audit.models import Audience, Event, Kind
from gannet.people.models import Person, Team
from gannet.rulebook.book import Book, current, edition
from gannet.tickets import around, forms, policies, promises, routing
from gannet.tickets.actions.frame import WITH_RELATED
from gannet.tickets.actions.survey import said_of
from gannet.tickets.actions.timers import closes_at
from gannet.tickets.board import plan_json
from gannet.tickets.history import happenings, row_of
from gannet.tickets.models import Attachment, Clock, MoveCode, StageState, StateCode, Ticket
from gannet.tickets.request_json import request_json
from gannet.web.errors import Missing
from gannet.web.markdown import as_html
from gannet_core import lifecycle
from gannet_core.clocks import Ledger
from gannet_core.lifecycle import Act

# What stands in the conversation; the rest is history (drawn in the lifeline).
_MESSAGES = {Kind.LOGGED, Kind.REPLIED, Kind.NOTED, Kind.REQUESTER_WROTE}
_QUIET = {Kind.OPENED, Kind.PROMISED, Kind.MAILED, Kind.DENIED}
# What an automatic event says of itself, for the desk.
_TOLD_VALUES = (
    "name",
    "when",
    "did",
    "why",
    "by",
    "set",
    "titles",
    "title",
    "state",
    "people",
    "edition",
    "minutes",
    "what",
    "how",
    "other",
    "into",
    "system",
    "key",
    "log",
    "score",
    "answers",
    "cost_pence",
    "sender",
    "copies",
    "outside",
    "to_requester",
    "cause",
    "article",
    "alert",
)
_FOR_REQUESTER = (
    Kind.LOGGED,
    Kind.TAKEN,
    Kind.HANDED_OVER,
    Kind.REPLIED,
    Kind.REQUESTER_WROTE,
    Kind.WAITING,
    Kind.RESUMED,
    Kind.RESOLVED,
    Kind.REOPENED,
    Kind.CLOSED,
    Kind.CANCELLED,
    Kind.ROUTE_ENDED,
    Kind.ASKED_BACK,
    Kind.ANSWERS_CHANGED,
    Kind.CHILD_ENDED,
)


def find(number: int, person: Person) -> Ticket:
    """A ticket that somebody may know of; otherwise it does not exist for them."""
    found = policies.visible_to(person).select_related(*WITH_RELATED, "article", "resolver")
    ticket = found.filter(pk=number).first()
    if ticket is None:
        raise Missing("There is no such ticket, or it is not for you to see.")
    return ticket


class Reading:
    """A ticket read once, with its events and clocks, as one person may see it."""

    def __init__(self, ticket: Ticket, reader: Person, now_s: int) -> None:
        self.ticket = ticket
        self.reader = reader
        self.now_s = now_s
        self.book: Book = edition(ticket.edition)
        self.policy: Book = current()
        self.is_desk = policies.reads_desk(reader) and (
            not ticket.is_confidential
            or policies.works_on(reader, ticket)
            or reader.pk != ticket.requester_id
        )
        self.events = list(
            Event.objects.filter(ticket=ticket).select_related("actor").order_by("id")
        )
        self.history = happenings(row_of(event) for event in self.events)
        self.clocks = list(Clock.objects.filter(ticket=ticket).order_by("id"))
        self.ledgers: list[tuple[Clock, Ledger]] = [
            (
                clock,
                promises.ledger_of(clock, edition(clock.edition), self.history, now_s),
            )
            for clock in self.clocks
        ]

    def as_desk_sees(self) -> dict[str, Any]:
        ticket = self.ticket
        return {
            "id": ticket.pk,
            "kind": ticket.kind,
            "version": ticket.version,
            "title": ticket.title,
            "state": StateCode(ticket.state).label,
            "move": MoveCode(ticket.move).label,
            "is_open": bool(ticket.is_open),
            "channel": ticket.channel,
            "opened_s": ticket.opened_s,
            "resolved_s": ticket.resolved_s,
            "closes_s": self._closes_s(),
            "resolution": ticket.resolution,
            "facts": self._facts(),
            "due": self._due(),
            "waiting": self._waiting(),
            "status": ticket.status,
            "statuses": self._statuses(),
            "fields": self._fields(),
            "tags": list(ticket.tags),
            "tasks": around.tasks_json(ticket),
            "plan": plan_json(ticket, self.policy, self.now_s),
            "open_children": list(
                policies.visible_to(self.reader)
                .filter(parent=ticket, is_open=1)
                .values_list("pk", flat=True)
            ),
            "time": around.time_json(ticket, self.reader),
            "approvals": around.approvals_json(ticket, self.reader),
            "links": around.links_json(ticket, self.reader),
            "merged": around.merged_json(ticket, self.reader),
            "duplicate_of": ticket.duplicate_of_id,
            "outward": around.outward_json(ticket),
            "mine": around.mine_json(ticket, self.reader),
            "survey": said_of(ticket),
            "escalation": self._escalation(),
            "cause": ticket.cause,
            "article": around.article_line(ticket.article) if ticket.article else None,
            "resolver": ticket.resolver.name if ticket.resolver else "",
            "is_first_line": bool(ticket.is_first_line),
            "is_spam": bool(ticket.is_spam),
            "last_event": self.events[-1].id if self.events else 0,
            "request": request_json(ticket, self.reader, self.policy, self.now_s),
            "parent": ticket.parent_id,
            "children": list(
                policies.visible_to(self.reader).filter(parent=ticket).values("id", "title")
            ),
            "template": self.policy.templates.get(ticket.template, {}).get("name", ""),
            "follow_ups": self._follow_ups(),
            "is_major_suggested": bool(ticket.is_major_suggested),
            "next_step": self._next_step(),
            "markers": {
                "is_unread": bool(ticket.is_unread),
                "needs_reply": bool(ticket.needs_reply),
                "is_answered": bool(ticket.is_answered),
                "is_for_you": ticket.handed_to_id == self.reader.pk,
            },
            "announcement": self._announcement(),
            "is_confidential": bool(ticket.is_confidential),
            "followers": [
                {"id": follower.person_id, "name": follower.person.name}
                for follower in ticket.followers.select_related("person").order_by("id")
            ],
            "conversation": self.conversation(),
            "lifeline": self.lifeline(),
            "may": [str(act) for act in Act if self._may(act)],
            "undo_event": self._undoable(),
        }

    def as_requester_sees(self) -> dict[str, Any]:
        ticket = self.ticket
        fix = next((ledger for clock, ledger in self.ledgers if clock.kind == "fix"), None)
        answer = next((ledger for clock, ledger in self.ledgers if clock.kind == "answer"), None)
        return {
            "id": ticket.pk,
            "kind": ticket.kind,
            "version": ticket.version,
            "title": ticket.title,
            "state": StateCode(ticket.state).label,
            "is_open": bool(ticket.is_open),
            "service": ticket.service.name if ticket.service else "",
            "place": ticket.place,
            "team": ticket.team.name,
            "holder": ticket.holder.name if ticket.holder else "",
            "opened_s": ticket.opened_s,
            "resolved_s": ticket.resolved_s,
            "closes_s": self._closes_s(),
            "resolution": ticket.resolution,
            "waiting": self._waiting(),
            "answer_due_s": answer.due if answer else None,
            "answered_s": ticket.answered_s,
            "fix_due_s": fix.due if fix else None,
            "is_mine": ticket.requester_id == self.reader.pk,
            "conversation": self.conversation(only_public=True),
            "path": requester_path(ticket),
            "request": request_json(ticket, self.reader, self.policy, self.now_s),
            "may": [str(act) for act in Act if self._may_as_requester(act)],
        }

    def conversation(self, *, only_public: bool = False) -> list[dict[str, Any]]:
        """Messages and happenings in order; what was taken back is shown as such."""
        undone = {e.facts["event"] for e in self.events if e.kind == Kind.UNDONE}
        files = self._files()
        shown = []
        for event in self.events:
            if event.kind in _QUIET:
                continue
            if only_public and not self._is_public(event, undone):
                continue
            shown.append(self._entry(event, files.get(event.id, []), is_undone=event.id in undone))
        return shown

    def _is_public(self, event: Event, undone: set[int]) -> bool:
        is_told = event.audience == Audience.EVERYBODY or event.kind in _FOR_REQUESTER[1:3]
        return event.kind in _FOR_REQUESTER and is_told and event.id not in undone

    def _entry(
        self, event: Event, files: list[dict[str, Any]], *, is_undone: bool
    ) -> dict[str, Any]:
        is_message = event.kind in _MESSAGES
        text = event.text
        if event.kind == Kind.HANDED_OVER and not self.is_desk:
            text = ""  # the reason is for the new holder
        return {
            "id": event.id,
            "at_s": event.at_s,
            "kind": event.kind,
            "is_message": is_message,
            "is_desk_only": event.audience == Audience.DESK and event.kind == Kind.NOTED,
            "by_desk": bool(event.by_desk),
            "is_automatic": bool(event.is_automatic),
            "is_undone": is_undone,
            "is_redacted": event.redacted_by is not None,
            "actor": event.actor.name if event.actor else "Gannet",
            "actor_id": event.actor_id,
            "text": text,
            "html": as_html(text) if is_message and text else "",
            "details": self._details(event),
            "files": files,
        }

    def _details(self, event: Event) -> dict[str, Any]:
        details = {**event.facts}
        if self.is_desk:
            details["changes"] = event.values.get("changes", {})
            for name in _TOLD_VALUES:
                if name in event.values:
                    details[name] = event.values[name]
        if event.kind == Kind.LOGGED:
            details["channel"] = event.values.get("channel", self.ticket.channel)
        teams = self._team_names()
        for key in ("team", "from_team"):
            if details.get(key):
                details[key] = teams.get(details[key], details[key])
        if details.get("person"):
            details["person"] = self._person_name(details["person"])
        return details

    def _team_names(self) -> dict[str, str]:
        if not hasattr(self, "_teams"):
            self._teams = dict(Team.objects.values_list("key", "name"))
        return self._teams

    def _person_name(self, key: str) -> str:
        if not hasattr(self, "_people"):
            keys = {
                int(e.facts[name])
                for e in self.events
                for name in ("person", "from_person")
                if e.facts.get(name)
            }
            self._people = dict(Person.objects.filter(pk__in=keys).values_list("id", "name"))
        return self._people.get(int(key), "somebody")

    def lifeline(self) -> dict[str, Any]:
        """Who held it, what the clocks did, what happened – on one real time axis."""
        return {
            "from_s": self.ticket.opened_s,
            "holders": self._holders(),
            "clocks": [self._clock(clock, ledger) for clock, ledger in self.ledgers],
            "marks": [
                {"at_s": event.at_s, "kind": event.kind}
                for event in self.events
                if event.kind not in _QUIET
            ],
        }

    def _holders(self) -> list[dict[str, Any]]:
        spans: list[dict[str, Any]] = []
        team = person = None
        for happening in self.history:
            if happening.act in (Act.LOGGED, Act.HANDED_OVER):
                team, person = happening.facts.get("team"), happening.facts.get("person")
            elif happening.act is Act.TAKEN:
                person = happening.facts.get("person")
            elif happening.act in (Act.RESOLVED, Act.CANCELLED) and spans:
                spans[-1]["to_s"] = happening.at
                continue
            elif happening.act is not Act.REOPENED:
                continue
            if spans and spans[-1]["to_s"] is None:
                spans[-1]["to_s"] = happening.at
            spans.append(
                {
                    "from_s": happening.at,
                    "to_s": None,
                    "team": self._team_names().get(team or "", team or ""),
                    "person": self._person_name(person) if person else "",
                }
            )
        return [span for span in spans if span["to_s"] is None or span["to_s"] > span["from_s"]]

    def _clock(self, clock: Clock, ledger: Ledger) -> dict[str, Any]:
        holder = self._team_names().get(clock.holder, clock.holder)
        kind = self.book.clock_kinds.get(clock.kind, {"label": clock.kind})
        late_from = promises.late_from(clock, edition(clock.edition)) if ledger.due else None
        return {
            "key": f"{clock.kind}/{clock.holder}",
            "kind": clock.kind,
            "label": " ".join(part for part in (holder, kind["label"]) if part),
            "holder": holder,
            "state": str(ledger.state),
            "target_seconds": ledger.target,
            "normal_seconds": clock.normal_seconds,
            "consumed_seconds": ledger.consumed,
            "remaining_seconds": ledger.remaining,
            "due_s": ledger.due,
            "late_from_s": late_from,
            "missed_s": ledger.missed_at,
            "calendar": self.book.calendar_name(clock.calendar),
            "rows": [
                {
                    "from_s": row.start,
                    "to_s": row.end,
                    "kind": str(row.kind),
                    "seconds": row.seconds,
                }
                for row in ledger.rows
            ],
            "ahead": self._ahead(clock, ledger),
        }

    def _ahead(self, clock: Clock, ledger: Ledger) -> list[list[int]]:
        """The open spans from now to the due, to draw what is still to come."""
        if ledger.due is None or ledger.due <= self.now_s:
            return []
        calendar = edition(clock.edition).calendar(clock.calendar)
        return [list(span) for span in calendar.open_spans_s(self.now_s, ledger.due)[:60]]

    def _facts(self) -> dict[str, Any]:
        ticket, matrix = self.ticket, self.book.matrix
        requester = ticket.requester
        tier = self.book.care_tiers.get(ticket.care_tier)
        return {
            "priority": ticket.priority,
            "priority_reason": ticket.priority_reason,
            "impact": ticket.impact,
            "impact_label": matrix["impact"][ticket.impact - 1],
            "urgency": ticket.urgency,
            "urgency_label": matrix["urgency"][ticket.urgency - 1],
            "service": _named(ticket.service),
            "ci": _named(ticket.ci),
            "category": ticket.category,
            "place": ticket.place,
            "requester": {
                "id": requester.pk,
                "name": requester.name,
                "department": requester.department,
                "job": requester.job,
                "place": requester.place,
                "phone": requester.phone,
                "zone": requester.zone,
                "email": requester.email,
            },
            "team": {"id": ticket.team_id, "key": ticket.team.key, "name": ticket.team.name},
            "holder": _named(ticket.holder),
            "agreement": self.book.agreement_name(ticket.agreement) if ticket.agreement else "",
            "care_tier": tier["name"] if tier else "",
            "care_share": tier["share"] if tier else "",
            "edition": ticket.edition,
        }

    def _due(self) -> dict[str, Any]:
        ticket = self.ticket
        return {
            "kind": ticket.due_kind,
            "due_s": ticket.due_s,
            "late_from_s": ticket.late_from_s,
            "left_s": ticket.left_s,
            "calendar": ticket.calendar,
        }

    def _waiting(self) -> dict[str, Any] | None:
        ticket = self.ticket
        if ticket.state != StateCode.WAITING:
            return None
        return {
            "on": ticket.waiting_on,
            "reason": ticket.waiting_reason,
            "since_s": ticket.waiting_since_s,
            "until_s": ticket.waiting_until_s,
        }

    def _statuses(self) -> list[dict[str, str]]:
        stage = StateCode(self.ticket.state).label
        return [
            {"key": entry["key"], "label": entry["label"]}
            for entry in self.policy.states
            if entry["stage"] == stage
        ]

    def _fields(self) -> list[dict[str, Any]]:
        """The rulebook's own fields as the ticket's form shows them to an agent."""
        ticket, book = self.ticket, self.policy
        form = forms.form_for(book, ticket)
        states = forms.resolve_for(form, ticket, "agent", "resolving") if form else {}
        about = forms.about(book)
        shown = {
            name: state for name, state in states.items() if name in book.fields and state.is_shown
        }
        found = forms.states_json(shown, about)
        # What was filled in under another form is not hidden from the desk.
        for name in ticket.values:
            if name not in shown and name in book.fields:
                found.append(forms.plain_state(name, ticket.values[name], about[name]))
        return found

    def _follow_ups(self) -> list[dict[str, str]]:
        """Notes and replies that the template keeps ready, until somebody has replied."""
        template = self.policy.templates.get(self.ticket.template)
        if template is None or not self.ticket.is_open:
            return []
        sent = {event.text for event in self.events if event.kind in (Kind.REPLIED, Kind.NOTED)}
        ready = template.get("follow_ups") or ()
        return [dict(one) for one in ready if one["text"].strip() not in sent]

    def _escalation(self) -> dict[str, str] | None:
        """Where *Escalate* would bring it, or why it stays where it is."""
        if not self.ticket.is_open:
            return None
        team, says = routing.next_in_chain(self.policy, self.ticket)
        return {"team": team.name if team else "", "says": says}

    def _next_step(self) -> dict[str, Any] | None:
        ticket = self.ticket
        if ticket.next_step_s is None:
            return None
        return {"says": ticket.next_step, "at_s": ticket.next_step_s}

    def _announcement(self) -> dict[str, Any] | None:
        if not self.ticket.is_announced:
            return None
        return {"title": self.ticket.public_title, "next_news_s": self.ticket.next_news_s}

    def _closes_s(self) -> int | None:
        ticket = self.ticket
        if ticket.state != StateCode.RESOLVED or ticket.resolved_s is None:
            return None
        return closes_at(ticket.resolved_s, self.policy)

    def _may(self, act: Act) -> bool:
        state = StateCode(self.ticket.state).core
        return bool(policies.may(self.reader, act, self.ticket)) and (
            act not in lifecycle.MOVES or lifecycle.can(state, act)
        )

    def _may_as_requester(self, act: Act) -> bool:
        if self.ticket.requester_id != self.reader.pk:
            return False
        state = StateCode(self.ticket.state).core
        allowed = (Act.REQUESTER_WROTE, Act.REOPENED, Act.CANCELLED)
        return act in allowed and lifecycle.can(state, act) and state.value != "closed"

    def _undoable(self) -> int | None:
        """The reader's own last act, while it can still be taken back."""
        from django.conf import settings

        from gannet.tickets.actions.undo import ASIDE, UNDOABLE

        for event in reversed(self.events):
            if event.kind in ASIDE:
                continue
            is_fresh = self.now_s - event.at_s <= settings.MAIL_DELAY_SECONDS
            is_mine = event.actor_id == self.reader.pk and event.kind in UNDOABLE
            return event.id if is_fresh and is_mine else None
        return None

    def _files(self) -> dict[int, list[dict[str, Any]]]:
        found: dict[int, list[dict[str, Any]]] = {}
        for file in Attachment.objects.filter(ticket=self.ticket, event_id__isnull=False):
            found.setdefault(file.event_id or 0, []).append(file_json(file))
        return found


def requester_path(ticket: Ticket) -> list[dict[str, Any]]:
    """The steps that a requester sees: done, now, to come."""
    if ticket.kind == "request":
        return _request_path(ticket)
    is_waiting = ticket.state == StateCode.WAITING and ticket.waiting_on == "requester"
    with_whom = "Waiting for you" if is_waiting else f"With {ticket.team.name}"
    steps = [("Reported", ticket.opened_s), ("Answered", ticket.answered_s)]
    if ticket.state == StateCode.CANCELLED:
        return _as_path([*steps, ("Cancelled", ticket.closed_s)], None)
    done = ticket.resolved_s if not ticket.is_open else None
    return _as_path([*steps, (with_whom, done)], ("Solved", done))


def _request_path(ticket: Ticket) -> list[dict[str, Any]]:
    asked: list[tuple[str, int | None]] = [("Asked", ticket.opened_s)]
    stages = list(ticket.stages.exclude(state__in=(StageState.SKIPPED, StageState.DROPPED)))
    for stage in stages:
        done = stage.ended_s if stage.state == StageState.APPROVED else None
        label = f"{stage.name} refused" if stage.state == StageState.REFUSED else stage.name
        asked.append((label, done or (stage.ended_s if not ticket.is_open else None)))
    if ticket.state == StateCode.CANCELLED:
        ending = "Not approved" if ticket.approval == "refused" else "Cancelled"
        return _as_path([*asked, (ending, ticket.closed_s)], None)
    is_waiting = ticket.state == StateCode.WAITING and ticket.waiting_on == "requester"
    if is_waiting:
        asked = [step for step in asked if step[1]] + [("Waiting for you", None)]
        return _as_path(asked, ("There", None))
    done = ticket.resolved_s if not ticket.is_open else None
    if ticket.approval == "pending":
        first = next((n for n, step in enumerate(asked) if step[1] is None), len(asked) - 1)
        path = _as_path([*asked, (f"With {ticket.team.name}", None)], ("There", None))
        for index, step in enumerate(path):
            step["is_now"], step["is_done"] = index == first, index < first
        return path
    return _as_path([*asked, (f"With {ticket.team.name}", done)], ("There", done))


def _as_path(
    steps: Sequence[tuple[str, int | None]], last: tuple[str, int | None] | None
) -> list[dict[str, Any]]:
    listed = [*steps, last] if last else list(steps)
    is_done = bool(listed[-1][1])
    current = len(listed) - 1 if is_done else len(listed) - (2 if last else 1)
    return [
        {
            "label": label,
            "at_s": at_s,
            "is_done": is_done or (index < current and at_s is not None),
            "is_now": not is_done and index == current,
        }
        for index, (label, at_s) in enumerate(listed)
    ]


def file_json(file: Attachment) -> dict[str, Any]:
    return {
        "id": str(file.pk),
        "name": file.name,
        "size": file.size,
        "content_type": file.content_type,
        "is_picture": file.content_type.startswith("image/"),
    }


def _named(thing: Any) -> dict[str, Any] | None:
    return None if thing is None else {"id": thing.pk, "name": thing.name}
