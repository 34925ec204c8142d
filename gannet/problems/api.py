"""Problems over the API."""

from typing import Any

from django.urls import path
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.permissions import IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_item, find_service
from gannet.knowledge.models import Article, ArticleKind
from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.problems import causes, decide, linking, reading, shapes, workaround, worth
from gannet.problems.models import KIND, facts_of
from gannet.rulebook.book import current
from gannet.tickets.api.records import ticket_json
from gannet.tickets.drafting import draft_of_known_error
from gannet.tickets.models import Ticket
from gannet.tickets.record import find
from gannet.tickets.shapes.records import DraftedShape
from gannet.tickets.shapes.tickets import TicketShape
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.given import whole_number
from gannet.web.shape import given, now_s
from gannet_core.instants import parse_instant


def _problem(request: Request, number: int) -> Ticket:
    """A problem that whoever asks may know of; another does not exist for them."""
    ticket = find(number, person_of(request))
    if ticket.kind != KIND:
        raise Missing(f"There is no problem {number}.")
    return ticket


class ProblemsView(GannetView):
    """The open problems and the known errors; opening one."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="problems", responses=shapes.ProblemsShape)
    def get(self, request: Request) -> Response:
        return Response(reading.problems_json(person_of(request), current(), now_s()))


class OpenProblemView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="open_problem",
        request=shapes.NewProblemShape,
        responses={201: shapes.OpenedProblemShape},
    )
    def post(self, request: Request) -> Response:
        """Open a problem, of the incidents that are named or of none yet."""
        data = given(shapes.NewProblemShape, request)
        of = f"the pattern of {data['pattern']}" if data["pattern"] else ""
        if not of and data["incidents"]:
            count = len(data["incidents"])
            of = f"incident {data['incidents'][0]}" if count == 1 else f"{count} incidents"
        new = linking.NewProblem(
            title=data["title"],
            text=data["text"],
            service=find_service(data["service"]),
            ci=find_item(data["ci"]),
            category=data["category"],
            incidents=data["incidents"],
            born_of=of,
            is_confidential=data["is_confidential"],
        )
        return Response({"id": linking.open_problem(new, acting(request)).pk}, status=201)


class ProblemIncidentsView(GannetView):
    """The incidents of a problem: those that may belong to it; linking, taking off."""

    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="suggested_incidents", responses=shapes.SuggestedIncidentShape(many=True)
    )
    def get(self, request: Request, number: int) -> Response:
        ticket = _problem(request, number)
        return Response(linking.suggested(ticket, person_of(request), now_s()))

    @extend_schema(
        operation_id="link_incidents", request=shapes.LinkIncidentsShape, responses=TicketShape
    )
    def post(self, request: Request, number: int) -> Response:
        _problem(request, number)
        data = given(shapes.LinkIncidentsShape, request)
        if data["remove"]:
            linking.unlink(number, acting(request), data["remove"])
        if data["add"]:
            linking.link(number, acting(request), data["add"], tells=data["tells"])
        return Response(ticket_json(number, person_of(request)))


class CausesView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="add_cause", request=shapes.NewCauseShape, responses=TicketShape)
    def post(self, request: Request, number: int) -> Response:
        """Write down what may cause it."""
        _problem(request, number)
        data = given(shapes.NewCauseShape, request)
        causes.add_cause(number, acting(request), data["says"], data["parent"])
        return Response(ticket_json(number, person_of(request)))


class CauseView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="change_cause", request=shapes.ChangeCauseShape, responses=TicketShape
    )
    def patch(self, request: Request, number: int, key: str) -> Response:
        """Change what it says, whether it is open, confirmed or ruled out, and its evidence."""
        _problem(request, number)
        data = given(shapes.ChangeCauseShape, request)
        causes.change_cause(number, acting(request), key, data)
        return Response(ticket_json(number, person_of(request)))

    @extend_schema(operation_id="remove_cause", responses={200: TicketShape})
    def delete(self, request: Request, number: int, key: str) -> Response:
        _problem(request, number)
        causes.remove_cause(number, acting(request), key)
        return Response(ticket_json(number, person_of(request)))


class PreviewWorkaroundView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="preview_workaround",
        request=shapes.AskPreviewShape,
        responses=shapes.PreviewedIncidentShape(many=True),
    )
    def post(self, request: Request, number: int) -> Response:
        """What telling the workaround would do with each open incident; nothing is done."""
        ticket = _problem(request, number)
        data = given(shapes.AskPreviewShape, request)
        words = data["words"] or workaround.words_for(current())
        found = workaround.preview(ticket, person_of(request), data["workaround"], words)
        return Response(found)


class WorkaroundView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="tell_workaround",
        request=shapes.TellWorkaroundShape,
        responses=shapes.ToldShape,
    )
    def post(self, request: Request, number: int) -> Response:
        """Write the workaround, and tell it to the requesters of the incidents named."""
        _problem(request, number)
        data = given(shapes.TellWorkaroundShape, request)
        said = workaround.Telling(
            workaround=data["workaround"],
            words=data["words"] or workaround.words_for(current()),
            is_for_portal=data["is_for_portal"],
            is_known=data["is_known"],
            no_cause_why=data["no_cause_why"],
            decided={one["id"]: one["does"] for one in data["incidents"]},
        )
        return Response(workaround.tell(number, acting(request), said))


class UseWorkaroundView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="use_workaround", request=shapes.UseWorkaroundShape, responses=TicketShape
    )
    def post(self, request: Request, number: int) -> Response:
        """Count that the workaround was used on an incident."""
        _problem(request, number)
        data = given(shapes.UseWorkaroundShape, request)
        find(data["ticket"], person_of(request))
        workaround.use(number, data["ticket"], acting(request))
        return Response(ticket_json(data["ticket"], person_of(request)))


class FigureView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="replace_figure", request=shapes.ReplaceFigureShape, responses=TicketShape
    )
    def post(self, request: Request, number: int) -> Response:
        """Let another figure count, with a reason; without one the computed counts again."""
        _problem(request, number)
        data = given(shapes.ReplaceFigureShape, request)
        worth.replace_figure(
            number, acting(request), data["figure"], data["pence"], data["reason"], current()
        )
        return Response(ticket_json(number, person_of(request)))


class FixView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="cost_fix", request=shapes.CostFixShape, responses=TicketShape)
    def put(self, request: Request, number: int) -> Response:
        """Say what the fix is and costs."""
        _problem(request, number)
        data = given(shapes.CostFixShape, request)
        worth.cost_fix(number, acting(request), data["about"], data["pence"])
        return Response(ticket_json(number, person_of(request)))

    @extend_schema(operation_id="decide_to_fix", request=None, responses=TicketShape)
    def post(self, request: Request, number: int) -> Response:
        """Decide to fix it, on the figures of now."""
        _problem(request, number)
        decide.decide_to_fix(number, acting(request))
        return Response(ticket_json(number, person_of(request)))


class LiveWithView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="live_with", request=shapes.LiveWithShape, responses=TicketShape)
    def post(self, request: Request, number: int) -> Response:
        """Live with it until a date that brings it back."""
        _problem(request, number)
        data = given(shapes.LiveWithShape, request)
        try:
            until = parse_instant(data["until"])
        except ValueError as error:
            raise Invalid("Say until when.", fields={"until": "Say until when."}) from error
        decide.live_with(number, acting(request), until, data["why"])
        return Response(ticket_json(number, person_of(request)))


_NEAR = [
    OpenApiParameter("service", int),
    OpenApiParameter("ci", int),
    OpenApiParameter("words", str),
]


def _near(request: Request) -> dict[str, Any]:
    asked = request.query_params
    return {
        "service": whole_number(asked.get("service")),
        "ci": whole_number(asked.get("ci")),
        "words": asked.get("words", "")[:2000],
    }


class OfferedView(GannetView):
    """Workarounds of known errors that may help with an incident."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="offered_workarounds",
        parameters=_NEAR,
        responses=shapes.OfferedWorkaroundShape(many=True),
    )
    def get(self, request: Request) -> Response:
        return Response(workaround.offered(person_of(request), **_near(request)))


