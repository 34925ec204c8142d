"""Major incidents and their rooms over the API; each answer only what its reader may read."""

from typing import Any

from django.http import HttpResponse
from django.urls import path
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, OpenApiResponse, extend_schema
from rest_framework.permissions import IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.estate.finding import find_item, find_service
from gannet.majors import (
    chat,
    declaring,
    gathering,
    impact,
    keeping,
    outside,
    paper,
    reading,
    reviewing,
    rooms,
    shapes,
    timeline,
    updates,
)
from gannet.majors.models import ChatLine, MajorFacts, RoomFile
from gannet.majors.plans import plan_for, plan_json, plans
from gannet.majors.standing import may_declare
from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads, DeskWorks, MailRoomReads
from gannet.rulebook.book import current
from gannet.tickets.record import find
from gannet.tickets.shapes.records import DraftedShape
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Invalid, Missing
from gannet.web.given import whole_number
from gannet.web.parsers import FormReader
from gannet.web.pdf import CONTENT_TYPE
from gannet.web.shape import given, now_s

_PDF = {(200, CONTENT_TYPE): OpenApiResponse(OpenApiTypes.BINARY)}


class RoomView(GannetView):
    """Who may enter a room, its members decide; see `rooms.room_of`."""

    permission_classes = [IsAuthenticated]

    def room(self, request: Request, number: int) -> MajorFacts:
        return rooms.room_of(number, person_of(request))

    def answer(self, request: Request, number: int) -> Response:
        return Response(reading.room_json(self.room(request, number), person_of(request), now_s()))


class MajorsView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="majors", responses=shapes.MajorListedShape(many=True))
    def get(self, request: Request) -> Response:
        """The major incidents, running ones first."""
        return Response(reading.rooms_json(person_of(request), now_s()))

    @extend_schema(
        operation_id="declare_major",
        request=shapes.DeclareShape,
        responses={201: shapes.DeclaredShape},
    )
    def post(self, request: Request) -> Response:
        """Declare a major incident, of an incident or by itself."""
        data, who = given(shapes.DeclareShape, request), acting(request)
        if data["incident"] is not None:
            ticket = declaring.declare_from(data["incident"], who, data)
        else:
            new = declaring.NewMajor(
                title=data["title"],
                text=data["text"],
                plan=data["plan"],
                service=find_service(data["service"]),
                ci=find_item(data["ci"]),
                is_drill=data["is_drill"],
                began_at=data["began_at"],
            )
            ticket = declaring.declare(who, new)
        facts = MajorFacts.objects.get(ticket=ticket)
        impact.keep_affected(facts)
        return Response({"id": ticket.pk, "call_sign": facts.call_sign}, status=201)


class MajorPlansView(GannetView):
    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="major_plans",
        parameters=[OpenApiParameter("incident", int)],
        responses=shapes.MajorPlansShape,
    )
    def get(self, request: Request) -> Response:
        """The plans, and which of them fits an incident."""
        book, person = current(), person_of(request)
        number = whole_number(request.query_params.get("incident"))
        ticket = find(number, person) if number else None
        words = declaring.not_declared(ticket, person) if ticket is not None else ""
        if not may_declare(person):
            words = declaring.NOT_YOURS
        return Response(
            {
                "plans": [plan_json(one) for one in plans(book)],
                "fits": str(plan_for(book, ticket)["key"]),
                "why_not": words,
            }
        )


class OneRoomView(RoomView):
    @extend_schema(operation_id="room", responses=shapes.RoomShape)
    def get(self, request: Request, number: int) -> Response:
        return self.answer(request, number)


class RolesView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="give_role", request=shapes.GiveRoleShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        """Take a role, or give it to somebody."""
        self.room(request, number)
        data = given(shapes.GiveRoleShape, request)
        person = None
        if data["person"] is not None:
            person = Person.objects.filter(pk=data["person"], is_active=True).first()
            if person is None:
                raise Invalid("There is no such person.", fields={"person": "Choose one."})
        rooms.take_role(number, acting(request), data["role"], person)
        return self.answer(request, number)


