"""Reports over the API: tables, and the tickets behind each number."""

from typing import Any

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.people.permissions import ReportsRead
from gannet.reports import queries
from gannet.tickets.listing import page
from gannet.tickets.queries import total
from gannet.tickets.shapes.lists import PageShape
from gannet.web.base import GannetView
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


urlpatterns = [
    path("api/reports/promises", PromisesView.as_view()),
    path("api/reports/behind", BehindView.as_view()),
]
