"""OpenAPI: every operation documents its problems, so that clients can rely on them."""

from typing import Any, Literal

from django.conf import settings
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.openapi import AutoSchema
from rest_framework import serializers

from gannet.web.shape import Shape

PROBLEM_TYPE = "application/problem+json"
WRITES = ("POST", "PUT", "PATCH", "DELETE")


class ProblemSerializer(serializers.Serializer[Any]):
    """RFC 9457 problem details."""

    type = serializers.CharField()
    title = serializers.CharField()
    status = serializers.IntegerField()
    code = serializers.CharField()
    detail = serializers.CharField()
    fields = serializers.DictField(  # type: ignore[assignment]
        child=serializers.CharField(), required=False
    )


# What may be answered instead of what was asked for, by status, beside what a view adds.
_ALWAYS = ("400", "401", "403", "404", "408", "422", "429", "500", "503")
_WRITING = ("409", "413", "415")


class GannetSchema(AutoSchema):
    """Says of each operation what it answers when it cannot, and which fields it knows."""

    def _get_response_bodies(self, direction: Literal["request", "response"] = "response") -> Any:
        found = super()._get_response_bodies(direction)
        statuses = _ALWAYS + (_WRITING if self.method in WRITES else ("409",))
        for status in statuses:
            if status not in found:
                found[status] = self._get_response_for_code(  # type: ignore[no-untyped-call]
                    ProblemSerializer, status, media_types=[PROBLEM_TYPE], direction=direction
                )
        return dict(sorted(found.items()))

    def _map_basic_serializer(self, serializer: Any, direction: str) -> Any:
        mapped = super()._map_basic_serializer(serializer, direction)  # type: ignore[no-untyped-call]
        if direction == "request" and isinstance(serializer, Shape):
            mapped["additionalProperties"] = False
        return mapped


def as_it_is_meant(result: Any, generator: Any, request: Any, public: bool) -> Any:
    """A value that may be null is one of several, not of exactly one: null is anything too."""
    _any_of(result)
    return result


def _any_of(part: Any) -> None:
    if isinstance(part, list):
        for one in part:
            _any_of(one)
    elif isinstance(part, dict):
        choices = part.get("oneOf")
        if isinstance(choices, list):
            del part["oneOf"]
            if {} not in choices:
                part["anyOf"] = choices
        for one in part.values():
            _any_of(one)


class SessionScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """Documents the session cookie of `gannet.web.auth.SignedIn`."""

    target_class = "gannet.web.auth.SignedIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": settings.SESSION_COOKIE_NAME}
