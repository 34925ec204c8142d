"""The portal: say what is wrong, see where it is."""

from typing import Any

from django.db import transaction
from django.db.models import QuerySet, prefetch_related_objects
from django.urls import path
from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_item, find_service, offered_services
from gannet.estate.models import Service
from gannet.knowledge.readers import became_ticket, note_search
from gannet.knowledge.search import search
from gannet.messages import notices
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.portal import shapes as portal_shapes
from gannet.portal.announcements import shown_to
from gannet.portal.api_announcements import announcement_json
from gannet.requests import asking, offers
from gannet.rulebook.book import current
from gannet.tickets import actions, queries
from gannet.tickets.actions import NewTicket, log_ticket
from gannet.tickets.actions.first_answers import still_offered
from gannet.tickets.actions.log import check_flood
from gannet.tickets.api.lists import accepted, logged_json, template_for
from gannet.tickets.classify import suggest_services
from gannet.tickets.kinds import for_requesters, kind_of
from gannet.tickets.known import files_in
from gannet.tickets.listed import seen_by
from gannet.tickets.models import Affected, Channel, Clock, Follower, Ticket
from gannet.tickets.record import Reading, find
from gannet.tickets.requester_path import requester_path
from gannet.tickets.shapes import tickets as shapes
from gannet.tickets.states import state_name
from gannet.web.base import GannetView, by_the_way
from gannet.web.errors import Invalid, Missing
from gannet.web.kept import Givens, KeptQueries
from gannet.web.shape import Shape
from gannet_core.conditions import fold
from gannet_core.excerpts import start_of
from gannet_core.instants import seconds_of
from gannet_core.suggest import words_of

_OPEN_SHOWN = 50
_CLOSED_SHOWN = 10
_LEAST_PROBABILITY = 0.05


class HomeView(GannetView):
    """My things and what is known to be broken."""

    @extend_schema(operation_id="portal", responses=portal_shapes.HomeShape)
    def get(self, request: Request) -> Response:
        person, now_s = person_of(request), seconds_of(timezone.now())
        me = {"person": person.pk}
        open_things = _kept.objects("open", lambda givens: _mine(givens, is_open=True), me)
        rest = _kept.objects("ended", lambda givens: _mine(givens, is_open=False), me)
        return Response(
            {
                "things": things_json([*open_things, *rest]),
                "shared": things_json(_shared_with(person)),
                "outages": queries.outages(now_s, person),
                "news": [announcement_json(row) for row in shown_to(person, now_s)[:10]],
                "now_s": now_s,
            }
        )


_kept = KeptQueries()
_RELATED = ("service", "team", "holder")
# All that a line of somebody's own things reads.
_SHOWN = (
    *("kind", "title", "state", "is_open", "opened_s", "route", "approval", "answered_s"),
    *("waiting_on", "waiting_reason", "waiting_since_s", "held_s", "resolved_s", "closed_s"),
    *(f"{one}__name" for one in _RELATED),
)


def _mine(givens: Givens, *, is_open: bool) -> QuerySet[Any]:
    """What somebody has asked for; the parts of a request of theirs stand on its own page."""
    person = givens["person"]
    mine = Ticket.objects.filter(requester=person, is_open=is_open, kind__in=for_requesters())
    mine = mine.exclude(parent__kind="request", parent__requester=person)
    newest = mine.select_related(*_RELATED).only(*_SHOWN).order_by("-opened_s", "-id")
    return newest[: _OPEN_SHOWN if is_open else _CLOSED_SHOWN]


def _shared_with(person: Person) -> list[Ticket]:
    """Open things of others that somebody follows; what they only decide on is not one."""
    if person.is_on_desk:
        return []  # the desk follows in its own lists
    seen = seen_by(person)

    def build(givens: Givens) -> QuerySet[Any]:
        me = givens["person"]
        found = seen.build(givens).filter(followers__person=me, is_open=True)
        rest = found.exclude(requester=me).exclude(approvals__asked_of=me)
        return rest.select_related(*_RELATED).only(*_SHOWN).order_by("-opened_s")[:20]

    return seen.objects(_kept, "shared", build)


class ShareView(GannetView):
    """Let a colleague follow one of my things."""

    @extend_schema(
        operation_id="share_mine",
        request=portal_shapes.ShareShape,
        responses=portal_shapes.MyTicketShape,
    )
    def post(self, request: Request, number: int) -> Response:
        given = portal_shapes.ShareShape(data=request.data)
        given.is_valid(raise_exception=True)
        person = person_of(request)
        ticket = find(number, person)
        if ticket.requester_id != person.pk:
            raise Missing("There is no such ticket, or it is not for you to see.")
        other = Person.objects.filter(pk=given.validated_data["person"], is_active=True).first()
        if other is None or other.pk == person.pk:
            raise Invalid("Choose a colleague.", fields={"person": "Choose a colleague."})
        actions.follow(number, acting(request), other)
        return Response(my_ticket_json(number, person))


