"""The JSON of the plan of a record's tasks."""

from rest_framework import serializers

from gannet.web.shape import Shape


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
