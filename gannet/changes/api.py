"""Changes over the API; what moves one from stage to stage are acts of the record."""

from typing import Any

from django.urls import path
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.changes import planning, reading, shapes
from gannet.changes.assessing import assess
from gannet.changes.models import KIND, facts_of
from gannet.changes.weighing_past import weigh_again
from gannet.estate.finding import find_service
from gannet.estate.models import ConfigItem
from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.rulebook.book import current
from gannet.tickets.api.records import ticket_json, with_current
from gannet.tickets.models import Ticket
from gannet.tickets.record import find
from gannet.tickets.shapes.tickets import TicketShape
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing
from gannet.web.given import whole_number
from gannet.web.shape import given, now_s
from gannet_core.errors import WindowError
from gannet_core.instants import parse_instant, seconds_of
from gannet_core.window_words import in_words
from gannet_core.windows import read_window

_DAY = 86_400
_LONGEST_DAYS = 190


def _change(request: Request, number: int) -> Ticket:
    """A change that whoever asks may know of; another does not exist for them."""
    ticket = find(number, person_of(request))
    if ticket.kind != KIND:
        raise Missing(f"There is no change {number}.")
    return ticket


def _instant(said: str, name: str) -> int | None:
    """An instant that may be left out; one that cannot be read is refused at its field."""
    if not said:
        return None
    try:
        return seconds_of(parse_instant(said))
    except ValueError as error:
        raise Invalid(
            "That is no date and time.", fields={name: "Choose a date and a time."}
        ) from error


def _edits(data: Any) -> dict[str, Any]:
    """What is edited, in the names of the facts."""
    found = {
        name: value for name, value in data.items() if name not in ("version", "starts", "ends")
    }
    for name in ("starts", "ends"):
        if name in data:
            found[f"{name}_s"] = _instant(data[name], name)
    return found


class ChangesView(GannetView):
    """What is coming, what the CAB decides, what is under way and to be looked back on."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="changes", responses=shapes.ChangesShape)
    def get(self, request: Request) -> Response:
        return Response(reading.changes_json(person_of(request), current(), now_s()))


_SPAN = [
    OpenApiParameter("from", str, description="an instant; a week from now on if left out"),
    OpenApiParameter("to", str),
]


class ScheduleView(GannetView):
    """Every change that takes time between two instants, with windows and freezes."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="change_schedule", parameters=_SPAN, responses=shapes.ScheduleShape)
    def get(self, request: Request) -> Response:
        asked, at_s = request.query_params, now_s()
        start = _instant(asked.get("from", ""), "from") or at_s - _DAY
        end = _instant(asked.get("to", ""), "to") or start + 8 * _DAY
        if not start < end <= start + _LONGEST_DAYS * _DAY:
            raise Invalid(
                f"A span is from a moment to {_LONGEST_DAYS} days.",
                fields={"to": "Choose another."},
            )
        return Response(reading.schedule_json(person_of(request), current(), start, end, at_s))


class OpenChangeView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="change_templates", responses=shapes.ChangeTemplateShape(many=True))
    def get(self, request: Request) -> Response:
        """The templates that a change can be opened from."""
        return Response(
            [
                {
                    "key": key,
                    "name": one["name"],
                    "title": one.get("title") or "",
                    "is_preauthorised": bool(one.get("is_preauthorised")),
                    "why": one.get("why") or "",
                    "service": one.get("service") or "",
                    "minutes": int(one.get("minutes") or 0),
                    "steps": len(one.get("steps") or ()),
                }
                for key, one in current().change_templates.items()
            ]
        )

    @extend_schema(
        operation_id="open_change",
        request=shapes.NewChangeShape,
        responses={201: shapes.OpenedChangeShape},
    )
    def post(self, request: Request) -> Response:
        """Open a draft: of a template, as a copy, for a problem or an incident, or of nothing."""
        data = given(shapes.NewChangeShape, request)
        known = ConfigItem.objects.select_related("service").in_bulk(data["items"])
        if len(known) < len(set(data["items"])):
            raise Invalid("There is no such item.", fields={"items": "Choose another."})
        new = planning.NewChange(
            title=data["title"],
            why=data["why"],
            template=data["template"],
            service=find_service(data["service"]),
            items=[known[number] for number in dict.fromkeys(data["items"])],
            starts_s=_instant(data["starts"], "starts"),
            ends_s=_instant(data["ends"], "ends"),
            copied=data["copied"],
            problem=data["problem"],
            incident=data["incident"],
            reason=data["reason"],
            is_after_the_fact=data["is_after_the_fact"],
            puts_back=data["puts_back"],
            is_release=data["is_release"],
        )
        return Response({"id": planning.open_change(new, acting(request)).pk}, status=201)


