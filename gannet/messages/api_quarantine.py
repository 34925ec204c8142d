"""Quarantined mail, for the desk: list, read, let in, dismiss."""

from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.messages import quarantine
from gannet.messages.models import Incoming
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskWorks
from gannet.web.base import GannetView
from gannet.web.errors import Invalid
from gannet.web.given import whole_number
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of
from gannet_core.texts import FOLD

_PAGE = 50


class QuarantinedShape(Shape):
    id = serializers.IntegerField()
    at_s = serializers.IntegerField()
    sender = serializers.CharField(allow_blank=True)
    subject = serializers.CharField(allow_blank=True)
    why = serializers.CharField()
    because = serializers.CharField(allow_blank=True)
    ticket = serializers.IntegerField(allow_null=True)
    handled_how = serializers.CharField(allow_blank=True)
    handled_by = serializers.CharField(allow_blank=True)
    handled_s = serializers.IntegerField(allow_null=True)


class QuarantinePageShape(Shape):
    messages = QuarantinedShape(many=True)
    waiting = serializers.IntegerField()
    next_after = serializers.IntegerField(allow_null=True)


class OpenedMailShape(QuarantinedShape):
    sender_name = serializers.CharField(allow_blank=True)
    body = serializers.CharField(allow_blank=True)
    files = serializers.ListField(child=serializers.CharField())
    can_be_let_in = serializers.BooleanField()
    is_verified = serializers.BooleanField()


class LetInShape(Shape):
    """Whose ticket it shall be, or to which ticket it is added."""

    requester = serializers.IntegerField(required=False, allow_null=True, default=None)
    ticket = serializers.IntegerField(required=False, allow_null=True, default=None)


class LetInAsShape(Shape):
    ticket = serializers.IntegerField()


class SomeMailShape(Shape):
    ids = serializers.ListField(child=serializers.IntegerField(), min_length=1, max_length=200)


class CountShape(Shape):
    count = serializers.IntegerField()


def _json(row: Incoming) -> dict[str, Any]:
    return {
        "id": row.pk,
        "at_s": seconds_of(row.read_at),
        "sender": row.from_address,
        "subject": row.subject,
        "why": row.get_outcome_display().partition(";")[0].partition(", sender")[0],
        "because": row.because,
        "ticket": row.ticket_id,
        "handled_how": row.handled_how,
        "handled_by": row.handled_by.name if row.handled_by else "",
        "handled_s": row.handled_s,
    }


class QuarantineView(GannetView):
    """Quarantined mail, the newest first: what waits, or what was dealt with."""

    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="quarantine",
        parameters=[OpenApiParameter("of", str, enum=["waiting", "dealt with"]),
                    OpenApiParameter("after", int)],
        responses=QuarantinePageShape,
    )  # fmt: skip
    def get(self, request: Request) -> Response:
        person = person_of(request)
        is_waiting = request.query_params.get("of") != "dealt with"
        start = whole_number(request.query_params.get("after")) or 0
        rows = quarantine.quarantined(person, is_waiting=is_waiting).select_related("handled_by")
        page = list(rows[start : start + _PAGE + 1])
        return Response(
            {
                "messages": [_json(row) for row in page[:_PAGE]],
                "waiting": quarantine.quarantined(person).count(),
                "next_after": start + _PAGE if len(page) > _PAGE else None,
            }
        )


class QuarantinedView(GannetView):
    """One message as it is to read: its text as text, its files by name."""

    permission_classes = [DeskWorks]
    is_atomic = False  # reading a message may take its time

    @extend_schema(operation_id="quarantined_mail", responses=OpenedMailShape)
    def get(self, request: Request, number: int) -> Response:
        found = quarantine.opened(person_of(request), number)
        return Response(
            {
                **_json(found.row),
                "sender_name": found.mail.sender_name,
                "body": found.mail.whole.replace(FOLD, "\n\n"),
                "files": [file.name for file in found.mail.files],
                "can_be_let_in": found.prepared is not None and not found.row.handled_how,
                "is_verified": found.prepared is not None and found.prepared.proof.is_verified,
            }
        )


class LetInView(GannetView):
    """Let it in: as a ticket of somebody, or to a ticket that is there."""

    permission_classes = [DeskWorks]
    is_atomic = False

    @extend_schema(operation_id="let_in", request=LetInShape, responses=LetInAsShape)
    def post(self, request: Request, number: int) -> Response:
        given = LetInShape(data=request.data)
        given.is_valid(raise_exception=True)
        to, requester = given.validated_data["ticket"], given.validated_data["requester"]
        message = quarantine.opened(person_of(request), number)
        if to is not None:
            return Response({"ticket": quarantine.add_it(message, acting(request), to).pk})
        person = Person.objects.filter(pk=requester, is_active=True).first()
        if person is None:
            raise Invalid("Choose whose it is.", fields={"requester": "Choose somebody."})
        return Response({"ticket": quarantine.log_it(message, acting(request), person).pk})


class DismissView(GannetView):
    """Nothing shall become of some messages."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="dismiss_mail", request=SomeMailShape, responses=CountShape)
    def post(self, request: Request) -> Response:
        given = SomeMailShape(data=request.data)
        given.is_valid(raise_exception=True)
        count = quarantine.dismiss(person_of(request), given.validated_data["ids"], acting(request))
        return Response({"count": count})


class WaitAgainView(GannetView):
    """Take back that some were dismissed: they wait again."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="take_back_dismissal", request=SomeMailShape, responses=CountShape)
    def post(self, request: Request) -> Response:
        given = SomeMailShape(data=request.data)
        given.is_valid(raise_exception=True)
        return Response(
            {"count": quarantine.take_back(person_of(request), given.validated_data["ids"])}
        )
