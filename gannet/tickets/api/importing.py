"""CSV imports in the API: dry run, run with progress, undo."""

from dataclasses import asdict
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from gannet.jobs import running as jobs
from gannet.jobs.models import Job, JobKind, JobState
from gannet.people.access import person_of
from gannet.people.models import Person, Role
from gannet.tickets import importing
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.parsers import FormReader
from gannet.web.shape import Shape

_SHOWN = 500


class Imports(BasePermission):
    message = "Team leads and administrators import."

    def has_permission(self, request: Request, view: APIView) -> bool:
        user = request.user
        return isinstance(user, Person) and user.has_role(Role.TEAM_LEAD, Role.ADMINISTRATOR)


class CheckedRowShape(Shape):
    line = serializers.IntegerField()
    does = serializers.CharField()
    what = serializers.CharField()
    errors = serializers.ListField(child=serializers.CharField())


class FailedRowShape(Shape):
    line = serializers.IntegerField()
    why = serializers.CharField()


class ImportShape(Shape):
    """An import: its dry run first; after it ran, what it did."""

    id = serializers.IntegerField()
    kind = serializers.CharField()
    name = serializers.CharField()
    state = serializers.CharField()
    rows = CheckedRowShape(many=True)
    good = serializers.IntegerField()
    bad = serializers.IntegerField()
    done = serializers.IntegerField()
    total = serializers.IntegerField()
    made = serializers.IntegerField()
    failed = FailedRowShape(many=True)
    problem = serializers.CharField()
    can_undo = serializers.BooleanField()


class ImportKindShape(Shape):
    kind = serializers.CharField()
    columns = serializers.DictField(child=serializers.CharField(allow_blank=True))
    needed = serializers.ListField(child=serializers.CharField())


def _json(job: Job, *, with_rows: bool = True) -> dict[str, Any]:
    params, result = job.params, job.result or {}
    checked = params.get("checked", [])
    undone = Job.objects.filter(kind=JobKind.UNDO_IMPORT, params__of=job.pk).first()
    state = job.state
    if params.get("is_dry"):
        state = "tried"
    elif undone is not None:
        state = "taken back" if undone.state == JobState.DONE else "being taken back"
    return {
        "id": job.pk,
        "kind": params["what"],
        "name": params["name"],
        "state": state,
        "rows": checked[:_SHOWN] if with_rows else [],
        "good": sum(not row["errors"] for row in checked),
        "bad": sum(bool(row["errors"]) for row in checked),
        "done": job.done,
        "total": job.total,
        "made": len(result.get("made", [])),
        "failed": result.get("failed", [])
        if undone is None
        else (undone.result or {}).get("kept", []),
        "problem": job.problem,
        "can_undo": job.state == JobState.DONE and undone is None and bool(result.get("made")),
    }


class ImportsView(GannetView):
    """The imports so far; sending a file is its dry run."""

    permission_classes = [Imports]
    parser_classes = [FormReader]
    needs_scope = "import"
    is_atomic = False  # thousands of rows are looked at before one is written

    @extend_schema(operation_id="imports", responses=ImportShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Job.objects.filter(kind=JobKind.IMPORT).order_by("-id")[:30]
        return Response([_json(job, with_rows=False) for job in rows])

    @extend_schema(
        operation_id="try_import",
        request={
            "multipart/form-data": {
                "type": "object",
                "properties": {
                    "file": {"type": "string", "format": "binary"},
                    "kind": {"type": "string"},
                },
                "required": ["file", "kind"],
            }
        },
        responses={201: ImportShape},
    )
    def post(self, request: Request) -> Response:
        upload = request.FILES.get("file")
        if upload is None:
            raise Invalid("Choose a file.", fields={"file": "No file came."})
        if (upload.size or 0) > importing.MOST_BYTES:
            raise Invalid("This file is too large: at most 5 MB.", fields={"file": "Too large."})
        kind = str(request.POST.get("kind", ""))
        rows = importing.read_rows(upload.read(), kind)
        checked = [asdict(row) for row in importing.dry_run(kind, rows)]
        now = timezone.now()
        job = Job.objects.create(
            kind=JobKind.IMPORT,
            params={
                "what": kind,
                "name": (upload.name or "file")[-120:],
                "rows": rows,
                "checked": checked,
                "is_dry": True,
            },
            state=JobState.STOPPED,
            person=person_of(request),
            made_at=now,
            total=len(rows),
        )
        return Response(_json(job), status=201)


class ImportView(GannetView):
    """One import: looked at, run, taken back."""

    permission_classes = [Imports]
    needs_scope = "import"

    @extend_schema(operation_id="import", responses=ImportShape)
    def get(self, request: Request, number: int) -> Response:
        return Response(_json(_find(number)))

    @extend_schema(operation_id="run_import", request=None, responses={201: ImportShape})
    def post(self, request: Request, number: int) -> Response:
        """Do the good rows of a dry run."""
        job = _find(number)
        if not job.params.get("is_dry"):
            raise Conflict("This has run already.")
        params = {**job.params, "is_dry": False}
        started = jobs.start(person_of(request), JobKind.IMPORT, params, timezone.now())
        job.delete()
        return Response(_json(started), status=201)

    @extend_schema(operation_id="undo_import", responses={200: ImportShape})
    def delete(self, request: Request, number: int) -> Response:
        job = _find(number)
        if not _json(job, with_rows=False)["can_undo"]:
            raise Conflict("This cannot be taken back (any more).")
        params = {"what": job.params["what"], "of": job.pk, "made": job.result["made"]}  # type: ignore[index]
        jobs.start(person_of(request), JobKind.UNDO_IMPORT, params, timezone.now())
        return Response(_json(job))


class ImportKindsView(GannetView):
    """What can be imported, and which columns a file may have."""

    permission_classes = [Imports]

    @extend_schema(operation_id="import_kinds", responses=ImportKindShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(
            [
                {"kind": name, "columns": kind.all_columns(), "needed": list(kind.needed)}
                for name, kind in importing.KINDS.items()
            ]
        )


def _find(number: int) -> Job:
    job = Job.objects.filter(pk=number, kind=JobKind.IMPORT).first()
    if job is None:
        raise Missing("There is no such import.")
    return job
