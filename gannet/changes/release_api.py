"""The API of releases: what each carries, in which phase, and what leaving would mean."""

from typing import Any

from django.urls import path
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.changes import releases
from gannet.changes.models import KIND, facts_of
from gannet.changes.shapes import StepLinkShape
from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.rulebook.book import current
from gannet.tickets import policies
from gannet.tickets.api.records import ticket_json
from gannet.tickets.record import find
from gannet.tickets.shapes.tickets import TicketShape
from gannet.web.base import GannetView
from gannet.web.errors import Missing
from gannet.web.shape import Shape, given, now_s

_words = serializers.CharField
_number = serializers.IntegerField
_MOST_OFFERED = 60
_MOST_LINKS = 300


class JoiningShape(Shape):
    change = _number()
    phase = _words(max_length=40, allow_blank=True, required=False, default="")


class LeavingShape(Shape):
    why = _words(max_length=300, allow_blank=True)


class WouldLeaveShape(Shape):
    """What a release is, and what it would be without one of its changes."""

    points = _number()
    rating = _words()
    points_without = _number()
    rating_without = _words()
    is_asked_again = serializers.BooleanField()


class PhaseShape(Shape):
    name = _words(max_length=40, allow_blank=True)
    gate = serializers.BooleanField(required=False, default=False)


class PlaceShape(Shape):
    change = _number()
    phase = _words(max_length=40, allow_blank=True)


class PhasesShape(Shape):
    phases = PhaseShape(many=True)
    places = PlaceShape(many=True, required=False)


class OfferedChangeShape(Shape):
    id = _number()
    title = _words()
    note = _words(allow_blank=True)


def _release(request: Request, number: int) -> Any:
    ticket = find(number, person_of(request))
    if ticket.kind != KIND or not facts_of(ticket).is_release:
        raise Missing(f"There is no release {number}.")
    return ticket


class CarriesView(GannetView):
    """The drafts that a release could carry; letting it carry one."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="could_carry", responses=OfferedChangeShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        _release(request, number)
        rows = policies.visible_to(person_of(request)).filter(
            kind=KIND,
            is_open=True,
            change_facts__is_release=0,
            change_facts__release=None,
            change_facts__submitted_s=None,
        )
        return Response(
            [
                {"id": one.pk, "title": one.title, "note": one.holder.name if one.holder else ""}
                for one in rows.select_related("holder").order_by("-pk")[:_MOST_OFFERED]
            ]
        )

    @extend_schema(operation_id="join_release", request=JoiningShape, responses=TicketShape)
    def post(self, request: Request, number: int) -> Response:
        _release(request, number)
        data = given(JoiningShape, request)
        releases.join(number, acting(request), data["change"], data["phase"])
        return Response(ticket_json(number, person_of(request)))


class LeaveView(GannetView):
    """A change that leaves its release: what that would mean, and doing it."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="would_leave_release", responses=WouldLeaveShape)
    def get(self, request: Request, number: int, change: int) -> Response:
        ticket = _release(request, number)
        now, without = releases.leaving(ticket, change, current(), now_s())
        return Response(
            {
                "points": now.risk.points,
                "rating": now.risk.rating,
                "points_without": without.risk.points,
                "rating_without": without.risk.rating,
                "is_asked_again": bool(ticket.route),
            }
        )

    @extend_schema(operation_id="leave_release", request=LeavingShape, responses=TicketShape)
    def post(self, request: Request, number: int, change: int) -> Response:
        _release(request, number)
        data = given(LeavingShape, request)
        releases.leave(number, acting(request), change, data["why"])
        return Response(ticket_json(number, person_of(request)))


class PhasesView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="set_phases", request=PhasesShape, responses=TicketShape)
    def put(self, request: Request, number: int) -> Response:
        """The phases of a release in order, which wait for a go, and what belongs to each."""
        _release(request, number)
        data = given(PhasesShape, request)
        places = {one["change"]: one["phase"] for one in data.get("places") or ()}
        releases.set_phases(number, acting(request), data["phases"], places)
        return Response(ticket_json(number, person_of(request)))


class LinksShape(Shape):
    links = StepLinkShape(many=True)


class LinksView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="set_links", request=LinksShape, responses=TicketShape)
    def put(self, request: Request, number: int) -> Response:
        """Which steps of a release wait for which, across its changes."""
        _release(request, number)
        releases.set_links(
            number, acting(request), given(LinksShape, request)["links"][:_MOST_LINKS]
        )
        return Response(ticket_json(number, person_of(request)))


urlpatterns = [
    path("api/changes/<number:number>/carries", CarriesView.as_view()),
    path("api/changes/<number:number>/carries/<number:change>", LeaveView.as_view()),
    path("api/changes/<number:number>/phases", PhasesView.as_view()),
    path("api/changes/<number:number>/links", LinksView.as_view()),
]
