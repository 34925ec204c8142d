"""Who may use which part of the API at all; which rows, the policies say."""

from django.conf import settings
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.views import APIView

from gannet.people.models import Person, Role
from gannet.people.roles import reads_desk


class DeskReads(BasePermission):
    """People who read the desk's lists: the desk, managers and administrators."""

    message = "This part is for the desk."

    def has_permission(self, request: Request, view: APIView) -> bool:
        return isinstance(request.user, Person) and reads_desk(request.user)


class DeskWorks(BasePermission):
    message = "This part is for the people who work on the desk."

    def has_permission(self, request: Request, view: APIView) -> bool:
        return isinstance(request.user, Person) and request.user.is_on_desk


class ReportsRead(BasePermission):
    message = "Reports are for team leads, managers and administrators."

    def has_permission(self, request: Request, view: APIView) -> bool:
        user = request.user
        return isinstance(user, Person) and user.has_role(
            Role.AGENT, Role.TEAM_LEAD, Role.MANAGER, Role.ADMINISTRATOR
        )


class MailRoomReads(BasePermission):
    """The stand-in mail server is a stand-in: it shows everybody's mail, to the demo only."""

    message = "The Mail room belongs to the demo's stand-in mail server."

    def has_permission(self, request: Request, view: APIView) -> bool:
        user = request.user
        return bool(settings.STANDIN_MAIL and settings.IS_DEMO) and isinstance(user, Person)
