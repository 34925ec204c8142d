"""One ticket: its page, every act on it, drafts, presence and files."""

from collections.abc import Callable
from typing import Any

from django.http import FileResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people.access import acting, person_of
from gannet.people.models import Person
from gannet.people.permissions import DeskReads
from gannet.people.roles import reads_desk
from gannet.tickets import actions, acts, policies
from gannet.tickets.acts import RecordAct
from gannet.tickets.conversation import file_json
from gannet.tickets.files import check_unsent, check_upload, keep_checked
from gannet.tickets.models import Attachment, Draft, Presence
from gannet.tickets.record import Reading, find
from gannet.tickets.shapes import tickets as shapes
from gannet.tickets.telling import messenger
from gannet.tickets.why import why
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Missing, Stale
from gannet.web.parsers import FormReader
from gannet_core.instants import seconds_of

PRESENT_SECONDS = 30
_MAX_DRAFT = 60_000
_MOST_DRAFTS = 100  # of one person; the oldest go


def ticket_json(number: int, person: Person) -> dict[str, Any]:
    now_s = seconds_of(timezone.now())
    shown = Reading(find(number, person), person, now_s).as_desk_sees()
    return {**shown, "now_s": now_s}


class TicketView(GannetView):
    """A ticket, and changing its facts in place."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="ticket", responses=shapes.TicketShape)
    def get(self, request: Request, number: int) -> Response:
        return Response(ticket_json(number, person_of(request)))

    @extend_schema(
        operation_id="change_ticket", request=shapes.ChangeShape, responses=shapes.TicketShape
    )
    def patch(self, request: Request, number: int) -> Response:
        given = shapes.ChangeShape(data=request.data)
        given.is_valid(raise_exception=True)
        data = dict(given.validated_data)
        version = data.pop("version")
        data.update(data.pop("values", {}))
        person = person_of(request)
        acts.check(acts.act_named("change"), find(number, person), person)
        with_current(
            lambda: actions.change_facts(number, acting(request), data, version), number, person
        )
        return Response(ticket_json(number, person))


def with_current(act: Callable[[], Any], number: int, person: Person) -> None:
    """Do an act; when the record has moved on, the refusal carries it as it is now."""
    try:
        act()
    except Stale as stale:
        stale.extra["current"] = ticket_json(number, person)
        raise


def _act_view(act: RecordAct) -> type[GannetView]:
    class ActView(GannetView):
        permission_classes = [DeskReads]

        @extend_schema(
            operation_id=f"ticket_{act.name.replace('-', '_').replace('/', '_')}",
            description=act.about,
            request=act.shape,
            responses=shapes.TicketShape,
        )
        def post(self, request: Request, number: int) -> Response:
            return do_act(act, request, number)

    ActView.__name__ = f"{act.name.title().replace('-', '').replace('/', '')}View"
    return ActView


def do_act(act: RecordAct, request: Request, number: int) -> Response:
    """Do an act to a record, if it may be done, and answer with the record as it is then."""
    given = act.shape(data=request.data)
    given.is_valid(raise_exception=True)
    person = person_of(request)
    acts.check(act, find(number, person), person)
    with_current(lambda: act.does(number, acting(request), given.validated_data), number, person)
    if not policies.visible_to(person).filter(pk=number).exists():
        raise_gone()
    return Response(ticket_json(number, person))


class AnyActView(GannetView):
    """An act of a kind that came after the addresses were made; the registry knows it."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="do_act",
        description="Do any act of the record, by its name; it takes what that act takes.",
        request=OpenApiTypes.OBJECT,
        responses=shapes.TicketShape,
    )
    def post(self, request: Request, number: int, name: str) -> Response:
        return do_act(acts.act_named(name), request, number)


def raise_gone() -> None:
    raise Missing("It has gone to a team whose tickets you do not see.")


ACT_VIEWS = {act.name: _act_view(act) for act in acts.acts().values() if act.has_address}


