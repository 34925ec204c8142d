"""The JSON of requests and of what is asked of approvers."""

from rest_framework import serializers

from gannet.web.shape import Shape


class AnswerShape(Shape):
    field = serializers.CharField()
    label = serializers.CharField()
    value = serializers.CharField()


class StagePersonShape(Shape):
    name = serializers.CharField()
    state = serializers.CharField()
    because = serializers.CharField()
    reason = serializers.CharField()
    question = serializers.CharField()
    decided_s = serializers.IntegerField(allow_null=True)
    decided_by = serializers.CharField()
    through = serializers.CharField()
    is_old = serializers.BooleanField()
    deputies = serializers.ListField(child=serializers.CharField())


class StageShape(Shape):
    name = serializers.CharField()
    state = serializers.CharField()
    because = serializers.CharField()
    notes = serializers.ListField(child=serializers.CharField())
    needs = serializers.CharField()
    since_s = serializers.IntegerField(allow_null=True)
    ended_s = serializers.IntegerField(allow_null=True)
    decide_by_s = serializers.IntegerField(allow_null=True)
    people = StagePersonShape(many=True)


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
    covered_by = serializers.IntegerField(allow_null=True)
    may_ask_again = serializers.BooleanField()
    may_change_answers = serializers.BooleanField()


class BeforeShape(Shape):
    ticket = serializers.IntegerField()
    decided_s = serializers.IntegerField(allow_null=True)
    by = serializers.CharField()


class PlanRowShape(Shape):
    task = serializers.IntegerField()
    title = serializers.CharField()
    earliest = serializers.ListField(child=serializers.IntegerField())
    latest = serializers.ListField(child=serializers.IntegerField())
    earliest_s = serializers.IntegerField()
    latest_s = serializers.IntegerField()
    slack_minutes = serializers.IntegerField()
    is_critical = serializers.BooleanField()


class PlanShape(Shape):
    """When each open task can and must run, in minutes from now and as instants."""

    length_minutes = serializers.IntegerField()
    ends_s = serializers.IntegerField()
    rows = PlanRowShape(many=True)


class CardShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    for_whom = serializers.CharField()
    holder = serializers.CharField()
    team = serializers.CharField()
    due_s = serializers.IntegerField(allow_null=True)
    late_from_s = serializers.IntegerField(allow_null=True)
    left_s = serializers.IntegerField(allow_null=True)
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
