"""Signing in and out, and finding people."""

from typing import Any

from axes.exceptions import AxesBackendPermissionDenied
from axes.handlers.proxy import AxesProxyHandler
from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import AnonymousUser
from django.db import transaction
from django.middleware.csrf import get_token
from django.urls import path
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.throttling import SimpleRateThrottle

from gannet.audit import log as audit
from gannet.audit.kinds import EventKind
from gannet.people import api_tokens
from gannet.people.events import PersonEvent
from gannet.people.models import Membership, Person, Role
from gannet.people.roles import reads_desk
from gannet.web.base import GannetView
from gannet.web.errors import Invalid, Locked, Missing
from gannet.web.shape import NamedShape


class PersonSerializer(serializers.Serializer[Person]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    email = serializers.CharField()
    department = serializers.CharField()
    job = serializers.CharField()
    place = serializers.CharField()
    phone = serializers.CharField()
    zone = serializers.CharField()
    care_tiers = serializers.ListField(child=serializers.CharField())


class DeviceSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()


class MeSerializer(PersonSerializer):
    roles = serializers.ListField(child=serializers.CharField())
    teams = serializers.ListField(child=serializers.CharField())
    leads = NamedShape(many=True)
    is_on_desk = serializers.BooleanField()
    reads_desk = serializers.BooleanField()
    devices = DeviceSerializer(many=True)


class SessionSerializer(serializers.Serializer[Any]):
    """Who is signed in (null: nobody), and whether this is the demo."""

    person = MeSerializer(allow_null=True)
    csrf = serializers.CharField()
    is_demo = serializers.BooleanField()
    organisation_zone = serializers.CharField()
    organisation = serializers.CharField()
    organisation_short = serializers.CharField()
    currency_sign = serializers.CharField(trim_whitespace=False)
    news_after = serializers.IntegerField(
        help_text="Number of the newest event: what the live stream is to tell comes after it."
    )


class SignInSerializer(serializers.Serializer[Any]):
    email = serializers.EmailField(max_length=254)
    password = serializers.CharField(max_length=200, trim_whitespace=False)


class DemoPersonSerializer(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    email = serializers.CharField()
    about = serializers.CharField()


class DemoSignInSerializer(serializers.Serializer[Any]):
    person = serializers.IntegerField()


def me_json(person: Person) -> dict[str, Any]:
    teams = Membership.objects.filter(person=person).select_related("team")
    return {
        **PersonSerializer(person).data,
        "roles": person.roles,
        "teams": [membership.team.name for membership in teams],
        "leads": [
            {"id": membership.team_id, "name": membership.team.name}
            for membership in teams
            if membership.is_lead or person.has_role(Role.ADMINISTRATOR)
        ],
        "is_on_desk": person.is_on_desk,
        "reads_desk": reads_desk(person),
        "devices": DeviceSerializer(person.devices.all(), many=True).data,
    }


def session_json(request: Request) -> dict[str, Any]:
    user = request.user
    return {
        "person": me_json(user) if isinstance(user, Person) else None,
        "csrf": get_token(request._request),
        "is_demo": settings.IS_DEMO,
        "organisation_zone": settings.ORGANISATION_ZONE,
        "organisation": settings.ORGANISATION,
        "organisation_short": settings.ORGANISATION_SHORT,
        "currency_sign": settings.CURRENCY_SIGN,
        "news_after": audit.latest(),
    }


class SignInThrottle(SimpleRateThrottle):
    """Passwords are tried from one address only so often, whoever's they are.

    Beside the lock-out, which counts for one name: many names tried once each do not
    trip it.
    """

    rate = "60/min"

    def get_cache_key(self, request: Request, view: Any) -> str:
        return f"sign-in:{self.get_ident(request)}"


@method_decorator(csrf_protect, name="dispatch")
class SessionView(GannetView):
    """The session: who is signed in, signing in, signing out."""

    permission_classes = [AllowAny]
    is_atomic = False
    is_small = True
    keeps_answer = False
    needs_scope = "none"

    def get_throttles(self) -> list[Any]:
        return [SignInThrottle()] if self.request.method == "POST" else []

    @extend_schema(operation_id="session", responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        return Response(session_json(request))

    @extend_schema(operation_id="sign_in", request=SignInSerializer, responses=SessionSerializer)
    def post(self, request: Request) -> Response:
        given = SignInSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        email = given.validated_data["email"].casefold()
        person = _authenticate(request, email, given.validated_data["password"])
        if person is None:
            raise Invalid(
                "That address and password do not go together. Check both and try again.",
                fields={"password": "Check the address and the password."},
            )
        return _signed_in(request, person)

    @extend_schema(operation_id="sign_out", responses={200: SessionSerializer})
    def delete(self, request: Request) -> Response:
        if isinstance(request.user, Person):
            _record(PersonEvent.SIGNED_OUT, request.user.pk)
        logout(request._request)
        request.user = AnonymousUser()
        return Response(session_json(request))


def _authenticate(request: Request, email: str, password: str) -> Person | None:
    credentials = {"username": email, "password": password}
    plain = request._request
    try:
        person = authenticate(plain, **credentials)
    except AxesBackendPermissionDenied:
        person = None
    if isinstance(person, Person):
        return person
    is_locked = AxesProxyHandler.is_locked(plain, {"username": email})
    _record(PersonEvent.SIGN_IN_REFUSED, None, {"email": email, "is_locked": is_locked})
    if is_locked:
        raise Locked(
            "Too many tries with this address. Wait a quarter of an hour, then try again.",
            again_in=int(settings.AXES_COOLOFF_TIME.total_seconds()),
        )
    return None


def _signed_in(request: Request, person: Person) -> Response:
    login(request._request, person, backend="gannet.people.signing.SignedInPeople")
    _record(PersonEvent.SIGNED_IN, person.pk)
    request.user = person
    return Response(session_json(request))


def _record(kind: EventKind, person_id: int | None, values: dict[str, Any] | None = None) -> None:
    entry = audit.Entry(kind=kind, at=timezone.now(), actor_id=person_id, values=values or {})
    with transaction.atomic():
        audit.append([entry])


@method_decorator(csrf_protect, name="dispatch")
class DemoPeopleView(GannetView):
    """The demo's one-click sign-in; outside the demo it does not exist."""

    permission_classes = [AllowAny]
    is_small = True
    keeps_answer = False

    @extend_schema(operation_id="demo_people", responses=DemoPersonSerializer(many=True))
    def get(self, request: Request) -> Response:
        _only_in_demo()
        return Response(demo_people())

    @extend_schema(
        operation_id="demo_sign_in", request=DemoSignInSerializer, responses=SessionSerializer
    )
    def post(self, request: Request) -> Response:
        _only_in_demo()
        given = DemoSignInSerializer(data=request.data)
        given.is_valid(raise_exception=True)
        allowed = {entry["id"] for entry in demo_people()}
        if given.validated_data["person"] not in allowed:
            raise Missing("The demo does not offer this person.")
        return _signed_in(request, Person.objects.get(pk=given.validated_data["person"]))


def _only_in_demo() -> None:
    if not settings.IS_DEMO:
        raise Missing("There is no demo here.")


def demo_people() -> list[dict[str, Any]]:
    people = {
        person.email: person for person in Person.objects.filter(email__in=settings.DEMO_PEOPLE)
    }
    return [
        {"id": people[email].pk, "name": people[email].name, "email": email, "about": about}
        for email, about in settings.DEMO_PEOPLE.items()
        if email in people
    ]


urlpatterns = [
    path("api/tokens", api_tokens.TokensView.as_view()),
    path("api/tokens/<number:number>", api_tokens.TokenView.as_view()),
    path("api/session", SessionView.as_view()),
    path("api/session/demo", DemoPeopleView.as_view()),
]
