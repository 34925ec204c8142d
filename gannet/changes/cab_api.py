"""The API of meetings of the change advisory board."""

from typing import Any

from django.http import HttpResponse
from django.urls import path
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, OpenApiResponse, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.changes import cab_shapes as shapes
from gannet.changes import meetings, minutes
from gannet.changes.assessing import assess
from gannet.changes.models import CabMeeting, CabVerdict, facts_of
from gannet.changes.reading import clashes_json, lines_json
from gannet.people.access import acting, person_of
from gannet.people.models import Person, Role
from gannet.people.permissions import DeskReads
from gannet.rulebook.book import Book, current
from gannet.web.base import GannetView
from gannet.web.given import whole_number
from gannet.web.pdf import CONTENT_TYPE
from gannet.web.shape import given, now_s

_MOST_MEETINGS, _MOST_REACHED = 30, 6
_AT = OpenApiParameter("at", int, description="when it begins; the next one if left out")


def meeting_json(one: meetings.Sitting, reader: Person, book: Book, at_s: int) -> dict[str, Any]:
    """A meeting with all that its page shows."""
    kept = one.kept
    people = meetings.members(one)
    absent = meetings.away([each for each, _ in people], one.at_s)
    lines = {line["id"]: line for line in lines_json(one.agenda, book)}
    return {
        "at_s": one.at_s,
        "next_s": meetings.next_at(book, at_s),
        "cutoff_s": one.cutoff_s,
        "minutes": one.minutes,
        "zone": one.zone.key,
        "board": one.board,
        "members": [
            {
                "id": each.pk,
                "name": each.name,
                "why": why,
                "is_present": each.pk in kept.present,
                "is_away": each.pk in absent,
            }
            for each, why in people
        ],
        "notes": kept.notes,
        "version": kept.version,
        "invited": kept.invited,
        "invited_s": kept.invited_s,
        "sent_s": kept.sent_s,
        "sent": kept.minutes,
        "agenda": [_item(ticket, one, lines[ticket.pk], reader, book) for ticket in one.agenda],
        "meetings": [
            {"at_s": row.at_s, "decided": row.verdicts.count(), "sent_s": row.sent_s}
            for row in CabMeeting.objects.order_by("-at_s")[:_MOST_MEETINGS]
        ],
        "can_run": reader.has_role(Role.CHANGE_MANAGER),
        "now_s": at_s,
    }


def _item(
    ticket: Any, one: meetings.Sitting, line: dict[str, Any], reader: Person, book: Book
) -> dict[str, Any]:
    facts = facts_of(ticket)
    found = assess(ticket, book, now_s(), facts)
    record = found.record
    parts = sorted(found.risk.likelihood_parts, key=lambda part: -part.adds)
    verdict = one.verdicts.get(ticket.pk)
    return {
        "change": line,
        "why": facts.why,
        "referred": facts.referred,
        "reasons": [part.name for part in parts if part.adds > 0][:3],
        "clashes": clashes_json(found.clashes, found, reader),
        "record": f"{record.failed} of {record.n} like it failed" if record.n else "none like it",
        "reached": [service.name for service, each, _ in found.affected if each.reach * 2 >= 1][
            :_MOST_REACHED
        ],
        "against": "" if verdict else meetings.why_not(ticket, book, one.board),
        "verdict": _verdict(verdict, one.at_s) if verdict else None,
        "earlier": [_verdict(row, row.meeting.at_s) for row in meetings.earlier(ticket, one.at_s)],
    }


def _verdict(row: CabVerdict, meeting_s: int) -> dict[str, Any]:
    return {
        "verdict": row.verdict,
        "note": row.note,
        "by": row.by.name,
        "at_s": row.at_s,
        "meeting_s": meeting_s,
    }


def _asked(request: Request) -> int:
    """Which meeting is asked for: the next one, where nothing is said."""
    at_s = whole_number(request.query_params.get("at"))
    return meetings.next_at(current(), now_s()) if at_s is None else at_s


def _answer(request: Request, at_s: int) -> Response:
    person, book = person_of(request), current()
    one = meetings.sitting(book, person, at_s)
    return Response(meeting_json(one, person, book, now_s()))


class CabMeetingView(GannetView):
    """A meeting of the CAB, the next one or another."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="cab_meeting", parameters=[_AT], responses=shapes.CabMeetingShape)
    def get(self, request: Request) -> Response:
        return _answer(request, _asked(request))

    @extend_schema(
        operation_id="keep_cab_meeting",
        request=shapes.KeptMeetingShape,
        responses=shapes.CabMeetingShape,
    )
    def put(self, request: Request) -> Response:
        """Keep who is there, and what was said."""
        data = given(shapes.KeptMeetingShape, request)
        meetings.keep(
            acting(request),
            data["at_s"],
            present=data["present"],
            notes=data["notes"],
            seen_version=data["version"],
        )
        return _answer(request, data["at_s"])


class CabDecisionView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="decide_at_cab", request=shapes.DecidedShape, responses=shapes.CabMeetingShape
    )
    def post(self, request: Request) -> Response:
        """What the meeting made of a change: authorised, on condition, rejected or put off."""
        data = given(shapes.DecidedShape, request)
        meetings.decide(
            acting(request), data["at_s"], data["change"], data["verdict"], data["note"]
        )
        return _answer(request, data["at_s"])


class CabInvitationView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="invite_to_cab",
        request=shapes.MeetingAtShape,
        responses=shapes.CabMeetingShape,
    )
    def post(self, request: Request) -> Response:
        """Invite all that are to come, by mail with a calendar entry."""
        data = given(shapes.MeetingAtShape, request)
        minutes.invite(acting(request), data["at_s"])
        return _answer(request, data["at_s"])


class CabMinutesView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="cab_minutes",
        parameters=[_AT],
        responses={(200, CONTENT_TYPE): OpenApiResponse(OpenApiTypes.BINARY)},
    )
    def get(self, request: Request) -> HttpResponse:
        """The minutes as a PDF, as far as they are written."""
        one = meetings.sitting(current(), person_of(request), _asked(request))
        answer = HttpResponse(minutes.pdf(one), content_type=CONTENT_TYPE)
        answer["Content-Disposition"] = f'attachment; filename="cab-{one.when:%Y-%m-%d}.pdf"'
        return answer

    @extend_schema(
        operation_id="send_cab_minutes",
        request=shapes.MeetingAtShape,
        responses=shapes.CabMeetingShape,
    )
    def post(self, request: Request) -> Response:
        """Send the minutes by mail, with the PDF."""
        data = given(shapes.MeetingAtShape, request)
        minutes.send(acting(request), data["at_s"])
        return _answer(request, data["at_s"])


urlpatterns = [
    path("api/changes/cab", CabMeetingView.as_view()),
    path("api/changes/cab/decide", CabDecisionView.as_view()),
    path("api/changes/cab/invite", CabInvitationView.as_view()),
    path("api/changes/cab/minutes", CabMinutesView.as_view()),
]