class ChangeView(GannetView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="edit_change", request=shapes.EditChangeShape, responses=TicketShape
    )
    def patch(self, request: Request, number: int) -> Response:
        """Edit its plan; what was authorised and changes is asked again, of those it touches."""
        _change(request, number)
        data = given(shapes.EditChangeShape, request)
        person = person_of(request)
        with_current(
            lambda: planning.edit(number, acting(request), _edits(data), data.get("version")),
            number,
            person,
        )
        return Response(ticket_json(number, person))


class WeighView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="weigh_change",
        request=shapes.EditChangeShape,
        responses=shapes.AssessmentShape,
    )
    def post(self, request: Request, number: int) -> Response:
        """How risky it would be with these edits; nothing is saved."""
        ticket = _change(request, number)
        data = given(shapes.EditChangeShape, request)
        found = planning.typed(ticket, current(), now_s(), _edits(data))
        return Response(reading.assessment_json(found, person_of(request)))


class SlotsView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="change_slots",
        parameters=[OpenApiParameter("minutes", int), *_SPAN],
        responses=shapes.SlotShape(many=True),
    )
    def get(self, request: Request, number: int) -> Response:
        """The first five free spans of its length, each with what stood in the way before it."""
        ticket = _change(request, number)
        asked, at_s, facts = request.query_params, now_s(), facts_of(ticket)
        found = assess(ticket, current(), at_s)
        span = (facts.ends_s - facts.starts_s) // 60 if facts.starts_s and facts.ends_s else 0
        minutes = whole_number(asked.get("minutes")) or span or max(15, _planned(found))
        start = _instant(asked.get("from", ""), "from") or at_s
        end = _instant(asked.get("to", ""), "to") or start + 45 * _DAY
        if not start <= end <= start + 60 * _DAY:
            raise Invalid("Look at most 60 days ahead.", fields={"to": "Choose an earlier one."})
        slots = found.slots(min(minutes, 60 * 24 * 60), start, end)
        return Response(reading.slots_json(slots, found, person_of(request)))


def _planned(found: Any) -> int:
    return sum(step.minutes for step in found.change.steps if step.part != "back out")


class WeighAgainView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="weigh_past_changes",
        request=shapes.WeightsShape,
        responses=shapes.WeighedAgainShape,
    )
    def post(self, request: Request) -> Response:
        """How past changes would rate by other weights, beside those in force; nothing is saved."""
        data = given(shapes.WeightsShape, request)
        return Response(weigh_again(person_of(request), current(), data["changes"]))


class TryWindowView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="try_window",
        request=shapes.TriedWindowShape,
        responses=shapes.WindowWordsShape,
    )
    def post(self, request: Request) -> Response:
        """A window in words, and the next ten times it is open; what is wrong is told."""
        said = given(shapes.TriedWindowShape, request)
        try:
            window = read_window(
                {
                    "zone": said["zone"],
                    "from": said["starts"],
                    "to": said["ends"],
                    "rrule": said["rrule"] or None,
                    "except": said["but_on"],
                }
            )
        except WindowError as error:
            return Response({"says": "", "problem": str(error), "following": []})
        following = [{"start_s": a, "end_s": b} for a, b in window.following(now_s())]
        return Response({"says": in_words(window), "problem": "", "following": following})


urlpatterns = [
    path("api/changes", ChangesView.as_view()),
    path("api/changes/open", OpenChangeView.as_view()),
    path("api/changes/windows", TryWindowView.as_view()),
    path("api/changes/weigh", WeighAgainView.as_view()),
    path("api/changes/schedule", ScheduleView.as_view()),
    path("api/changes/<number:number>", ChangeView.as_view()),
    path("api/changes/<number:number>/weigh", WeighView.as_view()),
    path("api/changes/<number:number>/slots", SlotsView.as_view()),
]
