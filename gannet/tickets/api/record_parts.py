"""What stands around a ticket, in the API: tasks, time, links, approvals, reminders, help."""

from collections.abc import Callable
from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads, DeskWorks
from gannet.tickets import actions, record_parts
from gannet.tickets.actions import own
from gannet.tickets.api.records import ticket_json
from gannet.tickets.article_steps import read_steps, tick
from gannet.tickets.drafting import draft_of_message
from gannet.tickets.models import Approval, Reminder
from gannet.tickets.outward import runbooks
from gannet.tickets.record import find
from gannet.tickets.shapes import records as shapes
from gannet.tickets.shapes.lists import ApprovalShape, ReminderShape
from gannet.tickets.shapes.tickets import TaskStateShape, TicketShape
from gannet.web.base import GannetView
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of


def _ticket_act(
    name: str, shape: type[Shape] | None, does: Callable[..., Any], about: str, verb: str = "post"
) -> type[GannetView]:
    """A view that does one act on a part of a ticket and answers with the whole of it."""

    def handle(self: GannetView, request: Request, number: int, **parts: Any) -> Response:
        data: Any = {}
        if shape is not None:
            given = shape(data=request.data)
            given.is_valid(raise_exception=True)
            data = given.validated_data
        does(number, acting(request), *parts.values(), **({"data": data} if shape else {}))
        return Response(ticket_json(number, person_of(request)))

    documented = extend_schema(
        operation_id=name, description=about, request=shape, responses={200: TicketShape}
    )(handle)
    return type(
        f"{name.title().replace('_', '')}View",
        (GannetView,),
        {"__doc__": about, "permission_classes": [DeskReads], verb: documented},
    )


class TaskView(GannetView):
    """One task of a ticket: its state, its words and order, taking it away."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="set_task", request=TaskStateShape, responses=TicketShape)
    def post(self, request: Request, number: int, task: int) -> Response:
        given = TaskStateShape(data=request.data)
        given.is_valid(raise_exception=True)
        said = given.validated_data
        actions.set_task(
            number,
            acting(request),
            task,
            said["state"],
            outputs=said["outputs"],
            spent_pence=said["spent_pence"],
        )
        return Response(ticket_json(number, person_of(request)))

    @extend_schema(
        operation_id="change_task", request=shapes.TaskChangeShape, responses=TicketShape
    )
    def patch(self, request: Request, number: int, task: int) -> Response:
        given = shapes.TaskChangeShape(data=request.data)
        given.is_valid(raise_exception=True)
        actions.change_task(number, acting(request), task, given.validated_data)
        return Response(ticket_json(number, person_of(request)))

    @extend_schema(operation_id="drop_task", responses={200: TicketShape})
    def delete(self, request: Request, number: int, task: int) -> Response:
        actions.drop_task(number, acting(request), task)
        return Response(ticket_json(number, person_of(request)))


DropTimeView = _ticket_act(
    "drop_time", None, actions.drop_time, "Take an entry of time away.", "delete"
)
UnlinkView = _ticket_act("unlink", None, actions.unlink, "Take a link away.", "delete")
EndRemoteView = _ticket_act("end_remote", None, actions.end_remote, "End a session of remote help.")
RedactTextView = _ticket_act(
    "redact_text",
    shapes.RedactShape,
    lambda number, who, event, data: actions.redact_text(number, who, event, data["reason"]),
    "Remove what an event says, everywhere.",
)
RedactFileView = _ticket_act(
    "redact_file",
    shapes.RedactShape,
    lambda number, who, key, data: actions.redact_file(number, who, key, data["reason"]),
    "Remove a file.",
)
# Mails that may hold what is to go are read before the lock is taken.
RedactTextView.is_atomic = RedactFileView.is_atomic = False


class HelpView(GannetView):
    """What may help with a ticket."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="helping", responses=shapes.HelpShape)
    def get(self, request: Request, number: int) -> Response:
        person = person_of(request)
        now_s = seconds_of(timezone.now())
        return Response(record_parts.helping(find(number, person), person, now_s))


class MarkView(GannetView):
    """Mark a ticket for later, for oneself."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="mark", request=shapes.MarkLaterShape, responses=shapes.MarkLaterShape
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.MarkLaterShape(data=request.data)
        given.is_valid(raise_exception=True)
        now_s = seconds_of(timezone.now())
        own.mark(person_of(request), number, now_s, **given.validated_data)
        return Response(given.validated_data)


class FitsShape(Shape):
    fits = serializers.BooleanField()


class ArticleFitsView(GannetView):
    """Say that a suggested article does not fit a ticket, or that it may be suggested again."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="article_fits", request=FitsShape, responses=FitsShape)
    def post(self, request: Request, number: int, article: int) -> Response:
        given = FitsShape(data=request.data)
        given.is_valid(raise_exception=True)
        own.pass_article(person_of(request), number, article, **given.validated_data)
        return Response(given.validated_data)


