"""Long work in the background: replays, previews, re-applying an edition.

Each is a row that keeps its progress, so that its page can be left and come back to. The
work is a task of Django's tasks framework; a task whose worker died is queued again by
the next one (`revive`), and each kind of work can begin again without harm.
"""

import logging
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone
from django_tasks import DEFAULT_TASK_QUEUE_NAME, task

from gannet.people.models import Person
from gannet.rulebook import book, reapply
from gannet.rulebook.drafts import the_draft
from gannet.rulebook.models import Job, JobKind, JobState
from gannet.rulebook.replay import replay
from gannet.tickets import exports, importing, mass
from gannet.tickets.models import Ticket
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of

log = logging.getLogger(__name__)
_SILENT_SECONDS = 90
_SHOW_EVERY_SECONDS = 0.4
MAX_DAYS = 1100
SLOW = "slow"


def start(person: Person, kind: JobKind, params: dict[str, Any], now: datetime) -> Job:
    """Queue a job; one of each kind runs at a time."""
    with transaction.atomic():
        busy = Job.objects.filter(kind=kind, state__in=(JobState.WAITING, JobState.RUNNING))
        if kind in _ONE_EACH:
            busy = busy.filter(person=person)
        if busy.exists():
            raise Conflict("One of these runs already. Stop it, or wait until it is done.")
        checked = _CHECKS[kind](params)
        job = Job.objects.create(
            kind=kind, params=checked, person=person, made_at=now, seen_s=seconds_of(now)
        )
        _enqueue(job)
    return job


def _enqueue(job: Job) -> None:
    """What takes long has a queue of its own, so that no act on many waits behind a file."""
    queue = SLOW if job.kind in _SLOW else DEFAULT_TASK_QUEUE_NAME
    run_job.using(queue_name=queue).enqueue(job.pk)


def stop(job: Job) -> None:
    """Ask a job to stop; it does at its next step."""
    Job.objects.filter(pk=job.pk, state__in=(JobState.WAITING, JobState.RUNNING)).update(
        state=JobState.STOPPED, finished_at=timezone.now()
    )


def revive(now_s: int) -> int:
    """Queue again what a worker left behind when it died."""
    lost = Job.objects.filter(
        state__in=(JobState.RUNNING, JobState.WAITING), seen_s__lt=now_s - _SILENT_SECONDS
    )
    revived = 0
    for job in lost:
        with transaction.atomic():
            Job.objects.filter(pk=job.pk).update(state=JobState.WAITING, seen_s=now_s)
            _enqueue(job)
        revived += 1
    return revived


@task()
def run_job(number: int) -> None:
    """Do one job from its beginning; a job that somebody stopped is left alone."""
    claimed = Job.objects.filter(pk=number, state=JobState.WAITING).update(
        state=JobState.RUNNING, seen_s=seconds_of(timezone.now())
    )
    if not claimed:
        return
    job = Job.objects.select_related("person").get(pk=number)
    try:
        result = _WORK[JobKind(job.kind)](job, _reporter(job))
    except Exception as error:
        log.exception("job %s failed", number)
        Job.objects.filter(pk=number).update(
            state=JobState.FAILED, problem=str(error)[:500], finished_at=timezone.now()
        )
        return
    Job.objects.filter(pk=number, state=JobState.RUNNING).update(
        state=JobState.DONE, result=result, finished_at=timezone.now()
    )


def _reporter(job: Job) -> Callable[[int, int], bool]:
    """Writes progress now and then; says False once somebody has stopped the job."""
    last = 0.0

    def report(done: int, total: int) -> bool:
        nonlocal last
        if time.monotonic() - last < _SHOW_EVERY_SECONDS and done < total:
            return True
        last = time.monotonic()
        still = Job.objects.filter(pk=job.pk, state=JobState.RUNNING)
        return bool(still.update(done=done, total=total, seen_s=seconds_of(timezone.now())))

    return report


def _replay(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    draft = the_draft()
    if draft is None:
        raise Invalid("There is no draft any more.")
    since = timezone.now() - timedelta(days=job.params["days"])
    tickets = Ticket.objects.filter(opened_s__gte=seconds_of(since))
    base = book.current()
    found = replay(tickets, base, book.of_document(draft.document), report)
    return {**found, "base": base.number, "draft_version": draft.version}


def _preview(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    return reapply.preview(job.params["edition"], seconds_of(timezone.now()), report)


def _re_apply(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    return reapply.re_apply(job.params["edition"], job.person, seconds_of(timezone.now()), report)


def _many(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    given = job.params
    return mass.do(job.person, given["ids"], given["act"], given["params"], timezone.now(), report)


def _undo_many(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    return mass.undo(job.person, job.params["ids"], timezone.now(), report)


def _import(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    given = job.params
    return importing.run(given["what"], given["rows"], job.person, timezone.now(), report)


def _undo_import(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    given = job.params
    return importing.undo(given["what"], given["made"], job.person, timezone.now(), report)


def _export(job: Job, report: Callable[[int, int], bool]) -> dict[str, Any]:
    if job.person is None:
        raise Invalid("Nobody is there to read it.")
    return exports.make(job.person, job.params, timezone.now(), report)


def _as_they_are(params: dict[str, Any]) -> dict[str, Any]:
    return params


def _days(params: dict[str, Any]) -> dict[str, Any]:
    days = params.get("days", 90)
    if not isinstance(days, int) or not 1 <= days <= MAX_DAYS:
        raise Invalid(f"Choose 1 to {MAX_DAYS} days.", fields={"days": "Not a number of days."})
    if the_draft() is None:
        raise Conflict("There is no draft to replay.")
    return {"days": days}


def _edition(params: dict[str, Any]) -> dict[str, Any]:
    number = params.get("edition") or book.number_in_force()
    if number != book.number_in_force():
        raise Conflict("Only the edition in force can be applied to open tickets.")
    return {"edition": number}


_CHECKS: dict[JobKind, Callable[[dict[str, Any]], dict[str, Any]]] = {
    JobKind.REPLAY: _days,
    JobKind.PREVIEW: _edition,
    JobKind.RE_APPLY: _edition,
    JobKind.MANY: _as_they_are,
    JobKind.UNDO_MANY: _as_they_are,
    JobKind.IMPORT: _as_they_are,
    JobKind.UNDO_IMPORT: _as_they_are,
    JobKind.EXPORT: _as_they_are,
}
_WORK: dict[JobKind, Callable[[Job, Callable[[int, int], bool]], dict[str, Any]]] = {
    JobKind.REPLAY: _replay,
    JobKind.PREVIEW: _preview,
    JobKind.RE_APPLY: _re_apply,
    JobKind.MANY: _many,
    JobKind.UNDO_MANY: _undo_many,
    JobKind.IMPORT: _import,
    JobKind.UNDO_IMPORT: _undo_import,
    JobKind.EXPORT: _export,
}
# Kinds of which every person may have one running.
_ONE_EACH = (
    JobKind.MANY, JobKind.UNDO_MANY, JobKind.IMPORT, JobKind.UNDO_IMPORT, JobKind.EXPORT,
)  # fmt: skip
_SLOW = (JobKind.EXPORT, JobKind.REPLAY, JobKind.PREVIEW)