class LeaveRoleView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="leave_role", request=shapes.LeaveRoleShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        rooms.give_up_role(number, acting(request), given(shapes.LeaveRoleShape, request)["role"])
        return self.answer(request, number)


class ChannelsView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="open_channel", request=shapes.OpenChannelShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        """A further channel, on the spot."""
        self.room(request, number)
        data = given(shapes.OpenChannelShape, request)
        rooms.open_channel(
            number,
            acting(request),
            data["name"],
            is_closed=data["is_closed"],
            people=data["people"],
            teams=data["teams"],
        )
        return self.answer(request, number)


class MembersView(RoomView):
    @extend_schema(
        operation_id="ask_into_channel", request=shapes.AskInShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int, channel: int) -> Response:
        self.room(request, number)
        rooms.ask_in(number, acting(request), channel, given(shapes.AskInShape, request)["people"])
        return self.answer(request, number)


class MemberView(RoomView):
    @extend_schema(operation_id="show_out_of_channel", responses={204: None})
    def delete(self, request: Request, number: int, channel: int, person: int) -> Response:
        """Show somebody out of a channel; whoever goes themselves may then not see the room."""
        self.room(request, number)
        rooms.show_out(number, acting(request), channel, person)
        return Response(status=204)


class MessagesView(RoomView):
    @extend_schema(
        operation_id="room_messages",
        parameters=[OpenApiParameter("before", int), OpenApiParameter("words", str)],
        responses=shapes.RoomMessagesShape,
    )
    def get(self, request: Request, number: int, channel: int) -> Response:
        row = rooms.channel_of(self.room(request, number), person_of(request), channel)
        asked = request.query_params
        before = whole_number(asked.get("before"))
        return Response(
            reading.messages_json(row, before=before, words=asked.get("words", "")[:200])
        )

    @extend_schema(
        operation_id="say_in_room",
        request=shapes.SayInRoomShape,
        responses={201: shapes.RoomMessageShape},
    )
    def post(self, request: Request, number: int, channel: int) -> Response:
        """Say something; with `is_entry` it is in the timeline as well."""
        self.room(request, number)
        data = given(shapes.SayInRoomShape, request)
        row = rooms.say(number, acting(request), channel, data["text"])
        if data["is_entry"]:
            timeline.write_entry(number, acting(request), "", message=row.pk)
        return Response(reading.message_json(row), status=201)


class RoomReadView(RoomView):
    @extend_schema(operation_id="read_channel", request=shapes.RoomReadShape, responses={204: None})
    def post(self, request: Request, number: int, channel: int) -> Response:
        """Somebody has read so far, and is here."""
        row = rooms.channel_of(self.room(request, number), person_of(request), channel)
        said = given(shapes.RoomReadShape, request)["message"]
        rooms.read_until(row, person_of(request), said, now_s())
        return Response(status=204)


class MessageLabelView(RoomView):
    @extend_schema(
        operation_id="label_message",
        request=shapes.RoomLabelShape,
        responses=shapes.RoomMessageShape,
    )
    def put(self, request: Request, number: int, message: int) -> Response:
        self.room(request, number)
        label = given(shapes.RoomLabelShape, request)["label"]
        row = rooms.label_message(number, acting(request), message, label)
        return Response(reading.message_json(row))


class TimelineView(RoomView):
    @extend_schema(
        operation_id="room_timeline",
        parameters=[OpenApiParameter("label", str), OpenApiParameter("words", str)],
        responses=shapes.RoomEntryShape(many=True),
    )
    def get(self, request: Request, number: int) -> Response:
        """What happened, the newest first."""
        asked = request.query_params
        found = timeline.timeline(
            self.room(request, number),
            person_of(request),
            label=asked.get("label", "")[:20],
            words=asked.get("words", "")[:200],
        )
        return Response(found)

    @extend_schema(
        operation_id="write_entry",
        request=shapes.WriteEntryShape,
        responses={201: shapes.RoomEntryShape(many=True)},
    )
    def post(self, request: Request, number: int) -> Response:
        """Write what happened, or lift a message or a file."""
        facts = self.room(request, number)
        data = given(shapes.WriteEntryShape, request)
        timeline.write_entry(
            number,
            acting(request),
            data["text"],
            at=data["at"],
            label=data["label"],
            message=data["message"],
            file=data["file"],
            is_for_all=data["is_for_all"],
        )
        return Response(timeline.timeline(facts, person_of(request)), status=201)


