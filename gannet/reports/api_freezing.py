"""Frozen reports over the API."""

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.people.permissions import ReportsRead
from gannet.reports import answers, freezing, shapes
from gannet.web.base import GannetView
from gannet.web.shape import given


class FrozenReportsView(GannetView):
    """What is frozen of a report, and freezing it as it is now."""

    permission_classes = [ReportsRead]

    @extend_schema(operation_id="frozen_reports", responses=shapes.FrozenLineShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        rows = freezing.of_report(person_of(request), number)
        return Response([freezing.line_json(row) for row in rows])

    @extend_schema(
        operation_id="freeze_report", request=None, responses={201: shapes.FrozenLineShape}
    )
    def post(self, request: Request, number: int) -> Response:
        """Freeze it as it is now, without what is confidential."""
        row = freezing.freeze(person_of(request), number, timezone.now())
        return Response(freezing.line_json(row), status=201)

    @extend_schema(
        operation_id="freeze_monthly",
        request=shapes.FreezesShape,
        responses=shapes.KeptReportShape,
    )
    def put(self, request: Request, number: int) -> Response:
        """Whether it freezes itself at each month's end."""
        person, said = person_of(request), given(shapes.FreezesShape, request)
        row = freezing.set_monthly(person, number, is_on=said["is_on"])
        return Response(answers.kept_json(row, person))


class FrozenReportView(GannetView):
    permission_classes = [ReportsRead]

    @extend_schema(operation_id="frozen_report", responses=shapes.FrozenReportShape)
    def get(self, request: Request, number: int) -> Response:
        """A report as it was."""
        person = person_of(request)
        row = freezing.one(person, number)
        return Response(
            {
                **freezing.line_json(row),
                "name": row.report.name,
                "definition": row.definition,
                "shown": row.shown,
                "is_mine": row.report.owner_id == person.pk,
            }
        )

    @extend_schema(operation_id="thaw_report", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        freezing.thaw(person_of(request), number)
        return Response(status=204)


urlpatterns = [
    path("api/reports/<number:number>/frozen", FrozenReportsView.as_view()),
    path("api/reports/frozen/<number:number>", FrozenReportView.as_view()),
]
