"""One ticket as its page shows it: facts, conversation, lifeline, why notes.

All of it is read from the event log and computed by the core at the moment of asking.
"""

from typing import Any

from django.db.models import QuerySet

from gannet.audit.kinds import apart
from gannet.audit.models import Event
from gannet.people.models import Person
from gannet.rulebook.book import Book, current, edition
from gannet.tickets import forms, policies, promises, record_parts, routing
from gannet.tickets.actions.closing import closes_at
from gannet.tickets.actions.frame import WITH_RELATED
from gannet.tickets.actions.leftovers import BECOMES, left_open
from gannet.tickets.actions.survey import said_of
from gannet.tickets.acts import offered
from gannet.tickets.conversation import Names, conversation, quiet
from gannet.tickets.events import TicketEvent
from gannet.tickets.history import happenings, row_of
from gannet.tickets.kinds import kind_of, kinds
from gannet.tickets.listed import seen_by
from gannet.tickets.models import Clock, Follower, MoveCode, StateCode, Ticket
from gannet.tickets.plan import plan_json
from gannet.tickets.requester_path import requester_path
from gannet.tickets.states import state_name
from gannet.tickets.task_json import tasks_json
from gannet.web.errors import Missing
from gannet.web.kept import Givens, KeptQueries
from gannet_core.clocks import Ledger
from gannet_core.lifecycle import Act


def find(number: int, person: Person) -> Ticket:
    """A ticket that somebody may know of; otherwise it does not exist for them."""
    seen = seen_by(person)

    def build(givens: Givens) -> QuerySet[Any]:
        found = seen.build(givens).select_related(*WITH_RELATED, "article", "resolver")
        return found.filter(pk=givens["number"])

    for ticket in seen.objects(_kept, "record", build, {"number": number}):
        assert isinstance(ticket, Ticket)
        return ticket
    raise Missing("There is no such ticket, or it is not for you to see.")


_kept = KeptQueries()


def _events(givens: Givens) -> QuerySet[Any]:
    found = Event.objects.filter(ticket=givens["ticket"]).exclude(kind__in=apart())
    return found.select_related("actor").order_by("id")


def _clocks(givens: Givens) -> QuerySet[Any]:
    return Clock.objects.filter(ticket=givens["ticket"]).order_by("id")


def _followers(givens: Givens) -> QuerySet[Any]:
    found = Follower.objects.filter(ticket=givens["ticket"]).select_related("person")
    return found.order_by("id")


