"""Lists of tickets, and the choices that filters and forms offer."""

from collections.abc import Mapping
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.audit.models import Event
from gannet.estate.finding import find_item, find_service
from gannet.estate.models import Service
from gannet.knowledge.search import find_articles, readable
from gannet.people.access import acting, person_of
from gannet.people.models import Person, Team
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.rulebook.book import current
from gannet.tickets import forms, listing, policies, queries, search, team_lookout
from gannet.tickets.actions import NewTicket, log_ticket
from gannet.tickets.actions.log import given_people
from gannet.tickets.field import Field
from gannet.tickets.field_words import said_of, synonyms_of
from gannet.tickets.kinds import kinds, usual
from gannet.tickets.known import files_in
from gannet.tickets.list_fields import about_list_fields, list_registry
from gannet.tickets.listed import listed
from gannet.tickets.models import OPEN_LIMIT, Channel, Ticket
from gannet.tickets.shapes import lists as list_shapes
from gannet.tickets.shapes import tickets as shapes
from gannet.tickets.stored import stored_values
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing, Problem
from gannet.web.given import read_json, whole_number, whole_numbers
from gannet_core.conditions import fold, leaves
from gannet_core.excerpts import excerpt
from gannet_core.instants import seconds_of
from gannet_core.sentences import describe

_MAX_FILTER = 20_000
_MOST_EXCERPTS = 60
_MOST_TOUCHED = 200
_SORT = OpenApiParameter("sort", str, description="Field names; a minus turns one round.")
_COLUMNS = OpenApiParameter("columns", str, description="Names of fields, with commas.")
_FILTER = OpenApiParameter("filter", str, description="A condition as JSON.")


def read_filter(request: Request) -> dict[str, Any] | None:
    text = request.query_params.get("filter", "")
    if not text:
        return None
    if len(text) > _MAX_FILTER:
        raise Invalid("This filter is too long.", fields={"filter": "Too long."})
    try:
        tree = read_json(text)
    except Problem as error:
        raise Invalid(error.detail, fields={"filter": error.detail}) from error
    if not isinstance(tree, dict):
        raise Invalid("A filter is an object.", fields={"filter": "No object."})
    return tree


def words_in(tree: Mapping[str, Any] | None) -> list[str]:
    """The words that a filter searches for."""
    asked = leaves(tree or {"all": []})
    return [leaf["value"] for leaf in asked if leaf["op"] == "has words"]


class LookoutView(GannetView):
    """What needs me: mine, and what nobody of my teams holds."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="lookout", responses=list_shapes.LookoutShape)
    def get(self, request: Request) -> Response:
        person = person_of(request)
        now_s = seconds_of(timezone.now())
        found = queries.lookout(person, now_s)
        led = team_lookout.led_by(person)
        teams = [
            {"id": team.pk, "name": team.name, "is_led": team.pk in led}
            for team in team_lookout.teams_read_by(person)
        ]
        return Response({**found, "teams": teams, "now_s": now_s})


class TeamLookoutView(GannetView):
    """A team's Lookout: load, who is on, what will be late, what is nobody's."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="team_lookout", responses=list_shapes.TeamLookoutShape)
    def get(self, request: Request, team: int) -> Response:
        now_s = seconds_of(timezone.now())
        return Response(team_lookout.team_lookout(person_of(request), team, now_s))


