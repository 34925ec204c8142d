"""Reports over the API: tables, and the tickets behind each number."""

import json
from math import isfinite
from typing import Any

from django.http import HttpResponse
from django.urls import path
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, OpenApiResponse, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.people.permissions import ReportsRead
from gannet.reports import answers, dashboards, delivering, files, keeping, queries, shapes
from gannet.reports.asking import Spot
from gannet.reports.building import Builder
from gannet.tickets.listing import page
from gannet.tickets.queries import total
from gannet.tickets.shapes.lists import PageShape
from gannet.web.base import GannetView
from gannet.web.errors import Invalid
from gannet.web.shape import given
from gannet_core import reports as core
from gannet_core.errors import ReportError
from gannet_core.instants import seconds_of


class CellShape(serializers.Serializer[Any]):
    kept = serializers.IntegerField()
    missed = serializers.IntegerField()
    share = serializers.FloatField(allow_null=True)


class ReportRowShape(serializers.Serializer[Any]):
    team = serializers.CharField()
    name = serializers.CharField()
    cells = serializers.DictField(child=CellShape())
    total = CellShape()


class TableShape(serializers.Serializer[Any]):
    rows = ReportRowShape(many=True)
    totals = serializers.DictField(child=CellShape())
    total = CellShape()


class SpanShape(serializers.Serializer[Any]):
    span = serializers.CharField()
    from_s = serializers.IntegerField()
    to_s = serializers.IntegerField()
    tables = serializers.DictField(child=TableShape())


class AgeShape(serializers.Serializer[Any]):
    team = serializers.CharField()
    name = serializers.CharField()
    counts = serializers.DictField(child=serializers.IntegerField())
    total = serializers.IntegerField()


class DayShape(serializers.Serializer[Any]):
    day = serializers.CharField()
    at_s = serializers.IntegerField()
    open = serializers.IntegerField()


class PromisesReportShape(serializers.Serializer[Any]):
    """The first report: promises kept, the age of open work, what was open each day."""

    spans = SpanShape(many=True)
    ages = AgeShape(many=True)
    days = DayShape(many=True)
    now_s = serializers.IntegerField()


class BehindShape(PageShape):
    count = serializers.IntegerField()


class AskedShape(serializers.Serializer[Any]):
    clock = serializers.CharField(default="", allow_blank=True)
    outcome = serializers.CharField(default="", allow_blank=True)
    span = serializers.CharField(default="", allow_blank=True)
    team = serializers.CharField(default="", allow_blank=True)
    priority = serializers.IntegerField(default=None, allow_null=True)
    age = serializers.CharField(default="", allow_blank=True)
    open_at_s = serializers.IntegerField(default=None, allow_null=True, max_value=2**40)


class PromisesView(GannetView):
    """Promises kept in two spans, with the age of open work and what was open each day."""

    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="report_promises",
        parameters=[OpenApiParameter("span", str, many=True, enum=list(queries.RANGES))],
        responses=PromisesReportShape,
    )
    def get(self, request: Request) -> Response:
        now, person = timezone.now(), person_of(request)
        spans = request.query_params.getlist("span") or ["this month", "last month"]
        return Response(
            {
                "spans": [queries.promises_kept(person, span, now) for span in spans[:2]],
                "ages": queries.age_of_open(person, now),
                "days": queries.open_by_day(person, now),
                "now_s": seconds_of(now),
            }
        )


class BehindView(GannetView):
    """The tickets behind a number of a report, and how many they are."""

    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="report_behind",
        parameters=[AskedShape, OpenApiParameter("cursor", str)],
        responses=BehindShape,
    )
    def get(self, request: Request) -> Response:
        given = AskedShape(
            data={k: v for k, v in request.query_params.items() if k not in ("cursor",)}
        )
        given.is_valid(raise_exception=True)
        now = timezone.now()
        found = queries.behind(person_of(request), queries.ReportAsked(**given.validated_data), now)
        shown = page(found, "-opened", cursor=request.query_params.get("cursor", ""))
        return Response(
            {
                "rows": shown.rows,
                "next_cursor": shown.next_cursor,
                "count": total(found),
                "now_s": seconds_of(now),
                "sentence": "",
                "is_capped": False,
            }
        )


