"""The long work of drafts and editions: replays, previews, re-applying."""

from datetime import timedelta
from typing import Any

from django.utils import timezone

from gannet.jobs.models import Job, JobKind
from gannet.jobs.running import JobWork, Report, register
from gannet.rulebook import book
from gannet.tickets.models import Ticket
from gannet.trials import reapply
from gannet.trials.drafts import the_draft
from gannet.trials.replay import replay
from gannet.web.errors import Conflict, Invalid
from gannet_core.instants import seconds_of

MAX_DAYS = 1100


def register_all() -> None:
    register(JobKind.REPLAY, JobWork(does=_replay, check=_days, is_slow=True))
    register(JobKind.PREVIEW, JobWork(does=_preview, check=_edition, is_slow=True))
    register(JobKind.RE_APPLY, JobWork(does=_re_apply, check=_edition))


def _replay(job: Job, report: Report) -> dict[str, Any]:
    draft = the_draft()
    if draft is None:
        raise Invalid("There is no draft any more.")
    since = timezone.now() - timedelta(days=job.params["days"])
    tickets = Ticket.objects.filter(opened_s__gte=seconds_of(since))
    base = book.current()
    found = replay(tickets, base, book.of_document(draft.document), report)
    return {**found, "base": base.number, "draft_version": draft.version}


def _preview(job: Job, report: Report) -> dict[str, Any]:
    return reapply.preview(job.params["edition"], seconds_of(timezone.now()), report)


def _re_apply(job: Job, report: Report) -> dict[str, Any]:
    return reapply.re_apply(job.params["edition"], job.person, seconds_of(timezone.now()), report)


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
