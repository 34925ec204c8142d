"""The worker: fires timers exactly once, sends the outbox, reads inbound mail.

A timer is fired in the transaction of what it does: the act and the mark that it was
fired are committed together or not at all, so killing the worker at any instant loses
nothing and repeats nothing. The write lock that a transaction takes at its beginning
keeps two workers from claiming the same timer.
"""

import logging
import os
import threading
import time
from collections.abc import Callable, Sequence
from datetime import timedelta

from django.db import close_old_connections, connection, transaction
from django.db.models import F
from django.utils import timezone
from django_tasks import DEFAULT_TASK_QUEUE_NAME
from django_tasks_db.management.commands.db_worker import Worker as TaskWorker

from gannet.audit.heads import sign_head
from gannet.audit.models import Kind
from gannet.messages import hooks, inbound, notices, outbox
from gannet.messages.models import Notification
from gannet.people.models import Person, Role
from gannet.rulebook.jobs import SLOW, revive
from gannet.rulebook.models import Job, JobKind
from gannet.tickets import exports, search
from gannet.tickets.actions import Acting, close, escalate_step, resume, route_again, working
from gannet.tickets.actions.fulfilment import route_tasks, run_runbooks
from gannet.tickets.actions.outward import look_outside
from gannet.tickets.actions.own import fire_reminders
from gannet.tickets.actions.routes import fire_due_stages, replace_leavers, tell_deputies
from gannet.tickets.classify import retrain
from gannet.tickets.files import sweep_uploads
from gannet.tickets.models import (
    OPEN_LIMIT,
    Clock,
    ClockStateCode,
    IdempotentAnswer,
    Presence,
    StateCode,
    SuggestionModel,
    Ticket,
    Timer,
    TimerKind,
    TimerState,
)
from gannet.web.room import room
from gannet_core.instants import instant_of, seconds_of

log = logging.getLogger(__name__)
_DISK = "disk:0"
_MAKE_ROOM = (
    "Make room, or move the data to a larger disk. When it is full, nothing can be written; "
    "reading goes on."
)
BATCH = 25
# SQLite has no queue for its write lock: who waits asks again every tenth of a second. A
# worker with much to do therefore stands back for longer than that, now and then.
_AT_A_STRETCH_SECONDS = 0.8
_STAND_BACK_SECONDS = 0.13
_RETRY_SECONDS = 60
_RETRAIN_EVERY = timedelta(days=1)


def fire_due(now_s: int, most: int = BATCH) -> int:
    """Fire the timers that are due, soonest first; returns how many were fired."""
    with transaction.atomic():
        due = Timer.objects.filter(state=TimerState.ARMED, at_s__lte=now_s)
        timers = list(due.order_by("at_s", "id").select_for_update(skip_locked=_can_skip())[:most])
        # Marked before they act, so that an act does not see its own timer as armed.
        Timer.objects.filter(pk__in=[timer.pk for timer in timers]).update(
            state=TimerState.FIRED, fired_s=now_s, attempts=F("attempts") + 1
        )
        moot = _moot(timers)
        for timer in timers:
            if timer.pk not in moot:
                _fire(timer, now_s)
    if timers:
        _let_others()
    return len(timers)


_stretch = time.monotonic()


def _let_others() -> None:
    """Stand back from the write lock when it has been held, on and off, for a while."""
    global _stretch
    held = time.monotonic() - _stretch
    if held > _AT_A_STRETCH_SECONDS:
        if held < 10 * _AT_A_STRETCH_SECONDS:
            time.sleep(_STAND_BACK_SECONDS)
        _stretch = time.monotonic()


def _moot(timers: Sequence[Timer]) -> set[int]:
    """The timers of a batch whose reason is gone: their ticket or clock has moved on."""
    numbers = [timer.ticket_id for timer in timers]
    tickets = {
        number: (state, holder)
        for number, state, holder in Ticket.objects.filter(pk__in=numbers).values_list(
            "pk", "state", "holder_id"
        )
    }
    late = [timer.ticket_id for timer in timers if timer.kind == TimerKind.LATE]
    clocks = set()
    if late:
        live = (ClockStateCode.RUNNING, ClockStateCode.LATE)
        rows = Clock.objects.filter(ticket__in=late, state__in=live)
        clocks = {(t, f"{k}/{h}") for t, k, h in rows.values_list("ticket_id", "kind", "holder")}
    moot = set()
    for timer in timers:
        state, holder = tickets.get(timer.ticket_id, (StateCode.CLOSED, None))
        stands = {
            TimerKind.LATE: (timer.ticket_id, timer.subject) in clocks,
            TimerKind.CLOSE: True,
            TimerKind.RETURN: state == StateCode.WAITING,
            TimerKind.ROUTE: holder is None and state <= OPEN_LIMIT,
            TimerKind.STEP: state <= OPEN_LIMIT,
        }
        if not stands[TimerKind(timer.kind)]:
            moot.add(timer.pk)
    return moot


def _can_skip() -> bool:
    return connection.features.has_select_for_update_skip_locked


def _fire(timer: Timer, now_s: int) -> None:
    try:
        with transaction.atomic():
            _ACTS[TimerKind(timer.kind)](timer, Acting(person=None, now=instant_of(now_s)))
    except Exception as error:
        log.exception("timer %s failed", timer.pk)
        Timer.objects.filter(pk=timer.pk).update(
            state=TimerState.ARMED,
            fired_s=None,
            at_s=now_s + _RETRY_SECONDS * 2 ** min(timer.attempts, 8),
            problem=str(error)[:500],
        )


