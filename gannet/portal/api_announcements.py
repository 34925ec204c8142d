"""Announcements in the API: all that are ahead for the desk, what counts now for the portal."""

from typing import Any

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.knowledge.models import Announcement
from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads
from gannet.portal import announcements
from gannet.tickets.item_groups import groups
from gannet.web.base import GannetView
from gannet.web.markdown import Html
from gannet.web.shape import NamedShape, Shape
from gannet_core.instants import seconds_of

_MOST = 100


class WriteNewsShape(Shape):
    title = serializers.CharField(max_length=120, allow_blank=True)
    text = serializers.CharField(max_length=20_000, allow_blank=True, default="")
    place = serializers.CharField(max_length=80, allow_blank=True, default="")
    # Whose users it is for: a service, or a group of items; neither for everybody.
    service = serializers.IntegerField(allow_null=True, default=None)
    group = serializers.CharField(max_length=80, allow_blank=True, default="")
    from_s = serializers.IntegerField(min_value=0, max_value=10**11)
    to_s = serializers.IntegerField(min_value=0, max_value=10**11)


class NewsShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    text = serializers.CharField()
    html = serializers.CharField()
    place = serializers.CharField()
    service = NamedShape(allow_null=True)
    group = serializers.CharField(help_text="its key")
    group_name = serializers.CharField()
    from_s = serializers.IntegerField()
    to_s = serializers.IntegerField()
    author = serializers.CharField()


def announcement_json(row: Announcement) -> dict[str, Any]:
    return {
        "id": row.pk,
        "title": row.title,
        "text": row.text,
        "html": Html(row.text),
        "place": row.place,
        "service": {"id": row.service.pk, "name": row.service.name} if row.service else None,
        "group": row.group,
        "group_name": groups().get(row.group, row.group),
        "from_s": row.from_s,
        "to_s": row.to_s,
        "author": row.author.name,
    }


class AnnouncementsView(GannetView):
    """What is announced and has not ended; announcing more."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="announcements", responses=NewsShape(many=True))
    def get(self, request: Request) -> Response:
        person_of(request)
        now_s = seconds_of(timezone.now())
        rows = Announcement.objects.filter(to_s__gt=now_s).select_related("author", "service")
        return Response([announcement_json(row) for row in rows[:_MOST]])

    @extend_schema(
        operation_id="make_announcement",
        request=WriteNewsShape,
        responses={201: NewsShape},
    )
    def post(self, request: Request) -> Response:
        return _write(request, None, 201)


class AnnouncementView(GannetView):
    """One announcement: change it, end it."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="change_announcement",
        request=WriteNewsShape,
        responses=NewsShape,
    )
    def put(self, request: Request, number: int) -> Response:
        return _write(request, number, 200)

    @extend_schema(operation_id="drop_announcement", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        announcements.end_announcement(acting(request), number)
        return Response(status=204)


def _write(request: Request, number: int | None, status: int) -> Response:
    given = WriteNewsShape(data=request.data)
    given.is_valid(raise_exception=True)
    row = announcements.write_announcement(acting(request), given.validated_data, number)
    return Response(announcement_json(row), status=status)


urlpatterns = [
    path("api/announcements", AnnouncementsView.as_view()),
    path("api/announcements/<number:number>", AnnouncementView.as_view()),
]
