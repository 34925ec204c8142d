"""The API of calendars: views of the schedule, their links, windows in and out."""

from django.http import HttpRequest, HttpResponse
from django.urls import path
from django.views.decorators.http import require_safe
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiResponse, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.changes import calendars, feeds
from gannet.changes.models import Feed
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads
from gannet.rulebook.book import current
from gannet.web.base import GannetView
from gannet.web.shape import Shape, given, now_s

_words = serializers.CharField
_number = serializers.IntegerField


class ScheduleViewShape(Shape):
    """A view of the schedule; `is_fed` says whether one has a link to it."""

    id = _number()
    name = _words()
    span = _words()
    lanes = _words()
    words = _words(allow_blank=True)
    is_shared = serializers.BooleanField()
    is_mine = serializers.BooleanField()
    owner = _words()
    is_fed = serializers.BooleanField()


class KeptScheduleShape(Shape):
    name = _words(max_length=80, allow_blank=True)
    span = serializers.ChoiceField(choices=feeds.SPANS)
    lanes = serializers.ChoiceField(choices=feeds.LANES)
    words = _words(max_length=120, allow_blank=True, required=False, default="")
    is_shared = serializers.BooleanField(required=False, default=False)


class FeedShape(Shape):
    """A link, said once: nobody can read it again."""

    path = _words()


class CalendarTextShape(Shape):
    text = _words(max_length=calendars.MOST_BYTES, trim_whitespace=False)
    zone = _words(max_length=60, required=False, default="Europe/London")


class ReadWindowShape(Shape):
    """A window as the rulebook keeps it, without a key."""

    name = _words()
    kind = _words()
    zone = _words()
    starts = _words()
    ends = _words()
    rrule = _words(allow_null=True)
    but_on = serializers.ListField(child=_words())


class ReadWindowsShape(Shape):
    windows = ReadWindowShape(many=True)
    problems = serializers.ListField(child=_words())


def _views(person: Person) -> Response:
    fed = set(Feed.objects.filter(person=person).values_list("view_id", flat=True))
    return Response(
        [
            {
                "id": one.pk,
                "name": one.name,
                "span": one.span,
                "lanes": one.lanes,
                "words": one.words,
                "is_shared": bool(one.is_shared),
                "is_mine": one.owner_id == person.pk,
                "owner": one.owner.name,
                "is_fed": one.pk in fed,
            }
            for one in feeds.seen_by(person)
        ]
    )


class ScheduleViewsView(GannetView):
    """Views of the schedule: one's own and shared ones; keeping one."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="schedule_views", responses=ScheduleViewShape(many=True))
    def get(self, request: Request) -> Response:
        return _views(person_of(request))

    @extend_schema(
        operation_id="keep_schedule_view",
        request=KeptScheduleShape,
        responses=ScheduleViewShape(many=True),
    )
    def post(self, request: Request) -> Response:
        feeds.keep(person_of(request), **given(KeptScheduleShape, request))
        return _views(person_of(request))


class ScheduleViewView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="remove_schedule_view", responses={200: ScheduleViewShape(many=True)}
    )
    def delete(self, request: Request, number: int) -> Response:
        """Remove a view of one's own, and all links to it."""
        feeds.remove(person_of(request), number)
        return _views(person_of(request))


class FeedView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="open_feed", request=None, responses={201: FeedShape})
    def post(self, request: Request, number: int) -> Response:
        """A new secret link for a calendar; the former one opens nothing any more."""
        return Response(
            {"path": f"/feeds/{feeds.open_feed(acting(request), number)}.ics"}, status=201
        )

    @extend_schema(operation_id="close_feed", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        feeds.close_feed(person_of(request), number)
        return Response(status=204)


class WindowsCalendarView(GannetView):
    """Windows and freezes as a calendar, out and in."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="windows_calendar",
        responses={(200, "text/calendar"): OpenApiResponse(OpenApiTypes.BINARY)},
    )
    def get(self, request: Request) -> HttpResponse:
        answer = HttpResponse(
            calendars.windows_out(current(), now_s()), content_type=calendars.CONTENT_TYPE
        )
        answer["Content-Disposition"] = 'attachment; filename="windows.ics"'
        return answer

    @extend_schema(
        operation_id="read_windows", request=CalendarTextShape, responses=ReadWindowsShape
    )
    def post(self, request: Request) -> Response:
        """What a calendar says, as windows; nothing is saved, what cannot be read is named."""
        data = given(CalendarTextShape, request)
        found, problems = calendars.windows_in(data["text"], data["zone"])
        rows = [
            {
                "name": one["name"],
                "kind": one["kind"],
                "zone": one["zone"],
                "starts": one["from"],
                "ends": one["to"],
                "rrule": one["rrule"],
                "but_on": one["except"],
            }
            for one in found
        ]
        return Response({"windows": rows, "problems": problems})


@require_safe
def feed(request: HttpRequest, secret: str) -> HttpResponse:
    """The calendar of a secret link; what is wrong with a link is not told apart."""
    found = feeds.of_link(secret, now_s())
    if found is None:
        words = "This link opens nothing: ask for a new one on the schedule."
        return HttpResponse(words, status=404, content_type="text/plain; charset=utf-8")
    answer = HttpResponse(
        feeds.calendar_of(found, current(), now_s()), content_type=calendars.CONTENT_TYPE
    )
    answer["Cache-Control"] = "private, no-store"
    answer["Referrer-Policy"] = "no-referrer"
    return answer


urlpatterns = [
    path("api/changes/views", ScheduleViewsView.as_view()),
    path("api/changes/views/<number:number>", ScheduleViewView.as_view()),
    path("api/changes/views/<number:number>/feed", FeedView.as_view()),
    path("api/changes/windows/calendar", WindowsCalendarView.as_view()),
    path("feeds/<str:secret>.ics", feed),
]
