"""The JSON of what is asked of approvers, and of the stages of a route."""

from rest_framework import serializers

from gannet.web.shape import Shape


class AnswerShape(Shape):
    field = serializers.CharField()
    label = serializers.CharField()
    value = serializers.CharField()


class AskedPartShape(Shape):
    """One part of what is asked for: its own cost and answers."""

    item = serializers.CharField()
    name = serializers.CharField()
    once_pence = serializers.IntegerField()
    monthly_pence = serializers.IntegerField()
    answers = AnswerShape(many=True)


class AnsweredShape(Shape):
    """What an approver asked back, and what the requester answered."""

    question = serializers.CharField()
    answer = serializers.CharField()


class StagePersonShape(Shape):
    name = serializers.CharField()
    state = serializers.CharField()
    because = serializers.CharField()
    reason = serializers.CharField()
    question = serializers.CharField()
    answered = AnsweredShape(many=True)
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


class BeforeShape(Shape):
    ticket = serializers.IntegerField()
    decided_s = serializers.IntegerField(allow_null=True)
    by = serializers.CharField()
