"""The Mail room: the stand-in mail server's messages, and answering as anyone."""

import smtplib
from email.message import EmailMessage
from email.utils import formatdate, make_msgid, parseaddr
from typing import Any

from django.conf import settings
from django.urls import path
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.messages import api_notices, reading
from gannet.messages.models import Incoming, Outgoing, StandInMessage
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.permissions import MailRoomReads
from gannet_core.instants import seconds_of

_PAGE = 50


class MailShape(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    at_s = serializers.IntegerField()
    sender = serializers.CharField()
    to = serializers.ListField(child=serializers.CharField())
    subject = serializers.CharField()
    for_desk = serializers.BooleanField()
    outcome = serializers.CharField()
    because = serializers.CharField()
    ticket = serializers.IntegerField(allow_null=True)


class MailPageShape(serializers.Serializer[Any]):
    messages = MailShape(many=True)
    next_before = serializers.IntegerField(allow_null=True)
    waiting = serializers.IntegerField()
    desk_address = serializers.CharField()


class WholeMailShape(MailShape):
    body = serializers.CharField()
    headers = serializers.ListField(child=serializers.ListField(child=serializers.CharField()))
    files = serializers.ListField(child=serializers.CharField())


class NewMailShape(serializers.Serializer[Any]):
    """A message written in the Mail room; `answers` makes it a reply to one of them."""

    sender = serializers.EmailField()
    to = serializers.EmailField(required=False, allow_blank=True)
    subject = serializers.CharField(max_length=300)
    body = serializers.CharField(max_length=50_000)
    answers = serializers.IntegerField(allow_null=True, default=None)


def _parsed(row: StandInMessage) -> EmailMessage:
    message = reading.parse(bytes(row.raw))
    return message if isinstance(message, EmailMessage) else EmailMessage()


def _mail_json(row: StandInMessage, known: dict[int, Incoming]) -> dict[str, Any]:
    message = _parsed(row)
    became = known.get(row.pk)
    if became is not None:
        outcome, because, ticket = became.get_outcome_display(), became.because, became.ticket_id
    else:
        outcome = "waits to be read" if row.for_desk else "delivered"
        because, ticket = "", None
        sent = Outgoing.objects.filter(message_id=str(message["Message-ID"])).first()
        if sent is not None:
            ticket = sent.ticket_id
    return {
        "id": row.pk,
        "at_s": seconds_of(row.received_at),
        "sender": parseaddr(str(message["From"] or row.envelope_from))[1],
        "to": row.envelope_to,
        "subject": " ".join(str(message["Subject"] or "(no subject)").split()),
        "for_desk": bool(row.for_desk),
        "outcome": outcome,
        "because": because,
        "ticket": ticket,
    }


class MailRoomView(GannetView):
    """Everything sent and received, newest first; and writing as anyone."""

    permission_classes = [MailRoomReads]

    @extend_schema(
        operation_id="mail_room",
        parameters=[OpenApiParameter("before", int), OpenApiParameter("q", str)],
        responses=MailPageShape,
    )
    def get(self, request: Request) -> Response:
        rows = StandInMessage.objects.order_by("-id")
        before = request.query_params.get("before", "")
        if before.isdigit():
            rows = rows.filter(id__lt=int(before))
        words = request.query_params.get("q", "").strip()[:80]
        if words:
            rows = rows.filter(envelope_to__icontains=words)
        page = list(rows[: _PAGE + 1])
        shown = page[:_PAGE]
        known = {
            item.stand_in_id or 0: item
            for item in Incoming.objects.filter(stand_in_id__in=[row.pk for row in shown])
        }
        waiting = Outgoing.objects.filter(sent_s__isnull=True, withdrawn=0).count()
        return Response(
            {
                "messages": [_mail_json(row, known) for row in shown],
                "next_before": shown[-1].pk if len(page) > _PAGE else None,
                "waiting": waiting,
                "desk_address": settings.DESK_ADDRESS,
            }
        )

    @extend_schema(operation_id="write_mail", request=NewMailShape, responses={204: None})
    def post(self, request: Request) -> Response:
        """Send a real message through the stand-in server, from anybody."""
        given = NewMailShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        message = EmailMessage()
        message["From"] = data["sender"]
        message["To"] = data.get("to") or settings.DESK_ADDRESS
        message["Subject"] = " ".join(data["subject"].split())
        message["Date"] = formatdate(usegmt=True)
        message["Message-ID"] = make_msgid(domain="mailroom.example")
        if data["answers"] is not None:
            _thread(message, data["answers"])
        message.set_content(data["body"])
        try:
            with smtplib.SMTP(settings.EMAIL_HOST, settings.EMAIL_PORT, timeout=10) as server:
                server.send_message(message)
        except OSError as error:
            raise Conflict(f"The stand-in mail server does not answer: {error}") from error
        except smtplib.SMTPException as error:
            raise Invalid(f"The mail server refused it: {error}") from error
        return Response(status=204)


def _thread(message: EmailMessage, key: int) -> None:
    answered = StandInMessage.objects.filter(pk=key).first()
    if answered is None:
        raise Missing("The message you answer is gone.")
    original = _parsed(answered)
    own_id = str(original["Message-ID"] or "").strip()
    if own_id:
        message["In-Reply-To"] = own_id
        message["References"] = f"{original['References'] or ''} {own_id}".strip()


class MailView(GannetView):
    """One message, whole."""

    permission_classes = [MailRoomReads]

    @extend_schema(operation_id="mail", responses=WholeMailShape)
    def get(self, request: Request, key: int) -> Response:
        row = StandInMessage.objects.filter(pk=key).first()
        if row is None:
            raise Missing("There is no such message.")
        message = _parsed(row)
        became = Incoming.objects.filter(stand_in_id=key).first()
        known = {} if became is None else {row.pk: became}
        return Response(
            {
                **_mail_json(row, known),
                "body": reading.read_text(message).whole.replace(reading.FOLD, "\n\n"),
                "headers": [
                    [name, reading.header(message, name)] for name in dict.fromkeys(message.keys())
                ],
                "files": [file.name for file in reading.files(message)],
            }
        )


urlpatterns = [
    path("api/notifications", api_notices.NotificationsView.as_view()),
    path("api/notifications/<int:number>", api_notices.NotificationView.as_view()),
    path("api/how/<str:token>", api_notices.SurveyView.as_view()),
    path("api/mailroom", MailRoomView.as_view()),
    path("api/mailroom/<int:key>", MailView.as_view()),
]
