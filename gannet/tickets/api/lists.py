"""Lists of tickets, and the choices that filters and forms offer."""

import json
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.models import ConfigItem, Service
from gannet.people.models import Person
from gannet.rulebook.book import current
from gannet.tickets import forms, policies, queries
from gannet.tickets.actions import NewTicket, log_ticket
from gannet.tickets.api import shapes
from gannet.tickets.fields import Field, about_fields, registry
from gannet.tickets.models import Channel, Ticket
from gannet.tickets.orm_conditions import stored_values
from gannet.web.base import GannetView, acting, person_of
from gannet.web.errors import Invalid
from gannet.web.permissions import DeskReads, DeskWorks
from gannet_core.conditions import describe, fold
from gannet_core.instants import seconds_of

_MAX_FILTER = 20_000
_FILTER = OpenApiParameter("filter", str, description="A condition as JSON.")


def read_filter(request: Request) -> dict[str, Any] | None:
    text = request.query_params.get("filter", "")
    if not text:
        return None
    if len(text) > _MAX_FILTER:
        raise Invalid("This filter is too long.", fields={"filter": "Too long."})
    try:
        tree = json.loads(text)
    except ValueError as error:
        raise Invalid(f"This filter is no JSON: {error}", fields={"filter": "No JSON."}) from error
    if not isinstance(tree, dict):
        raise Invalid("A filter is an object.", fields={"filter": "No object."})
    return tree


class LookoutView(GannetView):
    """What needs me: mine, and what nobody of my teams holds."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="lookout", responses=shapes.LookoutShape)
    def get(self, request: Request) -> Response:
        found = queries.lookout(person_of(request))
        return Response({**found, "now_s": seconds_of(timezone.now())})


class TicketsView(GannetView):
    """All tickets that a person may see, filtered and sorted, fifty at a time."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="tickets",
        parameters=[
            _FILTER,
            OpenApiParameter("sort", str, enum=list(queries.SORTS)),
            OpenApiParameter("descending", bool),
            OpenApiParameter("cursor", str),
        ],
        responses=shapes.PageShape,
    )
    def get(self, request: Request) -> Response:
        now = timezone.now()
        tree = read_filter(request)
        found = queries.filtered(person_of(request), tree, now)
        page = queries.page(
            found,
            request.query_params.get("sort", "due"),
            descending=request.query_params.get("descending") == "true",
            cursor=request.query_params.get("cursor", ""),
        )
        return Response(
            {
                "rows": page.rows,
                "next_cursor": page.next_cursor,
                "now_s": seconds_of(now),
                "sentence": describe(tree, about_fields()) if tree else "Everything",
            }
        )

    @extend_schema(
        operation_id="log_ticket", request=shapes.LogShape, responses={201: shapes.LoggedShape}
    )
    def post(self, request: Request) -> Response:
        """Log a ticket for somebody (the desk, while on the phone)."""
        if not person_of(request).is_on_desk:
            raise_refused()
        given = shapes.LogShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = given.validated_data
        requester = Person.objects.filter(pk=data["requester"], is_active=True).first()
        if requester is None:
            raise Invalid("Choose who is calling.", fields={"requester": "Nobody we know."})
        service = find_service(data["service"])
        new = NewTicket(
            requester=requester,
            title=data["title"],
            text=data["text"],
            channel=Channel.PHONE,
            service=service,
            values=accepted(data, "agent", data["title"], service, requester),
            template=data["template"],
            category=data["category"],
            ci=find_item(data["ci"]),
            place=data["place"],
            answers=data["answers"],
            is_confidential=data["is_confidential"],
            attachments=data["attachments"],
        )
        return Response(logged_json(log_ticket(new, acting(request))), status=201)


def accepted(
    data: Any, audience: str, title: str, service: Service | None, requester: Person
) -> dict[str, Any]:
    """The custom values of a filled-in form, checked against the form that applies."""
    answers = {
        "title": title,
        "text": data["text"],
        "service": service.name if service else None,
        "place": data["place"] or requester.place,
        **data["answers"],
        **data["values"],
    }
    category = data.get("category") or (service.category if service else "")
    template = data.get("template", "")
    return forms.accept(current(), audience, answers, category=category, template=template)


def raise_refused() -> None:
    from gannet.web.errors import Refused

    raise Refused("Only the desk logs tickets for others.")


