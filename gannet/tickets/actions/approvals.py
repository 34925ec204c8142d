"""Approvals, asked by hand or by a stage of a route: decided once, asked back, passed on."""

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.people.models import Person, Team
from gannet.rulebook.book import edition
from gannet.tickets import policies
from gannet.tickets.actions import endings, routes
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.waiting import Wait, set_waiting
from gannet.tickets.approval_events import ApprovalEvent
from gannet.tickets.directory import deputies_at, own_people
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import Approval, ApprovalState, StateCode, Through, Ticket
from gannet.tickets.models.attached import let_read
from gannet.tickets.seen import STATE
from gannet.tickets.telling import messenger
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.approvals import acts_for, is_decided_by_link
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Act, Waiting

MOST_WORDS = 500


def ask_approval(
    ticket_id: int,
    acting: Acting,
    *,
    of: Person,
    what: str,
    cost_pence: int | None = None,
    waits: bool | None = None,
    seen_version: int | None = None,
) -> Ticket:
    """Ask somebody to approve something; the ticket waits for them if that is wanted.

    Nothing said of `waits`: it does where whoever asks may stop its clocks for it.
    """
    words = what.strip()
    if not words:
        raise Invalid("Say what is to be approved.", fields={"what": "This is empty."})
    if len(words) > MOST_WORDS:
        raise Invalid("Say it shorter.", fields={"what": f"At most {MOST_WORDS} characters."})
    with writing(ticket_id, acting, Act.CHANGED) as write:
        if Act.WAITING not in write.lifecycle.moves:
            waits = False
        if waits is None:
            on = str(Waiting.APPROVAL)
            waits = bool(policies.may_wait(acting.person, on, write.policy, write.ticket))
        if waits:
            write.check_seen(seen_version, STATE)
        ticket = write.ticket
        if not ticket.is_open:
            raise Conflict(f"This is {write.state_name}: there is nothing to approve any more.")
        if of.pk in {*own_people(ticket), acting.person_id}:
            raise Invalid(
                "Nobody approves their own request.",
                fields={"of": "Choose somebody else, such as their manager."},
            )
        if acting.person is None:
            raise Invalid("Only a person asks by hand.")
        asked = Approval.objects.create(
            ticket=ticket,
            asked_of=of,
            asked_by=acting.person,
            what=words,
            cost_pence=cost_pence,
            asked_s=acting.now_s,
        )
        # Whoever decides may read what they decide on.
        let_read(ticket, of)
        write.record(
            TicketEvent.APPROVAL_ASKED,
            facts={"approval": asked.pk, "person": str(of.pk)},
            values={"what": words, "cost_pence": cost_pence, "name": of.name},
        )
        _count(ticket)
        write.tell(of, "approval asked", words)
        _notify(write, asked)
        if waits and ticket.state != StateCode.WAITING:
            set_waiting(write, Wait(on=Waiting.APPROVAL, reason=f"{of.name} is asked: {words}"))
    return write.ticket