def _late(timer: Timer, acting: Acting) -> None:
    """Record that a target ran out, if its clock did go past it."""
    kind, _, holder = timer.subject.partition("/")
    with working(timer.ticket_id, acting) as work:
        # Recomputed by the frame; only the row's word at this instant is read here.
        clock = next((c for c in work.clocks if c.kind == kind and c.holder == holder), None)
        if clock is None or clock.state not in (ClockStateCode.RUNNING, ClockStateCode.LATE):
            return
        work.record(Kind.TARGET_MISSED, facts={"clock": kind, "holder": holder}, is_automatic=True)
        if not holder:  # the customer's targets; a team's own are in its reports
            work.tell(work.ticket.holder, "late", work.book.clock_kinds[kind]["label"])


def _return(timer: Timer, acting: Acting) -> None:
    resume(timer.ticket_id, acting, "The date it waited for has come.")


_ACTS: dict[TimerKind, Callable[[Timer, Acting], object]] = {
    TimerKind.CLOSE: lambda timer, acting: close(timer.ticket_id, acting),
    TimerKind.RETURN: _return,
    TimerKind.LATE: _late,
    TimerKind.STEP: lambda timer, acting: escalate_step(timer.ticket_id, acting, timer.subject),
    TimerKind.ROUTE: lambda timer, acting: route_again(timer.ticket_id, acting),
}


def step(now_s: int) -> int:
    """One round of everything; returns how much was done."""
    if room().is_out:
        # A mail that leaves and cannot be marked as sent would leave again and again.
        return 0
    done = 0
    while fired := fire_due(now_s):
        done += fired
    done += inbound.read_waiting(now_s)
    done += fire_reminders(now_s)
    done += fire_due_stages(now_s)
    done += replace_leavers(now_s)
    done += tell_deputies(now_s)
    done += run_runbooks(now_s)
    done += route_tasks(now_s)
    done += look_outside(now_s, Acting(person=None, now=instant_of(now_s)))
    done += outbox.send_due(now_s)
    done += hooks.send_due(now_s)
    return done


def tidy(now_s: int) -> None:
    """Housekeeping: what is only kept for a while goes."""
    tell_of_room(now_s)
    if room().is_out:
        return
    revive(now_s)
    search.fill_if_empty()
    IdempotentAnswer.objects.filter(made_at__lt=instant_of(now_s) - timedelta(days=2)).delete()
    Presence.objects.filter(seen_s__lt=now_s - 3600).delete()
    sweep_files(now_s)
    sign_head(instant_of(now_s))
    trained = SuggestionModel.objects.values_list("trained_at", flat=True).first()
    is_old = trained is None or instant_of(now_s) - trained > _RETRAIN_EVERY
    if is_old and Ticket.objects.exists():
        retrain()


def sweep_files(now_s: int) -> None:
    """Files that nobody fetches or sends any more: exports of yesterday, uploads never sent."""
    day_ago = instant_of(now_s) - exports.KEPT_FOR
    for job in Job.objects.filter(kind=JobKind.EXPORT, made_at__lt=day_ago):
        exports.drop(job.result)
        job.delete()
    exports.sweep(day_ago)
    sweep_uploads(instant_of(now_s))


def tell_of_room(now_s: int) -> None:
    """Tell administrators that the disk is nearly full, once a day, and when it is well again."""
    found = room()
    if not found.is_short:
        notices.gone(now_s, about=_DISK)
        return
    since = now_s - 86_400
    told = Notification.objects.filter(about=_DISK, gone_s=None, made_s__gt=since)
    known = set(told.values_list("person_id", flat=True))
    for person in Person.objects.filter(is_active=True):
        if person.has_role(Role.ADMINISTRATOR) and person.pk not in known:
            notices.notify(
                person, "disk nearly full", _DISK, found.sentence, now_s, text=_MAKE_ROOM
            )


def work_tasks(should_stop: Callable[[], bool], queue: str) -> None:
    """Run the background tasks of a queue one after the other; lives in a thread of the worker."""
    runner = TaskWorker(
        queue_names=[queue],
        interval=0,
        batch=True,
        backend_name="default",
        startup_delay=False,
        max_tasks=1,
        worker_id=f"gannet-{os.getpid()}-{queue}",
        excluded_queue_names=[],
    )
    while not should_stop():
        try:
            runner.run()
            runner._run_tasks = 0
        except Exception:
            log.exception("a background task stumbled")
        time.sleep(0.5)


def run(should_stop: Callable[[], bool], pause_seconds: float = 0.5) -> None:
    """Work until told to stop."""
    next_tidy = 0.0
    for queue in (DEFAULT_TASK_QUEUE_NAME, SLOW):
        threading.Thread(target=work_tasks, args=(should_stop, queue), daemon=True).start()
    while not should_stop():
        now_s = seconds_of(timezone.now())
        try:
            done = step(now_s)
            if time.monotonic() >= next_tidy:
                tidy(now_s)
                next_tidy = time.monotonic() + 60
        except Exception:
            log.exception("the worker stumbled and goes on")
            done = 0
        if not done:
            close_old_connections()
            time.sleep(pause_seconds)