class ArticleStepsView(GannetView):
    """The steps of an article that are done on a ticket."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="ticked_steps", responses=shapes.TickedStepsShape)
    def get(self, request: Request, number: int, article: int) -> Response:
        person = person_of(request)
        return Response(read_steps(person, find(number, person), article))

    @extend_schema(
        operation_id="tick_steps", request=shapes.TickShape, responses=shapes.TickedStepsShape
    )
    def put(self, request: Request, number: int, article: int) -> Response:
        given = shapes.TickShape(data=request.data)
        given.is_valid(raise_exception=True)
        person = person_of(request)
        ticket, now_s = find(number, person), seconds_of(timezone.now())
        tick(person, ticket, article, now_s=now_s, **given.validated_data)
        return Response(read_steps(person, ticket, article))


class DraftOfMessageShape(Shape):
    event = serializers.IntegerField(help_text="the message, by its number in the conversation")


class DraftOfMessageView(GannetView):
    """Draft an article of one message, without the people in it."""

    permission_classes = [DeskWorks]

    @extend_schema(
        operation_id="draft_of_message",
        request=DraftOfMessageShape,
        responses={201: shapes.DraftedShape},
    )
    def post(self, request: Request, number: int) -> Response:
        given = DraftOfMessageShape(data=request.data)
        given.is_valid(raise_exception=True)
        ticket = find(number, person_of(request))
        draft = draft_of_message(ticket, given.validated_data["event"], acting(request))
        return Response({"number": draft.pk}, status=201)


class RemindView(GannetView):
    """A reminder to oneself about a ticket."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="remind", request=shapes.RemindShape, responses={201: ReminderShape}
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.RemindShape(data=request.data)
        given.is_valid(raise_exception=True)
        row = own.remind(
            person_of(request), timezone.now(), ticket_id=number, **given.validated_data
        )
        return Response(record_parts.reminder_json(row), status=201)


class RemindersView(GannetView):
    """One's own reminders that are not dealt with."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="reminders", responses=ReminderShape(many=True))
    def get(self, request: Request) -> Response:
        rows = Reminder.objects.filter(person=person_of(request), done_s=None)
        return Response(
            [
                record_parts.reminder_json(row)
                for row in rows.select_related("ticket").order_by("at_s")
            ]
        )

    @extend_schema(
        operation_id="remind_of_anything",
        request=shapes.RemindShape,
        responses={201: ReminderShape},
    )
    def post(self, request: Request) -> Response:
        given = shapes.RemindShape(data=request.data)
        given.is_valid(raise_exception=True)
        row = own.remind(person_of(request), timezone.now(), ticket_id=None, **given.validated_data)
        return Response(record_parts.reminder_json(row), status=201)


class ReminderView(GannetView):
    """Put a reminder off, or be done with it."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="put_off_reminder", request=shapes.PutOffShape, responses={204: None}
    )
    def put(self, request: Request, reminder: int) -> Response:
        given = shapes.PutOffShape(data=request.data)
        given.is_valid(raise_exception=True)
        now = timezone.now()
        own.put_off_reminder(person_of(request), reminder, now, given.validated_data["at"])
        return Response(status=204)

    @extend_schema(operation_id="end_reminder", responses={204: None})
    def delete(self, request: Request, reminder: int) -> Response:
        own.end_reminder(person_of(request), reminder, seconds_of(timezone.now()))
        return Response(status=204)


class ApprovalsView(GannetView):
    """What one is asked to decide; open to everybody, because anybody can be asked."""

    @extend_schema(operation_id="approvals", responses=ApprovalShape(many=True))
    def get(self, request: Request) -> Response:
        person = person_of(request)
        rows = record_parts.to_decide(person, seconds_of(timezone.now()))
        return Response([record_parts.approval_json(row, person) for row in rows])


class DecideView(GannetView):
    """Approve or refuse what one was asked."""

    @extend_schema(operation_id="decide", request=shapes.DecideShape, responses=ApprovalShape)
    def post(self, request: Request, approval: int) -> Response:
        given = shapes.DecideShape(data=request.data)
        given.is_valid(raise_exception=True)
        asked = actions.decide(acting(request), approval, **given.validated_data)
        fresh = Approval.objects.select_related("asked_of", "asked_by", "ticket__requester").get(
            pk=asked.pk
        )
        return Response(record_parts.approval_json(fresh, person_of(request)))

    @extend_schema(operation_id="withdraw_approval", responses={204: None})
    def delete(self, request: Request, approval: int) -> Response:
        actions.withdraw_approval(acting(request), approval)
        return Response(status=204)


class RunbooksView(GannetView):
    """The runbooks, with the inputs that each needs."""

    permission_classes = [DeskWorks]

    @extend_schema(operation_id="runbooks", responses=shapes.RunbookShape(many=True))
    def get(self, request: Request) -> Response:
        return Response(
            [
                {"key": b.key, "name": b.name, "about": b.about, "inputs": b.inputs}
                for b in runbooks().values()
            ]
        )