class EntryView(RoomView):
    @extend_schema(
        operation_id="change_entry",
        request=shapes.ChangeEntryShape,
        responses=shapes.RoomEntryShape(many=True),
    )
    def patch(self, request: Request, number: int, entry: int) -> Response:
        facts = self.room(request, number)
        data = given(shapes.ChangeEntryShape, request)
        timeline.change_entry(number, acting(request), entry, data)
        return Response(timeline.timeline(facts, person_of(request)))

    @extend_schema(operation_id="remove_entry", responses={200: shapes.RoomEntryShape(many=True)})
    def delete(self, request: Request, number: int, entry: int) -> Response:
        facts = self.room(request, number)
        timeline.change_entry(number, acting(request), entry, None)
        return Response(timeline.timeline(facts, person_of(request)))


class FindInRoomView(RoomView):
    @extend_schema(
        operation_id="find_in_room",
        parameters=[
            OpenApiParameter(name, str) for name in ("words", "kind", "channel", "label", "person")
        ]
        + [OpenApiParameter("from_s", int), OpenApiParameter("to_s", int)],
        responses=shapes.FoundInRoomShape(many=True),
    )
    def get(self, request: Request, number: int) -> Response:
        """Messages, files, entries and events that fit, as far as they may be read."""
        asked = request.query_params
        found = reading.found_json(
            self.room(request, number),
            person_of(request),
            words=asked.get("words", "")[:200],
            kind=asked.get("kind", "")[:20],
            channel=asked.get("channel", "")[:40],
            label=asked.get("label", "")[:20],
            person=asked.get("person", "")[:120],
            from_s=whole_number(asked.get("from_s")),
            to_s=whole_number(asked.get("to_s")),
        )
        return Response(found)


class RoomFilesView(RoomView):
    parser_classes = [FormReader]

    @extend_schema(
        operation_id="keep_in_room",
        request={
            "multipart/form-data": {
                "type": "object",
                "properties": {
                    "file": {"type": "string", "format": "binary"},
                    "folder": {"type": "string"},
                },
                "required": ["file"],
            }
        },
        responses={201: shapes.RoomFileShape},
    )
    def post(self, request: Request, number: int, channel: int) -> Response:
        """Keep a file in a channel; it is said there."""
        self.room(request, number)
        upload: Any = request.FILES.get("file")
        if upload is None:
            raise Invalid("Choose a file.", fields={"file": "No file came."})
        data: Any = request.data
        folder = str(data.get("folder") or "")
        row = keeping.keep(number, acting(request), channel, upload, folder=folder)
        rooms.say(number, acting(request), channel, "", row)
        return Response(keeping.file_json(row), status=201)


class BringView(RoomView):
    @extend_schema(operation_id="bringable_files", responses=shapes.BringableShape(many=True))
    def get(self, request: Request, number: int, channel: int) -> Response:
        """The files of its incidents that may be brought into a channel."""
        facts = self.room(request, number)
        rooms.channel_of(facts, person_of(request), channel)
        return Response(
            [
                {"id": str(one.pk), "name": one.name, "size": one.size, "incident": one.ticket_id}
                for one in keeping.bringable(facts, person_of(request))
            ]
        )

    @extend_schema(
        operation_id="bring_file",
        request=shapes.BringShape,
        responses={201: shapes.RoomFileShape},
    )
    def post(self, request: Request, number: int, channel: int) -> Response:
        """Bring a file of an incident into a channel; it says where it came from."""
        self.room(request, number)
        file = given(shapes.BringShape, request)["file"]
        row = keeping.bring(number, acting(request), channel, str(file))
        rooms.say(number, acting(request), channel, "", row)
        return Response(keeping.file_json(row), status=201)