class ReportsView(GannetView):
    """The reports that somebody has, and the words of which another is made."""

    permission_classes = [ReportsRead]

    @extend_schema(operation_id="reports", responses=shapes.ReportsShape)
    def get(self, request: Request) -> Response:
        return Response(answers.list_json(person_of(request)))

    @extend_schema(
        operation_id="keep_report",
        request=shapes.KeepReportShape,
        responses={201: shapes.KeptReportShape},
    )
    def post(self, request: Request) -> Response:
        """Keep a report under a name."""
        person = person_of(request)
        row = keeping.keep(person, timezone.now(), **given(shapes.KeepReportShape, request))
        return Response(answers.kept_json(row, person), status=201)


class ReportView(GannetView):
    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="change_report",
        request=shapes.ChangeReportShape,
        responses=shapes.KeptReportShape,
    )
    def put(self, request: Request, number: int) -> Response:
        """Change a report of one's own; refused when another window has changed it."""
        person, said = person_of(request), given(shapes.ChangeReportShape, request)
        row = keeping.change(person, timezone.now(), number, **said)
        return Response(answers.kept_json(row, person))

    @extend_schema(operation_id="remove_report", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        keeping.remove(person_of(request), number)
        return Response(status=204)


class DeliveriesView(GannetView):
    """The deliveries of a report of one's own."""

    permission_classes = [ReportsRead]

    @extend_schema(operation_id="report_deliveries", responses=shapes.DeliveryShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        report = delivering.of_report(person_of(request), number)
        return Response([answers.delivery_json(one) for one in report.deliveries.all()])

    @extend_schema(
        operation_id="add_report_delivery",
        request=shapes.AddDeliveryShape,
        responses={201: shapes.DeliveryShape},
    )
    def post(self, request: Request, number: int) -> Response:
        """Let a report go out by mail again and again."""
        said = given(shapes.AddDeliveryShape, request)
        row = delivering.add(person_of(request), number, timezone.now(), said)
        return Response(answers.delivery_json(row), status=201)


class DeliveryView(GannetView):
    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="change_report_delivery",
        request=shapes.ChangeDeliveryShape,
        responses=shapes.DeliveryShape,
    )
    def put(self, request: Request, number: int) -> Response:
        said = given(shapes.ChangeDeliveryShape, request)
        row = delivering.change(person_of(request), number, timezone.now(), said)
        return Response(answers.delivery_json(row))

    @extend_schema(operation_id="remove_report_delivery", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        delivering.remove(person_of(request), number)
        return Response(status=204)


class DashboardsView(GannetView):
    """The dashboards that somebody has."""

    permission_classes = [ReportsRead]

    @extend_schema(operation_id="dashboards", responses=shapes.DashboardShape(many=True))
    def get(self, request: Request) -> Response:
        person = person_of(request)
        rows = dashboards.seen_by(person)
        return Response([answers.dashboard_json(one, person) for one in rows])

    @extend_schema(
        operation_id="keep_dashboard",
        request=shapes.KeepDashboardShape,
        responses={201: shapes.DashboardShape},
    )
    def post(self, request: Request) -> Response:
        """Keep a dashboard under a name."""
        person = person_of(request)
        said = given(shapes.KeepDashboardShape, request)
        row = dashboards.keep(person, timezone.now(), **said)
        return Response(answers.dashboard_json(row, person), status=201)


class DashboardView(GannetView):
    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="change_dashboard",
        request=shapes.ChangeDashboardShape,
        responses=shapes.DashboardShape,
    )
    def put(self, request: Request, number: int) -> Response:
        """Change a dashboard of one's own; refused when another window has changed it."""
        person, said = person_of(request), given(shapes.ChangeDashboardShape, request)
        row = dashboards.change(person, timezone.now(), number, **said)
        return Response(answers.dashboard_json(row, person))

    @extend_schema(operation_id="remove_dashboard", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        dashboards.remove(person_of(request), number)
        return Response(status=204)


_REPORT = OpenApiParameter("report", str, required=True, description="its definition as JSON")


class TableView(GannetView):
    """The table of a report, as its reader may see it."""

    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="report_table", parameters=[_REPORT], responses=shapes.ReportShownShape
    )
    def get(self, request: Request) -> Response:
        return Response(answers.table_json(_asked(request)))


class RecordsView(GannetView):
    """The records of one cell of a report."""

    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="report_records",
        parameters=[
            _REPORT,
            OpenApiParameter("path", str, description="the keys of its rows, a list as JSON"),
            OpenApiParameter("column", str, description="the key of its column as JSON"),
            OpenApiParameter("before", bool, description="of the span it is held against"),
            OpenApiParameter("after", int, description="how many are known already"),
            OpenApiParameter("of", str, enum=[core.RECORDS, core.CAME, core.WENT]),
        ],
        responses=shapes.ReportRecordsShape,
    )
    def get(self, request: Request) -> Response:
        found, asked = _asked(request), request.query_params
        path = _json(asked.get("path") or "[]", "path")
        if not isinstance(path, list) or len(path) > len(found.found.rows):
            raise Invalid("There is no such cell.", fields={"path": "Choose another."})
        column = _json(asked["column"], "column") if "column" in asked else core.TOTAL
        keys = [*path, column]
        if any(isinstance(key, (list, dict)) or not _is_finite(key) for key in keys):
            raise Invalid("There is no such cell.", fields={"path": "Choose another."})
        of = asked.get("of", core.RECORDS)
        if of not in (core.RECORDS, core.CAME, core.WENT):
            raise Invalid("There is no such figure.", fields={"of": "Choose one."})
        spot = Spot(tuple(path), column, of)
        is_before, after = asked.get("before") in ("1", "true"), _whole(asked.get("after", "0"))
        try:
            told = answers.records_json(found, spot, is_before=is_before, after=after)
            return Response(told)
        except ReportError as error:
            raise keeping.as_invalid(error) from error


