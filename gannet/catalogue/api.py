"""The catalogue and approvals in the API: look, ask, decide, ask back, pass on, deputies."""

from collections.abc import Mapping
from typing import Any

from django.core import signing
from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.catalogue import asking, offers
from gannet.messages.outbox import DECIDE_SALT, DECIDE_SECONDS
from gannet.people.models import Deputy, Person
from gannet.rulebook.book import Book, current
from gannet.tickets import around
from gannet.tickets.actions import approvals
from gannet.tickets.actions.frame import Acting
from gannet.tickets.actions.routes import asked_of
from gannet.tickets.api.list_shapes import ApprovalShape, NamedShape
from gannet.tickets.api.portal import my_ticket_json
from gannet.tickets.api.portal_shapes import MyTicketShape
from gannet.tickets.api.request_shapes import BoardShape
from gannet.tickets.api.shapes import FieldStateShape
from gannet.tickets.board import board_json
from gannet.tickets.directory import facts_of
from gannet.tickets.models import Approval, Ask, Ticket
from gannet.web.base import GannetView, acting, person_of
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.permissions import DeskReads
from gannet.web.shape import Shape
from gannet_core import catalogue
from gannet_core.conditions import fold
from gannet_core.instants import seconds_of


class OfferShape(Shape):
    """Something that can be asked for."""

    key = serializers.CharField()
    name = serializers.CharField()
    plain = serializers.CharField()
    icon = serializers.CharField()
    group = serializers.CharField()
    is_bundle = serializers.BooleanField()
    once_pence = serializers.IntegerField()
    monthly_pence = serializers.IntegerField()
    is_preapproved = serializers.BooleanField()
    delivery = serializers.CharField()


class LookShape(Shape):
    answers = serializers.DictField(child=serializers.JSONField(allow_null=True), default=dict)
    chosen = serializers.ListField(child=serializers.CharField(max_length=80), default=list)
    part_answers = serializers.DictField(
        child=serializers.DictField(child=serializers.JSONField(allow_null=True)), default=dict
    )
    beneficiary = serializers.IntegerField(required=False, allow_null=True, default=None)


class OfferedPartShape(Shape):
    key = serializers.CharField()
    name = serializers.CharField()
    plain = serializers.CharField()
    icon = serializers.CharField()
    is_required = serializers.BooleanField()
    is_chosen = serializers.BooleanField()
    once_pence = serializers.IntegerField()
    monthly_pence = serializers.IntegerField()
    filled = serializers.ListField(child=serializers.CharField())
    fields = FieldStateShape(many=True)  # type: ignore[assignment]


class DecidesShape(Shape):
    name = serializers.CharField()
    is_skipped = serializers.BooleanField()
    because = serializers.CharField()
    people = serializers.ListField(child=serializers.CharField())


class LookedShape(Shape):
    """An item or bundle over what has been answered so far, and what it would come to."""

    offer = OfferShape()
    promise = serializers.CharField()
    fields = FieldStateShape(many=True)  # type: ignore[assignment]
    parts = OfferedPartShape(many=True)
    once_pence = serializers.IntegerField()
    monthly_pence = serializers.IntegerField()
    decides = DecidesShape(many=True)
    problem = serializers.CharField()


class LineShape(Shape):
    key = serializers.CharField(max_length=80)
    answers = serializers.DictField(child=serializers.JSONField(allow_null=True), default=dict)


class AskShape(Shape):
    lines = LineShape(many=True)
    beneficiary = serializers.IntegerField(required=False, allow_null=True, default=None)
    reason = serializers.CharField(max_length=20_000, allow_blank=True, default="")
    chosen = serializers.ListField(child=serializers.CharField(max_length=80), default=list)
    part_answers = serializers.DictField(
        child=serializers.DictField(child=serializers.JSONField(allow_null=True)), default=dict
    )
    attachments = serializers.ListField(child=serializers.UUIDField(), default=list, max_length=20)


class AskedForShape(Shape):
    id = serializers.IntegerField()
    title = serializers.CharField()
    approval = serializers.CharField()
    waiting = serializers.CharField()


