"""The approval route of a request: begun, stage by stage, to its end – nothing hangs.

Every stage is worked out by the core when its turn comes, so that people who left are
replaced then; what it came to is kept on the stage. A request waits on approval only
while a stage with named people is pending.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from gannet.audit.models import Audience
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import Book, edition
from gannet.tickets.actions import endings, timers
from gannet.tickets.actions.endings import Ending, end
from gannet.tickets.actions.frame import Work, working
from gannet.tickets.actions.waiting import Wait, set_waiting, while_decided
from gannet.tickets.approval_events import ApprovalEvent
from gannet.tickets.directory import case_of, deputies_at, directory_of, route_in_ids
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import (
    Approval,
    Ask,
    Follower,
    RouteStage,
    StageState,
    StateCode,
    Ticket,
    Timer,
)
from gannet.tickets.telling import messenger
from gannet.web.errors import Invalid
from gannet.web.isolation import each
from gannet_core import approvals as core
from gannet_core.errors import ApprovalError
from gannet_core.instants import instant_of, seconds_of
from gannet_core.lifecycle import Waiting

OPEN_STAGES = (StageState.TO_COME, StageState.PENDING)


GoAhead = Callable[[Work], None]
_when_approved: list[GoAhead] = []


def when_approved(go_ahead: GoAhead) -> GoAhead:
    """Let a function act when a record may go ahead, in the same transaction."""
    if go_ahead not in _when_approved:
        _when_approved.append(go_ahead)
    return go_ahead


def asked_of(ticket: Ticket, book: Book | None = None) -> tuple[core.Asked, ...]:
    """Who would decide a request, stage by stage; `Invalid` when nobody could. By the edition
    it was promised under, or by another book, such as a draft."""
    book = book or edition(ticket.edition)
    route = book.routes.get(ticket.route)
    if route is None:
        return ()
    try:
        return core.ask_all(route_in_ids(dict(route)), case_of(ticket, book), directory_of(ticket))
    except ApprovalError as error:
        raise Invalid(
            f"This cannot be asked for yet: {error}.", fields={"route": str(error)}
        ) from error


def begin(work: Work) -> None:
    """Work out the route of a new request and open its first stage, or fulfil it at once."""
    ticket = work.ticket
    asked = asked_of(ticket)
    rows = [
        RouteStage(
            ticket=ticket,
            position=position,
            key=one.key,
            name=one.name[:120],
            state=StageState.SKIPPED if one.is_skipped else StageState.TO_COME,
            because=one.because[:300],
            notes=list(one.notes),
            quorum=one.quorum,
        )
        for position, one in enumerate(asked)
    ]
    RouteStage.objects.bulk_create(rows)
    if asked:
        work.record(
            ApprovalEvent.ROUTE_BEGAN,
            by_desk=False,
            is_automatic=True,
            values={
                "stages": [
                    f"{one.name}: {'skipped, ' if one.is_skipped else ''}{one.because}"
                    for one in asked
                ]
            },
        )
    advance(work)


def advance(work: Work) -> None:
    """Open the next stage that is to come; with none left the request is approved."""
    ticket = work.ticket
    following = ticket.stages.filter(state=StageState.TO_COME).first()
    while following is not None:
        if _open(work, following):
            return
        following = ticket.stages.filter(state=StageState.TO_COME).first()
    was_decided = ticket.stages.filter(state=StageState.APPROVED).exists()
    ticket.approval = "approved" if was_decided else "automatic"
    words = "approved" if was_decided else "no stage applies: approved by itself"
    if not ticket.route:
        words = "pre-approved"
    work.record(
        ApprovalEvent.ROUTE_ENDED,
        by_desk=False,
        is_automatic=True,
        audience=Audience.EVERYBODY,
        values={"what": words},
    )
    if was_decided:
        _tell_approved(work)
    _stop_waiting(work)
    for go_ahead in _when_approved:
        go_ahead(work)


def _tell_approved(work: Work) -> None:
    """Who asked, and for whom, hear that it goes ahead, and who decided."""
    ticket = work.ticket
    decided = ticket.approvals.filter(state=Ask.APPROVED, stage__state=StageState.APPROVED)
    names = dict.fromkeys(one.decided_by.name for one in decided if one.decided_by)
    words = f"Decided by {', '.join(names)}."
    work.tell(ticket.requester, "request approved", words)
    if ticket.beneficiary_id not in (None, ticket.requester_id):
        work.tell(ticket.beneficiary, "request approved", words)


def _open(work: Work, stage: RouteStage) -> bool:
    """Ask the people of a stage; False when it turns out to be skipped now."""
    ticket, now_s = work.ticket, work.acting.now_s
    book = edition(ticket.edition)
    route = route_in_ids(dict(book.routes[ticket.route]))
    entry = next(one for one in route["stages"] if one["key"] == stage.key)
    try:
        asked = core.ask(entry, route, case_of(ticket, book), directory_of(ticket))
    except ApprovalError as error:
        raise Invalid(f"{error}") from error
    stage.because, stage.notes = asked.because[:300], list(asked.notes)
    if asked.is_skipped:
        stage.state = StageState.SKIPPED
        stage.save()
        return False
    stage.state, stage.quorum, stage.since_s = StageState.PENDING, asked.quorum, now_s
    calendar = book.calendar(str(book.closing["calendar"]))
    for name in ("remind", "decide"):
        seconds = entry.get(f"{name}_seconds")
        at_s = _after(calendar, now_s, int(seconds)) if seconds else None
        setattr(stage, "remind_s" if name == "remind" else "decide_by_s", at_s)
    stage.save()
    ticket.approval = "pending"
    people = Person.objects.in_bulk(asked.people)
    for one in asked.approvers:
        ask_one(work, stage, people[one.person], one.because, one.instead_of)
    names = ", ".join(people[one].name for one in asked.people)
    _wait(
        work,
        f"{names} decides: {stage.name}" if len(people) == 1 else f"{names} decide: {stage.name}",
    )
    return True


def _after(calendar: object, now_s: int, seconds: int) -> int:
    return seconds_of(calendar.due(instant_of(now_s), seconds))  # type: ignore[attr-defined]


def ask_one(
    work: Work,
    stage: RouteStage,
    person: Person,
    because: str,
    instead_of: int | None = None,
    seat: int | None = None,
) -> Approval:
    """Ask one person of a stage, and whoever deputises for them now."""
    ticket, now_s = work.ticket, work.acting.now_s
    asked = Approval.objects.create(
        ticket=ticket,
        stage=stage,
        round=stage.round,
        asked_of=person,
        asked_by=ticket.requester,
        instead_of_id=instead_of,
        seat=seat,
        because=because[:300],
        what=f"{stage.name}: {ticket.title}"[:500],
        cost_pence=kind_of(ticket).cost(ticket).once_pence or None,
        asked_s=now_s,
    )
    own = {ticket.requester_id, ticket.beneficiary_id}
    deputies = [one for one in deputies_at([person.pk], now_s).get(person.pk, []) if one not in own]
    for one in [person, *Person.objects.filter(pk__in=deputies)]:
        ask_also(work, asked, one)
    count(ticket)
    return asked


def ask_also(work: Work, asked: Approval, person: Person) -> None:
    """Tell one person of a question that they may decide; they may read what it is about."""
    Follower.objects.get_or_create(ticket=work.ticket, person=person)
    work.record(
        TicketEvent.APPROVAL_ASKED,
        by_desk=False,
        is_automatic=True,
        facts={"approval": asked.pk, "person": str(person.pk)},
        values={"what": asked.what, "name": person.name, "cost_pence": asked.cost_pence},
    )
    work.tell(person, "approval asked", asked.what)
    tell_of(work, asked, person)


def tell_of(work: Work, asked: Approval, person: Person) -> None:
    """The notification from which an approval is decided."""
    words = asked.what
    if asked.cost_pence:
        words = f"{words} ({asked.cost_pence / 100:,.2f})"
    messenger().notify(
        person,
        "approval asked",
        f"approval:{asked.pk}",
        words[:200],
        work.acting.now_s,
        ticket=work.ticket,
        text=work.ticket.title,
        actor=asked.asked_by.name,
    )


def settle_stage(work: Work, stage: RouteStage) -> None:
    """After a decision: the stage goes on waiting, is approved or refused; and what follows."""
    rows = list(stage.asked.filter(round=stage.round))
    over = (Ask.PASSED_ON, Ask.NOT_NEEDED)
    people = list(dict.fromkeys(_seat(one) for one in rows if one.state not in over))
    decisions = [
        core.Decision(_seat(one), one.state == Ask.APPROVED, (one.decided_s, one.pk))
        for one in rows
        if one.state in (Ask.APPROVED, Ask.REFUSED)
    ]
    now_s = work.acting.now_s
    settled = core.settle(stage.quorum, people, decisions)
    if settled.state == "pending":
        return
    stage.state = StageState.APPROVED if settled.state == "approved" else StageState.REFUSED
    stage.ended_s, stage.remind_s, stage.decide_by_s = now_s, None, None
    stage.save()
    drop_questions(work, [one for one in rows if one.state == Ask.PENDING])
    if settled.state == "approved":
        advance(work)
        return
    reason = next((one.reason for one in reversed(rows) if one.state == Ask.REFUSED), "")
    refuse(work, reason)


def _seat(asked: Approval) -> int:
    """Who counts once for the quorum: a person, or the board that one was passed on to."""
    return asked.asked_of_id if asked.seat is None else -asked.seat


def seat_taken(work: Work, asked: Approval) -> None:
    """One of a board has decided: the others of it need not."""
    if asked.seat is not None and asked.stage is not None:
        others = asked.stage.asked.filter(seat=asked.seat, state=Ask.PENDING)
        drop_questions(work, list(others))


def refuse(work: Work, reason: str) -> None:
    """The request ends refused; the requester reads why and can ask again."""
    ticket = work.ticket
    ticket.stages.filter(state__in=OPEN_STAGES).update(
        state=StageState.DROPPED, ended_s=work.acting.now_s, remind_s=None, decide_by_s=None
    )
    drop_questions(work, list(ticket.approvals.filter(state=Ask.PENDING, stage__isnull=False)))
    ticket.approval = "refused"
    work.record(
        ApprovalEvent.ROUTE_ENDED,
        by_desk=False,
        is_automatic=True,
        audience=Audience.EVERYBODY,
        values={"what": "refused"},
        text=reason,
    )
    end(work, TicketEvent.CANCELLED, is_automatic=True)
    work.tell(ticket.requester, "request refused", reason)
    if ticket.beneficiary_id not in (None, ticket.requester_id):
        work.tell(ticket.beneficiary, "request refused", reason)


@while_decided
def go_on_waiting(work: Work) -> None:
    """An answer or the date has come: it is the approvers' turn again."""
    ticket = work.ticket
    if ticket.approval != "pending":
        return
    pending = list(ticket.approvals.filter(state=Ask.PENDING, stage__isnull=False))
    for one in pending:
        one.question, one.until_s = "", None
        one.save()
        work.tell(one.asked_of, "approval asked", one.what)
        tell_of(work, one, one.asked_of)
    names = ", ".join(one.asked_of.name for one in pending)
    _wait(work, f"{names} decides" if len(pending) == 1 else f"{names} decide")


