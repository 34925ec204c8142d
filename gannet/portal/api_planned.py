"""Announcing a planned change on the portal in one move; the announcement follows the change."""

from django.db import transaction
from django.urls import path
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.changes import users
from gannet.changes.models import KIND, ChangeFacts, facts_of
from gannet.knowledge.models import Announcement
from gannet.people.access import acting, person_of
from gannet.people.permissions import DeskReads
from gannet.portal.announcements import end_announcement, write_announcement
from gannet.tickets.api.records import ticket_json
from gannet.tickets.record import find
from gannet.tickets.shapes.tickets import TicketShape
from gannet.web.base import GannetView
from gannet.web.errors import Conflict, Missing
from gannet.web.shape import Shape, given, now_s


class PlannedNewsShape(Shape):
    """What is said in public; when it is, is added and follows the change."""

    title = serializers.CharField(max_length=120, allow_blank=True)
    text = serializers.CharField(max_length=3_500, allow_blank=True, required=False, default="")
    place = serializers.CharField(max_length=80, allow_blank=True, required=False, default="")


class AnnounceChangeView(GannetView):
    """Announce a change on everybody's portal until it is over, or end that."""

    permission_classes = [DeskReads]

    @extend_schema(operation_id="announce_change", request=PlannedNewsShape, responses=TicketShape)
    def post(self, request: Request, number: int) -> Response:
        data, person = given(PlannedNewsShape, request), person_of(request)
        with transaction.atomic():
            facts = _facts(request, number)
            starts_s, ends_s = facts.starts_s, facts.ends_s
            if starts_s is None or ends_s is None:
                raise Conflict("Plan it first: the announcement says when it is.")
            if facts.ticket.is_confidential:
                raise Conflict("This is confidential, so it cannot be announced.")
            zone = str(person.zone or "Europe/London")
            line = users.when_line(starts_s, ends_s, zone)
            row = Announcement.objects.filter(pk=facts.announced or 0).first()
            said = {
                **data,
                "text": f"{line}\n\n{data['text'].strip()}".strip(),
                "from_s": row.from_s if row else now_s(),
                "to_s": ends_s,
            }
            made = write_announcement(acting(request), said, row.pk if row else None)
            facts.announced, facts.announced_zone = made.pk, zone
            facts.save(update_fields=["announced", "announced_zone"])
        return Response(ticket_json(number, person))

    @extend_schema(operation_id="end_change_announcement", responses={200: TicketShape})
    def delete(self, request: Request, number: int) -> Response:
        with transaction.atomic():
            facts = _facts(request, number)
            if facts.announced is None:
                raise Missing("It is not announced.")
            if Announcement.objects.filter(pk=facts.announced).exists():
                end_announcement(acting(request), facts.announced)
            facts.announced = None
            facts.save(update_fields=["announced"])
        return Response(ticket_json(number, person_of(request)))


def _facts(request: Request, number: int) -> ChangeFacts:
    """The facts of a change that is still to come or under way."""
    ticket = find(number, person_of(request))
    if ticket.kind != KIND:
        raise Missing(f"There is no change {number}.")
    if not ticket.is_open or facts_of(ticket).ended_s is not None:
        raise Conflict("It is over: there is nothing to announce.")
    return ChangeFacts.objects.select_for_update().select_related("ticket").get(ticket=ticket)


urlpatterns = [path("api/changes/<number:number>/announce", AnnounceChangeView.as_view())]
