"""The end of a ticket: resolve, reopen, close, cancel."""

from typing import Any

from django.db.models import F

from gannet.audit.models import Audience
from gannet.knowledge.models import Article, ArticleState
from gannet.people.acting import Acting
from gannet.people.models import Team
from gannet.rulebook.book import Book
from gannet.tickets import forms
from gannet.tickets.actions import timers
from gannet.tickets.actions.endings import bring_back, end, last_ending
from gannet.tickets.actions.frame import RecordWrite, writing
from gannet.tickets.actions.leftovers import NOTHING_SAID, Settled, check_decided, check_settled
from gannet.tickets.events import TicketEvent
from gannet.tickets.fields import record_of
from gannet.tickets.kinds import kind_of
from gannet.tickets.models import StateCode, Ticket
from gannet.tickets.seen import STATE
from gannet.web.errors import Conflict, Invalid
from gannet_core.conditions import evaluate
from gannet_core.forms import missing
from gannet_core.lifecycle import Act


def resolve(
    ticket_id: int,
    acting: Acting,
    what: str,
    seen_version: int | None = None,
    *,
    cause: str = "",
    article: int | None = None,
    settled: Settled = NOTHING_SAID,
) -> Ticket:
    """Resolve with what was done, which the requester reads; and what was behind it.

    `settled` says what becomes of the tasks, questions and announcement still open with it.
    """
    check_words(what)
    with writing(ticket_id, acting, Act.RESOLVED) as write:
        write.check_seen(seen_version, STATE)
        set_resolved(write, what, cause=cause, article=article, settled=settled)
    return write.ticket


def check_words(what: str) -> None:
    if not what.strip():
        raise Invalid(
            "Say what was done: the requester reads it.",
            fields={"what": "A resolution needs its words."},
        )


def set_resolved(
    write: RecordWrite,
    what: str,
    *,
    cause: str = "",
    article: int | None = None,
    settled: Settled = NOTHING_SAID,
) -> None:
    """Resolve one ticket, within an act that has been checked."""
    ticket, acting = write.ticket, write.acting
    check_decided(ticket)
    if acting.person is not None:
        _check_length(write, what)
    check_stage(write, "resolving")
    _check_ready(write)
    check_settled(write, settled)
    facts: dict[str, Any] = {}
    if ticket.holder_id is None and acting.person is not None:
        ticket.holder = acting.person
        facts = {"person": str(acting.person.pk), "from_person": None}
    values: dict[str, Any] = {}
    if cause.strip():
        ticket.cause = values["cause"] = " ".join(cause.split())[:80]
    if article is not None:
        values["article"] = use_article(write, article)
    end(
        write,
        TicketEvent.RESOLVED,
        text=what.strip(),
        facts=facts,
        values=values,
        resolver=acting.person,
        done_tasks=settled.done_tasks,
    )
    ticket.is_first_line = int(_was_first_line(write))
    write.tell(ticket.requester, "resolved", what.strip())


def _check_length(write: RecordWrite, what: str) -> None:
    """The rulebook can ask for a resolution of so many words, which tell the next one more."""
    least = int(write.policy.closing.get("least_words") or 1)
    words = len(what.split())
    if words < least:
        raise Invalid(
            f"Say what was done in at least {least} words: “{what.strip()[:40]}” tells the "
            f"requester and the next one little.",
            fields={
                "what": f"At least {least} words; there {'is' if words == 1 else 'are'} {words}."
            },
            code="too-short",
        )


def _check_ready(write: RecordWrite) -> None:
    """Nothing is closed silently over what its kind says is not ready."""
    words = kind_of(write.ticket).not_ready(write.ticket)
    if words:
        raise Invalid(words, fields={"what": "It is not ready yet."}, code="not-ready")


def use_article(write: RecordWrite, number: int) -> int:
    """Note that an article resolves this; only a published one can."""
    found = Article.objects.filter(pk=number, state=ArticleState.PUBLISHED).first()
    if found is None:
        raise Invalid("There is no such article.", fields={"article": "Choose a published one."})
    write.ticket.article = found
    Article.objects.filter(pk=number).update(used=F("used") + 1)
    return number