def reopen_touched(work: Work, changed: Sequence[str]) -> list[str]:
    """Answers changed: the stages whose conditions or shown facts they touch are asked again."""
    ticket = work.ticket
    route = edition(ticket.edition).routes.get(ticket.route)
    if route is None:
        return []
    keys = core.touched(route, changed)
    again = list(
        ticket.stages.filter(key__in=keys).exclude(
            state__in=(StageState.REFUSED, StageState.DROPPED)
        )
    )
    for stage in again:
        waiting = list(stage.asked.filter(round=stage.round, state=Ask.PENDING))
        drop_questions(work, waiting)
        stage.state, stage.round = StageState.TO_COME, stage.round + 1
        stage.ended_s = stage.remind_s = stage.decide_by_s = None
        stage.save()
    if again and not ticket.stages.filter(state=StageState.PENDING).exists():
        advance(work)
    return [stage.name for stage in again]


def _stages(standing: timers.Standing) -> dict[str, int]:
    """When each pending stage reminds, passes to its fallback or is refused."""
    if standing.ticket.approval != "pending":
        return {}
    found = {}
    for stage in standing.ticket.stages.filter(state=StageState.PENDING):
        moments = [at_s for at_s in (stage.remind_s, stage.decide_by_s) if at_s is not None]
        if moments:
            found[str(stage.pk)] = min(moments)
    return found


