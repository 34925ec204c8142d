"""The long work of lists: acts on many, imports, exports."""

from typing import Any

from django.utils import timezone

from gannet.jobs.models import Job, JobKind
from gannet.jobs.running import JobWork, Report, register
from gannet.tickets import exports, importing, mass
from gannet.web.errors import Invalid


def register_all() -> None:
    register(JobKind.MANY, JobWork(does=_many, one_each=True))
    register(JobKind.UNDO_MANY, JobWork(does=_undo_many, one_each=True))
    register(JobKind.IMPORT, JobWork(does=_import, one_each=True))
    register(JobKind.UNDO_IMPORT, JobWork(does=_undo_import, one_each=True))
    register(JobKind.EXPORT, JobWork(does=_export, one_each=True, is_slow=True))


def _many(job: Job, report: Report) -> dict[str, Any]:
    given = job.params
    return mass.do(job.person, given["ids"], given["act"], given["params"], timezone.now(), report)


def _undo_many(job: Job, report: Report) -> dict[str, Any]:
    return mass.undo(job.person, job.params["ids"], timezone.now(), report)


def _import(job: Job, report: Report) -> dict[str, Any]:
    given = job.params
    return importing.run(given["what"], given["rows"], job.person, timezone.now(), report)


def _undo_import(job: Job, report: Report) -> dict[str, Any]:
    given = job.params
    return importing.undo(given["what"], given["made"], job.person, timezone.now(), report)


def _export(job: Job, report: Report) -> dict[str, Any]:
    if job.person is None:
        raise Invalid("Nobody is there to read it.")
    return exports.make(job.person, job.params, timezone.now(), report)
