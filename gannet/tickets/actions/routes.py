"""The approval route of a request: begun, stage by stage, to its end – nothing hangs.

Every stage is worked out by the core when its turn comes, so that people who left are
replaced then; what it came to is kept on the stage. A request waits on approval only
while a stage with named people is pending.
"""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from django.db.models import QuerySet

from gannet.audit.models import Audience, Event
from gannet.people.acting import Acting
from gannet.people.models import Person
from gannet.rulebook.book import Book, edition
from gannet.tickets.actions import endings, timers
from gannet.tickets.actions.endings import Ending, end
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.waiting import Wait, set_waiting, while_decided
from gannet.tickets.approval_events import ApprovalEvent
from gannet.tickets.directory import (
    case_of,
    deputies_at,
    directory_of,
    own_people,
    route_in_ids,
)
from gannet.tickets.events import TicketEvent
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import (
    Approval,
    ApprovalState,
    RouteStage,
    StageState,
    StateCode,
    Ticket,
    Timer,
)
from gannet.tickets.models.attached import let_read
from gannet.tickets.telling import messenger
from gannet.web.errors import Invalid
from gannet.web.isolation import each
from gannet.web.kept import Givens, KeptQueries
from gannet_core import approvals as core
from gannet_core.errors import ApprovalError
from gannet_core.instants import instant_of, seconds_of
from gannet_core.lifecycle import Act, Waiting

OPEN_STAGES = (StageState.TO_COME, StageState.PENDING)


GoAhead = Callable[[RecordWrite], None]
_when_approved: list[GoAhead] = []


def when_approved(go_ahead: GoAhead) -> GoAhead:
    """Let a function act when a record may go ahead, in the same transaction."""
    if go_ahead not in _when_approved:
        _when_approved.append(go_ahead)
    return go_ahead


def asked_of(ticket: Ticket, book: Book | None = None) -> tuple[core.AskedStage, ...]:
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