class AnswersShape(Shape):
    answers = serializers.DictField(child=serializers.JSONField(allow_null=True))


class AskBackShape(Shape):
    question = serializers.CharField(max_length=500, allow_blank=True, default="")
    until = serializers.DateTimeField(required=False, allow_null=True, default=None)


class PassOnShape(Shape):
    to = serializers.IntegerField()
    reason = serializers.CharField(max_length=500, allow_blank=True, default="")


class ColleagueShape(NamedShape):
    department = serializers.CharField()
    place = serializers.CharField()


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
    answers = serializers.ListField(child=serializers.DictField())
    parts = serializers.ListField(child=serializers.CharField())
    state = serializers.CharField()


class CatalogueView(GannetView):
    """Everything one may ask for."""

    @extend_schema(
        operation_id="catalogue",
        parameters=[OpenApiParameter("text", str, description="Only what fits these words.")],
        responses=OfferShape(many=True),
    )
    def get(self, request: Request) -> Response:
        person, text = person_of(request), request.query_params.get("text", "")[:300]
        book = current()
        found = offers.search(book, person, text, 12) if text else offers.offered(book, person)
        return Response(found)


class LookView(GannetView):
    """An item or bundle over what has been answered: its questions, parts, cost, who decides."""

    @extend_schema(operation_id="look_at_offer", request=LookShape, responses=LookedShape)
    def post(self, request: Request, key: str) -> Response:
        given = LookShape(data=request.data)
        given.is_valid(raise_exception=True)
        data, person, book = given.validated_data, person_of(request), current()
        beneficiary = _colleague(data["beneficiary"]) or person
        offer, is_bundle = _offer(book, key, beneficiary)
        parts: list[dict[str, Any]] = []
        cost = catalogue.cost_of(offer)
        if is_bundle:
            found = catalogue.parts_of(
                offer, book.items, _known(data["answers"]), data["chosen"], facts_of(beneficiary)
            )
            cost = catalogue.total(found)
            parts = [_part_json(book, one, data["part_answers"]) for one in found if one.is_offered]
        decides, problem = _decides(book, offer, cost, person, beneficiary, data["answers"])
        return Response(
            {
                "offer": offers.offer_json(offer, is_bundle=is_bundle, items=book.items),
                "promise": book.agreement_name(offer["delivery"]) if offer.get("delivery") else "",
                "fields": offers.form_states(book, offer, data["answers"]),
                "parts": parts,
                "once_pence": cost.once_pence,
                "monthly_pence": cost.monthly_pence,
                "decides": decides,
                "problem": problem,
            }
        )


def _known(answers: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in answers.items() if value not in (None, "")}


def _offer(book: Book, key: str, beneficiary: Person) -> tuple[Mapping[str, Any], bool]:
    offer = book.bundles.get(key) or book.items.get(key)
    if offer is None or not catalogue.may_ask(offer, facts_of(beneficiary)):
        raise Missing("There is no such thing to ask for.")
    return offer, key in book.bundles


def _part_json(
    book: Book, part: catalogue.Part, given: Mapping[str, Mapping[str, Any]]
) -> dict[str, Any]:
    item = book.items[part.item]
    answers = {**part.answers, **given.get(part.item, {})}
    return {
        "key": part.item,
        "name": item["name"],
        "plain": item.get("plain", ""),
        "icon": item.get("icon", ""),
        "is_required": part.is_required,
        "is_chosen": part.is_chosen,
        "once_pence": part.cost.once_pence,
        "monthly_pence": part.cost.monthly_pence,
        "filled": sorted(part.filled),
        "fields": offers.form_states(book, item, answers) if part.is_chosen else [],
    }


