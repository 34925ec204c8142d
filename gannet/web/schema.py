"""OpenAPI: every operation documents its problems, so that clients can rely on them."""

from typing import Any

from django.conf import settings
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.openapi import AutoSchema
from rest_framework import serializers


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


class GannetSchema(AutoSchema):
    def get_response_serializers(self) -> Any:
        found = super().get_response_serializers()
        if not isinstance(found, dict):
            found = {"200": found}
        problems = dict.fromkeys(("401", "403", "404", "422"), ProblemSerializer)
        if self.method in ("POST", "PUT", "PATCH", "DELETE"):
            problems["409"] = ProblemSerializer
        return {**{(k, "application/problem+json"): v for k, v in problems.items()}, **found}


class SessionScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    """Documents the session cookie of `gannet.web.auth.SignedIn`."""

    target_class = "gannet.web.auth.SignedIn"
    name = "session"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": settings.SESSION_COOKIE_NAME}