def find_service(key: int | None) -> Service | None:
    if key is None:
        return None
    found = Service.objects.select_related("team").filter(pk=key).first()
    if found is None:
        raise Invalid("There is no such service.", fields={"service": "Choose one."})
    return found


def find_item(key: int | None) -> ConfigItem | None:
    if key is None:
        return None
    found = ConfigItem.objects.filter(pk=key).first()
    if found is None:
        raise Invalid("There is no such item.", fields={"ci": "Choose one."})
    return found


def logged_json(ticket: Ticket) -> dict[str, Any]:
    clocks = {clock.kind: clock.due_s for clock in ticket.clocks.filter(holder="")}
    return {
        "id": ticket.pk,
        "kind": ticket.kind,
        "priority": ticket.priority,
        "service": ticket.service.name if ticket.service else "",
        "team": ticket.team.name,
        "holder": Person.objects.get(pk=ticket.holder_id).name if ticket.holder_id else "",
        "answer_due_s": clocks.get("answer"),
        "fix_due_s": clocks.get("fix"),
    }


class FiguresView(GannetView):
    """The figures above a list, and on demand how many it has."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="figures",
        parameters=[_FILTER, OpenApiParameter("total", bool)],
        responses=shapes.FiguresShape,
    )
    def get(self, request: Request) -> Response:
        now = timezone.now()
        found = queries.filtered(person_of(request), read_filter(request), now)
        shown = queries.figures(found.filter(is_open=1), seconds_of(now))
        if request.query_params.get("total") == "true":
            shown["total"] = found.count()
        return Response(shown)


OPERATORS = {
    "text": ["contains", "starts with", "is", "is empty", "is filled"],
    "choice": ["is one of", "is none of", "is empty", "is filled"],
    "person": ["is me", "is one of", "is none of", "contains", "is empty", "is filled"],
    "team": ["is my team", "is one of", "is none of"],
    "number": ["is", "<", "<=", ">", ">=", "between"],
    "yes/no": ["is"],
    "several choices": ["is one of", "is none of", "contains", "is empty", "is filled"],
    "date": ["is", "<", "<=", ">", ">=", "between", "is empty", "is filled"],
    "instant": ["in the last", "in the next", "before", "after", "is empty", "is filled"],
}


class FieldsView(GannetView):
    """The fields that a filter can ask about."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="fields", responses=shapes.FieldShape(many=True))
    def get(self, request: Request) -> Response:
        return Response([_field_json(field) for field in registry().values() if field.is_listed])


def _field_json(field: Field) -> dict[str, Any]:
    choices = list(field.choices) if field.choices else sorted({*stored_values(field)} - {""})
    return {
        "name": field.name,
        "type": field.type,
        "label": field.label,
        "operators": OPERATORS[field.type],
        "settable": field.is_settable,
        "choices": choices if field.name != "ci" else choices[:200],
    }


class FindView(GannetView):
    """Tickets by number or words, for the command bar."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="find",
        parameters=[OpenApiParameter("q", str, required=True)],
        responses=shapes.FoundShape,
    )
    def get(self, request: Request) -> Response:
        words = fold(request.query_params.get("q", "")[:120]).split()
        visible = policies.visible_to(person_of(request))
        number = next((word for word in words if word.isdigit() and len(word) < 10), None)
        rows: list[Any] = []
        if number:
            rows += visible.filter(pk=int(number)).values(*queries.ROW_FIELDS)
        if words and not number:
            found = visible
            for word in words[:6]:
                found = found.filter(title_folded__contains=word)
            rows += found.order_by("-is_open", "-opened_s").values(*queries.ROW_FIELDS)[:8]
        return Response({"tickets": [queries.row_json(row) for row in rows]})


class CalendarsView(GannetView):
    """The open spans of every calendar around now, to shade closed hours."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="calendars", responses=shapes.CalendarSpansShape(many=True))
    def get(self, request: Request) -> Response:
        book, now_s = current(), seconds_of(timezone.now())
        day = 86_400
        return Response(
            [
                {
                    "key": key,
                    "name": book.calendar_name(key),
                    "spans": [
                        list(span)
                        for span in book.calendar(key).open_spans_s(now_s - day, now_s + 14 * day)
                    ],
                }
                for key in book.calendar_keys
            ]
        )
