"""Notifications, saying how it was, and unwanted senders – in the API."""

from typing import Any

from django.db.models import Q
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.messages.models import Notification
from gannet.people.access import person_of
from gannet.tickets import policies
from gannet.tickets.actions import Acting
from gannet.tickets.actions.survey import BEST, answer_survey, find_survey
from gannet.web.base import MAIL_KEY, GannetView, by_the_way, mail_key_of
from gannet.web.errors import Missing
from gannet.web.given import whole_number
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of

_MOST = 60


class NotificationShape(Shape):
    id = serializers.IntegerField()
    event = serializers.CharField()
    title = serializers.CharField()
    text = serializers.CharField()
    actor = serializers.CharField()
    count = serializers.IntegerField()
    made_s = serializers.IntegerField()
    is_seen = serializers.BooleanField()
    ticket = serializers.IntegerField(allow_null=True)
    ticket_title = serializers.CharField()
    # What it is about, so that it can be acted on where it stands: an approval, task, reminder.
    thing = serializers.CharField()
    thing_id = serializers.IntegerField(allow_null=True)


class NotificationsShape(Shape):
    rows = NotificationShape(many=True)
    unseen = serializers.IntegerField()
    now_s = serializers.IntegerField()


class SurveyShape(Shape):
    ticket = serializers.IntegerField()
    title = serializers.CharField()
    best = serializers.IntegerField()
    score = serializers.IntegerField(allow_null=True)
    text = serializers.CharField()
    questions = serializers.ListField(child=serializers.DictField())
    answers = serializers.DictField()


class SayShape(Shape):
    score = serializers.IntegerField(
        required=False, allow_null=True, default=None, min_value=1, max_value=BEST
    )
    text = serializers.CharField(max_length=4_000, allow_blank=True, required=False, default="")
    answers = serializers.DictField(
        child=serializers.CharField(max_length=500, allow_blank=True), required=False, default=dict
    )


_MOST_COUNTED = 100  # of more it is enough to know that they are many


class NotificationsView(GannetView):
    """What one should know of or decide, newest first."""

    @extend_schema(
        operation_id="notifications",
        parameters=[OpenApiParameter("seen", bool, description="Mark what is shown as seen.")],
        responses=NotificationsShape,
    )
    def get(self, request: Request) -> Response:
        person = person_of(request)
        mine = Notification.objects.filter(person=person, gone_s=None)
        # A ticket that has become confidential is not told of any more.
        mine = mine.filter(Q(ticket=None) | policies.visible_q(person, "ticket__"))
        unseen = mine.filter(seen_s=None)[:_MOST_COUNTED].count()
        now_s = seconds_of(timezone.now())
        rows = list(mine.select_related("ticket").order_by("-made_s", "-id")[:_MOST])
        shown = [_json(row) for row in rows]
        if request.query_params.get("seen") == "true":
            keys = [row.pk for row in rows]
            with by_the_way():
                Notification.objects.filter(pk__in=keys, seen_s=None).update(seen_s=now_s)
        return Response({"rows": shown, "unseen": unseen, "now_s": now_s})

    @extend_schema(operation_id="end_notifications", responses={204: None})
    def delete(self, request: Request) -> Response:
        """Be done with all of them that ask for nothing."""
        now_s = seconds_of(timezone.now())
        Notification.objects.filter(person=person_of(request), gone_s=None).exclude(
            event_name__in=("approval asked", "task given", "reminder")
        ).update(gone_s=now_s)
        return Response(status=204)


class NotificationView(GannetView):
    """Be done with a notification."""

    @extend_schema(operation_id="end_notification", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        now_s = seconds_of(timezone.now())
        ended = Notification.objects.filter(
            pk=number, person=person_of(request), gone_s=None
        ).update(gone_s=now_s)
        if not ended:
            raise Missing("There is no such notification.")
        return Response(status=204)


class SurveyView(GannetView):
    """How it was: who has the key of the mail may say so."""

    permission_classes = [AllowAny]
    authentication_classes: list[Any] = []

    @extend_schema(operation_id="survey", parameters=[MAIL_KEY], responses=SurveyShape)
    def get(self, request: Request) -> Response:
        survey = find_survey(mail_key_of(request), seconds_of(timezone.now()))
        return Response(
            {
                "ticket": survey.ticket_id,
                "title": survey.ticket.title,
                "best": BEST,
                "score": survey.score,
                "text": survey.text,
                "questions": survey.questions,
                "answers": survey.answers,
            }
        )

    @extend_schema(
        operation_id="say_how_it_was",
        parameters=[MAIL_KEY],
        request=SayShape,
        responses=SurveyShape,
    )
    def post(self, request: Request) -> Response:
        given = SayShape(data=request.data)
        given.is_valid(raise_exception=True)
        now = timezone.now()
        survey = find_survey(mail_key_of(request), seconds_of(now))
        acting = Acting(person=survey.ticket.requester, now=now)
        answer_survey(survey, acting, **given.validated_data)
        return self.get(request)


def _json(row: Notification) -> dict[str, Any]:
    thing, _, key = row.about.partition(":")
    return {
        "id": row.pk,
        "event": row.event_name,
        "title": row.title,
        "text": row.text,
        "actor": row.actor,
        "count": row.count,
        "made_s": row.made_s,
        "is_seen": row.seen_s is not None,
        "ticket": row.ticket_id,
        "ticket_title": row.ticket.title if row.ticket else "",
        "thing": thing,
        "thing_id": whole_number(key),
    }