class WhyView(GannetView):
    """The why note behind a computed value."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="why",
        parameters=[
            OpenApiParameter(
                "of",
                str,
                required=True,
                description="priority, agreement, team, holder, rules, next, clock:…",
            )
        ],
        responses=shapes.WhyShape,
    )
    def get(self, request: Request, number: int) -> Response:
        person = person_of(request)
        reading = Reading(find(number, person), person, seconds_of(timezone.now()))
        return Response(why(reading, request.query_params.get("of", "")))


class PresenceView(GannetView):
    """Being there: says so, marks it read, and tells who else is there."""

    permission_classes = [DeskReads]

    @extend_schema(
        operation_id="be_present",
        request=shapes.PresenceShape,
        responses=shapes.OtherShape(many=True),
    )
    def post(self, request: Request, number: int) -> Response:
        given = shapes.PresenceShape(data=request.data)
        given.is_valid(raise_exception=True)
        person = person_of(request)
        ticket = find(number, person)
        who = acting(request)
        if person.is_on_desk and (ticket.is_unread or ticket.handed_to_id == person.pk):
            actions.open_ticket(number, who)
        messenger().read(person, number, who.now_s)
        Presence.objects.update_or_create(
            person=person,
            ticket=ticket,
            defaults={"seen_s": who.now_s, "is_typing": given.validated_data["is_typing"]},
        )
        others = (
            Presence.objects.filter(ticket=ticket, seen_s__gt=who.now_s - PRESENT_SECONDS)
            .exclude(person=person)
            .select_related("person")
            .order_by("person__name")
        )
        return Response(
            [{"name": other.person.name, "is_typing": other.is_typing} for other in others]
        )


class DraftView(GannetView):
    """A draft, kept per person and place, so that no typed text is lost."""

    @extend_schema(operation_id="draft", responses=shapes.DraftShape)
    def get(self, request: Request, place: str) -> Response:
        draft = Draft.objects.filter(person=person_of(request), place=place[:80]).first()
        if draft is None:
            return Response({"body": {}, "kept_s": None})
        return Response({"body": draft.body, "kept_s": seconds_of(draft.kept_at)})

    @extend_schema(
        operation_id="keep_draft", request=shapes.DraftShape, responses=shapes.DraftShape
    )
    def put(self, request: Request, place: str) -> Response:
        given = shapes.DraftShape(data=request.data)
        given.is_valid(raise_exception=True)
        body = given.validated_data["body"]
        if len(str(body)) > _MAX_DRAFT:
            raise Invalid("This draft is too long to keep.")
        now = timezone.now()
        if any(body.values()):
            drafts = Draft.objects.filter(person=person_of(request))
            drafts.update_or_create(
                person=person_of(request), place=place[:80], defaults={"body": body, "kept_at": now}
            )
            oldest = drafts.order_by("-kept_at").values_list("pk", flat=True)[_MOST_DRAFTS:]
            drafts.filter(pk__in=list(oldest)).delete()
        else:
            Draft.objects.filter(person=person_of(request), place=place[:80]).delete()
        return Response({"body": body, "kept_s": seconds_of(now)})


class AttachmentsView(GannetView):
    """Uploading a file that a message will carry."""

    parser_classes = [FormReader]
    is_atomic = False  # a file is looked at before anything is written

    @extend_schema(
        operation_id="upload",
        request={
            "multipart/form-data": {
                "type": "object",
                "properties": {"file": {"type": "string", "format": "binary"}},
                "required": ["file"],
            }
        },
        responses={201: shapes.FileShape},
    )
    def post(self, request: Request) -> Response:
        upload = request.FILES.get("file")
        if upload is None:
            raise Invalid("Choose a file.", fields={"file": "No file came."})
        now = timezone.now()
        check_unsent(person_of(request))
        file = check_upload(upload)
        messenger().keys_seen(file.keys, seconds_of(now))
        return Response(file_json(keep_checked(file, person_of(request), now)), status=201)


class WholeFile(FileResponse):
    """A file in pieces that are worth their way."""

    block_size = 256 * 1024


def whole_file(file: Attachment) -> WholeFile:
    """A file as a download, which no browser shows or runs."""
    response = WholeFile(
        file.file.open("rb"),
        as_attachment=True,
        filename=file.name,
        content_type=file.content_type,
    )
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    response["X-Content-Type-Options"] = "nosniff"
    return response


class AttachmentView(GannetView):
    """A file, always as a download, to those who may read the message it belongs to."""

    @extend_schema(operation_id="file", responses={(200, "*/*"): OpenApiTypes.BINARY})
    def get(self, request: Request, key: Any) -> Any:
        person = person_of(request)
        file = Attachment.objects.select_related("ticket").filter(pk=key).first()
        # A file that was removed keeps its row and has no content.
        if file is None or not file.file or not _may_read(person, file):
            raise Missing("There is no such file.")
        return whole_file(file)


def _may_read(person: Person, file: Attachment) -> bool:
    if file.event_id is None or file.ticket is None:
        return file.uploaded_by_id == person.pk
    if not policies.visible_to(person).filter(pk=file.ticket_id or 0).exists():
        return False
    if reads_desk(person):
        return True
    from gannet.audit.models import Audience, Event

    return Event.objects.filter(pk=file.event_id or 0, audience=Audience.EVERYBODY).exists()
