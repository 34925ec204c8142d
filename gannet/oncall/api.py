"""Rotas and pages over the API."""

from django.urls import path
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.oncall import paging, rotas
from gannet.people.access import acting, person_of
from gannet.people.models import Person, Team
from gannet.people.permissions import DeskReads
from gannet.tickets.record import find
from gannet.web.base import GannetView
from gannet.web.errors import Missing
from gannet.web.shape import NamedShape, Shape, given, now_s
from gannet_core import oncall

_words = serializers.CharField
_number = serializers.IntegerField
_TIME = r"^([01]\d|2[0-3]):[0-5]\d$"


class RotaFactsShape(Shape):
    people = NamedShape(many=True)
    zone = _words()
    starts = _words()
    at = _words()
    weeks = _number()
    next_minutes = _number()


class TurnShape(Shape):
    """Who is on call in a span; nobody in a gap, with why."""

    from_s = _number()
    to_s = _number()
    person = _words(allow_blank=True)
    why = serializers.ChoiceField(
        [oncall.ROTA, oncall.INSTEAD, oncall.AWAY, oncall.NOBODY, oncall.NOT_BEGUN]
    )
    whose = _words(allow_blank=True, help_text="whose turn it would be, of one who is away")


class StandInShape(Shape):
    id = _number()
    name = _words()
    from_s = _number()
    to_s = _number()
    is_mine = serializers.BooleanField()


class RotaShape(Shape):
    team = _number()
    name = _words()
    rota = RotaFactsShape(allow_null=True)
    turns = TurnShape(many=True, help_text="of the next eight weeks")
    stand_ins = StandInShape(many=True)
    is_mine = serializers.BooleanField()
    is_mine_to_lead = serializers.BooleanField()


class SetRotaShape(Shape):
    people = serializers.ListField(child=_number(), max_length=rotas.MOST_PEOPLE)
    zone = _words(max_length=60)
    starts = serializers.DateField()
    at = serializers.RegexField(_TIME)
    weeks = serializers.IntegerField(min_value=1, max_value=oncall.MOST_WEEKS)
    next_minutes = serializers.IntegerField(min_value=1, max_value=240)


class NewStandInShape(Shape):
    person = _number()
    starts_at = serializers.DateTimeField()
    ends_at = serializers.DateTimeField()


class PagedShape(Shape):
    person = _words()
    at_s = _number()
    answer = _words(allow_blank=True, help_text="answered, none, over; empty while it waits")


class CallShape(Shape):
    id = _number()
    team = _words()
    why = _words(allow_blank=True)
    asked_by = _words(allow_blank=True, help_text="empty: a rule or an escalation step")
    at_s = _number()
    ended_s = _number(allow_null=True)
    answered_by = _words(allow_blank=True)
    pages = PagedShape(many=True)


def _team(number: int) -> Team:
    found = Team.objects.filter(pk=number, is_board=False).first()
    if found is None:
        raise Missing("There is no such team.")
    return found


class RotasView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="rotas", responses=RotaShape(many=True))
    def get(self, request: Request) -> Response:
        """Every team's rota: who is on call now, the weeks to come, gaps."""
        teams = Team.objects.filter(is_board=False).order_by("name")
        return Response([rotas.rota_json(team, person_of(request), now_s()) for team in teams])


class RotaView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="set_rota", request=SetRotaShape, responses=RotaShape)
    def put(self, request: Request, number: int) -> Response:
        team = _team(number)
        rotas.set_rota(acting(request), team, given(SetRotaShape, request))
        return Response(rotas.rota_json(team, person_of(request), now_s()))

    @extend_schema(operation_id="drop_rota", responses={200: RotaShape})
    def delete(self, request: Request, number: int) -> Response:
        team = _team(number)
        rotas.drop_rota(acting(request), team)
        return Response(rotas.rota_json(team, person_of(request), now_s()))


class StandInsView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="stand_in", request=NewStandInShape, responses={201: RotaShape})
    def post(self, request: Request, number: int) -> Response:
        team, data = _team(number), given(NewStandInShape, request)
        person = Person.objects.filter(pk=data["person"], is_active=True).first()
        rotas.stand_in(acting(request), team, person, data["starts_at"], data["ends_at"])
        return Response(rotas.rota_json(team, person_of(request), now_s()), status=201)


class StandInView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="drop_stand_in", responses={200: RotaShape})
    def delete(self, request: Request, number: int, span: int) -> Response:
        team = _team(number)
        rotas.drop_stand_in(acting(request), team, span)
        return Response(rotas.rota_json(team, person_of(request), now_s()))


class PagesView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="pages_of_ticket", responses=CallShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """Who was paged about a record, and what came of it."""
        return Response(paging.calls_json(find(number, person_of(request))))


urlpatterns = [
    path("api/rotas", RotasView.as_view()),
    path("api/rotas/<number:number>", RotaView.as_view()),
    path("api/rotas/<number:number>/stand-ins", StandInsView.as_view()),
    path("api/rotas/<number:number>/stand-ins/<number:span>", StandInView.as_view()),
    path("api/tickets/<number:number>/pages", PagesView.as_view()),
]