class RoomFileView(RoomView):
    @extend_schema(operation_id="room_file", responses={(200, "*/*"): OpenApiTypes.BINARY})
    def get(self, request: Request, number: int, file: int) -> Any:
        """A file as a download, which no browser shows or runs."""
        row: RoomFile = keeping.file_of(self.room(request, number), person_of(request), file)
        return keeping.as_download(row)


class DraftUpdateView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="draft_update", responses=shapes.UpdateDraftShape)
    def get(self, request: Request, number: int, audience: int) -> Response:
        """The next update to an audience, drafted from the timeline since its last one."""
        facts = self.room(request, number)
        hearers = facts.audiences.filter(pk=audience).first()
        if hearers is None:
            raise Missing("There is no such audience.")
        return Response(updates.draft(facts, hearers, person_of(request), now_s()))


class UpdatesView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="send_update",
        request=shapes.WriteUpdateShape,
        responses={201: shapes.RoomShape},
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        data = given(shapes.WriteUpdateShape, request)
        updates.send(
            number, acting(request), data["audience"], data["title"], data["text"], at=data["at"]
        )
        answer = self.answer(request, number)
        answer.status_code = 201
        return answer


class OneUpdateView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="withdraw_update", responses={200: shapes.RoomShape})
    def delete(self, request: Request, number: int, update: int) -> Response:
        self.room(request, number)
        updates.take_back(number, acting(request), update)
        return self.answer(request, number)


class AudiencesView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="add_audience",
        request=shapes.WriteHearersShape,
        responses={201: shapes.RoomShape},
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        updates.change_hearers(
            number, acting(request), given(shapes.WriteHearersShape, request), None
        )
        answer = self.answer(request, number)
        answer.status_code = 201
        return answer


class AudienceView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="change_audience",
        request=shapes.WriteHearersShape,
        responses=shapes.RoomShape,
    )
    def patch(self, request: Request, number: int, audience: int) -> Response:
        self.room(request, number)
        updates.change_hearers(
            number, acting(request), given(shapes.WriteHearersShape, request), audience
        )
        return self.answer(request, number)


class CorrectView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="correct_figure", request=shapes.CorrectShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        """Another figure than the derived one, with a reason; null: the derived one counts."""
        facts = self.room(request, number)
        data = given(shapes.CorrectShape, request)
        impact.correct(number, acting(request), data["figure"], data["value"], data["why"])
        facts.refresh_from_db()
        impact.keep_affected(facts)
        return self.answer(request, number)


class StateTimeView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="state_time", request=shapes.StateTimeShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        data = given(shapes.StateTimeShape, request)
        reviewing.state_time(number, acting(request), data["what"], data["at"])
        return self.answer(request, number)


class SummaryView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="write_summary",
        request=shapes.MajorSummaryShape,
        responses=shapes.RoomShape,
    )
    def put(self, request: Request, number: int) -> Response:
        self.room(request, number)
        text = given(shapes.MajorSummaryShape, request)["text"]
        reviewing.write_summary(number, acting(request), text)
        return self.answer(request, number)


class TickView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="tick_line", request=shapes.TickLineShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        data = given(shapes.TickLineShape, request)
        reviewing.tick_off(number, acting(request), data["line"], is_done=data["is_done"])
        return self.answer(request, number)


class GatherView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="likely_incidents", responses=shapes.LikelyShape(many=True))
    def get(self, request: Request, number: int) -> Response:
        """Open incidents that are likely the same."""
        return Response(gathering.suggested(self.room(request, number), person_of(request)))

    @extend_schema(
        operation_id="gather_incidents", request=shapes.GatherShape, responses=shapes.RoomShape
    )
    def post(self, request: Request, number: int) -> Response:
        facts = self.room(request, number)
        data = given(shapes.GatherShape, request)
        if data["remove"]:
            gathering.let_go(number, acting(request), data["remove"])
        if data["add"]:
            gathering.gather(number, acting(request), data["add"])
        facts.refresh_from_db()
        impact.keep_affected(facts)
        return self.answer(request, number)


