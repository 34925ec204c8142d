"""Teams at work: who is there, away or set aside; absences; how people are served and told."""

from typing import Any

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.messages.notices import optional, urgent
from gannet.people.access import person_of
from gannet.people.models import Absence, Membership, Person, Team
from gannet.people.permissions import DeskReads
from gannet.people.roles import leads
from gannet.rulebook.book import current
from gannet.staffing import actions as staff
from gannet.staffing import api_people
from gannet.tickets.routing import mode_of
from gannet.web.base import GannetView
from gannet.web.errors import Missing
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of

_TIME = serializers.RegexField(r"^([01]\d|2[0-3]):[0-5]\d$")


class AbsenceShape(Shape):
    id = serializers.IntegerField()
    person = serializers.IntegerField()
    name = serializers.CharField()
    starts_at_s = serializers.IntegerField()
    ends_at_s = serializers.IntegerField()
    note = serializers.CharField(allow_blank=True)
    is_mine = serializers.BooleanField()


class NewAbsenceShape(Shape):
    person = serializers.IntegerField(required=False, allow_null=True, default=None)
    starts_at = serializers.DateTimeField()
    ends_at = serializers.DateTimeField()
    note = serializers.CharField(max_length=120, allow_blank=True, default="")


class WorkerShape(Shape):
    id = serializers.IntegerField()
    membership = serializers.IntegerField()
    name = serializers.CharField()
    email = serializers.CharField()
    is_lead = serializers.BooleanField()
    is_set_aside = serializers.BooleanField()
    is_on_shift = serializers.BooleanField()
    is_away = serializers.BooleanField()
    working_calendar = serializers.CharField(allow_blank=True)
    skills = serializers.ListField(child=serializers.CharField())
    cap = serializers.IntegerField(allow_null=True)


class WorkingTeamShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    mode = serializers.CharField()
    is_mine_to_lead = serializers.BooleanField()
    people = WorkerShape(many=True)


class SetAsideShape(Shape):
    is_set_aside = serializers.BooleanField()


class ServedShape(Shape):
    care_tiers = serializers.ListField(child=serializers.CharField(max_length=60), required=False)
    working_calendar = serializers.CharField(max_length=60, allow_blank=True, required=False)


class ServedPersonShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    job = serializers.CharField(allow_blank=True)
    department = serializers.CharField(allow_blank=True)
    care_tiers = serializers.ListField(child=serializers.CharField())
    working_calendar = serializers.CharField(allow_blank=True)
    retargeted = serializers.IntegerField()


class QuietShape(Shape):
    to = _TIME


QuietShape._declared_fields["from"] = _TIME


class PreferencesShape(Shape):
    events = serializers.DictField(child=serializers.ChoiceField(choices=list(staff.WISHES)))
    quiet = QuietShape(required=False, allow_null=True)
    digest_at = serializers.RegexField(r"^([01]\d|2[0-3]):[0-5]\d$", required=False)


class OtherWishShape(Shape):
    """Something that somebody is told of unless they wish otherwise."""

    event = serializers.CharField()
    words = serializers.CharField()


class PreferencesAnswerShape(Shape):
    events = serializers.DictField(child=serializers.CharField())
    quiet = serializers.DictField(allow_null=True)
    digest_at = serializers.CharField()
    choices = serializers.ListField(child=serializers.CharField())
    wishes = serializers.ListField(child=serializers.CharField())
    others = OtherWishShape(many=True, help_text="told or not: wished at once, or never")


