"""Approvals in the API: ask back, pass on, deputies, and deciding by the link of a mail."""

from typing import Any

from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people import mail_keys
from gannet.people.access import acting, person_of
from gannet.people.acting import Acting
from gannet.people.finding import colleague
from gannet.people.models import Deputy, Person, Team
from gannet.rulebook.book import current
from gannet.tickets import record_parts
from gannet.tickets.actions import approvals, deputies
from gannet.tickets.approval_json import asked_json
from gannet.tickets.models import Approval, ApprovalState, Through
from gannet.tickets.shapes.approvals import AnsweredShape, AnswerShape, AskedPartShape, BeforeShape
from gannet.tickets.shapes.lists import ApprovalShape
from gannet.web.base import MAIL_KEY, GannetView, mail_key_of
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.shape import NamedShape, Shape
from gannet_core.instants import seconds_of


class AskBackShape(Shape):
    question = serializers.CharField(max_length=500, allow_blank=True, default="")
    until = serializers.DateTimeField(required=False, allow_null=True, default=None)


class PassOnShape(Shape):
    to = serializers.IntegerField(required=False, allow_null=True, default=None)
    board = serializers.IntegerField(required=False, allow_null=True, default=None)
    reason = serializers.CharField(max_length=500, allow_blank=True, default="")


class DeputyShape(Shape):
    id = serializers.IntegerField(read_only=True)
    name = serializers.CharField(read_only=True)
    deputy = serializers.IntegerField()
    from_s = serializers.IntegerField()
    to_s = serializers.IntegerField()


class ByMailShape(Shape):
    approves = serializers.BooleanField()
    reason = serializers.CharField(max_length=500, allow_blank=True, default="")


class MailedShape(Shape):
    """What a link from a mail is about; looking decides nothing."""

    ticket = serializers.IntegerField()
    what = serializers.CharField()
    person = serializers.CharField()
    requester = serializers.CharField()
    for_whom = serializers.CharField()
    why = serializers.CharField()
    cost_pence = serializers.IntegerField(allow_null=True)
    monthly_pence = serializers.IntegerField()
    answers = AnswerShape(many=True)
    parts = AskedPartShape(many=True)
    answered = AnsweredShape(many=True)
    before = BeforeShape(many=True)
    state = serializers.CharField()
    # Whether it may be decided here; else it is decided signed in.
    by_link = serializers.BooleanField()


class AskBackView(GannetView):
    """Ask the requester before deciding, or put the decision off."""

    @extend_schema(operation_id="ask_back", request=AskBackShape, responses=ApprovalShape)
    def post(self, request: Request, approval: int) -> Response:
        given = AskBackShape(data=request.data)
        given.is_valid(raise_exception=True)
        asked = approvals.ask_back(acting(request), approval, **given.validated_data)
        return Response(record_parts.approval_json(asked, person_of(request)))


class PassOnView(GannetView):
    """Let somebody else decide, or a board."""

    @extend_schema(operation_id="pass_on", request=PassOnShape, responses=ApprovalShape)
    def post(self, request: Request, approval: int) -> Response:
        given = PassOnShape(data=request.data)
        given.is_valid(raise_exception=True)
        to = _board(given.validated_data["board"]) or colleague(given.validated_data["to"])
        if to is None:
            raise Invalid("Say to whom.", fields={"to": "Choose somebody."})
        reason = given.validated_data["reason"]
        asked = approvals.pass_on(acting(request), approval, to=to, reason=reason)
        return Response(record_parts.approval_json(asked, person_of(request)))


class BoardsView(GannetView):
    """The boards that a decision can be passed on to."""

    @extend_schema(operation_id="boards", responses=NamedShape(many=True))
    def get(self, request: Request) -> Response:
        person_of(request)
        rows = Team.objects.filter(is_board=True, memberships__isnull=False).distinct()
        return Response([{"id": row.pk, "name": row.name} for row in rows.order_by("name")])


def _board(number: int | None) -> Team | None:
    return None if number is None else Team.objects.filter(pk=number, is_board=True).first()


def _deputy_json(row: Deputy) -> dict[str, Any]:
    return {
        "id": row.pk,
        "name": row.deputy.name,
        "deputy": row.deputy_id,
        "from_s": row.from_s,
        "to_s": row.to_s,
    }


