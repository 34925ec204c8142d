"""Trying out: examples, rehearsals, long jobs, previews of messages and forms."""

import re
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.audit import log as audit
from gannet.jobs import running as jobs
from gannet.jobs.models import Job, JobKind
from gannet.messages.models import HookCall
from gannet.people.access import person_of
from gannet.rulebook.book import fill
from gannet.rulebook.events import RulebookEvent
from gannet.rulebook.models import Rehearsal
from gannet.tickets import forms, policies
from gannet.tickets.models import Ticket
from gannet.tickets.placeholders import values_of
from gannet.tickets.shapes.tickets import FieldStateShape
from gannet.trials import drafts
from gannet.trials.api import shapes
from gannet.trials.api.common import EditsRulebook, book_of
from gannet.trials.rehearse import EXPECTABLE, Outcome, Rehearsed, given_of, run_all, try_out
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing
from gannet_core.errors import GannetError
from gannet_core.forms import resolve
from gannet_core.instants import format_instant, instant_of, seconds_of


def _outcome_json(outcome: Outcome) -> dict[str, Any]:
    return {
        "result": outcome.result,
        "why": outcome.why,
        "rules": outcome.rules,
        "next": outcome.next,
        "ledgers": outcome.ledgers,
    }


class TryView(GannetView):
    """What the draft, or an edition, makes of an example."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="try_rulebook", request=shapes.TryShape, responses=shapes.OutcomeShape
    )
    def post(self, request: Request) -> Response:
        given = shapes.TryShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        try:
            outcome = try_out(book_of(data["of"]), data["given"], data["at"])
        except GannetError as error:
            raise Invalid(str(error)) from error
        return Response(_outcome_json(outcome))


class FromTicketView(GannetView):
    """The example that a ticket is."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="example_of_ticket", responses=shapes.FromTicketShape)
    def get(self, request: Request, number: int) -> Response:
        visible = policies.visible_to(person_of(request)).select_related(
            "requester", "service", "ci"
        )
        ticket = visible.filter(pk=number).first()
        if ticket is None:
            raise Missing("There is no such ticket, or it is not for you to see.")
        return Response(
            {
                "given": given_of(ticket),
                "at": format_instant(instant_of(ticket.opened_s)),
                "name": ticket.title,
                "number": ticket.pk,
            }
        )


class RehearsalsView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="rehearsals",
        parameters=[OpenApiParameter("of", str)],
        responses=shapes.RehearsalShape(many=True),
    )
    def get(self, request: Request) -> Response:
        of = request.query_params.get("of", "draft")
        draft = drafts.the_draft() if of == "draft" else None
        rehearsed = run_all(book_of(of), drafts.renames_of(draft) if draft else ())
        return Response([_rehearsed_json(one) for one in rehearsed])

    @extend_schema(
        operation_id="keep_rehearsal",
        request=shapes.NewRehearsalShape,
        responses={201: shapes.FromTicketShape},
    )
    def post(self, request: Request) -> Response:
        rehearsal = Rehearsal(made_by=person_of(request), made_at=timezone.now())
        return _keep(rehearsal, request, 201)