class AbsencesView(GannetView):
    """Absences to come: one's own; leads see everybody's."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="absences", responses=AbsenceShape(many=True))
    def get(self, request: Request) -> Response:
        person = person_of(request)
        rows = Absence.objects.filter(ends_at__gte=timezone.now()).select_related("person")
        if not leads(person):
            rows = rows.filter(person=person)
        return Response([_absence_json(row, person) for row in rows.order_by("starts_at")[:300]])

    @extend_schema(
        operation_id="add_absence", request=NewAbsenceShape, responses={201: AbsenceShape}
    )
    def post(self, request: Request) -> Response:
        given = NewAbsenceShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        by = person_of(request)
        person = by
        if data["person"] is not None:
            found = Person.objects.filter(pk=data["person"], is_active=True).first()
            if found is None:
                raise Missing("There is nobody like that.")
            person = found
        row = staff.add_absence(
            by, person, data["starts_at"], data["ends_at"], data["note"], timezone.now()
        )
        return Response(_absence_json(row, by), status=201)


class AbsenceView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="drop_absence", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        staff.drop_absence(person_of(request), number, timezone.now())
        return Response(status=204)


def _absence_json(row: Absence, reader: Person) -> dict[str, Any]:
    return {
        "id": row.pk,
        "person": row.person_id,
        "name": row.person.name,
        "starts_at_s": seconds_of(row.starts_at),
        "ends_at_s": seconds_of(row.ends_at),
        "note": row.note,
        "is_mine": row.person_id == reader.pk,
    }


class WorkingView(GannetView):
    """The teams with who is on shift, away or set aside now."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="working", responses=WorkingTeamShape(many=True))
    def get(self, request: Request) -> Response:
        reader, now = person_of(request), timezone.now()
        book, now_s = current(), seconds_of(timezone.now())
        away = set(
            Absence.objects.filter(starts_at__lte=now, ends_at__gt=now).values_list(
                "person_id", flat=True
            )
        )
        people: dict[int, list[dict[str, Any]]] = {}
        led = set()
        for row in Membership.objects.select_related("person", "team").order_by("person__name"):
            person, key = row.person, row.person.working_calendar
            said = book.member(row.team.name, person.email)
            if person.pk == reader.pk and row.is_lead:
                led.add(row.team_id)
            on_shift = not book.has_calendar(key) or book.calendar(key).is_open_s(now_s)
            people.setdefault(row.team_id, []).append(
                {
                    "id": person.pk,
                    "membership": row.pk,
                    "name": person.name,
                    "email": person.email,
                    "is_lead": row.is_lead,
                    "is_set_aside": row.is_set_aside,
                    "is_on_shift": on_shift,
                    "is_away": person.pk in away,
                    "working_calendar": book.calendar_name(key) if book.has_calendar(key) else "",
                    "skills": list(said.get("skills", [])),
                    "cap": said.get("cap"),
                }
            )
        is_admin = reader.has_role("administrator")
        return Response(
            [
                {
                    "id": team.pk,
                    "name": team.name,
                    "mode": mode_of(book, team),
                    "is_mine_to_lead": is_admin or team.pk in led,
                    "people": people.get(team.pk, []),
                }
                for team in Team.objects.filter(is_board=False)
            ]
        )


class SetAsideView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="set_aside", request=SetAsideShape, responses={204: None})
    def post(self, request: Request, number: int) -> Response:
        given = SetAsideShape(data=request.data)
        given.is_valid(raise_exception=True)
        membership = Membership.objects.select_related("team", "person").filter(pk=number).first()
        if membership is None:
            raise Missing("There is no such member.")
        value = given.validated_data["is_set_aside"]
        staff.set_aside(person_of(request), membership, value, timezone.now())
        return Response(status=204)


class ServedView(GannetView):
    """How a person is served: care tiers, working calendar; open tickets follow at once."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="serve", request=ServedShape, responses=ServedPersonShape)
    def patch(self, request: Request, number: int) -> Response:
        given = ServedShape(data=request.data)
        given.is_valid(raise_exception=True)
        person = Person.objects.filter(pk=number).first()
        if person is None:
            raise Missing("There is nobody like that.")
        moved = staff.serve(person_of(request), person, dict(given.validated_data), timezone.now())
        return Response(_served_json(person, moved))


class TierMembersView(GannetView):
    """The people of each care tier."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="tier_members", responses=ServedPersonShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Person.objects.exclude(care_tiers=[]).order_by("name")
        return Response([_served_json(person, 0) for person in rows[:2000]])


def _served_json(person: Person, moved: int) -> dict[str, Any]:
    return {
        "id": person.pk,
        "name": person.name,
        "job": person.job,
        "department": person.department,
        "care_tiers": list(person.care_tiers),
        "working_calendar": person.working_calendar,
        "retargeted": moved,
    }


class PreferencesView(GannetView):
    """What I want to be told by mail, when it is quiet for me, when my digest comes."""

    @extend_schema(operation_id="preferences", responses=PreferencesAnswerShape)
    def get(self, request: Request) -> Response:
        return Response(_preferences(person_of(request)))

    @extend_schema(
        operation_id="prefer", request=PreferencesShape, responses=PreferencesAnswerShape
    )
    def put(self, request: Request) -> Response:
        given = PreferencesShape(data=request.data)
        given.is_valid(raise_exception=True)
        person = person_of(request)
        staff.prefer(person, dict(given.validated_data))
        return Response(_preferences(person))


def _preferences(person: Person) -> dict[str, Any]:
    book = current()
    told = {entry["event"] for entry in book.notifications if entry["to"] != "requester"}
    return {
        "events": person.preferences.get("events", {}),
        "quiet": person.preferences.get("quiet"),
        "digest_at": person.preferences.get("digest_at") or book.quiet.get("digest_at", "07:30"),
        "choices": sorted(told - urgent),
        "wishes": list(staff.WISHES),
        "others": [{"event": event, "words": words} for event, words in optional.items()],
    }


urlpatterns = [
    path("api/people", api_people.PeopleView.as_view()),
    path("api/teams", api_people.TeamsView.as_view()),
    path("api/working", WorkingView.as_view()),
    path("api/working/<number:number>", SetAsideView.as_view()),
    path("api/absences", AbsencesView.as_view()),
    path("api/absences/<number:number>", AbsenceView.as_view()),
    path("api/people/<number:number>/served", ServedView.as_view()),
    path("api/tiers", TierMembersView.as_view()),
    path("api/preferences", PreferencesView.as_view()),
]
