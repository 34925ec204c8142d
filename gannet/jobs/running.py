"""Long work in the background: replays, previews, re-applying an edition.

Each is a row that keeps its progress, so that its page can be left and come back to. The
work is a task of Django's tasks framework; a task whose worker died is queued again by
the next one (`revive`), and each kind of work can begin again without harm.
"""

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db import transaction
from django.utils import timezone
from django_tasks import DEFAULT_TASK_QUEUE_NAME, task

from gannet.jobs.models import Job, JobKind, JobState
from gannet.people.models import Person
from gannet.web.errors import Conflict
from gannet_core.instants import seconds_of

log = logging.getLogger(__name__)
_SILENT_SECONDS = 90
_SHOW_EVERY_SECONDS = 0.4
SLOW = "slow"

# Told how much is done, of how much; says whether to go on.
Report = Callable[[int, int], bool]


def as_given(params: dict[str, Any]) -> dict[str, Any]:
    """The check of work whose parameters were checked by who starts it."""
    return params


@dataclass(frozen=True, kw_only=True)
class JobWork:
    """What a kind of job does, beginning again without harm when its worker died."""

    does: Callable[[Job, Report], dict[str, Any]]
    check: Callable[[dict[str, Any]], dict[str, Any]] = as_given
    one_each: bool = False  # every person may have one running, else there is one in all
    is_slow: bool = False  # it has a queue of its own


_works: dict[JobKind, JobWork] = {}


def register(kind: JobKind, work: JobWork) -> None:
    """Let an app say what its kind of job does, when Django starts."""
    _works[kind] = work


def start(person: Person, kind: JobKind, params: dict[str, Any], now: datetime) -> Job:
    """Queue a job; one of each kind runs at a time."""
    with transaction.atomic():
        busy = Job.objects.filter(kind=kind, state__in=(JobState.WAITING, JobState.RUNNING))
        work = _works[kind]
        if work.one_each:
            busy = busy.filter(person=person)
        if busy.exists():
            raise Conflict("One of these runs already. Stop it, or wait until it is done.")
        checked = work.check(params)
        job = Job.objects.create(
            kind=kind, params=checked, person=person, made_at=now, seen_s=seconds_of(now)
        )
        _enqueue(job)
    return job


def _enqueue(job: Job) -> None:
    """What takes long has a queue of its own, so that no act on many waits behind a file."""
    queue = SLOW if _works[JobKind(job.kind)].is_slow else DEFAULT_TASK_QUEUE_NAME
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
        result = _works[JobKind(job.kind)].does(job, _reporter(job))
    except Exception as error:
        log.exception("job %s failed", number)
        Job.objects.filter(pk=number).update(
            state=JobState.FAILED, problem=str(error)[:500], finished_at=timezone.now()
        )
        return
    Job.objects.filter(pk=number, state=JobState.RUNNING).update(
        state=JobState.DONE, result=result, finished_at=timezone.now()
    )


def _reporter(job: Job) -> Report:
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