def decide(
    acting: Acting,
    approval_id: int,
    *,
    approves: bool,
    reason: str,
    through: Through = Through.SIGNED_IN,
) -> Approval:
    """Approve or refuse what one was asked, or deputises for; refusing needs its reason.

    A change manager decides a stage in somebody's place, with the reason. What may be
    decided without signing in, the stage says.
    """
    person = acting.person
    asked = Approval.objects.select_related("stage").filter(pk=approval_id).first()
    if asked is None or person is None:
        raise Missing("There is no approval here for you.")
    stands_in = _check_may_decide(asked, person, acting.now_s)
    _let_read(asked, person)
    if through != Through.SIGNED_IN and not may_decide_by_link(asked):
        raise Conflict(SIGN_IN_TO_DECIDE)
    if not approves and not reason.strip():
        raise Invalid(
            "Say why not: it is what they can act on.", fields={"reason": "This is empty."}
        )
    if stands_in and not reason.strip():
        raise Invalid(
            f"Say why you approve or reject in place of {asked.asked_of.name}.",
            fields={"reason": "This is empty."},
        )
    with writing(asked.ticket_id, acting) as write:
        asked.refresh_from_db()
        if asked.state != ApprovalState.PENDING:
            raise Conflict(over_words(asked))
        if _has_decided_beside(asked, person):
            raise Conflict(
                "You have decided this already: somebody else decides in place of "
                f"{asked.asked_of.name}."
            )
        asked.state = ApprovalState.APPROVED if approves else ApprovalState.REFUSED
        asked.reason = reason.strip()[:MOST_WORDS]
        asked.decided_s, asked.decided_by, asked.through = acting.now_s, person, through
        asked.save()
        _ended(write, asked)
        words = f"{asked.state}: {asked.what}" + (f" – {asked.reason}" if asked.reason else "")
        values = {
            "what": asked.what,
            "state": str(asked.state),
            "through": Through(through).label,
        }
        if person.pk != asked.asked_of_id:
            values["name"] = f"for {asked.asked_of.name}"
        write.record(
            TicketEvent.APPROVAL_DECIDED,
            facts={"approval": asked.pk, "decision": str(asked.state)},
            values=values,
            text=asked.reason,
            by_desk=False,
        )
        write.tell(asked.asked_by, "approval decided", words)
        if write.ticket.holder_id != asked.asked_by_id:
            write.tell(write.ticket.holder, "approval decided", words)
        routes.seat_taken(write, asked)
        if asked.stage is not None:
            routes.weigh_decisions(write, asked.stage)
        else:
            _go_on(write)
    return asked


SIGN_IN_TO_DECIDE = "This cannot be approved by a link or a mail alone. Sign in first."


def may_decide_by_link(asked: Approval) -> bool:
    """Whether the link of a mail, or an answer to it, may decide this without signing in."""
    ticket = asked.ticket
    known = kind_of(ticket).cost(ticket)
    cost = (asked.cost_pence or known.once_pence) + 12 * known.monthly_pence
    stage: Mapping[str, Any] = {}
    if asked.stage is not None:
        route = edition(ticket.edition).routes.get(ticket.route, {})
        found = (one for one in route.get("stages", ()) if one["key"] == asked.stage.key)
        stage = next(found, stage)
    return is_decided_by_link(stage, cost)


def _has_decided_beside(asked: Approval, person: Person) -> bool:
    """Whether somebody has decided for another of the same stage: nobody counts twice."""
    if asked.stage is None:
        return False
    beside = asked.stage.asked.filter(round=asked.round, decided_by=person)
    return beside.filter(state__in=(ApprovalState.APPROVED, ApprovalState.REFUSED)).exists()


def over_words(asked: Approval) -> str:
    """Why there is nothing left to decide."""
    if asked.state == ApprovalState.NOT_NEEDED:
        return "Somebody else has approved or rejected this, or it is no longer needed."
    return f"This is {asked.state} already."


def _check_may_decide(asked: Approval, person: Person, now_s: int) -> bool:
    """Whether somebody decides in another's place; `Missing` when they may not at all."""
    own = own_people(asked.ticket)
    if person.pk in own:
        raise Missing("You cannot approve your own request.")
    if asked.asked_of_id == person.pk:
        return False
    deputies = deputies_at([asked.asked_of_id], now_s)
    if acts_for(person.pk, [asked.asked_of_id], deputies, own) is not None:
        return False
    if policies.may_decide_in_place(asked, person):
        return True
    raise Missing("There is no approval here for you.")


def _let_read(asked: Approval, person: Person) -> None:
    """Whoever decides may read what they decide on."""
    if asked.stage_id and asked.state == ApprovalState.PENDING:
        let_read(asked.ticket, person)