def _decides(
    book: Book,
    offer: Mapping[str, Any],
    cost: catalogue.Cost,
    person: Person,
    beneficiary: Person,
    answers: Mapping[str, Any],
) -> tuple[list[dict[str, Any]], str]:
    """Who would decide, as things stand; nothing is kept."""
    draft = Ticket(
        kind="request",
        requester=person,
        beneficiary=beneficiary,
        item=offer["key"],
        item_name=offer["name"],
        once_pence=cost.once_pence,
        monthly_pence=cost.monthly_pence,
        route=str(offer.get("route") or ""),
        edition=book.number,
        values=_known(answers),
    )
    from gannet.estate.models import Service

    draft.service = Service.objects.filter(name=offer.get("service", "")).first()
    try:
        asked = asked_of(draft)
    except Invalid as error:
        return [], error.detail
    names = dict(
        Person.objects.filter(pk__in=[p for one in asked for p in one.people]).values_list(
            "id", "name"
        )
    )
    return [
        {
            "name": one.name,
            "is_skipped": one.is_skipped,
            "because": one.because,
            "people": [names[p] for p in one.people],
        }
        for one in asked
    ], ""


def _colleague(number: int | None) -> Person | None:
    if number is None:
        return None
    found = Person.objects.filter(pk=number, is_active=True).first()
    if found is None:
        raise Invalid("There is nobody like that.", fields={"beneficiary": "Choose somebody."})
    return found


class AskView(GannetView):
    """Ask for something."""

    @extend_schema(operation_id="ask_for", request=AskShape, responses={201: AskedForShape})
    def post(self, request: Request) -> Response:
        given = AskShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        wish = asking.Wish(
            lines=[asking.Line(key=one["key"], answers=one["answers"]) for one in data["lines"]],
            beneficiary=_colleague(data["beneficiary"]),
            reason=data["reason"],
            chosen=data["chosen"],
            part_answers=data["part_answers"],
            attachments=data["attachments"],
        )
        ticket = asking.ask_for(person_of(request), wish, acting(request))
        return Response(
            {
                "id": ticket.pk,
                "title": ticket.title,
                "approval": ticket.approval,
                "waiting": ticket.waiting_reason,
            },
            status=201,
        )


class AnswersView(GannetView):
    """Change the answers of one's request; those whom it touches decide again."""

    @extend_schema(operation_id="change_answers", request=AnswersShape, responses=MyTicketShape)
    def post(self, request: Request, number: int) -> Response:
        given = AnswersShape(data=request.data)
        given.is_valid(raise_exception=True)
        asking.change_answers(number, acting(request), given.validated_data["answers"])
        return Response(my_ticket_json(number, person_of(request)))


class AskBackView(GannetView):
    """Ask the requester before deciding, or put the decision off."""

    @extend_schema(operation_id="ask_back", request=AskBackShape, responses=ApprovalShape)
    def post(self, request: Request, approval: int) -> Response:
        given = AskBackShape(data=request.data)
        given.is_valid(raise_exception=True)
        asked = approvals.ask_back(acting(request), approval, **given.validated_data)
        return Response(around.approval_json(asked, person_of(request)))


class PassOnView(GannetView):
    """Let somebody else decide."""

    @extend_schema(operation_id="pass_on", request=PassOnShape, responses=ApprovalShape)
    def post(self, request: Request, approval: int) -> Response:
        given = PassOnShape(data=request.data)
        given.is_valid(raise_exception=True)
        to = _colleague(given.validated_data["to"])
        if to is None:
            raise Invalid("Say to whom.", fields={"to": "Choose somebody."})
        reason = given.validated_data["reason"]
        asked = approvals.pass_on(acting(request), approval, to=to, reason=reason)
        return Response(around.approval_json(asked, person_of(request)))


class ColleaguesView(GannetView):
    """Colleagues by a part of their name: only what a telephone list says."""

    @extend_schema(
        operation_id="colleagues",
        parameters=[OpenApiParameter("q", str, required=True)],
        responses=ColleagueShape(many=True),
    )
    def get(self, request: Request) -> Response:
        person_of(request)
        words = fold(request.query_params.get("q", "")[:80]).split()
        if not words or len("".join(words)) < 2:
            return Response([])
        found = Person.objects.filter(is_active=True)
        for word in words:
            found = found.filter(name_folded__contains=word)
        return Response(
            [
                {"id": p.pk, "name": p.name, "department": p.department, "place": p.place}
                for p in found.order_by("name")[:6]
            ]
        )


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
        deputy = _colleague(data["deputy"])
        if deputy is None or deputy.pk == person.pk:
            raise Invalid("Choose somebody else.", fields={"deputy": "Choose somebody else."})
        if data["to_s"] <= max(data["from_s"], seconds_of(timezone.now())):
            raise Invalid("It ends before it begins.", fields={"to_s": "Choose a later day."})
        row = Deputy.objects.create(
            person=person, deputy=deputy, from_s=data["from_s"], to_s=data["to_s"]
        )
        return Response(_deputy_json(row), status=201)


