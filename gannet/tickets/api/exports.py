"""Exports in the API: asked for, looked at, fetched, dropped."""

from typing import Any

from django.http import HttpRequest
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.jobs import running as jobs
from gannet.jobs.models import Job, JobKind, JobState
from gannet.people.access import person_of
from gannet.people.permissions import DeskReads
from gannet.tickets import exports
from gannet.tickets.api.records import WholeFile
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Missing
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of

_AT_ONCE = 300
_MOST_KEPT = 10


class ExportInShape(Shape):
    """A list to be made a file: its filter, order and columns, as the list itself has them."""

    filter = serializers.JSONField(required=False, allow_null=True, default=None)
    sort = serializers.CharField(max_length=300, allow_blank=True, default="")
    columns = serializers.CharField(max_length=1_000, allow_blank=True, default="")

    def get_fields(self) -> dict[str, Any]:
        return {**super().get_fields(), "as": serializers.ChoiceField(list(exports.KINDS))}


class ExportShape(Shape):
    id = serializers.IntegerField()
    state = serializers.CharField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    rows = serializers.IntegerField(allow_null=True)
    is_cut = serializers.BooleanField()
    problem = serializers.CharField()
    made_s = serializers.IntegerField()
    gone_s = serializers.IntegerField()
    name = serializers.CharField()


def _json(job: Job) -> dict[str, Any]:
    result = job.result or {}
    return {
        "id": job.pk,
        "state": job.state,
        "done": job.done,
        "total": job.total,
        "rows": result.get("rows"),
        "is_cut": bool(result.get("is_cut")),
        "problem": job.problem,
        "made_s": seconds_of(job.made_at),
        "gone_s": seconds_of(job.made_at + exports.KEPT_FOR),
        "name": f"tickets-{job.made_at:%Y-%m-%d}.{job.params['as']}",
    }


class ExportsView(GannetView):
    """One's own exports of the last day, and asking for one."""

    permission_classes = [DeskReads]
    is_atomic = False  # rows are read without the write lock

    @extend_schema(operation_id="exports", responses=ExportShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Job.objects.filter(kind=JobKind.EXPORT, person=person_of(request))
        return Response([_json(job) for job in rows.order_by("-id")[:_MOST_KEPT]])

    @extend_schema(operation_id="export", request=ExportInShape, responses={201: ExportShape})
    def post(self, request: Request) -> Response:
        """A short list is a file at once; a long one is made in the background."""
        given = ExportInShape(data=request.data)
        given.is_valid(raise_exception=True)
        person, now = person_of(request), timezone.now()
        params = dict(given.validated_data)
        total = exports.check(person, params, now)
        if total > _AT_ONCE:
            return Response(_json(jobs.start(person, JobKind.EXPORT, params, now)), status=201)
        job = Job.objects.create(
            kind=JobKind.EXPORT,
            params=params,
            person=person,
            made_at=now,
            finished_at=now,
            state=JobState.DONE,
            done=total,
            total=total,
            result=exports.make(person, params, now),
        )
        return Response(_json(job), status=201)


class ExportView(GannetView):
    """One export: how far it is, or no longer wanted."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="one_export", responses=ExportShape)
    def get(self, request: Request, number: int) -> Response:
        return Response(_json(_own(request, number)))

    @extend_schema(operation_id="drop_export", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        job = _own(request, number)
        jobs.stop(job)
        exports.drop(job.result)
        job.delete()
        return Response(status=204)


class ExportFileView(GannetView):
    """The file of an export, to whom it belongs and nobody else."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="export_file", responses={(200, "*/*"): OpenApiTypes.BINARY})
    def get(self, request: Request, number: int) -> Any:
        job = _own(request, number)
        if job.state != JobState.DONE:
            raise Conflict(job.problem or "It is not made yet.")
        file = exports.folder() / str((job.result or {}).get("file", ""))
        if not file.is_file():
            raise Missing("This file was deleted. Export the list again.")
        return WholeFile(
            file.open("rb"),
            as_attachment=True,
            filename=_json(job)["name"],
            content_type=exports.KINDS[job.params["as"]],
        )


def _own(request: Request | HttpRequest, number: int) -> Job:
    job = Job.objects.filter(pk=number, kind=JobKind.EXPORT, person=person_of(request)).first()  # type: ignore[arg-type]
    if job is None:
        raise Missing("There is no such export of yours.")
    return job