def ask_back(
    acting: Acting, approval_id: int, *, question: str = "", until: datetime | None = None
) -> Approval:
    """Put a question to the requester, or the decision off to a date; reminders stop."""
    asked = _asked(acting, approval_id)
    words = question.strip()
    if not words and until is None:
        raise Invalid("Ask something, or say until when.", fields={"question": "This is empty."})
    if not words and until is not None and until <= acting.now:
        raise Invalid(
            "That moment has passed already.", fields={"until": "Choose a later date or time."}
        )
    with writing(asked.ticket_id, acting) as write:
        ticket = write.ticket
        asked.refresh_from_db()
        if asked.state != ApprovalState.PENDING:
            raise Conflict("There is nothing to ask about any more.")
        until_s = None if until is None or words else seconds_of(until)
        asked.question, asked.until_s = words[:MOST_WORDS], until_s
        asked.save()
        if asked.stage is not None:
            asked.stage.remind_s = None
            asked.stage.save()
        write.record(
            ApprovalEvent.ASKED_BACK, text=words, audience=Audience.EVERYBODY, by_desk=False,
            values={"what": asked.what},
        )  # fmt: skip
        if words:
            write.tell(ticket.requester, "asked back", words)
        if ticket.state == StateCode.WAITING:
            write.end_wait()
            write.record(TicketEvent.RESUMED, by_desk=False, is_automatic=True)
        if Act.WAITING not in write.lifecycle.moves:
            return asked  # who asked for it answers by a note
        wait = (
            Wait(on=Waiting.REQUESTER, reason=words)
            if words
            else Wait(on=Waiting.DATE, reason=f"put off by {asked.asked_of.name}", until=until)
        )
        person, write.acting = write.acting, Acting(person=None, now=acting.now)
        set_waiting(write, wait)
        write.acting = person
    return asked


def pass_on(acting: Acting, approval_id: int, *, to: Person | Team, reason: str = "") -> Approval:
    """Let somebody else decide, or a board, of which the first decides; the trail keeps both."""
    asked = _asked(acting, approval_id)
    people = _who_may_follow(asked, to)
    with writing(asked.ticket_id, acting) as write:
        asked.refresh_from_db()
        if asked.state != ApprovalState.PENDING:
            raise Conflict(over_words(asked))
        stage = asked.stage
        known = write.ticket.approvals.filter(state=ApprovalState.PENDING, stage=stage)
        there = set(known.values_list("asked_of_id", flat=True))
        people = [person for person in people if person.pk not in there]
        if not people:
            raise Invalid(f"{to.name} is asked already.", fields={"to": "Somebody else."})
        asked.state, asked.decided_s = ApprovalState.PASSED_ON, acting.now_s
        asked.decided_by, asked.reason = acting.person, reason.strip()[:MOST_WORDS]
        asked.save()
        _ended(write, asked)
        write.record(
            ApprovalEvent.PASSED_ON,
            text=reason.strip(),
            by_desk=False,
            facts={"approval": asked.pk, "person": str(people[0].pk)},
            values={"what": asked.what, "name": to.name},
        )
        who = acting.person.name if acting.person else "Gannet"
        seat = asked.pk if isinstance(to, Team) else asked.seat
        because = f"forwarded by {who}"
        if isinstance(to, Team):
            because += f" to the {to.name}"
        for person in people:
            if stage is not None:
                routes.ask_one(write, stage, person, because, asked.asked_of_id, seat)
            else:
                _ask_instead(write, asked, person, because, seat)
        _say_who_is_asked(write)
    return asked


def _ask_instead(
    write: RecordWrite, asked: Approval, person: Person, because: str, seat: int | None
) -> None:
    """Ask by hand somebody to whom a question was forwarded."""
    following = Approval.objects.create(
        ticket=write.ticket,
        asked_of=person,
        asked_by=asked.asked_by,
        instead_of=asked.asked_of,
        because=because[:300],
        seat=seat,
        what=asked.what,
        cost_pence=asked.cost_pence,
        answered=asked.answered,
        asked_s=write.acting.now_s,
    )
    routes.ask_also(write, following, person)
    _count(write.ticket)


def _say_who_is_asked(write: RecordWrite) -> None:
    """What waits for approvers names those who are asked now."""
    ticket = write.ticket
    if ticket.waiting_on != Waiting.APPROVAL:
        return
    rows = ticket.approvals.filter(state=ApprovalState.PENDING).order_by("id")
    names = list(dict.fromkeys(rows.values_list("asked_of__name", flat=True)))
    is_one = len(names) == 1
    ticket.waiting_reason = f"{', '.join(names)} {'is' if is_one else 'are'} asked"[:300]