class Reading:
    """A ticket read once, with its events and clocks, as one person may see it."""

    def __init__(self, ticket: Ticket, reader: Person, now_s: int) -> None:
        self.ticket = ticket
        self.reader = reader
        self.now_s = now_s
        self.book: Book = edition(ticket.edition)
        self.policy: Book = current()
        self.is_desk = policies.reads_as_desk(reader, ticket)
        here = {"ticket": ticket.pk}
        self.events: list[Event] = _kept.objects("events", _events, here)
        self.names = Names(self.events)
        self.history = happenings(row_of(event) for event in self.events)
        self.clocks: list[Clock] = _kept.objects("clocks", _clocks, here)
        self.ledgers: list[tuple[Clock, Ledger]] = [
            (
                clock,
                promises.ledger_of(clock, edition(clock.edition), self.history, now_s),
            )
            for clock in self.clocks
        ]

    def _children(self) -> list[tuple[Any, ...]]:
        """Number, title, and whether it is open, of the parts that the reader may see."""
        seen = seen_by(self.reader)

        def build(givens: Givens) -> QuerySet[Any, Any]:
            parts = seen.build(givens).filter(parent=givens["ticket"]).order_by("id")
            return parts.values_list("id", "title", "is_open")

        return seen.rows(_kept, "children", build, {"ticket": self.ticket.pk})

    def as_desk_sees(self) -> dict[str, Any]:
        ticket = self.ticket
        children = self._children()
        return {
            "id": ticket.pk,
            "kind": ticket.kind,
            "version": ticket.version,
            "title": ticket.title,
            "state": state_name(ticket.state),
            "move": MoveCode(ticket.move).label,
            "is_open": ticket.is_open,
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
            "tasks": tasks_json(ticket),
            "plan": plan_json(ticket, self.policy, self.now_s),
            "open_children": [number for number, _, is_open in children if is_open],
            "time": record_parts.time_json(ticket, self.reader),
            "approvals": record_parts.approvals_json(ticket, self.reader),
            "links": record_parts.links_json(ticket, self.reader),
            "merged": record_parts.merged_json(ticket, self.reader),
            "duplicate_of": ticket.duplicate_of_id,
            "outward": record_parts.outward_json(ticket),
            "mine": record_parts.mine_json(ticket, self.reader),
            "survey": said_of(ticket),
            "escalation": self._escalation(),
            "left_open": self._left_open(),
            "waits": self._waits(),
            "cause": ticket.cause,
            "article": record_parts.article_line(ticket.article) if ticket.article else None,
            "resolver": ticket.resolver.name if ticket.resolver else "",
            "is_first_line": bool(ticket.is_first_line),
            "is_spam": bool(ticket.is_spam),
            "last_event": self.events[-1].id if self.events else 0,
            **self._sections(),
            "parent": ticket.parent_id,
            "children": [{"id": number, "title": title} for number, title, _ in children],
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
                {
                    "id": follower.person_id,
                    "name": follower.person.name,
                    "only_reads": follower.only_reads,
                }
                for follower in _kept.objects("followers", _followers, {"ticket": ticket.pk})
            ],
            "panels": self._panels(),
            "conversation": self._conversation(),
            "lifeline": self.lifeline(),
            "acts": offered(ticket, self.reader),
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
            "state": state_name(ticket.state),
            "is_open": ticket.is_open,
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
            "fix_due_s": fix.due if fix and not ticket.is_undecided else None,
            "is_mine": ticket.requester_id == self.reader.pk,
            "conversation": self._conversation(only_public=True),
            "path": requester_path(ticket),
            **self._sections(for_requester=True),
            "may": [str(act) for act in Act if self._may_as_requester(act)],
        }

    def _sections(self, *, for_requester: bool = False) -> dict[str, Any]:
        """What each kind adds to the answer; nothing of it is there for other kinds."""
        ticket = self.ticket
        found: dict[str, Any] = {}
        for kind in kinds().values():
            for section in kind.sections:
                if for_requester and not section.is_for_requester:
                    continue
                is_its = kind.key == ticket.kind
                found[section.key] = (
                    section.read(ticket, self.reader, self.policy, self.now_s) if is_its else None
                )
        return found

    def _panels(self) -> list[dict[str, Any]]:
        return [
            {
                "key": panel.key,
                "label": panel.label,
                "rows": [
                    {"label": label, "words": words} for label, words in panel.rows(self.ticket)
                ],
            }
            for panel in kind_of(self.ticket).panels
        ]

    def _conversation(self, *, only_public: bool = False) -> list[dict[str, Any]]:
        return conversation(
            self.ticket,
            self.events,
            self.names,
            self.reader,
            now_s=self.now_s,
            is_desk=self.is_desk,
            only_public=only_public,
        )

    def lifeline(self) -> dict[str, Any]:
        """Who held it, what the clocks did, what happened – on one real time axis."""
        return {
            "from_s": self.ticket.opened_s,
            "holders": self._holders(),
            "clocks": [self._clock(clock, ledger) for clock, ledger in self.ledgers],
            "marks": [
                {"at_s": event.at_s, "kind": event.kind}
                for event in self.events
                if not quiet(event)
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
                    "team": self.names.team(team or ""),
                    "person": self.names.person(person) if person else "",
                }
            )
        return [span for span in spans if span["to_s"] is None or span["to_s"] > span["from_s"]]

    def _clock(self, clock: Clock, ledger: Ledger) -> dict[str, Any]:
        holder = self.names.team(clock.holder)
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
            "is_impact_assumed": bool(ticket.is_impact_assumed),
            "is_urgency_assumed": bool(ticket.is_urgency_assumed),
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
            "left_seconds": ticket.left_seconds,
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
        stage = state_name(self.ticket.state)
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
        sent = {
            event.text
            for event in self.events
            if event.kind in (TicketEvent.REPLIED, TicketEvent.NOTED)
        }
        ready = template.get("follow_ups") or ()
        return [dict(one) for one in ready if one["text"].strip() not in sent]

    def _escalation(self) -> dict[str, str | bool] | None:
        """Where *Escalate* would bring it, or why it stays where it is."""
        if not self.ticket.is_open:
            return None
        team, says = routing.next_in_chain(self.policy, self.ticket)
        return {
            "team": team.name if team else "",
            "says": says,
            "asks_service": self.ticket.service_id is None,
        }

    def _left_open(self) -> list[dict[str, Any]]:
        """What its resolution would end, and what can become of each."""
        return [
            {"kind": one.kind, "id": one.id, "words": one.words, "becomes": BECOMES[one.kind]}
            for one in left_open(self.ticket)
        ]

    def _waits(self) -> list[str]:
        """What the reader may set it waiting on."""
        known = dict.fromkeys(str(entry["on"]) for entry in self.policy.waits)
        ticket = self.ticket
        return [on for on in known if policies.may_wait(self.reader, on, self.policy, ticket)]

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

    def _may_as_requester(self, act: Act) -> bool:
        if self.ticket.requester_id != self.reader.pk:
            return False
        state, life = state_name(self.ticket.state), kind_of(self.ticket).lifecycle
        allowed = (Act.REQUESTER_WROTE, Act.REOPENED, Act.CANCELLED)
        return act in allowed and life.can(state, act) and state != "closed"

    def _undoable(self) -> int | None:
        """The reader's own last act, while it can still be taken back."""
        from django.conf import settings

        from gannet.tickets.actions.undo import can_be_undone, is_aside

        for event in reversed(self.events):
            if is_aside(event.kind):
                continue
            is_fresh = self.now_s - event.at_s <= settings.MAIL_DELAY_SECONDS
            is_mine = event.actor_id == self.reader.pk and can_be_undone(event.kind)
            return event.id if is_fresh and is_mine else None
        return None


def _named(thing: Any) -> dict[str, Any] | None:
    return None if thing is None else {"id": thing.pk, "name": thing.name}