class RehearsalView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(
        operation_id="change_rehearsal",
        request=shapes.NewRehearsalShape,
        responses=shapes.FromTicketShape,
    )
    def put(self, request: Request, number: int) -> Response:
        return _keep(_rehearsal(number), request, 200)

    @extend_schema(operation_id="drop_rehearsal", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        rehearsal = _rehearsal(number)
        _note(request, {"dropped": rehearsal.name})
        rehearsal.delete()
        return Response(status=204)


def _rehearsal(number: int) -> Rehearsal:
    found = Rehearsal.objects.filter(pk=number).first()
    if found is None:
        raise Missing("There is no such rehearsal.")
    return found


def _keep(rehearsal: Rehearsal, request: Request, status: int) -> Response:
    given = shapes.NewRehearsalShape(data=request.data)
    given.is_valid(raise_exception=True)
    data = given.validated_data
    strange = sorted(
        set(data["expected"]) - set(EXPECTABLE) - {f"{k} by" for k in data["expected"]}
    )
    if strange:
        raise Invalid(f"A rehearsal cannot expect {strange[0]}.", fields={"expected": strange[0]})
    if not data["expected"]:
        raise Invalid("Say what must come out.", fields={"expected": "This is empty."})
    others = Rehearsal.objects.filter(name=data["name"]).exclude(pk=rehearsal.pk)
    if others.exists():
        raise Invalid("There is one of that name.", fields={"name": "Choose another name."})
    rehearsal.name, rehearsal.given, rehearsal.at = data["name"], dict(data["given"]), data["at"]
    rehearsal.expected = data["expected"]
    if data["from_ticket"]:
        visible = policies.visible_to(person_of(request))
        rehearsal.from_ticket = visible.filter(pk=data["from_ticket"]).first()
    rehearsal.save()
    _note(request, {"kept": rehearsal.name})
    at: datetime = rehearsal.at
    body = {
        "given": rehearsal.given,
        "at": format_instant(at),
        "name": rehearsal.name,
        "number": rehearsal.pk,
    }
    return Response(body, status=status)


def _note(request: Request, values: dict[str, Any]) -> None:
    audit.append(
        [
            audit.Entry(
                kind=RulebookEvent.REHEARSAL_KEPT,
                at=timezone.now(),
                actor_id=person_of(request).pk,
                by_desk=True,
                values=values,
            )
        ]
    )


def _rehearsed_json(one: Rehearsed) -> dict[str, Any]:
    rehearsal = one.rehearsal
    return {
        "id": rehearsal.pk,
        "name": rehearsal.name,
        "given": rehearsal.given,
        "at": format_instant(rehearsal.at),
        "expected": rehearsal.expected,
        "from_ticket": rehearsal.from_ticket_id,
        "holds": one.holds,
        "differs": one.differs,
        "problem": one.problem,
        "outcome": None if one.outcome is None else _outcome_json(one.outcome),
    }


# What people do with tickets is theirs to look at, not the rulebook's.
_OF_THE_RULEBOOK = (JobKind.REPLAY, JobKind.PREVIEW, JobKind.RE_APPLY)


class JobsView(GannetView):
    """Replays, previews and re-applications: the latest of each."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="jobs", responses=shapes.JobShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Job.objects.filter(kind__in=_OF_THE_RULEBOOK).select_related("person")
        rows = rows.defer("result")[:20]
        return Response([_job_json(job, with_result=False) for job in rows])

    @extend_schema(operation_id="start_job", request=shapes.NewJobShape, responses=shapes.JobShape)
    def post(self, request: Request) -> Response:
        given = shapes.NewJobShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        params = {"days": data["days"]} if data["kind"] == "replay" else {}
        job = jobs.start(person_of(request), JobKind(data["kind"]), params, timezone.now())
        return Response(_job_json(job, with_result=False))


class JobView(GannetView):
    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="job", responses=shapes.JobShape)
    def get(self, request: Request, number: int) -> Response:
        job = _job(number)
        return Response(_job_json(job, with_result=True, request=request))

    @extend_schema(operation_id="stop_job", responses={200: shapes.JobShape})
    def delete(self, request: Request, number: int) -> Response:
        jobs.stop(_job(number))
        return Response(_job_json(_job(number), with_result=False))


def _job(number: int) -> Job:
    jobs_here = Job.objects.filter(kind__in=_OF_THE_RULEBOOK)
    job = jobs_here.select_related("person").filter(pk=number).first()
    if job is None:
        raise Missing("There is no such job.")
    return job


def _job_json(job: Job, *, with_result: bool, request: Request | None = None) -> dict[str, Any]:
    result = dict(job.result) if with_result and job.result else None
    if result is not None and request is not None:
        for name in ("differing", "moves"):
            if name in result:
                result[name] = _named(result[name], request)
    return {
        "id": job.pk,
        "kind": job.kind,
        "state": job.state,
        "done": job.done,
        "total": job.total,
        "result": result,
        "problem": job.problem,
        "by": job.person.name if job.person else "Gannet",
        "made_at_s": seconds_of(job.made_at),
    }


def _named(rows: list[dict[str, Any]], request: Request) -> list[dict[str, Any]]:
    """The rows whose tickets this person may see, with their titles."""
    visible = policies.visible_to(person_of(request))
    titles: dict[int, str] = {}
    numbers = [row["number"] for row in rows]
    for start in range(0, len(numbers), 500):
        part = visible.filter(pk__in=numbers[start : start + 500])
        titles.update(part.values_list("pk", "title"))
    return [{**row, "title": titles[row["number"]]} for row in rows if row["number"] in titles]


class PreviewMessageView(GannetView):
    """A message as it would read on a ticket; placeholders that do not exist are named."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="preview_message",
        request=shapes.PreviewMessageShape,
        responses=shapes.PreviewedMessageShape,
    )
    def post(self, request: Request) -> Response:
        given = shapes.PreviewMessageShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        visible = policies.visible_to(person_of(request)).select_related(
            "requester", "service", "team", "holder"
        )
        ticket = visible.filter(pk=data["ticket"]).first() if data["ticket"] else None
        ticket = ticket or visible.order_by("-is_open", "-pk").first()
        if ticket is None:
            raise Missing("There is no ticket to show it on.")
        values = _preview_values(ticket)
        text = f"{data['subject']}\n{data['body']}"
        unknown = sorted(set(re.findall(r"\{([^{}\n]*)\}", text)) - set(values))
        return Response(
            {
                "subject": fill(data["subject"], values),
                "body": fill(data["body"], values),
                "ticket": ticket.pk,
                "unknown": unknown,
            }
        )


