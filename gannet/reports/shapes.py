"""What the API says of reports."""

from typing import Any

from rest_framework import serializers

from gannet.tickets.shapes.lists import FieldShape
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


class ReportOwnShape(Shape):
    """What only records of one kind have."""

    events = _list(child=_words())
    dimensions = ReportFieldShape(many=True)
    values = ReportValueShape(many=True)
    conditions = FieldShape(many=True)
    on_ticket = _yes(help_text="whether they have the fields of their ticket too")


class ReportKindShape(Shape):
    key = _words()
    name = _words()
    about = _blank(required=False)
    own = ReportOwnShape(required=False, help_text="for those that are no tickets")


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
    freezes = _yes(help_text="by itself, at each month's end")
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


class RhythmShape(Shape):
    """When it goes out: a local time, on days of the week or one of the month (31: the last)."""

    every = _words(help_text="day, week or month")
    at = _words(max_length=5, help_text="a local time such as 07:00")
    zone = _words(max_length=60)
    weekdays = _list(child=_number(min_value=1, max_value=7), required=False, default=list)
    day = _number(min_value=1, max_value=31, required=False, default=1)


class ThresholdShape(Shape):
    """Only when a figure of the whole is above or below a value, in the figure's own unit."""

    figure = _number(min_value=0, max_value=3)
    op = _words(max_length=1)
    value = serializers.FloatField(min_value=-1e12, max_value=1e12)


class AddDeliveryShape(Shape):
    rhythm = RhythmShape()
    threshold = ThresholdShape(allow_null=True, required=False, default=None)
    to = _list(child=_words(max_length=254), max_length=60)
    kinds = _list(child=_words(max_length=4), max_length=3)
    note = _blank(max_length=500, required=False, default="")
    is_on = _yes(required=False, default=True)


class ChangeDeliveryShape(AddDeliveryShape):
    version = _number()


class SentReportShape(Shape):
    due_s = _number()
    at_s = _number()
    is_sent = _yes()
    to = _list(child=_words())
    says = _blank()


class DeliveryShape(Shape):
    id = _number()
    rhythm = RhythmShape()
    says = _words()
    threshold = ThresholdShape(allow_null=True)
    to = _list(child=_words())
    kinds = _list(child=_words())
    note = _blank()
    is_on = _yes()
    next_s = _number()
    version = _number()
    sent = SentReportShape(many=True, help_text="the last times that it was due")


class DashboardPartShape(Shape):
    """A report (its key or number) shown as figures, table or drawing, a list, or a text."""

    kind = _words(max_length=10)
    report = _blank(max_length=40, required=False, default="")
    show = _blank(max_length=60, required=False, default="", help_text="of a list: its order")
    text = _blank(max_length=1000, required=False, default="")
    where = _any(required=False, default=None, allow_null=True, help_text="of a list")


class KeepDashboardShape(Shape):
    name = _blank(max_length=200)
    rows = _list(child=DashboardPartShape(many=True), max_length=40)
    is_shared = _yes(required=False, default=False)


class ChangeDashboardShape(KeepDashboardShape):
    version = _number()


class DashboardShape(Shape):
    id = _number()
    name = _words()
    rows = _list(child=DashboardPartShape(many=True))
    is_shared = _yes()
    is_mine = _yes()
    owner = _words()
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
    known_s = _number(
        allow_null=True, help_text="up to when it knows, where it is kept from the histories"
    )


class ReportRecordShape(Shape):
    id = _number()
    kind = _words()
    mark = _blank()
    title = _blank()
    opens = serializers.ChoiceField(choices=["ticket", "article", "item"])
    on = _blank(help_text="the number or key of what opens")
    value = serializers.FloatField(allow_null=True)
    says = _blank(help_text="what was written with it: why it was opened again")


class ReportRecordsShape(Shape):
    """The records of a cell; `tree` is the condition that lists them, where one can."""

    count = _number()
    figures = _figures()
    tree = _any(allow_null=True)
    measure = ReportMeasureShape(allow_null=True)
    rows = ReportRecordShape(many=True)


class FrozenLineShape(Shape):
    """When a report was frozen; by nobody where it freezes itself."""

    id = _number()
    at_s = _number()
    by = _words()


class FrozenReportShape(FrozenLineShape):
    """A report as it was: its definition and its table then."""

    name = _words()
    definition = _any()
    shown = ReportShownShape()
    is_mine = _yes()


class FreezesShape(Shape):
    is_on = _yes()
