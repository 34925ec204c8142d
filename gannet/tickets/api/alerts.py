"""Alerts from monitoring, in the API."""

from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import acting
from gannet.people.permissions import DeskWorks
from gannet.tickets.actions.alerts import Signal, take_signal
from gannet.tickets.models import Alert
from gannet.web.base import GannetView
from gannet.web.shape import Shape

_MOST = 200


class SignalShape(Shape):
    """What monitoring says; the same key is the same fault."""

    key = serializers.CharField(max_length=160)
    title = serializers.CharField(max_length=200)
    text = serializers.CharField(max_length=20_000, required=False, allow_blank=True, default="")
    ci = serializers.CharField(max_length=120, required=False, allow_blank=True, default="")
    state = serializers.ChoiceField(["firing", "recovered"], required=False, default="firing")
    impact = serializers.IntegerField(required=False, allow_null=True, default=None)
    urgency = serializers.IntegerField(required=False, allow_null=True, default=None)


class AlertShape(Shape):
    key = serializers.CharField()
    title = serializers.CharField()
    is_firing = serializers.BooleanField()
    count = serializers.IntegerField()
    ticket = serializers.IntegerField(allow_null=True)
    last_s = serializers.IntegerField()


class TakenShape(AlertShape):
    did = serializers.CharField()


def _json(alert: Alert) -> dict[str, object]:
    return {
        "key": alert.key,
        "title": alert.title,
        "is_firing": bool(alert.is_firing),
        "count": alert.count,
        "ticket": alert.ticket_id,
        "last_s": alert.last_s,
    }


class AlertsView(GannetView):
    """What fires, and taking in what monitoring says."""

    permission_classes = [DeskWorks]
    needs_scope = "alerts"

    @extend_schema(operation_id="alerts", responses=AlertShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Alert.objects.filter(is_firing=1).order_by("-last_s")[:_MOST]
        return Response([_json(alert) for alert in rows])

    @extend_schema(operation_id="alert", request=SignalShape, responses=TakenShape)
    def post(self, request: Request) -> Response:
        given = SignalShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = dict(given.validated_data)
        signal = Signal(is_firing=data.pop("state") == "firing", **data)
        alert, did = take_signal(signal, acting(request))
        return Response({**_json(alert), "did": did})