def _preview_values(ticket: Ticket) -> Mapping[str, str]:
    dues = {clock.kind: clock.due_s for clock in ticket.clocks.filter(holder="")}
    return values_of(
        ticket,
        dues,
        ticket.holder or ticket.requester,
        "what was written stands here",
        ticket.holder.name if ticket.holder else "Somebody of the desk",
        seconds_of(timezone.now()),
    )


class PreviewFormView(GannetView):
    """A form as the requester or an agent would see it with some answers."""

    permission_classes = [EditsRulebook]
    asks_only = True

    @extend_schema(
        operation_id="preview_form",
        request=shapes.PreviewFormShape,
        responses=FieldStateShape(many=True),
    )
    def post(self, request: Request) -> Response:
        given = shapes.PreviewFormShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        try:
            states = resolve(
                data["form"], data["answers"], data["audience"], data["stage"], data["template"]
            )
        except (GannetError, KeyError, TypeError) as error:
            raise Invalid(f"This form cannot be shown: {error}.") from error
        return Response(forms.states_json(states, forms.about(book_of("draft"))))


class HooksView(GannetView):
    """The latest posts to other systems, and the keys they are signed with."""

    permission_classes = [EditsRulebook]

    @extend_schema(operation_id="hook_calls", responses=shapes.HooksShape)
    def get(self, request: Request) -> Response:
        from gannet.messages.hooks import key_of

        calls = [
            {
                "id": call.pk,
                "name": call.name,
                "url": call.url,
                "ticket": call.ticket_id,
                "article": call.article_id,
                "state": call.get_state_display(),
                "attempts": call.attempts,
                "made_at_s": call.made_s,
                "status": call.status,
                "answer": call.answer,
            }
            for call in HookCall.objects.order_by("-id")[:50]
        ]
        secrets = [{"key": key, "secret": key_of(key)} for key in book_of("draft").hooks]
        return Response({"calls": calls, "secrets": secrets})
