"""The outlook over the API: what teams will probably miss, and whether it came true."""

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.people.permissions import DeskReads, ReportsRead
from gannet.reports import looking_ahead
from gannet.web.base import GannetView
from gannet.web.errors import Invalid
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of

_words, _number, _yes = serializers.CharField, serializers.IntegerField, serializers.BooleanField
_part = serializers.FloatField


class OutlookDueShape(Shape):
    """An open ticket whose target runs out in the span, and how likely it is missed (0 to 1)."""

    number = _number()
    title = _words()
    due_s = _number()
    chance = _part()


class OutlookHelpShape(Shape):
    """What would help: so many fewer missed, by one more person or by some tickets first."""

    kind = _words()
    expected = _part()
    fewer = _part()
    numbers = serializers.ListField(child=_number())


class OutlookWhyShape(Shape):
    """What was played, in numbers."""

    open = _number()
    without_target = _number(help_text="open, with no target that could still be missed")
    coming = _part(help_text="how many are likely to come")
    people_now = _number()
    people = _number(help_text="who works at some time of the span")
    times = _number(help_text="of how many tickets the time logged is known")
    median_s = _part(allow_null=True)
    played = _part(allow_null=True, help_text="missed of what is open as it was played")
    assumed_s = _number(allow_null=True, help_text="the time assumed where none was logged")
    runs = _number()


class TeamOutlookShape(Shape):
    """A team's outlook; without anybody who works within a fortnight there is none."""

    team = _number()
    name = _words()
    computed_s = _number()
    is_anybody = _yes()
    until_s = _number(allow_null=True)
    expected = _part(allow_null=True)
    low = _part(allow_null=True)
    high = _part(allow_null=True)
    of_open = _part(allow_null=True)
    of_coming = _part(allow_null=True)
    due = OutlookDueShape(many=True)
    hidden = _number(help_text="how many more fall due that the reader may not see")
    helps = OutlookHelpShape(many=True)
    why = OutlookWhyShape(allow_null=True)


class OutlookShape(Shape):
    """The outlooks of the teams that somebody may read, and of all of them together."""

    teams = TeamOutlookShape(many=True)
    expected = _part()
    low = _part()
    high = _part()
    is_pending = _yes(help_text="some are being computed: ask again")
    known = _number(help_text="how many forecasts have come true, or have not")
    now_s = _number()


class ForecastShape(Shape):
    number = _number()
    title = _words()
    at_s = _number()
    chance = _part()
    was_late = _yes()


class ForecastStepShape(Shape):
    """Of those said to be from one chance to another: how many, and how many were late."""

    from_chance = _part()
    to_chance = _part()
    said = _part(help_text="what was said on average")
    late = _number()
    count = _number()
    behind = ForecastShape(many=True)


class CameTrueShape(Shape):
    steps = ForecastStepShape(many=True)
    since_s = _number()
    now_s = _number()


class OutlookView(GannetView):
    """What teams will probably miss in their next eight service hours."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="outlook", parameters=[OpenApiParameter("team", int)], responses=OutlookShape
    )
    def get(self, request: Request) -> Response:
        said = request.query_params.get("team", "")
        if said and not (said.isascii() and said.isdigit() and len(said) < 15):
            raise Invalid("There is no such team.", fields={"team": "Choose a team."})
        now_s = seconds_of(timezone.now())
        team = int(said) if said else None
        return Response(looking_ahead.told(person_of(request), now_s, team))


class CameTrueView(GannetView):
    """What was said of tickets, against what became of them."""

    permission_classes = [ReportsRead]

    @extend_schema(operation_id="outlook_came_true", responses=CameTrueShape)
    def get(self, request: Request) -> Response:
        return Response(looking_ahead.came_true(person_of(request), timezone.now()))


urlpatterns = [
    path("api/outlook", OutlookView.as_view()),
    path("api/outlook/came-true", CameTrueView.as_view()),
]
