"""One ticket: its page, every act on it, drafts, presence and files."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from django.http import FileResponse
from django.utils import timezone
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.knowledge.actions import draft_from
from gannet.messages import notices
from gannet.messages.outbox import keys_were_seen
from gannet.people.models import Person, Team
from gannet.tickets import actions, policies
from gannet.tickets.actions import Acting
from gannet.tickets.api import record_shapes as around
from gannet.tickets.api import shapes
from gannet.tickets.conversation import file_json
from gannet.tickets.files import check_unsent, check_upload, keep_checked
from gannet.tickets.models import Attachment, Draft, Presence
from gannet.tickets.record import Reading, find
from gannet.tickets.why import why
from gannet.web.base import GannetView, acting, person_of
from gannet.web.errors import Invalid, Missing, Stale
from gannet.web.parsers import FormReader
from gannet.web.permissions import DeskReads
from gannet.web.shape import Shape
from gannet_core.instants import seconds_of
from gannet_core.lifecycle import Waiting

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


@dataclass(frozen=True)
class ActKind:
    """An act over the API: what it takes, and which action does it."""

    shape: type[Shape]
    does: Callable[[int, Acting, Mapping[str, Any]], Any]
    about: str


def _hand_over(number: int, acting: Acting, data: Mapping[str, Any]) -> Any:
    team = Team.objects.filter(pk=data["team"], is_board=False).first()
    if team is None:
        raise Invalid("There is no such team.", fields={"team": "Choose a team."})
    return actions.hand_over(
        number,
        acting,
        team=team,
        person=_person(data["person"]),
        comment=data["comment"],
        seen_version=data["version"],
    )


def _reply(number: int, acting: Acting, data: Mapping[str, Any]) -> Any:
    is_plain = data["to_requester"] and data["followers"] is None
    readers = None
    if not is_plain or data["people"] or data["outside"]:
        readers = actions.Readers(
            requester=data["to_requester"],
            followers=data["followers"],
            people=data["people"],
            outside=data["outside"],
        )
    return actions.reply(
        number,
        acting,
        data["text"],
        data["attachments"],
        readers=readers,
        seen_event=data["seen_event"],
    )


def _resolve(number: int, acting: Acting, data: Mapping[str, Any]) -> Any:
    ticket = actions.resolve(
        number,
        acting,
        data["what"],
        data["version"],
        cause=data["cause"],
        article=data["article"],
    )
    if data["drafts_article"]:
        draft_from(ticket, acting)
    return ticket


def _ask(number: int, acting: Acting, data: Mapping[str, Any]) -> Any:
    of = _person(data["of"])
    if of is None:
        raise Invalid("Choose who decides.", fields={"of": "Choose a person."})
    return actions.ask_approval(
        number,
        acting,
        of=of,
        what=data["what"],
        cost_pence=data["cost_pence"],
        waits=data["waits"],
        seen_version=data["version"],
    )


def _person(key: int | None) -> Person | None:
    if key is None:
        return None
    found = Person.objects.filter(pk=key, is_active=True).first()
    if found is None:
        raise Invalid("There is nobody by that number.", fields={"person": "Choose a person."})
    return found


def _follower(acting: Acting, data: Mapping[str, Any]) -> Person:
    person = _person(data["person"]) or acting.person
    if person is None:
        raise Invalid("Say who follows.", fields={"person": "Choose a person."})
    return person


ACTS: Mapping[str, ActKind] = {
    "take": ActKind(
        shapes.TakeShape,
        lambda n, who, d: actions.take(n, who, d["seen_holder"], force=d["force"]),
        "Take a ticket; 409 says who took it first.",
    ),
    "reply": ActKind(
        around.ReplyShape,
        _reply,
        "Answer the requester and others; meets the answer target. 409 shows what crossed it.",
    ),
    "note": ActKind(
        shapes.TextShape,
        lambda n, who, d: actions.note(n, who, d["text"], d["attachments"]),
        "Leave a note that only the desk reads.",
    ),
    "wait": ActKind(
        shapes.WaitShape,
        lambda n, who, d: actions.wait(
            n,
            who,
            on=Waiting(d["on"]),
            reason=d["reason"],
            until=d["until"],
            supplier=d["supplier"],
            seen_version=d["version"],
        ),
        "Wait on the requester, a supplier or a date, with the reason.",
    ),
    "resume": ActKind(
        shapes.ReasonShape,
        lambda n, who, d: actions.resume(n, who, d["why"]),
        "Take a waiting ticket up again.",
    ),
    "hand-over": ActKind(
        shapes.HandOverShape, _hand_over, "Give it to another team or person, with the reason."
    ),
    "priority": ActKind(
        shapes.PriorityShape,
        lambda n, who, d: actions.set_priority(n, who, d["priority"], d["reason"], d["version"]),
        "Set the priority by hand, with the reason.",
    ),
    "resolve": ActKind(
        around.ResolvingShape,
        _resolve,
        "Resolve with what was done, the cause, and the article that helped.",
    ),
    "reopen": ActKind(
        shapes.ReasonShape,
        lambda n, who, d: actions.reopen(n, who, d["why"]),
        "It is not solved after all.",
    ),
    "cancel": ActKind(
        shapes.ReasonShape,
        lambda n, who, d: actions.cancel(n, who, d["why"]),
        "It is not needed.",
    ),
    "announce": ActKind(
        shapes.AnnounceShape,
        lambda n, who, d: actions.announce(
            n, who, public_title=d["public_title"], next_news=d["next_news"]
        ),
        "Show it on everybody's portal as a known outage.",
    ),
    "end-announcement": ActKind(
        shapes.NothingShape,
        lambda n, who, d: actions.end_announcement(n, who),
        "Take the announcement off the portal.",
    ),
    "follow": ActKind(
        shapes.FollowShape,
        lambda n, who, d: actions.follow(n, who, _follower(who, d)),
        "Follow, or let somebody follow.",
    ),
    "unfollow": ActKind(
        shapes.FollowShape,
        lambda n, who, d: actions.unfollow(n, who, _follower(who, d)),
        "Stop following.",
    ),
    "escalate": ActKind(
        around.EscalateShape,
        lambda n, who, d: actions.escalate(n, who, d["comment"], d["version"]),
        "Hand it up the support chain of its service.",
    ),
    "approvals": ActKind(around.AskApprovalShape, _ask, "Ask somebody to approve something."),
    "time": ActKind(
        around.LogTimeShape,
        lambda n, who, d: actions.log_time(n, who, d["minutes"], d["what"]),
        "Write minutes down, with what they were for.",
    ),
    "time/start": ActKind(
        shapes.NothingShape,
        lambda n, who, d: actions.start_timer(n, who),
        "Start measuring one's time on it.",
    ),
    "time/stop": ActKind(
        around.StopTimeShape,
        lambda n, who, d: actions.stop_timer(n, who, d["what"], d["minutes"]),
        "Stop measuring; what was measured is written down.",
    ),
    "links": ActKind(
        around.LinkInShape,
        lambda n, who, d: actions.link(n, who, d["kind"], d["other"]),
        "Say how it relates to another record.",
    ),
    "merge": ActKind(
        around.MergeShape,
        lambda n, who, d: actions.merge(n, who, d["into"]),
        "Merge this duplicate into another ticket, which goes on for both.",
    ),
    "not-for-us": ActKind(
        around.UnwantedShape,
        lambda n, who, d: actions.set_unwanted(n, who, remembers=d["remembers"]),
        "It is not for us: cancel it, tell nobody, remember the sender.",
    ),
    "outward": ActKind(
        around.PassOutShape,
        lambda n, who, d: actions.pass_out(n, who, d["kind"], d["inputs"], d["title"]),
        "Pass it to development, start remote help, or run a runbook.",
    ),
    "tasks": ActKind(
        around.TaskInShape,
        lambda n, who, d: actions.add_task(n, who, d),
        "Add a task by hand.",
    ),
    "undo": ActKind(
        shapes.NothingShape,
        lambda n, who, d: actions.undo(n, who),
        "Take back one's own last act within ten seconds.",
    ),
}


def _act_view(name: str, kind: ActKind) -> type[GannetView]:
    class ActView(GannetView):
        permission_classes = [DeskReads]

        @extend_schema(
            operation_id=f"ticket_{name.replace('-', '_').replace('/', '_')}",
            description=kind.about,
            request=kind.shape,
            responses=shapes.TicketShape,
        )
        def post(self, request: Request, number: int) -> Response:
            given = kind.shape(data=request.data)
            given.is_valid(raise_exception=True)
            person = person_of(request)
            with_current(
                lambda: kind.does(number, acting(request), given.validated_data), number, person
            )
            if not policies.visible_to(person).filter(pk=number).exists():
                raise_gone()
            return Response(ticket_json(number, person))

    ActView.__name__ = f"{name.title().replace('-', '').replace('/', '')}View"
    return ActView


def raise_gone() -> None:
    raise Missing("It has gone to a team whose tickets you do not see.")


ACT_VIEWS = {name: _act_view(name, kind) for name, kind in ACTS.items()}


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
        notices.read(person, number, who.now_s)
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
        keys_were_seen(file.keys, seconds_of(now))
        return Response(file_json(keep_checked(file, person_of(request), now)), status=201)


class WholeFile(FileResponse):
    """A file in pieces that are worth their way."""

    block_size = 256 * 1024


class AttachmentView(GannetView):
    """A file, always as a download, to those who may read the message it belongs to."""

    @extend_schema(operation_id="file", responses={(200, "*/*"): OpenApiTypes.BINARY})
    def get(self, request: Request, key: Any) -> Any:
        person = person_of(request)
        file = Attachment.objects.select_related("ticket").filter(pk=key).first()
        # A file that was removed keeps its row and has no content.
        if file is None or not file.file or not _may_read(person, file):
            raise Missing("There is no such file.")
        response = WholeFile(
            file.file.open("rb"),
            as_attachment=True,
            filename=file.name,
            content_type=file.content_type,
        )
        response["Content-Security-Policy"] = "default-src 'none'; sandbox"
        response["X-Content-Type-Options"] = "nosniff"
        return response


def _may_read(person: Person, file: Attachment) -> bool:
    if file.event_id is None or file.ticket is None:
        return file.uploaded_by_id == person.pk
    if not policies.visible_to(person).filter(pk=file.ticket_id or 0).exists():
        return False
    if policies.reads_desk(person):
        return True
    from gannet.audit.models import Audience, Event

    return Event.objects.filter(pk=file.event_id or 0, audience=Audience.EVERYBODY).exists()