def begin(write: RecordWrite) -> None:
    """Work out the route of a new request and open its first stage, or fulfil it at once."""
    ticket = write.ticket
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
        # One that was begun before stands before it.
        for position, one in enumerate(asked, ticket.stages.count())
    ]
    RouteStage.objects.bulk_create(rows)
    if asked:
        write.record(
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
    advance(write)


def advance(write: RecordWrite) -> None:
    """Open the next stage that is to come; with none left the request is approved."""
    ticket = write.ticket
    following = ticket.stages.filter(state=StageState.TO_COME).first()
    while following is not None:
        if _open(write, following):
            return
        following = ticket.stages.filter(state=StageState.TO_COME).first()
    was_decided = ticket.stages.filter(state=StageState.APPROVED).exists()
    ticket.approval = "approved" if was_decided else "automatic"
    words = "approved" if was_decided else "no stage applies: approved by itself"
    if not ticket.route:
        words = "pre-approved"
    write.record(
        ApprovalEvent.ROUTE_ENDED,
        by_desk=False,
        is_automatic=True,
        audience=Audience.EVERYBODY,
        values={"what": words},
    )
    if was_decided:
        _tell_approved(write)
    _stop_waiting(write)
    for go_ahead in _when_approved:
        go_ahead(write)


def _tell_approved(write: RecordWrite) -> None:
    """Who asked, and for whom, hear that it goes ahead, and who decided."""
    ticket = write.ticket
    decided = ticket.approvals.filter(
        state=ApprovalState.APPROVED, stage__state=StageState.APPROVED
    )
    names = dict.fromkeys(one.decided_by.name for one in decided if one.decided_by)
    words = f"Answered by {', '.join(names)}."
    write.tell(ticket.requester, "request approved", words)
    if ticket.beneficiary_id not in (None, ticket.requester_id):
        write.tell(ticket.beneficiary, "request approved", words)


def _open(write: RecordWrite, stage: RouteStage) -> bool:
    """Ask the people of a stage; False when it turns out to be skipped now."""
    ticket, now_s = write.ticket, write.acting.now_s
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
        ask_one(write, stage, people[one.person], one.because, one.instead_of)
    names = ", ".join(people[one].name for one in asked.people)
    _wait(
        write,
        f"{names} {'is' if len(people) == 1 else 'are'} asked: {stage.name}",
    )
    return True


def _after(calendar: object, now_s: int, seconds: int) -> int:
    return seconds_of(calendar.due(instant_of(now_s), seconds))  # type: ignore[attr-defined]


def ask_one(
    write: RecordWrite,
    stage: RouteStage,
    person: Person,
    because: str,
    instead_of: int | None = None,
    seat: int | None = None,
) -> Approval:
    """Ask one person of a stage, and whoever deputises for them now."""
    ticket, now_s = write.ticket, write.acting.now_s
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
    own = own_people(ticket)
    deputies = [one for one in deputies_at([person.pk], now_s).get(person.pk, []) if one not in own]
    for one in [person, *Person.objects.filter(pk__in=deputies)]:
        ask_also(write, asked, one)
    count(ticket)
    return asked


def ask_also(write: RecordWrite, asked: Approval, person: Person) -> None:
    """Tell one person of a question that they may decide; they may read what it is about."""
    let_read(write.ticket, person)
    write.record(
        TicketEvent.APPROVAL_ASKED,
        by_desk=False,
        is_automatic=True,
        facts={"approval": asked.pk, "person": str(person.pk)},
        values={"what": asked.what, "name": person.name, "cost_pence": asked.cost_pence},
    )
    write.tell(person, "approval asked", asked.what)
    tell_of(write, asked, person)


def was_asked(asked: Approval, person: Person) -> bool:
    """Whether somebody has been told of a question before."""
    told = Event.objects.filter(ticket=asked.ticket, kind=TicketEvent.APPROVAL_ASKED)
    return told.filter(facts__approval=asked.pk, facts__person=str(person.pk)).exists()


def tell_of(write: RecordWrite, asked: Approval, person: Person) -> None:
    """The notification from which an approval is decided."""
    words = asked.what
    if asked.cost_pence:
        words = f"{words} ({asked.cost_pence / 100:,.2f})"
    messenger().notify(
        person,
        "approval asked",
        f"approval:{asked.pk}",
        words[:200],
        write.acting.now_s,
        ticket=write.ticket,
        text=write.ticket.title,
        actor=asked.asked_by.name,
    )


def weigh_decisions(write: RecordWrite, stage: RouteStage) -> None:
    """After a decision: the stage goes on waiting, is approved or refused; and what follows."""
    rows = list(stage.asked.filter(round=stage.round))
    over = (ApprovalState.PASSED_ON, ApprovalState.NOT_NEEDED)
    people = list(dict.fromkeys(_seat(one) for one in rows if one.state not in over))
    decisions = [
        core.Decision(_seat(one), one.state == ApprovalState.APPROVED, (one.decided_s, one.pk))
        for one in rows
        if one.state in (ApprovalState.APPROVED, ApprovalState.REFUSED)
    ]
    now_s = write.acting.now_s
    settled = core.settle(stage.quorum, people, decisions)
    if settled.state == "pending":
        return
    stage.state = StageState.APPROVED if settled.state == "approved" else StageState.REFUSED
    stage.ended_s, stage.remind_s, stage.decide_by_s = now_s, None, None
    stage.save()
    drop_questions(write, [one for one in rows if one.state == ApprovalState.PENDING])
    if settled.state == "approved":
        advance(write)
        return
    reason = next((one.reason for one in reversed(rows) if one.state == ApprovalState.REFUSED), "")
    refuse(write, reason)


def _seat(asked: Approval) -> int:
    """Who counts once for the quorum: a person, or the board that one was passed on to."""
    return asked.asked_of_id if asked.seat is None else -asked.seat


def seat_taken(write: RecordWrite, asked: Approval) -> None:
    """One of a board has decided: the others of it need not."""
    if asked.seat is not None:
        others = write.ticket.approvals.filter(seat=asked.seat, state=ApprovalState.PENDING)
        drop_questions(write, list(others.filter(stage=asked.stage)))


def refuse(write: RecordWrite, reason: str) -> None:
    """The request ends refused; the requester reads why and can ask again."""
    ticket = write.ticket
    ticket.stages.filter(state__in=OPEN_STAGES).update(
        state=StageState.DROPPED, ended_s=write.acting.now_s, remind_s=None, decide_by_s=None
    )
    drop_questions(
        write, list(ticket.approvals.filter(state=ApprovalState.PENDING, stage__isnull=False))
    )
    ticket.approval = "refused"
    write.record(
        ApprovalEvent.ROUTE_ENDED,
        by_desk=False,
        is_automatic=True,
        audience=Audience.EVERYBODY,
        values={"what": "refused"},
        text=reason,
    )
    end(write, kind_of(ticket).refusal or TicketEvent.CANCELLED, is_automatic=True)
    write.tell(ticket.requester, "request refused", reason)
    if ticket.beneficiary_id not in (None, ticket.requester_id):
        write.tell(ticket.beneficiary, "request refused", reason)


@while_decided
def go_on_waiting(write: RecordWrite) -> None:
    """An answer or the date has come: it is the approvers' turn again."""
    ticket = write.ticket
    rows = ticket.approvals.filter(state=ApprovalState.PENDING).select_related("asked_of")
    # What was asked by hand holds a ticket up only while its approver has asked back.
    pending = [one for one in rows if one.stage_id or one.question or one.until_s]
    if not pending:
        return
    ask_on(write, pending, _said_last(write))
    names = ", ".join(one.asked_of.name for one in pending)
    _wait(write, f"{names} decides" if len(pending) == 1 else f"{names} decide")


def answered(write: RecordWrite, answer: str) -> None:
    """What an approver asked is answered, on a record that does not wait for it."""
    if write.ticket.open_approvals and Act.WAITING not in write.lifecycle.moves:
        rows = write.ticket.approvals.filter(state=ApprovalState.PENDING).exclude(question="")
        ask_on(write, list(rows.select_related("asked_of")), answer)


def ask_on(write: RecordWrite, pending: Sequence[Approval], answer: str) -> None:
    """Questions are answered, or a date has come: their approvers are asked again."""
    for one in pending:
        if one.question:
            one.answered = [*one.answered, {"question": one.question, "answer": answer[:500]}]
        said = f"{one.what} – “{answer[:200]}”" if one.question and answer else one.what
        one.question, one.until_s = "", None
        one.save()
        write.tell(one.asked_of, "approval asked", said)
        tell_of(write, one, one.asked_of)


def _said_last(write: RecordWrite) -> str:
    """What the requester has just written, if that is what takes a record up again."""
    said = [entry.text for entry in write.entries if entry.kind == TicketEvent.REQUESTER_WROTE]
    if said:
        return said[-1]
    last = write.ticket.events.filter(kind=TicketEvent.REQUESTER_WROTE).order_by("-id").first()
    since = write.ticket.waiting_since_s
    return last.text if last and since is not None and last.at_s >= since else ""


# How the desk sorts its work says nothing about what is approved.
_UNSHOWN = ("tags", "category")


def reopen_touched(write: RecordWrite, changed: Sequence[str]) -> list[str]:
    """Answers changed: the stages whose conditions or shown facts they touch are asked again."""
    ticket = write.ticket
    route = edition(ticket.edition).routes.get(ticket.route)
    if route is None:
        return []
    keys = core.touched(route, changed, _UNSHOWN)
    again = list(
        ticket.stages.filter(key__in=keys).exclude(
            state__in=(StageState.REFUSED, StageState.DROPPED)
        )
    )
    for stage in again:
        waiting = list(stage.asked.filter(round=stage.round, state=ApprovalState.PENDING))
        drop_questions(write, waiting)
        stage.state, stage.round = StageState.TO_COME, stage.round + 1
        stage.ended_s = stage.remind_s = stage.decide_by_s = None
        stage.save()
    if again and not ticket.stages.filter(state=StageState.PENDING).exists():
        advance(write)
    return [stage.name for stage in again]


def _stages(standing: timers.Standing) -> dict[str, int]:
    """When each pending stage reminds, passes to its fallback or is refused."""
    if standing.ticket.approval != "pending":
        return {}
    found = {}
    for key, *both in _kept.rows("pending", _pending, {"ticket": standing.ticket.pk}):
        moments = [at_s for at_s in both if at_s is not None]
        if moments:
            found[str(key)] = min(moments)
    return found


_kept = KeptQueries()


def _pending(givens: Givens) -> QuerySet[Any, Any]:
    found = RouteStage.objects.filter(ticket=givens["ticket"], state=StageState.PENDING)
    return found.values_list("pk", "remind_s", "decide_by_s")


def _stage_is_due(timer: Timer, acting: Acting) -> None:
    with writing(timer.ticket_id or 0, acting) as write:
        run_due(RouteStage.objects.get(pk=int(timer.subject)), write)
        if not write.entries:
            write.rearm()  # its reminder is past; its time to decide is still to come


timers.register(timers.TimerKind(key="stage", fire=_stage_is_due, wanted=_stages, is_for_open=True))


def replace_leavers(now_s: int, most: int = 20) -> int:
    """Who left while being asked is replaced as the route says; nothing waits for them."""
    # Few have left; what waits on them is looked up, and not who each waits on.
    left = list(Person.objects.filter(is_active=False).values_list("pk", flat=True))
    if not left:
        return 0
    gone = Approval.objects.filter(
        state=ApprovalState.PENDING, stage__isnull=False, asked_of__in=left
    )
    numbers = dict(gone.order_by("id").values_list("pk", "ticket_id")[:most])

    def replace(key: int) -> None:
        with writing(numbers[key], Acting(person=None, now=instant_of(now_s))) as write:
            _replace(write, Approval.objects.select_related("stage", "asked_of").get(pk=key))

    return each("replacing who left", list(numbers), replace, now_s)


def _replace(write: RecordWrite, left: Approval) -> None:
    ticket, stage = write.ticket, left.stage
    if stage is None or left.state != ApprovalState.PENDING:
        return
    book = edition(ticket.edition)
    route = route_in_ids(dict(book.routes[ticket.route]))
    entry = next(one for one in route["stages"] if one["key"] == stage.key)
    relations_now = directory_of(ticket)
    # Whom they passed it on to, or who stands for them now.
    alone = {**entry, "approvers": [{"who": "left", "of": str(left.asked_of_id)}], "if": None}
    known = core.Directory(
        lambda who, of: [int(of)],
        relations_now.manager,
        relations_now.is_here,
        relations_now.keepers,
    )
    found = core.ask(alone, route, case_of(ticket, book), known)
    left.state, left.decided_s = ApprovalState.PASSED_ON, write.acting.now_s
    left.reason = "left"
    left.save()
    messenger().gone(write.acting.now_s, about=f"approval:{left.pk}")
    asked = set(
        stage.asked.filter(round=stage.round, state=ApprovalState.PENDING).values_list(
            "asked_of_id", flat=True
        )
    )
    people = Person.objects.in_bulk(found.people)
    for one in found.approvers:
        if one.person not in asked:
            person = people[one.person]
            ask_one(write, stage, person, f"{left.asked_of.name} left", left.asked_of_id, left.seat)
            _wait(write, f"{person.name} is asked: {stage.name}")
    count(ticket)


def run_due(stage: RouteStage, write: RecordWrite) -> None:
    """A stage's reminder or its time to decide has come."""
    now_s, ticket = write.acting.now_s, write.ticket
    if stage.state != StageState.PENDING:
        return
    entry = next(
        one
        for one in edition(ticket.edition).routes[ticket.route]["stages"]
        if one["key"] == stage.key
    )
    pending = list(stage.asked.filter(round=stage.round, state=ApprovalState.PENDING))
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
        refuse(write, f"Nobody answered “{stage.name}” in time.")
        return
    if then == "fallback":
        fallback = route_in_ids({"owner": None, "stages": [dict(entry)]})["stages"][0]["fallback"]
        own = own_people(ticket)
        known = {one.asked_of_id for one in stage.asked.filter(round=stage.round)}
        if fallback is not None and fallback not in own | known:
            for one in pending:
                one.state, one.decided_s = ApprovalState.PASSED_ON, now_s
                one.save()
                messenger().gone(now_s, about=f"approval:{one.pk}")
            person = Person.objects.get(pk=fallback)
            ask_one(write, stage, person, "the time to approve has passed", pending[0].asked_of_id)
            _wait(write, f"{person.name} is asked: {stage.name}")
            return
    if is_put_back:
        return
    for one in pending:
        write.record(
            TicketEvent.APPROVAL_ASKED,
            by_desk=False,
            is_automatic=True,
            facts={"approval": one.pk, "person": str(one.asked_of_id)},
            values={"what": f"reminded: {one.what}", "name": one.asked_of.name},
        )
        write.tell(one.asked_of, "approval asked", one.what)


def _drop_route(write: RecordWrite, ending: Ending) -> dict[str, Any] | None:
    """The request ended otherwise: nobody need decide any more."""
    ticket = write.ticket
    if ticket.approval != "pending":
        return None
    stages = list(ticket.stages.filter(state__in=OPEN_STAGES))
    questions = list(ticket.approvals.filter(state=ApprovalState.PENDING, stage__isnull=False))
    kept = {
        "stages": [[one.pk, str(one.state), one.remind_s, one.decide_by_s] for one in stages],
        "questions": [one.pk for one in questions],
        "at": write.acting.now_s,
    }
    ticket.stages.filter(state__in=OPEN_STAGES).update(
        state=StageState.DROPPED, ended_s=write.acting.now_s, remind_s=None, decide_by_s=None
    )
    drop_questions(write, questions)
    ticket.approval = ""
    return kept


def drop_route(write: RecordWrite) -> None:
    """A record goes back to before its route: nobody need decide any more, and it begins anew."""
    ticket = write.ticket
    drop_questions(
        write, list(ticket.approvals.filter(state=ApprovalState.PENDING, stage__isnull=False))
    )
    ticket.stages.exclude(state=StageState.REFUSED).update(
        state=StageState.DROPPED, ended_s=write.acting.now_s, remind_s=None, decide_by_s=None
    )
    ticket.approval = ""


def _restore_route(write: RecordWrite, kept: Mapping[str, Any], is_undo: bool) -> None:
    """The request is open again: its stages stand where they stood, with the time they had."""
    ticket = write.ticket
    gone_by = 0 if is_undo else write.acting.now_s - int(kept["at"])
    for key, state, remind_s, decide_by_s in kept["stages"]:
        RouteStage.objects.filter(pk=key).update(
            state=state,
            ended_s=None,
            remind_s=remind_s and remind_s + gone_by,
            decide_by_s=decide_by_s and decide_by_s + gone_by,
        )
    ticket.approval = "pending"
    restore_questions(write, kept["questions"])
    if not is_undo:
        go_on_waiting(write)


endings.register(endings.EndingPart(name="route", drop=_drop_route, restore=_restore_route))


def restore_questions(write: RecordWrite, keys: Sequence[int]) -> None:
    """What was asked is asked again, of the same people."""
    for one in Approval.objects.filter(pk__in=keys, state=ApprovalState.NOT_NEEDED).select_related(
        "asked_of", "asked_by"
    ):
        one.state, one.decided_s = ApprovalState.PENDING, None
        one.save()
        tell_of(write, one, one.asked_of)
    count(write.ticket)


def drop_questions(write: RecordWrite, rows: Sequence[Approval]) -> None:
    """Nobody need answer these any more."""
    for one in rows:
        one.state, one.decided_s = ApprovalState.NOT_NEEDED, write.acting.now_s
        one.save()
        messenger().gone(write.acting.now_s, about=f"approval:{one.pk}")
    count(write.ticket)


def _wait(write: RecordWrite, reason: str) -> None:
    ticket = write.ticket
    if ticket.state == StateCode.WAITING:
        ticket.waiting_reason = reason[:300]
        return
    if Act.WAITING not in write.lifecycle.moves:
        return  # its stage says that it is the approvers' turn
    acting = write.acting
    write.acting = Acting(person=None, now=acting.now)
    try:
        set_waiting(write, Wait(on=Waiting.APPROVAL, reason=reason))
    finally:
        write.acting = acting


def _stop_waiting(write: RecordWrite) -> None:
    if write.ticket.waiting_on == Waiting.APPROVAL:
        write.end_wait()
        write.record(TicketEvent.RESUMED, by_desk=False, is_automatic=True)


def count(ticket: Ticket) -> None:
    ticket.open_approvals = ticket.approvals.filter(state=ApprovalState.PENDING).count()