class TeamPeopleView(GannetView):
    """Who of a team is on, and how much each has: for giving and handing over."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="team_people", responses=list_shapes.LoadShape(many=True))
    def get(self, request: Request, team: int) -> Response:
        found = Team.objects.filter(pk=team, is_board=False).first()
        if found is None:
            raise Missing("There is no such team.")
        return Response(team_lookout.people_of(found, seconds_of(timezone.now())))


class TicketsView(GannetView):
    """All tickets that a person may see, filtered and sorted, fifty at a time."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="tickets",
        parameters=[
            _FILTER,
            _SORT,
            _COLUMNS,
            OpenApiParameter("cursor", str),
        ],
        responses=list_shapes.PageShape,
    )
    def get(self, request: Request) -> Response:
        now = timezone.now()
        tree = read_filter(request)
        page = listing.page(
            listed(person_of(request), tree, now),
            request.query_params.get("sort", ""),
            listing.columns_of(request.query_params.get("columns", "")),
            cursor=request.query_params.get("cursor", ""),
        )
        return Response(
            {
                "rows": page.rows,
                "next_cursor": page.next_cursor,
                "now_s": seconds_of(now),
                "sentence": describe(tree, about_list_fields()) if tree else "Everything",
                "is_capped": any(search.is_capped(words) for words in words_in(tree)),
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
        kind = _logged_kind(data["kind"])
        new = NewTicket(
            kind=kind,
            requester=requester,
            title=data["title"],
            text=data["text"],
            channel=Channel.PHONE if request.auth is None else Channel.API,
            service=service,
            values=accepted(data, "agent", data["title"], service, requester, kind),
            template=template_for(data, service, kind),
            category=data["category"],
            ci=find_item(data["ci"]),
            place=data["place"],
            answers=data["answers"],
            is_confidential=data["is_confidential"],
            parent=_parent(data["parent"], person_of(request)),
            **given_people(data["team"], data["person"]),
            attachments=[*data["attachments"], *files_in(data["values"], current().fields)],
        )
        return Response(logged_json(log_ticket(new, acting(request))), status=201)


def accepted(
    data: Any,
    audience: str,
    title: str,
    service: Service | None,
    requester: Person,
    kind: str = "",
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
    template = template_for(data, service, kind)
    return forms.accept(
        current(), audience, answers, kind=kind, category=category, template=template
    )


def template_for(data: Any, service: Service | None, kind: str = "") -> str:
    """The template that was chosen, else the one of the category."""
    category = data.get("category") or (service.category if service else "")
    return str(data.get("template") or forms.template_of(current(), kind, category))


def _parent(number: int | None, person: Person) -> Ticket | None:
    """The open ticket that a new one is a part of."""
    if number is None:
        return None
    found = policies.visible_to(person).filter(pk=number).first()
    if found is None:
        raise Invalid(f"There is no ticket {number}.", fields={"parent": "Choose another."})
    if not found.is_open:
        raise Invalid(f"{number} is not open any more.", fields={"parent": "Reopen it first."})
    return found


def _logged_kind(key: str) -> str:
    """A kind of record that the desk logs by hand."""
    kind = kinds().get(key or usual().key)
    if kind is None or not kind.is_logged_by_hand:
        raise Invalid("No such record is logged by hand.", fields={"kind": "Choose another."})
    return kind.key


def raise_refused() -> None:
    from gannet.web.errors import Refused

    raise Refused("Only the desk logs tickets for others.")


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
        "fix_due_s": None if ticket.is_undecided else clocks.get("fix"),
    }


class FiguresView(GannetView):
    """The figures above a list, and on demand how many it has."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="figures",
        parameters=[_FILTER, OpenApiParameter("total", bool)],
        responses=list_shapes.FiguresShape,
    )
    def get(self, request: Request) -> Response:
        now = timezone.now()
        found = listed(person_of(request), read_filter(request), now)
        shown = queries.figures(found, seconds_of(now))
        if request.query_params.get("total") == "true":
            shown["total"] = queries.total(found)
        return Response(shown)


_EMPTY = ["is empty", "is filled"]
OPERATORS = {
    "words": ["has words"],
    "text": ["contains", "starts with", "is", "is not", "is one of", "is none of", *_EMPTY],
    "choice": ["is one of", "is none of", "is", "is not", *_EMPTY],
    "person": ["is me", "is one of", "is none of", "is", "is not", "contains", *_EMPTY],
    "team": ["is my team", "is one of", "is none of", "is", "is not", *_EMPTY],
    "number": ["is", "is not", "<", "<=", ">", ">=", "between", "is one of", "is none of", *_EMPTY],
    "yes/no": ["is", "is not"],
    "several choices": ["is one of", "is none of", "is", "is not", "contains", *_EMPTY],
    "date": ["is", "is not", "<", "<=", ">", ">=", "between", *_EMPTY],
    "instant": ["in the last", "in the next", "before", "after", "between", *_EMPTY],
}


class FieldsView(GannetView):
    """The fields that a filter can ask about."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="fields", responses=list_shapes.FieldShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(
            [field_json(field) for field in list_registry().values() if field.is_listed]
        )


def field_json(field: Field) -> dict[str, Any]:
    """A field as a filter asks about it."""
    choices = list(field.choices) if field.choices else sorted({*stored_values(field)} - {""})
    return {
        "name": field.name,
        "type": field.type,
        "label": field.label,
        "operators": OPERATORS[field.type],
        "said": said_of(field.name),
        "synonyms": synonyms_of(field.name),
        "settable": field.is_settable,
        "is_own": field.is_custom,
        "choices": choices if field.name != "ci" else choices[:200],
        "sortable": listing.is_sortable(field),
        "groupable": listing.is_sortable(field) and not field.is_instant and field.name != "number",
        "columnable": field.type != "words" and field.groups is None,
    }


class TouchedView(GannetView):
    """Some tickets as a list shows them now, and whether they still belong to it."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="touched",
        parameters=[_FILTER, _COLUMNS, OpenApiParameter("ids", str, required=True)],
        responses=list_shapes.TouchedShape,
    )
    def get(self, request: Request) -> Response:
        person, now = person_of(request), timezone.now()
        ids = whole_numbers(request.query_params.get("ids", ""), _MOST_TOUCHED + 1)
        if len(ids) > _MOST_TOUCHED:
            raise Invalid(f"At most {_MOST_TOUCHED} tickets at once.")
        columns = listing.columns_of(request.query_params.get("columns", ""))
        asked = listed(person, read_filter(request), now)
        fits = asked.found.filter(pk__in=ids)
        return Response(
            {
                "rows": listing.of_numbers(asked, ids, columns),
                "fits": list(fits.values_list("pk", flat=True)),
                "now_s": seconds_of(now),
            }
        )


class GroupsView(GannetView):
    """How many tickets of a list each value of a field has."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="groups",
        parameters=[_FILTER, OpenApiParameter("by", str, required=True)],
        responses=list_shapes.GroupShape(many=True),
    )
    def get(self, request: Request) -> Response:
        found = listed(person_of(request), read_filter(request), timezone.now())
        return Response(listing.groups(found, request.query_params.get("by", "")))