def _who_may_follow(asked: Approval, to: Person | Team) -> list[Person]:
    """Who decides when a question is passed on to somebody or to a board."""
    own = own_people(asked.ticket)
    if isinstance(to, Person):
        if to.pk in own:
            raise Invalid("Nobody approves their own request.", fields={"to": "Somebody else."})
        if not to.is_active:
            raise Invalid(
                f"{to.name} does not work here any more.", fields={"to": "Somebody else."}
            )
        return [to]
    if not to.is_board:
        raise Invalid(f"{to.name} is no board.", fields={"board": "Choose a board."})
    members = Person.objects.filter(memberships__team=to, is_active=True).order_by("id")
    found = [person for person in members if person.pk not in (*own, asked.asked_of_id)]
    if not found:
        raise Invalid(
            f"Nobody of the {to.name} can approve this.", fields={"board": "Choose another."}
        )
    return found


def _asked(acting: Acting, approval_id: int) -> Approval:
    """What somebody, or whom they deputise for, is asked."""
    asked = Approval.objects.select_related("stage", "ticket").filter(pk=approval_id).first()
    if asked is None or acting.person is None:
        raise Missing("There is no approval here for you.")
    if _check_may_decide(asked, acting.person, acting.now_s):
        raise Missing("There is no approval here for you.")
    _let_read(asked, acting.person)
    return asked


def withdraw_approval(acting: Acting, approval_id: int) -> Ticket:
    """It need not be approved any more."""
    asked = Approval.objects.filter(pk=approval_id).first()
    if asked is None:
        raise Missing("There is no such question.")
    if asked.stage_id is not None:
        raise Conflict("A stage of the route asks this: withdraw the request, or let them answer.")
    with writing(asked.ticket_id, acting, Act.CHANGED) as write:
        if asked.state != ApprovalState.PENDING:
            raise Conflict(over_words(asked))
        person = acting.person
        if person is not None and not person.is_on_desk:
            raise Refused("Only the desk takes a question back.")
        asked.state, asked.decided_s, asked.decided_by = (
            ApprovalState.WITHDRAWN,
            acting.now_s,
            person,
        )
        asked.save()
        _ended(write, asked)
        write.record(
            TicketEvent.APPROVAL_DECIDED,
            facts={"approval": asked.pk, "decision": str(asked.state)},
            values={"what": asked.what, "state": str(asked.state)},
        )
        _go_on(write)
    return write.ticket


def _notify(write: RecordWrite, asked: Approval) -> None:
    words = asked.what
    if asked.cost_pence:
        words = f"{words} ({asked.cost_pence / 100:,.2f})"
    now_s, ticket, of = write.acting.now_s, write.ticket, asked.asked_of
    messenger().notify(
        of,
        "approval asked",
        f"approval:{asked.pk}",
        words,
        now_s,
        ticket=ticket,
        text=ticket.title,
        actor=asked.asked_by.name,
    )


def _ended(write: RecordWrite, asked: Approval) -> None:
    messenger().gone(write.acting.now_s, about=f"approval:{asked.pk}")
    _count(write.ticket)


def _go_on(write: RecordWrite) -> None:
    """A ticket that waited for approvals only is ours again once none is left."""
    ticket = write.ticket
    if ticket.open_approvals or ticket.waiting_on != Waiting.APPROVAL:
        return
    write.end_wait()
    write.record(TicketEvent.RESUMED, by_desk=False, is_automatic=True)


def _count(ticket: Ticket) -> None:
    ticket.open_approvals = ticket.approvals.filter(state=ApprovalState.PENDING).count()


def _drop_asked(write: RecordWrite, ending: endings.Ending) -> dict[str, Any] | None:
    """What was asked by hand need not be decided any more."""
    pending = list(write.ticket.approvals.filter(state=ApprovalState.PENDING, stage__isnull=True))
    if not pending:
        return None
    routes.drop_questions(write, pending)
    return {"questions": [one.pk for one in pending]}


def _restore_asked(write: RecordWrite, kept: Mapping[str, Any], is_undo: bool) -> None:
    routes.restore_questions(write, kept["questions"])


endings.register(endings.EndingPart(name="approvals", drop=_drop_asked, restore=_restore_asked))