def _stage_is_due(timer: Timer, acting: Acting) -> None:
    with working(timer.ticket_id or 0, acting) as work:
        run_due(RouteStage.objects.get(pk=int(timer.subject)), work)
        if not work.entries:
            work.rearm()  # its reminder is past; its time to decide is still to come


timers.register(timers.TimerKind(key="stage", fire=_stage_is_due, wanted=_stages, is_for_open=True))


def replace_leavers(now_s: int, most: int = 20) -> int:
    """Who left while being asked is replaced as the route says; nothing waits for them."""
    gone = Approval.objects.filter(
        state=Ask.PENDING, stage__isnull=False, asked_of__is_active=False
    )
    numbers = dict(gone.order_by("id").values_list("pk", "ticket_id")[:most])

    def replace(key: int) -> None:
        with working(numbers[key], Acting(person=None, now=instant_of(now_s))) as work:
            _replace(work, Approval.objects.select_related("stage", "asked_of").get(pk=key))

    return each("replacing who left", list(numbers), replace, now_s)


def _replace(work: Work, left: Approval) -> None:
    ticket, stage = work.ticket, left.stage
    if stage is None or left.state != Ask.PENDING:
        return
    book = edition(ticket.edition)
    route = route_in_ids(dict(book.routes[ticket.route]))
    entry = next(one for one in route["stages"] if one["key"] == stage.key)
    around = directory_of(ticket)
    # Whom they passed it on to, or who stands for them now.
    alone = {**entry, "approvers": [{"who": "left", "of": str(left.asked_of_id)}], "if": None}
    known = core.Directory(
        lambda who, of: [int(of)], around.manager, around.is_here, around.keepers
    )
    found = core.ask(alone, route, case_of(ticket, book), known)
    left.state, left.decided_s = Ask.PASSED_ON, work.acting.now_s
    left.reason = "left"
    left.save()
    messenger().gone(work.acting.now_s, about=f"approval:{left.pk}")
    asked = set(
        stage.asked.filter(round=stage.round, state=Ask.PENDING).values_list(
            "asked_of_id", flat=True
        )
    )
    people = Person.objects.in_bulk(found.people)
    for one in found.approvers:
        if one.person not in asked:
            person = people[one.person]
            ask_one(work, stage, person, f"{left.asked_of.name} left", left.asked_of_id, left.seat)
            _wait(work, f"{person.name} decides: {stage.name}")
    count(ticket)