class ExcerptsView(GannetView):
    """Why tickets were found: where in them the words that were sought stand."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="excerpts",
        parameters=[
            OpenApiParameter("ids", str, required=True, description="Numbers, with commas."),
            OpenApiParameter("q", str, required=True),
        ],
        responses=shapes.ExcerptShape(many=True),
    )
    def get(self, request: Request) -> Response:
        words = request.query_params.get("q", "")[:200]
        given = request.query_params.get("ids", "").split(",")[:_MOST_EXCERPTS]
        numbers = [number for text in given if (number := whole_number(text)) is not None]
        visible = policies.visible_to(person_of(request)).filter(pk__in=numbers)
        titles = dict(visible.values_list("pk", "title"))
        said: dict[int, list[str]] = {number: [] for number in titles}
        texts = Event.objects.filter(ticket_id__in=list(titles)).exclude(text="").order_by("-id")
        for number, text in texts.values_list("ticket_id", "text"):
            said[number].append(text)
        found = {number: excerpt(texts, words) for number, texts in said.items()}
        return Response(
            [
                {"id": number, "pieces": [{"text": text, "is_hit": hit} for text, hit in pieces]}
                for number, pieces in found.items()
                if pieces
            ]
        )


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
        numbers = (whole_number(word) for word in words)
        number = next((found for found in numbers if found is not None), None)
        rows: list[Any] = []
        if number is not None:
            rows += visible.filter(pk=number).values(*queries.ROW_FIELDS)
        if words and number is None:
            best = [found for found, _ in search.ranked(" ".join(words[:8]), 60)]
            known = {
                row["id"]: row for row in visible.filter(pk__in=best).values(*queries.ROW_FIELDS)
            }
            rows += sorted(
                (known[found] for found in best if found in known),
                key=lambda row: row["state"] > OPEN_LIMIT,  # stable: the best of each stay first
            )[:8]
        asks = " ".join(words[:8]) if number is None else ""
        now_s = seconds_of(timezone.now())
        articles = find_articles(asks, 5, person_of(request), now_s) if asks else []
        if number is not None:
            articles = list(readable(person_of(request)).filter(pk=number))
        return Response(
            {
                "tickets": [queries.row_json(row) for row in rows],
                "articles": [
                    {
                        "id": article.pk,
                        "title": article.title,
                        "state": article.state,
                        "for_everybody": article.for_everybody > 0,
                    }
                    for article in articles
                ],
            }
        )


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