def _was_first_line(write: RecordWrite) -> bool:
    """Whether only triage teams ever held it, and one of their people resolved it."""
    if write.acting.person is None:
        return False
    triage = set(Team.objects.filter(is_triage=True).values_list("key", flat=True))
    held = {row["facts"].get("team") for row in write._all_rows() if row["facts"].get("team")}
    return bool(held) and held <= triage


def reopen(ticket_id: int, acting: Acting, why: str) -> Ticket:
    """It is not solved after all: the fix clock goes on with what it had consumed."""
    if not why.strip():
        raise Invalid("Say what is still wrong.", fields={"why": "This is empty."})
    with writing(ticket_id, acting, Act.REOPENED) as write:
        ticket = write.ticket
        if ticket.state == StateCode.CLOSED:
            raise Conflict(
                f"{ticket.kind.capitalize()} {ticket.pk} is closed. Report it again and name "
                f"this number: nothing you write there is lost."
            )
        ended = last_ending(ticket)
        by_desk = write.by_desk() and acting.person_id != ticket.requester_id
        write.record(TicketEvent.REOPENED, audience=Audience.EVERYBODY, by_desk=by_desk)
        write.record(
            TicketEvent.NOTED if by_desk else TicketEvent.REQUESTER_WROTE,
            text=why.strip(),
            by_desk=by_desk,
            audience=Audience.DESK if by_desk else Audience.EVERYBODY,
        )
        if ended is not None:
            bring_back(write, ended, is_undo=False)
        ticket.reopenings += 1
        write.tell(ticket.holder, "reopened", why.strip())
    return write.ticket


def close(ticket_id: int, acting: Acting) -> Ticket:
    """Close a resolved ticket (the worker does, after the closing period)."""
    with writing(ticket_id, acting, Act.CLOSED) as write:
        end(write, TicketEvent.CLOSED)
    return write.ticket


def cancel(ticket_id: int, acting: Acting, why: str, seen_version: int | None = None) -> Ticket:
    """Cancel: it turned out not to be needed."""
    if not why.strip():
        raise Invalid("Say why it is not needed.", fields={"why": "This is empty."})
    with writing(ticket_id, acting, Act.CANCELLED) as write:
        write.check_seen(seen_version, STATE)
        ticket = write.ticket
        end(write, TicketEvent.CANCELLED, text=why.strip())
        write.tell(ticket.requester, "cancelled", why.strip())
        write.tell(ticket.holder, "cancelled", why.strip())
    return write.ticket


def check_stage(write: RecordWrite, stage: str) -> None:
    """Refuse a stage whose conditions do not hold, saying which and what to do."""
    ticket, book = write.ticket, write.policy
    record = record_of(ticket, book)
    for entry in book.closing.get("conditions") or ():
        if entry["stage"] == stage and not evaluate(entry["if"], record).result:
            raise Invalid(entry["says"], fields={"what": entry["says"]}, code="not-ready")
    form = forms.form_for(book, ticket)
    if form is None:
        return
    states = forms.resolve_for(form, ticket, "agent", stage)
    lacking = [name for name in missing(states) if name in book.fields]
    if lacking:
        labels = {name: book.fields[name]["label"] for name in lacking}
        raise Invalid(
            f"Fill in first: {', '.join(labels.values())}.",
            fields=dict.fromkeys(lacking, "This is needed now."),
            code="not-ready",
        )


def closes_at(resolved_s: int, book: Book) -> int:
    """When a resolved ticket closes by itself."""
    calendar = book.calendar(book.closing["calendar"])
    return calendar.due_s(resolved_s, book.closing["after_seconds"])


def _closes(standing: timers.Standing) -> dict[str, int]:
    ticket = standing.ticket
    if ticket.state != StateCode.RESOLVED or ticket.resolved_s is None:
        return {}
    return {"": closes_at(ticket.resolved_s, standing.book)}


timers.register(
    timers.TimerKind(
        key="close",
        fire=lambda timer, acting: close(timer.ticket_id or 0, acting),
        wanted=_closes,
    )
)