def run_due(stage: RouteStage, work: Work) -> None:
    """A stage's reminder or its time to decide has come."""
    now_s, ticket = work.acting.now_s, work.ticket
    if stage.state != StageState.PENDING:
        return
    entry = next(
        one
        for one in edition(ticket.edition).routes[ticket.route]["stages"]
        if one["key"] == stage.key
    )
    pending = list(stage.asked.filter(round=stage.round, state=Ask.PENDING))
    is_put_back = any(one.question or one.until_s for one in pending)
    is_over = stage.decide_by_s is not None and stage.decide_by_s <= now_s
    then = entry.get("when_passed", "remind") if is_over else "remind"
    stage.remind_s = None
    if is_over:
        stage.decide_by_s = None
    stage.save()
    if then == "refuse":
        stage.state, stage.ended_s = StageState.REFUSED, now_s
        stage.save()
        refuse(work, f"Nobody decided “{stage.name}” in time.")
        return
    if then == "fallback":
        fallback = route_in_ids({"owner": None, "stages": [dict(entry)]})["stages"][0]["fallback"]
        own = {ticket.requester_id, ticket.beneficiary_id}
        known = {one.asked_of_id for one in stage.asked.filter(round=stage.round)}
        if fallback is not None and fallback not in own | known:
            for one in pending:
                one.state, one.decided_s = Ask.PASSED_ON, now_s
                one.save()
                messenger().gone(now_s, about=f"approval:{one.pk}")
            person = Person.objects.get(pk=fallback)
            ask_one(work, stage, person, "the time to decide has passed", pending[0].asked_of_id)
            _wait(work, f"{person.name} decides: {stage.name}")
            return
    if is_put_back:
        return
    for one in pending:
        work.record(
            TicketEvent.APPROVAL_ASKED,
            by_desk=False,
            is_automatic=True,
            facts={"approval": one.pk, "person": str(one.asked_of_id)},
            values={"what": f"reminded: {one.what}", "name": one.asked_of.name},
        )
        work.tell(one.asked_of, "approval asked", one.what)


