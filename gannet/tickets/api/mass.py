"""One act on many tickets, in the API: preview, act, progress, undo."""

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.jobs import running as jobs
from gannet.jobs.models import Job, JobKind, JobState
from gannet.people.access import person_of
from gannet.people.permissions import DeskWorks
from gannet.tickets import mass
from gannet.tickets.listed import filtered
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.shape import Shape

# Fewer than this are done while the person looks on; more are left to the worker.
_AT_ONCE = 40


class ManyShape(Shape):
    """The tickets (by number, or all that a filter finds), the act, and what it needs."""

    ids = serializers.ListField(
        child=serializers.IntegerField(), required=False, default=list, max_length=mass.MOST
    )
    filter = serializers.JSONField(required=False, allow_null=True, default=None)
    act = serializers.CharField(max_length=40)  # one of `acts_on_many` of the choices
    params = serializers.DictField(child=serializers.JSONField(allow_null=True), default=dict)


class ChangedShape(Shape):
    field = serializers.CharField()
    before = serializers.JSONField(allow_null=True)
    after = serializers.JSONField(allow_null=True)


class WillShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    changes = ChangedShape(many=True)


class RefusedShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    why = serializers.CharField()


class ManyPreviewShape(Shape):
    will = WillShape(many=True)
    refused = RefusedShape(many=True)
    # How many of those asked for are not there for this person.
    unknown = serializers.IntegerField()


class ManyJobShape(Shape):
    id = serializers.IntegerField()
    state = serializers.CharField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    changed = serializers.ListField(child=serializers.IntegerField())
    refused = RefusedShape(many=True)
    problem = serializers.CharField()
    undo_until_s = serializers.IntegerField(allow_null=True)


def _numbers(request: Request, data: dict[str, Any]) -> list[int]:
    if data["filter"] is None:
        numbers = list(dict.fromkeys(data["ids"]))
    else:
        found = filtered(person_of(request), data["filter"], timezone.now())
        numbers = list(found.order_by("pk").values_list("pk", flat=True)[: mass.MOST + 1])
    if not numbers:
        raise Invalid("Choose some tickets first.", fields={"ids": "None is chosen."})
    if len(numbers) > mass.MOST:
        raise Invalid(f"At most {mass.MOST:,} tickets at once.", fields={"ids": "Too many."})
    return numbers


def _job_json(job: Job) -> dict[str, Any]:
    result = job.result or {}
    can_undo = job.kind == JobKind.MANY and job.state == JobState.DONE and result.get("done")
    return {
        "id": job.pk,
        "state": job.state,
        "done": job.done,
        "total": job.total,
        "changed": result.get("done", []),
        "refused": result.get("refused", []),
        "problem": job.problem,
        "undo_until_s": mass.until_s(job.made_at) if can_undo else None,
    }


class PreviewManyView(GannetView):
    """What an act would do to each of many tickets, and where it is refused."""

    permission_classes = [DeskWorks]
    asks_only = True

    @extend_schema(operation_id="preview_many", request=ManyShape, responses=ManyPreviewShape)
    def post(self, request: Request) -> Response:
        given = ManyShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        numbers = _numbers(request, data)
        person = person_of(request)
        return Response(mass.preview(person, numbers, data["act"], data["params"], timezone.now()))


class ManyView(GannetView):
    """Do an act on many tickets."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="do_many", request=ManyShape, responses={201: ManyJobShape})
    def post(self, request: Request) -> Response:
        given = ManyShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        person, now = person_of(request), timezone.now()
        params = {"ids": _numbers(request, data), "act": data["act"], "params": data["params"]}
        return _start(person, JobKind.MANY, params, now)


class OneManyView(GannetView):
    """How far an act on many tickets is."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="many", responses=ManyJobShape)
    def get(self, request: Request, number: int) -> Response:
        return Response(_job_json(_own(request, number)))

    @extend_schema(operation_id="undo_many", request=None, responses={201: ManyJobShape})
    def delete(self, request: Request, number: int) -> Response:
        """Take the act back where nothing has happened since; itself an act with progress."""
        job, now = _own(request, number), timezone.now()
        shown = _job_json(job)
        if shown["undo_until_s"] is None or now.timestamp() > shown["undo_until_s"]:
            raise Conflict("It is too late to take this back.")
        taken = Job.objects.filter(kind=JobKind.UNDO_MANY, params__of=job.pk).exists()
        if taken:
            raise Conflict("This has been taken back already.")
        return _start(
            person_of(request), JobKind.UNDO_MANY, {"ids": shown["changed"], "of": job.pk}, now
        )


def _start(person: Any, kind: JobKind, params: dict[str, Any], now: Any) -> Response:
    total = len(params["ids"])
    if total > _AT_ONCE:
        return Response(_job_json(jobs.start(person, kind, params, now)), status=201)
    if kind == JobKind.MANY:
        result = mass.do(person, params["ids"], params["act"], params["params"], now)
    else:
        result = mass.undo(person, params["ids"], now)
    job = Job.objects.create(
        kind=kind,
        params=params,
        person=person,
        made_at=now,
        finished_at=now,
        state=JobState.DONE,
        done=total,
        total=total,
        result=result,
    )
    return Response(_job_json(job), status=201)


def _own(request: Request, number: int) -> Job:
    kinds = (JobKind.MANY, JobKind.UNDO_MANY)
    job = Job.objects.filter(pk=number, person=person_of(request), kind__in=kinds).first()
    if job is None:
        raise Missing("There is no such work of yours.")
    return job
