"""The catalogue in the API: look, ask, change answers; colleagues, and the board of requests."""

from collections.abc import Mapping
from typing import Any

from django.db.models import Q
from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.models import ConfigItem, Service
from gannet.people.access import acting, person_of
from gannet.people.finding import colleague
from gannet.people.models import Person
from gannet.people.permissions import DeskReads
from gannet.people.roles import reads_desk
from gannet.requests import asking, offers
from gannet.requests.board import board_json
from gannet.requests.models import KIND, RequestFacts
from gannet.requests.shapes import BoardShape
from gannet.rulebook.book import Book, current
from gannet.tickets.actions.log import check_flood
from gannet.tickets.actions.routes import asked_of
from gannet.tickets.directory import about_person
from gannet.tickets.known import item_named
from gannet.tickets.models import Ticket
from gannet.tickets.shapes.tickets import FieldStateShape
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing
from gannet.web.given import whole_number
from gannet.web.shape import NamedShape, Shape
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
    fields = FieldStateShape(many=True)


class DecidesShape(Shape):
    name = serializers.CharField()
    is_skipped = serializers.BooleanField()
    because = serializers.CharField()
    people = serializers.ListField(child=serializers.CharField())


class LookedShape(Shape):
    """An item or bundle over what has been answered so far, and what it would come to."""

    offer = OfferShape()
    # Whether whom it is for may ask for it; only a preview of the rulebook says no.
    is_offered = serializers.BooleanField()
    promise = serializers.CharField()
    fields = FieldStateShape(many=True)
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


class ThingShape(NamedShape):
    kind = serializers.CharField()
    place = serializers.CharField()


class ColleagueShape(NamedShape):
    department = serializers.CharField()
    place = serializers.CharField()


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

    asks_only = True

    @extend_schema(operation_id="look_at_offer", request=LookShape, responses=LookedShape)
    def post(self, request: Request, key: str) -> Response:
        return Response(look_at(current(), key, request))


def look_at(book: Book, key: str, request: Request, *, is_preview: bool = False) -> dict[str, Any]:
    """What an offer of a rulebook asks, costs and promises, over what is answered so far.

    A preview also shows what its reader would not be offered, and says so.
    """
    given = LookShape(data=request.data)
    given.is_valid(raise_exception=True)
    data, person = given.validated_data, person_of(request)
    beneficiary = colleague(data["beneficiary"]) or person
    offer, is_bundle, is_offered = _offer(book, key, beneficiary)
    if not is_offered and not is_preview:
        raise Missing(_NOTHING)
    parts: list[dict[str, Any]] = []
    cost = catalogue.cost_of(offer)
    if is_bundle:
        found = catalogue.parts_of(
            offer, book.items, _known(data["answers"]), data["chosen"], about_person(beneficiary)
        )
        cost = catalogue.total(found)
        parts = [_part_json(book, one, data["part_answers"]) for one in found if one.is_offered]
    decides, problem = _decides(book, offer, cost, person, beneficiary, data["answers"])
    return {
        "offer": offers.offer_json(offer, is_bundle=is_bundle, items=book.items),
        "is_offered": is_offered,
        "promise": book.agreement_name(offer["delivery"]) if offer.get("delivery") else "",
        "fields": offers.form_states(book, offer, data["answers"]),
        "parts": parts,
        "once_pence": cost.once_pence,
        "monthly_pence": cost.monthly_pence,
        "decides": decides,
        "problem": problem,
    }


def _known(answers: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in answers.items() if value not in (None, "")}


_NOTHING = "There is no such thing to ask for."


def _offer(book: Book, key: str, beneficiary: Person) -> tuple[Mapping[str, Any], bool, bool]:
    """An offer, whether it is a bundle, and whether somebody may be given it."""
    offer = book.bundles.get(key) or book.items.get(key)
    if offer is None:
        raise Missing(_NOTHING)
    return offer, key in book.bundles, catalogue.may_ask(offer, about_person(beneficiary))


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
        kind=KIND,
        requester=person,
        beneficiary=beneficiary,
        route=str(offer.get("route") or ""),
        edition=book.number,
        values=_known(answers),
    )
    RequestFacts(
        ticket=draft,
        item=offer["key"],
        item_name=offer["name"],
        once_pence=cost.once_pence,
        monthly_pence=cost.monthly_pence,
    )
    draft.ci = item_named(draft.values, book.fields)
    draft.service = Service.objects.filter(name=offer.get("service", "")).first()
    try:
        asked = asked_of(draft, book)
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


class AskView(GannetView):
    """Ask for something."""

    @extend_schema(operation_id="ask_for", request=AskShape, responses={201: AskedForShape})
    def post(self, request: Request) -> Response:
        given = AskShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        wish = asking.Wish(
            lines=[asking.Line(key=one["key"], answers=one["answers"]) for one in data["lines"]],
            beneficiary=colleague(data["beneficiary"]),
            reason=data["reason"],
            chosen=data["chosen"],
            part_answers=data["part_answers"],
            attachments=data["attachments"],
        )
        check_flood(person_of(request), seconds_of(timezone.now()))
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


def _begins(word: str) -> Q:
    """A word of the name begins so: "gate" finds Gate 2, not what stands in Saltgate."""
    return Q(name_folded__startswith=word) | Q(name_folded__contains=f" {word}")


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
            found = found.filter(_begins(word))
        return Response(
            [
                {"id": p.pk, "name": p.name, "department": p.department, "place": p.place}
                for p in found.order_by("name")[:6]
            ]
        )


class ThingsView(GannetView):
    """Configuration items by a part of their name, to name one in an answer."""

    @extend_schema(
        operation_id="things",
        parameters=[OpenApiParameter("q", str, required=True)],
        responses=ThingShape(many=True),
    )
    def get(self, request: Request) -> Response:
        person = person_of(request)
        words = fold(request.query_params.get("q", "")[:80]).split()
        if not words or len("".join(words)) < 2:
            return Response([])
        found = ConfigItem.objects.all()
        if not reads_desk(person):
            # What stands about is everybody's to name; what somebody carries is theirs.
            found = found.filter(Q(used_by=None) | Q(used_by=person))
        for word in words:
            found = found.filter(_begins(word))
        rows = found.order_by("name").values("id", "name", "kind", "place")
        return Response(list(rows[:8]))


class BoardView(GannetView):
    """The requests by phase, of a team or of all."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="board",
        parameters=[OpenApiParameter("team", int)],
        responses=BoardShape,
    )
    def get(self, request: Request) -> Response:
        team = whole_number(request.query_params.get("team"))
        return Response(board_json(person_of(request), team, seconds_of(timezone.now())))


urlpatterns = [
    path("api/catalogue", CatalogueView.as_view()),
    path("api/catalogue/ask", AskView.as_view()),
    path("api/catalogue/<slug:key>/look", LookView.as_view()),
    path("api/requests/board", BoardView.as_view()),
    path("api/colleagues", ColleaguesView.as_view()),
    path("api/things", ThingsView.as_view()),
]