def things_json(tickets: list[Ticket]) -> list[dict[str, Any]]:
    prefetch_related_objects([ticket for ticket in tickets if ticket.route], "stages")
    dues = dict(
        Clock.objects.filter(ticket__in=tickets, kind="fix", holder="").values_list(
            "ticket_id", "due_s"
        )
    )
    return [
        {
            "id": ticket.pk,
            "kind": ticket.kind,
            "title": ticket.title,
            "state": state_name(ticket.state),
            "is_open": ticket.is_open,
            "opened_s": ticket.opened_s,
            "service": ticket.service.name if ticket.service else "",
            "team": ticket.team.name,
            "holder": ticket.holder.name if ticket.holder else "",
            "waits_for": ticket.waiting_reason if ticket.waiting_on == "approval" else "",
            "since_s": ticket.waiting_since_s or ticket.held_s or ticket.opened_s,
            "is_waiting_for_me": ticket.waiting_on == "requester" and ticket.is_open,
            "fix_due_s": None if ticket.is_undecided else dues.get(ticket.pk),
            "path": requester_path(ticket),
        }
        for ticket in tickets
    ]


class OffersView(GannetView):
    """What fits the words typed so far: services, known outages, my own open things."""

    @extend_schema(
        operation_id="offers",
        parameters=[OpenApiParameter("text", str, required=True)],
        responses=portal_shapes.OffersShape,
    )
    def get(self, request: Request) -> Response:
        person = person_of(request)
        text = request.query_params.get("text", "")[:2000]
        words = set(words_of(text))
        offered = _offered_services(text)
        names = {entry["name"] for entry in offered}
        outages = [
            outage
            for outage in queries.outages(seconds_of(timezone.now()), person)
            if outage["service"] in names or words & set(words_of(outage["title"]))
        ]
        mine = queries.asked_by(person, only_open=True)
        things = [
            ticket
            for ticket in mine.select_related("service", "team", "holder")[:50]
            if words & set(words_of(ticket.title))
            or (ticket.service and ticket.service.name in names)
        ]
        book = current()
        items = offers.search(book, person, text, 4)
        now_s = seconds_of(timezone.now())
        sought = search(text, person, now_s, most=3, any_word=True)
        note_search(person, text, max((one.coverage for one in sought), default=0.0), now_s)
        articles = [one.article for one in sought if one.coverage >= 0.4]
        return Response(
            {
                "articles": [
                    {"id": one.pk, "title": one.title, "starts": start_of(one.body)}
                    for one in articles
                ],
                "items": [{name: one[name] for name in _OFFERED} for one in items],
                "services": offered,
                "outages": outages,
                "things": things_json(things[:3]),
            }
        )


_OFFERED = (
    "key",
    "name",
    "plain",
    "icon",
    "is_bundle",
    "once_pence",
    "monthly_pence",
    "is_preapproved",
)


class AffectedView(GannetView):
    """An announced outage hits me too: I hear when it is over."""

    @extend_schema(operation_id="hit_too", request=None, responses={204: None})
    def post(self, request: Request, number: int) -> Response:
        person, now_s = person_of(request), seconds_of(timezone.now())
        known = {outage["id"] for outage in queries.outages(now_s)}
        if number not in known:
            raise Missing("This outage is over.")
        Affected.objects.get_or_create(ticket_id=number, person=person, defaults={"at_s": now_s})
        return Response(status=204)


def _offered_services(text: str) -> list[dict[str, Any]]:
    """Services by their own names first, then by what the words of past tickets say."""
    folded = fold(text)
    found: dict[int, dict[str, Any]] = {}
    if folded.strip():
        for service in offered_services():
            names = [service.name, *service.words.split(",")]
            spoken = [n.strip() for n in names if n.strip() and fold(n.strip()) in folded]
            if not spoken and offers.fits_words(folded, f"{service.name} {service.words}"):
                spoken = [service.name]
            if spoken:
                found[service.pk] = _offer(service, spoken[:3], 1.0)
    for service, suggestion in suggest_services(text):
        if suggestion.probability >= _LEAST_PROBABILITY and service.pk not in found:
            found[service.pk] = _offer(service, list(suggestion.words), suggestion.probability)
    return list(found.values())[:4]


def _offer(service: Service, words: list[str], probability: float) -> dict[str, Any]:
    return {
        "id": service.pk,
        "name": service.name,
        "plain": service.plain,
        "words": words,
        "probability": round(probability, 3),
    }