def _drop_route(work: Work, ending: Ending) -> dict[str, Any] | None:
    """The request ended otherwise: nobody need decide any more."""
    ticket = work.ticket
    if ticket.approval != "pending":
        return None
    stages = list(ticket.stages.filter(state__in=OPEN_STAGES))
    questions = list(ticket.approvals.filter(state=Ask.PENDING, stage__isnull=False))
    kept = {
        "stages": [[one.pk, str(one.state), one.remind_s, one.decide_by_s] for one in stages],
        "questions": [one.pk for one in questions],
        "at": work.acting.now_s,
    }
    ticket.stages.filter(state__in=OPEN_STAGES).update(
        state=StageState.DROPPED, ended_s=work.acting.now_s, remind_s=None, decide_by_s=None
    )
    drop_questions(work, questions)
    ticket.approval = ""
    return kept


def _restore_route(work: Work, kept: Mapping[str, Any], is_undo: bool) -> None:
    """The request is open again: its stages stand where they stood, with the time they had."""
    ticket = work.ticket
    gone_by = 0 if is_undo else work.acting.now_s - int(kept["at"])
    for key, state, remind_s, decide_by_s in kept["stages"]:
        RouteStage.objects.filter(pk=key).update(
            state=state,
            ended_s=None,
            remind_s=remind_s and remind_s + gone_by,
            decide_by_s=decide_by_s and decide_by_s + gone_by,
        )
    ticket.approval = "pending"
    restore_questions(work, kept["questions"])
    if not is_undo:
        go_on_waiting(work)


endings.register(endings.EndingPart(name="route", drop=_drop_route, restore=_restore_route))


def restore_questions(work: Work, keys: Sequence[int]) -> None:
    """What was asked is asked again, of the same people."""
    for one in Approval.objects.filter(pk__in=keys, state=Ask.NOT_NEEDED).select_related(
        "asked_of", "asked_by"
    ):
        one.state, one.decided_s = Ask.PENDING, None
        one.save()
        tell_of(work, one, one.asked_of)
    count(work.ticket)


def drop_questions(work: Work, rows: Sequence[Approval]) -> None:
    """Nobody need answer these any more."""
    for one in rows:
        one.state, one.decided_s = Ask.NOT_NEEDED, work.acting.now_s
        one.save()
        messenger().gone(work.acting.now_s, about=f"approval:{one.pk}")
    count(work.ticket)


def _wait(work: Work, reason: str) -> None:
    ticket = work.ticket
    if ticket.state == StateCode.WAITING:
        ticket.waiting_reason = reason[:300]
        return
    acting = work.acting
    work.acting = Acting(person=None, now=acting.now)
    try:
        set_waiting(work, Wait(on=Waiting.APPROVAL, reason=reason))
    finally:
        work.acting = acting


def _stop_waiting(work: Work) -> None:
    if work.ticket.waiting_on == Waiting.APPROVAL:
        work.end_wait()
        work.record(TicketEvent.RESUMED, by_desk=False, is_automatic=True)


def count(ticket: Ticket) -> None:
    ticket.open_approvals = ticket.approvals.filter(state=Ask.PENDING).count()
