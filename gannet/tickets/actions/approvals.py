"""Approvals asked by hand: one question to one person, decided once."""

from gannet.audit.models import Kind
from gannet.messages import notices
from gannet.people.models import Person
from gannet.tickets.actions.frame import Acting, Work, working
from gannet.tickets.actions.talk import end_wait
from gannet.tickets.actions.waiting import Wait, set_waiting
from gannet.tickets.models import Approval, Ask, Follower, StateCode, Ticket
from gannet.web.errors import Conflict, Invalid, Missing, Refused
from gannet_core.lifecycle import Act, Waiting

MOST_WORDS = 500


def ask_approval(
    ticket_id: int,
    acting: Acting,
    *,
    of: Person,
    what: str,
    cost_pence: int | None = None,
    waits: bool = True,
    seen_version: int | None = None,
) -> Ticket:
    """Ask somebody to approve something; the ticket waits for them if that is wanted."""
    words = what.strip()
    if not words:
        raise Invalid("Say what is to be approved.", fields={"what": "This is empty."})
    if len(words) > MOST_WORDS:
        raise Invalid("Say it shorter.", fields={"what": f"At most {MOST_WORDS} characters."})
    with working(ticket_id, acting, Act.CHANGED, seen_version) as work:
        ticket = work.ticket
        if not ticket.is_open:
            raise Conflict(f"This is {work.state.label}: there is nothing to approve any more.")
        if of.pk == ticket.requester_id or of.pk == acting.person_id:
            raise Invalid(
                "Nobody decides on their own request.",
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
        Follower.objects.get_or_create(ticket=ticket, person=of)
        work.record(
            Kind.APPROVAL_ASKED,
            facts={"approval": asked.pk, "person": str(of.pk)},
            values={"what": words, "cost_pence": cost_pence, "name": of.name},
        )
        _count(ticket)
        work.tell(of, "approval asked", words)
        _notify(work, asked)
        if waits and ticket.state != StateCode.WAITING:
            set_waiting(work, Wait(on=Waiting.APPROVAL, reason=f"{of.name} decides: {words}"))
    return work.ticket


def decide(acting: Acting, approval_id: int, *, approves: bool, reason: str) -> Approval:
    """Approve or refuse what one was asked; refusing needs its reason."""
    person = acting.person
    asked = Approval.objects.filter(pk=approval_id).first()
    if asked is None or person is None or asked.asked_of_id != person.pk:
        raise Missing("There is nothing here for you to decide.")
    if not approves and not reason.strip():
        raise Invalid(
            "Say why not: it is what they can act on.", fields={"reason": "This is empty."}
        )
    with working(asked.ticket_id, acting) as work:
        asked.refresh_from_db()
        if asked.state != Ask.PENDING:
            raise Conflict(f"This is {asked.state} already.")
        asked.state = Ask.APPROVED if approves else Ask.REFUSED
        asked.reason = reason.strip()[:MOST_WORDS]
        asked.decided_s, asked.decided_by = acting.now_s, person
        asked.save()
        _ended(work, asked)
        words = f"{asked.state}: {asked.what}" + (f" – {asked.reason}" if asked.reason else "")
        work.record(
            Kind.APPROVAL_DECIDED,
            facts={"approval": asked.pk, "decision": str(asked.state)},
            values={"what": asked.what, "state": str(asked.state)},
            text=asked.reason,
            by_desk=False,
        )
        work.tell(asked.asked_by, "approval decided", words)
        if work.ticket.holder_id != asked.asked_by_id:
            work.tell(work.ticket.holder, "approval decided", words)
        _go_on(work)
    return asked


def withdraw_approval(acting: Acting, approval_id: int) -> Ticket:
    """It need not be approved any more."""
    asked = Approval.objects.filter(pk=approval_id).first()
    if asked is None:
        raise Missing("There is no such question.")
    with working(asked.ticket_id, acting, Act.CHANGED) as work:
        if asked.state != Ask.PENDING:
            raise Conflict(f"This is {asked.state} already.")
        person = acting.person
        if person is not None and not person.is_on_desk:
            raise Refused("Only the desk takes a question back.")
        asked.state, asked.decided_s, asked.decided_by = Ask.WITHDRAWN, acting.now_s, person
        asked.save()
        _ended(work, asked)
        work.record(
            Kind.APPROVAL_DECIDED,
            facts={"approval": asked.pk, "decision": str(asked.state)},
            values={"what": asked.what, "state": str(asked.state)},
        )
        _go_on(work)
    return work.ticket


def _notify(work: Work, asked: Approval) -> None:
    words = asked.what
    if asked.cost_pence:
        words = f"{words} ({asked.cost_pence / 100:,.2f})"
    now_s, ticket, of = work.acting.now_s, work.ticket, asked.asked_of
    notices.notify(
        of,
        "approval asked",
        f"approval:{asked.pk}",
        words,
        now_s,
        ticket=ticket,
        text=ticket.title,
        actor=asked.asked_by.name,
    )


def _ended(work: Work, asked: Approval) -> None:
    notices.gone(work.acting.now_s, about=f"approval:{asked.pk}")
    _count(work.ticket)


def _go_on(work: Work) -> None:
    """A ticket that waited for approvals only is ours again once none is left."""
    ticket = work.ticket
    if ticket.open_approvals or ticket.waiting_on != Waiting.APPROVAL:
        return
    end_wait(work)
    work.record(Kind.RESUMED, by_desk=False, is_automatic=True)


def _count(ticket: Ticket) -> None:
    ticket.open_approvals = ticket.approvals.filter(state=Ask.PENDING).count()