class PreviewTogetherView(RoomView):
    permission_classes = [DeskWorks]
    asks_only = True

    @extend_schema(
        operation_id="preview_together",
        request=shapes.AskTogetherShape,
        responses=shapes.PreviewedTogetherShape(many=True),
    )
    def post(self, request: Request, number: int) -> Response:
        """What one text would do with each open incident; nothing is done."""
        data = given(shapes.AskTogetherShape, request)
        return Response(
            gathering.preview(
                self.room(request, number), person_of(request), data["words"], data["does"]
            )
        )


class TogetherView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="answer_together",
        request=shapes.TogetherShape,
        responses=shapes.TogetherDoneShape,
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        data = given(shapes.TogetherShape, request)
        decided = {one["id"]: one["does"] for one in data["incidents"]}
        return Response(gathering.answer(number, acting(request), data["words"], decided))


class SituationReportsView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="draft_report", responses=shapes.ReportDraftShape)
    def get(self, request: Request, number: int) -> Response:
        facts = self.room(request, number)
        return Response({"text": paper.draft_report(facts, person_of(request), now_s())})

    @extend_schema(
        operation_id="send_situation_report",
        request=shapes.SendReportShape,
        responses={201: shapes.RoomShape},
    )
    def post(self, request: Request, number: int) -> Response:
        self.room(request, number)
        data = given(shapes.SendReportShape, request)
        paper.send_report(number, acting(request), data["text"], data["to"])
        answer = self.answer(request, number)
        answer.status_code = 201
        return answer


class SituationReportView(RoomView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="situation_report", responses=_PDF)
    def get(self, request: Request, number: int, report: int) -> HttpResponse:
        facts = self.room(request, number)
        row = facts.reports.select_related("by").filter(pk=report).first()
        if row is None:
            raise Missing("There is no such report.")
        return _pdf(paper.report_pdf(facts, row), f"situation-{report}.pdf")


class ReviewView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="write_review", request=shapes.ReviewTextsShape, responses=shapes.RoomShape
    )
    def put(self, request: Request, number: int) -> Response:
        self.room(request, number)
        reviewing.write_review(number, acting(request), given(shapes.ReviewTextsShape, request))
        return self.answer(request, number)


class ReviewPaperView(RoomView):
    permission_classes = [DeskReads]

    @extend_schema(operation_id="review_paper", responses=_PDF)
    def get(self, request: Request, number: int) -> HttpResponse:
        facts = self.room(request, number)
        made = paper.review_pdf(facts, person_of(request), now_s())
        return _pdf(made, f"major-incident-{number}.pdf")


class ProblemOfMajorView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="problem_of_major",
        request=None,
        responses={201: shapes.OpenedOfMajorShape},
    )
    def post(self, request: Request, number: int) -> Response:
        """The problem that looks for its cause; the one there is, if there is one."""
        self.room(request, number)
        return Response({"id": reviewing.problem_of(number, acting(request)).pk}, status=201)


class ArticleOfMajorView(RoomView):
    permission_classes = [DeskWorks]

    @extend_schema(operation_id="article_of_major", request=None, responses={201: DraftedShape})
    def post(self, request: Request, number: int) -> Response:
        """A draft of what was learned; the one there is, if there is one."""
        self.room(request, number)
        return Response({"number": reviewing.article_of(number, acting(request)).pk}, status=201)


class CallView(RoomView):
    @extend_schema(operation_id="join_call", request=None, responses=shapes.RoomCallShape)
    def post(self, request: Request, number: int) -> Response:
        """Where the call is; that somebody joins is in the timeline, once in ten minutes."""
        facts = self.room(request, number)
        if not facts.conference:
            raise Conflict("There is no call: the plan names none.")
        rooms.joined_call(facts, acting(request))
        return Response({"link": facts.conference})


class ChatView(GannetView):
    """The shipped stand-in of an outside chat."""

    permission_classes = [MailRoomReads]

    @extend_schema(operation_id="chat_lines", responses=shapes.ChatLineShape(many=True))
    def get(self, request: Request) -> Response:
        rows = list(ChatLine.objects.order_by("-id")[:200])
        return Response([_line(one) for one in reversed(rows)])

    @extend_schema(
        operation_id="write_chat",
        request=shapes.WriteChatShape,
        responses={201: shapes.ChatLineShape},
    )
    def post(self, request: Request) -> Response:
        data = given(shapes.WriteChatShape, request)
        facts = MajorFacts.objects.select_related("ticket").filter(pk=data["room"]).first()
        channel = facts.channels.filter(pk=data["channel"], in_chat=1).first() if facts else None
        if facts is None or channel is None or not chat.is_connected(facts, channel):
            raise Missing("There is no such channel.")
        line = chat.write_line(facts, channel, data["author"], data["text"], now_s())
        return Response(_line(line), status=201)


