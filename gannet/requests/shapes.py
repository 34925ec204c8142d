"""The JSON of requests."""

from rest_framework import serializers

from gannet.tickets.shapes.approvals import AnswerShape, AskedPartShape, StageShape
from gannet.web.shape import Shape


class PartShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    state = serializers.CharField()
    is_open = serializers.BooleanField()
    team = serializers.CharField()
    holder = serializers.CharField()
    approval = serializers.CharField()


class AgainShape(Shape):
    """What was answered, to ask again with."""

    answers = serializers.DictField(child=serializers.JSONField(allow_null=True))
    beneficiary = serializers.IntegerField(allow_null=True)
    chosen = serializers.ListField(child=serializers.CharField())
    part_answers = serializers.DictField(child=serializers.DictField())


class RequestShape(Shape):
    """What was asked for, for whom, at what cost, and where its approval stands."""

    item = serializers.CharField()
    item_name = serializers.CharField()
    icon = serializers.CharField()
    is_bundle = serializers.BooleanField()
    beneficiary = serializers.CharField()
    is_for_other = serializers.BooleanField()
    once_pence = serializers.IntegerField()
    monthly_pence = serializers.IntegerField()
    planned_pence = serializers.IntegerField()
    spent_pence = serializers.IntegerField()
    budget_line = serializers.CharField()
    delivery = serializers.CharField()
    approval = serializers.CharField()
    answers = AnswerShape(many=True)
    again = AgainShape()
    stages = StageShape(many=True)
    parts = PartShape(many=True)
    # What its parts will be, until they are opened.
    parts_to_come = AskedPartShape(many=True)
    covered_by = serializers.IntegerField(allow_null=True)
    may_ask_again = serializers.BooleanField()
    may_change_answers = serializers.BooleanField()


class CardShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    for_whom = serializers.CharField()
    holder = serializers.CharField()
    team = serializers.CharField()
    due_s = serializers.IntegerField(allow_null=True)
    late_from_s = serializers.IntegerField(allow_null=True)
    left_seconds = serializers.IntegerField(allow_null=True)
    due_kind = serializers.CharField()
    waiting_until_s = serializers.IntegerField(allow_null=True)
    waits = serializers.CharField()
    task = serializers.CharField()
    open_tasks = serializers.IntegerField()
    all_tasks = serializers.IntegerField()
    parent = serializers.IntegerField(allow_null=True)
    is_whole = serializers.BooleanField()


class ColumnShape(Shape):
    name = serializers.CharField()
    cards = CardShape(many=True)


class BoardShape(Shape):
    """The requests by phase."""

    columns = ColumnShape(many=True)
    is_capped = serializers.BooleanField()
    now_s = serializers.IntegerField()
