"""Links to dashboards over the API, and what a link shows to whoever has it."""

from typing import Any

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.changes.shapes import AroundShape
from gannet.people.access import person_of
from gannet.people.permissions import ReportsRead
from gannet.reports import sharing
from gannet.reports.api_outlook import OutlookShape
from gannet.reports.shapes import ReportShownShape
from gannet.web.base import MAIL_KEY, GannetView, mail_key_of
from gannet.web.shape import Shape, given

_words, _number, _yes = serializers.CharField, serializers.IntegerField, serializers.BooleanField
_any: Any = serializers.JSONField


class LinkOpeningShape(Shape):
    """One visit by a link: from where, from when to when, how often it looked."""

    address = _words()
    first_s = _number()
    last_s = _number()
    times = _number()


class DashboardLinkShape(Shape):
    id = _number()
    note = serializers.CharField(allow_blank=True)
    made_s = _number()
    until_s = _number()
    ended_s = _number(allow_null=True)
    is_open = _yes()
    openings = LinkOpeningShape(many=True)


class NewLinkShape(Shape):
    days = _number(min_value=1, max_value=sharing.LONGEST_DAYS)
    note = serializers.CharField(allow_blank=True, required=False, default="", max_length=200)


class MadeLinkShape(DashboardLinkShape):
    """A new link; its path with the secret is told this once."""

    path = _words()


class SharedLineShape(Shape):
    id = _number()
    kind = _words()
    title = _words()
    priority = _number()
    state = _words()
    team = _words()
    due_s = _number(allow_null=True)
    late_from_s = _number(allow_null=True)


class SharedChangeShape(Shape):
    id = _number()
    title = _words()
    starts_s = _number(allow_null=True)
    ends_s = _number(allow_null=True)
    team = _words()


class SharedScheduleShape(Shape):
    """The changes of the two weeks that come, with windows and freezes."""

    from_s = _number()
    to_s = _number()
    changes = SharedChangeShape(many=True)
    clashing = serializers.ListField(child=_number())
    windows = AroundShape(many=True)


class SharedPartShape(Shape):
    """A part with what it shows; `is_gone` where there is nothing to show any more."""

    kind = _words()
    name = serializers.CharField(allow_blank=True)
    show = serializers.CharField(allow_blank=True)
    text = serializers.CharField(allow_blank=True)
    definition = _any(allow_null=True)
    table = ReportShownShape(allow_null=True)
    rows = SharedLineShape(many=True)
    count = _number()
    outlook = OutlookShape(allow_null=True)
    schedule = SharedScheduleShape(allow_null=True)
    is_gone = _yes(required=False)


class SharedDashboardShape(Shape):
    """A dashboard as its link shows it: with its owner's eyes, without what is confidential."""

    name = _words()
    owner = _words()
    until_s = _number()
    now_s = _number()
    zone = _words()
    rows = serializers.ListField(child=SharedPartShape(many=True))


class LinksView(GannetView):
    permission_classes = [ReportsRead]

    @extend_schema(operation_id="dashboard_links", responses=DashboardLinkShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """The links to a dashboard of one's own, and who opened them."""
        return Response(sharing.links_json(person_of(request), number, timezone.now()))

    @extend_schema(
        operation_id="open_dashboard_link", request=NewLinkShape, responses={201: MadeLinkShape}
    )
    def post(self, request: Request, number: int) -> Response:
        """A new link; its secret is told this once."""
        now, said = timezone.now(), given(NewLinkShape, request)
        link, secret = sharing.open_link(person_of(request), now, number, **said)
        return Response({**sharing.link_json(link, now), "path": f"/wall#{secret}"}, status=201)


class LinkView(GannetView):
    permission_classes = [ReportsRead]

    @extend_schema(operation_id="end_dashboard_link", responses={204: None})
    def delete(self, request: Request, number: int, link: int) -> Response:
        """Let a link open nothing any more."""
        sharing.end_link(person_of(request), number, link, timezone.now())
        return Response(status=204)


class SharedView(GannetView):
    """What a link to a dashboard shows to whoever has it."""

    permission_classes = [AllowAny]
    authentication_classes: list[Any] = []

    @extend_schema(
        operation_id="shared_dashboard", parameters=[MAIL_KEY], responses=SharedDashboardShape
    )
    def get(self, request: Request) -> Response:
        address = str(request.META.get("REMOTE_ADDR", ""))
        return Response(sharing.shown(mail_key_of(request), address, timezone.now()))


urlpatterns = [
    path("api/dashboards/<number:number>/links", LinksView.as_view()),
    path("api/dashboards/<number:number>/links/<number:link>", LinkView.as_view()),
    path("api/wall", SharedView.as_view()),
]
