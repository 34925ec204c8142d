"""What the API says of reports."""

from typing import Any

from rest_framework import serializers

from gannet.web.shape import Shape

_words, _number, _yes = serializers.CharField, serializers.IntegerField, serializers.BooleanField
_list = serializers.ListField
_any: Any = serializers.JSONField


def _blank(**more: Any) -> serializers.CharField:
    return serializers.CharField(allow_blank=True, **more)


class DimensionShape(Shape):
    field = _words()
    by = _blank(required=False, default="")


class MeasureOfShape(Shape):
    of = _words()
    way = _words(help_text="how it is summed up: count, share, mean, median, p90, sum, min, max")


class DefinitionShape(Shape):
    """What a report asks for; the core refuses what cannot be, naming the place."""

    kind = _blank(required=False, default="", help_text="of record; empty: every")
    event = _words(help_text="what happened to them, or that they are open")
    span = _any(
        required=False, default="this month", help_text="a range in words, or {from, to} as days"
    )
    rows = DimensionShape(many=True)
    columns = DimensionShape(allow_null=True, required=False, default=None)
    measures = MeasureOfShape(many=True)
    where = _any(allow_null=True, required=False, default=None, help_text="a condition")
    against = _blank(required=False, default="")
    top = _number(required=False, default=0, min_value=0, max_value=200)
    draw = _words(required=False, default="table")


class ReportKindShape(Shape):
    key = _words()
    name = _words()


class ReportFieldShape(Shape):
    name = _words()
    label = _words()
    is_time = _yes()
    is_custom = _yes()


class ReportWayShape(Shape):
    key = _words()
    label = _words()


class ReportValueShape(Shape):
    key = _words()
    label = _words()
    unit = _words()
    about = _blank()
    ways = ReportWayShape(many=True)


class ReportWordsShape(Shape):
    """All that the sentence of a report can be made of."""

    kinds = ReportKindShape(many=True)
    events = _list(child=_words())
    spans = _list(child=_words())
    bys = _list(child=_words())
    dimensions = ReportFieldShape(many=True)
    values = ReportValueShape(many=True)
    against = _list(child=_words())
    drawn = _list(child=_words())


class ShippedReportShape(Shape):
    key = _words()
    name = _words()
    about = _words()
    definition = _any()


class KeptReportShape(Shape):
    id = _number()
    name = _words()
    about = _blank()
    definition = _any()
    is_shared = _yes()
    is_mine = _yes()
    owner = _words()
    version = _number()


class ReportsShape(Shape):
    shipped = ShippedReportShape(many=True)
    kept = KeptReportShape(many=True)
    words = ReportWordsShape()


class KeepReportShape(Shape):
    name = _blank(max_length=200)
    about = _blank(max_length=1000, required=False, default="")
    definition = DefinitionShape()
    is_shared = _yes(required=False, default=False)


class ChangeReportShape(KeepReportShape):
    version = _number()


class ReportMeasureShape(Shape):
    of = _words()
    label = _words()
    unit = _words(help_text="percent, seconds, minutes, pence or number")
    about = _blank()
    way = _words()


class HeadingShape(Shape):
    key = _any(allow_null=True, help_text="addresses it; null: those that have none")
    label = _words()


def _figures(**more: Any) -> serializers.ListField:
    return _list(child=serializers.FloatField(allow_null=True), **more)


class ReportLineShape(Shape):
    """A row; its path is shorter where inner rows follow it."""

    path = HeadingShape(many=True)
    cells = _list(child=_figures(), help_text="of each column the figures")
    total = _figures()


class ReportTableShape(Shape):
    columns = HeadingShape(many=True)
    rows = ReportLineShape(many=True)
    totals = _list(child=_figures())
    total = _figures()
    gathered = _number(help_text="how many rows stand in the last but one as the others")


class ReportSpanShape(Shape):
    from_s = _number()
    to_s = _number()
    until_s = _number(help_text="where it has got to, before its end while it runs")


class ReportShownShape(Shape):
    """A report as its reader sees it now, beside what it is held against."""

    measures = ReportMeasureShape(many=True)
    table = ReportTableShape()
    before = ReportTableShape(allow_null=True)
    span = ReportSpanShape()
    span_before = ReportSpanShape(allow_null=True)
    zone = _words()
    now_s = _number()


class ReportRecordShape(Shape):
    id = _number()
    kind = _words()
    mark = _words()
    title = _words()
    value = _number(allow_null=True)


class ReportRecordsShape(Shape):
    """The records of a cell; `tree` is the condition that lists them, where one can."""

    count = _number()
    figures = _figures()
    tree = _any(allow_null=True)
    measure = ReportMeasureShape(allow_null=True)
    rows = ReportRecordShape(many=True)
