"""The Mail room: the stand-in mail server's messages, and answering as anyone."""

import smtplib
from email.message import EmailMessage
from email.utils import formatdate, make_msgid
from typing import Any

from django.conf import settings
from django.urls import path
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.messages import api_notices, api_quarantine, reading
from gannet.messages.models import Incoming, Outgoing, StandInMessage
from gannet.messages.reader import UnreadableMail, reader
from gannet.messages.standin import SEAL, seal
from gannet.people.permissions import MailRoomReads
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.given import whole_number
from gannet.web.network import speaking
from gannet.web.parsers import OpenJSONReader
from gannet_core.instants import seconds_of
from gannet_core.texts import FOLD

_PAGE = 50
_MOST_QUOTED = 20_000


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
    # As somebody else would send it under this name: nobody vouches for its sender.
    is_forged = serializers.BooleanField(default=False)


def _mail_json(
    row: StandInMessage, known: dict[int, Incoming], sent: dict[str, int | None]
) -> dict[str, Any]:
    became = known.get(row.pk)
    if became is not None:
        outcome, because, ticket = became.get_outcome_display(), became.because, became.ticket_id
    else:
        outcome = "waits to be read" if row.for_desk else "delivered"
        because, ticket = "", sent.get(row.message_id)
    return {
        "id": row.pk,
        "at_s": seconds_of(row.received_at),
        "sender": row.sender,
        "to": row.envelope_to,
        "subject": row.subject or "(no subject)",
        "for_desk": bool(row.for_desk),
        "outcome": outcome,
        "because": because,
        "ticket": ticket,
    }


def _became(rows: list[StandInMessage]) -> tuple[dict[int, Incoming], dict[str, int | None]]:
    """What became of messages that came in, and of which tickets those are that went out."""
    keys = [row.pk for row in rows]
    known = {row.stand_in_id or 0: row for row in Incoming.objects.filter(stand_in_id__in=keys)}
    names = [row.message_id for row in rows if row.message_id]
    sent = Outgoing.objects.filter(message_id__in=names)
    return known, dict(sent.values_list("message_id", "ticket_id"))


class MailRoomView(GannetView):
    """Everything sent and received, newest first; and writing as anyone."""

    permission_classes = [MailRoomReads]
    # What is written here is somebody's mail, not theirs: keys in it stay, as in any mail.
    parser_classes = [OpenJSONReader]
    # The stand-in writes what it is sent: nobody may hold the lock meanwhile.
    is_atomic = False

    @extend_schema(
        operation_id="mail_room",
        parameters=[OpenApiParameter("before", int), OpenApiParameter("q", str)],
        responses=MailPageShape,
    )
    def get(self, request: Request) -> Response:
        rows = StandInMessage.objects.order_by("-id")
        before = whole_number(request.query_params.get("before"))
        if before is not None:
            rows = rows.filter(id__lt=before)
        words = request.query_params.get("q", "").strip()[:80]
        if words:
            rows = rows.filter(envelope_to__icontains=words)
        page = list(rows[: _PAGE + 1])
        shown = page[:_PAGE]
        known, sent = _became(shown)
        waiting = Outgoing.objects.filter(sent_s__isnull=True, withdrawn=0).count()
        return Response(
            {
                "messages": [_mail_json(row, known, sent) for row in shown],
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
        if not data["is_forged"]:
            message[SEAL] = seal(message["Message-ID"])
        body = data["body"]
        if data["answers"] is not None:
            body += _thread(message, data["answers"])
        message.set_content(body)
        try:
            with (
                speaking("the stand-in"),
                smtplib.SMTP(settings.EMAIL_HOST, settings.EMAIL_PORT, timeout=10) as server,
            ):
                server.send_message(message)
        except OSError as error:
            raise Conflict(f"The stand-in mail server does not answer: {error}") from error
        except smtplib.SMTPException as error:
            raise Invalid(f"The mail server refused it: {error}") from error
        return Response(status=204)


def _thread(message: EmailMessage, key: int) -> str:
    """Make it the answer to a message; returns that message as mail programs quote it."""
    answered = StandInMessage.objects.filter(pk=key).first()
    if answered is None:
        raise Missing("The message you answer is gone.")
    if answered.message_id:
        message["In-Reply-To"] = answered.message_id
        message["References"] = answered.message_id
    said = _read(answered).whole.replace(FOLD, "\n\n")[:_MOST_QUOTED]
    quoted = "\n".join(f"> {line}" for line in said.splitlines())
    return f"\n\nOn {answered.received_at:%d %B %Y}, {answered.sender} wrote:\n{quoted}\n"


def _read(row: StandInMessage) -> reading.ReadMail:
    try:
        return reader.read(bytes(row.raw))
    except UnreadableMail as error:
        return reading.ReadMail(text=f"(This message could not be read. {error})")


class MailView(GannetView):
    """One message, whole."""

    permission_classes = [MailRoomReads]

    @extend_schema(operation_id="mail", responses=WholeMailShape)
    def get(self, request: Request, key: int) -> Response:
        row = StandInMessage.objects.filter(pk=key).first()
        if row is None:
            raise Missing("There is no such message.")
        mail = _read(row)
        return Response(
            {
                **_mail_json(row, *_became([row])),
                "body": mail.whole.replace(FOLD, "\n\n"),
                "headers": mail.headers,
                "files": [file.name for file in mail.files],
            }
        )


urlpatterns = [
    path("api/notifications", api_notices.NotificationsView.as_view()),
    path("api/notifications/<number:number>", api_notices.NotificationView.as_view()),
    path("api/how", api_notices.SurveyView.as_view()),
    path("api/quarantine", api_quarantine.QuarantineView.as_view()),
    path("api/quarantine/dismiss", api_quarantine.DismissView.as_view()),
    path("api/quarantine/wait-again", api_quarantine.WaitAgainView.as_view()),
    path("api/quarantine/<number:number>", api_quarantine.QuarantinedView.as_view()),
    path("api/quarantine/<number:number>/let-in", api_quarantine.LetInView.as_view()),
    path("api/mailroom", MailRoomView.as_view()),
    path("api/mailroom/<number:key>", MailView.as_view()),
]
