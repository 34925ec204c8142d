"""Personal access tokens in the API; a token cannot make another."""

from typing import Any

from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from gannet.people import tokens
from gannet.people.access import person_of
from gannet.people.models import Token
from gannet.people.permissions import DeskReads
from gannet.web.base import GannetView
from gannet.web.shape import Shape


class MakeTokenShape(Shape):
    name = serializers.CharField(max_length=80, allow_blank=True)
    scopes = serializers.ListField(child=serializers.ChoiceField(tokens.SCOPES))
    days = serializers.IntegerField(required=False, default=90)


class TokenShape(Shape):
    id = serializers.IntegerField()
    name = serializers.CharField()
    starts = serializers.CharField()
    scopes = serializers.ListField(child=serializers.CharField())
    made_at = serializers.DateTimeField()
    expires_at = serializers.DateTimeField(allow_null=True)
    used_at = serializers.DateTimeField(allow_null=True)


class MadeTokenShape(TokenShape):
    secret = serializers.CharField()


def token_json(token: Token) -> dict[str, Any]:
    return {
        "id": token.pk,
        "name": token.name,
        "starts": token.starts,
        "scopes": token.scopes,
        "made_at": token.made_at,
        "expires_at": token.expires_at,
        "used_at": token.used_at,
    }


class TokensView(GannetView):
    """One's own tokens, and making one."""

    permission_classes = [DeskReads]
    needs_scope = "none"
    keeps_answer = False  # it would be a secret in the database

    @extend_schema(operation_id="tokens", responses=TokenShape(many=True))
    def get(self, request: Request) -> Response:
        rows = person_of(request).tokens.filter(revoked_at=None)
        return Response([token_json(token) for token in rows])

    @extend_schema(
        operation_id="make_token", request=MakeTokenShape, responses={201: MadeTokenShape}
    )
    def post(self, request: Request) -> Response:
        given = MakeTokenShape(data=request.data)
        given.is_valid(raise_exception=True)
        token, secret = tokens.make_token(
            person_of(request), timezone.now(), **given.validated_data
        )
        return Response({**token_json(token), "secret": secret}, status=201)


class TokenView(GannetView):
    """Revoke a token."""

    permission_classes = [DeskReads]
    needs_scope = "none"

    @extend_schema(operation_id="revoke_token", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        tokens.revoke(person_of(request), number, timezone.now())
        return Response(status=204)