class DeputiesView(GannetView):
    """Who decides beside me, and until when."""

    @extend_schema(operation_id="deputies", responses=DeputyShape(many=True))
    def get(self, request: Request) -> Response:
        now_s = seconds_of(timezone.now())
        rows = person_of(request).deputies.filter(to_s__gt=now_s).select_related("deputy")
        return Response([_deputy_json(row) for row in rows])

    @extend_schema(operation_id="add_deputy", request=DeputyShape, responses={201: DeputyShape})
    def post(self, request: Request) -> Response:
        given = DeputyShape(data=request.data)
        given.is_valid(raise_exception=True)
        data, person = given.validated_data, person_of(request)
        deputy = colleague(data["deputy"])
        if deputy is None:
            raise Invalid("Choose somebody else.", fields={"deputy": "Choose somebody else."})
        acting = Acting(person=person, now=timezone.now())
        row = deputies.make_deputy(acting, deputy, data["from_s"], data["to_s"])
        return Response(_deputy_json(row), status=201)


class DeputyView(GannetView):
    """One deputy: no longer."""

    @extend_schema(operation_id="end_deputy", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        deputies.end_deputy(Acting(person=person_of(request), now=timezone.now()), number)
        return Response(status=204)


class ByMailView(GannetView):
    """Deciding by the link of a mail: for one person, once, for two weeks.

    Looking (GET) decides nothing, so a scanner that opens links does no harm.
    """

    permission_classes = [AllowAny]
    authentication_classes: list[Any] = []

    @extend_schema(operation_id="mailed_approval", parameters=[MAIL_KEY], responses=MailedShape)
    def get(self, request: Request) -> Response:
        asked, person = _asked_by_key(request)
        return Response(_mailed_json(asked, person))

    @extend_schema(
        operation_id="decide_by_mail",
        parameters=[MAIL_KEY],
        request=ByMailShape,
        responses=MailedShape,
    )
    def post(self, request: Request) -> Response:
        given = ByMailShape(data=request.data)
        given.is_valid(raise_exception=True)
        asked, person = _asked_by_key(request)
        if asked.state != ApprovalState.PENDING:
            raise Conflict(approvals.over_words(asked))
        who = Acting(person=person, now=timezone.now(), by_mail=True)
        done = approvals.decide(who, asked.pk, **given.validated_data, through=Through.LINK)
        return Response(_mailed_json(done, person))


def _asked_by_key(request: Request) -> tuple[Approval, Person]:
    key = mail_keys.find(mail_key_of(request), mail_keys.DECIDE)
    rows = Approval.objects.select_related("ticket__requester", "asked_of", "stage")
    asked = None if key is None else rows.filter(pk=key.what).first()
    if key is None or asked is None or not key.person.is_active:
        raise Missing("This link is not one of ours, or is from long ago. Sign in to answer.")
    if not mail_keys.is_alive(key, seconds_of(timezone.now())):
        raise Conflict(
            "This link is not good any more: it is older than two weeks, or stood in a text "
            "that others can read. Sign in to answer."
        )
    return asked, key.person


def _mailed_json(asked: Approval, person: Person) -> dict[str, Any]:
    shown = asked_json(asked, person, current())
    return {
        "ticket": asked.ticket_id,
        "what": asked.what,
        "person": person.name,
        "requester": asked.ticket.requester.name,
        "for_whom": shown["for_whom"],
        "why": shown["why"],
        "cost_pence": asked.cost_pence,
        "monthly_pence": shown["monthly_pence"],
        "answers": shown["answers"],
        "parts": shown["parts"],
        "answered": shown["answered"],
        "before": shown["before"],
        "state": asked.state,
        "by_link": approvals.may_decide_by_link(asked),
    }


urlpatterns = [
    path("api/boards", BoardsView.as_view()),
    path("api/approvals/<number:approval>/ask-back", AskBackView.as_view()),
    path("api/approvals/<number:approval>/pass-on", PassOnView.as_view()),
    path("api/deputies", DeputiesView.as_view()),
    path("api/deputies/<number:number>", DeputyView.as_view()),
    path("api/decide", ByMailView.as_view()),
]
