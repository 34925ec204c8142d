"""Finding people and teams, with what is open of theirs."""

from typing import Any

from django.db.models import Exists, OuterRef, QuerySet
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.models import ConfigItem
from gannet.people.access import person_of
from gannet.people.api import DeviceSerializer, PersonSerializer
from gannet.people.models import Membership, Person, Team
from gannet.people.permissions import DeskReads
from gannet.rulebook.book import current
from gannet.tickets.listed import seen_by
from gannet.tickets.models import Ticket
from gannet.tickets.queries import ROW_FIELDS, row_shown
from gannet.tickets.routing import mode_of
from gannet.web.base import GannetView
from gannet.web.kept import Givens, KeptQueries
from gannet_core.conditions import fold


class FoundPersonSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    department = serializers.CharField()
    job = serializers.CharField()
    place = serializers.CharField()
    phone = serializers.CharField()
    email = serializers.CharField()
    open_tickets = serializers.ListField(child=serializers.DictField())
    devices = DeviceSerializer(many=True)


class TeamSerializer(serializers.Serializer[Team]):
    id = serializers.IntegerField()
    key = serializers.CharField()
    name = serializers.CharField()
    mode = serializers.CharField()
    members = serializers.ListField(child=serializers.DictField())


class PeopleView(GannetView):
    """People by any part of their name, with what they have open (for the phone)."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="find_people",
        parameters=[OpenApiParameter("q", str, required=True)],
        responses=FoundPersonSerializer(many=True),
    )
    def get(self, request: Request) -> Response:
        words = fold(request.query_params.get("q", "")[:80]).split()
        if not words:
            return Response([])
        found = Person.objects.filter(is_active=True)
        for word in words:
            found = found.filter(name_folded__contains=word)
        viewer = person_of(request)
        mine = OuterRef("pk")
        busy = Exists(Ticket.objects.filter(requester=mine, is_open=True))
        # Who calls again comes before who never called.
        rows = found.annotate(has_open=busy).order_by("-has_open", "name")[:8]
        return Response([_found(person, viewer) for person in rows])


_kept = KeptQueries()


def _found(person: Person, viewer: Person) -> dict[str, Any]:
    seen = seen_by(viewer)

    def tickets(givens: Givens) -> QuerySet[Any, Any]:
        theirs = seen.build(givens).filter(requester=givens["whose"], is_open=True)
        return theirs.order_by("-opened_s", "-id").values_list(*ROW_FIELDS)[:5]

    rows = seen.rows(_kept, "tickets", tickets, {"whose": person.pk})
    devices = _kept.objects("devices", _devices, {"whose": person.pk})
    return {
        **PersonSerializer(person).data,
        "open_tickets": [row_shown(row) for row in rows],
        "devices": DeviceSerializer(devices, many=True).data,
    }


def _devices(givens: Givens) -> QuerySet[Any]:
    return ConfigItem.objects.filter(used_by=givens["whose"])[:5]


class TeamsView(GannetView):
    """The teams with their members (for handing over)."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="teams", responses=TeamSerializer(many=True))
    def get(self, request: Request) -> Response:
        book = current()
        members: dict[int, list[dict[str, Any]]] = {}
        for membership in Membership.objects.select_related("person").order_by("person__name"):
            members.setdefault(membership.team_id, []).append(
                {"id": membership.person_id, "name": membership.person.name}
            )
        return Response(
            [
                {
                    "id": team.pk,
                    "key": team.key,
                    "name": team.name,
                    "mode": mode_of(book, team),
                    "members": members.get(team.pk, []),
                }
                for team in Team.objects.filter(is_board=False)
            ]
        )