class DeputyView(GannetView):
    """One deputy: no longer."""

    @extend_schema(operation_id="end_deputy", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        if not person_of(request).deputies.filter(pk=number).delete()[0]:
            raise Missing("There is no such deputy.")
        return Response(status=204)


class BoardView(GannetView):
    """The requests by phase, of a team or of all."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="board",
        parameters=[OpenApiParameter("team", int)],
        responses=BoardShape,
    )
    def get(self, request: Request) -> Response:
        text = request.query_params.get("team", "")
        team = int(text) if text.isdigit() else None
        return Response(board_json(person_of(request), team, seconds_of(timezone.now())))


class ByMailView(GannetView):
    """Deciding by the link of a mail: signed, for one person, once, for two weeks.

    Looking (GET) decides nothing, so a scanner that opens links does no harm.
    """

    permission_classes = [AllowAny]
    authentication_classes: list[Any] = []

    @extend_schema(operation_id="mailed_approval", responses=MailedShape)
    def get(self, request: Request, token: str) -> Response:
        asked, person = _of_token(token)
        return Response(_mailed_json(asked, person))

    @extend_schema(operation_id="decide_by_mail", request=ByMailShape, responses=MailedShape)
    def post(self, request: Request, token: str) -> Response:
        given = ByMailShape(data=request.data)
        given.is_valid(raise_exception=True)
        asked, person = _of_token(token)
        if asked.state != Ask.PENDING:
            raise Conflict(f"This is {asked.state} already.")
        who = Acting(person=person, now=timezone.now(), by_mail=True)
        data = given.validated_data
        done = approvals.decide(who, asked.pk, approves=data["approves"], reason=data["reason"])
        return Response(_mailed_json(done, person))


def _of_token(token: str) -> tuple[Approval, Person]:
    try:
        said = signing.loads(token, salt=DECIDE_SALT, max_age=DECIDE_SECONDS)
    except signing.SignatureExpired as error:
        raise Conflict("This link is older than two weeks. Sign in to decide.") from error
    except signing.BadSignature as error:
        raise Missing("This link is not one of ours.") from error
    asked = (
        Approval.objects.select_related("ticket__requester", "asked_of")
        .filter(pk=said["approval"])
        .first()
    )
    person = Person.objects.filter(pk=said["person"], is_active=True).first()
    if asked is None or person is None:
        raise Missing("This link is not one of ours.")
    if asked.state == Ask.PENDING and asked.nonce != said["nonce"]:
        raise Conflict("This link has been used. Sign in to decide.")
    return asked, person


def _mailed_json(asked: Approval, person: Person) -> dict[str, Any]:
    from gannet.tickets.request_json import asked_json

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
        "state": asked.state,
    }


urlpatterns = [
    path("api/catalogue", CatalogueView.as_view()),
    path("api/catalogue/ask", AskView.as_view()),
    path("api/catalogue/<slug:key>/look", LookView.as_view()),
    path("api/portal/tickets/<int:number>/answers", AnswersView.as_view()),
    path("api/approvals/<int:approval>/ask-back", AskBackView.as_view()),
    path("api/approvals/<int:approval>/pass-on", PassOnView.as_view()),
    path("api/requests/board", BoardView.as_view()),
    path("api/colleagues", ColleaguesView.as_view()),
    path("api/deputies", DeputiesView.as_view()),
    path("api/deputies/<int:number>", DeputyView.as_view()),
    path("api/decide/<str:token>", ByMailView.as_view()),
]