class ReportView(GannetView):
    """Report what is wrong; answers with a number, what was understood and when."""

    @extend_schema(
        operation_id="report",
        request=portal_shapes.ReportShape,
        responses={201: shapes.LoggedShape},
    )
    def post(self, request: Request) -> Response:
        given = portal_shapes.ReportShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        person = person_of(request)
        check_flood(person, seconds_of(timezone.now()))
        item = find_item(data["ci"])
        if item is not None and item.used_by_id not in (None, person.pk, data["for_whom"]):
            raise Invalid("That is somebody else's device.", fields={"ci": "Choose yours."})
        title, text = _title_and_text(data["title"], data["text"])
        service = find_service(data["service"])
        whom = _for_whom(data["for_whom"], person)
        new = NewTicket(
            requester=whom,
            title=title,
            text=text,
            channel=Channel.PORTAL,
            service=service,
            values=accepted(data, "requester", title, service, person),
            template=template_for(data, service),
            ci=item,
            place=data["place"],
            answers=data["answers"],
            attachments=[*data["attachments"], *files_in(data["values"], current().fields)],
        )
        with transaction.atomic():
            ticket = log_ticket(new, acting(request))
            became_ticket(person, seconds_of(timezone.now()))
            if whom != person:
                # Whoever reports for somebody sees where it is, and hears of it.
                Follower.objects.get_or_create(ticket=ticket, person=person)
        return Response(logged_json(ticket), status=201)


def _for_whom(number: int | None, person: Person) -> Person:
    if number is None or number == person.pk:
        return person
    whom = Person.objects.filter(pk=number, is_active=True).first()
    if whom is None:
        raise Invalid("There is no such colleague.", fields={"for_whom": "Choose a colleague."})
    return whom


def _title_and_text(title: str, text: str) -> tuple[str, str]:
    """A long first field is cut at a word for the title and kept whole as the text."""
    title = " ".join(title.split())
    if len(title) <= 120:
        return title, text
    short = title[:117].rsplit(" ", 1)[0] + "…"
    return short, f"{title}\n\n{text}".strip()


def my_ticket_json(number: int, person: Person) -> dict[str, Any]:
    now_s = seconds_of(timezone.now())
    ticket = find(number, person)
    if not kind_of(ticket).is_for_requesters:
        raise Missing("There is no such ticket, or it is not for you to see.")
    return {
        **Reading(ticket, person, now_s).as_requester_sees(),
        "offered": still_offered(ticket, person),
        "now_s": now_s,
    }


class MyTicketView(GannetView):
    """One of my things (or one I follow)."""

    @extend_schema(operation_id="my_ticket", responses=portal_shapes.MyTicketShape)
    def get(self, request: Request, number: int) -> Response:
        person = person_of(request)
        shown = my_ticket_json(number, person)
        # What only wanted to be read has been.
        with by_the_way():
            notices.read(person, number, seconds_of(timezone.now()))
        return Response(shown)


class WriteView(GannetView):
    """Writing to the desk about one of my things."""

    @extend_schema(
        operation_id="write", request=shapes.TextShape, responses=portal_shapes.MyTicketShape
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.TextShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        actions.requester_writes(number, acting(request), data["text"], data["attachments"])
        return Response(my_ticket_json(number, person_of(request)))


class ReopenView(GannetView):
    """It is still broken."""

    @extend_schema(
        operation_id="reopen_mine",
        request=shapes.ReasonShape,
        responses=portal_shapes.MyTicketShape,
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.ReasonShape(data=request.data)
        given.is_valid(raise_exception=True)
        actions.reopen(number, acting(request), given.validated_data["why"])
        return Response(my_ticket_json(number, person_of(request)))


class CancelView(GannetView):
    """It is no longer needed."""

    @extend_schema(
        operation_id="cancel_mine",
        request=shapes.ReasonShape,
        responses=portal_shapes.MyTicketShape,
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.ReasonShape(data=request.data)
        given.is_valid(raise_exception=True)
        actions.cancel(number, acting(request), given.validated_data["why"])
        return Response(my_ticket_json(number, person_of(request)))


class AnswersShape(Shape):
    answers = serializers.DictField(child=serializers.JSONField(allow_null=True))


class AnswersView(GannetView):
    """Change the answers of one's request; those whom it touches decide again."""

    @extend_schema(
        operation_id="change_answers", request=AnswersShape, responses=portal_shapes.MyTicketShape
    )
    def post(self, request: Request, number: int) -> Response:
        given = AnswersShape(data=request.data)
        given.is_valid(raise_exception=True)
        asking.change_answers(number, acting(request), given.validated_data["answers"])
        return Response(my_ticket_json(number, person_of(request)))


urlpatterns = [
    path("api/portal/tickets/<number:number>/answers", AnswersView.as_view()),
    path("api/portal", HomeView.as_view()),
    path("api/portal/offers", OffersView.as_view()),
    path("api/portal/outages/<number:number>/hit", AffectedView.as_view()),
    path("api/portal/report", ReportView.as_view()),
    path("api/portal/tickets/<number:number>", MyTicketView.as_view()),
    path("api/portal/tickets/<number:number>/write", WriteView.as_view()),
    path("api/portal/tickets/<number:number>/share", ShareView.as_view()),
    path("api/portal/tickets/<number:number>/reopen", ReopenView.as_view()),
    path("api/portal/tickets/<number:number>/cancel", CancelView.as_view()),
]