def _line(one: ChatLine) -> dict[str, Any]:
    return {
        "id": one.pk,
        "title": one.title,
        "room": one.room,
        "channel": one.channel,
        "author": one.author,
        "text": one.text,
        "is_from_room": bool(one.is_from_room),
        "at_s": one.at_s,
    }


def _pdf(content: bytes, name: str) -> HttpResponse:
    answer = HttpResponse(content, content_type=CONTENT_TYPE)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


_ROOM = "api/rooms/<number:number>"
urlpatterns = [
    path("api/majors", MajorsView.as_view()),
    path("api/majors/plans", MajorPlansView.as_view()),
    path(_ROOM, OneRoomView.as_view()),
    path(f"{_ROOM}/roles", RolesView.as_view()),
    path(f"{_ROOM}/roles/leave", LeaveRoleView.as_view()),
    path(f"{_ROOM}/channels", ChannelsView.as_view()),
    path(f"{_ROOM}/channels/<number:channel>/people", MembersView.as_view()),
    path(f"{_ROOM}/channels/<number:channel>/people/<number:person>", MemberView.as_view()),
    path(f"{_ROOM}/channels/<number:channel>/messages", MessagesView.as_view()),
    path(f"{_ROOM}/channels/<number:channel>/read", RoomReadView.as_view()),
    path(f"{_ROOM}/channels/<number:channel>/files", RoomFilesView.as_view()),
    path(f"{_ROOM}/channels/<number:channel>/bring", BringView.as_view()),
    path(f"{_ROOM}/messages/<number:message>/label", MessageLabelView.as_view()),
    path(f"{_ROOM}/timeline", TimelineView.as_view()),
    path(f"{_ROOM}/timeline/<number:entry>", EntryView.as_view()),
    path(f"{_ROOM}/find", FindInRoomView.as_view()),
    path(f"{_ROOM}/files/<number:file>", RoomFileView.as_view()),
    path(f"{_ROOM}/audiences", AudiencesView.as_view()),
    path(f"{_ROOM}/audiences/<number:audience>", AudienceView.as_view()),
    path(f"{_ROOM}/audiences/<number:audience>/draft", DraftUpdateView.as_view()),
    path(f"{_ROOM}/updates", UpdatesView.as_view()),
    path(f"{_ROOM}/updates/<number:update>", OneUpdateView.as_view()),
    path(f"{_ROOM}/figures", CorrectView.as_view()),
    path(f"{_ROOM}/times", StateTimeView.as_view()),
    path(f"{_ROOM}/summary", SummaryView.as_view()),
    path(f"{_ROOM}/checklist", TickView.as_view()),
    path(f"{_ROOM}/incidents", GatherView.as_view()),
    path(f"{_ROOM}/together/preview", PreviewTogetherView.as_view()),
    path(f"{_ROOM}/together", TogetherView.as_view()),
    path(f"{_ROOM}/reports", SituationReportsView.as_view()),
    path(f"{_ROOM}/reports/<number:report>", SituationReportView.as_view()),
    path(f"{_ROOM}/review", ReviewView.as_view()),
    path(f"{_ROOM}/review/paper", ReviewPaperView.as_view()),
    path(f"{_ROOM}/problem", ProblemOfMajorView.as_view()),
    path(f"{_ROOM}/article", ArticleOfMajorView.as_view()),
    path(f"{_ROOM}/call", CallView.as_view()),
    path("api/chat", ChatView.as_view()),
    path("status", outside.status_page),
    path("hooks/chat", outside.chat_in),
    path("standin/chat", outside.chat_standin),
    path("standin/call/<slug:key>", outside.call_standin),
]