class PortalOfferedView(GannetView):
    """Workarounds that are meant for everybody, before something is reported."""

    permission_classes = [IsAuthenticated]

    @extend_schema(
        operation_id="portal_workarounds",
        parameters=_NEAR,
        responses=shapes.OfferedWorkaroundShape(many=True),
    )
    def get(self, request: Request) -> Response:
        found = workaround.offered(person_of(request), **_near(request), for_everybody=True)
        return Response(found)


class PortalHelpedView(GannetView):
    permission_classes = [IsAuthenticated]

    @extend_schema(operation_id="workaround_helped", request=None, responses={204: None})
    def post(self, request: Request, number: int) -> Response:
        """It helped, so nothing is reported; it is counted."""
        workaround.used_on_portal(number, acting(request))
        return Response(status=204)


class ProblemArticleView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="draft_of_known_error", request=None, responses={201: DraftedShape})
    def post(self, request: Request, number: int) -> Response:
        """Draft an article that follows a known error; the one there is, if there is one."""
        ticket = _problem(request, number)
        facts = facts_of(ticket)
        if facts.known_s is None:
            raise Conflict("This is no known error yet: write its workaround first.")
        known = Article.objects.filter(source=ticket, kind=ArticleKind.KNOWN_ERROR).first()
        made = known or draft_of_known_error(ticket, facts.workaround, acting(request))
        return Response({"number": made.pk}, status=201)


urlpatterns = [
    path("api/problems/<number:number>/article", ProblemArticleView.as_view()),
    path("api/problems", ProblemsView.as_view()),
    path("api/problems/open", OpenProblemView.as_view()),
    path("api/problems/<number:number>/incidents", ProblemIncidentsView.as_view()),
    path("api/problems/<number:number>/causes", CausesView.as_view()),
    path("api/problems/<number:number>/causes/<slug:key>", CauseView.as_view()),
    path("api/problems/<number:number>/preview", PreviewWorkaroundView.as_view()),
    path("api/problems/<number:number>/workaround", WorkaroundView.as_view()),
    path("api/problems/<number:number>/used", UseWorkaroundView.as_view()),
    path("api/problems/<number:number>/figures", FigureView.as_view()),
    path("api/problems/<number:number>/fix", FixView.as_view()),
    path("api/problems/<number:number>/live-with", LiveWithView.as_view()),
    path("api/known-errors", OfferedView.as_view()),
    path("api/portal/known-errors", PortalOfferedView.as_view()),
    path("api/portal/known-errors/<number:number>/helped", PortalHelpedView.as_view()),
]
