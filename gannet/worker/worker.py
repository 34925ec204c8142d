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
from collections.abc import Callable, Collection, Sequence
from datetime import timedelta
from typing import Any

from django.db import close_old_connections, connection, transaction
from django.db.models import F, QuerySet
from django.utils import timezone
from django_tasks import DEFAULT_TASK_QUEUE_NAME
from django_tasks_db.management.commands.db_worker import Worker as TaskWorker
from django_tasks_db.models import DBTaskResult

from gannet.audit.heads import sign_head
from gannet.jobs.models import Job, JobKind
from gannet.jobs.running import SLOW, revive
from gannet.messages import notices
from gannet.messages.models import Notification
from gannet.people.models import Person, Role
from gannet.services import watching
from gannet.tickets import exports, search
from gannet.tickets.actions import Acting
from gannet.tickets.actions.timers import kind_of, known_kinds
from gannet.tickets.classify import retrain
from gannet.tickets.files import sweep_uploads
from gannet.tickets.models import (
    Presence,
    SuggestionModel,
    Ticket,
    Timer,
    TimerState,
)
from gannet.web.isolation import attempt
from gannet.web.kept import Givens, KeptQueries
from gannet.web.models import IdempotentAnswer
from gannet.web.room import room
from gannet.worker.rounds import ROUNDS, Round, do_rounds, tell_of_trouble
from gannet_core.instants import instant_of, seconds_of

log = logging.getLogger(__name__)
_DISK = "disk:0"
_MAKE_ROOM = (
    "Make room, or move the data to a larger disk. When it is full, nothing can be written; "
    "reading goes on."
)
BATCH = 25
# How long a batch may keep everybody else from writing.
_LONGEST_HOLD_SECONDS = 0.05
_RETRY_SECONDS = 60
_RETRAIN_EVERY = timedelta(days=1)


def fire_due(now_s: int, most: int = BATCH, kind: str = "") -> int:
    """Fire the timers that are due, soonest first, of one kind or all; returns how many."""
    if not _is_due(now_s, kind):
        return 0  # the write lock is taken for nothing less
    began, done = time.monotonic(), 0
    with transaction.atomic():
        due = Timer.objects.filter(state=TimerState.ARMED, at_s__lte=now_s)
        # One of an app that is not there waits for it, and keeps no other waiting.
        due = due.filter(kind__in=[kind] if kind else known_kinds())
        timers = list(due.order_by("at_s", "id").select_for_update(skip_locked=_can_skip())[:most])
        moot = _moot(timers)
        _claim(now_s, moot)
        for timer in timers:
            if done and time.monotonic() - began > _LONGEST_HOLD_SECONDS:
                break  # others want to write too; the rest comes next
            done += 1
            # Marked before it acts, so that its act does not see it as armed. One that the act
            # before has dropped has no point any more.
            if timer.pk not in moot and _claim(now_s, [timer.pk]):
                _fire(timer, now_s)
    return done


def _claim(now_s: int, numbers: Collection[int]) -> int:
    """Mark timers as fired, if they are still armed; returns how many were."""
    armed = Timer.objects.filter(pk__in=numbers, state=TimerState.ARMED)
    return armed.update(state=TimerState.FIRED, fired_s=now_s, attempts=F("attempts") + 1)


_kept = KeptQueries()


def _is_due(now_s: int, kind: str) -> bool:
    kinds = (kind,) if kind else tuple(known_kinds())

    def build(givens: Givens) -> QuerySet[Any, Any]:
        due = Timer.objects.filter(state=TimerState.ARMED, at_s__lte=givens["now_s"])
        return due.filter(kind__in=kinds).order_by("at_s", "id").values_list("pk")[:1]

    return bool(_kept.rows(kinds, build, {"now_s": now_s}))


def _moot(timers: Sequence[Timer]) -> set[int]:
    """The timers of a batch that are for open tickets, and whose ticket has ended."""
    numbers = [timer.ticket_id or 0 for timer in timers if kind_of(timer.kind).is_for_open]
    ended = set(Ticket.objects.filter(pk__in=numbers, is_open=False).values_list("pk", flat=True))
    return {
        timer.pk for timer in timers if timer.ticket_id in ended and kind_of(timer.kind).is_for_open
    }


def _can_skip() -> bool:
    return connection.features.has_select_for_update_skip_locked


def _fire(timer: Timer, now_s: int) -> None:
    try:
        with transaction.atomic():
            kind_of(timer.kind).fire(timer, Acting(person=None, now=instant_of(now_s)))
    except Exception as error:
        log.exception("timer %s failed", timer.pk)
        Timer.objects.filter(pk=timer.pk).update(
            state=TimerState.ARMED,
            fired_s=None,
            at_s=now_s + _RETRY_SECONDS * 2 ** min(timer.attempts, 8),
            problem=str(error)[:500],
        )


def step(now_s: int) -> int:
    """One round of everything; returns how much was done."""
    if room().is_out:
        # A mail that leaves and cannot be marked as sent would leave again and again.
        return 0
    return attempt("timers", None, lambda: _fire_all(now_s), now_s) + do_rounds(now_s)


def _fire_all(now_s: int) -> int:
    done = 0
    while fired := fire_due(now_s):
        done += fired
    return done


def tidy(now_s: int) -> None:
    """Housekeeping: what is only kept for a while goes."""
    tell_of_room(now_s)
    if room().is_out:
        return
    do_rounds(now_s, _HOUSEKEEPING)
    tell_of_trouble(now_s, [one.name for one in (*ROUNDS, *_HOUSEKEEPING)])


def _forget_old(now_s: int) -> int:
    IdempotentAnswer.objects.filter(made_at__lt=instant_of(now_s) - timedelta(days=2)).delete()
    Presence.objects.filter(seen_s__lt=now_s - 3600).delete()
    return 0


def _fill_search(now_s: int) -> int:
    search.fill_if_empty()
    return 0


def _sign(now_s: int) -> int:
    sign_head(instant_of(now_s))
    return 0


def _retrain(now_s: int) -> int:
    trained = SuggestionModel.objects.values_list("trained_at", flat=True).first()
    is_old = trained is None or instant_of(now_s) - trained > _RETRAIN_EVERY
    if is_old and Ticket.objects.exists():
        retrain()
    return 0


def sweep_files(now_s: int) -> int:
    """Files that nobody fetches or sends any more: exports of yesterday, uploads never sent."""
    day_ago = instant_of(now_s) - exports.KEPT_FOR
    for job in Job.objects.filter(kind=JobKind.EXPORT, made_at__lt=day_ago):
        exports.drop(job.result)
        job.delete()
    exports.sweep(day_ago)
    sweep_uploads(instant_of(now_s))
    return 0


_HOUSEKEEPING = (
    Round("reviving jobs", lambda now_s: revive(now_s)),
    Round("filling the search", _fill_search),
    Round("forgetting what is old", _forget_old),
    Round("sweeping files", sweep_files),
    Round("signing the log", _sign),
    Round("learning from tickets", _retrain),
    Round("looking for patterns", lambda now_s: watching.look_through(now_s)),
)


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
            # The runner takes the write lock to look: only when there is something.
            if DBTaskResult.objects.ready().filter(queue_name=queue).exists():
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
