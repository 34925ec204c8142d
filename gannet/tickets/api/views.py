"""Saved views in the API."""

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads
from gannet.people.roles import team_ids
from gannet.tickets.actions import views
from gannet.tickets.models import Pin, View
from gannet.tickets.shapes import lists as shapes
from gannet.web.base import GannetView


def view_json(view: View, person: Person, pinned: set[int]) -> dict[str, Any]:
    return {
        "id": view.pk,
        "name": view.name,
        "body": view.body,
        "owner": view.owner.name,
        "is_mine": view.owner_id == person.pk,
        "is_pinned": view.pk in pinned,
        "people": [{"id": other.pk, "name": other.name} for other in view.people.all()],
        "teams": [{"id": team.pk, "name": team.name} for team in view.teams.all()],
        "default_of": [
            {"id": first.team_id, "name": first.team.name} for first in view.teamview_set.all()
        ],
    }


def views_of(person: Person) -> list[dict[str, Any]]:
    found = (
        views.visible_views(person)
        .select_related("owner")
        .prefetch_related("people", "teams", "teamview_set__team")
    )
    pinned = set(Pin.objects.filter(person=person).values_list("view_id", flat=True))
    mine = set(team_ids(person))
    listed = [view_json(view, person, pinned) for view in found]
    for view in listed:
        view["is_first"] = any(team["id"] in mine for team in view["default_of"])
    return listed


class ViewsView(GannetView):
    """The views that somebody may use, and keeping a new one."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="views", responses=shapes.ViewShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(views_of(person_of(request)))

    @extend_schema(
        operation_id="keep_view",
        request=shapes.KeepViewShape,
        responses={201: shapes.ViewShape},
    )
    def post(self, request: Request) -> Response:
        return _keep(request, None, 201)


class OneViewView(GannetView):
    """One view: change it, drop it."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="change_view", request=shapes.KeepViewShape, responses=shapes.ViewShape
    )
    def put(self, request: Request, number: int) -> Response:
        return _keep(request, number, 200)

    @extend_schema(operation_id="drop_view", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        views.drop_view(person_of(request), number)
        return Response(status=204)


class PinView(GannetView):
    """Keep a view above one's queue, or no longer."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="pin_view", request=shapes.PinShape, responses=shapes.PinShape)
    def put(self, request: Request, number: int) -> Response:
        given = shapes.PinShape(data=request.data)
        given.is_valid(raise_exception=True)
        views.pin(person_of(request), number, is_pinned=given.validated_data["is_pinned"])
        return Response(given.validated_data)


class TeamDefaultView(GannetView):
    """The view that a team's members start with."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="set_team_view",
        request=shapes.TeamDefaultShape,
        responses=shapes.TeamDefaultShape,
    )
    def put(self, request: Request, number: int) -> Response:
        given = shapes.TeamDefaultShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        views.set_team_default(
            person_of(request), number, data["team"], is_default=data["is_default"]
        )
        return Response(data)


def _keep(request: Request, number: int | None, status: int) -> Response:
    given = shapes.KeepViewShape(data=request.data)
    given.is_valid(raise_exception=True)
    data = given.validated_data
    person = person_of(request)
    view = views.keep_view(person, timezone.now(), view_id=number, **data)
    pinned = set(Pin.objects.filter(person=person).values_list("view_id", flat=True))
    return Response({**view_json(view, person, pinned), "is_first": False}, status=status)
