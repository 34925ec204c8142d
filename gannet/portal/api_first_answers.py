"""Saying on the portal that an article which was offered was it."""

from django.urls import path
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import acting, person_of
from gannet.portal import shapes
from gannet.portal.api import my_ticket_json
from gannet.tickets import actions
from gannet.web.base import GannetView
from gannet.web.shape import Shape


class WasItShape(Shape):
    article = serializers.IntegerField(min_value=1)


class WasItView(GannetView):
    """An article that was offered was it: the record is resolved with it, and closed."""

    @extend_schema(operation_id="was_it", request=WasItShape, responses=shapes.MyTicketShape)
    def post(self, request: Request, number: int) -> Response:
        given = WasItShape(data=request.data)
        given.is_valid(raise_exception=True)
        actions.was_it(number, acting(request), article=given.validated_data["article"])
        return Response(my_ticket_json(number, person_of(request)))


urlpatterns = [path("api/portal/tickets/<number:number>/was-it", WasItView.as_view())]