class FileView(GannetView):
    """A report as a file: CSV, XLSX or PDF."""

    permission_classes = [ReportsRead]

    @extend_schema(
        operation_id="report_file",
        parameters=[
            _REPORT,
            OpenApiParameter("as", str, enum=list(files.KINDS)),
            OpenApiParameter("name", str),
        ],
        responses={
            (200, kind.split(";")[0]): OpenApiResponse(OpenApiTypes.BINARY)
            for kind in files.KINDS.values()
        },
    )
    def get(self, request: Request) -> HttpResponse:
        asked = request.query_params
        kind, name = asked.get("as", "csv"), " ".join(asked.get("name", "").split())[:80]
        if kind not in files.KINDS:
            raise Invalid("Choose csv, xlsx or pdf.", fields={"as": "Choose one."})
        makes = {"csv": files.as_csv, "xlsx": files.as_xlsx, "pdf": files.as_pages}
        try:
            made = makes[kind](_asked(request), name or "Report")
        except ReportError as error:
            raise keeping.as_invalid(error) from error
        plain = files.file_name(name)
        return HttpResponse(
            made,
            content_type=files.KINDS[kind],
            headers={"Content-Disposition": f'attachment; filename="{plain}.{kind}"'},
        )


def _asked(request: Request) -> Builder:
    """The report that a request asks for, read as its shape says."""
    said = _json(request.query_params.get("report") or "", "report")
    read = shapes.DefinitionShape(data=said)
    read.is_valid(raise_exception=True)
    return keeping.builder(read.validated_data, person_of(request), timezone.now())


def _whole(said: str) -> int:
    """A count in an address; anything else is none."""
    return min(int(said), 10**9) if said.isascii() and said.isdigit() and len(said) < 12 else 0


def _is_finite(key: Any) -> bool:
    return not isinstance(key, float) or isfinite(key)


def _json(said: str, name: str) -> Any:
    try:
        return json.loads(said)
    except ValueError as error:
        raise Invalid("That could not be read.", fields={name: "This is no JSON."}) from error


urlpatterns = [
    path("api/reports", ReportsView.as_view()),
    path("api/reports/<number:number>", ReportView.as_view()),
    path("api/reports/<number:number>/deliveries", DeliveriesView.as_view()),
    path("api/reports/deliveries/<number:number>", DeliveryView.as_view()),
    path("api/dashboards", DashboardsView.as_view()),
    path("api/dashboards/<number:number>", DashboardView.as_view()),
    path("api/reports/table", TableView.as_view()),
    path("api/reports/records", RecordsView.as_view()),
    path("api/reports/file", FileView.as_view()),
    path("api/reports/promises", PromisesView.as_view()),
    path("api/reports/behind", BehindView.as_view()),
]
